"""The everyday jobs from the raw file, each by no more presses, picks, typed values and confirmations than promised.

What is counted stands in docs/DECISIONS.md and must be true there. Waiting is not counted; choosing the file is one.
"""

from __future__ import annotations

import io
import math
import re
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import ezdxf
import numpy as np
import pytest
from playwright.sync_api import Page, expect
from running_site import Site, open_from_shelf
from test_firm_ground import press as press_sheet
from test_firm_ground import ready

TABLE = Path(__file__).resolve().parents[1] / "docs" / "DECISIONS.md"
FILES = Path(__file__).resolve().parents[1] / "demo" / "files"
BRING_IN, TIDY, CLOSE, ARRANGE, BUILD, CHECK, HAND_OVER = range(7)


class Hand:
    """A designer's hand at the page: everything it does is counted."""

    def __init__(self, page: Page, site: Site) -> None:
        self.page, self.site, self.count = page, site, 0
        self.did: list[str] = []

    def _one(self, what: str) -> None:
        self.count += 1
        self.did.append(what)

    def bring(self, name: str, data: bytes) -> None:
        """Choose the file on the shelf."""
        self._one(f"the file {name}")
        self.page.goto(self.site.url)
        self.page.get_by_label("Drawing file").set_input_files(
            {"name": name, "mimeType": "application/octet-stream", "buffer": data}
        )
        self.page.wait_for_url("**/parts/*")
        ready(self.page)

    def add(self, name: str, data: bytes, at: tuple[float, float] = (0, 0)) -> None:
        """Drop another file on the open part, at a place of the window."""
        self._one(f"the file {name}")
        self.page.evaluate(
            """([name, bytes, clientX, clientY]) => {
                const carried = new DataTransfer();
                carried.items.add(new File([new Uint8Array(bytes)], name));
                const drop = new DragEvent("drop", { bubbles: true, dataTransfer: carried, clientX, clientY });
                document.querySelector("main").dispatchEvent(drop);
            }""",
            [name, list(data), *at],
        )
        expect(self.page.get_by_text(name).first).to_be_visible(timeout=30_000)
        self.settled()

    def stage(self, number: int) -> None:
        self._one(f"stage {number + 1}")
        self.page.get_by_label("Stages").get_by_role("button").nth(number).click()

    def press(self, name: str | re.Pattern[str]) -> None:
        self._one(str(name))
        self.page.get_by_role("button", name=name).first.click()

    def key(self, name: str, *, writes: str = "") -> None:
        self._one(name)
        self.page.keyboard.press(name)
        if writes:
            expect(self.page.get_by_label("Writing line")).to_contain_text(writes)

    def pick(self, x: float, y: float) -> None:
        self._one(f"pick {x:g} / {y:g}")
        press_sheet(self.page, x, y)

    def type(self, text: str) -> None:
        self._one(f"“{text}”")
        self.page.keyboard.type(text)
        self.page.wait_for_timeout(450)

    def enter(self, on_card: str) -> None:
        self._one("Enter")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_label("Route card")).to_contain_text(on_card, timeout=30_000)
        expect(self.page.get_by_label("Route card")).not_to_contain_text("being written")
        self.settled()

    def settled(self) -> None:
        self.page.wait_for_timeout(300)
        expect(self.page.get_by_role("button", name="Stop")).to_have_count(0, timeout=60_000)

    def volume(self, cm3: float, *, off: float = 1e-3) -> None:
        """The part comes to have this volume."""
        figures = self.page.get_by_label("Figures of the part")
        for _ in range(120):
            if figures.count():
                told = re.search(r"([\d.]+) cm³", figures.inner_text())
                if told and abs(float(told[1]) - cm3) <= off * cm3 + 5.1e-4:
                    return
            self.page.wait_for_timeout(250)
        raise AssertionError(f"{figures.inner_text() if figures.count() else 'nothing'}, not {cm3} cm³; {self.did}")


@pytest.fixture
def hand(page: Page, site: Site) -> Hand:
    return Hand(page, site)


