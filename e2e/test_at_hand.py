"""What the hand expects of the page: keys, presses and views that end, follow and lead where they say."""

from __future__ import annotations

import io
import math
import re
import zipfile
from typing import Any

import pytest
from playwright.sync_api import Page, expect
from running_site import Site, open_from_shelf
from test_everyday_jobs import BRING_IN, BUILD, CLOSE, HAND_OVER, Hand, dxf, plate
from test_firm_ground import ready


@pytest.fixture
def hand(page: Page, site: Site) -> Hand:
    return Hand(page, site)


def shaft(space: Any) -> None:
    """A stepped outline whose halves differ, a centre line through it, a keyway drawn dashed."""
    document: Any = space.doc
    document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4])
    document.linetypes.add("HIDDEN", pattern=[9, 6, -3])
    upper, lower = [(0, 10), (0, 18), (30, 18), (30, 14), (50, 14), (50, 10)], [(50, 4), (30, 4), (30, 0), (0, 0)]
    space.add_lwpolyline([*upper, *lower], close=True)
    space.add_line((-5, 10), (55, 10), dxfattribs={"linetype": "CENTER"})
    space.add_lwpolyline([(4, 11), (16, 11), (16, 15), (4, 15)], close=True, dxfattribs={"linetype": "HIDDEN"})


def strip(space: Any) -> None:
    space.add_lwpolyline([(0, 0), (90, 0), (90, 12), (0, 12)], close=True)


def washer(space: Any) -> None:
    for radius in (5, 11):
        space.add_circle((0, 0), radius)


def test_dashed_and_centre_lines_bound_a_profile_where_they_are_asked_to(hand: Hand) -> None:
    page = hand.page
    hand.bring("shaft.dxf", dxf(shaft))
    hand.stage(BUILD)
    bounds = page.get_by_role("radiogroup", name="Profiles are bounded by")
    expect(bounds.get_by_role("radio")).to_have_text(["solid lines", "dashed lines too", "centre lines too"])
    hand.key("b")
    expect(bounds.get_by_role("radio", name="dashed lines too")).to_be_checked()
    hand.pick(10, 13)
    page.mouse.move(2, 2)
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("1 profile picked, 48 mm²")
    hand.key("b")
    hand.pick(22, 14)
    page.mouse.move(2, 2)
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("1 profile picked, 320 mm²")
    hand.key("3", writes="1 profile")
    hand.enter("Turn")
    hand.volume(math.pi * (64 * 30 + 16 * 20) / 1000)


def test_repeat_takes_the_curves_round_the_region_that_is_picked(hand: Hand) -> None:
    hand.bring("plate.dxf", dxf(plate))
    hand.stage(CLOSE)
    hand.pick(30, 20)
    hand.press("Repeat")
    expect(hand.page.get_by_label("Writing line")).to_contain_text("4 curves")


def test_a_sheet_of_another_size_is_shown_whole(hand: Hand) -> None:
    page = hand.page
    hand.bring("plate.dxf", dxf(plate))
    hand.stage(BRING_IN)
    shown = page.get_by_label("Sheet", exact=True).get_by_text(re.compile(r"[\d.]+ : [\d.]+$")).last

    def scale() -> float:
        first, second = re.findall(r"[\d.]+", shown.inner_text())[-2:]
        return float(first) / float(second)

    before = scale()
    pane = page.locator("[data-pane=sheet] canvas").bounding_box()
    assert pane
    page.mouse.move(pane["x"] + 200, pane["y"] + 200)
    for _ in range(4):
        page.mouse.wheel(0, -240)
    page.mouse.move(2, 2)
    page.wait_for_timeout(400)
    assert scale() > 1.5 * before
    page.keyboard.press("/")
    page.keyboard.type("scale")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Writing line")).to_contain_text("Scale")
    hand.type("25.4")
    hand.enter("25.4")
    assert scale() == pytest.approx(before / 25.4, rel=0.06)


