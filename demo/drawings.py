"""The drawings of the made-up company Fernmoor Hydrographics, each with the faults that practitioners meet, and what is
right about them."""

from __future__ import annotations

import itertools
import math
import random
from pathlib import Path
from typing import Any

import ezdxf

Point = tuple[float, float]


def new_drawing(**header: int) -> tuple[Any, Any]:
    document = ezdxf.new("R2010", setup=True, units=4)
    for name, value in header.items():
        document.header[f"${name}"] = value
    for name, linetype, colour in (
        ("OUTLINE", "CONTINUOUS", 7),
        ("HIDDEN", "HIDDEN", 8),
        ("CENTRE", "CENTER", 8),
        ("SIZES", "CONTINUOUS", 4),
        ("BORDER", "CONTINUOUS", 8),
    ):
        if name not in document.layers:
            document.layers.add(name, linetype=linetype, color=colour)
    return document, document.modelspace()


def chain(space: Any, points: list[Point], layer: str = "OUTLINE", close: bool = True) -> None:
    pairs = list(zip(points, points[1:] + points[:1], strict=True))
    for a, b in pairs if close else pairs[:-1]:
        space.add_line(a, b, dxfattribs={"layer": layer})


def size(space: Any, p1: Point, p2: Point, base: Point, angle: float = 0.0) -> None:
    space.add_linear_dim(
        base=base, p1=p1, p2=p2, angle=angle, override={"dimlfac": 1.0, "dimtxt": 3.0}, dxfattribs={"layer": "SIZES"}
    ).render()


def centre_mark(space: Any, x: float, y: float, reach: float) -> None:
    space.add_line((x - reach, y), (x + reach, y), dxfattribs={"layer": "CENTRE"})
    space.add_line((x, y - reach), (x, y + reach), dxfattribs={"layer": "CENTRE"})


def border(space: Any, x0: float, y0: float, x1: float, y1: float, title: str, number: str) -> None:
    """A frame with a title block in its lower right corner."""
    chain(space, [(x0, y0), (x1, y0), (x1, y1), (x0, y1)], "BORDER")
    left, top = x1 - 110, y0 + 24
    space.add_line((left, y0), (left, top), dxfattribs={"layer": "BORDER"})
    space.add_line((left, top), (x1, top), dxfattribs={"layer": "BORDER"})
    space.add_line((left, y0 + 12), (x1, y0 + 12), dxfattribs={"layer": "BORDER"})
    space.add_line((left + 60, y0), (left + 60, y0 + 12), dxfattribs={"layer": "BORDER"})
    for text, x, y in (
        (f"FERNMOOR HYDROGRAPHICS  {title}", left + 3, y0 + 16),
        (number, left + 3, y0 + 4),
        ("mm   1 : 1   THIRD ANGLE", left + 63, y0 + 4),
    ):
        space.add_text(text, dxfattribs={"layer": "BORDER", "height": 3.0}).set_placement((x, y))


BRACKET = {
    "length": 110.0,
    "width": 60.0,
    "base": 12.0,
    "upright": 16.0,
    "eye_height": 52.0,
    "eye_radius": 30.0,
    "hole_radius": 16.0,
    "slot_radius": 6.0,
    "slot_run": 20.0,
    "slot_at": 70.0,
}
NEWER_BRACKET = {**BRACKET, "hole_radius": 14.0, "slot_at": 66.0, "base": 14.0}
"""Issue C: a smaller hole, the slots 4 mm nearer to the upright, a thicker base."""


