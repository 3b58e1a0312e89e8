"""Sheets on which a section stands for a view: where it cuts, what it hatches, and the part that comes out."""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import shapely
from figures import Figure
from tectogon.findings.detail_circles import find_detail_circles
from tectogon.findings.dimensions import find_dimensions
from tectogon.findings.item_numbers import find_item_numbers
from tectogon.linework import Linework
from tectogon.linework.model import Written
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.route.run import Run

Write = Callable[..., Path]
OnCard = Callable[..., Run]
Ring = list[tuple[float, float]]
UP = 120.0
"""The section is drawn so far above the view from above: first angle."""


class Block:
    """A block with a row of pockets and holes along its middle, each from the top to some depth, and one through hole
    before the plane; drawn from above and as a section through the middle."""

    def __init__(self, seed: int) -> None:
        draw = random.Random(seed)
        self.wide, self.deep, self.high = draw.choice((90, 120)), draw.choice((40, 56)), draw.choice((20, 30))
        self.features: list[tuple[float, float, float, bool]] = []
        at = 8.0
        while at < self.wide - 24:
            width = draw.choice((10.0, 14.0))
            depth = draw.choice((0.0, 6.0, 11.0, 15.0))
            self.features.append((at, width, depth, draw.random() < 0.5))
            at += width + draw.choice((5.0, 8.0))

    @property
    def volume(self) -> float:
        out = float(self.wide * self.deep * self.high)
        for _, width, depth, is_round in self.features:
            area = math.pi * width**2 / 4.0 if is_round else width * 16.0
            out -= area * (depth or self.high)
        return out

    @property
    def material(self) -> list[Ring]:
        cut = shapely.box(0, 0, self.wide, self.high)
        for at, width, depth, _ in self.features:
            cut = cut - shapely.box(at, self.high - (depth or self.high), at + width, self.high)
        return [list(part.exterior.coords)[:-1] for part in getattr(cut, "geoms", [cut])]

    def draw(self, space: Any, document: Any, *, hatch: str, titled: bool) -> None:
        above = Figure().rectangle(0, 0, self.wide, self.deep)
        for at, width, _, is_round in self.features:
            middle = self.deep / 2.0
            if is_round:
                above.circle(at + width / 2, middle, width / 2)
            else:
                above.rectangle(at, middle - 8, width, 16)
        above.rectangle(0, UP, self.wide, self.high)
        for at, width, depth, _ in self.features:
            foot = UP + self.high - (depth or self.high)
            above.line(at, foot, at, UP + self.high).line(at + width, foot, at + width, UP + self.high)
            if depth:
                above.line(at, foot, at + width, foot)
        above.draw()(space, document)
        raised = [[(x, y + UP) for x, y in ring] for ring in self.material]
        hatched(space, raised, hatch)
        if titled:
            cutting_line(space, document, self.wide, self.deep / 2.0)
            space.add_text("A-A", height=4, dxfattribs={"insert": (self.wide / 2, UP + self.high + 6)})


def hatched(space: Any, rings: list[Ring], how: str) -> None:
    for ring in rings:
        if how == "entity":
            hatch = space.add_hatch()
            hatch.set_pattern_fill("ANSI31", scale=0.5)
            hatch.paths.add_polyline_path(ring, is_closed=True)
        elif how == "lines":
            area = shapely.Polygon(ring)
            for k in range(-400, 400, 2):
                run = shapely.intersection(area, shapely.LineString([(k, UP - 10), (k + 200, UP + 190)]))
                for piece in getattr(run, "geoms", [run]):
                    if piece.length > 0.3:
                        space.add_line(*piece.coords)


def cutting_line(space: Any, document: Any, wide: float, at: float) -> None:
    document.linetypes.add("CENTER", [32, 20, -4, 4, -4])
    space.add_line((-8, at), (wide + 8, at), dxfattribs={"linetype": "CENTER"})
    for x in (-14, wide + 10):
        space.add_text("A", height=4, dxfattribs={"insert": (x, at - 2)})


@pytest.mark.parametrize("titled", [True, False])
@pytest.mark.parametrize("hatch", ["entity", "lines"])
@pytest.mark.parametrize("seed", range(3))
def test_a_part_comes_out_of_a_view_and_a_section(
    seed: int, hatch: str, titled: bool, drawing: Write, on_card: OnCard
) -> None:
    block = Block(seed)
    path = drawing(lambda space, document: block.draw(space, document, hatch=hatch, titled=titled))
    before = [("arrange", {})]
    if hatch == "lines":
        before.insert(0, ("leave_out", {"proposals": ["hatching"]}))
    run = on_card(path, *before, ("from_views", {}))
    told = {note.code: note.text for note in run.steps[-1].notes}
    assert sum(body.volume for body in run.workpiece.bodies) == pytest.approx(block.volume, rel=1e-9), told
    assert "part_against" not in told and "part_only" not in told  # what lies before the plane is not shown
    if titled:
        names = [v.name for v in run.workpiece.views]
        assert names == ["top", "section A-A"] and "the cutting line A in the top view" in told["part_section"]
    again = on_card(path, *before, *steps_from_views(run.workpiece))
    assert sum(body.volume for body in again.workpiece.bodies) == pytest.approx(block.volume, rel=1e-9)


