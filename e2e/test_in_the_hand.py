"""What a new user stumbles over: values that can't be read, a reload in the middle of a sentence, lines that are left
out and lie over what is meant; and a turned part from half an outline."""

from __future__ import annotations

import io
import math
from collections.abc import Callable
from typing import Any

import ezdxf
import pytest
from playwright.sync_api import Page, expect
from running_site import Client, Site
from test_firm_ground import press, ready, sentences

Draw = Callable[[Any, Any], None]
Opened = Callable[[str, Draw], tuple[Client, dict[str, Any]]]


@pytest.fixture
def opened(page: Page, site: Site) -> Opened:
    """A drawing brought in and open in Build."""

    def go(name: str, draw: Draw) -> tuple[Client, dict[str, Any]]:
        document = ezdxf.new("R2010", units=4)
        draw(document.modelspace(), document)
        out = io.StringIO()
        document.write(out)
        client = site.client()
        part = client.upload(name, out.getvalue().encode()).json()
        client.run(part["id"])
        page.goto(f"{site.url}/parts/{part['id']}")
        ready(page)
        page.get_by_label("Stages").get_by_role("button").nth(4).click()
        return client, part

    return go


def recorded(page: Page, client: Client, part: dict[str, Any], words: str) -> None:
    """Wait until the server has a step of these words on record: the page counts it as recorded before that."""
    for _ in range(40):
        if any(words in sentence for sentence in sentences(client, part)):
            return
        page.wait_for_timeout(250)
    raise AssertionError(f"“{words}” is not on record")


def plate(space: Any, document: Any) -> None:
    space.add_lwpolyline([(0, 0), (60, 0), (60, 50), (0, 50)], close=True)
    space.add_circle((100, 25), 20)


def test_a_value_that_cannot_be_read_stays_and_picks_go_on(page: Page, opened: Opened) -> None:
    client, part = opened("refused.dxf", plate)
    page.get_by_role("button", name="Extrude").click()
    box = page.get_by_label("Writing line").get_by_label("length", exact=True)
    box.fill("abc")
    box.press("Tab")
    expect(page.get_by_role("alert")).to_contain_text("abc")
    expect(box).to_have_value("abc")
    expect(box).to_have_attribute("aria-invalid", "true")
    press(page, 30, 25)
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    expect(box).to_have_value("abc")
    box.fill("12")
    expect(page.get_by_label("Figures of the part")).to_contain_text("36 cm³", timeout=30_000)
    box.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("12 mm")
    recorded(page, client, part, "1 profile by 12 mm")