def dxf(draw: Callable[[Any], None]) -> bytes:
    document = ezdxf.new("R2010", units=4)
    draw(document.modelspace())
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def promised() -> dict[str, tuple[int, int]]:
    """Job → at most, and as it is: the rows of the table."""
    rows = re.findall(r"^\| ([^|]+?) \| (\d+) \| (\d+) \|", TABLE.read_text(), re.M)
    return {job: (int(most), int(now)) for job, most, now in rows}


def told(job: str, hand: Hand) -> None:
    """Print what was counted, and hold it against the table."""
    most, now = promised()[job]
    sys.stdout.write(f"{job}: {hand.count}, at most {most}: {', '.join(hand.did)}\n")
    assert hand.count <= most, hand.did
    assert hand.count == now, f"docs/DECISIONS.md says {now}: {hand.did}"


def plate(space: Any) -> None:
    space.add_lwpolyline([(0, 0), (60, 0), (60, 40), (0, 40)], close=True)


def test_silhouette_to_plate_to_stl(hand: Hand) -> None:
    svg = '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">'
    svg += '<path d="M0 0H60V40H30L20 30H0Z"/></svg>'
    hand.bring("silhouette.svg", svg.encode())
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("6")
    hand.enter("6 mm")
    hand.volume((60 * 30 + (40 + 30) / 2 * 10) * 6 / 1000)
    hand.stage(HAND_OVER)
    with hand.page.expect_download(timeout=60_000) as download:
        hand.press("Download STL")
    assert download.value.path().stat().st_size > 84
    told("silhouette → plate → STL", hand)


def test_rail_to_bar_and_another_length(hand: Hand) -> None:
    ring = [(0, 0), (30, 0), (30, 12), (20, 12), (20, 6), (10, 6), (10, 12), (0, 12)]
    hand.bring("rail.dxf", dxf(lambda space: space.add_lwpolyline(ring, close=True)))
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("250")
    hand.enter("250 mm")
    hand.volume((30 * 12 - 60) * 250 / 1000)
    told("rail → bar", hand)
    again = Hand(hand.page, hand.site)
    again.press(re.compile("length: 250 mm"))
    again.type("400")
    again.enter("400 mm")
    again.volume(300 * 400 / 1000)
    told("the same bar in a new length", again)


def bracket(space: Any, *, side: bool) -> None:
    """An angle 60 × 40 × 30 of 6 mm with two holes, in third angle; with or without the view from the right."""
    lines = [[(0, 0), (60, 0), (60, 30), (0, 30)], [(0, 50), (60, 50), (60, 90), (0, 90)]]
    if side:
        lines.append([(80, 0), (120, 0), (120, 6), (86, 6), (86, 30), (80, 30)])
    for ring in lines:
        space.add_lwpolyline(ring, close=True)
    space.doc.linetypes.add("HIDDEN", [3.0, 2.0, -1.0])
    space.add_line((0, 6), (60, 6), dxfattribs={"linetype": "HIDDEN"})
    space.add_line((0, 56), (60, 56))
    space.add_text("THIRD ANGLE", height=3, dxfattribs={"insert": (150, -20)})
    for x in (15, 45):
        space.add_circle((x, 75), 4)
        for edge in (x - 4, x + 4):
            space.add_line((edge, 0), (edge, 6), dxfattribs={"linetype": "HIDDEN"})
    if side:
        for edge in (105 - 4, 105 + 4):
            space.add_line((edge, 0), (edge, 6), dxfattribs={"linetype": "HIDDEN"})


ANGLE = (60 * 40 * 6 + 60 * 6 * 24 - 2 * math.pi * 16 * 6) / 1000


@pytest.mark.parametrize(("job", "side"), [("three-view bracket", True), ("two-view symmetric part", False)])
def test_a_part_out_of_its_views(job: str, side: bool, hand: Hand) -> None:
    hand.bring("bracket.dxf", dxf(lambda space: bracket(space, side=side)))
    hand.stage(ARRANGE)
    hand.key("1", writes="Find the views")
    hand.enter("Find the views")
    hand.stage(BUILD)
    hand.key("5", writes="from its views")
    hand.volume(ANGLE)
    hand.enter("outline")
    hand.volume(ANGLE)
    told(job, hand)


