"""The real site for the tests of this folder, and a browser signed in to it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from running_site import BROWSER_ARGS, Site, new_context

expect.set_options(timeout=15_000)  # two sites and two browsers share the machine


@pytest.fixture(scope="session")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Site]:
    made = Site(tmp_path_factory.mktemp("site"))
    made.make_database()
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=BROWSER_ARGS)
        yield opened
        opened.close()


@pytest.fixture
def page(browser: Browser, site: Site) -> Iterator[Page]:
    """A signed-in page on the shelf; any error in the page's own code fails the test."""
    context = new_context(browser)
    opened = context.new_page()
    faults: list[str] = []
    opened.on("pageerror", lambda e: faults.append(str(e)))
    opened.on(
        "filechooser", lambda _: None
    )  # the browser then hands every chooser over from the start, not from some moment after it is asked to
    opened.goto(site.url)
    opened.get_by_label("Name").fill("ines")
    opened.get_by_label("Password").fill("river-gauge")
    opened.get_by_role("button", name="Sign in").click()
    opened.get_by_text("the shelf").wait_for()
    yield opened
    context.close()
    assert not faults, faults
