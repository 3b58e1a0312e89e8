"""Linework that belongs together: what touches, and what lies inside it.

A view on a sheet is a group: its outline, the holes in it, the edges across it. Groups stand apart by white paper.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import BoolArray, IntArray
from tectogon.tolerances import LEAST_SIZE

_SNUG = 0.1
"""What bounds regions, and what lies in a view's box, is looked at with this share of the reach of groups."""

_MOSTLY_ONE = 0.75
"""Where more of the curves than this have a middle of their own, copies are not looked for."""


_AT_ONCE, _MEASURED = 2_000, 20_000
"""So many lines have their neighbours looked up at once, and so many pairs are measured."""


def find_groups(table: CurveTable, *, reach: float) -> IntArray:
    """A group number for each curve (n,), the largest group first: curves within `reach` (mm) of each other, and
    whatever lies in their box.

    An empty table gives no groups.
    """
    if not len(table):
        return np.zeros(0, np.int64)
    label = _touching(table, reach)
    while True:
        boxes = _boxes(table.bounds, label)
        joined = _contained(boxes, reach)
        if joined.max() + 1 == len(boxes):
            break
        label = joined[label]
    boxes = _boxes(table.bounds, label)
    size = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
    rank = np.empty(len(boxes), np.int64)
    rank[np.lexsort((boxes[:, 1], boxes[:, 0], -size))] = np.arange(len(boxes))
    return rank[label]


def view_groups(table: CurveTable, hidden: BoolArray, closing: BoolArray, *, reach: float) -> IntArray:
    """The group of each curve of a sheet (n,), the largest first; -1 for lines that belong to no view: dimension and
    extension lines, leaders, lines drawn from view to view.

    hidden: dashed curves, which never hold a group together.  closing: curves that bound a closed region. What bounds
    regions is a view; what else touches it belongs to it only as far as it lies within its box. Linework that closes
    hardly anything, an outline with a gap, is taken as it hangs together.
    """
    out = np.full(len(table), -1, np.int64)
    solid = np.flatnonzero(~hidden)
    if not len(solid):
        return find_groups(table, reach=reach)
    bounds = table.bounds
    hanging = find_groups(table.take(solid), reach=reach)
    cores = solid[closing[solid]]
    core = find_groups(table.take(cores), reach=reach * _SNUG)
    taken: list[tuple[IntArray, FloatArray]] = []
    for k in range(int(hanging.max()) + 1):
        rows = solid[hanging == k]
        whole = _boxes(bounds[rows], np.zeros(len(rows), np.int64))[0]
        own = [cores[core == n] for n in np.unique(core[np.isin(cores, rows)]).tolist()]
        boxes = [_boxes(bounds[c], np.zeros(len(c), np.int64))[0] for c in own]
        wide = np.maximum(whole[2:] - whole[:2], LEAST_SIZE)
        shares = np.array([(b[2:] - b[:2]) / wide for b in boxes]).reshape(-1, 2)
        if (shares.min(axis=1) >= 0.5).any() or (shares.max(axis=1) >= 0.15).sum() >= 2:
            taken += [(c, b) for c, b in zip(own, boxes, strict=True)]
        else:
            taken.append((rows, whole))
    taken.sort(key=lambda g: (-float(np.prod(g[1][2:] - g[1][:2])), *g[1][:2].tolist()))
    for n, (rows, _) in enumerate(taken):
        out[rows] = n
    loose = np.flatnonzero(out < 0)
    slack = reach * _SNUG
    for n, (_, box) in reversed(list(enumerate(taken))):
        grown = box + np.array([-slack, -slack, slack, slack])
        inside = (bounds[loose, :2] >= grown[:2]).all(axis=1) & (bounds[loose, 2:] <= grown[2:]).all(axis=1)
        out[loose[inside]] = n
    return out


def _touching(table: CurveTable, reach: float) -> IntArray:
    size = max(table.size, LEAST_SIZE)
    points, offsets = table.flatten(size * 1e-4)
    one, copy_of = _unlike(table, points[(offsets[:-1] + offsets[1:]) // 2])
    lines = np.asarray(shapely.linestrings(points, indices=np.repeat(np.arange(len(table)), np.diff(offsets))))[one]
    return _chained(lines, reach)[copy_of]


def _chained(lines: NDArray[np.object_], reach: float) -> IntArray:
    """A number for each line (n,), the same for all that hang together by steps of `reach`. Only lines not known to
    hang together are measured: thousands that all cross each other hang together after a few."""
    out = np.arange(len(lines))
    tree = shapely.STRtree(lines)
    boxes = shapely.box(*(shapely.bounds(lines) + np.array([-reach, -reach, reach, reach])).T)
    for start in range(0, len(lines), _AT_ONCE):
        a, b = tree.query(boxes[start : start + _AT_ONCE])
        a += start
        pairs = np.column_stack([a, b])[a < b]
        while len(pairs := pairs[out[pairs[:, 0]] != out[pairs[:, 1]]]):
            some, pairs = pairs[:_MEASURED], pairs[_MEASURED:]
            i, j = some[shapely.dwithin(lines[some[:, 0]], lines[some[:, 1]], reach)].T
            out = _joined(len(lines), out[i], out[j])[out]
    return out


def _unlike(table: CurveTable, middles: FloatArray) -> tuple[IntArray, IntArray]:
    """One row of each set of curves that lie on each other (m,), and for each curve (n,) which of these it is: a
    thousand copies of a drawing would touch each other a million times."""
    each = np.arange(len(table))
    if len(np.unique(middles.view(np.complex128))) > _MOSTLY_ONE * len(table):
        return each, each
    key = np.column_stack([middles, table.ends.reshape(-1, 4), table.bounds, table.kind])
    _, one, copy_of = np.unique(key, axis=0, return_index=True, return_inverse=True)
    return np.asarray(one), np.asarray(copy_of).reshape(-1)


def _joined(count: int, a: IntArray, b: IntArray) -> IntArray:
    graph = coo_array((np.ones(len(a), np.int8), (a, b)), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)


def _boxes(bounds: FloatArray, label: IntArray) -> FloatArray:
    """Boxes (g, 4) of groups numbered from 0."""
    out = np.full((int(label.max()) + 1, 4), np.inf)
    out[:, 2:] = -np.inf
    for k in (0, 1):
        np.minimum.at(out[:, k], label, bounds[:, k])
        np.maximum.at(out[:, k + 2], label, bounds[:, k + 2])
    return out


def _contained(boxes: FloatArray, reach: float) -> IntArray:
    """Groups joined with the group whose box holds more than half of theirs."""
    grown = boxes + np.array([-reach, -reach, reach, reach])
    shapes = shapely.box(*grown.T)
    a, b = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    wide = np.minimum(grown[a, 2], grown[b, 2]) - np.maximum(grown[a, 0], grown[b, 0])
    high = np.minimum(grown[a, 3], grown[b, 3]) - np.maximum(grown[a, 1], grown[b, 1])
    own = (grown[:, 2] - grown[:, 0]) * (grown[:, 3] - grown[:, 1])
    mostly = wide * high > 0.5 * np.minimum(own[a], own[b])
    return _joined(len(boxes), a[mostly], b[mostly])
