"""Where curves meet: crossings, touchings, and ends that lie on another curve.

Pairs of lines and arcs are done in closed form on whole columns; pairs with an ellipse or a spline by meet_bent.py.

Tried first and dropped: shapely's noding of the flattened curves (2.4 s for 100,000 segments, and the true parameters
still to be found afterwards) against 0.3 s for a box tree and the closed forms here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.curves.meet_bent import MOST_MEETINGS, boxes_as_lines, meet_bent, refuse_crowds, refuse_many
from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, LINE, CurveTable, IntArray
from tectogon.tolerances import ROUNDING, TINY

_MOST_PAIRS = 20_000_000


@dataclass(frozen=True)
class Meetings:
    """Places where a curve is met by another: curve row (k,), parameter t (k,) and point (k, 2)."""

    row: IntArray
    t: FloatArray
    point: FloatArray


def box_pairs(bounds: FloatArray, *, margin: float) -> IntArray:
    """Pairs (k, 2), i < j, whose boxes (n, 4) come within `margin` of each other."""
    lines = boxes_as_lines(bounds + np.array([-margin, -margin, margin, margin]) / 2.0)
    tree = shapely.STRtree(lines)
    refuse_crowds(tree, _MOST_PAIRS)
    pairs = tree.query(lines).T
    return np.asarray(pairs[pairs[:, 0] < pairs[:, 1]])


def find_meetings(table: CurveTable, end_node: IntArray, *, tol: float) -> Meetings:
    """All interior meetings of the curves of a table. Raises OverLimit where there are far more than any drawing of a
    part has.

    `end_node` (n, 2) numbers the ends so that ends within `tol` share a number: neighbours that only share an end need
    no test.
    Meetings at a curve's own ends are left out: they split nothing.
    """
    pairs = box_pairs(table.bounds, margin=2.0 * tol)
    i, j = pairs[:, 0], pairs[:, 1]
    ki, kj = table.kind[i], table.kind[j]
    found: list[tuple[IntArray, FloatArray, FloatArray]] = []

    lines = (ki == LINE) & (kj == LINE)
    (a0, a1), (b0, b1) = end_node[i].T, end_node[j].T
    shared = (a0 == b0) | (a0 == b1) | (a1 == b0) | (a1 == b1)
    found += _line_line(table, i[lines & ~shared], j[lines & ~shared], tol)

    mixed = ((ki == LINE) & (kj == ARC)) | ((ki == ARC) & (kj == LINE))
    swap = ki[mixed] == ARC
    a, b = np.where(swap, j[mixed], i[mixed]), np.where(swap, i[mixed], j[mixed])
    found += _line_arc(table, a, b, tol)
    both = (ki == ARC) & (kj == ARC)
    found += _arc_arc(table, i[both], j[both], tol)

    simple = (ki <= ARC) & (kj <= ARC)
    found += _ends_on_simple(
        table, np.concatenate([i[kj <= ARC], j[ki <= ARC]]), np.concatenate([j[kj <= ARC], i[ki <= ARC]]), tol
    )
    found += meet_bent(table, i[~simple], j[~simple], end_node, tol)
    return _gather(table, found, tol)


def _gather(table: CurveTable, found: list[tuple[IntArray, FloatArray, FloatArray]], tol: float) -> Meetings:
    if not found:
        return Meetings(np.zeros(0, np.int64), np.zeros(0), np.zeros((0, 2)))
    row = np.concatenate([f[0] for f in found])
    refuse_many(len(row) // 2, MOST_MEETINGS)
    t = np.concatenate([f[1] for f in found])
    point = np.concatenate([f[2] for f in found])
    ends = table.ends[row]
    margin = tol / np.maximum(table.lengths[row], tol)
    closed = table.closed[row]
    inside = (t > margin) & (t < 1.0 - margin)
    apart = np.minimum(np.hypot(*(ends[:, 0] - point).T), np.hypot(*(ends[:, 1] - point).T)) > tol
    keep = inside & (apart | closed)
    return Meetings(row[keep], t[keep], point[keep])


def _line_line(
    table: CurveTable, i: IntArray, j: IntArray, tol: float
) -> list[tuple[IntArray, FloatArray, FloatArray]]:
    p, q = table.data[i, 0:2], table.data[j, 0:2]
    r, s = table.data[i, 2:4] - p, table.data[j, 2:4] - q
    det = r[:, 0] * s[:, 1] - r[:, 1] * s[:, 0]
    lr, ls = np.hypot(*r.T), np.hypot(*s.T)
    ok = np.abs(det) > ROUNDING * lr * ls
    det = np.where(ok, det, 1.0)
    w = q - p
    t = (w[:, 0] * s[:, 1] - w[:, 1] * s[:, 0]) / det
    u = (w[:, 0] * r[:, 1] - w[:, 1] * r[:, 0]) / det
    mt, mu = tol / np.maximum(lr, tol), tol / np.maximum(ls, tol)
    hit = ok & (t > -mt) & (t < 1 + mt) & (u > -mu) & (u < 1 + mu)
    point = p[hit] + t[hit, None] * r[hit]
    return [(i[hit], t[hit], point), (j[hit], u[hit], point)]


def _arc_t(table: CurveTable, rows: IntArray, point: FloatArray) -> FloatArray:
    """Parameters of points that lie on the circles of arcs; outside 0..1 where the arc does not reach them."""
    d = table.data[rows]
    angle = np.arctan2(point[:, 1] - d[:, 1], point[:, 0] - d[:, 0])
    sweep = d[:, 4]
    forward = np.where(sweep >= 0, np.mod(angle - d[:, 3], TURN), np.mod(d[:, 3] - angle, TURN))
    t = forward / np.abs(sweep)
    back = (forward - TURN) / np.abs(sweep)
    return np.where((t > 1.0) & (np.abs(back) < t - 1.0), back, t)


def _line_arc(table: CurveTable, a: IntArray, b: IntArray, tol: float) -> list[tuple[IntArray, FloatArray, FloatArray]]:
    p, v = table.data[a, 0:2], table.data[a, 2:4] - table.data[a, 0:2]
    centre, radius = table.data[b, 0:2], table.data[b, 2]
    length = np.hypot(*v.T)
    foot_t = np.sum((centre - p) * v, axis=1) / length**2
    foot = p + foot_t[:, None] * v
    distance = np.hypot(*(foot - centre).T)
    near = distance <= radius + tol
    half = np.sqrt(np.maximum(radius**2 - distance**2, 0.0))
    touch = np.abs(distance - radius) <= tol
    half = np.where(touch & (half < np.sqrt(2.0 * radius * tol) * 1.5), 0.0, half)
    out = []
    for way in (-1.0, 1.0):
        t = foot_t + way * half / length
        point = p + t[:, None] * v
        u = _arc_t(table, b, point)
        mt, mu = tol / length, tol / np.maximum(table.lengths[b], tol)
        hit = near & (t > -mt) & (t < 1 + mt) & (u > -mu) & (u < 1 + mu)
        if way > 0:
            hit &= half > 0
        out += [(a[hit], t[hit], point[hit]), (b[hit], u[hit], point[hit])]
    return out


def _arc_arc(table: CurveTable, i: IntArray, j: IntArray, tol: float) -> list[tuple[IntArray, FloatArray, FloatArray]]:
    ci, cj = table.data[i, 0:2], table.data[j, 0:2]
    ri, rj = table.data[i, 2], table.data[j, 2]
    gap = cj - ci
    d = np.hypot(*gap.T)
    meet = (d <= ri + rj + tol) & (d >= np.abs(ri - rj) - tol) & (d > tol)
    safe = np.where(meet, d, 1.0)
    along = (d * d + ri * ri - rj * rj) / (2.0 * safe)
    high = np.sqrt(np.maximum(ri * ri - along * along, 0.0))
    touch = (np.abs(d - ri - rj) <= tol) | (np.abs(d - np.abs(ri - rj)) <= tol)
    high = np.where(touch, 0.0, high)
    along = np.where(touch, np.clip(along, -ri, ri), along)
    e = gap / safe[:, None]
    out = []
    for way in (-1.0, 1.0):
        point = ci + along[:, None] * e + (way * high)[:, None] * np.column_stack([-e[:, 1], e[:, 0]])
        t, u = _arc_t(table, i, point), _arc_t(table, j, point)
        mt, mu = tol / np.maximum(table.lengths[i], tol), tol / np.maximum(table.lengths[j], tol)
        hit = meet & (t > -mt) & (t < 1 + mt) & (u > -mu) & (u < 1 + mu)
        if way > 0:
            hit &= high > 0
        out += [(i[hit], t[hit], point[hit]), (j[hit], u[hit], point[hit])]
    return out


def _ends_on_simple(
    table: CurveTable, ends_of: IntArray, on: IntArray, tol: float
) -> list[tuple[IntArray, FloatArray, FloatArray]]:
    """Ends of curves `ends_of` that lie within `tol` on the lines and arcs `on`."""
    out = []
    for kind in (LINE, ARC):
        m = table.kind[on] == kind
        rows, d, ends = on[m], table.data[on[m]], table.ends[ends_of[m]]
        for side in (0, 1):
            p = ends[:, side]
            if kind == LINE:
                (px, py), (ax, ay, bx, by) = p.T, d[:, :4].T
                vx, vy = bx - ax, by - ay
                t = ((px - ax) * vx + (py - ay) * vy) / np.maximum(vx * vx + vy * vy, TINY)
                foot = np.column_stack([ax + t * vx, ay + t * vy])
            else:
                t = _arc_t(table, rows, p)
                way = p - d[:, 0:2]
                way[np.hypot(*way.T) == 0.0] = (1.0, 0.0)  # the centre itself is as far from every point of the arc
                foot = d[:, 0:2] + way * (d[:, 2] / np.hypot(*way.T))[:, None]
            hit = (np.hypot(*(foot - p).T) <= tol) & (t > 0) & (t < 1)
            out.append((rows[hit], t[hit], foot[hit]))
    return out
