"""Outlines matched point for point, for what is to run from one to the next.

How: corners are matched to corners that lie in the same place of the outline (its centroid taken as the middle and its
area as the measure of size), in their order. Where one outline has one corner, the point farthest from it is matched
too: the leading edge of a foil. Without corners outlines are turned against each other until they lie closest. Between
matched points equal shares of the length are matched. Then all outlines are cut where any of them has a piece end, so
that they have the same number of pieces.

Two corners close to each other, one after the other, that face one corner alone, as a blunt trailing edge faces a sharp
one, both match it: what lies between them runs to a point.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
import shapely

from tectogon.curves import Curve, CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.moments import area_moments
from tectogon.curves.nearest import nearest_on
from tectogon.tolerances import HAIR, LEAST_AREA

Point: TypeAlias = tuple[float, float]
End: TypeAlias = Curve | Point
_SHARP = math.radians(40.0)
_CORNER = math.radians(20.0)
_STANDS_OUT = 3.0
"""A smaller turn is a corner where it is so many times those beside it: points along a curve turn evenly."""
_ONE = 1e-6
"""Shares of a length that differ by less are one."""
_SAME_PLACE = 0.5
"""Corners further apart than this share of the outlines' size are not the same."""
_BLUNT = 0.15
_SAMPLES = 96


@dataclass(frozen=True, eq=False)
class _Outline:
    """A closed outline, by the share of its length: 0 at the start of its first curve, 1 there again."""

    curves: tuple[Curve, ...]
    names: tuple[str, ...]

    @staticmethod
    def of(curves: Sequence[Curve], names: Sequence[str]) -> _Outline:
        return _Outline(tuple(curves), tuple(names))

    @property
    def marks(self) -> FloatArray:
        """Where its curves begin (n,)."""
        lengths = np.array([c.length for c in self.curves])
        return np.concatenate([[0.0], np.cumsum(lengths)[:-1]]) / lengths.sum()

    def corners(self) -> FloatArray:
        """Shares of the length at which it turns sharply, the other way round as well."""
        ways = [_ways(c) for c in self.curves]
        found = []
        for n in range(len(ways)):
            (_, a), (b, _) = ways[n - 1], ways[n]
            found.append(abs(math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b))))
        turns = np.array(found)
        beside = np.maximum(np.roll(turns, 1), np.roll(turns, -1))
        return self.marks[(turns > _SHARP) | ((turns > _CORNER) & (turns > _STANDS_OUT * beside))]

    def points(self, shares: FloatArray) -> FloatArray:
        """Points (k, 2) at shares of its length, its centroid the origin and the root of its area the unit."""
        marks = self.marks
        at = np.clip(np.searchsorted(marks, shares % 1.0, side="right") - 1, 0, len(marks) - 1)
        ends = np.append(marks[1:], 1.0)
        out = np.empty((len(shares), 2))
        for n in np.unique(at).tolist():
            some = at == n
            inner = (shares[some] % 1.0 - marks[n]) / max(ends[n] - marks[n], HAIR)
            out[some] = np.asarray(self.curves[n].points(_by_length(self.curves[n], inner)))
        area, sx, sy = area_moments(CurveTable.of(self.curves)).sum(axis=0).tolist()
        area = area or LEAST_AREA
        return np.asarray((out - np.array([sx, sy]) / area) / math.sqrt(abs(area)))


def _ways(curve: Curve) -> tuple[FloatArray, FloatArray]:
    d = np.asarray(curve.derivatives(np.array([0.0, 1.0])))
    return d[0], d[1]


def _by_length(curve: Curve, shares: FloatArray) -> FloatArray:
    """Parameters (k,) at which a curve has run shares (k,) of its length."""
    t = np.linspace(0.0, 1.0, 65)
    speed = np.hypot(*np.asarray(curve.derivatives(t)).T)
    way = np.concatenate([[0.0], np.cumsum((speed[1:] + speed[:-1]) / 2.0)])
    if way[-1] <= 0.0 or np.ptp(speed) <= HAIR * speed.max():
        return shares
    return np.asarray(np.interp(shares * way[-1], way, t))


@dataclass(frozen=True)
class Matched:
    """Outlines in as many pieces each: `ends[k][n]` is piece n of outline k, a point where it has none; `names[n]` the
    curve it is of, of the first outline that has it."""

    ends: tuple[tuple[End, ...], ...]
    names: tuple[str, ...]