def clamp_bracket(b: dict[str, float] = BRACKET, issue: str = "B") -> tuple[Any, dict[str, Any]]:
    """Three views in third angle with border and sizes; two gaps, three doubled lines, the top view 0.4 mm off."""
    document, space = new_drawing()
    border(space, -70, -70, 260, 240, "CLAMP BRACKET", f"FH-1042 {issue}")
    length, width, base, upright, eye = b["length"], b["width"], b["base"], b["upright"], b["eye_height"]
    top_z = eye + b["eye_radius"]
    # front view: an L, its lower right corner 0.05 mm open, one edge drawn twice
    front = [(0.0, 0.0), (length, 0.0), (length, base), (upright, base), (upright, top_z), (0.0, top_z)]
    chain(space, front, close=False)
    space.add_line((0.0, top_z), (0.0, 0.05), dxfattribs={"layer": "OUTLINE"})
    space.add_line((length, 0.0), (length, base), dxfattribs={"layer": "OUTLINE"})
    for z in (eye - b["hole_radius"], eye + b["hole_radius"]):
        space.add_line((0.0, z), (upright, z), dxfattribs={"layer": "HIDDEN"})
    # top view, 0.4 mm off to the right
    ox, oy = 0.4, 130.0
    chain(space, [(ox, oy), (ox + length, oy), (ox + length, oy + width), (ox, oy + width)])
    space.add_line((ox + upright, oy), (ox + upright, oy + width), dxfattribs={"layer": "OUTLINE"})
    for y in (14.0, 46.0):
        slot(space, ox + b["slot_at"], oy + y, b["slot_run"], b["slot_radius"])
        centre_mark(space, ox + b["slot_at"] + 10.0, oy + y, 20.0)
    space.add_line((ox + length, oy), (ox + length, oy + width), dxfattribs={"layer": "OUTLINE"})
    # right view: its round top 0.12 mm short on one side
    rx = 150.0
    chain(space, [(rx + width, eye), (rx + width, 0.0), (rx, 0.0), (rx, eye)], close=False)
    gap = math.degrees(0.12 / b["eye_radius"])
    space.add_arc((rx + width / 2, eye), b["eye_radius"], gap, 180.0, dxfattribs={"layer": "OUTLINE"})
    space.add_circle((rx + width / 2, eye), b["hole_radius"], dxfattribs={"layer": "OUTLINE"})
    space.add_circle((rx + width / 2, eye), b["hole_radius"], dxfattribs={"layer": "OUTLINE"})
    space.add_line((rx, base), (rx + width, base), dxfattribs={"layer": "OUTLINE"})
    centre_mark(space, rx + width / 2, eye, 36.0)
    size(space, (0, 0), (length, 0), (0, -14))
    size(space, (0, 0), (0, top_z), (-14, 0), 90)
    size(space, (length, 0), (length, base), (length + 12, 0), 90)
    size(space, (rx, 0), (rx + width, 0), (rx, -14))
    size(space, (ox, oy + width), (ox + upright, oy + width), (ox, oy + width + 10))
    pictorial(space, 190.0, 150.0)
    slot_area = math.pi * b["slot_radius"] ** 2 + 2 * b["slot_radius"] * b["slot_run"]
    volume = (
        length * width * base
        + upright * (width * (eye - base) + math.pi * b["eye_radius"] ** 2 / 2)
        - upright * math.pi * b["hole_radius"] ** 2
        - 2 * base * slot_area
    )
    truth = {
        "unit": "mm",
        "volume_mm3": volume,
        "finished_mm3": volume + (1 - math.pi / 4) * 64 * width,
        "bounds_mm": [length, width, top_z],
        "gaps_mm": [0.05, 0.12],
        "doubled_lines": 3,
        "projection": "third",
    }
    return document, truth


def slot(space: Any, x: float, y: float, run: float, r: float) -> None:
    """A slot from (x, y) to (x + run, y), as two lines and two arcs."""
    attributes = {"layer": "OUTLINE"}
    space.add_line((x, y + r), (x + run, y + r), dxfattribs=attributes)
    space.add_line((x + run, y - r), (x, y - r), dxfattribs=attributes)
    space.add_arc((x + run, y), r, -90, 90, dxfattribs=attributes)
    space.add_arc((x, y), r, 90, 270, dxfattribs=attributes)


