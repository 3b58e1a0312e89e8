"""The library of sections and what the part was, driven: drawings that come in by themselves, a bar, a newer issue of
its section, a newer issue of a drawing, a revision brought back."""

from __future__ import annotations

import re
from pathlib import Path

import ezdxf
from playwright.sync_api import Page, expect
from running_site import Site
from test_the_whole_way import ready

DEMO = Path(__file__).resolve().parents[1] / "demo" / "files"


def tray(path: Path, wide: float = 60.0, note: str = "KR-12  t = 1.2 mm") -> Path:
    document = ezdxf.new("R2010", units=4)
    document.modelspace().add_lwpolyline([(0, 30), (0, 0), (wide, 0), (wide, 30)])
    document.modelspace().add_linear_dim(base=(0, -12), p1=(0, 0), p2=(wide, 0), override={"dimlfac": 1.0}).render()
    document.modelspace().add_text(note, height=3).set_placement((0, 40))
    document.saveas(path)
    return path


def test_sections_come_in_by_themselves_and_become_bars(page: Page, site: Site, tmp_path: Path) -> None:
    page.get_by_role("button", name="Library of sections").click()
    page.wait_for_url("**/library")
    broken = tmp_path / "broken.dxf"
    broken.write_bytes(b"0\nSECTION\n")
    files = [tray(tmp_path / "kr-12.dxf"), tray(tmp_path / "kr-13.dxf", 80.0, "no thickness here"), broken]
    page.get_by_label("Suppliers’ drawings").set_input_files(files)
    arrived = page.get_by_label("Drawings brought in")
    expect(arrived).to_contain_text("1 in the library, 1 want a look, 1 became none", timeout=120_000)
    expect(arrived).to_contain_text("states no thickness; 1 mm is taken")
    arrived.get_by_role("button", name="Keep it so").click()
    expect(arrived).to_contain_text("2 in the library")
    arrived.get_by_role("button", name="Close the list").click()

    page.get_by_label("Find sections").fill("KR-12")
    expect(page.get_by_label("Sections").get_by_role("button")).to_have_count(1)
    page.get_by_label("Section KR-12").click()
    panel = page.get_by_label("Section", exact=True)
    panel.get_by_label("Material of the section").click()
    page.get_by_role("menuitem", name="steel", exact=True).click()
    expect(panel).to_contain_text("issue 2")
    expect(panel).to_contain_text("kg/m")
    panel.get_by_label("Length of the bar").fill("750 mm")
    panel.get_by_role("button", name="Make the part").click()
    page.wait_for_url(re.compile(r"/parts/\d+"))
    ready(page)
    expect(page.get_by_label("Figures of the part")).to_contain_text("750 × 60 × 30 mm")
    expect(page.get_by_label("Route card")).to_contain_text("A bar of section KR-12 issue 2, 750 mm long")

    address = page.url
    client = site.client()
    section = next(s for s in client.call("GET", "/api/library")["sections"] if s["number"] == "KR-12")
    client.call("PATCH", f"/api/library/sections/{section['id']}", {"facts": {"notes": "galvanised"}})
    page.goto(address)
    ready(page)
    offered = page.get_by_label("Route card").get_by_text("The library has issue 3.")
    expect(offered).to_be_visible()
    page.get_by_role("button", name="See what comes of it").click()
    expect(page.get_by_label("Writing line")).to_contain_text("KR-12 issue 3", timeout=30_000)
    expect(page.get_by_text("preview, not recorded")).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_label("Route card")).to_contain_text("section KR-12 issue 3", timeout=30_000)
    expect(offered).to_have_count(0)