def matched(
    outlines: Sequence[Sequence[Curve]], names: Sequence[Sequence[str]], starts: Sequence[float | None] = ()
) -> Matched:
    """Closed outlines (counter-clockwise, curves in order) in matching pieces. `starts`: for some of them the share of
    their length that is to match that of the one before, or its start."""
    given = [_Outline.of(curves, some) for curves, some in zip(outlines, names, strict=True)]
    maps = [_Map(np.array([0.0, 1.0]), np.array([0.0, 1.0]))]
    for n in range(1, len(given)):
        pressed = starts[n - 1 : n + 1]
        start = (pressed[0] or 0.0, pressed[1]) if len(pressed) == 2 and pressed[1] is not None else None
        maps = _with_next(maps, _anchors(given[n - 1], given[n], start))
    cuts = _cuts(given, maps)
    return _told([_cut(outline, one, cuts) for outline, one in zip(given, maps, strict=True)])


def _told(ends: Sequence[Sequence[tuple[End, str]]]) -> Matched:
    count = len(ends[0])
    keep = [n for n in range(count) if any(not isinstance(some[n][0], tuple) for some in ends)]
    names = [next(some[n][1] for some in ends if not isinstance(some[n][0], tuple)) for n in keep]
    return Matched(tuple(tuple(some[n][0] for n in keep) for some in ends), tuple(names))


def chord_of(outline: Sequence[Curve]) -> tuple[Point, Point]:
    """The two points of an outline that lie farthest apart, the blunter one first: the leading and the trailing end of
    a foil."""
    table = CurveTable.of(outline)
    points, _ = table.flatten(max(table.size, HAIR) * 1e-5)
    hull = shapely.get_coordinates(shapely.convex_hull(shapely.MultiPoint(points)))[:-1]
    apart = np.linalg.norm(hull[:, None] - hull[None], axis=2)
    pair = [hull[k] for k in np.unravel_index(int(apart.argmax()), apart.shape)]
    near = 0.05 * float(apart.max())
    wide = []
    for end, other in (pair, pair[::-1]):
        way = (other - end) / np.linalg.norm(other - end)
        off = points - end
        some = np.abs(off @ way - near) < 0.5 * near
        across = off[some] @ np.array([-way[1], way[0]])
        wide.append(float(np.ptp(across)) if len(across) else 0.0)
    if abs(wide[0] - wide[1]) <= 1e-6 * near:
        pair.sort(key=lambda p: (round(float(p[0]), 9), float(p[1])))
    elif wide[0] < wide[1]:
        pair.reverse()
    (a, b), (c, d) = (p.tolist() for p in pair)
    return (a, b), (c, d)


def share_at(outline: Sequence[Curve], point: FloatArray) -> float:
    """The share of an outline's length at which it passes nearest to a point (2,); at a piece end where that is nearly
    as near."""
    table = CurveTable.of(outline)
    t, off = nearest_on(table, np.arange(len(table)), np.broadcast_to(point, (len(table), 2)))
    row = int(off.argmin())
    marks = np.append(_Outline.of(outline, [""] * len(outline)).marks, 1.0)
    ends = np.linalg.norm(table.ends[:, 0] - point, axis=1)
    if ends.min() <= off.min() + 1e-2 * table.size:
        return float(marks[int(ends.argmin())])
    share = CurveTable.of(outline).parts(np.array([row]), np.zeros(1), t[[row]]).lengths[0] / table.lengths[row]
    return float(marks[row] + share * (marks[row + 1] - marks[row]))


def _anchors(a: _Outline, b: _Outline, start: tuple[float, float] | None) -> list[tuple[float, float]]:
    """Pairs of shares of two outlines that match, in order, at least one."""
    ca, cb = a.corners(), b.corners()
    pa, pb = a.points(ca), b.points(cb)
    if start is not None:
        return _from_start(ca, cb, *start)
    pairs = _all_in_order(ca, cb, pa, pb) or _mutual(ca, cb, pa, pb)
    if not pairs:
        return [(0.0, _nearest_turn(a, b))]
    if len({x for x, _ in pairs}) == 1 or len({y for _, y in pairs}) == 1:
        pairs += [(_farthest(a, pairs[0][0]), _farthest(b, pairs[0][1]))]
    return sorted(pairs)