def pictorial(space: Any, x: float, y: float) -> None:
    """A small picture of the bracket that is no view."""
    c, s = math.cos(math.radians(30)) * 0.35, math.sin(math.radians(30)) * 0.35

    def at(px: float, py: float, pz: float) -> Point:
        return (x + (px + py) * c * 0.9 - 20, y + (py - px) * s + pz * 0.35)

    b = BRACKET
    length, width, base, upright = b["length"], b["width"], b["base"], b["upright"]
    corners = [(0, 0, 0), (length, 0, 0), (length, 0, base), (upright, 0, base), (upright, 0, 82), (0, 0, 82)]
    chain(space, [at(*p) for p in corners])
    back = [(length, width, 0), (length, width, base), (upright, width, base), (upright, width, 82), (0, width, 82)]
    chain(space, [at(*p) for p in back], close=False)
    for a, b2 in (
        (corners[1], back[0]),
        (corners[2], back[1]),
        (corners[3], back[2]),
        (corners[4], back[3]),
        (corners[5], back[4]),
    ):
        space.add_line(at(*a), at(*b2), dxfattribs={"layer": "OUTLINE"})


def guide_rail() -> tuple[Any, dict[str, Any]]:
    """A closed section as loose pieces in any order and direction, outer and inner boundary mixed."""
    document, space = new_drawing()
    w, h, r, wall = 40.0, 25.0, 4.0, 2.5
    pieces: list[tuple[str, Any]] = rounded(0, 0, w, h, r)
    inner = [(wall, wall, 15.0, h - wall, 1.5), (17.0, wall, w - wall, h - wall, 1.5)]
    area = w * h - (4 - math.pi) * r * r
    for x0, y0, x1, y1, ri in inner:
        pieces += rounded(x0, y0, x1, y1, ri)
        area -= (x1 - x0) * (y1 - y0) - (4 - math.pi) * ri * ri
    shuffler = random.Random(7)
    shuffler.shuffle(pieces)
    for kind, values in pieces:
        if kind == "line":
            a, b = values if shuffler.random() < 0.5 else values[::-1]
            space.add_line(a, b, dxfattribs={"layer": "OUTLINE"})
        else:
            space.add_arc(*values, dxfattribs={"layer": "OUTLINE"})
    size(space, (0, 0), (w, 0), (0, -8))
    space.add_text("FH-2203 GUIDE RAIL", dxfattribs={"layer": "SIZES", "height": 2.5}).set_placement((0, h + 6))
    length = 250.0
    return document, {
        "unit": "mm",
        "section_area_mm2": area,
        "length_mm": length,
        "volume_mm3": area * length,
        "loose_pieces": len(pieces),
    }


def rounded(x0: float, y0: float, x1: float, y1: float, r: float) -> list[tuple[str, Any]]:
    return [
        ("line", ((x0 + r, y0), (x1 - r, y0))),
        ("line", ((x1, y0 + r), (x1, y1 - r))),
        ("line", ((x1 - r, y1), (x0 + r, y1))),
        ("line", ((x0, y1 - r), (x0, y0 + r))),
        ("arc", ((x1 - r, y0 + r), r, 270, 360)),
        ("arc", ((x1 - r, y1 - r), r, 0, 90)),
        ("arc", ((x0 + r, y1 - r), r, 90, 180)),
        ("arc", ((x0 + r, y0 + r), r, 180, 270)),
    ]


def three_thicknesses() -> tuple[Any, dict[str, Any]]:
    """A plate with three thicknesses about one middle plane; the middle region touches itself in a single point."""
    document, space = new_drawing()
    chain(space, [(0, 0), (120, 0), (120, 60), (0, 60)])
    space.add_line((36, 0), (36, 60), dxfattribs={"layer": "OUTLINE"})
    diamond = [(78.0, 0.0), (98.0, 26.0), (78.0, 52.0), (58.0, 26.0)]
    chain(space, diamond)
    space.add_circle((78, 26), 8.0, dxfattribs={"layer": "OUTLINE"})
    space.add_circle((18, 45), 4.0, dxfattribs={"layer": "OUTLINE"})
    space.add_circle((18, 15), 4.0, dxfattribs={"layer": "OUTLINE"})
    space.add_text("A 4 mm", dxfattribs={"layer": "SIZES", "height": 3}).set_placement((5, 28))
    space.add_text("B 8 mm", dxfattribs={"layer": "SIZES", "height": 3}).set_placement((40, 52))
    space.add_text("C 14 mm", dxfattribs={"layer": "SIZES", "height": 3}).set_placement((70, 40))
    thin = 36 * 60 - 2 * math.pi * 16
    thick = 40 * 52 / 2
    middle = 84 * 60 - thick
    thick -= math.pi * 64
    truth = {
        "unit": "mm",
        "areas_mm2": {"A": thin, "B": middle, "C": thick},
        "volume_mm3": 4 * thin + 8 * middle + 14 * thick,
        "pinch_at_mm": [78.0, 0.0],
    }
    return document, truth