def test_three_thicknesses(hand: Hand) -> None:
    def nested(space: Any) -> None:
        plate(space)
        space.add_lwpolyline([(5, 5), (30, 5), (30, 35), (5, 35)], close=True)
        space.add_circle((45, 20), 8)

    hand.bring("three.dxf", dxf(nested))
    hand.stage(BUILD)
    for x, y, height in ((57, 37, "4"), (15, 20, "10"), (45, 20, "7")):
        hand.pick(x, y)
        hand.key("1", writes="1 profile")
        hand.type(height)
        hand.enter(f"{height} mm")
    disc = math.pi * 64
    hand.volume(((60 * 40 - 25 * 30 - disc) * 4 + 25 * 30 * 10 + disc * 7) / 1000)
    told("three thicknesses", hand)


def test_lettering_with_gaps_and_doubles(hand: Hand) -> None:
    """Two letters: one side of the first stops short, one of the second is drawn twice; its hole stays a hole."""

    def letters(space: Any) -> None:
        for a, b in (((0, 0), (10, 0)), ((10, 0), (10, 30)), ((10, 30), (0, 30)), ((0, 29.97), (0, 0.0))):
            space.add_line(a, b)
        space.add_lwpolyline([(20, 0), (40, 0), (40, 30), (20, 30)], close=True)
        space.add_line((20, 0), (40, 0))
        space.add_lwpolyline([(25, 10), (35, 10), (35, 20), (25, 20)], close=True)

    hand.bring("lettering.dxf", dxf(letters))
    hand.stage(TIDY)
    hand.press(re.compile(r"^Mend the \d+ certain"))
    expect(hand.page.get_by_label("Writing line")).to_contain_text("Mend")
    hand.enter("Mend")
    hand.stage(BUILD)
    hand.key("4", writes="level")
    hand.type("2")
    hand.enter("level")
    hand.volume((300 + 600 - 100) * 2 / 1000, off=2e-3)
    told("lettering with gaps and doubles", hand)


def test_trim_to_a_smooth_bar(hand: Hand) -> None:
    turns = np.linspace(0, math.pi, 90)
    arc = [(20 + 20 * math.cos(t), 20 * math.sin(t)) for t in turns]
    ring = [*arc, (0, -10), (40, -10)]
    hand.bring("trim.dxf", dxf(lambda space: space.add_lwpolyline(ring, close=True)))
    hand.stage(TIDY)
    hand.press(re.compile("^Smooth"))
    expect(hand.page.get_by_label("Writing line")).to_contain_text("Smooth")
    hand.enter("Smooth")
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("100")
    hand.enter("100 mm")
    hand.volume((math.pi * 200 + 400) * 100 / 1000)
    told("trim → smooth bar", hand)


def test_one_line_section_to_a_sheet_section(hand: Hand) -> None:
    path = [(0, 20), (0, 0), (40, 0), (40, 20)]
    hand.bring("channel.dxf", dxf(lambda space: space.add_lwpolyline(path)))
    hand.stage(CLOSE)
    hand.press(re.compile("^Thicken"))
    expect(hand.page.get_by_label("Writing line")).to_contain_text("thickness")
    hand.type("2")
    hand.enter("2 mm")
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("100")
    hand.enter("100 mm")
    hand.volume(80 * 2 * 100 / 1000, off=0.02)
    told("one-line section → closed sheet section", hand)


def test_foil_to_fin(hand: Hand) -> None:
    hand.bring("keel-fin.dat", (FILES / "keel-fin.dat").read_bytes())
    hand._one("the chord")
    hand.page.get_by_role("textbox", name="Chord").click()
    hand.type("180")
    hand.key("Enter")
    hand.settled()
    expect(hand.page.get_by_label("What came in")).to_contain_text("180", timeout=20_000)
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("60")
    hand.enter("60 mm")
    expect(hand.page.get_by_label("Figures of the part")).to_contain_text(re.compile(r"^180(\.0\d*)? ×"))
    told("foil → fin", hand)


def test_scan_to_solid(hand: Hand) -> None:
    picture = np.full((600, 800), 255, np.uint8)
    cv2.rectangle(picture, (100, 100), (700, 500), 0, -1)
    cv2.circle(picture, (400, 300), 100, 255, -1)
    hand.bring("scan.png", cv2.imencode(".png", picture)[1].tobytes())
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("3")
    hand.enter("3 mm")
    expect(hand.page.get_by_label("Figures of the part")).to_contain_text("× 3 mm", timeout=30_000)
    told("scan → solid", hand)


