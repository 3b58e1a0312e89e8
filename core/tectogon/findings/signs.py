"""Signs that stand on edges: of surface finish, two slanted lines like a tick; datum letters in a square on a stem."""

from __future__ import annotations

import re

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE, TINY

_FINISH = re.compile(r"R[aztq](?:\s|\d|$)|N\d{1,2}$", re.IGNORECASE)
_DATUM = re.compile(r"[A-Z]")
_MOST_TEXTS = 500
_REACH, _LONGEST = 5.0, 6.0
"""The lines of a sign lie so near its text, and are no longer (times the height of the text)."""
_LEGS, _ASLANT = 60.0, 8.0
"""The legs of the sign of a finish stand at 60° to the edge, within so much."""


def find_signs(linework: Linework, rows: IntArray) -> IntArray:
    """Which of `rows` (k,) are signs of surface finish or datums, known by the text beside or in them."""
    lines = rows[linework.table.kind[rows] == LINE]
    if not len(lines):
        return lines
    ends = linework.table.ends[lines]
    taken = np.zeros(len(lines), bool)
    for text in linework.texts[:_MOST_TEXTS]:
        words, height = text.text.strip(), max(text.height, LEAST_SIZE)
        if _FINISH.match(words):
            taken |= _tick(ends, np.array(text.box), height)
        elif _DATUM.fullmatch(words):
            taken |= _framed_letter(ends, np.array(text.middle), height)
    return lines[taken]


def _tick(ends: FloatArray, box: FloatArray, height: float) -> BoolArray:
    """The lines of a sign of surface finish: two legs from one point, at 60° to either side, and the short level ones
    that touch them."""
    step = ends[:, 1] - ends[:, 0]
    length = np.hypot(*step.T)
    off = np.maximum(np.maximum(box[:2] - ends, ends - box[2:]), 0.0)
    near = (np.hypot(*np.moveaxis(off, -1, 0)) <= _REACH * height).all(axis=1) & (length <= _LONGEST * height)
    angle = np.degrees(np.arctan2(step[:, 1], step[:, 0])) % 180.0
    left, right = (np.flatnonzero(near & (np.abs(angle - a) <= _ASLANT)) for a in (180.0 - _LEGS, _LEGS))
    out = np.zeros(len(ends), bool)
    for a in left.tolist():
        for b in right.tolist():
            foot = ends[[a, b], ends[[a, b], :, 1].argmin(axis=1)]
            if np.hypot(*(foot[0] - foot[1])) <= 0.1 * height:
                out[[a, b]] = True
                level = near & (np.minimum(angle, 180.0 - angle) <= 1.0)
                out |= level & _touches(ends, np.vstack([ends[a], ends[b]]), foot[0], 0.1 * height)
    return out


def _touches(ends: FloatArray, tips: FloatArray, foot: FloatArray, near: float) -> BoolArray:
    """Which lines have an end on one of some points, but for the foot of a sign, which stands on an edge."""
    tips = tips[np.hypot(*(tips - foot).T) > near]
    away = np.hypot(*np.moveaxis(ends[:, :, None] - tips[None, None], -1, 0))
    return np.asarray((away <= near).any(axis=(1, 2)))


def _framed_letter(ends: FloatArray, middle: FloatArray, height: float) -> BoolArray:
    """The square round a letter, its stem, and the triangle at the foot of that."""
    step = ends[:, 1] - ends[:, 0]
    length = np.hypot(*step.T)
    small = (length <= 4.0 * height) & (length >= 1.0 * height)
    off = ends.mean(axis=1) - middle
    away = np.hypot(*off.T)
    way = step / np.maximum(length, TINY)[:, None]
    square_to = np.abs((off * way).sum(axis=1)) <= 0.3 * height
    sides = np.flatnonzero(small & square_to & (away <= 2.0 * height) & (np.abs(way).max(axis=1) > 0.999))
    level = sides[np.abs(way[sides, 0]) > 0.999]
    upright = np.setdiff1d(sides, level)
    out = np.zeros(len(ends), bool)
    if (
        len(level) != 2
        or len(upright) != 2
        or np.ptp(np.sign(off[level, 1])) < 2
        or np.ptp(np.sign(off[upright, 0])) < 2
    ):
        return out
    out[sides] = True
    corners = ends[sides].reshape(-1, 2)
    low, high = corners.min(axis=0) - 0.1 * height, corners.max(axis=0) + 0.1 * height
    on = np.asarray((ends >= low).all(axis=2) & (ends <= high).all(axis=2))
    stems = np.flatnonzero((on.sum(axis=1) == 1) & (length <= _LONGEST * height) & ~out)
    if len(stems) == 1:
        out[stems] = True
        foot = ends[stems[0], int(on[stems[0], 0])]  # the end that is not on the square
        short = (length <= 1.5 * height) & (np.hypot(*np.moveaxis(ends - foot, -1, 0)).max(axis=1) <= 2.0 * height)
        out |= short
    return out
