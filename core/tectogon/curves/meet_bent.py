"""Where curves meet of which one at least is an ellipse or a spline: from short chords, refined by Newton's method on
whole columns.

Tried first and dropped: one pair at a time (75 s for an SVG of 20,000 Bézier curves against 1 s).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, ELLIPSE, CurveTable, IntArray
from tectogon.errors import OverLimit
from tectogon.tolerances import ROUNDING, TINY
from tectogon.units import show_count

_CHORD = 1e-3
"""How far chords may stray from their curve, as a share of the curve's box."""

MOST_MEETINGS = 250_000
"""A drawing whose curves meet more often than this is no drawing of a part: hatching over hatching, or one line a
thousand times."""
_MOST_CHORD_PAIRS = 1_500_000


def refuse_many(count: int, most: int) -> None:
    """Raises OverLimit for more meetings than are worked on, before they are."""
    if count > most:
        raise OverLimit(
            f"The curves cross or lie on each other in more than {show_count(most)} places (about"
            f" {show_count(count)}): too many to find"
            " regions in. Leave hatching and repeated lines out, or take a part of the drawing."
        )


def refuse_crowds(tree: shapely.STRtree, most: int) -> None:
    """Raises OverLimit where far more boxes of a tree meet than `most`: judged by a sample, before all are asked."""
    boxes = tree.geometries
    if len(boxes) > _SAMPLED:
        some = boxes[:: len(boxes) // _SAMPLED]
        own = len(some)  # each meets itself
        refuse_many((len(tree.query(some)[0]) - own) * len(boxes) // (2 * len(some)), most)


_SAMPLED = 400
Found = tuple[IntArray, FloatArray, FloatArray]


def boxes_as_lines(boxes: FloatArray) -> npt.NDArray[np.object_]:
    """Boxes (n, 4) as their diagonals: the same to a tree of boxes, and made in a quarter of the time."""
    return np.asarray(shapely.linestrings(boxes.reshape(-1, 2, 2)))


@dataclass(frozen=True)
class _Chords:
    """Short chords of some curves: their row, the parameters and points of both ends, a box round the true piece, the
    nodes at its ends or -1."""

    row: IntArray
    number: IntArray
    t0: FloatArray
    t1: FloatArray
    p0: FloatArray
    p1: FloatArray
    box: FloatArray
    node: IntArray
    tree: shapely.STRtree


def meet_bent(table: CurveTable, i: IntArray, j: IntArray, end_node: IntArray, tol: float) -> list[Found]:
    """Meetings of the pairs (i, j), and of bent curves with themselves: (row, t, point) for either curve, as columns.

    `end_node` (n, 2) numbers the ends; chords that share a node are neighbours and need no test there.
    """
    bent = np.flatnonzero(table.kind >= ELLIPSE)
    if not len(bent):
        return []
    rows = np.unique(np.concatenate([i, j, bent]))
    chords = _chords(table, rows, end_node, tol)
    pairs = _near_pairs(chords, table, i, j)
    refuse_many(len(pairs), _MOST_CHORD_PAIRS)
    return [*_crossings(table, chords, pairs, tol), *_ends_on(table, chords, rows, end_node, tol)]


def _chords(table: CurveTable, rows: IntArray, end_node: IntArray, tol: float) -> _Chords:
    counts = _steps(table)[rows]
    row = np.repeat(rows, counts)
    number = np.arange(len(row)) - np.repeat(np.cumsum(counts) - counts, counts)
    of = np.repeat(counts, counts)
    t0, t1 = number / of, (number + 1) / of
    p0, p1 = table.points(row, t0), table.points(row, t1)
    stray = np.hypot(*(table.points(row, (t0 + t1) / 2.0) - (p0 + p1) / 2.0).T) * 1.5 + tol
    box = np.concatenate([np.minimum(p0, p1) - stray[:, None], np.maximum(p0, p1) + stray[:, None]], axis=1)
    node = np.column_stack(
        [np.where(number == 0, end_node[row, 0], -1), np.where(number == of - 1, end_node[row, 1], -2)]
    )
    return _Chords(row, number, t0, t1, p0, p1, box, node, shapely.STRtree(boxes_as_lines(box)))


def _steps(table: CurveTable) -> IntArray:
    """Chords for each curve (n,)."""
    out = np.ones(len(table), np.int64)
    for kind, column in ((ARC, 4), (ELLIPSE, 6)):
        m = table.kind == kind
        out[m] = np.ceil(np.abs(table.data[m, column]) / 0.17)
    size = np.maximum(np.ptp(table.bounds.reshape(-1, 2, 2), axis=1).max(axis=1), ROUNDING)
    for own, poles in table.beziers.values():
        degree = poles.shape[1] - 1
        bend = (
            np.hypot(*np.diff(poles, n=2, axis=1).transpose(2, 0, 1)).max(axis=1) if degree > 1 else np.zeros(len(own))
        )
        out[own] = np.clip(np.ceil(np.sqrt(degree * (degree - 1) / 8.0 * bend / (size[own] * _CHORD))), 3, 60)
    for at in table.other_splines.tolist():
        spans = len(table.splines[int(table.data[at, 0])].spans) - 1
        out[at] = min(spans * min(8, max(2, -(-48 // spans))), 4000)
    return out


def _near_pairs(chords: _Chords, table: CurveTable, i: IntArray, j: IntArray) -> IntArray:
    """Pairs of chords (k, 2) whose boxes meet: of the curves asked for, and of one bent curve with itself; never two
    chords that share a node."""
    refuse_crowds(chords.tree, _MOST_CHORD_PAIRS)
    pairs = chords.tree.query(chords.tree.geometries).T
    pairs = pairs[pairs[:, 0] < pairs[:, 1]]
    a, b = chords.row[pairs].T
    count = len(table)
    asked = np.unique(np.minimum(i, j) * count + np.maximum(i, j))
    key = np.minimum(a, b) * count + np.maximum(a, b)
    place = np.minimum(np.searchsorted(asked, key), max(len(asked) - 1, 0))
    wanted = asked[place] == key if len(asked) else np.zeros(len(key), bool)
    gap = np.abs(chords.number[pairs[:, 0]] - chords.number[pairs[:, 1]])
    with_itself = (a == b) & (table.kind[a] >= ELLIPSE) & (gap > 1)
    na, nb = chords.node[pairs[:, 0]], chords.node[pairs[:, 1]]
    shared = (na[:, 0] == nb[:, 1]) | (na[:, 1] == nb[:, 0])
    shared |= ((na[:, 0] == nb[:, 0]) & (na[:, 0] >= 0)) | ((na[:, 1] == nb[:, 1]) & (na[:, 1] >= 0))
    return np.asarray(pairs[(wanted | with_itself) & ~shared])


def _crossings(table: CurveTable, chords: _Chords, pairs: IntArray, tol: float) -> list[Found]:
    if not len(pairs):
        return []
    a, b = pairs.T
    r, s = chords.p1[a] - chords.p0[a], chords.p1[b] - chords.p0[b]
    w = chords.p0[b] - chords.p0[a]
    det = r[:, 0] * s[:, 1] - r[:, 1] * s[:, 0]
    flat = np.abs(det) <= 1e-14 * np.hypot(*r.T) * np.hypot(*s.T)
    det = np.where(flat, 1.0, det)
    u = np.where(flat, 0.5, (w[:, 0] * s[:, 1] - w[:, 1] * s[:, 0]) / det)
    v = np.where(flat, 0.5, (w[:, 0] * r[:, 1] - w[:, 1] * r[:, 0]) / det)
    likely = (
        flat
        | ((np.abs(u - 0.5) < 0.8) & (np.abs(v - 0.5) < 0.8))
        | (np.abs(det) < 0.1 * np.hypot(*r.T) * np.hypot(*s.T)) & (chords.row[a] != chords.row[b])
    )
    a, b, u, v = a[likely], b[likely], np.clip(u[likely], 0.0, 1.0), np.clip(v[likely], 0.0, 1.0)
    if not len(a):
        return []
    step_a, step_b = chords.t1[a] - chords.t0[a], chords.t1[b] - chords.t0[b]
    t, q = chords.t0[a] + u * step_a, chords.t0[b] + v * step_b
    row_a, row_b = chords.row[a], chords.row[b]
    for _ in range(10):
        gap = table.points(row_b, q) - table.points(row_a, t)
        da, db = table.derivatives(row_a, t), table.derivatives(row_b, q)
        turn = da[:, 1] * db[:, 0] - da[:, 0] * db[:, 1]
        turn = np.where(np.abs(turn) > TINY, turn, TINY)
        t = np.clip(t + np.clip((gap[:, 1] * db[:, 0] - gap[:, 0] * db[:, 1]) / turn, -step_a, step_a), 0.0, 1.0)
        q = np.clip(q + np.clip((gap[:, 1] * da[:, 0] - gap[:, 0] * da[:, 1]) / turn, -step_b, step_b), 0.0, 1.0)
    pa, pb = table.points(row_a, t), table.points(row_b, q)
    near_a = (t >= chords.t0[a] - 0.6 * step_a) & (t <= chords.t1[a] + 0.6 * step_a)
    near_b = (q >= chords.t0[b] - 0.6 * step_b) & (q <= chords.t1[b] + 0.6 * step_b)
    apart = (row_a != row_b) | (np.abs(t - q) > 0.5 * np.minimum(step_a, step_b))
    met = np.flatnonzero((np.hypot(*(pa - pb).T) <= tol) & near_a & near_b & apart)
    _, first = np.unique(
        np.column_stack([row_a[met], row_b[met], np.round(t[met] * 1e8), np.round(q[met] * 1e8)]),
        axis=0,
        return_index=True,
    )
    met = met[first]
    return [(row_a[met], t[met], pa[met]), (row_b[met], q[met], pa[met])]


def _ends_on(table: CurveTable, chords: _Chords, rows: IntArray, end_node: IntArray, tol: float) -> list[Found]:
    """Ends of curves that lie within `tol` on a bent curve they share no node with."""
    nodes, first = np.unique(end_node[rows].ravel(), return_index=True)
    points = table.ends[rows].reshape(-1, 2)[first]
    which, chord = chords.tree.query(shapely.points(points))
    bent = table.kind[chords.row[chord]] >= ELLIPSE
    which, chord = which[bent], chord[bent]
    row = chords.row[chord]
    strange = (end_node[row, 0] != nodes[which]) & (end_node[row, 1] != nodes[which])
    which, chord, row = which[strange], chord[strange], row[strange]
    if not len(which):
        return []
    p, p0 = points[which], chords.p0[chord]
    along = chords.p1[chord] - p0
    step = chords.t1[chord] - chords.t0[chord]
    t = chords.t0[chord] + step * np.clip(
        np.sum((p - p0) * along, axis=1) / np.maximum(np.sum(along * along, axis=1), TINY), 0.0, 1.0
    )
    for _ in range(7):
        d = table.derivatives(row, t)
        back = np.sum((table.points(row, t) - p) * d, axis=1) / np.maximum(np.sum(d * d, axis=1), TINY)
        t = np.clip(t - np.clip(back, -step, step), 0.0, 1.0)
    foot = table.points(row, t)
    hit = (np.hypot(*(foot - p).T) <= tol) & (t > 0) & (t < 1)
    return [(row[hit], t[hit], foot[hit])]
