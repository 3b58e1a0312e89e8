"""Centre marks and centre lines that are drawn as plain lines: crosses at the centre of circles, whatever their line
type.

A mark passes through the centre of a circle or arc and sticks out of it at both ends, or ends well inside it, with
nothing at its ends.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray


def find_centre_marks(table: CurveTable, *, reach: float) -> IntArray:
    """Rows of the lines of crosses at the centres of circles and arcs; `reach` (mm) is what counts as the same
    point."""
    lines, arcs = table.rows_of(LINE), table.rows_of(ARC)
    if not len(lines) or not len(arcs):
        return np.zeros(0, np.int64)
    d = table.data[lines]
    free = _free_ends(table, lines, reach)
    centres, radii = table.data[arcs, :2], table.data[arcs, 2]
    step = d[:, 2:4] - d[:, 0:2]
    length = np.hypot(*step.T)
    long_enough = free & (length > 4 * reach)
    if not long_enough.any():
        return np.zeros(0, np.int64)
    middle, half = (d[:, 0:2] + d[:, 2:4]) / 2.0, length / 2.0
    tree = cKDTree(middle[long_enough])
    candidates = np.flatnonzero(long_enough)
    marks: set[int] = set()
    for centre, radius in zip(centres, radii.tolist(), strict=True):
        near = candidates[tree.query_ball_point(centre, max(0.02 * radius, reach))]
        if len(near) < 2:
            continue
        size = half[near]
        fits = (size >= 1.04 * radius) & (size <= 3.0 * radius + 100 * reach) | (size <= 0.6 * radius)
        near = near[fits]
        for i in near.tolist():
            across = np.abs(step[near] @ step[i]) <= 0.02 * length[near] * length[i]
            alike = (half[near] > 0.6 * half[i]) & (half[near] < 1.7 * half[i])
            if (across & alike).any():
                marks.add(i)
    return lines[sorted(marks)]


def _free_ends(table: CurveTable, lines: IntArray, reach: float) -> BoolArray:
    """Which of the lines have no other end at either of theirs."""
    ends: FloatArray = table.ends.reshape(-1, 2)
    count = np.asarray(
        cKDTree(ends).query_ball_point(table.ends[lines].reshape(-1, 2), reach, return_length=True)
    ).reshape(-1, 2)
    return np.asarray((count == 1).all(axis=1))
