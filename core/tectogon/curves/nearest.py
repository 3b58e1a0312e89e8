"""The points of curves that lie nearest to given ones."""

from __future__ import annotations

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, LINE, CurveTable, IntArray
from tectogon.tolerances import LEAST_SIZE, TINY

_ROUNDS = 30


def nearest_on(table: CurveTable, rows: IntArray, points: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Parameters t (k,) from 0 to 1 and distances (k,) in mm of the nearest point of curve rows[i] to points[i] (k, 2).

    Closed form for lines and arcs; ellipses and splines by samples, then by thirds of the best stretch.
    """
    t = np.zeros(len(rows))
    kind, d = table.kind[rows], table.data[rows]
    m = kind == LINE
    step = d[m, 2:4] - d[m, 0:2]
    t[m] = np.clip(
        np.sum((points[m] - d[m, 0:2]) * step, axis=1) / np.maximum(np.sum(step * step, axis=1), TINY), 0.0, 1.0
    )
    m = kind == ARC
    off = points[m] - d[m, 0:2]
    way = np.where(d[m, 4] < 0, -1.0, 1.0)
    turned = np.mod(way * (np.arctan2(off[:, 1], off[:, 0]) - d[m, 3]), TURN)
    sweep = np.maximum(np.abs(d[m, 4]), TINY)
    beyond = turned > sweep
    t[m] = np.where(beyond, np.where(turned - sweep < TURN - turned, 1.0, 0.0), turned / sweep)
    for i in np.flatnonzero((kind != LINE) & (kind != ARC)).tolist():
        t[i] = _bent(table, int(rows[i]), points[i])
    return t, np.hypot(*(table.points(rows, t) - points).T)


def _bent(table: CurveTable, row: int, point: FloatArray) -> float:
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
    return float((low + high) / 2.0)


def nearest_curves(table: CurveTable, others: CurveTable) -> IntArray:
    """For each curve of `others` the row (k,) of the curve of `table` that its middle lies nearest to, the first where
    several lie as near.

    Nearness is measured on flattened curves, to a five-thousandth of the drawing: enough to tell which line an offset
    runs along.
    """
    points, offsets = table.flatten(max(table.size, LEAST_SIZE) * 2e-4)
    segment_of = np.repeat(np.arange(len(table)), np.diff(offsets) - 1)
    first = np.delete(np.arange(len(points)), offsets[1:] - 1)
    tree = shapely.STRtree(np.asarray(shapely.linestrings(np.stack([points[first], points[first + 1]], axis=1))))
    middles = others.points(np.arange(len(others)), np.full(len(others), 0.5))
    which, segment = tree.query_nearest(shapely.points(middles), all_matches=True)
    out = np.full(len(others), len(table))
    np.minimum.at(out, which, segment_of[segment])
    return out
