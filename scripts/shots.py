"""The pictures of the README, taken from the demo data: python scripts/shots.py (by `make shots`)."""

from __future__ import annotations

import re
import sys
import tempfile
from pathlib import Path

BASE = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(BASE / "e2e"), str(BASE / "scripts")]
TO = BASE / "docs" / "screenshots"


def main() -> None:
    from playwright.sync_api import sync_playwright
    from running_site import BROWSER_ARGS, LIMITS, Site

    LIMITS.update(TECTOGON_COMPUTE_SECONDS="120", TECTOGON_COMPUTE_MEMORY="6000000000")
    TO.mkdir(parents=True, exist_ok=True)
    site = Site(Path(tempfile.mkdtemp()))
    site.make_database()
    site.start()
    try:
        client = site.client()
        for part in client.call("GET", "/api/parts"):
            client.run(part["id"])
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=BROWSER_ARGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
            page.add_init_script("localStorage.setItem('first steps', 'done')")
            page.goto(site.url)
            page.get_by_label("Name").fill("ines")
            page.get_by_label("Password").fill("river-gauge")
            page.get_by_role("button", name="Sign in").click()
            page.get_by_text("the shelf").wait_for()
            page.wait_for_timeout(2500)
            _walk(page)
            browser.close()
    finally:
        site.stop()


def _dropped_on_the_part(page: object, file: Path) -> None:
    """A file dropped on the part, a little below its middle."""
    from playwright.sync_api import Page

    assert isinstance(page, Page)
    box = page.locator("[data-pane=part] canvas").bounding_box()
    assert box
    page.evaluate(
        """([name, bytes, clientX, clientY]) => {
            const carried = new DataTransfer();
            carried.items.add(new File([new Uint8Array(bytes)], name));
            const drop = new DragEvent("drop", { bubbles: true, dataTransfer: carried, clientX, clientY });
            document.querySelector("main").dispatchEvent(drop);
        }""",
        [file.name, list(file.read_bytes()), box["x"] + 0.56 * box["width"], box["y"] + 0.6 * box["height"]],
    )
    page.locator("[data-grip=move]").wait_for(timeout=30_000)


