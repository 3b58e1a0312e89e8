"""Sides that lean, edges that are pressed, bodies in their list, art taken in the hand, sections and paths: by mouse,
and what of it is on record."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect
from running_site import Client, Site
from test_everyday_jobs import Hand, dxf
from test_firm_ground import press as press_sheet
from test_firm_ground import ready

FILES = Path(__file__).resolve().parents[1] / "demo" / "files"
Open = Callable[[str, bytes], tuple[Client, dict[str, Any]]]


@pytest.fixture
def hand(page: Page, site: Site) -> Hand:
    return Hand(page, site)


@pytest.fixture
def opened(page: Page, site: Site) -> Open:
    """A file brought in and open in Build."""

    def go(name: str, data: bytes) -> tuple[Client, dict[str, Any]]:
        client = site.client()
        part = client.upload(name, data).json()
        client.run(part["id"])
        page.goto(f"{site.url}/parts/{part['id']}")
        ready(page)
        page.get_by_label("Stages").get_by_role("button").nth(4).click()
        return client, part

    return go


def plate(space: Any) -> None:
    space.add_lwpolyline([(0, 0), (60, 0), (60, 40), (0, 40)], close=True)


def two_plates(space: Any) -> None:
    for x in (0, 30):
        space.add_lwpolyline([(x, 0), (x + 30, 0), (x + 30, 40), (x, 40)], close=True)


def handle(space: Any) -> None:
    space.add_circle((-30, 10), 5)
    space.add_lwpolyline([(0, 0), (0, 40), (60, 40), (60, 0)])


def line(page: Page) -> Any:
    return page.get_by_label("Writing line")


def choose(page: Page, label: str, words: str) -> None:
    """Another of the choices of a value in the writing line."""
    line(page).get_by_role("button", name=re.compile(f"^{label}: ")).click()
    page.get_by_role("menuitem", name=words, exact=True).click()


def raised(hand: Hand, draw: Callable[[Any], None], *, picks: int = 0) -> None:
    hand.bring("plate.dxf", dxf(draw))
    hand.stage(4)
    hand.key("1", writes="Extrude")
    for n in range(picks):
        if n:
            hand.page.keyboard.down("Shift")
        press_sheet(hand.page, 15 + 30 * n, 20)
        hand.page.keyboard.up("Shift")
    hand.type("10")


def on_part(page: Page, x: float, y: float) -> tuple[float, float]:
    """A place of the part's pane, in shares of its size."""
    box = page.locator("[data-pane=part] canvas").bounding_box()
    assert box
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def figures(page: Page) -> str:
    return str(page.get_by_label("Figures of the part").inner_text())


def test_sides_lean_as_the_sentence_says_and_close_up_at_a_height(hand: Hand) -> None:
    raised(hand, plate)
    choose(hand.page, "sides", "its sides leaning in")
    t = math.tan(math.radians(3))
    hand.volume((2400 * 10 - 200 * t * 50 + 4 * t * t * 1000 / 3) / 1000)
    hand.page.get_by_label("lean", exact=True).fill("70")
    hand.page.keyboard.press("Tab")
    expect(hand.page.get_by_role("alert")).to_contain_text("closes up 7.279 mm from where it starts")
    choose(hand.page, "sides", "to a point over its centroid")
    hand.volume(8)
    hand.enter("to a point over its centroid")


def test_edges_are_pressed_given_up_and_rounded(hand: Hand, site: Site) -> None:
    raised(hand, plate)
    hand.enter("10 mm")
    hand.page.get_by_role("button", name="Look from the front").click()
    hand.page.get_by_role("button", name=re.compile("^Round")).click()
    expect(line(hand.page)).to_contain_text("press them on the part")
    x, y = _upper_edge(hand.page)
    hand.page.mouse.click(x, y)
    expect(line(hand.page)).to_contain_text("1 edge")
    hand.volume((24000 - (1 - math.pi / 4) * 60) / 1000)
    hand.page.get_by_label("size", exact=True).fill("20")
    hand.page.keyboard.press("Tab")
    expect(hand.page.get_by_role("alert")).to_contain_text("there is no room for it")
    choose(hand.page, "which", "all upright edges")
    hand.page.get_by_label("size", exact=True).fill("5")
    hand.page.keyboard.press("Enter")
    expect(hand.page.get_by_label("Route card")).to_contain_text("Round all upright edges by 5 mm", timeout=20_000)
    hand.volume((24000 - 4 * (1 - math.pi / 4) * 25 * 10) / 1000)


def _upper_edge(page: Page) -> tuple[float, float]:
    """The middle of the edge that is highest, found by moving the pointer down until it is told."""
    x, top = on_part(page, 0.5, 0.1)
    for y in range(int(top), int(top) + 500, 2):
        page.mouse.move(x, y)
        if page.get_by_text("Straight edge, length 60 mm").count():
            return x, float(y)
    raise AssertionError("no edge is told")


