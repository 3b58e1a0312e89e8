"""Pictorial views: groups whose lines run along three slanted axes while everything else on the sheet is level and
upright."""

from __future__ import annotations

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, ELLIPSE, LINE, IntArray
from tectogon.tolerances import LEAST_SIZE, SEEN_TOL
from tectogon.views.groups import find_groups

_FEWEST = 9


def find_pictorial(table: CurveTable, *, reach: float) -> list[IntArray]:
    """Rows of each pictorial view. None where the sheet holds one group only, or where no other group is drawn straight
    on."""
    if not len(table):
        return []
    label = find_groups(table, reach=reach)
    groups = [np.flatnonzero(label == g) for g in range(min(int(label.max()) + 1, 200))]
    slanted = [_is_pictorial(table, rows) for rows in groups]
    straight = [not s and len(rows) >= 3 for s, rows in zip(slanted, groups, strict=True)]
    if not any(straight):
        return []
    return [rows for rows, s in zip(groups, slanted, strict=True) if s]


def _is_pictorial(table: CurveTable, rows: IntArray) -> bool:
    """Whether most of the length runs in three directions, no more than one of them level or upright, each with several
    lines."""
    lines = rows[table.kind[rows] == LINE]
    if len(lines) < _FEWEST or _has_circle(table, rows):
        return False
    d = table.data[lines]
    step = d[:, 2:4] - d[:, 0:2]
    length = np.hypot(*step.T)
    angle = np.degrees(np.mod(np.arctan2(step[:, 1], step[:, 0]), np.pi))
    axes = _main_directions(angle, length)
    if len(axes) < 3 or sum(share for _, share, _ in axes[:3]) < 0.75:
        return False
    main = axes[:3]
    on_sheet = sum(min(a % 90.0, 90.0 - a % 90.0) < 1.0 for a, *_ in main)
    apart = sorted(a for a, *_ in main)
    spread = [apart[1] - apart[0], apart[2] - apart[1], 180.0 - apart[2] + apart[0]]
    ellipses = int((table.kind[rows] == ELLIPSE).sum())
    several = all(count >= 3 for *_, count in main)
    return on_sheet <= 1 and several and min(spread) > 8.0 and (on_sheet == 0 or max(spread) < 100.0 or ellipses > 0)


def _has_circle(table: CurveTable, rows: IntArray) -> bool:
    """Whether a circle is drawn round, whole or in arcs: a pictorial view shows it as an ellipse."""
    arcs = table.data[rows[table.kind[rows] == ARC], :5]
    if not len(arcs):
        return False
    step = SEEN_TOL * max(float(table.take(rows).size), LEAST_SIZE)
    _, label = np.unique(np.round(arcs[:, :3] / step), axis=0, return_inverse=True)
    return bool((np.bincount(label.ravel(), np.abs(arcs[:, 4])) > 1.5 * np.pi).any())


def _main_directions(angle: FloatArray, length: FloatArray) -> list[tuple[float, float, int]]:
    """Directions (degrees), their share of the length, and how many lines have them; the strongest first."""
    key = np.mod(np.round(angle), 180).astype(np.int64)
    weight = np.bincount(key, length, 180)
    count = np.bincount(key, minlength=180)
    smooth = weight + np.roll(weight, 1) + np.roll(weight, -1)
    out: list[tuple[float, float, int]] = []
    total = float(length.sum())
    while smooth.max() > 0.04 * total and len(out) < 6:
        top = int((smooth + 1e-3 * weight).argmax())  # of equals the one that the lines have themselves
        around = np.mod(np.arange(top - 1, top + 2), 180)
        out.append((float(top), float(weight[around].sum()) / total, int(count[around].sum())))
        weight[around] = 0.0
        smooth = weight + np.roll(weight, 1) + np.roll(weight, -1)
    return out
