"""Handing over in the browser: the drawing sheet, the print check, everything in one, a solid that came in, and the
check with its places."""

from __future__ import annotations

import math
import re
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
    expect(page.get_by_role("alert")).to_contain_text("A bed has three sizes")
    with page.expect_download() as taken:
        page.get_by_role("button", name="Download everything in one").click()
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
    expect(page.get_by_role("group", name="Dimensions", exact=True)).to_contain_text("⌀10 mm")
    hand.enter("one thing")
    page.reload()
    expect(page.get_by_role("group", name="Dimensions", exact=True)).to_contain_text("⌀10 mm", timeout=30_000)
    page.get_by_label("Stages").get_by_role("button").nth(5).click()
    listed = page.get_by_role("group", name="Dimensions on the part")
    listed.get_by_title("Show it on the part").click()
    expect(page.locator("[data-pointed]")).to_have_count(1)
    listed.get_by_role("button", name="delete").click()
    expect(listed).to_have_count(0, timeout=20_000)


def test_the_sheet_is_arranged_by_hand(hand: Hand, tmp_path: Path) -> None:
    page = hand.page
    hand.bring("plate.step", solid())
    page.get_by_role("button", name="Hand over").click()
    hand.key("1", writes="Draw the part on")
    sheet = page.get_by_label("Drawing sheet", exact=True)
    hand.enter("Draw the part")

    def drawn(count: int) -> None:
        picture = sheet.get_by_role("img").first
        expect(picture).to_have_attribute("aria-label", re.compile(f"with {count} dimensions"), timeout=30_000)

    drawn(6)
    expect(sheet).to_contain_text("nothing of the part is undimensioned")
    size = sheet.get_by_role("button", name="Dimension 20 in the top view")
    before = size.bounding_box()
    assert before
    x, y = before["x"] + before["width"] / 2, before["y"] + before["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 8, y - 12, steps=4)
    page.mouse.up()
    expect(sheet).to_contain_text("1 set by hand", timeout=20_000)
    drawn(6)
    size.press("Delete")
    drawn(5)
    expect(sheet).to_contain_text("one thing is still undimensioned")
    sheet.get_by_role("button", name="all as they come").click()
    drawn(6)
    hole = sheet.get_by_role("button", name="Dimension ⌀10 in the top view")
    hole.press("Enter")
    sheet.get_by_role("button", name="as a radius").click()
    expect(sheet.get_by_role("button", name="Dimension R5 in the top view")).to_be_visible(timeout=20_000)
    sheet.get_by_role("button", name="section", exact=True).click()
    sheet.get_by_role("button", name="Cut at x 20.00 mm").press("Enter")
    expect(sheet).to_contain_text("section A–A at x 20 mm", timeout=20_000)
    sheet.get_by_role("button", name="section", exact=True).click()
    sheet.get_by_label("axis that the section").select_option("y")
    sheet.get_by_label("where the section cuts").fill("4 m")
    sheet.get_by_role("button", name="cut there").click()
    expect(sheet).to_contain_text("The section at y 4000 mm misses the part", timeout=20_000)
    sheet.get_by_role("button", name="datum corner").click()
    sheet.get_by_role("button", name="Lengths from the upper right corner of the top view").press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("from the far end in x and y", timeout=20_000)
    drawn(6)
    sheet.get_by_role("button", name="add a dimension").click()
    sheet.get_by_role("button", name="x 0.00 mm in the top view").press("Enter")
    sheet.get_by_role("button", name="x 20.00 mm in the top view").press("Enter")
    drawn(7)
    expect(sheet).to_contain_text("1 stated twice")
    with page.expect_download() as taken:
        page.get_by_role("button", name="as DXF, R2010").click()
    taken.value.save_as(tmp_path / "sheet.dxf")
    texts = [t.dxf.text for t in ezdxf.readfile(tmp_path / "sheet.dxf").modelspace().query("TEXT")]
    assert "A–A" in texts


def test_the_part_is_looked_into_and_weighed(hand: Hand) -> None:
    page = hand.page
    hand.bring("plate.step", solid())
    page.get_by_role("button", name="Look inside").click()
    inside = page.get_by_label("Look inside")
    inside.get_by_role("button", name="x", exact=True).click()
    inside.get_by_label("Where the plane cuts, typed").fill("20")
    expect(inside).to_contain_text("about 300 mm²")
    inside.get_by_label("Where the plane cuts along x").fill("400")
    expect(inside).not_to_contain_text("about 300 mm²")
    inside.get_by_role("button", name="mass, centroid and inertia").click()
    expect(inside).to_contain_text("at 1 g/cm³ where no material is known", timeout=20_000)
    expect(inside).to_contain_text("23.21 g")
    inside.get_by_role("button", name="close").click()
    expect(inside).to_have_count(0)


def test_picked_parts_go_out_as_one_file(hand: Hand, tmp_path: Path) -> None:
    page = hand.page
    for name in ("first-of-two.step", "second-of-two.step"):
        hand.bring(name, solid())
    page.goto(hand.site.url)
    page.get_by_label("Pick first-of-two").check()
    page.locator("[data-part]", has_text="").first.focus()
    page.keyboard.press("x")
    picked = page.get_by_role("group", name="Picked parts")
    expect(picked).to_contain_text("2 parts are picked")
    with page.expect_download(timeout=60_000) as taken:
        picked.get_by_role("button", name="Hand over").click()
    taken.value.save_as(tmp_path / "all.zip")
    folders = {n.partition("/")[0] for n in zipfile.ZipFile(tmp_path / "all.zip").namelist()}
    assert folders == {"first-of-two issue 1.1", "second-of-two issue 1.1"}
    picked.get_by_role("button", name="Pick none").click()
    expect(picked).to_have_count(0)


def test_a_bracket_is_made_sheet_and_its_blank_is_taken(hand: Hand, tmp_path: Path) -> None:
    page = hand.page
    bent = Figure().chain((0, 0), (40, 0), (40, 2), (2, 2), (2, 30), (0, 30)).regions()
    body = Body.of("1:b", "Angle", prism(bent, bent.profiles[0], frame_of("front"), 0.0, 25.0, 1))
    hand.bring("angle.step", exchange.step_bytes([body], "Angle"))
    hand.stage(4)
    hand.press("Sheet metal")
    expect(page.get_by_label("Writing line")).to_contain_text("Sheet metal, 2 mm")
    hand.enter("Sheet metal")
    page.get_by_role("button", name="Flat blank").click()
    blank = page.get_by_label("Flat blank", exact=True)
    expect(blank.get_by_role("img", name="Blank with 1 bends")).to_be_visible(timeout=30_000)
    expect(blank).to_contain_text("90° down R2")
    expect(blank).to_contain_text("0.325")
    for share in ("0", "50", "100"):
        blank.get_by_label("How far the blank is folded").fill(share)
    with page.expect_download() as taken:
        blank.get_by_role("button", name="Download DXF").click()
    taken.value.save_as(tmp_path / "blank.dxf")
    drawn = ezdxf.readfile(tmp_path / "blank.dxf").modelspace()
    assert sum(e.dxf.layer.startswith("BEND_") for e in drawn) == 1
    blank.get_by_role("button", name="close").click()
    expect(blank).to_have_count(0)
