"""Arrange and check, in the browser: views found and lined up, a part built from them, and what the part does not
explain."""

from __future__ import annotations

import re
from pathlib import Path

import ezdxf
import pytest
from playwright.sync_api import Page, expect
from test_the_whole_way import bring_in, ready

DEMO = Path(__file__).resolve().parents[1] / "demo" / "files"


def stage(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Stages").get_by_role("button", name=name).click()
    page.evaluate("document.activeElement.blur()")


def views_then_part(page: Page) -> None:
    """By keys alone: find the views, record; build from them, record."""
    stage(page, "Arrange")
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_contain_text("front, top, right", timeout=15_000)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("Find the views", timeout=15_000)
    ready(page)
    expect(page.get_by_role("group", name="Views")).to_contain_text("third angle")
    expect(page.get_by_role("button", name="It is first angle")).to_be_visible()
    stage(page, "Build")
    page.get_by_role("button", name="From the views").click()
    expect(page.get_by_label("Figures of the part")).to_be_visible(timeout=15_000)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text(
        "Extrude the outline of the front view through the part", timeout=15_000
    )
    ready(page)


def test_views_are_found_and_a_part_is_built_from_them(page: Page) -> None:
    bring_in(page, DEMO / "sensor-bracket.dxf")
    views_then_part(page)
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(re.compile(r"3\s*views agree"))
    stage(page, "Check")
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(
        re.compile(r"100 %\s*explained"), timeout=15_000
    )
    panel = page.get_by_role("group", name="Views")
    panel.get_by_role("button", name="right").click()
    expect(page.get_by_role("button", name="Look from the right", exact=True)).to_have_attribute("aria-pressed", "true")


@pytest.fixture
def odd_line(tmp_path: Path) -> Path:
    """A block of 60 x 40 x 30 in three views; in the side view a line of 12 that nothing of the block answers."""
    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    for x, y, w, h in ((0, 0, 60, 30), (0, 60, 60, 40), (100, 0, 40, 30)):
        space.add_lwpolyline([(x, y), (x + w, y), (x + w, y + h), (x, y + h)], close=True)
    space.add_line((114, 15), (126, 15))
    document.saveas(tmp_path / "odd-line.dxf")
    return tmp_path / "odd-line.dxf"


def test_a_line_that_the_part_does_not_explain_is_said_in_mm(page: Page, odd_line: Path) -> None:
    bring_in(page, odd_line)
    views_then_part(page)
    stage(page, "Check")
    panel = page.get_by_role("group", name="Views")
    expect(panel).to_contain_text("12 mm drawn that the part has no edge for", timeout=15_000)
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(re.compile(r"1\s*place differs"))
    lit = page.locator("[aria-label=Sheet] svg path[stroke='var(--ochre)']")
    assert lit.evaluate("p => p.getTotalLength()") > 20


def block_sheet(path: Path, *, top_scale: float = 1.0) -> Path:
    """A stepped block in front and top view, 60 x 40 x 30, a blind hole of 8 dashed in the front view; the top view
    perhaps in another scale."""
    document = ezdxf.new("R2010", units=4)
    document.linetypes.add("DASHED", pattern=[0.75, 0.5, -0.25])
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (60, 0), (60, 20), (35, 20), (35, 30), (0, 30)], close=True)
    for a, b in (((9, 22), (9, 30)), ((21, 22), (21, 30)), ((9, 22), (21, 22))):
        space.add_line(a, b, dxfattribs={"linetype": "DASHED"})
    k = top_scale
    space.add_lwpolyline([(0, 60), (60 * k, 60), (60 * k, 60 + 40 * k), (0, 60 + 40 * k)], close=True)
    space.add_line((35 * k, 60), (35 * k, 60 + 40 * k))
    space.add_circle((15 * k, 60 + 20 * k), 6 * k)
    if k != 1.0:
        space.add_lwpolyline([(100, 0), (140, 0), (140, 30), (100, 30)], close=True)
        space.add_line((100, 20), (140, 20))
    document.saveas(path)
    return path


