"""Hatching that was broken up into lines: many slanted lines of one direction at one spacing.

Lines of one area follow each other: each has the next beside it, one spacing on. So areas whose lines happen to lie
between each other's, further along, are told apart; a sheet's lines sorted by their distance alone do not show that.
"""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, BoolArray, IntArray

_FEWEST = 7
_EVEN = 0.02
_LOOKED_AT = 200
"""The next line is looked for among so many."""


def find_hatching(table: CurveTable, *, reach: float) -> IntArray:
    """Rows of lines that run side by side at one spacing, slanted to the sheet, seven or more of them; `reach` (mm) is
    what counts as nothing."""
    lines = table.rows_of(LINE)
    if len(lines) < _FEWEST:
        return lines[:0]
    d = table.data[lines]
    step = d[:, 2:4] - d[:, 0:2]
    angle = np.mod(np.arctan2(step[:, 1], step[:, 0]), np.pi)
    slanted = np.abs(np.mod(angle + np.pi / 4, np.pi / 2) - np.pi / 4) > np.radians(4.0)
    out: list[IntArray] = []
    key = np.round(angle / np.radians(0.5)).astype(np.int64)
    for value in np.unique(key[slanted]).tolist():
        mine = np.flatnonzero(slanted & (key == value))
        if len(mine) < _FEWEST:
            continue
        way = float(np.median(angle[mine]))
        offset = d[mine, 0] * -np.sin(way) + d[mine, 1] * np.cos(way)
        along = d[mine, 0:4:2] * np.cos(way) + d[mine, 1:4:2] * np.sin(way)
        order = np.argsort(offset)
        keep = _even_runs(offset[order], reach) | _side_by_side(offset[order], np.sort(along[order], axis=1), reach)
        out.append(lines[mine[order][keep]])
    return np.sort(np.concatenate(out)) if out else lines[:0]


def _even_runs(offset: np.ndarray, reach: float) -> np.ndarray:
    """Which of the sorted offsets belong to a run of even spacing; pieces of one line (no spacing) count once."""
    distinct = np.concatenate([[True], np.diff(offset) > 4 * reach])
    place = np.cumsum(distinct) - 1
    values = offset[distinct]
    gaps = np.diff(values)
    keep = np.zeros(len(values), bool)
    start = 0
    for k in range(1, len(gaps) + 1):
        if k == len(gaps) or abs(gaps[k] - gaps[start]) > max(_EVEN * gaps[start], reach):
            if k - start + 1 >= _FEWEST:
                keep[start : k + 1] = True
            start = k
    return np.asarray(keep[place])


def _side_by_side(offset: FloatArray, along: FloatArray, reach: float) -> BoolArray:
    """Which lines, sorted by their offset (n,), with the stretches (n, 2) that they take along their direction, belong
    to a row in which each lies beside the one before, one spacing on."""
    links = _next_beside(offset, along, reach)
    if len(links) < _FEWEST - 1:
        return np.zeros(len(offset), bool)
    gap = offset[links[:, 1]] - offset[links[:, 0]]
    by_first = np.argsort(links[:, 0], kind="stable")
    begins = np.searchsorted(links[by_first, 0], links[:, 1], side="left")
    ends = np.searchsorted(links[by_first, 0], links[:, 1], side="right")
    pairs = [
        (n, int(m))
        for n, (a, b) in enumerate(zip(begins.tolist(), ends.tolist(), strict=True))
        for m in by_first[a:b]
        if abs(gap[m] - gap[n]) <= max(_EVEN * gap[n], reach)
    ]
    rows, columns = np.array(pairs, np.int64).reshape(-1, 2).T
    graph = coo_array((np.ones(len(rows), np.int8), (rows, columns)), shape=(len(links), len(links)))
    _, part = connected_components(graph, directed=False)
    keep = np.zeros(len(offset), bool)
    for n in np.flatnonzero(np.bincount(part) >= _FEWEST - 1).tolist():
        members = np.unique(links[part == n])
        if 1 + int((np.diff(offset[members]) > 4 * reach).sum()) >= _FEWEST:
            keep[members] = True
    return keep


def spacings(lines: FloatArray, angle: float) -> FloatArray:
    """How far each of some lines (n, 2, 2) of about one direction (radians) is from the next that lies beside it (n,);
    0 for those that lie beside none."""
    across, way = np.array([-np.sin(angle), np.cos(angle)]), np.array([np.cos(angle), np.sin(angle)])
    offset = lines.mean(axis=1) @ across
    order = np.argsort(offset)
    reach = _EVEN * float(np.ptp(offset)) / max(len(lines), 1)
    links = order[_next_beside(offset[order], np.sort(lines[order] @ way, axis=1), reach)]
    out = np.full(len(lines), np.inf)
    gap = np.abs(offset[links[:, 1]] - offset[links[:, 0]])
    for column in (0, 1):
        np.minimum.at(out, links[:, column], gap)
    return np.where(np.isfinite(out), out, 0.0)


def _next_beside(offset: FloatArray, along: FloatArray, reach: float) -> IntArray:
    """Pairs (m, 2) of a line and the nearest that lies beside it further on."""
    out: list[tuple[int, int]] = []
    for n in range(len(offset) - 1):
        last = min(n + 1 + _LOOKED_AT, len(offset))
        beyond = offset[n + 1 : last] > offset[n] + 4 * reach
        beside = (along[n + 1 : last, 0] < along[n, 1]) & (along[n + 1 : last, 1] > along[n, 0])
        found = np.flatnonzero(beyond & beside)
        if len(found):
            first = int(found[0]) + n + 1
            same = found[offset[found + n + 1] <= offset[first] + 4 * reach] + n + 1
            out += [(n, int(m)) for m in same]
    return np.array(out, np.int64).reshape(-1, 2)