def carrying_handle() -> tuple[Any, dict[str, Any]]:
    """A path with two round bends, and beside it the section that goes along it."""
    document, space = new_drawing()
    width, leg, bend, half, run = 120.0, 45.0, 18.0, 4.5, 6.0
    attributes = {"layer": "OUTLINE"}
    space.add_line((0, 0), (0, leg - bend), dxfattribs=attributes)
    space.add_arc((bend, leg - bend), bend, 90, 180, dxfattribs=attributes)
    space.add_line((bend, leg), (width - bend, leg), dxfattribs=attributes)
    space.add_arc((width - bend, leg - bend), bend, 0, 90, dxfattribs=attributes)
    space.add_line((width, leg - bend), (width, 0), dxfattribs=attributes)
    slot(space, -45.0, 20.0, run, half)
    size(space, (0, 0), (width, 0), (60, -14))
    size(space, (0, 0), (0, leg), (-14, 20), 90)
    border(space, -80, -60, 180, 90, "CARRYING HANDLE", "FH-1107 A")
    way = 2 * (leg - bend) + width - 2 * bend + math.pi * bend
    area = math.pi * half**2 + 2 * half * run
    return document, {"unit": "mm", "path_mm": way, "section_area_mm2": area, "volume_mm3": area * way}


def winch_spindle() -> tuple[Any, dict[str, Any]]:
    """A turned part in two views: the side with its bore dashed, and the end seen from the right; third angle."""
    document, space = new_drawing()
    border(space, -40, -80, 240, 90, "WINCH SPINDLE", "FH-1093 A")
    steps = [(0.0, 30.0, 10.0), (30.0, 40.0, 22.0), (40.0, 90.0, 15.0), (90.0, 110.0, 8.0)]
    outline: list[Point] = []
    for x0, x1, r in steps:
        outline += [(x0, r), (x1, r)]
    chain(space, outline + [(x, -y) for x, y in reversed(outline)])
    for (_, x1, r), (_, _, s) in itertools.pairwise(steps):
        reach = min(r, s)
        space.add_line((x1, reach), (x1, -reach), dxfattribs={"layer": "OUTLINE"})
    depth, bore = 25.0, 4.0
    for y in (bore, -bore):
        space.add_line((110.0 - depth, y), (110.0, y), dxfattribs={"layer": "HIDDEN"})
    space.add_line((110.0 - depth, bore), (110.0 - depth, -bore), dxfattribs={"layer": "HIDDEN"})
    space.add_line((-8, 0), (118, 0), dxfattribs={"layer": "CENTRE"})
    cx = 170.0
    for radius, layer in ((22.0, "OUTLINE"), (15.0, "OUTLINE"), (8.0, "OUTLINE"), (bore, "OUTLINE"), (10.0, "HIDDEN")):
        space.add_circle((cx, 0.0), radius, dxfattribs={"layer": layer})
    centre_mark(space, cx, 0.0, 27.0)
    size(space, (0, -10), (110, -8), (50, -40))
    size(space, (30, 22), (40, 22), (35, 34))
    volume = sum(math.pi * r * r * (b - a) for a, b, r in steps) - math.pi * bore**2 * depth
    return document, {"unit": "mm", "projection": "third", "bounds_mm": [110.0, 44.0, 44.0], "volume_mm3": volume}


DRAWINGS = {
    "carrying-handle.dxf": carrying_handle,
    "winch-spindle.dxf": winch_spindle,
    "clamp-bracket.dxf": clamp_bracket,
    "clamp-bracket-issue-c.dxf": lambda: clamp_bracket(NEWER_BRACKET, "C"),
    "guide-rail.dxf": guide_rail,
    "plate-three-thicknesses.dxf": three_thicknesses,
}


def write_drawing(name: str, folder: Path) -> dict[str, Any]:
    document, truth = DRAWINGS[name]()
    document.saveas(folder / name)
    return truth
