"""Sheets in other habits than usual: what is no view is left out, and what is one is found, by drawings made here."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from tectogon.curves import Arc, CurveTable, Line
from tectogon.findings.dimensions import sizes_to_weigh
from tectogon.findings.not_geometry import find_not_geometry
from tectogon.formats import read_drawing
from tectogon.linework import Linework
from tectogon.linework.evidence import weigh_unit
from tectogon.operations.arrange import found_in
from tectogon.profiles import find_regions
from tectogon.views.projection import symbols_of
from tectogon.workpiece.model import Drawing

Draw = Callable[[Any], None]
FRONT, TOP = (60.0, 120.0, 140.0, 160.0), (60.0, 190.0, 140.0, 240.0)
"""An L-shaped bracket 80 wide, 40 high and 50 deep, third angle."""


def views(space: Any) -> None:
    x0, y0, x1, y1 = FRONT
    space.add_lwpolyline([(x0, y0), (x1, y0), (x1, y0 + 12), (x0 + 15, y0 + 12), (x0 + 15, y1), (x0, y1)], close=True)
    x0, y0, x1, y1 = TOP
    space.add_lwpolyline([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], close=True)
    space.add_line((x0 + 15, y0), (x0 + 15, y1))
    space.add_line((50, 215), (150, 215), dxfattribs={"linetype": "CENTER"})


def sheet(folder: Path, *draws: Draw) -> Linework:
    document = ezdxf.new("R2010", units=4)
    for name, pattern in (("CENTER", [32, 20, -4, 4, -4]), ("HIDDEN", [9, 6, -3])):
        document.linetypes.add(name, pattern=pattern)
    for draw in (views, *draws):
        draw(document.modelspace())
    document.saveas(folder / "sheet.dxf")
    return read_drawing(folder / "sheet.dxf").linework


def aside(linework: Linework) -> dict[str, int]:
    return {a.kind: len(a.rows) for a in find_not_geometry(linework)}


def found(linework: Linework) -> list[tuple[str, tuple[float, ...]]]:
    gone = frozenset(linework.ids[row] for a in find_not_geometry(linework) for row in a.rows.tolist())
    return [(v.name, tuple(round(c, 3) for c in v.box)) for v in found_in(Drawing(linework, left_out=gone)).views]


BOTH = [("front", FRONT), ("top", TOP)]


def frame(marks: float, second: bool, table: bool) -> Draw:
    """A frame of 277 × 190 with centring marks that reach `marks` out of it, perhaps a second one and a title block."""

    def draw(space: Any) -> None:
        x0, y0, x1, y1 = 10.0, 80.0, 287.0, 270.0
        space.add_lwpolyline([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], close=True)
        if second:
            space.add_lwpolyline([(x0 - 7, y0 - 7), (x1 + 7, y0 - 7), (x1 + 7, y1 + 7), (x0 - 7, y1 + 7)], close=True)
        for x, out in ((x0, -1.0), (x1, 1.0)):
            space.add_line((x + out * marks, 175), (x - out * 5, 175))
        for y, out in ((y0, -1.0), (y1, 1.0)):
            space.add_line((148, y + out * marks), (148, y - out * 5))
        if table:
            for y in (90, 100, 110):
                space.add_line((200, y), (287, y))
            space.add_line((200, 80), (200, 110))
            space.add_line((240, 80), (240, 110))
            for n, words in enumerate(("BRACKET", "STEEL", "DRW 7", "1:1")):
                space.add_text(words, height=3, dxfattribs={"insert": (202 + 40 * (n % 2), 83 + 10 * (n // 2))})

    return draw


@pytest.mark.parametrize("marks", [0.0, 5.0, 9.0])
@pytest.mark.parametrize(("second", "table"), [(True, False), (False, True), (True, True)])
def test_a_frame_is_known_by_itself_whatever_sticks_out_of_it(
    marks: float, second: bool, table: bool, tmp_path: Path
) -> None:
    linework = sheet(tmp_path, frame(marks, second, table))
    assert aside(linework)["border"] == 4 + 4 * second + 4 + 5 * table
    assert found(linework) == BOTH


def test_a_plate_with_lines_across_is_no_frame(tmp_path: Path) -> None:
    def plate(space: Any) -> None:
        space.add_lwpolyline([(0, 0), (300, 0), (300, 300), (0, 300)], close=True)
        space.add_text("PLATE", height=4, dxfattribs={"insert": (140, 280)})

    assert "border" not in aside(sheet(tmp_path, plate))


def level(x0: float, x1: float, y: float, text: str, *, from_y: float, broken: bool = False, over: float = 2.0) -> Draw:
    """A dimension drawn as plain lines to the very tips, its heads filled and so no lines."""

    def draw(space: Any) -> None:
        middle = (x0 + x1) / 2.0
        if broken:
            space.add_line((x0, y), (middle - 6, y))
            space.add_line((middle + 6, y), (x1, y))
        else:
            space.add_line((x0, y), (x1, y))
        way = 1.0 if y > from_y else -1.0
        for x in (x0, x1):
            space.add_line((x, from_y + way), (x, y + way * over))
        place = (middle - 3, y - 1.25 if broken else y + 1)
        space.add_text(text, height=2.5, dxfattribs={"insert": place})

    return draw


@pytest.mark.parametrize("broken", [False, True])
@pytest.mark.parametrize("over", [0.0, 1.0, 2.5])
def test_dimensions_drawn_to_the_tip_are_known(broken: bool, over: float, tmp_path: Path) -> None:
    inner = level(60, 75, 112, "15", from_y=120, broken=False, over=over)
    outer = level(60, 140, 104, "80", from_y=120, broken=broken, over=over)
    linework = sheet(tmp_path, inner, outer)
    assert aside(linework)["dimensions"] == 6 + broken
    assert found(linework) == BOTH


def test_an_edge_beside_a_number_is_no_dimension(tmp_path: Path) -> None:
    def number(space: Any) -> None:
        space.add_text("12", height=2.5, dxfattribs={"insert": (95, 133)})

    linework = sheet(tmp_path, number)
    assert "dimensions" not in aside(linework) and found(linework) == BOTH


def test_a_leader_whose_tip_lies_on_an_edge_goes_whole(tmp_path: Path) -> None:
    def leader(space: Any) -> None:
        space.add_line((140, 132), (165, 150))
        space.add_line((165, 150), (172, 150))
        space.add_text("R2", height=2.5, dxfattribs={"insert": (173, 149)})

    linework = sheet(tmp_path, leader)
    assert aside(linework)["dimensions"] == 2 and found(linework) == BOTH


def test_an_angle_goes_with_the_lines_it_is_drawn_between(tmp_path: Path) -> None:
    def angle(space: Any) -> None:
        space.add_arc((140, 120), 30, 0, 40)
        space.add_line((142, 120), (172, 120))
        c, s = math.cos(math.radians(40)), math.sin(math.radians(40))
        space.add_line((140 + 2 * c, 120 + 2 * s), (140 + 32 * c, 120 + 32 * s))
        space.add_text("40°", height=2.5, dxfattribs={"insert": (170, 131)})

    linework = sheet(tmp_path, angle)
    assert aside(linework)["dimensions"] == 3 and found(linework) == BOTH


def cone(x: float, y: float, r: float, way: float) -> Draw:
    def draw(space: Any) -> None:
        space.add_circle((x, y), r)
        space.add_circle((x, y), r / 2)
        near, far = x - 2 * r * way, x - 4.5 * r * way
        space.add_lwpolyline([(far, y - r), (near, y - r / 2), (near, y + r / 2), (far, y + r)], close=True)

    return draw


def test_the_symbol_is_no_view_and_tells_the_angle(tmp_path: Path) -> None:
    linework = sheet(tmp_path, frame(0.0, True, True), cone(280, 105, 3, 1.0))
    assert aside(linework)["projection_symbol"] == 6
    assert [s.angle for s in symbols_of(linework.table)] == ["third"]
    assert found(linework) == BOTH


def test_a_chamfered_end_beside_its_end_view_is_no_symbol() -> None:
    r, small = 13.0, 12.0
    ends = [Line(0, -small, 0, small), Line(1, -r, 1, r), Line(0, small, 1, r), Line(0, -small, 1, -r)]
    rest = [Line(1, r, 400, r), Line(1, -r, 400, -r), Line(400, -r, 400, r)]
    circles = [Arc(60.0 - 130, 0, k, 0, 2 * np.pi) for k in (small, r)]
    assert symbols_of(CurveTable.of([*ends, *rest, *circles])) == []


def test_a_section_stands_in_the_place_of_the_view_that_it_cuts(tmp_path: Path) -> None:
    def right(space: Any) -> None:
        x0, y0 = 180.0, 120.0
        space.add_lwpolyline([(x0, y0), (x0 + 50, y0), (x0 + 50, y0 + 40), (x0, y0 + 40)], close=True)
        space.add_line((x0, y0 + 12), (x0 + 50, y0 + 12))
        space.add_text("SCHNITT A–A", height=3, dxfattribs={"insert": (x0 + 10, y0 - 6)})

    names = dict(found(sheet(tmp_path, right)))
    assert names["front"] == FRONT and names["top"] == TOP
    assert names["section A-A"] == (180.0, 120.0, 230.0, 160.0)


@pytest.mark.parametrize("digits", [3, 4, 5, 8])
def test_a_fillet_closes_however_its_file_was_rounded(digits: int) -> None:
    """A rounded pocket that hangs on a line: arcs end tangent within straight lines, by rounded coordinates."""
    r = 1.6

    def at(*values: float) -> list[float]:
        return [round(v, digits) for v in values]

    slanted = math.radians(17.0)
    c, s = math.cos(slanted), math.sin(slanted)

    def turned(x: float, y: float) -> tuple[float, float]:
        return x * c - y * s, x * s + y * c

    def line(x0: float, y0: float, x1: float, y1: float) -> Line:
        return Line(*at(*turned(x0, y0), *turned(x1, y1)))

    def arc(x: float, y: float, start: float) -> Arc:
        centre = at(*turned(x, y))
        return Arc(centre[0], centre[1], r, round(math.radians(start) + slanted, digits), round(math.pi / 2, digits))

    curves = [
        line(-10, 0, 40, 0), line(-10, 0, -10, -20), line(-10, -20, 40, -20), line(40, -20, 40, 0),
        arc(0 - r, r, 270), line(0, r, 0, 20), line(0, 20, 20, 20), line(20, 20, 20, r), arc(20 + r, r, 180),
    ]  # fmt: skip
    table = CurveTable.of(curves)
    regions = find_regions(table, tuple(map(str, range(len(curves)))), join_tol=2.0 * 10.0**-digits)
    pocket = 20 * 20 + 2 * (1 - math.pi / 4) * r * r
    assert sorted(round(reg.area) for reg in regions.regions) == [round(pocket), 1000]


@pytest.mark.parametrize(("factor", "says"), [(2.0, "1 : 2"), (0.5, "2 : 1"), (1.0, "")])
def test_sizes_written_at_plain_lines_tell_the_scale(factor: float, says: str, tmp_path: Path) -> None:
    sizes = [(60.0, 75.0, 112.0), (60.0, 100.0, 106.0), (60.0, 140.0, 100.0), (75.0, 140.0, 94.0)]
    draws = [level(a, b, y, f"{factor * (b - a):g}", from_y=120) for a, b, y in sizes]
    linework = sheet(tmp_path, *draws)
    found = weigh_unit(linework, "mm", written=sizes_to_weigh(linework))
    assert found.proposed == ("mm" if factor == 1.0 else f"{factor:g}")
    assert says in " ".join(fact.text for fact in found.facts)


def test_a_few_numbers_beside_lines_tell_no_scale(tmp_path: Path) -> None:
    linework = sheet(tmp_path, level(60, 75, 112, "30", from_y=120), level(60, 140, 104, "160", from_y=120))
    assert weigh_unit(linework, "mm", written=sizes_to_weigh(linework)).proposed == "mm"


def test_signs_that_stand_on_edges_are_no_edges(tmp_path: Path) -> None:
    def signs(space: Any) -> None:
        x, y = 100.0, 132.0
        c, s = math.cos(math.radians(60)), math.sin(math.radians(60))
        space.add_line((x, y), (x - 4 * c, y + 4 * s))
        space.add_line((x, y), (x + 8 * c, y + 8 * s))
        space.add_line((x - 4 * c, y + 4 * s), (x + 4 * c, y + 4 * s))
        space.add_line((x + 8 * c, y + 8 * s), (x + 8 * c + 7, y + 8 * s))
        space.add_text("Ra 3,2", height=2.5, dxfattribs={"insert": (x + 8 * c + 0.5, y + 8 * s - 3)})
        space.add_lwpolyline([(118, 108), (124, 108), (124, 114), (118, 114)], close=True)
        space.add_text("B", height=3.5, dxfattribs={"insert": (119.6, 109.25)})
        space.add_line((121, 114), (121, 118))
        space.add_lwpolyline([(119, 120), (123, 120), (121, 118)], close=True)

    linework = sheet(tmp_path, signs)
    assert aside(linework)["signs"] == 4 + 4 + 1 + 3 and found(linework) == BOTH


def test_a_letter_in_a_square_hole_leaves_the_hole(tmp_path: Path) -> None:
    def hole(space: Any) -> None:
        space.add_lwpolyline([(90, 200), (120, 200), (120, 230), (90, 230)], close=True)
        space.add_text("C", height=3.5, dxfattribs={"insert": (103, 213)})
        space.add_text("N6", height=3.5, dxfattribs={"insert": (100, 150)})

    linework = sheet(tmp_path, hole)
    assert "signs" not in aside(linework) and found(linework) == BOTH
