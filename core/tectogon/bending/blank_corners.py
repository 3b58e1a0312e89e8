"""Corners of the blank made round or cut off, in the flat."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np

from tectogon.bending.in_the_flat import flat_tools
from tectogon.bending.unfold import Blank
from tectogon.building.outlines import outline_of
from tectogon.curves import Arc, Curve, Line
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild, Place
from tectogon.profiles.rings import rings_of
from tectogon.solids.features import Feature

How = Literal["round", "chamfer"]
_TURN = math.radians(5.0)
_ROUNDING = 1e-9


def corner_tools(blank: Blank, at: Sequence[FloatArray], size: float, how: How, step: int) -> list[Feature]:
    """Outer corners between straight edges, those nearest to points of the blank's plane or all where none are given,
    made round by a radius or cut off by a size (mm), as cuts of the folded part.

    Raises BadValue for a size that a corner has no room for, naming the largest; NothingToBuild without such a corner.
    """
    if size <= 0.0:
        raise BadValue("The size of a corner must be more than nothing; type 3 mm or so.")
    outer = rings_of(blank.regions, blank.region)[0][0]
    corners = [
        (a, b)
        for a, b in zip(outer, [*outer[1:], outer[0]], strict=True)
        if isinstance(a, Line) and isinstance(b, Line) and _turns(a, b) > _TURN
    ]
    if not corners:
        raise NothingToBuild("The blank has no outer corner between straight edges.")
    if at:
        places = np.array([_end(a) for a, _ in corners])
        nearest = {int(np.linalg.norm(places - p, axis=1).argmin()) for p in at}
        corners = [corners[n] for n in sorted(nearest)]
    out: list[Feature] = []
    shared = [side for pair in corners for side in pair]
    for n, (a, b) in enumerate(corners):
        room = min(_length(side) / shared.count(side) for side in (a, b))
        regions = outline_of(_cut_off(a, b, size, how, room), step, 10 * n)
        out += flat_tools(blank, regions, regions.regions, step)
    return out


def _end(curve: Curve) -> FloatArray:
    return np.asarray(curve.points(np.array([1.0]))[0])


def _turns(a: Line, b: Line) -> float:
    """How far the outline turns to the left between two straight edges (radians)."""
    u, v = _way(a), _way(b)
    return math.atan2(float(u[0] * v[1] - u[1] * v[0]), float(u @ v))


def _way(line: Line) -> FloatArray:
    off = np.array([line.x1 - line.x0, line.y1 - line.y0])
    return np.asarray(off / np.hypot(*off))


def _length(line: Curve) -> float:
    return float(np.hypot(*(_end(line) - line.points(np.array([0.0]))[0])))


def _cut_off(a: Line, b: Line, size: float, how: How, room: float) -> list[Curve]:
    turn = _turns(a, b)
    corner = _end(a)
    per = math.tan(turn / 2.0) if how == "round" else 1.0
    back = size * per
    if back > room * (1.0 + _ROUNDING):
        raise BadValue(
            f"The corner at x {corner[0]:.2f}, y {corner[1]:.2f} mm of the blank has no room for {size:.4g} mm; the"
            f" largest is {room / per:.4g} mm.",
            Place(point=(float(corner[0]), float(corner[1]))),
        )
    u, v = _way(a), _way(b)
    p, q = corner - back * u, corner + back * v
    sides: list[Curve] = [Line(*map(float, (*p, *corner))), Line(*map(float, (*corner, *q)))]
    if how == "chamfer":
        return [*sides, Line(*map(float, (*q, *p)))]
    left = np.array([-u[1], u[0]])
    x, y = (p + size * left).tolist()
    return [*sides, Arc(x, y, size, math.atan2(q[1] - y, q[0] - x), -turn)]
