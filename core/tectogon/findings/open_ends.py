"""Ends that do not meet: gaps, undershoots, overshoots, and ends with nothing near.

An end is open where nothing else comes within the resolution. Its partner is the nearest of: another open end; a curve
that it stops short of; or the crossing that it has run past. Ends are paired nearest first; an end that has found its
partner is not offered to others, but a third end may still come to where two have met.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from scipy.spatial import cKDTree

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.meet_bent import boxes_as_lines
from tectogon.curves.nearest import nearest_on
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.findings.finding import Finding
from tectogon.profiles.network import Network
from tectogon.tolerances import HAIR, LEAST_SIZE
from tectogon.units import show_small

_CLEAR = 2.5
"""How many times nearer than the next candidate a partner must be to be certain."""

_TOGETHER = 1.5
"""Two candidates for an end are one place if they are no further from each other than so many times the further one's
distance."""


@dataclass(frozen=True)
class OpenEnds:
    """Open ends of a network: the end of a curve as 2 × row + side (k,), its point (k, 2), the length from it to the
    next node (k,), whether that node is a crossing (k,), and where it is (k, 2)."""

    end: IntArray
    point: FloatArray
    tail: FloatArray
    past: BoolArray
    crossing: FloatArray


def open_ends(net: Network) -> OpenEnds:
    """Gaps, undershoots and overshoots of a network, from the nearest pairs of its open ends; sizes in mm."""
    degree = np.bincount(net.node.ravel(), minlength=len(net.points))
    piece, side = np.nonzero(degree[net.node] == 1)
    other = net.node[piece, 1 - side]
    past = net.cut[piece] & (degree[other] >= 3)
    return OpenEnds(
        2 * net.source[piece] + side,
        net.points[net.node[piece, side]],
        net.table.lengths[piece],
        past,
        net.points[other],
    )


def find_ends(table: CurveTable, net: Network, *, reach: float, sure_within: float) -> list[Finding]:
    """Findings for all open ends; partners are looked for within `reach` (mm), certain ones lie within `sure_within`
    (mm)."""
    ends = open_ends(net)
    if not len(ends.end):
        return []
    gap, partner, second = _nearest_ends(ends, table, reach)
    whole = np.ones(len(table), bool)
    whole[net.doubles] = False
    whole[net.source] = True
    short, on, where = _nearest_curves(table, ends, np.minimum(reach, gap), np.flatnonzero(whole))
    over = np.where(
        ends.past & (ends.tail <= np.minimum(reach, 0.25 * table.lengths[ends.end >> 1])), ends.tail, np.inf
    )
    short[_alongside(table, ends, partner, on, where, short)] = np.inf
    short[_corners(ends, partner, on, where, short)] = np.inf
    late = np.flatnonzero(np.isfinite(over) & (short < over))
    same = nearest_on(table, on[late], ends.crossing[late])[1] <= 1e-3 * over[late]
    short[late[same]] = np.inf  # these have run past that very curve, along a tangent: trimming is meant
    cut = nearest_on(table, ends.end >> 1, ends.crossing)[0]
    out: list[Finding] = []
    taken = np.zeros(len(ends.end), bool)
    best = np.minimum(np.minimum(gap, short), over)
    for k in np.argsort(best, kind="stable").tolist():
        if taken[k]:
            continue
        end, point = int(ends.end[k]), (float(ends.point[k, 0]), float(ends.point[k, 1]))
        row = end >> 1
        if not np.isfinite(best[k]):
            out.append(
                Finding(
                    "open_end",
                    float(ends.tail[k]),
                    point,
                    (row,),
                    False,
                    f"an end with nothing within {reach:.3g} mm",
                    (end,),
                )
            )
        elif over[k] <= min(short[k], gap[k]):
            size = float(over[k])
            out.append(
                Finding(
                    "overshoot",
                    size,
                    point,
                    (row,),
                    size <= sure_within,
                    f"runs {show_small(size, 4)} mm past a crossing",
                    (end,),
                    (float(cut[k]),),
                )
            )
        elif short[k] < 0.7 * gap[k]:
            size = float(short[k])
            other = int(on[k])
            sure = bool(size <= sure_within and size * _CLEAR <= gap[k])
            out.append(
                Finding(
                    "undershoot",
                    size,
                    point,
                    (row, other),
                    sure,
                    f"stops {show_small(size, 4)} mm short of a curve",
                    (end,),
                    (float(where[k]),),
                )
            )
        else:
            size, mate = float(gap[k]), int(partner[k])
            mutual = int(partner[mate]) == k or taken[mate]
            sure = bool(size <= sure_within and mutual and size * _CLEAR <= second[k])
            taken[mate] = True
            rows = tuple(dict.fromkeys((row, int(ends.end[mate]) >> 1)))
            middle = (ends.point[k] + ends.point[mate]) / 2.0
            out.append(
                Finding(
                    "gap",
                    size,
                    (float(middle[0]), float(middle[1])),
                    rows,
                    sure,
                    f"two ends {show_small(size, 4)} mm apart",
                    (end, int(ends.end[mate])),
                )
            )
        taken[k] = True
    return out


def _alongside(
    table: CurveTable, ends: OpenEnds, partner: IntArray, on: IntArray, where: FloatArray, short: FloatArray
) -> IntArray:
    """Numbers of ends that lie alongside the very curve whose open end is their partner: two ends that lap over each
    other, a gap and no undershoot."""
    k = np.flatnonzero(np.isfinite(short) & (partner >= 0))
    k = k[ends.end[partner[k]] >> 1 == on[k]]
    own, _ = table.directions(ends.end[k] >> 1, (ends.end[k] & 1).astype(float))
    other, _ = table.directions(on[k], where[k])
    return k[np.abs(own[:, 0] * other[:, 1] - own[:, 1] * other[:, 0]) < 0.15]


def _corners(ends: OpenEnds, partner: IntArray, on: IntArray, where: FloatArray, short: FloatArray) -> IntArray:
    """Numbers of ends that stop short of the very end of the curve whose open end is their partner, and that of them:
    two ends that both stop before their corner, a gap and no undershoots."""
    k = np.flatnonzero(np.isfinite(short) & (partner >= 0))
    mate = ends.end[partner[k]]
    k = k[(mate >> 1 == on[k]) & (np.abs(where[k] - (mate & 1)) <= 0.5 * HAIR)]
    each = np.zeros(len(ends.end), bool)
    each[k] = True
    return k[each[partner[k]] & (partner[partner[k]] == k)]


def _nearest_ends(ends: OpenEnds, table: CurveTable, reach: float) -> tuple[FloatArray, IntArray, FloatArray]:
    """For each open end the nearest other (distance, number), and how far the next one after it is; infinity where
    there is none within reach.

    The two ends of one curve are partners only where the curve is far longer than their distance. A third end that lies
    as near to the partner is no rival of it: all of them meet in one place.
    """
    count = len(ends.end)
    near, who = cKDTree(ends.point).query(ends.point, k=min(6, count), distance_upper_bound=reach)
    near, who = np.reshape(near, (count, -1)), np.reshape(who, (count, -1))
    row = ends.end >> 1
    gap, partner, second = np.full(count, np.inf), np.full(count, -1), np.full(count, np.inf)
    long_enough = table.lengths[row]
    for column in range(near.shape[1]):
        d, w = near[:, column], who[:, column]
        there = np.isfinite(d) & (w < count)
        w = np.where(there, w, 0)
        fits = there & (w != np.arange(count)) & ((row[w] != row) | (long_enough > 6.0 * d))
        first = fits & (partner < 0)
        again = fits & (partner >= 0) & ~np.isfinite(second)
        again &= np.hypot(*(ends.point[w] - ends.point[partner]).T) > _TOGETHER * d
        gap[first], partner[first] = d[first], w[first]
        second[again] = d[again]
    return gap, partner, second


def _nearest_curves(
    table: CurveTable, ends: OpenEnds, reach: FloatArray, among: IntArray
) -> tuple[FloatArray, IntArray, FloatArray]:
    """For each open end the nearest of the rows `among` that it does not end on (distance, row, parameter); infinity
    where there is none within reach."""
    count = len(ends.end)
    short, on, where = np.full(count, np.inf), np.full(count, -1), np.zeros(count)
    far = float(np.max(np.where(np.isfinite(reach), reach, 0.0)))
    if far <= 0.0:
        return short, on, where
    size = max(table.size, LEAST_SIZE)
    around = table.bounds[among]
    low, high = ends.point.min(axis=0) - far, ends.point.max(axis=0) + far
    rows = among[
        (around[:, 0] <= high[0]) & (around[:, 2] >= low[0]) & (around[:, 1] <= high[1]) & (around[:, 3] >= low[1])
    ]
    if not len(rows):
        return short, on, where
    each = np.where(np.isfinite(reach), reach, far)
    tree = shapely.STRtree(boxes_as_lines(table.bounds[rows]))
    radius, left = max(far / _WIDENING**3, size * 1e-6), np.arange(count)
    while len(left):
        within = np.minimum(each[left], radius)
        k, n, d = _nearest_within(table, rows, tree, ends, left, within, size * 2e-5)
        short[k], on[k] = d, rows[n]
        left = left[~np.isfinite(short[left]) & (each[left] > radius)]
        radius *= _WIDENING
    found = np.flatnonzero(np.isfinite(short))
    where[found], exact = nearest_on(table, on[found], ends.point[found])
    short[found] = _along(table, ends.end[found], on[found], exact)
    return short, on, where


_WIDENING = 4.0
"""The search round an end is widened by this factor as long as it finds nothing: most ends have something very near."""


def _nearest_within(
    table: CurveTable,
    rows: IntArray,
    tree: shapely.STRtree,
    ends: OpenEnds,
    asked: IntArray,
    within: FloatArray,
    chord_tol: float,
) -> tuple[IntArray, IntArray, FloatArray]:
    """The nearest of `rows` to each of the ends `asked` within its own distance: number of the end, place in `rows`,
    distance, for those that have one."""
    boxes = np.concatenate([ends.point[asked] - within[:, None], ends.point[asked] + within[:, None]], axis=1)
    at, n = tree.query(boxes_as_lines(boxes))
    keep = rows[n] != ends.end[asked[at]] >> 1
    at, n = at[keep], n[keep]
    d = _distances(table, rows, n, ends.point[asked[at]], chord_tol)
    near = d <= within[at]
    at, n, d = at[near], n[near], d[near]
    order = np.lexsort((d, at))
    at, n, d = at[order], n[order], d[order]
    first = np.concatenate([[True], at[1:] != at[:-1]]) if len(at) else np.zeros(0, bool)
    return asked[at[first]], n[first], d[first]


def _distances(table: CurveTable, rows: IntArray, which: IntArray, points: FloatArray, chord_tol: float) -> FloatArray:
    """How far points (k, 2) are from the curves rows[which] (k,): exactly from lines and arcs, from the flattened curve
    for others (mm)."""
    out = np.empty(len(which))
    simple = table.kind[rows[which]] <= ARC
    out[simple] = nearest_on(table, rows[which[simple]], points[simple])[1]
    bent = np.flatnonzero(~simple)
    if len(bent):
        used, at = np.unique(which[bent], return_inverse=True)
        flat, offsets = table.take(rows[used]).flatten(chord_tol)
        lines = np.asarray(shapely.linestrings(flat, indices=np.repeat(np.arange(len(used)), np.diff(offsets))))
        out[bent] = shapely.distance(shapely.points(points[bent]), lines[at])
    return out


def _along(table: CurveTable, end: IntArray, other: IntArray, distance: FloatArray) -> FloatArray:
    """How far lines' ends are from other lines along their own direction (k,); the plain distance for other curves, or
    where that is far off."""
    row, side = end >> 1, end & 1
    a, b = table.data[row, :4].reshape(-1, 2, 2), table.data[other, :4].reshape(-1, 2, 2)
    each = np.arange(len(row))
    way, across = a[each, side] - a[each, 1 - side], b[:, 1] - b[:, 0]
    det = way[:, 0] * across[:, 1] - way[:, 1] * across[:, 0]
    long, wide = np.hypot(*way.T), np.hypot(*across.T)
    step = b[:, 0] - a[each, side]
    with np.errstate(divide="ignore", invalid="ignore"):
        run = (step[:, 0] * across[:, 1] - step[:, 1] * across[:, 0]) / det * long
        fits = (
            (table.kind[row] == LINE)
            & (table.kind[other] == LINE)
            & (np.abs(det) >= 0.2 * long * wide)
            & (run > 0.0)
            & (run < 3.0 * distance + 1e-9)
        )
    return np.where(fits, run, distance)
