"""Every page and stage as a screen reader has it: names, roles, contrast (axe, WCAG 2.1 A and AA)."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page, expect
from running_site import BASE, Site
from test_firm_ground import ready

AXE = (BASE / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
RULES = (
    "{runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'],"
    " rules: {'label-content-name-mismatch': {enabled: false}}}"  # keys that stand beside words are no names
)


def faults(page: Page) -> list[str]:
    """What axe finds, each with where."""
    page.evaluate(AXE)
    found: dict[str, Any] = page.evaluate(f"axe.run(document, {RULES})")
    return [
        f"{v['id']}: {v['help']}: {n['target']} {n['html'][:120]}" for v in found["violations"] for n in v["nodes"][:3]
    ]


@pytest.mark.parametrize("path", ["/", "/library", "/account", "/help"])
def test_pages(page: Page, site: Site, path: str) -> None:
    page.goto(site.url + path)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(500)
    assert faults(page) == []


def test_signing_in(page: Page, site: Site) -> None:
    page.context.clear_cookies()
    page.goto(site.url)
    page.get_by_role("button", name="Sign in").wait_for()
    assert faults(page) == []


def test_every_stage_of_the_table(page: Page, site: Site) -> None:
    client = site.client()
    part = min(p["id"] for p in client.call("GET", "/api/parts") if p["name"] == "Clamp bracket")
    page.goto(f"{site.url}/parts/{part}")
    ready(page)
    told = {}
    for stage in ("Bring in", "Tidy", "Close", "Arrange", "Build", "Check", "Hand over"):
        page.get_by_label("Stages").get_by_role("button", name=stage).click()
        page.wait_for_timeout(800)
        told[stage] = faults(page)
    assert {k: v for k, v in told.items() if v} == {}
    page.get_by_label("Stages").get_by_role("button", name="Build").click()
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_be_visible()
    assert faults(page) == []
    sheet = page.get_by_label("Summary of the sheet")
    expect(sheet).to_contain_text("3 views")
    expect(page.get_by_label("Summary of the part")).to_contain_text("1 body")
