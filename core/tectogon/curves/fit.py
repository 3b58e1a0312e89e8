"""Curves through points: interpolating splines, and offsets of curves as splines.

Source of the formulas: cubic interpolation with natural or not-a-knot ends by scipy's make_interp_spline; parameters by
the centripetal rule of Lee (1989), which does not swing round uneven spacing.
"""

from __future__ import annotations

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import Curve
from tectogon.curves.spline import Spline
from tectogon.tolerances import ROUNDING, TINY


def parameters(points: FloatArray, power: float = 0.5) -> FloatArray:
    """Parameters (k,) from 0 to 1 for points (k, 2) that follow each other at some distance; power 1 is by chord
    length, 0.5 centripetal.

    Raises ValueError where all points are one."""
    steps = np.hypot(*np.diff(points, axis=0).T) ** power
    t = np.concatenate([[0.0], np.cumsum(steps)])
    if not (np.isfinite(t[-1]) and t[-1] > 0.0):
        raise ValueError("the points lie on top of each other")
    return np.asarray(t / t[-1])


def spline_through(points: FloatArray, t: FloatArray | None = None) -> Spline:
    """The cubic spline through points (k, 2), none of which repeats the one before; of lower degree for fewer than
    four.

    `t` are their parameters, rising from 0 to 1. Raises ValueError for fewer than two points.
    """
    if len(points) < 2:
        raise ValueError("a spline wants two points or more")
    degree = min(3, len(points) - 1)
    at = parameters(points) if t is None else t
    from scipy.interpolate import make_interp_spline

    made = make_interp_spline(at, points, k=degree)
    poles = np.asarray(made.c, float)
    poles[0], poles[-1] = points[0], points[-1]
    knots = np.asarray(made.t, float)
    knots[: degree + 1], knots[-degree - 1 :] = 0.0, 1.0
    return Spline(degree, knots, poles)


def offset_spline(curve: Curve, distance: float, *, tol: float) -> Spline:
    """The curve at `distance` (mm) to the left of another, as a spline within about `tol` (mm) of the true offset."""
    count = 9
    while True:
        t = np.linspace(0.0, 1.0, count)
        spline = spline_through(_offset_points(curve, t, distance), t)
        middle = (t[:-1] + t[1:]) / 2.0
        off = np.hypot(*(spline.points(middle) - _offset_points(curve, middle, distance)).T).max()
        if off <= tol or count > 500:
            return spline
        count = 2 * count - 1


def _offset_points(curve: Curve, t: FloatArray, distance: float) -> FloatArray:
    d = np.asarray(curve.derivatives(t), float)
    speed = np.hypot(*d.T)
    still = speed < ROUNDING * max(float(speed.max()), TINY)
    if still.any():
        d[still] = np.asarray(curve.derivatives(np.where(t[still] < 0.5, t[still] + 1e-4, t[still] - 1e-4)))
        speed = np.maximum(np.hypot(*d.T), TINY)
    return np.asarray(curve.points(t)) + distance * np.column_stack([-d[:, 1], d[:, 0]]) / speed[:, None]


def closed_spline_through(points: FloatArray) -> Spline:
    """The smooth closed cubic spline through points (k, 2), k of 3 or more; the first is not repeated at the end."""
    around = np.concatenate([points, points[:1]])
    t = parameters(around)
    from scipy.interpolate import make_interp_spline

    made = make_interp_spline(t, around, k=3, bc_type="periodic")
    return Spline.of(3, np.asarray(made.t, float), np.asarray(made.c, float))


def spline_within(points: FloatArray, deviation: float) -> Spline:
    """A cubic spline with few poles that passes within `deviation` of every point (k, 2), and through the first and the
    last."""
    if len(points) < 5:
        return spline_through(points)
    t = parameters(points)
    breaks = np.array([0.0, 1.0])
    while len(breaks) + 2 < len(points) - 1:
        spline = _least_squares(points, t, breaks)
        off = np.hypot(*(spline.points(t) - points).T)
        if off.max() <= deviation:
            return spline
        span = np.clip(np.searchsorted(breaks, t, side="right") - 1, 0, len(breaks) - 2)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, span, off)
        worst[np.bincount(span, minlength=len(worst)) < 4] = 0.0
        bad = np.flatnonzero(worst > deviation)
        if not len(bad):
            break
        breaks = np.sort(np.concatenate([breaks, [np.median(t[span == k]) for k in bad.tolist()]]))
    return spline_through(points, t)


def _least_squares(points: FloatArray, t: FloatArray, breaks: FloatArray) -> Spline:
    """The cubic spline on these breaks nearest to the points, its ends held on the first and the last of them."""
    knots = np.concatenate([np.zeros(3), breaks, np.ones(3)])
    from scipy.interpolate import BSpline

    basis = BSpline.design_matrix(np.clip(t, 0.0, 1.0 - 1e-15), knots, 3).toarray()
    free = basis[:, 1:-1]
    rest = points - basis[:, :1] * points[0] - basis[:, -1:] * points[-1]
    inner = np.linalg.lstsq(free, rest, rcond=None)[0]
    return Spline(3, knots, np.concatenate([points[:1], inner, points[-1:]]))
