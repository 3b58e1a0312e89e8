"""The whole outcome in the browser, on the real server, worker and database: by mouse, by keyboard alone, with a wrong
file, over a reload."""

from __future__ import annotations

import math
import re
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from playwright.sync_api import Page, expect
from running_site import Site, open_from_shelf
from tectogon.solids import measure

PLATE = 5000.0
HOLES = math.pi * (10**2 + 5**2)


@pytest.fixture
def plate(tmp_path: Path) -> Path:
    """A supplier's plate: outline as loose lines, two holes, a note."""
    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    corners = [(0, 0), (100, 0), (100, 50), (0, 50)]
    for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
        space.add_line(a, b)
    space.add_circle((30, 25), 10)
    space.add_circle((70, 25), 5)
    space.add_text("PLATE 12")
    document.saveas(tmp_path / "supplier-plate.dxf")
    return tmp_path / "supplier-plate.dxf"


def ready(page: Page) -> None:
    """Wait until what is on record is on the screen, and nothing is being computed."""
    page.wait_for_selector("[data-ready]:not([data-ready=''])", state="attached")
    expect(page.get_by_role("status")).to_have_count(0, timeout=30_000)


def volume_shown(page: Page, cm3: float) -> None:
    expect(page.get_by_label("Figures of the part")).to_contain_text(f"{round(cm3, 3):g} cm³", timeout=30_000)


def on_sheet(page: Page, x: float, y: float) -> tuple[float, float]:
    """Where a point of the plate (mm) lies on the page, from the drawing's extents as they are fitted."""
    box = page.locator("[data-pane=sheet] canvas").bounding_box()
    assert box
    scale = 0.86 * min(box["width"] / 100, (box["height"] - 50) / 50)
    return box["x"] + box["width"] / 2 + (x - 50) * scale, box["y"] + box["height"] / 2 - (y - 25) * scale


def press(page: Page, x: float, y: float, **more: Any) -> None:
    page.mouse.move(*on_sheet(page, x, y))
    page.mouse.click(*on_sheet(page, x, y), **more)


def step_volume(path: Path) -> float:
    from OCP.STEPControl import STEPControl_Reader

    reader = STEPControl_Reader()
    reader.ReadFile(str(path))
    reader.TransferRoots()
    return measure.volume(reader.OneShape())


def take(page: Page, kind: str, to: Path) -> Path:
    with page.expect_download() as download:
        page.get_by_role("button", name=f"Download {kind}", exact=True).click()
    download.value.save_as(to)
    return to


def bring_in(page: Page, path: Path) -> None:
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="New part from a drawing").click()
    chooser.value.set_files(path)
    page.wait_for_url(re.compile(r"/parts/\d+"))
    ready(page)


