"""Arrange and check, in the browser: views found and lined up, a part built from them, and what the part does not explain."""

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
    stage(page, "Build")
    page.get_by_role("button", name="From the views").click()
    expect(page.get_by_label("Figures of the part")).to_be_visible(timeout=15_000)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("Build the part from its views", timeout=15_000)
    ready(page)


def test_views_are_found_and_a_part_is_built_from_them(page: Page) -> None:
    bring_in(page, DEMO / "sensor-bracket.dxf")
    views_then_part(page)
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(re.compile(r"3\s*views agree"))
    stage(page, "Check")
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(re.compile(r"100 %\s*explained"), timeout=15_000)
    panel = page.get_by_role("group", name="Views")
    expect(panel).to_contain_text("third angle")
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
    expect(page.get_by_role("navigation", name="Stages")).to_contain_text(re.compile(r"92\.1 %\s*explained"))
    lit = page.locator("[aria-label=Sheet] svg path[stroke='var(--ochre)']")
    assert lit.evaluate("p => p.getTotalLength()") > 20