def _from_start(ca: FloatArray, cb: FloatArray, a: float, b: float) -> list[tuple[float, float]]:
    """One place of the first with one of the second, both pressed; corners in order from there, if there are as
    many."""
    first, second = (
        sorted({v for v in ((c - s) % 1.0).tolist() if _ONE < v < 1.0 - _ONE}) for c, s in ((ca, a), (cb, b))
    )
    pairs = [(a % 1.0, b % 1.0)]
    if len(first) == len(second):
        pairs += [((x + a) % 1.0, (y + b) % 1.0) for x, y in zip(first, second, strict=True)]
    return pairs


def _all_in_order(ca: FloatArray, cb: FloatArray, pa: FloatArray, pb: FloatArray) -> list[tuple[float, float]]:
    """All corners in their order, where there are as many and each lies about where its partner does."""
    if len(ca) != len(cb) or not len(ca):
        return []
    best = min(range(len(cb)), key=lambda k: float(((pa - np.roll(pb, -k, axis=0)) ** 2).sum()))
    if float(np.linalg.norm(pa - np.roll(pb, -best, axis=0), axis=1).max()) > 2.0 * _SAME_PLACE:
        return []
    return list(zip(ca.tolist(), np.roll(cb, -best).tolist(), strict=True))


def _mutual(ca: FloatArray, cb: FloatArray, pa: FloatArray, pb: FloatArray) -> list[tuple[float, float]]:
    """Corners that are each other's nearest, as many as keep their order; then corners beside them that face one
    alone."""
    if not len(ca) or not len(cb):
        return []
    apart = np.linalg.norm(pa[:, None] - pb[None], axis=2)
    both = [
        (n, int(apart[n].argmin()))
        for n in range(len(ca))
        if apart[:, apart[n].argmin()].argmin() == n and apart[n].min() < _SAME_PLACE
    ]
    best: list[tuple[int, int]] = []
    for turn in range(len(both)):
        run = both[turn:] + both[:turn]
        kept: list[tuple[int, int]] = []
        for i, j in run:
            if not kept or (j - kept[0][1]) % len(cb) > (kept[-1][1] - kept[0][1]) % len(cb):
                kept.append((i, j))
        best = max(best, kept, key=len)
    for i, j in list(best):
        for step in (1, -1):
            if len(cb) > 1 and (i, (j + step) % len(cb)) not in best:
                other = (j + step) % len(cb)
                if all(other != y for _, y in best) and float(np.linalg.norm(pb[j] - pb[other])) < _BLUNT:
                    best.append((i, other))
            if len(ca) > 1:
                other = (i + step) % len(ca)
                if all(other != x for x, _ in best) and float(np.linalg.norm(pa[i] - pa[other])) < _BLUNT:
                    best.append((other, j))
    return [(float(ca[i]), float(cb[j])) for i, j in best]


def _nearest_turn(a: _Outline, b: _Outline) -> float:
    """The share of the second outline that lies nearest to the start of the first, all of both considered."""
    shares = np.arange(_SAMPLES) / _SAMPLES
    pa, pb = a.points(shares), b.points(shares)
    offs = [float(((pa - np.roll(pb, -k, axis=0)) ** 2).sum()) for k in range(_SAMPLES)]
    k = int(np.argmin(offs))
    before, here, after = offs[k - 1], offs[k], offs[(k + 1) % _SAMPLES]
    bend = before - 2.0 * here + after
    return float(((k + (0.5 * (before - after) / bend if bend > HAIR * max(after, HAIR) else 0.0)) / _SAMPLES) % 1.0)


def _farthest(outline: _Outline, share: float) -> float:
    """The share of the length whose point lies farthest from that of another."""
    shares = (share + np.arange(1, 4 * _SAMPLES) / (4 * _SAMPLES)) % 1.0
    away = np.linalg.norm(outline.points(shares) - outline.points(np.array([share])), axis=1)
    return float(shares[int(away.argmax())])


@dataclass(frozen=True, eq=False)
class _Map:
    """Which share of its own length an outline has at which share that all have in common, as a broken line over one
    round: both rise by 1, the common one without a rest."""

    own: FloatArray
    common: FloatArray

    def own_at(self, common: FloatArray) -> FloatArray:
        """The outline's own shares (k,)."""
        rounds = np.floor(common - self.common[0])
        return np.asarray(np.interp(common - rounds, self.common, self.own) + rounds)

    def common_at(self, own: FloatArray) -> FloatArray:
        """Common shares (k,) of its own; where it rests, one of them."""
        rounds = np.floor(own - self.own[0])
        return np.asarray(np.interp(own - rounds, self.own, self.common) + rounds)


