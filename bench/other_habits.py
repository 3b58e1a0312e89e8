"""Sheets drawn in other habits than those that the reconstruction was mended for: what comes out right, what is said to
be unsure, and what is wrong and looks right.

python bench/other_habits.py [sheets a habit]
"""

from __future__ import annotations

import contextlib
import io
import json
import math
import random
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import ezdxf

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "core"))

from tectogon.cli import main

Point = tuple[float, float]
NEAR = 5e-4
"""A volume that is off by no more than this share is right."""
THICKNESS = ("THICKNESS {} MM", "Dicke {} mm", "épaisseur : {} mm", "spessore {} mm", "espesor {} mm")


class Sheet:
    """A drawing that is being drawn, in millimetres."""

    def __init__(self) -> None:
        self.document = ezdxf.new("R2013", units=4)
        for name, pattern in (("CENTER", [20, 12, -3, 2, -3]), ("HIDDEN", [6, 4, -2])):
            self.document.linetypes.add(name, pattern=pattern)
        self.space: Any = self.document.modelspace()

    def line(self, a: Point, b: Point, kind: str = "CONTINUOUS", **more: Any) -> None:
        self.space.add_line(a, b, dxfattribs={"linetype": kind, **more})

    def chain(self, *points: Point, closed: bool = True, kind: str = "CONTINUOUS") -> None:
        for a, b in zip(points, (*points[1:], points[0]) if closed else points[1:], strict=False):
            self.line(a, b, kind)

    def circle(self, at: Point, radius: float) -> None:
        self.space.add_circle(at, radius)

    def text(self, text: str, at: Point, height: float = 3.5) -> None:
        self.space.add_text(text, height=height).set_placement(at)


@dataclass(frozen=True)
class Bracket:
    """A base with a wall at its back and a hole in the base, symmetrical across."""

    wide: float
    deep: float
    high: float
    base: float
    wall: float
    radius: float
    at: Point

    @classmethod
    def of(cls, rng: random.Random) -> Bracket:
        wide, deep, high = rng.randrange(50, 90, 2), rng.randrange(36, 60), rng.randrange(25, 50)
        base, wall, radius = rng.randrange(6, 12), rng.randrange(6, 12), rng.choice([3.3, 4.2, 5.0, 6.8])
        return cls(wide, deep, high, base, wall, radius, (wide / 2, (deep - wall) / 2))

    @property
    def volume(self) -> float:
        upright = self.wide * self.wall * (self.high - self.base)
        return self.wide * self.deep * self.base + upright - math.pi * self.radius**2 * self.base

    def draw(self, sheet: Sheet, *, first: bool, top: Callable[[Sheet, Point], None] | None = None) -> None:
        """Front, top and right view, what is hidden dashed; `top` draws the top view in its place."""
        w, d, h, gap = self.wide, self.deep, self.high, 25.0
        sheet.chain((0, 0), (w, 0), (w, h), (0, h))
        sheet.line((0, self.base), (w, self.base))
        for x in (self.at[0] - self.radius, self.at[0] + self.radius):
            sheet.line((x, 0), (x, self.base), "HIDDEN")
        (top or self.top)(sheet, (0.0, -gap - d if first else h + gap))
        x0 = -gap - d if first else w + gap
        sheet.chain(
            *((x0 + y, z) for y, z in ((0, 0), (d, 0), (d, h), (d - self.wall, h), (d - self.wall, self.base))),
            (x0, self.base),
        )
        for y in (self.at[1] - self.radius, self.at[1] + self.radius):
            sheet.line((x0 + y, 0), (x0 + y, self.base), "HIDDEN")

    def top(self, sheet: Sheet, corner: Point) -> None:
        x, y = corner
        sheet.chain((x, y), (x + self.wide, y), (x + self.wide, y + self.deep), (x, y + self.deep))
        sheet.line((x, y + self.deep - self.wall), (x + self.wide, y + self.deep - self.wall))
        sheet.circle((x + self.at[0], y + self.at[1]), self.radius)

    def half_top(self, sheet: Sheet, corner: Point) -> None:
        """The half of the top view left of the middle, with the signs of symmetry."""
        x, y = corner
        half = self.wide / 2
        sheet.chain((x + half, y), (x, y), (x, y + self.deep), (x + half, y + self.deep), closed=False)
        sheet.line((x, y + self.deep - self.wall), (x + half, y + self.deep - self.wall))
        sheet.space.add_arc((x + self.at[0], y + self.at[1]), self.radius, 90, 270)
        sheet.line((x + half, y - 8), (x + half, y + self.deep + 8), "CENTER")
        for level in (y - 7, y - 6, y + self.deep + 6, y + self.deep + 7):
            sheet.line((x + half - 2.5, level), (x + half + 2.5, level))


