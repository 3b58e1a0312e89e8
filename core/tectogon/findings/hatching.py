"""Hatching that was broken up into lines: many slanted lines of one direction at one spacing."""

from __future__ import annotations

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import LINE, IntArray

_FEWEST = 7
_EVEN = 0.02


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
        order = np.argsort(offset)
        out.append(lines[mine[order][_even_runs(offset[order], reach)]])
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