def test_by_mouse(page: Page, site: Site, plate: Path, tmp_path: Path) -> None:
    bring_in(page, plate)
    expect(page.get_by_text("We are sure of the unit")).to_be_visible()
    expect(page.get_by_label("What came in")).to_contain_text("6 curves")
    page.get_by_role("button", name="unit: Use another unit").click()
    page.get_by_role("menuitem", name="in", exact=True).click()
    expect(page.get_by_label("What came in")).to_contain_text("2540.00 × 1270.00 mm")
    page.get_by_role("button", name="↶ undo").click()
    expect(page.get_by_label("What came in")).to_contain_text("100.00 × 50.00 mm")

    page.get_by_role("button", name="Build").click()
    ready(page)
    for x, y in ((5, 5), (30, 25), (70, 25)):
        page.keyboard.down("Shift")
        press(page, x, y)
        page.keyboard.up("Shift")
    expect(page.get_by_label("Sheet", exact=True)).to_contain_text("Area 78.54 mm²")
    page.get_by_role("button", name="Extrude 1").click()
    length = page.get_by_label("length", exact=True)
    expect(length).to_be_focused()
    length.fill("12 mm")
    page.get_by_role("button", name="extent: to one side").click()
    page.get_by_role("menuitem", name="half to each side").click()
    volume_shown(page, PLATE * 12 / 1000)
    expect(page.get_by_text("preview, not recorded")).to_be_visible()
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Extrude 3 profiles by 12 mm, half to each side")
    ready(page)

    press(page, 30, 25)
    page.keyboard.down("Shift")
    press(page, 70, 25)
    page.keyboard.up("Shift")
    page.get_by_role("button", name="Cut 2").click()
    expect(page.get_by_text("takes")).to_be_visible(timeout=20_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("Cut the inside of 2 profiles through everything")
    volume_shown(page, (PLATE - HOLES) * 12 / 1000)

    page.get_by_label("Route card").get_by_role("button", name="length: 12 mm").click()
    page.keyboard.type("15 mm")
    page.keyboard.press("Enter")
    volume_shown(page, (PLATE - HOLES) * 15 / 1000)
    page.reload()
    ready(page)
    volume_shown(page, (PLATE - HOLES) * 15 / 1000)
    page.get_by_role("button", name="Hand over").click()
    assert step_volume(take(page, "STEP", tmp_path / "plate.step")) == pytest.approx((PLATE - HOLES) * 15, rel=1e-6)
    import trimesh

    mesh = trimesh.load(take(page, "STL", tmp_path / "plate.stl"), force="mesh")
    assert mesh.is_watertight
    assert mesh.volume == pytest.approx((PLATE - HOLES) * 15, rel=2e-3)
    flat = ezdxf.readfile(take(page, "DXF", tmp_path / "plate.dxf")).modelspace()
    assert sorted(c.dxf.radius for c in flat.query("CIRCLE")) == [5, 10]


def test_by_keyboard_alone(page: Page, site: Site, plate: Path, tmp_path: Path) -> None:
    bring = page.get_by_role("button", name="New part from a drawing")
    for _ in range(12):
        page.keyboard.press("Tab")
        if bring.evaluate("button => button === document.activeElement"):
            break
    expect(bring).to_be_focused()
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Enter")
    chooser.value.set_files(plate)
    page.wait_for_url(re.compile(r"/parts/\d+"))
    ready(page)
    page.evaluate("document.activeElement.blur()")
    for _ in range(4):
        page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_role("button", name="Build")).to_have_attribute("aria-current", "step")
    for _ in range(3):
        page.keyboard.press("]")
        page.keyboard.press("Space")
    page.keyboard.press("1")
    expect(page.get_by_label("length", exact=True)).to_be_focused()
    page.keyboard.type("1 cm + 2 mm")
    page.keyboard.press("Tab")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("button", name="extent: half to each side")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_label("Route card")).to_contain_text("Extrude 3 profiles by 1 cm + 2 mm, half to each side")
    volume_shown(page, PLATE * 12 / 1000)
    ready(page)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("]")
    page.keyboard.press("]")
    page.keyboard.press("Space")
    page.keyboard.press("]")
    page.keyboard.press("Space")
    page.keyboard.press("/")
    page.keyboard.type("take the inside")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Writing line")).to_contain_text("Cut")
    expect(page.get_by_text("takes")).to_be_visible(timeout=20_000)
    page.get_by_role("button", name="Record").focus()
    page.keyboard.press("Enter")
    volume_shown(page, (PLATE - HOLES) * 12 / 1000)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Control+z")
    volume_shown(page, PLATE * 12 / 1000)
    page.keyboard.press("Control+Shift+Z")
    volume_shown(page, (PLATE - HOLES) * 12 / 1000)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("record what is written")
    page.keyboard.press("Escape")
    for _ in range(2):
        page.keyboard.press("Shift+ArrowRight")
    page.get_by_role("button", name="Download STEP").focus()
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    download.value.save_as(tmp_path / "k.step")
    assert step_volume(tmp_path / "k.step") == pytest.approx((PLATE - HOLES) * 12, rel=1e-6)


def test_a_wrong_file_is_refused_on_the_shelf(page: Page, tmp_path: Path) -> None:
    wrong = tmp_path / "holiday.dxf"
    wrong.write_bytes(b"PK\x03\x04" + bytes(range(256)))
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="New part from a drawing").click()
    chooser.value.set_files(wrong)
    expect(page.get_by_role("alert")).to_contain_text("holiday.dxf is not a drawing that can be read here")
    expect(page.get_by_text("the shelf")).to_be_visible()