def test_board_to_raised_copper(hand: Hand) -> None:
    head = "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,2.0*%\n%ADD11R,6.0X4.0*%\n%LPD*%\n"
    board = head + "D10*\nX5000000Y5000000D03*\nD11*\nX20000000Y5000000D03*\nX20000000Y15000000D03*\nM02*\n"
    hand.bring("copper.gbr", board.encode())
    hand.stage(BUILD)
    hand.key("1", writes="profiles")
    hand.key("a")
    expect(hand.page.get_by_label("Writing line")).to_contain_text("all material")
    hand.type("0.5")
    hand.enter("0.5 mm")
    hand.volume((math.pi + 2 * 24) * 0.5 / 1000, off=0.05)
    told("board → raised copper", hand)


def emblem() -> bytes:
    """A ring and a square."""

    def draw(space: Any) -> None:
        space.add_circle((0, 0), 8)
        space.add_circle((0, 0), 5)
        space.add_lwpolyline([(-2, -2), (2, -2), (2, 2), (-2, 2)], close=True)

    return dxf(draw)


def page_with_two_squares() -> bytes:
    """A PDF with two filled squares of 20 points."""
    drawn = b"10 10 20 20 re f 40 10 20 20 re f"
    out = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n"
    out += b"2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj\n"
    out += b"3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 80 40]/Contents 4 0 R>>endobj\n"
    out += b"4 0 obj<</Length %d>>stream\n%s\nendstream endobj\n" % (len(drawn), drawn)
    return out + b"trailer<</Root 1 0 R>>\n%%EOF\n"


SQUARES = 2 * (20 * 25.4 / 72) ** 2


@pytest.mark.parametrize(
    ("job", "name", "data", "area"),
    [
        ("emblem into a face", "emblem.dxf", emblem(), math.pi * (64 - 25) + 16),
        ("PDF → engraving", "label.pdf", page_with_two_squares(), SQUARES),
    ],
)
def test_art_into_a_face(job: str, name: str, data: bytes, area: float, hand: Hand) -> None:
    """The art is dropped on the face itself: it is one sentence, and a typed number is its depth."""
    hand.bring("lid.dxf", dxf(plate))
    hand.stage(BUILD)
    hand.key("1", writes="1 profile")
    hand.type("10")
    hand.enter("10 mm")
    hand.volume(24)
    box = hand.page.locator("[data-pane=part] canvas").bounding_box()
    assert box
    hand.add(name, data, at=(box["x"] + 0.5 * box["width"], box["y"] + 0.47 * box["height"]))
    expect(hand.page.get_by_label("Writing line")).to_contain_text(name)
    hand.type("0.5")
    hand.volume(24 - area * 0.5 / 1000, off=1e-5)
    hand.enter("0.5 mm")
    hand.volume(24 - area * 0.5 / 1000, off=1e-5)
    told(job, hand)


def test_five_presses_lead_through_the_bracket(page: Page, site: Site) -> None:
    page.evaluate("localStorage.setItem('first steps', '0')")
    page.goto(site.url)
    steps = page.get_by_label("First steps")
    expect(steps.locator("[aria-current=true]")).to_contain_text("Open “Clamp bracket”")
    open_from_shelf(page, "Clamp bracket")
    ready(page)
    stages = page.get_by_label("Stages")
    stages.get_by_role("button", name="Arrange").click()
    expect(steps.locator("[aria-current=true]")).to_contain_text("Press Build")
    stages.get_by_role("button", name="Build").click()
    page.get_by_label("Route card").get_by_role("button", name="length: 60 mm").first.click()
    page.keyboard.type("70")
    page.keyboard.press("Enter")
    expect(steps.locator("[aria-current=true]")).to_contain_text("Press Hand over", timeout=20_000)
    stages.get_by_role("button", name="Hand over").click()
    expect(steps).to_contain_text("That is all of it.")
    steps.get_by_role("button", name="done").click()
    page.keyboard.press("Control+z")
    page.reload()
    ready(page)
    expect(page.get_by_label("Route card")).to_contain_text("60 mm")
    expect(steps).to_have_count(0)
