"""The inked outline of a stroke: each curve a strip, with joins between strips and caps at free ends, as shapes to be
painted together."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.fit import offset_spline
from tectogon.curves.shapes import TURN
from tectogon.curves.table import IntArray
from tectogon.tolerances import HAIR, SAME_SHARE

Join = Literal["miter", "round", "bevel"]
Cap = Literal["butt", "round", "square"]
_STRAIGHT_ON = 1e-6
Point = tuple[float, float]


@dataclass(frozen=True)
class Pen:
    """A pen: width (mm, or the drawing's unit), how strips join, how free ends are capped, and the largest miter as SVG
    counts it."""

    width: float
    join: Join = "miter"
    cap: Cap = "butt"
    miter_limit: float = 4.0


def inked(table: CurveTable, chain_of: IntArray, pen: Pen) -> list[CurveTable]:
    """What a pen inks along chains of curves: closed shapes to be painted by the nonzero rule. `chain_of` (n,) numbers
    the chains."""
    out: list[list[Curve]] = []
    half = pen.width / 2.0
    edges = np.flatnonzero(np.diff(chain_of)) + 1
    for rows in np.split(np.arange(len(table)), edges):
        long = rows[table.lengths[rows] > HAIR * pen.width]
        curves = [table.curve(int(i)) for i in long]
        if not curves:
            if len(rows) and pen.cap == "round":
                x, y = table.ends[rows[0], 0].tolist()
                out.append([Arc(x, y, half, 0.0, TURN)])
            continue
        for curve in curves:
            out += _strip(curve, half)
        ends = table.ends[long]
        tangents, _ = table.directions(np.repeat(long, 2), np.tile([0.0, 1.0], len(long)))
        tangents = tangents.reshape(-1, 2, 2)
        closed = bool(np.hypot(*(ends[-1, 1] - ends[0, 0])) <= SAME_SHARE * pen.width)
        for n in range(len(long) if closed else len(long) - 1):
            after = (n + 1) % len(long)
            out += _join(_pair(ends[after, 0]), tangents[n, 1], tangents[after, 0], half, pen)
        if not closed:
            out += _cap(_pair(ends[0, 0]), -tangents[0, 0], half, pen.cap) + _cap(
                _pair(ends[-1, 1]), tangents[-1, 1], half, pen.cap
            )
    return [CurveTable.of(shape) for shape in out]


def _pair(point: FloatArray) -> Point:
    return float(point[0]), float(point[1])


def _polygon(*points: Point) -> list[Curve]:
    return [Line(*points[n - 1], *points[n]) for n in range(len(points))]


def _strip(curve: Curve, half: float) -> list[list[Curve]]:
    """What a pen without ends inks along one curve."""
    if isinstance(curve, Line):
        nx, ny = curve.y0 - curve.y1, curve.x1 - curve.x0
        scale = half / curve.length
        nx, ny = nx * scale, ny * scale
        a, b = (curve.x0 + nx, curve.y0 + ny), (curve.x1 + nx, curve.y1 + ny)
        return [_polygon(a, b, (curve.x1 - nx, curve.y1 - ny), (curve.x0 - nx, curve.y0 - ny))]
    if isinstance(curve, Arc):
        return _round_strip(curve, half)
    tol = half * 1e-4
    left, right = offset_spline(curve, half, tol=tol), offset_spline(curve, -half, tol=tol).reversed()
    a, b, c, d = _pair(left.poles[0]), _pair(left.poles[-1]), _pair(right.poles[0]), _pair(right.poles[-1])
    if math.dist(a, b) < HAIR * half:
        return [[left, right]]
    return [[left, Line(*b, *c), right, Line(*d, *a)]]


def _round_strip(arc: Arc, half: float) -> list[list[Curve]]:
    outer = Arc(arc.cx, arc.cy, arc.radius + half, arc.start_angle, arc.sweep)
    inner = arc.radius - half
    if arc.full:
        return [[outer]] if inner <= 0 else [[outer, Arc(arc.cx, arc.cy, inner, arc.start_angle, -arc.sweep)]]
    if inner <= 0:
        pies = [_pie(outer)]
        if inner < 0:
            pies.append(_pie(Arc(arc.cx, arc.cy, -inner, arc.start_angle + math.pi, arc.sweep)))
        return pies
    back = Arc(arc.cx, arc.cy, inner, arc.start_angle + arc.sweep, -arc.sweep)
    ends = np.array([0.0, 1.0])
    (a, b), (c, d) = outer.points(ends), back.points(ends)
    return [[outer, Line(*_pair(b), *_pair(c)), back, Line(*_pair(d), *_pair(a))]]


def _pie(arc: Arc) -> list[Curve]:
    a, b = arc.points(np.array([0.0, 1.0]))
    return [arc, Line(*_pair(b), arc.cx, arc.cy), Line(arc.cx, arc.cy, *_pair(a))]


def _join(at: Point, before: FloatArray, after: FloatArray, half: float, pen: Pen) -> list[list[Curve]]:
    cross = float(before[0] * after[1] - before[1] * after[0])
    dot = float(before @ after)
    turn = math.atan2(cross, dot)
    if abs(turn) < _STRAIGHT_ON:
        return []
    if pen.join == "round":
        return [[Arc(*at, half, 0.0, TURN)]]
    side = -math.copysign(half, turn)
    a = (at[0] - side * float(before[1]), at[1] + side * float(before[0]))
    b = (at[0] - side * float(after[1]), at[1] + side * float(after[0]))
    if pen.join == "miter" and math.cos(turn / 2.0) > 0 and 1.0 / math.cos(turn / 2.0) <= pen.miter_limit:
        reach = half / math.cos(turn / 2.0)
        mx, my = a[0] + b[0] - 2 * at[0], a[1] + b[1] - 2 * at[1]
        length = math.hypot(mx, my)
        return [_polygon(at, a, (at[0] + reach * mx / length, at[1] + reach * my / length), b)]
    return [_polygon(at, a, b)]


def _cap(at: Point, out: FloatArray, half: float, cap: Cap) -> list[list[Curve]]:
    if cap == "butt":
        return []
    if cap == "round":
        return [[Arc(*at, half, 0.0, TURN)]]
    dx, dy = half * float(out[0]), half * float(out[1])
    a, b = (at[0] - dy, at[1] + dx), (at[0] + dy, at[1] - dx)
    return [_polygon(a, b, (b[0] + dx, b[1] + dy), (a[0] + dx, a[1] + dy))]