def at(page: Page, x: float, y: float, wide: float, high: float) -> tuple[float, float]:
    """Where a place of the sheet (mm) lies on the page, with the whole sheet of that size fitted from its lower left
    corner."""
    box = page.locator("[data-pane=sheet] canvas").bounding_box()
    assert box
    scale = 0.86 * min(box["width"] / wide, (box["height"] - 50) / high)
    return box["x"] + box["width"] / 2 + (x - wide / 2) * scale, box["y"] + box["height"] / 2 - (y - high / 2) * scale


def find_views(page: Page) -> None:
    stage(page, "Arrange")
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_contain_text("front", timeout=15_000)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("Find the views", timeout=15_000)
    ready(page)


def test_depths_come_from_the_other_view_by_one_press_each(page: Page, tmp_path: Path) -> None:
    bring_in(page, block_sheet(tmp_path / "block.dxf"))
    find_views(page)
    stage(page, "Build")
    proposed = page.get_by_role("group", name="Depths proposed")
    for place, words in (
        ((30, 10), "Raise it 40 mm: all that the top view shows"),
        ((15, 80), "Cut it 8 mm deep: dashed in the front view"),
    ):
        page.mouse.click(*at(page, *place, 60, 100))
        expect(proposed.get_by_role("button").first).to_contain_text(words, timeout=15_000)
        proposed.get_by_role("button").first.click()
        expect(page.get_by_label("Writing line")).to_contain_text("cm³", timeout=15_000)
        page.keyboard.press("Enter")
        ready(page)
        page.evaluate("document.activeElement.blur()")
    expect(page.get_by_label("Route card")).to_contain_text("as far as what you press")
    expect(page.get_by_label("Figures of the part")).to_contain_text("61.095 cm³", timeout=15_000)  # 62 less 36 pi x 8


def test_an_end_is_a_point_pressed_in_another_view(page: Page, tmp_path: Path) -> None:
    bring_in(page, block_sheet(tmp_path / "block.dxf"))
    find_views(page)
    stage(page, "Build")
    page.mouse.click(*at(page, 30, 10, 60, 100))
    page.keyboard.press("1")
    page.get_by_role("button", name="extent: to one side").click()
    page.get_by_role("menuitem", name="as far as what you press").click()
    expect(page.get_by_label("Writing line")).to_contain_text("press a point of another view", timeout=15_000)
    expect(page.get_by_label("Writing line")).to_contain_text("Press how far it goes", timeout=15_000)
    page.mouse.move(*at(page, 0, 100, 60, 100))
    page.mouse.click(*at(page, 0, 100, 60, 100))
    expect(page.get_by_label("Writing line")).to_contain_text("end at x 0, y 100", timeout=15_000)
    expect(page.get_by_label("Figures of the part")).to_contain_text("62 cm³", timeout=15_000)


def test_a_view_in_another_scale_is_offered_and_names_are_changed_by_a_press(page: Page, tmp_path: Path) -> None:
    bring_in(page, block_sheet(tmp_path / "scaled.dxf", top_scale=2.0))
    find_views(page)
    panel = page.get_by_role("group", name="Views")
    expect(panel).to_contain_text("The top view is drawn 2 : 1 against the others")
    panel.get_by_role("button", name="Bring it to their scale").click()
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(
        re.compile(r"3\s*views agree"), timeout=15_000
    )
    panel.get_by_role("button", name="What to do with the right view").click()
    page.get_by_role("menuitem", name="It is the left view").click()
    expect(page.get_by_label("Writing line")).to_contain_text("Call", timeout=15_000)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("Call the right view the left", timeout=15_000)
    expect(panel.get_by_title("Look straight on at the left view")).to_be_visible(timeout=15_000)


def test_a_view_is_folded_by_pressing_its_group(page: Page, tmp_path: Path) -> None:
    bring_in(page, block_sheet(tmp_path / "block.dxf"))
    stage(page, "Arrange")
    page.mouse.move(*at(page, 30, 60, 60, 100))
    page.mouse.click(*at(page, 30, 60, 60, 100))
    page.mouse.move(*at(page, 70, 110, 60, 100))
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("6 curves picked", timeout=15_000)
    page.keyboard.press("2")
    page.get_by_role("button", name="view: front view").click()
    page.get_by_role("menuitem", name="top view").click()
    expect(page.get_by_label("Writing line")).to_contain_text("6 curves", timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Fold 6 curves up as the top view", timeout=15_000)