def test_a_newer_issue_of_a_drawing_is_looked_at_before_it_is_taken(page: Page, site: Site) -> None:
    client = site.client()
    bracket = min(p["id"] for p in client.call("GET", "/api/parts") if p["name"] == "Clamp bracket")
    own = client.call("POST", f"/api/parts/{bracket}/copy")["id"]
    page.goto(f"{site.url}/parts/{own}")
    ready(page)
    page.get_by_role("button", name="Bring in").first.click()
    chooser = page.get_by_label("Newer issue of clamp-bracket.dxf")
    chooser.set_input_files(DEMO / "clamp-bracket-issue-c.dxf")
    panel = page.get_by_label("Newer issue", exact=True)
    expect(panel).to_contain_text("circle resized from 32 mm to 28 mm", timeout=40_000)
    expect(panel).to_contain_text("size 12 now reads 14")
    expect(panel).to_contain_text("Every step follows.", timeout=20_000)
    expect(page.locator("[data-issue-marks]")).to_be_visible()
    panel.get_by_role("button", name="Keep the present one").click()
    expect(panel).to_have_count(0)
    expect(page.get_by_role("button", name="revision 1")).to_be_visible()

    chooser.set_input_files(DEMO / "clamp-bracket-issue-c.dxf")
    expect(panel).to_contain_text("Every step follows.", timeout=40_000)
    panel.get_by_role("button", name="Use the newer issue").click()
    expect(page.get_by_role("button", name="revision 2")).to_be_visible()
    page.get_by_role("button", name="revision 2").click()
    history = page.get_by_label("History")
    expect(history).to_contain_text("Replaced clamp-bracket.dxf by clamp-bracket-issue-c.dxf")
    history.get_by_label("Revisions").get_by_role("button").last.click()
    expect(history).to_contain_text("You look at revision 1", timeout=20_000)
    history.get_by_role("button", name="Hold the two solids").click()
    expect(history.get_by_label("What the two solids share")).to_contain_text("only now", timeout=30_000)
    expect(page.get_by_label("Bodies", exact=True)).to_contain_text("in both")
    expect(history.locator("img").first).to_be_attached()
    history.get_by_role("button", name="Bring it back").click()
    expect(page.get_by_role("button", name="revision 3")).to_be_visible()
    expect(page.get_by_label("Route card")).to_contain_text("Read clamp-bracket.dxf")


def test_a_picked_profile_is_kept_and_parts_stand_in_a_grid(page: Page, site: Site) -> None:
    client = site.client()
    rail = min(p["id"] for p in client.call("GET", "/api/parts") if p["name"] == "Guide rail, 250 mm")
    material = client.run(rail)["report"]["figures"]["material"]
    page.goto(f"{site.url}/parts/{rail}")
    ready(page)
    page.get_by_role("button", name="Close").first.click()
    page.get_by_label("Profiles", exact=True).locator("tbody tr").first.click()
    keep = page.get_by_label("Keep in the library")
    keep.get_by_label("Number", exact=True).fill("FH-900")
    keep.get_by_role("button", name="Keep it").click()
    expect(keep.get_by_role("status")).to_contain_text("Kept as FH-900, issue 1.", timeout=30_000)
    found = next(s for s in client.call("GET", "/api/library")["sections"] if s["number"] == "FH-900")
    assert abs(found["figures"]["area"] - 330.128) < 0.01 and found["facts"]["material"] == material

    deck = min(p["id"] for p in client.call("GET", "/api/parts") if p["name"] == "Mast bracket")
    own = client.call("POST", f"/api/parts/{deck}/copy")["id"]
    page.goto(f"{site.url}/parts/{own}")
    ready(page)
    page.get_by_role("button", name="Another part").click()
    line = page.get_by_label("Writing line")
    line.get_by_role("button", name="choose one of the shelf").click()
    page.get_by_role("menuitem", name="Guide rail, 250 mm").click()
    expect(line).to_contain_text(re.compile(r"Guide rail, 250 mm, revision \d+, turned"), timeout=40_000)
    line.get_by_label("count", exact=True).fill("3")
    page.keyboard.press("Tab")
    line.get_by_role("button", name="pattern: in a row").click()
    page.get_by_role("menuitem", name="in a grid").click()
    bodies = page.get_by_label("Bodies", exact=True)
    expect(bodies).to_contain_text("8 bodies", timeout=30_000)
    bodies.get_by_role("button", name="as a parts list").click()
    expect(bodies.get_by_label("Parts list").locator("tr")).to_have_count(3)
    expect(bodies.get_by_label("Parts list")).to_contain_text(re.compile(r"6 ×Guide rail, 250 mm revision \d+, "))