def plate(
    sheet: Sheet, rng: random.Random, corner: Point = (0, 0), *, splines: bool = False
) -> tuple[float, list[Any]]:
    """An angled plate with holes: its area (mm²) and the holes."""
    x, y = corner
    w, h, cut = rng.randrange(70, 120), rng.randrange(45, 70), rng.randrange(10, 20)
    sheet.chain((x, y), (x + w, y), (x + w, y + h - cut), (x + w - cut, y + h), (x, y + h))
    holes = [(x + w * k / 4, y + h / 3, rng.choice([2.5, 3.0, 4.5])) for k in (1, 2, 3)]
    for cx, cy, r in holes:
        if splines:
            turns = [2 * math.pi * n / 24 for n in range(25)]
            sheet.space.add_spline([(cx + r * math.cos(t), cy + r * math.sin(t)) for t in turns])
        else:
            sheet.circle((cx, cy), r)
    return w * h - cut**2 / 2 - sum(math.pi * r * r for *_, r in holes), holes


def thickness_in_words(sheet: Sheet, rng: random.Random) -> float:
    area, _ = plate(sheet, rng)
    t = rng.randrange(2, 12)
    sheet.text(rng.choice(THICKNESS).format(t), (0, -25))
    return area * t


def hole_table(sheet: Sheet, rng: random.Random) -> float:
    area, holes = plate(sheet, rng)
    t = rng.randrange(2, 12)
    x, y = 150.0, 60.0
    for k in range(len(holes) + 2):
        sheet.line((x, y - 7 * k), (x + 80, y - 7 * k))
    for k in range(5):
        sheet.line((x + 20 * k, y), (x + 20 * k, y - 7 * (len(holes) + 1)))
    rows = [
        ("HOLE", "X", "Y", "DIA"),
        *((f"A{n}", f"{a:g}", f"{b:g}", f"{2 * r:g}") for n, (a, b, r) in enumerate(holes)),
    ]
    for k, row in enumerate(rows):
        for n, word in enumerate(row):
            sheet.text(word, (x + 20 * n + 2, y - 7 * k - 5), 2.5)
    for n, (a, b, r) in enumerate(holes):
        sheet.text(f"A{n}", (a + r + 1, b + r + 1), 2.5)
    sheet.text(f"t = {t}", (0, -25))
    return area * t


def splines_for_circles(sheet: Sheet, rng: random.Random) -> float:
    area, _ = plate(sheet, rng, splines=True)
    t = rng.randrange(2, 12)
    sheet.text(f"SHEET {t} MM THICK", (0, -25))
    return area * t


def two_parts(sheet: Sheet, rng: random.Random) -> None:
    for n, corner in enumerate(((0.0, 0.0), (180.0, 0.0))):
        plate(sheet, rng, corner)
        sheet.text(f"PART {n + 1}", (corner[0], -15))
        sheet.text(f"THICKNESS {rng.randrange(2, 5) + 4 * n}", (corner[0], -25))