def test_a_sentence_outlives_a_reload(page: Page, opened: Opened) -> None:
    client, part = opened("reloaded.dxf", plate)
    press(page, 30, 25)
    page.keyboard.press("1")
    page.keyboard.type("20")
    expect(page.get_by_label("Figures of the part")).to_contain_text("60 cm³", timeout=30_000)
    page.reload()
    ready(page)
    page.get_by_role("button", name="Go on").click()
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    expect(page.get_by_label("Figures of the part")).to_contain_text("60 cm³", timeout=30_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("20 mm")
    recorded(page, client, part, "1 profile by 20 mm")
    expect(page.get_by_label("Writing line")).to_have_count(0)
    page.wait_for_timeout(500)  # a browser writes what a page keeps a moment later
    page.reload()
    ready(page)
    expect(page.get_by_role("button", name="Go on")).to_have_count(0)


def test_what_is_left_out_takes_no_press_in_build(page: Page, opened: Opened) -> None:
    """The centre lines of a hole, left out, lie right over its middle: the hole is meant."""

    def marked(space: Any, document: Any) -> None:
        plate(space, document)
        document.linetypes.add("CENTER", pattern=[2.0, 1.25, -0.25, 0.25, -0.25])
        space.add_circle((30, 25), 8)
        for a, b in (((18, 25), (42, 25)), ((30, 13), (30, 37))):
            space.add_line(a, b, dxfattribs={"linetype": "CENTER"})

    client, part = opened("marked.dxf", marked)
    card = client.call("GET", f"/api/parts/{part['id']}")["card"]
    card["steps"].append({"number": 20, "kind": "leave_out", "params": {"proposals": ["guides"]}, "on": True})
    client.call("PUT", f"/api/parts/{part['id']}/card", {"based_on": 1, "card": card, "words": "left out"})
    page.reload()
    ready(page)
    page.get_by_label("Stages").get_by_role("button").nth(4).click()
    press(page, 30, 25)
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("Area 201.06 mm²")
    page.mouse.move(5, 5)
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("1 profile picked, 201.06 mm²")


def test_half_an_outline_is_turned_into_a_spindle(page: Page, opened: Opened) -> None:
    def half(space: Any, document: Any) -> None:
        points = [(0, 0), (60, 0), (60, 12), (40, 12), (40, 20), (0, 20)]
        for a, b in zip(points, points[1:] + points[:1], strict=True):
            space.add_line(a, b)

    client, part = opened("half.dxf", half)
    press(page, 20, 10)
    page.get_by_role("button", name="Revolve").click()
    expect(page.get_by_label("Writing line")).to_contain_text("Press two points of the axis")
    press(page, 0, 0)
    press(page, 60, 0)
    cm3 = math.pi * (400 * 40 + 144 * 20) / 1000
    expect(page.get_by_label("Figures of the part")).to_contain_text(f"{round(cm3, 3):g} cm³", timeout=30_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Turn 1 profile by 360°")
    expect(page.get_by_label("Route card")).not_to_contain_text("being written")
    recorded(page, client, part, "about the line through two points end at x 0, y 0 and end at x 60, y 0")


def heights(page: Page) -> list[float]:
    boxes = [page.get_by_label(name, exact=True).bounding_box() for name in ("Sheet", "Part")]
    return [box["height"] for box in boxes if box]


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Drag on the sheet by shares of its pane."""
    box = page.locator("[data-pane=sheet] canvas").bounding_box()
    assert box
    for n, (x, y) in enumerate((start, end)):
        page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"], steps=4)
        (page.mouse.down if n == 0 else page.mouse.up)()


def test_a_box_takes_profiles_and_nothing_moves_under_the_pointer(page: Page, opened: Opened) -> None:
    """While a Cut is written a box picks regions, not curves; of a plate with holes the plate. Neither beginning to
    write nor what is said of it changes the size of the panes."""

    def drilled(space: Any, document: Any) -> None:
        plate(space, document)
        for x in (15, 30, 45):
            space.add_circle((x, 25), 4)

    opened("drilled.dxf", drilled)
    before = heights(page)
    page.keyboard.press("1")
    expect(page.get_by_role("status")).to_contain_text("a box all that lies in it")
    assert heights(page) == before
    drag(page, (0.02, 0.1), (0.98, 0.9))
    expect(page.get_by_label("Writing line")).to_contain_text("2 profiles")
    expect(page.get_by_label("Figures of the part")).to_be_visible(timeout=30_000)
    assert heights(page) == before
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    press(page, 30, 25)
    page.mouse.move(5, 5)
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("1 profile picked")


def test_one_closed_region_is_meant_without_a_press_and_pressing_it_keeps_it(page: Page, opened: Opened) -> None:
    def lone(space: Any, document: Any) -> None:
        space.add_lwpolyline([(0, 0), (60, 0), (60, 50), (0, 50)], close=True)

    opened("lone.dxf", lone)
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    press(page, 30, 25)
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    press(page, 30, 25)
    expect(page.get_by_label("Writing line")).not_to_contain_text("1 profile")


def test_what_is_shown_is_picked_left_out_by_a_key_and_escape_goes_back(page: Page, opened: Opened) -> None:
    def stray(space: Any, document: Any) -> None:
        plate(space, document)
        space.add_line((200, 0), (230, 10))

    client, part = opened("stray.dxf", stray)
    page.get_by_label("Stages").get_by_role("button").nth(1).click()
    sheet = page.get_by_label("Sheet", exact=True)

    def scale() -> str:
        return sheet.inner_text().strip().splitlines()[-1]

    page.keyboard.press("Escape")  # from the first finding, where its stage goes
    page.wait_for_timeout(300)
    far = scale()
    page.keyboard.press("n")
    expect(sheet).to_contain_text("Line, length 31.623 mm")
    assert scale() != far
    page.keyboard.press("Delete")
    recorded(page, client, part, "Leave out 1 curve")
    page.keyboard.press("Escape")
    page.wait_for_timeout(300)
    assert scale() == far
    page.keyboard.press("f")
    page.wait_for_timeout(300)
    assert scale() != far, "fitting leaves out what is left out"


def test_the_part_stays_in_sight_where_it_is_handed_over(page: Page, opened: Opened) -> None:
    opened("handed.dxf", plate)
    press(page, 30, 25)
    page.keyboard.press("1")
    page.keyboard.type("10")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("10 mm")
    page.set_viewport_size({"width": 1024, "height": 700})
    page.get_by_label("Stages").get_by_role("button").nth(6).click()
    expect(page.get_by_label("Figures of the part")).to_contain_text("30 cm³", timeout=30_000)
    expect(page.get_by_label("Download STEP")).to_be_visible()
    for stage in page.get_by_label("Stages").get_by_role("button").all():
        box, inner = stage.bounding_box(), stage.evaluate("e => e.scrollWidth")
        assert box and inner <= box["width"] + 1, stage.inner_text()


def test_after_a_preview_the_linework_is_as_it_was(page: Page, opened: Opened) -> None:
    """A cut that is written and dropped again leaves the sheet as it was, to the last pixel."""
    opened("whole.dxf", plate)
    sheet = page.locator("[data-pane=sheet] canvas")
    page.mouse.move(640, 760)
    page.wait_for_timeout(900)
    before = sheet.screenshot()
    page.get_by_role("button", name="Extrude").click()
    press(page, 30, 25)
    expect(page.get_by_text("preview, not recorded")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_text("preview, not recorded")).to_have_count(0)
    page.mouse.move(640, 760)
    page.keyboard.press("Escape")
    page.wait_for_timeout(1500)
    page.evaluate("document.activeElement.blur()")  # the pane's own frame is no linework
    assert sheet.screenshot() == before


def test_a_second_file_comes_into_sight_beside_the_first(page: Page, opened: Opened) -> None:
    """What it holds can be pressed at once, without a hand on the zoom."""
    opened("first.dxf", plate)
    document = ezdxf.new("R2010", units=4)
    document.modelspace().add_circle((0, 0), 30)
    out = io.StringIO()
    document.write(out)
    page.evaluate(
        """([name, text]) => {
            const carried = new DataTransfer();
            carried.items.add(new File([text], name));
            const drop = new DragEvent("drop", { bubbles: true, dataTransfer: carried });
            document.querySelector("main").dispatchEvent(drop);
        }""",
        ["second.dxf", out.getvalue()],
    )
    expect(page.get_by_label("Route card")).to_contain_text("second.dxf", timeout=30_000)
    expect(page.get_by_role("button", name="Stop")).to_have_count(0, timeout=30_000)
    page.get_by_label("Stages").get_by_role("button").nth(4).click()
    page.keyboard.press("Escape")
    press(page, 120 + 12 + 30, 30)
    expect(page.get_by_text(f"Area {math.pi * 900:.2f} mm²")).to_be_visible()
