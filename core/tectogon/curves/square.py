"""Points of a curve that another curve, or a point beside it, gives: where two meet, where a tangent or a perpendicular
arrives."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.meet import find_meetings
from tectogon.curves.shapes import Arc, Curve, Line
from tectogon.curves.table import BoolArray, CurveTable
from tectogon.tolerances import ANGLE_TOL, HAIR, LEAST_SIZE, ROUNDING, TINY

_SAMPLES = 257
_ROUNDS = 60


def places_of_meeting(table: CurveTable, first: int, second: int) -> FloatArray:
    """Where two curves of a table cross, touch or one ends on the other (k, 2), mm."""
    pair = table.take(np.array([first, second]))
    size = max(pair.size, LEAST_SIZE)
    return find_meetings(pair, np.arange(4).reshape(2, 2), tol=HAIR * size).point


def tangent_points(curve: Curve, point: FloatArray) -> FloatArray:
    """Where lines from a point (2,) touch a curve (k, 2): its direction there is the line's. In closed form for
    circular arcs."""
    if isinstance(curve, Line):
        return np.zeros((0, 2))
    if isinstance(curve, Arc):
        off = point - np.array([curve.cx, curve.cy])
        away = float(np.hypot(*off))
        if away <= curve.radius:
            return np.zeros((0, 2))
        base, half = math.atan2(off[1], off[0]), math.acos(curve.radius / away)
        found = np.array(
            [
                [curve.cx + curve.radius * math.cos(a), curve.cy + curve.radius * math.sin(a)]
                for a in (base - half, base + half)
            ]
        )
        return found[_on(curve, found)]
    return _where(curve, lambda p, d: (p[:, 0] - point[0]) * d[:, 1] - (p[:, 1] - point[1]) * d[:, 0])


def feet(curve: Curve, point: FloatArray) -> FloatArray:
    """Where lines from a point (2,) meet a curve square (k, 2). In closed form for lines and circular arcs."""
    if isinstance(curve, Line):
        start, way = np.array([curve.x0, curve.y0]), np.array([curve.x1 - curve.x0, curve.y1 - curve.y0])
        t = float((point - start) @ way) / max(float(way @ way), TINY)
        return (start + t * way)[None, :] if -1e-9 <= t <= 1 + 1e-9 else np.zeros((0, 2))
    if isinstance(curve, Arc):
        off = point - np.array([curve.cx, curve.cy])
        away = float(np.hypot(*off))
        if away <= ROUNDING * curve.radius:
            return np.zeros((0, 2))
        found = np.array([[curve.cx, curve.cy]]) + np.array([[1.0], [-1.0]]) * off * (curve.radius / away)
        return found[_on(curve, found)]
    return _where(curve, lambda p, d: (p[:, 0] - point[0]) * d[:, 0] + (p[:, 1] - point[1]) * d[:, 1])


def _on(arc: Arc, points: FloatArray) -> BoolArray:
    """Which points of an arc's circle lie on the arc itself."""
    turned = np.arctan2(points[:, 1] - arc.cy, points[:, 0] - arc.cx) - arc.start_angle
    turned = np.mod(turned if arc.sweep > 0 else -turned, 2.0 * math.pi)
    return np.asarray((turned <= abs(arc.sweep) + ANGLE_TOL) | (turned >= 2.0 * math.pi - ANGLE_TOL))


def _where(curve: Curve, measure: Callable[[FloatArray, FloatArray], FloatArray]) -> FloatArray:
    """Points where a measure of (points, derivatives) changes sign along a curve: bracketed by samples, halved until
    nothing is left."""

    def at(t: FloatArray) -> FloatArray:
        return measure(np.asarray(curve.points(t)), np.asarray(curve.derivatives(t)))

    t = np.linspace(0.0, 1.0, _SAMPLES)
    value = at(t)
    low = np.flatnonzero(np.sign(value[:-1]) * np.sign(value[1:]) <= 0)
    a, b, fa = t[low], t[low + 1], value[low]
    for _ in range(_ROUNDS):
        middle = (a + b) / 2.0
        here = at(middle)
        left = np.sign(here) == np.sign(fa)
        a, fa, b = np.where(left, middle, a), np.where(left, here, fa), np.where(left, b, middle)
    return np.asarray(curve.points((a + b) / 2.0)).reshape(-1, 2)
