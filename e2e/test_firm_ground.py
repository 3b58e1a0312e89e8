"""Nothing that is written gets lost, a pick means what was pressed, and a browser with many tabs goes on."""

from __future__ import annotations

import io
import re
from typing import Any

import ezdxf
import pytest
from playwright.sync_api import Page, expect
from running_site import Client, Site, open_from_shelf


def two_plates() -> bytes:
    """Two plates beside each other, 60 × 50 and 40 × 50 mm, and a small circle to the right."""
    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    for x, w in ((0, 60), (100, 40)):
        space.add_lwpolyline([(x, 0), (x + w, 0), (x + w, 50), (x, 50)], close=True)
    space.add_circle((200, 25), 6)
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


@pytest.fixture
def plates(page: Page, site: Site) -> tuple[Client, dict[str, Any]]:
    client = site.client()
    part = client.upload("two-plates.dxf", two_plates()).json()
    client.run(part["id"])
    page.goto(f"{site.url}/parts/{part['id']}")
    ready(page)
    page.get_by_label("Stages").get_by_role("button").nth(4).click()
    return client, part


def ready(page: Page) -> None:
    page.wait_for_selector("[data-ready]:not([data-ready=''])", state="attached")


def press(page: Page, x: float, y: float) -> None:
    """Press the sheet at a place of the drawing, which the status line tells while the pointer moves."""
    box = page.locator("[data-pane=sheet] canvas").bounding_box()
    assert box
    places = []
    for share in (0.3, 0.6):
        page.mouse.move(box["x"] + share * box["width"], box["y"] + share * box["height"])
        page.wait_for_timeout(150)
        told = re.search(r"x\s*(-?[\d.]+)\s*y\s*(-?[\d.]+)", page.get_by_label("Sheet", exact=True).inner_text())
        assert told
        places.append((float(told[1]), float(told[2])))
    (x0, y0), (x1, y1) = places
    to = [0.3 + 0.3 * (want - a) / (b - a) for want, a, b in ((x, x0, x1), (y, y0, y1))]
    page.mouse.click(box["x"] + to[0] * box["width"], box["y"] + to[1] * box["height"])


def sentences(client: Client, part: dict[str, Any]) -> list[str]:
    done = client.run(part["id"])
    return [s["sentence"] for s in done["report"]["steps"]]


def test_press_a_region_type_its_height_enter(page: Page, plates: tuple[Client, dict[str, Any]]) -> None:
    client, part = plates
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_contain_text("Extrude")
    press(page, 30, 25)
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    page.keyboard.type("20")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("20 mm")
    for _ in range(100):  # the card shows it before the server has it
        if len(sentences(client, part)) > 1:
            break
        page.wait_for_timeout(100)
    assert sentences(client, part)[1].startswith("Extrude 1 profile by 20")


def test_what_is_written_is_kept_when_another_action_or_stage_is_pressed(
    page: Page, plates: tuple[Client, dict[str, Any]]
) -> None:
    page.keyboard.press("1")
    press(page, 30, 25)
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    page.get_by_label("Stages").get_by_role("button").nth(2).click()
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    page.get_by_label("Stages").get_by_role("button").nth(4).click()
    page.get_by_role("button", name="Material").click()
    expect(page.get_by_label("Writing line")).to_contain_text("Make it of")
    page.get_by_role("button", name=re.compile("Go on with: Extrude 1 profile")).click()
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")


def test_a_part_that_is_left_while_it_saves_shows_nowhere_else(
    page: Page, plates: tuple[Client, dict[str, Any]], site: Site
) -> None:
    client, part = plates
    page.keyboard.press("1")
    press(page, 30, 25)
    expect(page.get_by_label("Writing line")).to_contain_text("1 profile")
    page.wait_for_timeout(600)
    page.route("**/card", lambda route: (page.wait_for_timeout(700), route.continue_()))
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Back to the shelf").click()
    open_from_shelf(page, "Guide rail, 250 mm")
    ready(page)
    page.wait_for_timeout(1500)
    expect(page.get_by_label("Route card")).to_contain_text("guide-rail.dxf")
    assert len(client.call("GET", f"/api/parts/{part['id']}")["card"]["steps"]) == 2
    assert "two-plates" not in str(site.client().part_named("Guide rail, 250 mm")["card"])


def test_seven_tabs_go_on(page: Page, plates: tuple[Client, dict[str, Any]], site: Site) -> None:
    """A browser has six connections to a server; a stream of news in each tab would be all of them."""
    _, part = plates
    tabs = [page.context.new_page() for _ in range(6)]
    for tab in tabs:
        tab.goto(f"{site.url}/parts/{part['id']}")
        ready(tab)
    last = tabs[-1]
    last.get_by_label("Stages").get_by_role("button").nth(4).click()
    last.keyboard.press("1")
    press(last, 120, 25)
    expect(last.get_by_label("Writing line")).to_contain_text("1 profile")
    last.keyboard.type("12")
    expect(last.get_by_label("Writing line")).to_contain_text("adds", timeout=10_000)
    page.close()  # perhaps the one that holds the stream
    last.keyboard.type("5")
    expect(last.get_by_label("Writing line")).to_contain_text("250", timeout=10_000)


def test_news_end_with_the_session(site: Site) -> None:
    client = site.client("tomas")
    with client.http.stream("GET", "/api/events", timeout=20) as stream:
        lines = stream.iter_lines()
        assert next(lines).startswith("retry")
        second = Client(site.url, None)
        second.http.cookies = client.http.cookies
        assert second.send("POST", "/api/sign-out").status_code == 204
        assert not [line for line in lines if line.startswith("data:") and "again" not in line]  # ends by itself
