"""The shelf to live with and the people who share it: searching, labelling, putting away; invitations; two in one part
at once; a viewer; inches."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from typing import Any

import ezdxf
import pytest
from playwright.sync_api import Browser, Page, expect
from running_site import Client, Site
from test_firm_ground import ready


@pytest.fixture
def plate(site: Site) -> tuple[Client, dict[str, Any]]:
    document = ezdxf.new("R2010", units=4)
    document.modelspace().add_lwpolyline([(0, 0), (60, 0), (60, 50), (0, 50)], close=True)
    out = io.StringIO()
    document.write(out)
    client = site.client()
    part = client.upload("shared-plate.dxf", out.getvalue().encode()).json()
    client.run(part["id"])
    return client, part


@pytest.fixture
def second(browser: Browser) -> Iterator[Page]:
    """Another browser, nobody signed in."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    context.add_init_script("localStorage.setItem('first steps', 'done')")
    yield context.new_page()
    context.close()


def signed_in(page: Page, site: Site, name: str) -> Page:
    page.goto(site.url)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill("river-gauge")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_text("the shelf").wait_for()
    return page


def test_a_part_is_found_numbered_labelled_put_away_and_brought_back(
    page: Page, site: Site, plate: tuple[Client, dict[str, Any]]
) -> None:
    page.goto(site.url)
    cards = page.get_by_label("Parts", exact=True).get_by_role("listitem")
    cards.first.wait_for()
    page.keyboard.press("/")
    page.keyboard.type("shared-plate")
    expect(cards).to_have_count(1)

    def choose(words: str, text: str | None = None) -> None:
        cards.first.get_by_role("button", name="What to do with").click()
        page.get_by_role("menuitem", name=words).click()
        if text is not None:
            box = cards.first.get_by_role("textbox")
            expect(box).to_be_focused()
            page.keyboard.type(text)
            page.keyboard.press("Enter")
            expect(box).to_have_count(0)

    choose("Rename", "Gauge plate")
    page.get_by_label("Find parts").fill("")
    page.get_by_label("Find parts").fill("gauge plate")
    expect(cards).to_have_count(1)
    choose("Give it a number", "FM-77")
    expect(cards.first).to_contain_text("FM-77")
    choose("Labels", "rack, trial")
    expect(cards.first).to_contain_text("trial")
    page.get_by_label("Find parts").fill("")
    page.get_by_role("search").get_by_role("button", name="trial").click()
    expect(cards).to_have_count(1)
    choose("Copy")
    expect(cards).to_have_count(2)
    expect(cards.filter(has_text="(copy)")).to_have_count(1)
    page.get_by_role("search").get_by_role("button", name="trial").click()
    page.get_by_label("Find parts").fill("gauge plate copy")
    choose("Remove from the shelf")
    expect(page.get_by_text("No part on the shelf is called that.")).to_be_visible()
    page.get_by_role("button", name="Removed").click()
    expect(cards).to_have_count(1)
    choose("Bring back")
    page.get_by_role("button", name="Removed").click()
    expect(cards).to_have_count(1)
    page.get_by_label("Find parts").press("Escape")
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    page.wait_for_url("**/parts/*")


def test_two_people_in_one_part_see_each_others_records(
    page: Page, second: Page, site: Site, plate: tuple[Client, dict[str, Any]]
) -> None:
    """What one records stands on the other's card within a second; what the other is writing stays; neither writes over
    the other."""
    _, part = plate
    for each, name in ((page, ""), (signed_in(second, site, "tomas"), "tomas")):
        each.goto(f"{site.url}/parts/{part['id']}")
        ready(each)
        each.get_by_label("Stages").get_by_role("button").nth(4).click()
        assert name in ("", "tomas")
    expect(page.get_by_text("Tomas Reuter is here")).to_be_visible(timeout=15_000)
    expect(second.get_by_text("Ines Brandt is here")).to_be_visible(timeout=15_000)
    second.keyboard.press("1")
    second.keyboard.type("7")
    expect(second.get_by_label("Figures of the part")).to_contain_text("21 cm³", timeout=30_000)
    page.keyboard.press("1")
    page.keyboard.type("20")
    page.keyboard.press("Enter")
    expect(second.get_by_text("Ines Brandt recorded: Extrude 1 profile by 20")).to_be_visible(timeout=10_000)
    expect(second.get_by_label("Route card")).to_contain_text("20 mm", timeout=5_000)
    expect(second.get_by_label("Writing line").get_by_label("length", exact=True)).to_have_value(re.compile("^7"))
    second.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("7 mm", timeout=10_000)
    expect(page.get_by_label("Route card")).to_contain_text("20 mm")
    second.goto(site.url)
    expect(page.get_by_text("Tomas Reuter is here")).to_have_count(0, timeout=5_000)


def test_an_invitation_brings_a_viewer_in_who_sees_all_and_changes_nothing(
    page: Page, second: Page, site: Site, plate: tuple[Client, dict[str, Any]]
) -> None:
    _, part = plate
    page.goto(f"{site.url}/account")
    page.get_by_label("Role of the invitation").click()
    page.get_by_role("menuitem", name="viewer").click()
    page.get_by_role("button", name="Make a link").click()
    link = page.get_by_label("Link of the invitation").input_value()
    second.goto(link)
    expect(second.get_by_text("as viewer")).to_be_visible()
    second.get_by_label("Your name").fill("Mara Holt")
    second.get_by_label("Name to sign in with").fill("mara")
    second.get_by_label("Password").fill("short")
    second.get_by_role("button", name="Join").click()
    expect(second.get_by_role("alert")).to_contain_text("short")
    second.get_by_label("Password").fill("a long one indeed")
    second.get_by_role("button", name="Join").click()
    second.get_by_text("the shelf").wait_for()
    expect(second.get_by_role("button", name="New part from a drawing")).to_have_count(0)
    second.goto(f"{site.url}/parts/{part['id']}")
    ready(second)
    second.get_by_label("Stages").get_by_role("button").nth(4).click()
    expect(second.get_by_text("changing it is for editors")).to_be_visible()
    expect(second.get_by_role("button", name="Extrude")).to_have_count(0)
    page.reload()
    expect(page.get_by_label("What people did").first).to_contain_text("Mara Holt")
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_label("Remove Mara Holt").click()
    expect(page.get_by_label("Remove Mara Holt")).to_have_count(0)
    second.goto(site.url)
    expect(second.get_by_role("button", name="Sign in")).to_be_visible()


def test_lengths_in_inches_with_fractions(second: Page, site: Site, plate: tuple[Client, dict[str, Any]]) -> None:
    _, part = plate
    page = signed_in(second, site, "tomas")
    page.goto(f"{site.url}/account")
    page.get_by_label("Lengths are shown").click()
    page.get_by_role("menuitem", name="in inches").click()
    expect(page.get_by_role("button", name="Lengths are shown: in inches")).to_be_visible()
    page.goto(f"{site.url}/parts/{part['id']}")
    ready(page)
    page.get_by_label("Stages").get_by_role("button").nth(4).click()
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    page.keyboard.type("1/2 in")
    expect(page.get_by_label("Figures of the part")).to_contain_text("≈ 2 23/64 × ≈ 1 31/32 × 1/2 in", timeout=30_000)
