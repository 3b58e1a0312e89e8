"""Any curve as a spline, exactly: round ones as rational quadratics, a quarter turn a span at most.

Source of the formula: The NURBS Book, chapter 7: the middle pole of an arc of angle 2a weighs cos a.
"""

from __future__ import annotations

import math

import numpy as np

from tectogon.curves.shapes import Arc, Curve, Line
from tectogon.curves.spline import Spline

_QUARTER = math.pi / 2.0


def as_spline(curve: Curve) -> Spline:
    """The same curve as a spline, its parameter from 0 at the start to 1 at the end."""
    if isinstance(curve, Spline):
        return curve
    if isinstance(curve, Line):
        return Spline(1, np.array([0.0, 0.0, 1.0, 1.0]), np.array([[curve.x0, curve.y0], [curve.x1, curve.y1]]))
    unit = _unit_arc(curve.start_angle if isinstance(curve, Arc) else curve.start_param, curve.sweep)
    if isinstance(curve, Arc):
        axes = curve.radius * np.eye(2)
    else:
        axes = np.array([[curve.mx, curve.my], [-curve.ratio * curve.my, curve.ratio * curve.mx]])
    return Spline(2, unit.knots, unit.poles @ axes + np.array([curve.cx, curve.cy]), unit.weights)


def _unit_arc(start: float, sweep: float) -> Spline:
    count = max(1, math.ceil(abs(sweep) / _QUARTER - 1e-9))
    half = sweep / count / 2.0
    angle = start + half * np.arange(2 * count + 1)
    reach = np.where(np.arange(2 * count + 1) % 2 == 1, 1.0 / math.cos(half), 1.0)
    poles = np.column_stack([np.cos(angle), np.sin(angle)]) * reach[:, None]
    inner = np.repeat(np.arange(1, count) / count, 2)
    return Spline(2, np.concatenate([np.zeros(3), inner, np.ones(3)]), poles, 1.0 / reach)