def layout(sheet: Sheet, rng: random.Random) -> float:
    part = Bracket.of(rng)
    part.draw(sheet, first=rng.random() < 0.5)
    paper: Any = sheet.document.layout("Layout1")
    paper.page_setup(size=(297, 210), margins=(5, 5, 5, 5), units="mm")
    paper.add_lwpolyline([(10, 10), (287, 10), (287, 200), (10, 200)], close=True)
    paper.add_viewport(center=(140, 110), size=(240, 160), view_center_point=(30, 30), view_height=320)
    paper.add_text("SCALE 1:2", height=3.5).set_placement((200, 15))
    return part.volume


def thread_symbol(sheet: Sheet, rng: random.Random) -> float:
    """A tapped hole: the core drawn as an edge, the thread as a thin arc of three quarters and thin lines."""
    part = Bracket.of(rng)
    first = rng.random() < 0.5
    part.draw(sheet, first=first)
    y = -25.0 - part.deep if first else part.high + 25.0
    at, outer = (part.at[0], y + part.at[1]), part.radius * 1.2
    sheet.space.add_arc(at, outer, 100, 370, dxfattribs={"lineweight": 18})
    sheet.text(f"M{2 * outer:.0f}", (at[0] + 12, at[1] + 9))
    return part.volume


def half_view(sheet: Sheet, rng: random.Random) -> float:
    part = Bracket.of(rng)
    part.draw(sheet, first=rng.random() < 0.5, top=part.half_top)
    return part.volume


def notes_beside(sheet: Sheet, rng: random.Random) -> float:
    """Notes in another language, a table of tolerances and a balloon beside the views."""
    part = Bracket.of(rng)
    part.draw(sheet, first=rng.random() < 0.5)
    notes = rng.choice(
        [("REMARQUES", "Casser les angles vifs"), ("NOTE", "Smussi non quotati 0.5x45"), ("NOTAS", "Pintar")]
    )
    for n, words in enumerate(notes):
        sheet.text(words, (190, 90 - 6 * n))
    for k in range(4):
        sheet.line((190, 40 - 6 * k), (250, 40 - 6 * k))
    for x in (190, 220, 250):
        sheet.line((x, 40), (x, 22))
    sheet.circle((200, 65), 6)
    sheet.text("1", (199, 63))
    return part.volume


HABITS: tuple[Callable[[Sheet, random.Random], float | None], ...] = (
    thickness_in_words,
    hole_table,
    splines_for_circles,
    two_parts,
    layout,
    thread_symbol,
    half_view,
    notes_beside,
)


def outcome(path: Path, truth: float | None) -> str:
    """Whether what is built of a sheet is right, wrong and told to be unsure, wrong and looking right, or nothing."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        main(["views", str(path), "--build", str(path.with_suffix(".step")), "--json"])
    told = json.loads(out.getvalue())
    volume = told.get("volume_mm3")
    if not volume:
        return "none"
    if truth is not None and abs(volume / truth - 1.0) <= NEAR:
        return "right"
    return (
        "wrong, certain"
        if told.get("certain")
        else "unsure"
        if told.get("remarks") or told.get("warnings")
        else "faint"
    )


def measured(count: int) -> None:
    """Print what comes of some sheets in each habit."""
    with tempfile.TemporaryDirectory() as folder:
        for habit in HABITS:
            found = []
            for seed in range(count):
                sheet = Sheet()
                truth = habit(sheet, random.Random(f"{habit.__name__} {seed}"))
                path = Path(folder) / f"{habit.__name__}-{seed}.dxf"
                sheet.document.saveas(path)
                found.append(outcome(path, truth))
            told = ", ".join(f"{found.count(one)} {one}" for one in dict.fromkeys(found))
            print(f"{habit.__name__.replace('_', ' '):22} {told}", flush=True)


if __name__ == "__main__":
    measured(int(sys.argv[1]) if len(sys.argv) > 1 else 3)
