"""Tidy and close, in the browser: the list of findings, the chart, one press that mends, one that draws what is
missing, figures to take away."""

from __future__ import annotations

import csv
from pathlib import Path

import ezdxf
import pytest
from playwright.sync_api import Page, expect
from test_the_whole_way import bring_in, on_sheet, ready

DEMO = Path(__file__).resolve().parents[1] / "demo" / "files"


@pytest.fixture
def gaping(tmp_path: Path) -> Path:
    """A plate of 100 x 50: a gap of 0.05 at one corner, one side drawn twice, one side missing altogether."""
    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    space.add_line((0, 0), (99.95, 0))
    space.add_line((100, 0), (100, 50))
    space.add_line((100, 50), (0, 50))
    space.add_line((80, 50), (20, 50))
    space.add_circle((30, 25), 10)
    document.saveas(tmp_path / "gaping.dxf")
    return tmp_path / "gaping.dxf"


def test_what_is_certain_is_mended_in_one_press_and_the_missing_side_is_drawn(page: Page, gaping: Path) -> None:
    bring_in(page, gaping)
    page.get_by_role("button", name="Tidy").click()
    findings = page.get_by_label("Findings", exact=True)
    expect(findings).to_contain_text("4 found")
    expect(findings).to_contain_text("2 are certain")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("n")
    expect(findings.get_by_role("listitem").first).to_have_class(
        "dash-t flex items-center gap-3 py-1.5 text-[13.5px] bg-blush"
    )
    findings.get_by_role("slider", name="Joining distance").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Writing line")).to_contain_text("Mend")
    page.keyboard.press("Escape")
    findings.get_by_role("button", name="Mend the 2 certain").click()
    expect(findings).to_contain_text("2 of 4 left after this", timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text(
        "Mend everything that is certain within the distance proposed"
    )
    ready(page)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("f")
    page.get_by_role("button", name="Draw").click()
    expect(page.get_by_label("Writing line")).to_contain_text("Press 2 more points", timeout=15_000)
    for y in (0, 50):
        page.mouse.click(*on_sheet(page, 0, y))
        page.wait_for_timeout(400)
    expect(page.get_by_label("Writing line")).to_contain_text("end at x 0, y 50", timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(findings).to_contain_text("Nothing is wrong with this linework", timeout=15_000)
    page.get_by_role("button", name="Close").first.click()
    profiles = page.get_by_label("Profiles", exact=True)
    expect(profiles).to_contain_text("1 profile")
    profiles.get_by_role("row").nth(1).click()
    expect(profiles).to_contain_text("Second moment Ix")
    with page.expect_download() as download:
        profiles.get_by_role("button", name="Download the figures as CSV").click()
    (row,) = csv.DictReader(Path(download.value.path()).read_text().splitlines())
    assert float(row["Area (mm²)"]) == pytest.approx(5000 - 314.159265, rel=1e-6)
    page.reload()
    ready(page)
    expect(page.get_by_label("Route card")).to_contain_text("Draw a line")


def test_a_single_finding_is_mended_from_the_list(page: Page) -> None:
    bring_in(page, DEMO / "clamp-bracket.dxf")
    page.get_by_role("button", name="Tidy").click()
    findings = page.get_by_label("Findings", exact=True)
    row = findings.get_by_role("listitem").filter(has_text="0.12 mm")
    row.get_by_role("button", name="Pull together").click()
    expect(page.get_by_label("Writing line")).to_contain_text("1 finding", timeout=15_000)
    expect(findings).to_contain_text("left after this", timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Mend single findings: 1 finding")


def test_a_section_drawn_as_one_line_gets_its_thickness(page: Page) -> None:
    bring_in(page, DEMO / "cable-tray.dxf")
    page.get_by_role("button", name="Close").first.click()
    expect(page.get_by_label("Profiles", exact=True)).to_contain_text("Nothing closes yet")
    page.get_by_role("button", name="Thicken").click()
    page.get_by_label("thickness", exact=True).fill("1.2 mm")
    expect(page.get_by_label("Profiles", exact=True)).to_contain_text("288", timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Give every open line a thickness of 1.2 mm")


@pytest.fixture
def a_hair_off(tmp_path: Path) -> Path:
    """A plate of 100 x 50 with a side 0.3 off level, a diamond that touches its left side, and two circles that differ
    by 0.004."""
    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    for chain in ([(0, 0), (100, 0.3), (100, 50), (0, 50)], [(0, 25), (10, 20), (20, 25), (10, 30)]):
        for a, b in zip(chain, [*chain[1:], chain[0]], strict=True):
            space.add_line(a, b)
    space.add_circle((50, 25), 5)
    space.add_circle((75, 25), 5.004)
    document.saveas(tmp_path / "a-hair-off.dxf")
    return tmp_path / "a-hair-off.dxf"


def test_each_finding_has_a_remedy_that_writes_its_sentence(page: Page, a_hair_off: Path) -> None:
    """Parted, levelled and made equal from the list, recorded by Enter each time; nothing is left to find."""
    bring_in(page, a_hair_off)
    page.get_by_role("button", name="Tidy").click()
    findings = page.get_by_label("Findings", exact=True)
    writing, card = page.get_by_label("Writing line"), page.get_by_label("Route card")

    def remedied(tab: int, press: str, writes: str, records: str) -> None:
        findings.get_by_role("tab").nth(tab).click()
        findings.get_by_role("button", name=press, exact=True).first.click()
        expect(writing).to_contain_text(writes, timeout=15_000)
        page.keyboard.press("Enter")
        expect(card).to_contain_text(records, timeout=15_000)
        ready(page)

    remedied(0, "Separate", "1 place", "Separate profiles where they touch in a point, 1 place, by a gap 0.4 mm wide")
    remedied(1, "Straighten", "True up", "True up 1 curve, each level or upright")
    remedied(1, "Make equal", "of one radius", "True up 2 curves, each of one radius the middle one of theirs")
    expect(findings).to_contain_text("Nothing is wrong with this linework")
    expect(findings.get_by_role("button", name="Make equal")).to_have_count(0, timeout=15_000)


def test_a_value_that_can_t_be_read_leaves_the_sentence_to_be_put_right(page: Page, a_hair_off: Path) -> None:
    bring_in(page, a_hair_off)
    page.get_by_role("button", name="Close").first.click()
    page.get_by_role("button", name="Separate 5").click()
    writing = page.get_by_label("Writing line")
    width = writing.get_by_role("textbox", name="width")
    width.fill("3x")
    expect(writing.get_by_role("alert")).to_contain_text("“x” in “3x” is not a unit known here", timeout=15_000)
    width.fill("0.5 mm")
    expect(writing.get_by_role("alert")).to_have_count(0, timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("by a gap 0.5 mm wide", timeout=15_000)
