"""Dimensions that were taken apart into plain lines: dimension lines with their arrows and extension lines, leaders.

A dimension line ends in heads at both ends and has a number beside it; a leader has a head at one end and a text at the
other. A head is two short lines (or one) that run back from the tip along the line, or a stroke across its end; a
filled head is no line, and leaves its line ending free, short of what it points at. An extension line is square to a
dimension line and ends just beyond its tip.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.linework.model import StatedSize, Written
from tectogon.tolerances import LEAST_SIZE, TINY

_NUMBER = re.compile(r"\d")
_NONE = np.zeros(0, np.int64)
_MOST_TEXTS = 3000
_HEAD = 3.0
"""A head is no longer than so many times the height of the texts."""
_BESIDE = 2.5
"""A number stands no further from its line than so many times its height."""
_PLAIN = re.compile(r"\(?(?:\d+\s*[x×X]\s*)?[⌀øØ∅R□]?\s*\d+(?:[.,]\d+)?(?:\s*(?:mm|in|\"|°|H\d+|h\d+|±\s*[\d.,]+))?\)?")
_MOST_WEIGHED = 5000
_MOST_BENDS = 2
"""A leader has no more corners."""
_ANGLE = re.compile(r"\d\s*(?:°|%%[dD])")
_TIMES = re.compile(r"^\s*\(?\d+\s*[x×X]\s*")
_DECIMAL = re.compile(r"\d+(?:[.,]\d+)?")
_ROUND = re.compile(r"\(?\s*(?:⌀|ø|Ø|∅|%%[cC]|R\s*\d|r\s*\d)")
_MOST_SIGNS = 30
"""A longer text is a note."""
_ALIKE, _SAME_SIZE = 0.02, 0.02
_WRITTEN = 2.0
"""The middle of a size's text stands no further from its line than so many times its height."""
_BEYOND = 2.0
"""An extension line ends no further beyond the tip."""