def test_escape_ends_adding_and_a_key_leads_to_the_downloads(hand: Hand) -> None:
    page = hand.page
    hand.bring("plate.dxf", dxf(plate))
    hand.stage(BUILD)
    hand.key("1", writes="profile")
    hand.key("a")
    hand.type("5")
    hand.enter("5 mm")
    hand.stage(HAND_OVER)
    hand.key("d")
    focused = page.evaluate("document.activeElement?.closest('[data-downloads]') !== null")
    assert focused, page.evaluate("document.activeElement?.outerHTML")
    hand.key("1", writes="Draw the part on")
    add = page.get_by_role("button", name="add a dimension")
    add.click()
    expect(add).to_have_attribute("aria-pressed", "true")
    hand.key("Escape")
    expect(add).to_have_attribute("aria-pressed", "false")
    expect(page.get_by_label("Writing line")).to_contain_text("Draw the part on")


def test_a_zip_on_an_open_part_brings_in_all_its_drawings(hand: Hand) -> None:
    hand.bring("plate.dxf", dxf(plate))
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("from the supplier/strip.dxf", dxf(strip))
        archive.writestr("from the supplier/washer.dxf", dxf(washer))
    hand.stage(BRING_IN)
    hand.page.get_by_label("Another drawing file").set_input_files(
        {"name": "two.zip", "mimeType": "application/zip", "buffer": packed.getvalue()}
    )
    card = hand.page.get_by_label("Route card")
    expect(card).to_contain_text("strip.dxf", timeout=30_000)
    expect(card).to_contain_text("washer.dxf", timeout=30_000)


def test_one_pane_at_a_time_where_the_window_is_narrow(hand: Hand) -> None:
    page = hand.page
    hand.bring("plate.dxf", dxf(plate))
    hand.stage(BUILD)
    page.set_viewport_size({"width": 640, "height": 400})
    sheet, part, card = (
        page.locator(s) for s in ("[data-pane=sheet]", "[data-pane=part]", "aside[aria-label='Route card']")
    )
    panes = page.get_by_role("radiogroup", name="Pane")
    for name, shown in (("Sheet", sheet), ("Part", part), ("Route card", card)):
        panes.get_by_role("radio", name=name, exact=True).click()
        expect(shown).to_be_visible()
        box = shown.bounding_box()
        assert box and box["width"] > 600
        for other in (sheet, part, card):
            if other is not shown:
                expect(other).to_be_hidden()
    page.set_viewport_size({"width": 1280, "height": 800})
    for pane in (sheet, part, card):
        expect(pane).to_be_visible()


def test_several_plain_drawings_come_into_an_open_part_at_once(hand: Hand) -> None:
    hand.bring("plate.dxf", dxf(plate))
    hand.stage(BRING_IN)
    hand.page.get_by_label("Another drawing file").set_input_files(
        [
            {"name": name, "mimeType": "image/vnd.dxf", "buffer": dxf(draw)}
            for name, draw in (("strip.dxf", strip), ("washer.dxf", washer))
        ]
    )
    card = hand.page.get_by_label("Route card")
    expect(card).to_contain_text("strip.dxf", timeout=30_000)
    expect(card).to_contain_text("washer.dxf", timeout=30_000)
    expect(card).to_contain_text("plate.dxf")


def test_close_leads_into_the_library(hand: Hand) -> None:
    page = hand.page
    hand.bring("washer.dxf", dxf(washer))
    hand.stage(CLOSE)
    page.get_by_role("button", name="Keep in the library").click()
    keep = page.get_by_role("form", name="Keep in the library")
    expect(keep).to_be_visible()
    expect(keep.get_by_label("Number", exact=True)).to_be_in_viewport()
    page.get_by_role("button", name=re.compile("Find an action")).click()
    page.keyboard.type("library")
    expect(page.get_by_role("option", name="Keep a profile in the library")).to_be_visible()


def test_the_first_steps_cover_nothing(page: Page, site: Site) -> None:
    page.evaluate("localStorage.setItem('first steps', '0')")
    page.goto(site.url)
    open_from_shelf(page, "Clamp bracket")
    ready(page)
    steps = page.get_by_label("First steps").bounding_box()
    assert steps
    for what in (page.locator("[data-pane=sheet]"), page.get_by_label("Route card")):
        box = what.bounding_box()
        assert box and box["y"] + box["height"] <= steps["y"] + 0.5
    assert steps["y"] + steps["height"] <= 800.5