def _walk(page: object) -> None:
    from playwright.sync_api import Page

    assert isinstance(page, Page)

    def shot(name: str) -> None:
        page.wait_for_timeout(900)
        page.screenshot(path=TO / f"{name}.png")

    def opened(name: str, *, oldest: bool = False) -> None:
        if page.get_by_role("button", name="Back to the shelf").count():
            page.get_by_role("button", name="Back to the shelf").click()
        find = page.get_by_label("Find parts")
        find.fill(name)
        found = page.get_by_text(name)
        (found.last if oldest else found.first).click()
        ready()

    def ready() -> None:
        page.wait_for_selector("[data-ready]:not([data-ready=''])", state="attached")

    def brought_in(*files: Path) -> None:
        page.get_by_role("button", name="Back to the shelf").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="New part from a drawing").click()
        chooser.value.set_files(files)

    page.on("filechooser", lambda _: None)
    page.get_by_text("picture to come").first.wait_for(state="detached", timeout=90_000)
    shot("shelf")
    opened("Clamp bracket")
    shot("build")
    page.locator("nav[aria-label=Stages] button").nth(5).click()
    page.get_by_text(re.compile("explained|differ|not drawn")).first.wait_for()
    shot("check")
    page.get_by_role("button", name="Bring in").click()
    shot("bring-in")
    page.get_by_label("Newer issue of clamp-bracket.dxf").set_input_files(
        BASE / "demo" / "files" / "clamp-bracket-issue-c.dxf"
    )
    page.get_by_text("Every step follows.").wait_for(timeout=30_000)
    page.get_by_role("button", name="Build").click()
    shot("newer-issue")
    page.get_by_role("button", name="Keep the present one").click()
    opened("Sensor bracket")
    page.locator("nav[aria-label=Stages] button").nth(3).click()
    page.get_by_role("group", name="Views").get_by_text("100 %").first.wait_for()
    shot("arrange")
    page.locator("nav[aria-label=Stages] button").nth(4).click()
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("]")
    page.keyboard.press("Space")
    page.get_by_role("group", name="Depths proposed").get_by_role("button").first.wait_for()
    shot("depths")
    files = BASE / "demo" / "files"
    brought_in(files / "clamp-bracket.dxf")
    ready()
    page.get_by_role("button", name="All 3").click()
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Tidy").click()
    page.evaluate("document.activeElement.blur()")
    for _ in range(5):
        page.keyboard.press("n")
    shot("tidy")
    opened("Guide rail, 250 mm")
    page.get_by_role("button", name="Close", exact=False).first.click()
    page.get_by_label("Profiles", exact=True).get_by_role("row").nth(1).click()
    shot("close")
    opened("Clamp bracket", oldest=True)
    page.get_by_role("button", name="Hand over").click()
    page.get_by_role("img", name="Drawing sheet").wait_for()
    shot("hand-over")
    opened("Heron badge")
    page.get_by_role("button", name="Hand over").click()
    page.get_by_label("Check for printing").click()
    loose = page.get_by_text("pieces hang loose")
    loose.wait_for()
    loose.locator("xpath=..").get_by_role("button").first.click()
    shot("print-check")
    opened("Keel fin")
    page.get_by_role("button", name="Build").click()
    page.get_by_label("What to do with 20").click()
    page.get_by_role("menuitem", name="Edit").click()
    page.wait_for_timeout(2500)
    shot("loft")
    page.keyboard.press("Escape")
    opened("Clamp bracket", oldest=True)
    page.get_by_role("button", name="Build").click()
    page.wait_for_timeout(600)
    _dropped_on_the_part(page, files / "heron-badge.svg")
    page.get_by_label("width", exact=True).fill("30 mm")
    page.wait_for_timeout(2500)
    box = page.locator("[data-grip=move]").bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 30, y + 10, steps=8)
    shot("art-on-a-face")
    page.mouse.up()
    page.keyboard.press("Escape")
    opened("Gasket")
    page.get_by_role("button", name="Bring in").click()
    shot("picture")
    opened("Plate of three thicknesses")
    page.wait_for_timeout(800)
    page.evaluate("document.activeElement.blur()")
    for _ in range(6):
        page.keyboard.press("]")
        if "201.06" in page.get_by_label("Sheet", exact=True).inner_text():
            break
    page.keyboard.press("Space")
    page.keyboard.press("1")
    page.get_by_text("preview, not recorded").wait_for()
    shot("writing")
    page.keyboard.press("Escape")
    opened("Sensor bracket")
    page.get_by_role("button", name="Build").click()
    page.get_by_role("button", name="Flat blank").click()
    page.get_by_role("img", name="Blank with").wait_for()
    page.get_by_label("How far the blank is folded").fill("55")
    shot("blank")
    opened("Tray deck")
    page.get_by_role("button", name="Hand over").click()
    page.get_by_role("button", name="Show cut list").click()
    page.get_by_label("Stock length in mm").fill("3000")
    page.get_by_text("stock lengths").first.wait_for()
    shot("cut-list")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Back to the shelf").click()
    page.get_by_role("button", name="Library of sections").click()
    page.get_by_role("button", name="A supplier’s shelf").click()
    for family in ("Trays", "Rails"):
        page.get_by_role("heading", name=family).locator("xpath=..").get_by_role("button").click()
        page.get_by_text("10 in the library, 0 want a look").wait_for(timeout=60_000)
    page.get_by_role("button", name="Close the list").click()
    page.get_by_role("button", name="Close the list").click()
    page.get_by_label("Section FH-2203").click()
    shot("library")
    page.get_by_role("button", name="To the shelf").click()
    opened("Tray deck")
    page.get_by_role("button", name="as a parts list").click()
    page.get_by_role("button", name="signed in as").click()
    page.get_by_role("menuitem", name="Evening theme").click()
    shot("deck")


if __name__ == "__main__":
    main()