def test_bodies_are_listed_hidden_and_made_one(hand: Hand) -> None:
    raised(hand, two_plates, picks=2)
    bodies = hand.page.get_by_label("Bodies", exact=True)
    expect(bodies).to_contain_text("2 bodies", timeout=20_000)
    hand.enter("each as a new body")
    expect(bodies).to_contain_text("Body 1, Body 2 touch near 30 / ")
    hand.page.get_by_role("button", name="Hide Body 1").click()
    expect(hand.page.get_by_role("button", name="Show Body 1")).to_be_visible()
    hand.page.get_by_role("button", name="Show Body 1").click()
    bodies.get_by_role("button", name="Body 2", exact=True).dblclick()
    box = hand.page.get_by_label("name", exact=True)
    box.fill("Lid")
    hand.enter("“Lid”")
    expect(bodies).to_contain_text("Lid")
    hand.page.get_by_role("button", name="Make one body of all").click()
    hand.enter("Join")
    expect(bodies).to_have_count(0)
    hand.volume(24)


def test_art_is_taken_in_the_hand_and_writes_the_values(hand: Hand) -> None:
    raised(hand, plate)
    hand.enter("10 mm")
    hand.page.get_by_role("button", name="Look from the top").click()
    hand.settled()
    hand.add("heron-badge.svg", (FILES / "heron-badge.svg").read_bytes(), at=on_part(hand.page, 0.5, 0.5))
    hand.page.get_by_role("button", name="Make it 32 mm wide, in the middle").click()
    grip = hand.page.locator("[data-grip=move]")
    expect(hand.page.get_by_label("width", exact=True)).to_have_value("32 mm", timeout=20_000)
    hand.settled()
    before = grip.bounding_box()
    assert before
    x, y = before["x"] + before["width"] / 2, before["y"] + before["height"] / 2
    hand.page.mouse.move(x, y)
    hand.page.mouse.down()
    hand.page.mouse.move(x + 30, y, steps=5)
    expect(hand.page.get_by_label("Art on the face")).to_contain_text("32 mm wide")
    hand.page.mouse.up()
    moved = hand.page.get_by_label("x", exact=True)
    expect(moved).not_to_have_value("0 mm")
    shift = float(moved.input_value().removesuffix(" mm"))
    assert shift == pytest.approx(30 * 32 / before["width"], rel=0.03)
    hand.settled()
    corner = hand.page.locator("[data-grip=scale]").first.bounding_box()
    assert corner
    hand.page.mouse.move(corner["x"] + 6, corner["y"] + 6)
    hand.page.mouse.down()
    hand.page.mouse.move(corner["x"] + 26, corner["y"] - 14, steps=5)
    hand.page.mouse.up()
    width = hand.page.get_by_label("width", exact=True)
    expect(width).not_to_have_value("32 mm")
    assert 10 < float(width.input_value().removesuffix(" mm")) < 32
    hand.settled()
    handle_ = hand.page.locator("[data-grip=turn]").bounding_box()
    assert handle_
    hand.page.mouse.move(handle_["x"] + 7, handle_["y"] + 7)
    hand.page.mouse.down()
    hand.page.mouse.move(handle_["x"] + 60, handle_["y"] + 40, steps=5)
    hand.page.mouse.up()
    expect(hand.page.get_by_label("turned", exact=True)).not_to_have_value("0")
    hand.enter("Engrave heron-badge.svg")


def test_a_section_along_a_path_and_a_fin(hand: Hand) -> None:
    hand.bring("handle.dxf", dxf(handle))
    hand.stage(4)
    hand.press(re.compile("^Sweep"))
    hand.pick(-30, 10)
    hand.volume(math.pi * 25 * 140 / 1000)
    choose(hand.page, "corners", "corners rounded by")
    hand.volume(math.pi * 25 * (140 - 40 + math.pi * 10) / 1000)
    hand.page.get_by_label("radius", exact=True).fill("4")
    hand.page.keyboard.press("Tab")
    expect(hand.page.get_by_role("alert")).to_contain_text("bends with a radius of 4 mm")
    hand.page.get_by_label("radius", exact=True).fill("12")
    hand.enter("corners rounded by 12 mm")
    hand.bring("keel-fin.dat", (FILES / "keel-fin.dat").read_bytes())
    hand.stage(0)
    hand.page.get_by_role("textbox", name="Chord").fill("180")
    hand.page.keyboard.press("Enter")
    hand.settled()
    hand.stage(4)
    hand.press(re.compile("^Loft"))
    choose(hand.page, "to", "from a chord")
    hand.page.get_by_label("chord", exact=True).fill("110")
    hand.page.get_by_label("apart", exact=True).fill("300")
    hand.page.get_by_label("turned", exact=True).fill("-2")
    hand.page.keyboard.press("Tab")
    hand.volume(347.155, off=1e-4)
    hand.enter("turned -2°")


def test_actions_fit_a_small_window_and_wait_for_what_they_work_on(page: Page, opened: Open) -> None:
    page.set_viewport_size({"width": 1024, "height": 700})
    opened("small.dxf", dxf(plate))
    bar = page.get_by_role("toolbar", name="Actions of this stage")
    for name in ("Round", "Combine", "Divide", "Place", "Engrave", "From the views"):
        expect(bar.get_by_role("button", name=re.compile(f"^{name}"))).to_have_count(0)
    page.keyboard.press("1")
    page.keyboard.type("10")
    page.keyboard.press("Enter")
    expect(bar.get_by_role("button", name=re.compile("^Round"))).to_be_visible(timeout=20_000)
    expect(page.get_by_label("Route card")).to_contain_text("Extrude 1 profile by 10 mm")
    assert bar.evaluate("e => e.scrollWidth - e.clientWidth") <= 1, "all actions of a part with one body are in sight"
    assert "24 cm³" in figures(page)