def test_a_hatched_view_with_dashed_lines_is_no_section(drawing: Write, on_card: OnCard) -> None:
    """A patch of hatching on a plain view, a knurl say: the hidden edges that it draws are those of a whole part."""

    def draw(space: Any, document: Any) -> None:
        Figure().rectangle(0, 0, 60, 20).rectangle(0, 40, 60, 40).circle(30, 60, 6).draw()(space, document)
        document.linetypes.add("DASHED", [0.6, 0.4, -0.2])
        for x in (24, 36):
            space.add_line((x, 0), (x, 20), dxfattribs={"linetype": "DASHED"})
        hatched(space, [[(0, 0), (60, 0), (60, 20), (0, 20)]], "entity")

    run = on_card(drawing(draw), ("arrange", {"projection": "third"}), ("from_views", {}))
    assert run.workpiece.bodies[0].volume == pytest.approx(60 * 40 * 20 - math.pi * 36 * 20, rel=1e-9)
    codes = [note.code for note in run.steps[-1].notes]
    assert "part_only" in codes and "part_section" not in codes


def test_a_flange_comes_out_of_its_circles_and_a_section(drawing: Write, on_card: OnCard) -> None:
    """A hub on a flange with four holes, two of them in the plane: the section draws no edge of the flange behind the
    hub, so that space is parted where lines end."""
    left = [[(10, 0), (26, 0), (26, 10), (20, 10), (20, 30), (10, 30)], [(34, 0), (40, 0), (40, 10), (34, 10)]]
    rings: list[Ring] = [[(side * x, y + UP) for x, y in ring] for ring in left for side in (1, -1)]

    def draw(space: Any, document: Any) -> None:
        for radius in (40, 20, 10):
            space.add_circle((0, 0), radius)
        for x, y in ((30, 0), (0, 30), (-30, 0), (0, -30)):
            space.add_circle((x, y), 4)
        for ring in rings:
            space.add_lwpolyline(ring, close=True)
        for y, reach in ((0, 40), (10, 34), (30, 10)):
            for side in (1, -1):
                inner = 26 if y < 30 else 0
                space.add_line((side * inner, UP + y), (side * min(reach, 34), UP + y))
        space.add_line((-10, UP), (10, UP))
        hatched(space, rings, "entity")
        cutting_line(space, document, 50, 0.0)
        space.add_text("A-A", height=4, dxfattribs={"insert": (-4, UP + 36)})

    run = on_card(drawing(draw), ("arrange", {}), ("from_views", {}))
    true = math.pi * (1600 * 10 + 400 * 20 - 100 * 30 - 4 * 16 * 10)
    assert run.workpiece.bodies[0].volume == pytest.approx(true, rel=1e-9)


def with_texts(figure: Figure, *texts: Written) -> Linework:
    return Linework(figure.table, tuple(f"s1:{n}" for n in range(len(figure.curves))), texts=texts)


def test_the_circle_round_a_detail_is_no_edge_and_a_circle_of_the_part_is() -> None:
    figure = Figure().rectangle(0, 0, 100, 60).circle(30, 30, 6).circle(30, 30, 9).circle(80, 30, 8)
    texts = (Written("D", (86.0, 22.0), 2.5), Written("D (2:1)", (150.0, 60.0), 3.5), Written("A", (38.0, 34.0), 2.5))
    drawn = with_texts(figure, *texts)
    rows = find_detail_circles(drawn, np.arange(len(drawn)))
    assert [drawn.table.data[r, 2] for r in rows] == [8.0], "the one whose letter a title repeats"
    assert not len(find_detail_circles(with_texts(figure, *texts[:1]), np.arange(len(drawn))))


def test_an_edge_between_the_arrows_of_a_section_is_no_dimension() -> None:
    figure = Figure().rectangle(0, 0, 100, 18)
    for x in (-5.0, 105.0):
        figure.line(x, 9, x, 2)
    drawn = with_texts(figure, Written("18", (-8.0, 9.0), 2.5), Written("C", (-8.0, 11.0), 2.5))
    assert not set(find_dimensions(drawn, np.arange(len(drawn))).tolist()) & {0, 1, 2, 3}


def test_rounded_walls_under_a_title_with_a_number_are_no_dimension() -> None:
    figure = Figure()
    for inset, radius in ((0.0, 4.0), (2.5, 1.5)):
        low, wide, high = inset, 40.0 - 2 * inset, 25.0 - 2 * inset
        x0, y0, x1, y1, r = low, low, low + wide, low + high, radius
        figure.line(x0 + r, y0, x1 - r, y0).line(x1, y0 + r, x1, y1 - r)
        figure.line(x1 - r, y1, x0 + r, y1).line(x0, y1 - r, x0, y0 + r)
        for cx, cy, start in ((x1 - r, y0 + r, 270), (x1 - r, y1 - r, 0), (x0 + r, y1 - r, 90), (x0 + r, y0 + r, 180)):
            figure.arc(cx, cy, r, start, 90)
    drawn = with_texts(figure, Written("FH-2203 GUIDE RAIL", (0.0, 31.0), 2.5))
    assert not len(find_dimensions(drawn, np.arange(len(drawn)))), "ends that meet arcs are not free"


def test_item_numbers_are_no_geometry_and_a_numbered_hole_is() -> None:
    figure = Figure().rectangle(0, 0, 80, 50).circle(20, 25, 5).circle(60, 25, 5)
    figure.circle(100, 60, 5).line(95, 60, 70, 45).circle(70, 45, 0.5)
    figure.circle(110, 20, 5).line(105, 20, 75, 20).line(75, 20, 77, 21).line(75, 20, 77, 19)
    figure.circle(110, 20 - 10, 5)  # the next number hangs on the one before
    figure.line(60, 30, 60, 70).line(60, 30, 61, 32).line(60, 30, 59, 32)  # a leader to the hole that is numbered
    texts = [Written("1", (98.6, 57.8), 3.5), Written("12", (107.2, 18.2), 3.5), Written("3", (108.6, 8.2), 3.5)]
    drawn = with_texts(figure, *texts, Written("4", (58.6, 23.2), 3.5))
    rows = find_item_numbers(drawn, np.arange(len(drawn)))
    assert rows.tolist() == list(range(6, 14)), "three circles, two leaders, a dot and a head"
