"""Bring in, in the browser: what came in, what we would leave out, known lengths, second sources, newer issues, many
files at once."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from playwright.sync_api import Page, expect
from test_the_whole_way import bring_in, on_sheet, ready

DEMO = Path(__file__).resolve().parents[1] / "demo" / "files"


@pytest.fixture
def plate(tmp_path: Path) -> Callable[..., Path]:
    """A plate of 100 x 50 with two holes, in no unit; the second hole as large as asked."""

    def write(name: str = "plate.dxf", second: float = 5.0) -> Path:
        document = ezdxf.new("R2010", units=0)
        space = document.modelspace()
        space.add_lwpolyline([(0, 0), (100, 0), (100, 50), (0, 50)], close=True)
        space.add_circle((30, 25), 10)
        space.add_circle((70, 25), second)
        document.saveas(tmp_path / name)
        return tmp_path / name

    return write


def choose(page: Page, button: str, path: Path, **more: Any) -> None:
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name=button, **more).click()
    chooser.value.set_files(path)


def add_source(page: Page, how: str, path: Path) -> None:
    page.get_by_role("button", name="Add a source").click()
    with page.expect_file_chooser() as chooser:
        page.get_by_role("menuitem", name=how).click()
    chooser.value.set_files(path)


def came_in(page: Page) -> Any:
    return page.get_by_label("What came in")


def test_proposals_leave_the_border_and_the_pictorial_view_out_and_give_them_back(page: Page) -> None:
    bring_in(page, DEMO / "clamp-bracket.dxf")
    proposals = page.get_by_role("group", name="Proposals")
    expect(proposals).to_contain_text("Pictorial view, 15 curves")
    proposals.get_by_role("button", name="All 3").click()
    expect(page.get_by_label("Route card")).to_contain_text(
        "Leave out centre lines and guides, layers of text and dimensions, pictorial view"
    )
    expect(proposals).to_contain_text("Left out as proposed")
    proposals.get_by_role("listitem").filter(has_text="Pictorial").get_by_role("button", name="Take back").click()
    expect(page.get_by_label("Route card")).not_to_contain_text("pictorial view")
    ready(page)
    page.get_by_role("tab", name="Kinds").click()
    page.get_by_role("switch", name="Kind arc").click()
    expect(page.get_by_label("Route card")).to_contain_text("every arc")
    page.get_by_role("button", name="↶ undo").click()
    expect(page.get_by_label("Route card")).not_to_contain_text("every arc")


def test_a_known_length_between_two_picked_centres_sets_the_size(page: Page, plate: Callable[..., Path]) -> None:
    bring_in(page, plate())
    expect(page.get_by_text("We are not sure of the unit")).to_be_visible()
    page.get_by_role("button", name="Scale 2").click()
    page.get_by_role("button", name="how: by the factor").click()
    page.get_by_role("menuitem", name="so that two points lie apart by").click()
    expect(page.get_by_label("Writing line")).to_contain_text("Press the two points", timeout=15_000)
    for x in (30, 70):
        page.mouse.move(*on_sheet(page, x, 25.4))
        expect(page.get_by_text("centre", exact=False).first).to_be_visible()
        page.mouse.click(*on_sheet(page, x, 25.4))
    page.get_by_label("length", exact=True).fill("10 mm")
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Scale everything so that two points lie apart by 10 mm")
    ready(page)
    page.get_by_role("button", name="Hand over").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Download linework as DXF").click()
    written = ezdxf.readfile(download.value.path()).modelspace()
    assert sorted(round(c.dxf.radius, 9) for c in written.query("CIRCLE")) == [1.25, 2.5]
    assert [p.closed for p in written.query("LWPOLYLINE")] == [True]


def test_a_second_source_stands_beside_and_a_newer_issue_replays_the_card(
    page: Page, plate: Callable[..., Path]
) -> None:
    bring_in(page, plate())
    add_source(page, "A file beside what is there", DEMO / "heron-badge.svg")
    expect(page.get_by_label("Route card")).to_contain_text(
        "Read heron-badge.svg in px, beside what is there", timeout=15_000
    )
    ready(page)
    page.get_by_role("button", name="Build").click()
    page.mouse.move(0, 0)
    page.keyboard.press("a")
    page.keyboard.press("1")
    expect(page.get_by_label("Writing line")).to_contain_text("profiles", timeout=15_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Extrude")
    ready(page)
    page.get_by_role("button", name="Bring in").click()
    card = came_in(page)
    with page.expect_file_chooser() as chooser:
        card.get_by_role("button", name="A newer issue of it").first.click()
    chooser.value.set_files(plate("plate-B.dxf", second=6.0))
    page.get_by_label("Newer issue", exact=True).get_by_role("button", name="Use the newer issue").click(timeout=30_000)
    expect(page.get_by_label("Route card")).to_contain_text("Read plate-B.dxf", timeout=15_000)
    ready(page)
    expect(card).to_contain_text("plate-B.dxf")


def test_a_picture_lies_under_its_outline_and_a_part_of_it_can_be_taken(page: Page) -> None:
    bring_in(page, DEMO / "gasket.png")
    expect(came_in(page)).to_contain_text("200 dots per inch")
    page.get_by_label("How strongly the picture shows").fill("0.9")
    page.get_by_role("button", name="all of it; draw round a part").click()
    box = page.locator("[data-pane=sheet] canvas").bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x - 160, y - 110)
    page.mouse.down()
    page.mouse.move(x + 40, y + 60, steps=6)
    page.mouse.move(x + 160, y + 110, steps=6)
    page.mouse.up()
    expect(page.get_by_label("Route card")).to_contain_text("a part of it", timeout=15_000)


def test_many_files_at_once_give_a_table_with_errors_by_file(
    page: Page, plate: Callable[..., Path], tmp_path: Path
) -> None:
    empty, wrong = tmp_path / "empty.dxf", tmp_path / "letter.dxf"
    empty.write_bytes(b"")
    wrong.write_text("Dear Sir or Madam,\nplease find enclosed nothing at all.\n")
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="New part from a drawing").click()
    chooser.value.set_files([plate(), DEMO / "keel-fin.dat", DEMO / "antenna-coupler.gbr", empty, wrong])
    table = page.get_by_label("Files brought in")
    expect(table).to_contain_text("all sent, 2 refused", timeout=30_000)
    rows = table.get_by_role("row")
    expect(rows.filter(has_text="plate.dxf")).to_contain_text("100 × 50", timeout=30_000)
    expect(rows.filter(has_text="keel-fin.dat")).to_contain_text("coordinates", timeout=30_000)
    expect(rows.filter(has_text="antenna-coupler.gbr")).to_contain_text("Gerber", timeout=30_000)
    expect(rows.filter(has_text="empty.dxf")).to_contain_text("it holds no bytes at all")
    expect(rows.filter(has_text="letter.dxf")).to_contain_text("not a drawing that can be read here")
    rows.filter(has_text="keel-fin.dat").get_by_role("button", name="Open").click()
    ready(page)
    expect(came_in(page)).to_contain_text("shares of a chord")


def test_a_file_on_a_sheet_of_its_own_is_worked_on_apart_and_builds_the_same_part(
    page: Page, plate: Callable[..., Path]
) -> None:
    bring_in(page, plate())
    add_source(page, "A file on a sheet of its own", plate("lid.dxf"))
    tabs = page.get_by_role("tablist", name="Sheets")
    expect(tabs.get_by_role("tab")).to_have_text(["plate", "lid"], timeout=15_000)
    expect(tabs.get_by_role("tab", name="lid")).to_have_attribute("aria-selected", "true")
    route = page.get_by_label("Route card")
    expect(route).to_contain_text("On “lid”: Read lid.dxf in")
    ready(page)
    expect(came_in(page)).to_contain_text("lid.dxf")
    expect(came_in(page)).not_to_contain_text("plate.dxf")
    for sheet, sentence in (("lid", "On “lid”: Extrude"), ("plate", "Extrude")):
        tabs.get_by_role("tab", name=sheet).click()
        page.get_by_role("button", name="Build").click()
        page.mouse.move(0, 0)
        page.keyboard.press("a")
        page.keyboard.press("1")
        expect(page.get_by_label("Writing line")).to_contain_text("1 profile", timeout=15_000)
        page.get_by_role("button", name="Record").click()
        expect(route).to_contain_text(sentence)
        ready(page)
    tabs.get_by_role("tab", name="lid").click()
    page.reload()
    ready(page)
    expect(tabs.get_by_role("tab", name="plate")).to_have_attribute("aria-selected", "true")
    page.get_by_role("button", name="Bring in").click()
    page.get_by_role("button", name="Add a source").click()
    page.get_by_role("menuitem", name="An empty sheet to draw on").click()
    expect(tabs.get_by_role("tab", name="Sheet 2")).to_have_attribute("aria-selected", "true", timeout=15_000)
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("Nothing is on the sheet yet")
