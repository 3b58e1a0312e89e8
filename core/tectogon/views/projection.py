"""First or third angle, as the sheet itself tells it.

Glossary
    third angle: a view shows the side of the part that is turned towards it on the sheet.
    first angle: a view shows the side that is turned away from it.

So a step on the near side of a neighbouring view is drawn solid in third angle and dashed in first, and a step on its
far side the other way round. The same is true of what opens towards one side only: a blind hole, a pocket, a slot. Each
such edge is a vote, weighted by its drawn length. The symbol of ISO 5456-2, a cut cone beside its circles, says it
outright: the circles stand on the side of the cone's small end in third angle.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE, SAME_SHARE, SEEN_LOOSE, SEEN_TOL
from tectogon.views.view import Box

_FIRST, _THIRD = (
    re.compile(r"(first|1st)[\s-]*angle", re.IGNORECASE),
    re.compile(r"(third|3rd)[\s-]*angle", re.IGNORECASE),
)
_MOST_TEXTS = 2000
_SYMBOL = 0.06
"""The symbol is no larger than this share of the sheet."""
_CHORD = 5e-4
_BREAK = 4.0
"""An outline breaks where it jumps by so many times the step that it is looked at with."""


def stated_angle(linework: Linework) -> tuple[str, str] | None:
    """The angle that the sheet states, and by what: its words, or the symbol; None where it states none, or both."""
    words = " ".join(t.text for t in linework.texts[:_MOST_TEXTS])
    first, third = bool(_FIRST.search(words)), bool(_THIRD.search(words))
    if first != third:
        angle = "first" if first else "third"
        return angle, f"the sheet says {angle} angle"
    angles = {symbol.angle for symbol in symbols_of(linework.table)}
    if len(angles) == 1:
        (angle,) = angles
        return angle, f"the symbol on the sheet is that of {angle} angle"
    return None


@dataclass(frozen=True)
class Symbol:
    """A cut cone beside two circles about one centre: x of the circles, and of the cone's small and large end; the box
    round all of it."""

    circles: float
    small: float
    large: float
    box: Box

    @property
    def angle(self) -> str:
        """The angle of projection that it stands for."""
        return "third" if (self.small - self.large) * (self.circles - self.large) > 0 else "first"


def symbols_of(table: CurveTable) -> list[Symbol]:
    """The symbols of ISO 5456-2 among the curves of a sheet."""
    size = max(table.size, LEAST_SIZE)
    rings = np.flatnonzero((table.kind == ARC) & table.closed & (table.data[:, 2] < 0.5 * _SYMBOL * size))
    lines = table.data[table.kind == LINE, :4]
    upright = lines[np.abs(lines[:, 2] - lines[:, 0]) <= SAME_SHARE * size]
    found: list[Symbol] = []
    for n, k in enumerate(rings.tolist()):
        x, y, r = table.data[k, :3]
        for m in rings[n + 1 :].tolist():
            x2, y2, r2 = table.data[m, :3]
            small, large = min(r, r2), max(r, r2)
            if np.hypot(x2 - x, y2 - y) > 0.05 * large or not 1.2 < large / max(small, LEAST_SIZE) < 4.0:
                continue
            middle = (upright[:, 1] + upright[:, 3]) / 2.0
            near = (np.abs(middle - y) <= 0.1 * large) & (np.abs(upright[:, 0] - x) <= 8.0 * large)
            length = np.abs(upright[:, 3] - upright[:, 1])
            ends = [upright[near & (np.abs(length - 2.0 * radius) <= 0.12 * radius), 0] for radius in (small, large)]
            ends = [e[np.abs(e - x) > large] for e in ends]
            if all(len(e) for e in ends):
                near_small, near_large = (float(e[np.abs(e - x).argmin()]) for e in ends)
                if not _is_cone(lines, (near_small, small), (near_large, large), float(y)):
                    continue
                at = (x - large, x + large, near_small, near_large)
                box = (float(min(at)), float(y - large), float(max(at)), float(y + large))
                found.append(Symbol(float(x), near_small, near_large, box))
    return [f for f in found if (f.small - f.circles) * (f.large - f.circles) > 0]


def _is_cone(lines: FloatArray, small: tuple[float, float], large: tuple[float, float], level: float) -> bool:
    """Whether two upright lines, each by its place and half its height (mm), are the ends of a cut cone: about as far
    apart as it is high, and joined by its two sides. A chamfer beside an end view is none."""
    if not 0.6 * large[1] <= abs(small[0] - large[0]) <= 5.0 * large[1]:
        return False
    near = 0.15 * large[1]
    for sign in (1.0, -1.0):
        side = np.array([small[0], level + sign * small[1], large[0], level + sign * large[1]])
        off = np.minimum(np.abs(lines - side).max(axis=1), np.abs(lines[:, [2, 3, 0, 1]] - side).max(axis=1))
        if not (off <= near).any():
            return False
    return True


@dataclass(frozen=True)
class Votes:
    """Drawn length (mm) that speaks for either angle."""

    third: float = 0.0
    first: float = 0.0

    def __add__(self, other: Votes) -> Votes:
        return Votes(self.third + other.third, self.first + other.first)

    @property
    def angle(self) -> str | None:
        """The angle that most of it speaks for; None where it does not say clearly."""
        most, least = max(self.third, self.first), min(self.third, self.first)
        if most <= 0.0 or least > 0.6 * most:
            return None
        return "third" if self.third > self.first else "first"


def votes(
    table: CurveTable, hidden: BoolArray, view: IntArray, other: IntArray, *, column: int, beyond: bool, shift: float
) -> Votes:
    """What the edges of a view, held against its neighbour, say of the angle.

    hidden: which rows of the table are dashed.  view, other: rows.  column: what they share, 0 x, 1 y.  beyond: whether
    the view stands at the larger coordinates of the other direction (above, or to the right).  shift: what to add to
    the neighbour's shared coordinate so that both are in line (mm).
    """
    edges = _edges(table, hidden, view, column)
    size = max(table.take(other).size, LEAST_SIZE)
    low, high = table.take(view).extents[[column, column + 2]]
    tol = SEEN_LOOSE * size
    inner = (edges.at > low + tol) & (edges.at < high - tol)
    at = edges.at[inner]
    if not len(at):
        return Votes()
    outline = _Outline(table, hidden, other, column, 1.0 if beyond else -1.0, shift)
    near, far = outline.opens(at, tol)
    solid, dashed = edges.solid[inner], edges.dashed[inner]
    only_near, only_far = near & ~far, far & ~near
    return Votes(
        float(solid[only_near].sum() + dashed[only_far].sum()), float(dashed[only_near].sum() + solid[only_far].sum())
    )


@dataclass(frozen=True)
class _Edges:
    """Coordinates along the shared direction at which a view shows edges that run across it, with the solid and the
    dashed length at each (k,)."""

    at: FloatArray
    solid: FloatArray
    dashed: FloatArray


def _edges(table: CurveTable, hidden: BoolArray, rows: IntArray, column: int) -> _Edges:
    part, behind = table.take(rows), hidden[rows]
    b, across = part.bounds, 1 - column
    straight = (part.kind == LINE) & (b[:, column + 2] - b[:, column] <= SEEN_TOL * (b[:, across + 2] - b[:, across]))
    full = (part.kind == ARC) & part.closed
    at = np.concatenate([b[straight, column], b[full, column], b[full, column + 2]])
    length = np.concatenate([(b[:, across + 2] - b[:, across])[straight], part.data[full, 2], part.data[full, 2]])
    dashed = np.concatenate([behind[straight], behind[full], behind[full]])
    if not len(at):
        return _Edges(at, at, at)
    order = np.argsort(at)
    at, length, dashed = at[order], length[order], dashed[order]
    step = SEEN_TOL * max(float(np.ptp(part.extents[[column, column + 2]])), LEAST_SIZE)
    label = np.cumsum(np.concatenate([[0], np.diff(at) > step]))
    solid, unseen = (np.where(on, length, 0.0) for on in (~dashed, dashed))
    return _Edges(
        np.asarray(np.bincount(label, at) / np.bincount(label), np.float64),
        np.asarray(np.bincount(label, solid), np.float64),
        np.asarray(np.bincount(label, unseen), np.float64),
    )


class _Outline:
    """The near and the far side of a view, as its neighbour looks at it: `way` points to the neighbour."""

    def __init__(
        self, table: CurveTable, hidden: BoolArray, rows: IntArray, column: int, way: float, shift: float
    ) -> None:
        part = table.take(rows)
        self.size = max(part.size, LEAST_SIZE)
        points, offsets = part.flatten(self.size * _CHORD)
        last = np.zeros(len(points), bool)
        last[offsets[1:] - 1] = True
        of = np.repeat(np.arange(len(part)), np.diff(offsets))[~last]
        a, b = points[:-1][~last[:-1]], points[1:][~last[:-1]]
        self.u = np.column_stack([a[:, column], b[:, column]]) + shift
        self.v = way * np.column_stack([a[:, 1 - column], b[:, 1 - column]])
        self.solid = ~hidden[rows][of]
        aslant = self._aslant(part, column)
        ends = part.ends[aslant].reshape(-1, 2)
        self.tips = np.column_stack([ends[:, column] + shift, way * ends[:, 1 - column]])

    @staticmethod
    def _aslant(part: CurveTable, column: int) -> IntArray:
        """The lines that run neither along nor across the shared direction: the sides of cones and chamfers."""
        rows = part.rows_of(LINE)
        run = np.abs(part.ends[rows, 1] - part.ends[rows, 0])
        return np.asarray(rows[run.min(axis=1) > 0.05 * run.max(axis=1)])

    def opens(self, at: FloatArray, tol: float) -> tuple[BoolArray, BoolArray]:
        """At which coordinates something of the near side, and of the far side, begins or ends: the outline breaks, or
        a line runs in from it and not to the other side."""
        step = 0.5 * tol
        places = at[:, None] + step * np.array([-2.0, -1.0, 1.0, 2.0])
        near, far = (self._side(places, sign) for sign in (1.0, -1.0))
        broken = [_broken(side, step) for side in (near, far)]
        tops, feet = near[:, 1:3].max(axis=1), -far[:, 1:3].max(axis=1)
        upright = np.flatnonzero(np.abs(self.u[:, 1] - self.u[:, 0]) <= 1e-2 * np.abs(self.v[:, 1] - self.v[:, 0]))
        middle = self.u[upright].mean(axis=1)
        row, place = _held(at, middle - tol, middle + tol)
        high, low = np.full(len(at), -np.inf), np.full(len(at), np.inf)
        np.maximum.at(high, place, self.v[upright[row]].max(axis=1))
        np.minimum.at(low, place, self.v[upright[row]].min(axis=1))
        for u, v in self.tips.tolist():
            here = np.abs(at - u) <= tol
            # where a side runs in aslant it opens there; where it ends within, one sees the edge from both sides
            inner = (v < tops - 2.0 * tol) & (v > feet + 2.0 * tol)
            high[here], low[here] = np.maximum(high[here], v), np.minimum(low[here], v)
            high[here & inner], low[here & inner] = np.inf, -np.inf
        reaches = [high >= tops - 2.0 * tol, low <= feet + 2.0 * tol]
        return broken[0] | reaches[0], broken[1] | reaches[1]

    def _side(self, at: FloatArray, sign: float) -> FloatArray:
        """How far the solid lines reach, in the direction of `sign`, at coordinates of any shape; -inf where there is
        nothing."""
        u, v = self.u[self.solid], sign * self.v[self.solid]
        c = at.ravel()
        row, place = _held(c, u.min(axis=1), u.max(axis=1))
        u, v = u[row], v[row]
        span = np.where(u[:, 0] != u[:, 1], u[:, 1] - u[:, 0], 1.0)
        share = np.clip((c[place] - u[:, 0]) / span, 0.0, 1.0)
        out = np.full(len(c), -np.inf)
        np.maximum.at(out, place, v[:, 0] + share * (v[:, 1] - v[:, 0]))
        return out.reshape(at.shape)


def _held(at: FloatArray, low: FloatArray, high: FloatArray) -> tuple[IntArray, IntArray]:
    """Which stretches hold which of some coordinates, as pairs of numbers."""
    order = np.argsort(at, kind="stable")
    first, last = np.searchsorted(at[order], low, "left"), np.searchsorted(at[order], high, "right")
    counts = last - first
    row = np.repeat(np.arange(len(low)), counts)
    within = np.arange(len(row)) - np.repeat(np.cumsum(counts) - counts, counts)
    return row, order[first[row] + within]


def _broken(side: FloatArray, step: float) -> BoolArray:
    """Where an outline sampled at -2, -1, 1 and 2 steps jumps, or bends sharply, in between."""
    with np.errstate(invalid="ignore"):
        before, after = side[:, 1] - side[:, 0], side[:, 3] - side[:, 2]
        jump = np.abs(side[:, 2] - side[:, 1] - (before + after))
        bend = np.abs(after - before)
    there = np.isfinite(side)
    edge = there[:, 1] != there[:, 2]
    return np.asarray(edge | (there.all(axis=1) & ((jump > _BREAK * step) | (bend > 0.15 * step))))