def find_dimensions(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of dimension lines, heads, extension lines and leaders among `rows`, where the sheet holds texts."""
    drawn = _lines_of(linework, rows)
    if drawn is None:
        return _NONE
    lines, ends, way, length, height = drawn.lines, drawn.ends, drawn.way, drawn.length, drawn.height
    heads, free, texts = drawn.heads, drawn.free, drawn.texts
    found = np.zeros(len(lines), bool)
    places = np.array([t.at for t in texts], float)
    numbers = np.array([bool(_NUMBER.search(t.text)) for t in texts], bool)
    boxes = np.array([t.box for t in texts])
    for n in drawn.long.tolist():
        at = [heads.at(n, side) for side in (0, 1)]
        if all(len(h) for h in at) and numbers.any() and _beside(places[numbers], ends[n], way[n], length[n], height):
            found[n] = True
            for side in (0, 1):
                found |= _extensions(ends, way, length, n, side, height)
        elif (
            numbers.any()
            and free[n].all()
            and _beside(places[numbers], ends[n], way[n], length[n], height)
            and (len(pair := _filled(drawn, n, ends[n])))
        ) or (
            numbers.any()
            and _beside(places[numbers], ends[n], way[n], length[n], height)
            and len(pair := _crossed(drawn, n, ends[n]))
        ):
            found[n] = True
            found[pair] = True
            continue
        elif free[n].any() and _at_text(boxes, ends, (bent := _bent(ends, free, n, height, length))[-1], height):
            found[bent] = True
            found[_led_to(drawn, bent)] = True
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
    for first, second in _broken_for_texts(drawn, numbers):
        found |= _of_broken(drawn, first, second)
    return np.sort(np.concatenate([lines[found], _angular(linework, rows, drawn, found)]))


def _led_to(drawn: _Lines, landing: list[int]) -> list[int]:
    """The line of a leader whose landing stands at a text, with its head: it goes on from the other end of the landing,
    aslant, and nothing else does. Its tip may lie on what it points at."""
    n = landing[0]
    if len(landing) > 1 or drawn.length[n] > 12.0 * drawn.height or drawn.free[n].all():
        return []
    side = int(drawn.free[n, 0])
    away = np.hypot(*np.moveaxis(drawn.ends - drawn.ends[n, side], -1, 0))
    meets = np.flatnonzero(away.min(axis=1) <= 0.05 * drawn.height)
    on = [int(m) for m in meets if m != n]
    if len(on) != 1 or abs(float(drawn.way[on[0]] @ drawn.way[n])) > 0.999:
        return []
    return [on[0], *drawn.heads.at(on[0], int(away[on[0]].argmax()))]


def _crossed(drawn: _Lines, n: int, tips: FloatArray) -> IntArray:
    """The extension lines that a dimension line ends on, its heads filled or none: two lines square to it at its tips
    (2, 2), that go on beyond it by a little, to the same side, and end there free; or that end at it, and are free at
    their far ends. Empty where there are not two."""
    ends, way, length, height = drawn.ends, drawn.way, drawn.length, drawn.height
    near = max(0.03 * height, LEAST_SIZE)
    normal = np.array([-way[n][1], way[n][0]])
    square = np.flatnonzero((np.abs(way @ way[n]) <= 1e-3) & (length > 0.5 * height))
    stated = drawn.states_at(n, tips)
    found: dict[float, list[int]] = {1.0: [], -1.0: []}
    for tip in tips:
        off = ends[square] - tip
        at = np.abs(off @ way[n]).max(axis=1) <= near
        across = off @ normal
        for sign in (1.0, -1.0):
            over = sign * across
            end = over.argmax(axis=1)
            beyond, back = over.max(axis=1), over.min(axis=1)
            fits = at & (beyond >= 0.1 * height) & (beyond <= _BEYOND * height) & (back <= near)
            corner = at & (np.abs(beyond) <= near) & (back <= -height) & stated
            loose = [
                k
                for k in np.flatnonzero(fits | corner).tolist()
                if drawn.is_loose(int(square[k]), int(end[k] if fits[k] else 1 - end[k]), near)
            ]
            if loose:
                found[sign].append(int(square[min(loose, key=lambda k: float(back[k]))]))
    return next((np.array(pair, np.int64) for pair in found.values() if len(pair) == 2), _NONE)


def _broken_for_texts(drawn: _Lines, numbers: BoolArray) -> list[tuple[int, int]]:
    """Pairs of lines that are one dimension line, broken for its text: on one line, on either side of it."""
    out = []
    ends, way, height = drawn.ends, drawn.way, drawn.height
    for k in np.flatnonzero(numbers).tolist():
        text = drawn.texts[k]
        middle = np.array(text.middle)
        off = ends[drawn.long] - middle
        own = way[drawn.long]
        across = np.abs(off[:, 0, 0] * own[:, 1] - off[:, 0, 1] * own[:, 0])
        along = (off * own[:, None, :]).sum(axis=2)
        x0, y0, x1, y1 = text.box
        half = np.abs(own) @ np.array([x1 - x0, y1 - y0]) / 2.0
        nearest = np.abs(along).min(axis=1)
        there = (across <= 0.6 * height) & (nearest <= half + 2.5 * height) & (along[:, 0] * along[:, 1] > 0.0)
        rows = np.flatnonzero(there)
        for i, a in enumerate(rows.tolist()):
            for b in rows[i + 1 :].tolist():
                alike = abs(float(own[a] @ own[b])) > 0.9999
                if alike and float(off[a].mean(axis=0) @ own[a]) * float(off[b].mean(axis=0) @ own[a]) < 0.0:
                    out.append((int(drawn.long[a]), int(drawn.long[b])))
    return out


def _of_broken(drawn: _Lines, first: int, second: int) -> BoolArray:
    """The lines of a dimension whose line is broken in two, with its heads and extension lines; none where it does not
    end as one does."""
    ends, way, length, height = drawn.ends, drawn.way, drawn.length, drawn.height
    found = np.zeros(len(ends), bool)
    inner = np.hypot(*np.moveaxis(ends[first][:, None] - ends[second][None], -1, 0))
    sides = [1 - int(k) for k in np.unravel_index(int(inner.argmin()), (2, 2))]
    heads = [drawn.heads.at(n, side) for n, side in zip((first, second), sides, strict=True)]
    tips = np.array([ends[n, side] for n, side in zip((first, second), sides, strict=True)])
    pair = _crossed(drawn, first, tips)
    pair = pair if len(pair) else _filled(drawn, first, tips)
    if not len(pair) and not all(heads):
        return found
    found[[first, second]] = True
    found[pair] = True
    for n, side, at in zip((first, second), sides, heads, strict=True):
        found[at] = True
        if at:
            found |= _extensions(ends, way, length, n, side, height)
    return found


def _angular(linework: Linework, rows: IntArray, drawn: _Lines, taken: BoolArray) -> IntArray:
    """Arcs that state an angle, with their heads, and the lines that they are drawn between."""
    texts = [t for t in drawn.texts if _ANGLE.search(t.text)]
    arcs = rows[(linework.table.kind[rows] == ARC) & ~linework.table.closed[rows]]
    if not texts or not len(arcs):
        return _NONE
    middles = np.array([t.middle for t in texts])
    height = drawn.height
    out: list[int] = []
    for row in arcs.tolist():
        centre, radius = linework.table.data[row, :2], float(linework.table.data[row, 2])
        off = np.hypot(*(middles - centre).T)
        if radius < 2.0 * height or not (np.abs(off - radius) <= 2.5 * height).any():
            continue
        tips = linework.table.ends[row]
        heads = [drawn.heads.near(tip) for tip in tips]
        radial = [_radial(drawn, centre, tip) for tip in tips]
        if all(h or r for h, r in zip(heads, radial, strict=True)):
            out += [row, *(int(drawn.lines[k]) for some in (*heads, *radial) for k in some if not taken[k])]
    return np.unique(np.array(out, np.int64))


def _radial(drawn: _Lines, centre: FloatArray, tip: FloatArray) -> list[int]:
    """The extension line of an angle at a tip of its arc: towards the vertex, and free a little beyond the tip."""
    out = (tip - centre) / max(float(np.hypot(*(tip - centre))), TINY)
    off = drawn.ends - tip
    across = np.abs(off[:, :, 0] * out[1] - off[:, :, 1] * out[0]).max(axis=1)
    along = off @ out
    end = along.argmax(axis=1)
    beyond = along.max(axis=1)
    free = drawn.free[np.arange(len(end)), end]
    fits = (across <= 0.1 * drawn.height) & (beyond >= 0.0) & (beyond <= _BEYOND * drawn.height) & free
    return [int(k) for k in np.flatnonzero(fits & (drawn.length > 0.5 * drawn.height))]


def written_sizes(linework: Linework) -> list[StatedSize]:
    """The sizes that stand as plain text at dimension lines and leaders which were taken apart: of a length where its
    extension lines begin, of a diameter or radius the tip of its leader, without what it measures as drawn. Not those
    that the file has as true dimensions, whose lines it draws as well."""
    drawn = _lines_of(linework, np.arange(len(linework)))
    if drawn is None:
        return []
    known = [(t, float(m.group().replace(",", "."))) for t in drawn.texts if (m := _stated(t.text))]
    middles = np.array([t.middle for t, _ in known]).reshape(-1, 2)
    nearest: dict[int, tuple[float, StatedSize]] = {}
    for n in drawn.long.tolist():
        tips = drawn.tips(n)
        for k, (text, stated) in enumerate(known):
            if tips is not None and not _is_round(text.text):
                drawn_mm = float(np.hypot(*(tips[1] - tips[0])))
                size = StatedSize(text.text, drawn_mm, stated, _pairs(np.array([drawn.foot(n, t) for t in tips])))
                off = _off_line(drawn, n, middles[k], text)
            elif tips is None and _is_round(text.text) and (tip := drawn.leader(n)) is not None:
                size = StatedSize(text.text, None, stated, _pairs(tip[:1]))
                off = drawn.off_leader(n, middles[k])
            else:
                continue
            if off < nearest.get(k, (math.inf,))[0]:
                nearest[k] = (off, size)
    near = _SAME_SIZE * linework.size
    return [s for _, s in nearest.values() if not any(_same(s, known, near) for known in linework.stated)]


def sizes_to_weigh(linework: Linework) -> list[StatedSize]:
    """The written sizes that may tell a drawing's unit and scale: of one that has no true dimensions and is no plan of
    thousands of lines."""
    return [] if linework.stated or len(linework) > _MOST_WEIGHED else written_sizes(linework)


def _same(written: StatedSize, known: StatedSize, near: float) -> bool:
    """Whether a written size is a true dimension of the file: it states the same at the same place."""
    if known.stated is None or abs((written.stated or 0.0) - known.stated) > 5e-4 * max(known.stated, 1.0):
        return False
    off = np.hypot(*np.moveaxis(np.array(written.points)[:, None] - np.array(known.points).reshape(-1, 2)[None], -1, 0))
    return bool(off.size and (off.min(axis=1) <= near).all())


def _stated(text: str) -> re.Match[str] | None:
    """The number that a text states, without how often it stands."""
    return _DECIMAL.search(_TIMES.sub("", text)) if len(text) <= _MOST_SIGNS else None


def _is_round(text: str) -> bool:
    return bool(_ROUND.match(_TIMES.sub("", text).strip()))


def _pairs(points: FloatArray) -> tuple[tuple[float, float], ...]:
    return tuple((float(x), float(y)) for x, y in points)


def _off_line(drawn: _Lines, n: int, middle: FloatArray, text: Written) -> float:
    """How far a text stands off a dimension line, in its own heights; infinite where it does not belong to it."""
    way, length = drawn.way[n], float(drawn.length[n])
    angle = math.radians(text.angle)
    if abs(math.cos(angle) * way[1] - math.sin(angle) * way[0]) > _ALIKE and abs(text.angle % 180.0) > 1.0:
        return math.inf
    off = middle - drawn.ends[n, 0]
    along, across = float(off @ way), abs(float(off[0] * way[1] - off[1] * way[0]))
    past = max(-along, along - length, 0.0)
    if across > _WRITTEN * drawn.height or past > 6.0 * drawn.height:
        return math.inf
    return (across + past) / drawn.height


@dataclass(frozen=True, eq=False)
class _Lines:
    """The lines of a sheet and the heads at their ends: `long`: those that can be dimension lines or leaders."""

    lines: IntArray
    ends: FloatArray
    way: FloatArray
    length: FloatArray
    height: float
    heads: _Heads
    free: BoolArray
    long: IntArray
    texts: Sequence[Written]
    met: FloatArray
    """Where curves that are no lines end (k, 2)."""

    def states_at(self, n: int, tips: FloatArray) -> bool:
        """Whether a plain number stands at the middle of a dimension line with these tips (2, 2)."""
        middles = np.array([t.middle for t in self.texts if _PLAIN.fullmatch(t.text.strip())]).reshape(-1, 2)
        off = middles - tips.mean(axis=0)
        along, across = np.abs(off @ self.way[n]), np.abs(off[:, 0] * self.way[n][1] - off[:, 1] * self.way[n][0])
        room = max(0.25 * float(np.hypot(*(tips[1] - tips[0]))), 2.0 * self.height)
        return bool(((along <= room) & (across <= _WRITTEN * self.height)).any())

    def is_loose(self, n: int, side: int, near: float) -> bool:
        """Whether an end of a line lies on nothing but lines that run along it."""
        off = np.hypot(*np.moveaxis(self.ends - self.ends[n, side], -1, 0)).min(axis=1)
        crossing = np.abs(self.way @ self.way[n]) < 0.999
        meets = (off <= 0.05 * self.height) & crossing
        bent = len(self.met) and np.hypot(*(self.met - self.ends[n, side]).T).min() <= 0.05 * self.height
        return not meets.any() and not bent and not _on_another(self.ends, n, side, near, along=False)

    def tips(self, n: int) -> FloatArray | None:
        """Where a dimension line points to at its two ends (2, 2); None for a line that is none."""
        if all(len(self.heads.at(n, side)) for side in (0, 1)):
            return np.asarray(self.ends[n])
        if not self.free[n].all():
            return None
        pair = _filled(self, n, self.ends[n])
        if not len(pair):
            return self._between_extensions(n)
        out = (-self.way[n], self.way[n])
        ahead = [float(((self.ends[pair[k]] - self.ends[n, k]) @ out[k]).mean()) for k in (0, 1)]
        return np.array([self.ends[n, k] + ahead[k] * out[k] for k in (0, 1)])

    def _between_extensions(self, n: int) -> FloatArray | None:
        """Where two lines square to a line cross it or end it, both a little further, to the same side: under filled
        heads, inside or outside of them. None unless there are two."""
        near = max(0.02 * self.height, LEAST_SIZE)
        normal = np.array([-self.way[n][1], self.way[n][0]])
        square = np.abs(self.way @ self.way[n]) <= 1e-3
        off = self.ends[square] - self.ends[n, 0]
        at, reach = (off @ self.way[n]).mean(axis=1), np.sort(off @ normal, axis=1)
        meets = (at >= -near) & (at <= self.length[n] + near) & (reach[:, 0] < 0.0) & (reach[:, 1] > 0.0)
        for over in (-reach[:, 0], reach[:, 1]):
            a_little = meets & (over >= 0.1 * self.height) & (over <= _BEYOND * self.height)
            places = np.unique(np.round(at[a_little] / near)) * near
            if len(places) == 2:
                return np.asarray(self.ends[n, 0] + places[:, None] * self.way[n])
        return None

    def foot(self, n: int, tip: FloatArray) -> FloatArray:
        """Where the extension line at a tip begins: its end that is further off; the tip itself without one."""
        square = np.flatnonzero(np.abs(self.way @ self.way[n]) <= 1e-3)
        off = self.ends[square] - tip
        there = np.abs(off @ self.way[n]).max(axis=1) <= max(0.02 * self.height, LEAST_SIZE)
        along = off[there] @ np.array([-self.way[n][1], self.way[n][0]])
        near = np.flatnonzero(np.abs(along).min(axis=1) <= _BEYOND * self.height)
        if not len(near):
            return tip
        k, side = np.unravel_index(int(np.abs(along[near]).argmax()), (len(near), 2))
        return np.asarray(self.ends[square[there][near[k]], side])

    def off_leader(self, n: int, place: FloatArray) -> float:
        """How far a place is from the last line of a leader, in heights of text; infinite where it is not beside."""
        tip = 0 if self.heads.at(n, 0) or (self.free[n, 0] and not self.heads.at(n, 1)) else 1
        last = self.ends[_shoulder(self.ends, n, 1 - tip, self.height, self.length)[-1]]
        step = last[1] - last[0]
        t = min(1.0, max(0.0, float((place - last[0]) @ step) / max(float(step @ step), TINY)))
        off = float(np.hypot(*(place - last[0] - t * step))) / self.height
        return off if off <= _WRITTEN else math.inf

    def leader(self, n: int) -> FloatArray | None:
        """The tip and the tail of a leader (2, 2); None for a line that is none."""
        at = [bool(self.heads.at(n, side)) for side in (0, 1)]
        at = at if any(at) else self.free[n].tolist()  # a filled head is no line
        if at[0] == at[1]:
            return None
        tip = 0 if at[0] else 1
        tail = _shoulder(self.ends, n, 1 - tip, self.height, self.length)
        last = self.ends[tail[-1]]
        away = np.hypot(*(last - self.ends[n, tip]).T)
        return np.array([self.ends[n, tip], last[int(away.argmax())]])


def _lines_of(linework: Linework, rows: IntArray) -> _Lines | None:
    """The straight lines among rows; None where there is nothing that could be dimensioned."""
    texts = linework.texts[:_MOST_TEXTS]
    heights = np.array([t.height for t in texts if t.height > 0.0])
    lines = rows[linework.table.kind[rows] == LINE]
    if not len(heights) or len(lines) < 3:
        return None
    height = float(np.median(heights))
    ends = linework.table.ends[lines]
    step = ends[:, 1] - ends[:, 0]
    length = np.hypot(*step.T)
    way = step / np.maximum(length, TINY)[:, None]
    short = np.flatnonzero((length <= _HEAD * height) & (length > 0.0))
    long = np.flatnonzero(length > 0.8 * height)
    if not len(long):
        return None
    others = np.setdiff1d(np.arange(len(linework)), lines)
    met = linework.table.ends[others[~linework.table.closed[others]]].reshape(-1, 2)
    heads, free = _Heads(ends, way, short, height), _free(ends, met, 0.05 * height)
    return _Lines(lines, ends, way, length, height, heads, free, long, texts, met)


class _Heads:
    """The heads at the ends of lines: ends (n, 2, 2) and unit directions (n, 2) of all lines, the short ones among
    them."""

    def __init__(self, ends: FloatArray, way: FloatArray, short: IntArray, height: float) -> None:
        self.ends, self.way, self.short, self.height = ends, way, short, height
        self.tips = cKDTree(ends[short].reshape(-1, 2))
        self.middles = cKDTree(ends[short].mean(axis=1))

    def near(self, tip: FloatArray) -> list[int]:
        """Short lines that begin at a tip."""
        return [int(self.short[k // 2]) for k in self.tips.query_ball_point(tip, 0.1 * self.height)]

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


def _free(ends: FloatArray, met: FloatArray, reach: float) -> BoolArray:
    """Which ends (n, 2) of lines meet no end of another line, nor one of other curves (m, 2)."""
    flat = ends.reshape(-1, 2)
    pairs = cKDTree(flat).query_pairs(reach, output_type="ndarray")
    out = np.ones(len(flat), bool)
    out[pairs[pairs[:, 0] // 2 != pairs[:, 1] // 2].ravel()] = False
    if len(met):
        out &= np.isinf(cKDTree(met).query(flat, distance_upper_bound=reach)[0])
    return np.asarray(out.reshape(-1, 2))


def _at_text(boxes: FloatArray, ends: FloatArray, n: int, height: float) -> bool:
    """Whether one end of a line, and not the other, stands right beside a text, and on no other line there: an edge
    that ends on another beside a text is no leader."""
    line = ends[n]
    off = np.maximum(np.maximum(boxes[:, None, :2] - line[None], line[None] - boxes[:, None, 2:]), 0.0)
    near = np.any(np.hypot(off[..., 0], off[..., 1]) <= 1.2 * height, axis=0)
    return bool(near.sum() == 1) and not _on_another(ends, n, int(near[1]), 0.05 * height)


def _on_another(ends: FloatArray, n: int, side: int, reach: float, *, along: bool = True) -> bool:
    """Whether an end of a line lies within another, those that run along it counted or not."""
    point, starts = ends[n, side], ends[:, 0]
    step = ends[:, 1] - starts
    length = np.maximum(np.hypot(*step.T), TINY)
    at = ((point - starts) * step).sum(axis=1) / length
    across = np.abs((point - starts)[:, 0] * step[:, 1] - (point - starts)[:, 1] * step[:, 0]) / length
    within = (at > reach) & (at < length - reach) & (across <= reach)
    within[n] = False
    if not along:
        within &= np.abs(step @ step[n]) < 0.999 * length * length[n]
    return bool(within.any())


def _filled(drawn: _Lines, n: int, tips: FloatArray) -> IntArray:
    """The extension lines of a dimension line with filled heads, whose line ends at `tips` (2, 2) behind them: one
    ahead of each end, at one distance, both to the same side; empty where there are none such."""
    ends, way, length, height = drawn.ends, drawn.way, drawn.length, drawn.height
    square = np.flatnonzero((np.abs(way @ way[n]) <= 1e-3) & (length > 0.5 * height))
    forward = way[n] if float((tips[1] - tips[0]) @ way[n]) > 0.0 else -way[n]
    normal = np.array([-way[n][1], way[n][0]])
    found: list[tuple[int, float, float]] = []
    for tip, out in zip(tips, (-forward, forward), strict=True):
        off = ends[square] - tip
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
