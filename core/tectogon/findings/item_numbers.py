"""Item numbers of an assembly: a number in a circle, with a leader to the part that it counts (ISO 6433)."""

from __future__ import annotations

import re

import numpy as np

from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, LINE, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE

_NUMBER = re.compile(r"\d{1,3}[A-Za-z]?|[A-Z]\d{1,2}")
_INSIDE, _LOW, _HIGH = 0.4, 0.2, 1.4
"""The middle of the number lies within so much of the radius from the centre, its height is so much of the radius."""
_ON_RIM, _OUT = 0.02, 0.5
"""How far off the rim a leader begins at most, in radii, and how much it runs outwards there (cosine)."""
_DOT, _HEAD = 0.4, 1.2
"""What ends a leader is no larger than so much of the radius: a dot, or the lines of a head."""


def find_item_numbers(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of the circles with their leaders and what ends these, among `rows`. A circle counts where a leader begins
    on its rim, without a head there, and where it touches one that counts."""
    table = linework.table
    texts = [t for t in linework.texts if t.height > 0.0 and _NUMBER.fullmatch(t.text.strip())]
    kind = table.kind[rows]
    whole = rows[(kind == ARC) & (np.abs(table.data[rows, 4]) >= TURN - 1e-6)]
    lines = rows[kind == LINE]
    if not texts or not len(whole):
        return rows[:0]
    middles = np.array([t.middle for t in texts])
    heights = np.array([t.height for t in texts])
    x, y, radius = table.data[whole, :3].T
    off = np.hypot(middles[:, 0] - x[:, None], middles[:, 1] - y[:, None]) / radius[:, None]
    size = heights / radius[:, None]
    holds = ((off <= _INSIDE) & (size >= _LOW) & (size <= _HIGH)).any(axis=1)
    ends = table.data[lines, :4].reshape(-1, 2, 2)
    length = np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    found, led = set[int](), list[int]()
    for n in np.flatnonzero(holds).tolist():
        tips = _leaders(ends, np.array([x[n], y[n]]), float(radius[n]))
        if tips:
            led.append(n)
        for k, tip in tips:
            found.add(int(lines[k]))
            at_tip = np.hypot(*np.moveaxis(ends - ends[k, tip], -1, 0)).min(axis=1) <= _ON_RIM * radius[n]
            found |= set(lines[at_tip & (length <= _HEAD * radius[n])].tolist())
            dots = np.hypot(x - ends[k, tip, 0], y - ends[k, tip, 1]) <= _DOT * radius[n]
            found |= set(whole[dots & (radius <= _DOT * radius[n])].tolist())
    apart = np.hypot(x[:, None] - x[led], y[:, None] - y[led]) - radius[:, None] - radius[led]
    hung = holds & (apart <= _ON_RIM * radius[:, None]).any(axis=1)
    return np.array(sorted(found | set(whole[hung].tolist())), np.int64)


def _leaders(ends: np.ndarray, centre: np.ndarray, radius: float) -> list[tuple[int, int]]:  # type: ignore[type-arg]
    """The lines that begin on the rim of a circle and run away from its centre, each with the side that its tip is."""
    from_centre = np.hypot(*np.moveaxis(ends - centre, -1, 0))
    out = []
    for k, side in zip(*np.nonzero(np.abs(from_centre - radius) <= _ON_RIM * radius), strict=True):
        a, b = ends[k, side] - centre, ends[k, 1 - side] - ends[k, side]
        long = float(np.hypot(*b))
        others = np.hypot(*np.moveaxis(ends - ends[k, side], -1, 0)).min(axis=1) <= _ON_RIM * radius
        outwards = float(a @ b) / max(float(np.hypot(*a)) * long, LEAST_SIZE**2)
        if long > radius and outwards >= _OUT and others.sum() == 1:
            out.append((int(k), int(1 - side)))
    return out
