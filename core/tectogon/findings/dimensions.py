"""Dimensions that were taken apart into plain lines: dimension lines with their arrows and extension lines, leaders.

A dimension line ends in heads at both ends and has a number beside it; a leader has a head at one end and a text at the
other. A head is two short lines (or one) that run back from the tip along the line, or a stroke across its end; a
filled head is no line, and leaves its line ending short of what it points at. An extension line is square to a
dimension line and ends just beyond its tip.
"""

from __future__ import annotations

import math
import re

import numpy as np
from scipy.spatial import cKDTree

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.linework.model import Written
from tectogon.tolerances import LEAST_SIZE, TINY

_NUMBER = re.compile(r"\d")
_NONE = np.zeros(0, np.int64)
_MOST_TEXTS = 3000
_HEAD = 3.0
"""A head is no longer than so many times the height of the texts."""
_BESIDE = 2.5
"""A number stands no further from its line than so many times its height."""
_MOST_BENDS = 2
"""A leader has no more corners."""
_BEYOND = 2.0
"""An extension line ends no further beyond the tip."""


def find_dimensions(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of dimension lines, heads, extension lines and leaders among `rows`, where the sheet holds texts."""
    texts = linework.texts[:_MOST_TEXTS]
    heights = np.array([t.height for t in texts if t.height > 0.0])
    lines = rows[linework.table.kind[rows] == LINE]
    if not len(heights) or len(lines) < 3:
        return _NONE
    height = float(np.median(heights))
    ends = linework.table.ends[lines]
    step = ends[:, 1] - ends[:, 0]
    length = np.hypot(*step.T)
    way = step / np.maximum(length, TINY)[:, None]
    short = np.flatnonzero((length <= _HEAD * height) & (length > 0.0))
    long = np.flatnonzero(length > 0.8 * height)
    if not len(long):
        return _NONE
    heads = _Heads(ends, way, short, height)
    found = np.zeros(len(lines), bool)
    places = np.array([t.at for t in texts], float)
    numbers = np.array([bool(_NUMBER.search(t.text)) for t in texts], bool)
    free = _free(ends, 0.05 * height)
    boxes = np.array([_box_of(t) for t in texts])
    for n in long.tolist():
        at = [heads.at(n, side) for side in (0, 1)]
        if all(len(h) for h in at) and numbers.any() and _beside(places[numbers], ends[n], way[n], length[n], height):
            found[n] = True
            for side in (0, 1):
                found |= _extensions(ends, way, length, n, side, height)
        elif (
            numbers.any()
            and _beside(places[numbers], ends[n], way[n], length[n], height)
            and (len(pair := _filled(ends, way, length, n, height)))
        ):
            found[n] = True
            found[pair] = True
            continue
        elif free[n].any() and _at_text(boxes, ends, (bent := _bent(ends, free, n, height, length))[-1], height):
            found[bent] = True
            continue
        elif any(len(h) for h in at):
            tip = 0 if len(at[0]) else 1
            tail = _shoulder(ends, n, 1 - tip, height, length)
            if _near_text(places, ends[tail[-1]], height):
                found[tail] = True
        else:
            continue
        if found[n]:
            found[np.concatenate(at).astype(np.int64)] = True
    return np.sort(lines[found])


def _box_of(text: Written) -> tuple[float, float, float, float]:
    """The box (x0, y0, x1, y1) that a text fills about, turned as it stands."""
    angle = math.radians(text.angle)
    along, up = np.array([math.cos(angle), math.sin(angle)]), np.array([-math.sin(angle), math.cos(angle)])
    width = 0.8 * text.height * len(text.text.strip())
    corners = [np.array(text.at) + a * width * along + b * text.height * up for a in (0, 1) for b in (0, 1)]
    low, high = np.min(corners, axis=0).tolist(), np.max(corners, axis=0).tolist()
    return (*low, *high)


class _Heads:
    """The heads at the ends of lines: ends (n, 2, 2) and unit directions (n, 2) of all lines, the short ones among
    them."""

    def __init__(self, ends: FloatArray, way: FloatArray, short: IntArray, height: float) -> None:
        self.ends, self.way, self.short, self.height = ends, way, short, height
        self.tips = cKDTree(ends[short].reshape(-1, 2))
        self.middles = cKDTree(ends[short].mean(axis=1))

    def at(self, n: int, side: int) -> list[int]:
        """Lines that make a head at one end of a line."""
        tip = self.ends[n, side]
        inward = self.way[n] if side == 0 else -self.way[n]
        out = []
        for k in self.tips.query_ball_point(tip, 0.1 * self.height):
            row, end = int(self.short[k // 2]), k % 2
            back = self.way[row] if end == 0 else -self.way[row]
            if row != n and 0.8 <= float(back @ inward) < 0.9999:
                out.append(row)
        for k in self.middles.query_ball_point(tip, 0.1 * self.height):
            row = int(self.short[k])
            if row != n and 0.5 <= abs(float(self.way[row] @ inward)) <= 0.87:
                out.append(row)
        return out


def _beside(numbers: FloatArray, line: FloatArray, way: FloatArray, length: float, height: float) -> bool:
    """Whether a number stands beside a line, over its length or a little beyond."""
    off = numbers - line[0]
    along = off @ way
    across = np.abs(off[:, 0] * way[1] - off[:, 1] * way[0])
    room = 6.0 * height
    return bool(((across <= _BESIDE * height) & (along >= -room) & (along <= length + room)).any())


def _shoulder(ends: FloatArray, n: int, side: int, height: float, length: FloatArray) -> list[int]:
    """A leader from its tip on: the line, and the short ones that go on from its tail one after another, if there are
    any."""
    out = [n]
    tail = ends[n, side]
    while len(out) <= _MOST_BENDS:
        away = np.hypot(*np.moveaxis(ends - tail, -1, 0))
        meets = np.flatnonzero((away.min(axis=1) <= 0.05 * height) & (length <= 12.0 * height))
        further = [int(m) for m in meets if m not in out]
        if len(further) != 1:
            break
        out.append(further[0])
        tail = ends[further[0], int(away[further[0]].argmax())]
    return out


def _bent(ends: FloatArray, free: BoolArray, n: int, height: float, length: FloatArray) -> list[int]:
    """A line that is free at one end, with the short ones that go on from its other end, the last free at its own; or
    the line alone."""
    if free[n].all():
        return [n]
    chain = _shoulder(ends, n, int(free[n, 0]), height, length)
    return chain if free[chain[-1]].any() else [n]


def _near_text(places: FloatArray, line: FloatArray, height: float) -> bool:
    """Whether an end of a line stands beside a text."""
    away = np.hypot(*np.moveaxis(places[:, None, :] - line[None, :, :], -1, 0))
    return bool((away <= 2.0 * _BESIDE * height).any())


def _extensions(ends: FloatArray, way: FloatArray, length: FloatArray, n: int, side: int, height: float) -> BoolArray:
    """Which lines are extension lines at the tip of a dimension line: square to it, through the tip, and ending just
    beyond."""
    tip = ends[n, side]
    square = np.abs(way @ way[n]) <= 1e-3
    off = ends - tip
    across = np.abs(off[:, :, 0] * way[:, None, 1] - off[:, :, 1] * way[:, None, 0]).max(axis=1)
    along = np.hypot(*np.moveaxis(off, -1, 0)).min(axis=1)
    reach = max(0.02 * height, LEAST_SIZE)
    return np.asarray(square & (across <= reach) & (along <= _BEYOND * height) & (length > 0.5 * height))


def _free(ends: FloatArray, reach: float) -> BoolArray:
    """Which ends (n, 2) of lines meet no end of another line."""
    flat = ends.reshape(-1, 2)
    pairs = cKDTree(flat).query_pairs(reach, output_type="ndarray")
    out = np.ones(len(flat), bool)
    out[pairs[pairs[:, 0] // 2 != pairs[:, 1] // 2].ravel()] = False
    return np.asarray(out.reshape(-1, 2))


def _at_text(boxes: FloatArray, ends: FloatArray, n: int, height: float) -> bool:
    """Whether one end of a line, and not the other, stands right beside a text, and on no other line there: an edge
    that ends on another beside a text is no leader."""
    line = ends[n]
    off = np.maximum(np.maximum(boxes[:, None, :2] - line[None], line[None] - boxes[:, None, 2:]), 0.0)
    near = np.any(np.hypot(off[..., 0], off[..., 1]) <= 1.2 * height, axis=0)
    return bool(near.sum() == 1) and not _on_another(ends, n, int(near[1]), 0.05 * height)


def _on_another(ends: FloatArray, n: int, side: int, reach: float) -> bool:
    """Whether an end of a line lies within another."""
    point, starts = ends[n, side], ends[:, 0]
    step = ends[:, 1] - starts
    length = np.maximum(np.hypot(*step.T), TINY)
    along = ((point - starts) * step).sum(axis=1) / length
    across = np.abs((point - starts)[:, 0] * step[:, 1] - (point - starts)[:, 1] * step[:, 0]) / length
    within = (along > reach) & (along < length - reach) & (across <= reach)
    within[n] = False
    return bool(within.any())


def _filled(ends: FloatArray, way: FloatArray, length: FloatArray, n: int, height: float) -> IntArray:
    """The extension lines of a dimension line with filled heads: one ahead of each end, at one distance, both to the
    same side; empty where there are none such."""
    square = np.flatnonzero((np.abs(way @ way[n]) <= 1e-3) & (length > 0.5 * height))
    found: list[tuple[int, float, float]] = []
    for side in (0, 1):
        out = way[n] if side else -way[n]
        normal = np.array([-way[n][1], way[n][0]])
        off = ends[square] - ends[n, side]
        ahead = (off @ out).mean(axis=1)
        across = off @ normal
        beyond = np.abs(across).min(axis=1)
        fits = (ahead >= 0.3 * height) & (ahead <= 2.0 * height) & (beyond <= _BEYOND * height)
        fits &= np.abs(across).max(axis=1) > beyond + 0.3 * height
        if not fits.any():
            return _NONE
        k = int(np.flatnonzero(fits)[ahead[fits].argmin()])
        far = float(across[k][np.abs(across[k]).argmax()])
        found.append((int(square[k]), float(ahead[k]), far))
    (a, first, one), (b, second, other) = found
    if abs(first - second) > 0.15 * height or one * other <= 0.0:
        return _NONE
    return np.array([a, b], np.int64)
