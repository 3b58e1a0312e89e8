"""Made-up sheets: random prismatic parts projected with hidden-line removal into three views, in first or third angle,
dirty as sheets are."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import ezdxf
import numpy as np
import shapely
from ezdxf.math import Matrix44
from figures import Figure
from tectogon.curves import Arc, Line
from tectogon.curves.affine import FloatArray
from tectogon.profiles import find_regions
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.solids.project import Projection, project
from tectogon.solids.turned import Axis, turned
from tectogon.views import Frame, frame_of

_ROUND = (0.0, 2.0 * math.pi)


@dataclass(frozen=True)
class Sheet:
    """Where the part's origin lies in each view of the sheet, the angle of projection, and the volume of the part
    (mm³)."""

    path: Path
    origins: dict[str, tuple[float, float]]
    projection: str
    volume: float


HABITS = ("guides", "row", "scaled", "leaders", "far", "inches", "polylines", "pictorial")
"""Ways of others to draw: dashed lines from view to view; views in a row with titles; one view twice as large;
dimensions and leaders as plain lines; a sheet far from the origin, on one layer; inches; a polyline for every line; a
pictorial view beside."""


def made_sheet(
    seed: int, folder: Path, *, rich: bool = False, turned: Literal["", "plate", "shaft"] = "", habit: str = ""
) -> Sheet:
    """A sheet of a part with holes and slots, or a `rich` one with bosses, pads, pockets, counterbores, notches, and
    holes from the far sides too, or one with turned faces: a plate with countersinks and conical bosses, or a shaft;
    drawn in the way of some `habit`."""
    chance = random.Random(seed)
    size = [chance.randrange(40, 120, 2), chance.randrange(30, 80, 2), chance.randrange(24, 70, 2)]
    if turned == "shaft":
        size[2] = size[1]
    parts = {"plate": _conical_part, "shaft": _shaft}
    made = parts[turned] if turned else _rich_part if rich else _part
    solid = made(chance, *(float(v) for v in size))
    third = chance.random() < 0.5
    apart = chance.uniform(15.0, 40.0)
    off = [chance.uniform(-0.8, 0.8) if chance.random() < 0.4 else 0.0 for _ in range(2)]
    w, d, h = size
    origins = {"front": (0.0, 0.0), "top": (off[0], h + apart if third else -apart - d)}
    side = "right" if third else "left"
    if chance.random() < 0.75 or habit:
        origins[side] = (w + apart + (0.0 if third else d), off[1])
    if habit == "row":
        origins["top"] = (w + d + 2.0 * apart, 0.0)
    at = (chance.uniform(20.0, 90.0), chance.uniform(20.0, 90.0))
    origins = {name: (x + at[0], y + at[1]) for name, (x, y) in origins.items()}
    document = ezdxf.new("R2010", units=1 if habit == "inches" else 4)
    document.linetypes.add("DASHED", pattern=[0.75, 0.5, -0.25])
    document.linetypes.add("CENTER", pattern=[2.0, 1.25, -0.25, 0.25, -0.25])
    space = document.modelspace()
    for name, (x, y) in origins.items():
        seen = project([solid.shape], frame_of(name), chord_tol=0.002)
        large = 2.0 if habit == "scaled" and name == side else 1.0
        for lines, kind in ((seen.visible, "CONTINUOUS"), (_behind(seen), "DASHED")):
            for line in lines:
                _draw(
                    space,
                    large * line + np.array([x + (large - 1.0) * (d if side == "left" else 0.0), y]),
                    kind,
                    chance,
                )
    _dress(space, origins["front"], size, {"scaled": apart + max(d, h), "row": w + d + apart}.get(habit, apart))
    _in_the_way_of(habit, space, solid, origins, size, apart)
    if len(origins) == 2:  # position alone can't tell two stacked views of a block: such a sheet says its angle
        space.add_text(f"{'THIRD' if third else 'FIRST'} ANGLE PROJECTION", height=4, dxfattribs={"layer": "BORDER"})
    path = folder / f"sheet-{seed}.dxf"
    document.saveas(path)
    return Sheet(path, origins, "third" if third else "first", solid.volume)


def _in_the_way_of(
    habit: str, space: Any, solid: NamedShape, origins: dict[str, tuple[float, float]], size: list[int], apart: float
) -> None:
    """What a habit adds to a sheet, or makes of all that is on it."""
    (x, y), (w, d, h) = origins["front"], size
    if habit == "guides":
        low, high = (y, origins["top"][1] + d) if origins["top"][1] > y else (origins["top"][1], y + h)
        for at in (x, x + w):
            space.add_line((at, low - 3), (at, high + 3), dxfattribs={"linetype": "DASHED"})
        for at in (y, y + h):
            space.add_line((x - 3, at), (x + w + apart + d + 3, at), dxfattribs={"linetype": "DASHED"})
    elif habit == "row":
        for name, (left, foot) in origins.items():
            begin = left - d if name == "left" else left
            space.add_text(f"{name} view".upper(), height=4).set_placement((begin, foot - 16))
    elif habit == "scaled":
        side = next(name for name in origins if name in ("left", "right"))
        left = origins[side][0] - (d if side == "left" else 0)
        space.add_text("SCALE 2:1", height=4).set_placement((left, y - 16))
    elif habit == "leaders":
        left = x - 22
        for a, b in (((x - 2, y), (left - 2, y)), ((x - 2, y + h), (left - 2, y + h)), ((left, y), (left, y + h))):
            space.add_line(a, b)
        for tip, way in ((y, 1.0), (y + h, -1.0)):
            for across in (-0.8, 0.8):
                space.add_line((left, tip), (left + across, tip + 3 * way))
        space.add_text(str(h), height=3, rotation=90).set_placement((left - 1, y + h / 2 - 3))
        tip, bend = (x + w - 8, y + h - 4), (x + w + 4, y + h + 8)
        for a, b in ((tip, bend), (bend, (x + w + 8, bend[1])), (tip, (tip[0] + 2.9, tip[1] + 1.6))):
            space.add_line(a, b)
        space.add_text("R2", height=3).set_placement((x + w + 9, bend[1] - 1.5))
    elif habit == "pictorial":
        c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
        aslant = Frame((0.0, 0.0, 0.0), (c, c, 0.0), (-s * c, s * c, c * c))
        about = np.array([x + w + 2 * apart + 2 * d + w, y + apart + h + d / 2])
        for line in project([solid.shape], aslant, chord_tol=0.01).visible:
            space.add_lwpolyline(line + about)
    elif habit == "polylines":
        for line in [e for e in space.query("LINE") if e.dxf.layer == "0"]:
            ends = [(p.x, p.y) for p in (line.dxf.start, line.dxf.end)]
            space.add_lwpolyline(ends, dxfattribs={"linetype": line.dxf.linetype})
            space.delete_entity(line)
    factor, far = (1 / 25.4, 0.0) if habit == "inches" else (1.0, 4.0e5 if habit == "far" else 0.0)
    if habit in ("inches", "far"):
        move = Matrix44.chain(Matrix44.scale(factor), Matrix44.translate(far, -far, 0))
        for entity in list(space):
            if entity.dxftype() == "DIMENSION":
                space.delete_entity(entity)
            else:
                entity.transform(move)
                entity.dxf.layer = "0"


def _part(chance: random.Random, w: float, d: float, h: float) -> NamedShape:
    """A block, an L, a U or a step along the depth, with holes and slots, through or blind, from above."""
    low, a, b = (
        round(h * chance.uniform(0.3, 0.6)),
        round(w * chance.uniform(0.25, 0.4)),
        round(w * chance.uniform(0.6, 0.75)),
    )
    shapes = {
        "block": ([(0, 0), (w, 0), (w, h), (0, h)], [(0, w, h)]),
        "L": ([(0, 0), (w, 0), (w, low), (a, low), (a, h), (0, h)], [(a, w, low)]),
        "U": ([(0, 0), (w, 0), (w, h), (b, h), (b, low), (a, low), (a, h), (0, h)], [(a, b, low)]),
        "round": ([(0, h), (0, 0), (w, 0), (w, h - 8)], [(0, w - 8, h)]),
        "chamfer": ([(0, 0), (w, 0), (w, h - 5), (w - 5, h), (0, h)], [(0, w - 5, h)]),
    }
    kind = chance.choice(sorted(shapes))
    outline, flats = shapes[kind]
    figure = Figure().chain(*outline, close=kind != "round")
    if kind == "round":
        figure.curves += [Arc(w - 8, h - 8, 8, 0, math.pi / 2), Line(w - 8, h, 0, h)]
    solid = _prism(figure, "front", -d, 0.0)
    if chance.random() < 0.3:
        r, deep = min(w, h) * 0.06, d + 1.0 if chance.random() < 0.5 else round(d * chance.uniform(0.3, 0.7), 1)
        solid = combine("cut", [solid], [_prism(Figure().circle(2.5 * r, low / 2, r), "front", -deep, 1.0)])
    for x0, x1, top in flats:
        for _ in range(chance.randrange(0, 3)):
            r = chance.randrange(2, 6)
            if x1 - x0 < 4 * r or d < 4 * r:
                continue
            x, y = round(chance.uniform(x0 + 1.6 * r, x1 - 1.6 * r), 1), round(chance.uniform(1.6 * r, d - 1.6 * r), 1)
            deep = top + 1 if chance.random() < 0.6 else round(top * chance.uniform(0.3, 0.7), 1)
            shape = Figure().circle(x, y, r)
            if chance.random() < 0.3 and x + 4 * r < x1:
                shape = Figure().slot(x, y, 2.0 * r, r)
            solid = combine("cut", [solid], [_prism(shape, "top", top - deep, top + 1)])
    return solid


def _rich_part(chance: random.Random, w: float, d: float, h: float) -> NamedShape:
    """A block, an L, a U, a T or stairs along the depth, with up to three features apart from each other; all sizes to
    a tenth."""
    low, a, b = (
        round(h * chance.uniform(0.3, 0.6)),
        round(w * chance.uniform(0.25, 0.4)),
        round(w * chance.uniform(0.6, 0.75)),
    )
    shapes = {
        "block": ([(0, 0), (w, 0), (w, h), (0, h)], [(0, w, h)]),
        "L": ([(0, 0), (w, 0), (w, low), (a, low), (a, h), (0, h)], [(a, w, low)]),
        "U": ([(0, 0), (w, 0), (w, h), (b, h), (b, low), (a, low), (a, h), (0, h)], [(a, b, low)]),
        "T": ([(a, 0), (b, 0), (b, low), (w, low), (w, h), (0, h), (0, low), (a, low)], [(a, b, h)]),
        "stairs": (
            [(0, 0), (w, 0), (w, low / 2), (b, low / 2), (b, low), (a, low), (a, h), (0, h)],
            [(b, w, low / 2), (a, b, low)],
        ),
    }
    outline, flats = shapes[chance.choice(sorted(shapes))]
    solid = _prism(Figure().chain(*outline), "front", -d, 0.0)
    taken: list[tuple[float, float, float]] = []
    for _ in range(chance.randrange(1, 4)):
        x0, x1, top = chance.choice(flats)
        r = round(min(x1 - x0, d) * chance.uniform(0.08, 0.16), 1)
        if min(x1 - x0, d) < 5.4 * r or r < 0.5:
            continue
        x, y = round(chance.uniform(x0 + 2.6 * r, x1 - 2.6 * r), 1), round(chance.uniform(2.6 * r, d - 2.6 * r), 1)
        if any(max(abs(x - u), abs(y - v)) < 2.2 * r + q + 1 for u, v, q in taken):
            continue
        taken.append((x, y, 2.2 * r))
        solid = _with_feature(chance, solid, (x, y, r), (x1, top))
    return solid


def _conical_part(chance: random.Random, w: float, d: float, h: float) -> NamedShape:
    """A plate with up to three countersunk holes, conical pits and conical bosses, apart from each other."""
    top = round(h * 0.4, 1)
    solid = _prism(Figure().rectangle(0, 0, w, top), "front", -d, 0.0)
    taken: list[tuple[float, float]] = []
    for _ in range(chance.randrange(1, 4)):
        r = round(min(w, d) * chance.uniform(0.05, 0.09), 1)
        x, y = round(chance.uniform(3 * r, w - 3 * r), 1), round(chance.uniform(3 * r, d - 3 * r), 1)
        if any(abs(x - u) < 5 * r or abs(y - v) < 5 * r for u, v in taken):
            continue
        taken.append((x, y))
        kind, deep = chance.choice(["sink", "pit", "boss"]), round(top * chance.uniform(0.3, 0.6), 1)
        if kind == "sink":
            hole = _prism(Figure().circle(x, y, r), "top", -1.0, top + 1)
            cone = _turned([(0, top - deep), (r, top - deep), (2 * r, top), (0, top)], x, y)
            solid = combine("cut", [solid], [hole, cone])
        elif kind == "pit":
            solid = combine("cut", [solid], [_turned([(0, top - deep), (2 * r, top), (0, top)], x, y)])
        else:
            solid = combine(
                "join", [solid], [_turned([(0, top), (2 * r, top), (1.2 * r, top + deep), (0, top + deep)], x, y)]
            )
    return solid


def _shaft(chance: random.Random, w: float, d: float, h: float) -> NamedShape:
    """Cylinders and cones on one axis along the width, chamfered at an end, bored from one end now and then."""
    count = chance.randrange(2, 5)
    along = [0.0, *sorted(round(chance.uniform(0.1, 0.9) * w, 1) for _ in range(count - 1)), w]
    radii = [round(h / 2 * chance.uniform(0.4, 0.9), 1) for _ in range(count)]
    radii[chance.randrange(count)] = h / 2
    chamfer = round(0.2 * radii[0], 1) if along[1] > 0.5 * radii[0] else 0.0
    outline = [(0.0, radii[0] - chamfer), (chamfer, radii[0])] if chamfer else [(0.0, radii[0])]
    for n in range(1, count):
        begin = radii[n - 1]
        cone = chance.random() < 0.4 and along[n] - along[n - 1] > 4 and abs(radii[n] - begin) > 2
        outline += (
            [(along[n] - 3.0, begin), (along[n], radii[n])] if cone else [(along[n], begin), (along[n], radii[n])]
        )
    outline.append((w, radii[-1]))
    solid = _turned_along([(0.0, 0.0), *outline, (w, 0.0)], d, h)
    if chance.random() < 0.5:
        r, deep = round(0.4 * min(radii), 1), round(w * chance.uniform(0.2, 0.6), 1)
        bore = [(-1.0, 0.0), (-1.0, r), (deep, r), (deep + 0.5 * r, 0.0)]
        solid = combine("cut", [solid], [_turned_along(bore, d, h)])
    return solid


def _turned(points: list[tuple[float, float]], x: float, y: float) -> NamedShape:
    """Points (radius, height) turned about an upright axis at x, y."""
    regions = Figure().chain(*((x + r, z) for r, z in points)).regions()
    axis = Axis(np.array([x, 0.0]), np.array([0.0, 1.0]))
    return turned(regions, regions.regions[0], Frame((0.0, y, 0.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)), axis, _ROUND, 1)


def _turned_along(points: list[tuple[float, float]], d: float, h: float) -> NamedShape:
    """Points (along the width, radius) turned about the middle line of a box of depth d and height h."""
    regions = Figure().chain(*((x, h / 2 + r) for x, r in points)).regions()
    axis = Axis(np.array([0.0, h / 2]), np.array([1.0, 0.0]))
    frame = Frame((0.0, d / 2, 0.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0))
    return turned(regions, regions.regions[0], frame, axis, _ROUND, 1)


def _with_feature(
    chance: random.Random, solid: NamedShape, place: tuple[float, float, float], flat: tuple[float, float]
) -> NamedShape:
    """The solid with a feature of radius r at x, y of a flat face at `top`, seen from above or, dashed, from below; or
    a notch out of its corner."""
    (x, y, r), (x1, top) = place, flat
    deep = round(min(top * chance.uniform(0.3, 0.6), 11.0), 1)
    small, large = Figure().circle(x, y, r), Figure().circle(x, y, 2 * r)
    pad = Figure().rectangle(x - 2 * r, y - r, 4 * r, 2 * r)
    notch = Figure().rectangle(x1 - 1.2 * r, -1.0, 1.2 * r + 1, 1 + 1.2 * r)
    features = {
        "hole": ("cut", [(small, -1.0, top + 1)]),
        "blind": ("cut", [(small, top - deep, top + 1)]),
        "from below": ("cut", [(small, -1.0, deep)]),
        "counterbore": ("cut", [(small, -1.0, top + 1), (large, top - deep, top + 1)]),
        "boss": ("join", [(large, top - 1, top + deep)]),
        "pad": ("join", [(pad, top - 1, top + deep)]),
        "pocket": ("cut", [(pad, top - deep, top + 1)]),
        "pocket below": ("cut", [(pad, -1.0, deep)]),
        "notch": ("cut", [(notch, top - deep, top + 1)]),
    }
    how, tools = features[chance.choice(sorted(features))]
    return combine(how, [solid], [_prism(figure, "top", low, high) for figure, low, high in tools])


def _prism(figure: Figure, view: str, low: float, high: float) -> NamedShape:
    table = figure.table
    regions = find_regions(table, tuple(f"c{n}" for n in range(len(table))), join_tol=1e-6)
    return prism(regions, regions.regions[0], frame_of(view), low, high, 1)


def _behind(seen: Projection) -> list[FloatArray]:
    """Hidden edges where no visible one covers them, each once."""
    over = shapely.buffer(shapely.union_all([shapely.LineString(line) for line in seen.visible]), 1e-4)
    out = []
    for line in (*seen.hidden, *seen.hidden_smooth):
        rest = shapely.difference(shapely.LineString(line), over)
        over = shapely.union(over, shapely.buffer(rest, 1e-4))
        out += [shapely.get_coordinates(part) for part in shapely.get_parts(rest) if part.length > 1e-2]
    return out


def _draw(space: Any, line: FloatArray, kind: str, chance: random.Random) -> None:
    """A polyline as the line, arc or circle that it is; now and then short of its end, or twice."""
    style = {"linetype": kind}
    closed = len(line) > 2 and np.hypot(*(line[0] - line[-1])) < 1e-6
    if len(line) == 2 or (not closed and np.ptp(np.cross(line[1:] - line[0], line[-1] - line[0])) < 1e-6):
        start, end = line[0], line[-1]
        if kind == "CONTINUOUS" and np.hypot(*(end - start)) > 5 and chance.random() < 0.05:
            end = end + (start - end) / np.hypot(*(end - start)) * 0.02
        for _ in range(2 if chance.random() < 0.05 else 1):
            space.add_line(start, end, dxfattribs=style)
        return
    (x, y), r = _circle(line)
    if closed:
        space.add_circle((x, y), r, dxfattribs=style)
        return
    first, mid, last = (np.degrees(np.arctan2(p[1] - y, p[0] - x)) for p in (line[0], line[len(line) // 2], line[-1]))
    if (mid - first) % 360 > (last - first) % 360:
        first, last = last, first
    space.add_arc((x, y), r, first, last, dxfattribs=style)


def _circle(line: FloatArray) -> tuple[FloatArray, float]:
    """Centre and radius by least squares (Kåsa 1976)."""
    system = np.column_stack([2 * line, np.ones(len(line))])
    x, y, c = np.linalg.lstsq(system, (line**2).sum(axis=1), rcond=None)[0]
    return np.array([x, y]), float(np.sqrt(c + x * x + y * y))


def _dress(space: Any, front: tuple[float, float], size: list[int], apart: float) -> None:
    """Border, title block, a dimension of lines and text, a centre line."""
    x, y = front
    w, d, h = size
    x0, y0, x1, y1 = x - 60, y - d - apart - 60, x + w + d + apart + 90, y + h + d + apart + 60
    for a, b, c, e in ((x0, y0, x1, y1), (x1 - 80, y0, x1, y0 + 20), (x1 - 80, y0 + 20, x1, y0 + 34)):
        space.add_lwpolyline([(a, b), (c, b), (c, e), (a, e)], close=True, dxfattribs={"layer": "BORDER"})
    space.add_text("MADE UP", height=4, dxfattribs={"layer": "BORDER"}).set_placement((x1 - 76, y0 + 24))
    space.add_line((x + w / 2, y - 4), (x + w / 2, y + h + 4), dxfattribs={"linetype": "CENTER"})
    space.add_aligned_dim(p1=(x, y), p2=(x + w, y), distance=-9).render()
