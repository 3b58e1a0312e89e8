"""Handing over in the browser: the drawing sheet, the print check, everything in one, a solid that came in, and the
check with its places."""

from __future__ import annotations

import math
import zipfile
from pathlib import Path

import ezdxf
import pytest
from figures import Figure
from playwright.sync_api import Page, expect
from running_site import Site
from tectogon.solids import exchange
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from test_everyday_jobs import Hand


def solid(hole: float = 5.0) -> bytes:
    regions = Figure().rectangle(0, 0, 60, 40).circle(20, 15, hole).regions()
    body = Body.of("1:a", "Plate", prism(regions, regions.profiles[0], frame_of("top"), 0, 10, 1))
    return exchange.step_bytes([body], "Plate")


@pytest.fixture
def hand(page: Page, site: Site) -> Hand:
    return Hand(page, site)


def test_a_solid_from_elsewhere_is_drawn_checked_and_handed_on(hand: Hand, tmp_path: Path) -> None:
    page = hand.page
    hand.bring("plate.step", solid())
    hand.volume((60 * 40 - 25 * math.pi) * 10 / 1000)
    expect(page.get_by_label("Route card")).to_contain_text("Bring in plate.step as it is")
    page.get_by_role("button", name="Hand over").click()
    hand.key("1", writes="Draw the part on")
    sheet = page.get_by_label("Drawing sheet", exact=True)
    expect(sheet.get_by_role("img").first).to_have_attribute(
        "aria-label", "Drawing sheet A4 with 6 dimensions", timeout=30_000
    )
    expect(sheet).to_contain_text("nothing of the part is undimensioned")
    hand.enter("Draw the part")
    with page.expect_download() as taken:
        page.get_by_role("button", name="as DXF, R2010").click()
    taken.value.save_as(tmp_path / "sheet.dxf")
    found = ezdxf.readfile(tmp_path / "sheet.dxf").modelspace().query("DIMENSION")
    assert sorted(d.get_measurement() for d in found) == pytest.approx([10, 10, 15, 20, 40, 60])
    page.get_by_label("walls under").fill("11")
    page.get_by_role("button", name="Check for printing").click()
    told = page.get_by_role("list", name="What was found")
    expect(told).to_contain_text("thin", timeout=30_000)
    told.get_by_role("button").first.click()
    expect(page.locator("[data-pointed]")).to_have_count(1)
    page.get_by_label("bed").fill("50 x 50 x 50")
    page.get_by_label("bed").press("Enter")
    expect(told).to_contain_text("10 mm too long in x for the bed", timeout=30_000)
    page.get_by_label("bed").fill("50")
    page.get_by_label("bed").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("a bed three of them")
    with page.expect_download() as taken:
        page.get_by_role("button", name="Take everything in one").click()
    taken.value.save_as(tmp_path / "all.zip")
    names = [Path(n).suffix for n in zipfile.ZipFile(tmp_path / "all.zip").namelist()]
    assert sorted(names) == [".dxf", ".json", ".pdf", ".step"]


def test_a_file_that_is_cut_off_is_a_sentence(hand: Hand) -> None:
    hand.bring("plate.step", solid()[:3000])
    expect(hand.page.get_by_text("is cut off: its last line")).to_be_visible(timeout=30_000)


def test_a_dimension_is_pressed_on_the_part_and_stays_on_the_card(hand: Hand) -> None:
    page = hand.page
    hand.bring("plate.step", solid())
    hand.volume((60 * 40 - 25 * math.pi) * 10 / 1000)
    page.get_by_role("button", name="Look from the top", exact=True).click()
    page.get_by_label("Stages").get_by_role("button").nth(5).click()
    hand.key("1", writes="Dimension")
    box = page.locator("[data-pane=part] canvas").bounding_box()
    assert box
    told = page.get_by_text("Round edge, radius 5 mm").first
    x, y = box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.5
    spots = [(x + 6 * i, y + 6 * j) for j in range(-20, 21) for i in range(-30, 31)]
    for spot in sorted(spots, key=lambda s: abs(s[0] - x) + abs(s[1] - y)):
        page.mouse.move(*spot)
        if told.count():
            page.mouse.down()
            page.mouse.up()
            break
    expect(page.get_by_label("Writing line")).to_contain_text("⌀10", timeout=20_000)
    expect(page.get_by_role("group", name="Dimensions")).to_contain_text("⌀10 mm")
    hand.enter("one thing")
    page.reload()
    expect(page.get_by_role("group", name="Dimensions")).to_contain_text("⌀10 mm", timeout=30_000)
