"""The pages in German: chosen at the door or on the account page, all of it told, and the work goes as in English."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect
from running_site import Site, new_context
from test_everyday_jobs import FILES, Hand

ENGLISH = re.compile(r"\b(the|of|is|are|not|no|with|and|to|from|by|for|it|its|each|all|any|press)\b", re.IGNORECASE)
OF_BROWSERS = "like Gecko"


@pytest.fixture
def german(browser: Browser, site: Site) -> Iterator[Page]:
    """A page that was told at the door to speak German, and signed in."""
    context = new_context(browser)
    page = context.new_page()
    page.goto(site.url)
    page.get_by_role("button", name="Deutsch").click()
    page.get_by_label("Name").fill("ines")
    page.get_by_label("Passwort").fill("river-gauge")
    page.get_by_role("button", name="Anmelden").click()
    page.get_by_text("das Regal").wait_for()
    yield page
    context.close()


def untold(page: Page, site: Site) -> list[str]:
    """What is shown in English, but for names of parts and browsers."""
    names = [OF_BROWSERS, *(part["name"] for part in site.client().call("GET", "/api/parts?count=500"))]
    found: list[str] = page.evaluate("[...window.untold]")
    return [text for text in found if ENGLISH.search(text) and not any(name in text for name in names)]


def at_rest(page: Page) -> None:
    page.wait_for_timeout(300)
    expect(page.get_by_role("button", name="Halt")).to_have_count(0, timeout=60_000)
    expect(page.get_by_text("Bei uns ging etwas schief")).to_have_count(0)


def test_every_page_and_stage_is_told_in_german(german: Page, site: Site) -> None:
    seen: set[str] = set()
    for place in ("", "library", "help", "account"):
        german.goto(f"{site.url}/{place}")
        german.wait_for_timeout(1500)
        seen |= set(untold(german, site))
    for part in ("Clamp bracket", "Sensor bracket"):
        german.goto(site.url)
        german.get_by_label("Teile finden").fill(part)
        german.get_by_role("button", name=f"{part} öffnen", exact=True).last.click()
        german.wait_for_url("**/parts/*")
        for stage in german.get_by_label("Stufen").get_by_role("button").all():
            stage.click()
            at_rest(german)
            german.keyboard.press("/")
            german.keyboard.press("Escape")
            seen |= set(untold(german, site))
    assert not seen, "\n".join(sorted(seen))


def test_a_plate_is_built_in_german(german: Page, site: Site) -> None:
    hand = Hand(german, site)
    german.goto(site.url)
    data = (FILES / "heron-badge.svg").read_bytes()
    german.get_by_label("Zeichnungsdatei").set_input_files(
        {"name": "Top.svg", "mimeType": "application/octet-stream", "buffer": data}
    )
    german.wait_for_url("**/parts/*")
    german.get_by_label("Stufen").get_by_role("button").nth(4).click()
    at_rest(german)
    hand.key("a")
    german.keyboard.press("1")
    line = german.get_by_label("Schreibzeile")
    expect(line).to_contain_text("Extrudiere")
    expect(line).to_contain_text("um")
    german.keyboard.type("0")
    expect(line).to_contain_text("Die Länge muss größer als nichts sein", timeout=20_000)
    german.keyboard.press("Control+a")
    german.keyboard.type("2,5")
    german.wait_for_timeout(500)
    german.keyboard.press("Enter")
    card = german.get_by_label("Laufkarte")
    expect(card).to_contain_text("Extrudiere 3 Profile um 2.5 mm", timeout=30_000)
    assert not untold(german, site)
    # a name is nobody's to translate, not even one that is a word
    expect(german.get_by_role("banner").get_by_role("button", name="Top", exact=True)).to_be_visible()


def test_the_account_page_speaks_another_language(page: Page, site: Site) -> None:
    page.goto(f"{site.url}/account")
    page.get_by_role("button", name="Language: English").click()
    page.get_by_role("menuitem", name="Deutsch").click()
    expect(page.get_by_role("button", name="Zum Regal", exact=True)).to_be_visible()
    assert page.evaluate("document.documentElement.lang") == "de"
    page.get_by_role("button", name="Sprache: Deutsch").click()
    page.get_by_role("menuitem", name="English").click()
    expect(page.get_by_role("button", name="To the shelf", exact=True)).to_be_visible()