def test_a_step_that_can_t_be_done_says_why_and_is_not_recorded(page: Page) -> None:
    open_from_shelf(page, "Guide rail, 250 mm")
    ready(page)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("2")
    expect(page.get_by_label("Writing line")).to_contain_text("No profile is picked", timeout=15_000)
    page.keyboard.press("a")
    expect(page.get_by_role("alert")).to_contain_text("takes away every body", timeout=20_000)
    page.keyboard.press("Escape")
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.get_by_label("Route card")).not_to_contain_text("Cut")


def test_step_back_switch_off_and_take_out(page: Page) -> None:
    open_from_shelf(page, "Plate of three thicknesses")
    ready(page)
    volume_shown(page, 51.983)
    page.get_by_role("button", name="What to do with 30").click()
    page.get_by_role("menuitem", name="See the part as it was after this").click()
    expect(page.get_by_text("Shown as it was after 30")).to_be_visible()
    page.get_by_text("Back to now").click()
    volume_shown(page, 51.983)
    page.get_by_role("button", name="What to do with 40").click()
    page.get_by_role("menuitem", name="Switch off").click()
    volume_shown(page, (51983.009 - 4 * (36 * 60 - 32 * math.pi)) / 1000)
    page.get_by_role("button", name="↶ undo").click()
    volume_shown(page, 51.983)


def _changed_by_tomas(page: Page, site: Site, step: int, values: dict[str, str], change: str) -> dict[str, Any]:
    """The card that a colleague records while no news come in, so that this page knows nothing of it."""
    page.route("**/api/events", lambda route: route.abort())
    page.reload()
    open_from_shelf(page, "Guide rail, 250 mm")
    ready(page)
    other = site.client("tomas")
    part = other.part_named("Guide rail, 250 mm")
    card: dict[str, Any] = part["card"]
    card["steps"][step]["params"].update(values)
    other.call("PUT", f"/api/parts/{part['id']}/card", {"based_on": part["revision"], "card": card, "change": change})
    return card


def _length_typed(page: Page, length: str) -> None:
    page.get_by_label("Route card").get_by_role("button", name="length: ").click()
    page.keyboard.type(length)
    page.keyboard.press("Enter")


def test_a_colleagues_step_is_kept_beside_ones_own(page: Page, site: Site) -> None:
    card = _changed_by_tomas(page, site, -1, {"material": "brass"}, "Brass")
    _length_typed(page, "240")
    expect(page.get_by_role("status").filter(has_text="Tomas Reuter recorded")).to_contain_text("Brass")
    card["steps"][1]["params"]["length"] = "240"
    assert site.client().part_named("Guide rail, 250 mm")["card"] == card


def test_a_clash_is_told_and_loses_nothing(page: Page, site: Site) -> None:
    card = _changed_by_tomas(page, site, 1, {"length": "260 mm"}, "Longer")
    _length_typed(page, "235")
    expect(page.get_by_role("alert")).to_contain_text("Tomas Reuter has changed step 20 meanwhile")
    assert site.client().part_named("Guide rail, 250 mm")["card"] == card


def test_the_part_and_the_sheet_light_each_other(page: Page) -> None:
    open_from_shelf(page, "Clamp bracket")  # the finished one; other tests may have brought the drawing in anew
    ready(page)
    box = page.locator("[data-pane=part] canvas").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.44, box["y"] + box["height"] * 0.68)
    expect(page.get_by_label("Part", exact=True)).to_contain_text("face", timeout=5_000)
    for name in ("top", "front", "right"):
        page.get_by_role("button", name=f"Look from the {name}", exact=True).click()
        expect(page.get_by_role("button", name=f"Look from the {name}", exact=True)).to_have_attribute(
            "aria-pressed", "true"
        )
    expect(page.get_by_label("Part", exact=True)).to_contain_text("60 mm")
