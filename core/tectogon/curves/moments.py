"""What each curve adds to the area, and to the first moments, of a region that it bounds (Green's theorem).

    area = ½ ∮ (x dy - y dx)      moment of x = ½ ∮ x² dy      moment of y = -½ ∮ y² dx

Lines and circular arcs in closed form; elliptic arcs and splines by Gauss quadrature, exact to rounding for polynomial
splines.
"""

from __future__ import annotations

import numpy as np

from tectogon.curves import bezier
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import EllipticArc
from tectogon.curves.spline import Spline, gauss_on_spans
from tectogon.curves.table import ARC, ELLIPSE, LINE, CurveTable


def area_moments(table: CurveTable) -> FloatArray:
    """Contributions (n, 3) of each curve, run from start to end: area (mm²), moment of x and of y (mm³) about the
    origin."""
    out = np.zeros((len(table), 3))
    lines = table.kind == LINE
    out[lines] = _lines(table.data[lines])
    arcs = table.kind == ARC
    out[arcs] = _arcs(table.data[arcs])
    for rows, poles in table.beziers.values():
        out[rows] = bezier.area_moments(poles)
    for row in np.concatenate([table.rows_of(ELLIPSE), table.other_splines]):
        curve = table.curve(int(row))
        assert isinstance(curve, (EllipticArc, Spline))
        out[row] = _by_quadrature(curve)
    return out


def _lines(d: FloatArray) -> FloatArray:
    x0, y0, x1, y1 = d[:, 0], d[:, 1], d[:, 2], d[:, 3]
    area = (x0 * y1 - x1 * y0) / 2.0
    sx = (y1 - y0) * (x0 * x0 + x0 * x1 + x1 * x1) / 6.0
    sy = -(x1 - x0) * (y0 * y0 + y0 * y1 + y1 * y1) / 6.0
    return np.column_stack([area, sx, sy])


def _arcs(d: FloatArray) -> FloatArray:
    cx, cy, r, a0, sweep = d[:, 0], d[:, 1], d[:, 2], d[:, 3], d[:, 4]
    a1 = a0 + sweep
    s, c = np.sin(a1) - np.sin(a0), np.cos(a1) - np.cos(a0)
    cos2 = sweep / 2.0 + (np.sin(2 * a1) - np.sin(2 * a0)) / 4.0
    sin2 = sweep - cos2
    cos3 = s - (np.sin(a1) ** 3 - np.sin(a0) ** 3) / 3.0
    sin3 = -c + (np.cos(a1) ** 3 - np.cos(a0) ** 3) / 3.0
    area = 0.5 * (r * r * sweep + r * (cx * s - cy * c))
    sx = 0.5 * r * (cx * cx * s + 2 * cx * r * cos2 + r * r * cos3)
    sy = 0.5 * r * (-cy * cy * c + 2 * cy * r * sin2 + r * r * sin3)
    return np.column_stack([area, sx, sy])


def _by_quadrature(curve: EllipticArc | Spline) -> FloatArray:
    if isinstance(curve, Spline):
        t, w = gauss_on_spans(curve.spans, 2 * curve.degree + 2 if curve.weights is None else 24)
    else:
        t, w = gauss_on_spans(np.linspace(0.0, 1.0, max(2, int(np.ceil(abs(curve.sweep) / 0.8))) + 1), 16)
    (x, y), (dx, dy) = curve.points(t).T, curve.derivatives(t).T
    return np.array([w @ (x * dy - y * dx) / 2.0, w @ (x * x * dy) / 2.0, -(w @ (y * y * dx)) / 2.0])