def _with_next(maps: Sequence[_Map], pairs: Sequence[tuple[float, float]]) -> list[_Map]:
    """The maps with that of one outline more; `pairs`: which shares of the last and of the new one match. What is
    common is the mean of both, so that where one rests the other need not."""
    last = maps[-1]
    c = last.common_at(np.array([x for x, _ in pairs]))
    y = np.array([y for _, y in pairs])
    alone = [n for n in range(len(c)) if (_apart(c, c[n]) > _ONE).sum() == (_apart(y, y[n]) > _ONE).sum() == len(c) - 1]
    c0, y0 = (float(v[alone[0] if alone else 0]) for v in (c, y))
    c, y = (c - c0) % 1.0, (y - y0) % 1.0
    c, y = np.where(c > 1.0 - _ONE, 0.0, c), np.where(y > 1.0 - _ONE, 0.0, y)
    order = np.lexsort((y, c))
    c, y = c[order], y[order]
    for n in range(1, len(y)):
        if y[n] < y[n - 1]:
            y[n] = y[n - 1] if y[n - 1] - y[n] < 0.5 else 1.0
    c, y = np.append(c, 1.0), np.append(y, 1.0)
    z = (c + y) / 2.0
    keep = np.concatenate([[True], np.diff(z) > _ONE])
    c, y, z = c[keep], y[keep], z[keep]
    out = []
    for one in maps:
        marks = (one.common - c0) % 1.0
        fresh = np.concatenate([z, np.interp(marks, c, z)])
        own = one.own_at(np.concatenate([c, marks]) + c0)
        order = np.lexsort((own, fresh))
        fresh, own = fresh[order], own[order]
        keep = np.concatenate([[True], np.diff(fresh) > 1e-12])
        fresh, own = fresh[keep], np.maximum.accumulate(own[keep])
        out.append(_Map(own, fresh))
    return [*out, _Map(y + y0, z)]


def _apart(shares: FloatArray, share: float) -> FloatArray:
    """How far shares (k,) lie from one, either way round."""
    return np.asarray(np.abs((shares - share + 0.5) % 1.0 - 0.5))


def _cuts(given: Sequence[_Outline], maps: Sequence[_Map]) -> FloatArray:
    """The common shares at which any outline has a piece end, or a matched point: 0 to 1."""
    found = [one.common_at(outline.marks) % 1.0 for outline, one in zip(given, maps, strict=True)]
    marks = np.concatenate([*found, *(one.common[:-1] % 1.0 for one in maps)])
    marks = np.unique(np.where(marks > 1.0 - _ONE, 0.0, marks))
    marks = marks[np.concatenate([[True], np.diff(marks) > _ONE])]
    return marks if len(marks) > 1 else np.array([marks[0], (marks[0] + 0.5) % 1.0])


def _cut(outline: _Outline, one: _Map, cuts: FloatArray) -> list[tuple[End, str]]:
    """An outline in pieces between the cuts; a point where a piece has no length."""
    places = one.own_at(np.append(cuts, cuts[0] + 1.0))
    marks = np.append(outline.marks, 1.0)
    rounds = np.concatenate([marks[:-1] + k for k in (-1.0, 0.0, 1.0, 2.0)])
    nearest = rounds[np.abs(places[:, None] - rounds[None]).argmin(axis=1)]
    places = np.where(np.abs(places - nearest) < 2.0 * _ONE, nearest, places)
    out: list[tuple[End, str]] = []
    for a, b in itertools.pairwise(places.tolist()):
        base = math.floor(a + 1e-12)
        row = int(np.clip(np.searchsorted(marks, a - base + 1e-10, side="right") - 1, 0, len(outline.curves) - 1))
        curve, width = outline.curves[row], marks[row + 1] - marks[row]
        shares = np.clip((np.array([a, b]) - base - marks[row]) / width, 0.0, 1.0)
        shares = np.where(np.abs(shares) < 1e-8, 0.0, np.where(np.abs(shares - 1.0) < 1e-8, 1.0, shares))
        t0, t1 = _by_length(curve, shares).tolist()
        if t1 - t0 <= 1e-9:
            x, y = np.asarray(curve.points(np.array([t0])))[0].tolist()
            out.append(((x, y), outline.names[row]))
        elif (t0, t1) == (0.0, 1.0):
            out.append((curve, outline.names[row]))
        else:
            table = CurveTable.of([curve]).parts(np.zeros(1, np.int64), np.array([t0]), np.array([t1]))
            out.append((table.curve(0), outline.names[row]))
    return out
