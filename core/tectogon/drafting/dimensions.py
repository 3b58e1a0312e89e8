"""Which dimensions fix a part: each coordinate from a datum, in the view that shows it best; each diameter and radius
once, with how often it stands. And what dimensions leave open, or state twice."""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from tectogon.curves import Line
from tectogon.drafting.drawn_views import DrawnView
from tectogon.drafting.needs import Coordinate, Needs, Round
from tectogon.views.align import AXES

Point = tuple[float, float]
_MOST = 60
"""No more coordinates are dimensioned along one axis: what is left over is told."""
_ROW = 4
"""So many places at equal distances are dimensioned at once."""
_NEAR = 1e-5
"""Coordinates that differ by less than this share of the part's size are one."""


@dataclass(frozen=True)
class Length:
    """A length along an axis of the part, drawn in a view: from one coordinate to another (mm) and the places in the
    view's plane (mm) that they are taken from; `count`: so many equal steps; `between`: no part of the datum's own
    rows; `extra`: it is fixed by others already, and stands in brackets. `low` is the datum's end. `low_owners`,
    `high_owners`: the names of the faces at its ends; `moved`: how far a hand has moved its text along its line and
    the line away from the view (mm of paper), and `hand` which of its changes that was."""

    view: str
    axis: int
    low: float
    high: float
    low_at: Point
    high_at: Point
    count: int = 1
    between: bool = False
    extra: bool = False
    low_owners: frozenset[str] = frozenset()
    high_owners: frozenset[str] = frozenset()
    moved: Point = (0.0, 0.0)
    hand: int | None = None

    @property
    def value(self) -> float:
        """mm."""
        return abs(self.high - self.low)

    @property
    def kind(self) -> str:
        """What it is called."""
        return "length"


@dataclass(frozen=True)
class Roundness:
    """A diameter or a radius (mm) in a view: the circle it is shown at, and how often the part has it. `stated`: as
    "diameter" or "radius" where a hand has chosen; `owners`: the names of its faces; `moved`: how far a hand has moved
    its text to the right and upwards (mm of paper), and `hand` which of its changes that was."""

    view: str
    centre: Point
    radius: float
    whole: bool
    count: int
    inside: bool
    owners: frozenset[str] = frozenset()
    stated: str = ""
    moved: Point = (0.0, 0.0)
    hand: int | None = None

    @property
    def value(self) -> float:
        """mm."""
        return 2.0 * self.radius if self.kind == "diameter" else self.radius

    @property
    def kind(self) -> str:
        """What it is called."""
        return self.stated or ("diameter" if self.whole else "radius")


Dimension = Length | Roundness


@dataclass(frozen=True)
class Open:
    """Something that no dimension fixes, in words, and a place of the part (mm)."""

    text: str
    at: tuple[float, float, float]


Datum = tuple[bool, bool, bool]
"""For each axis whether lengths are taken from the part's high end instead of its low one."""
LOW_ENDS: Datum = (False, False, False)


def chosen(needs: Needs, views: Sequence[DrawnView], datum: Datum = LOW_ENDS) -> list[Dimension]:
    """The dimensions that fix a part in these views, lengths from the corner that the datum says."""
    size = max(b - a for a, b in zip(needs.box[:3], needs.box[3:], strict=True)) or 1.0
    out: list[Dimension] = []
    for axis in range(3):
        out += _along(needs, views, axis, size * _NEAR, from_high=datum[axis])
    return out + list(_rounds(needs, views))


def _along(needs: Needs, views: Sequence[DrawnView], axis: int, near: float, *, from_high: bool) -> list[Length]:
    """Lengths along one axis: rows of equal steps as one, all others from the datum; the whole where no coordinate
    has it."""
    found = needs.on(axis)
    shown = [v for v in views if v.along(axis) is not None]
    if not found or not shown:
        return []
    rows = list(_rows(needs, axis, near))
    skipped = {v for row in rows for v in (row[:-1] if from_high else row[1:])}
    datum, *others = reversed(found) if from_high else found
    out = []
    for one in others:
        if any(abs(one.value - v) <= near for v in skipped):
            continue
        view = _best(shown, one, near)
        out.append(length_between(view, axis, datum, one))
    kept = out[:_MOST]
    by_value = {c.value: c for c in found}

    def at(value: float) -> Coordinate:
        return by_value[min(by_value, key=lambda v: abs(v - value))]

    for row in rows:
        first, last = at(row[0]), at(row[-1])
        view = _best(shown, last, near)
        kept.append(length_between(view, axis, first, last, count=len(row) - 1, between=True))
    low, high = needs.box[axis], needs.box[axis + 3]
    across = any(r.whole and r.axis != axis and abs(2.0 * r.radius - (high - low)) <= near for r in needs.rounds)
    if found[-1].value - found[0].value < high - low - near and not across:
        ends = [Coordinate(axis, v, "face", (), frozenset({end})) for v, end in ((low, "low end"), (high, "high end"))]
        view = max(shown, key=lambda v: _length_at(v, axis, low, near) + _length_at(v, axis, high, near))
        kept.append(
            length_between(view, axis, ends[0], ends[1], between=True, extra=len(found) > 1 or bool(needs.rounds))
        )
    return kept


def _rows(needs: Needs, axis: int, near: float) -> Iterable[list[float]]:
    """Coordinates of like round things that stand at equal distances, four and more."""
    alike: dict[tuple[float, ...], set[float]] = defaultdict(set)
    for r in needs.rounds:
        if r.axis != axis and not r.is_fillet:
            alike[(r.axis, round(r.radius, 4), r.inside)].add(round(r.centre[axis], 6))
    done: set[float] = set()
    for values in alike.values():
        row = sorted(values - done)
        steps = np.diff(row)
        if len(row) >= _ROW and float(np.ptp(steps)) <= near:
            done |= set(row)
            yield row


def _best(views: Sequence[DrawnView], one: Coordinate, near: float) -> DrawnView:
    """The view in which a coordinate is seen best: a centre where one looks along it, all else where the longest
    line has it."""
    if one.kind == "centre":
        for view in views:
            k, way = view.along(one.axis) or (0, 1.0)
            if any(abs(cross[k] * way - one.value) <= near for cross in view.crosses):
                return view
    return max(views, key=lambda v: (_length_at(v, one.axis, one.value, near), -views.index(v)))


def _length_at(view: DrawnView, axis: int, value: float, near: float) -> float:
    """How much line a view has at a coordinate; hidden lines count little."""
    k, way = view.along(axis) or (0, 1.0)
    total = 0.0
    for share, some in ((1.0, view.visible), (0.1, view.hidden)):
        for c in some:
            if isinstance(c, Line):
                a, b = ((c.x0, c.x1), (c.y0, c.y1))[k]
                if max(abs(a * way - value), abs(b * way - value)) <= near:
                    total += share * c.length
    return total


def length_between(
    view: DrawnView,
    axis: int,
    low: Coordinate,
    high: Coordinate,
    *,
    count: int = 1,
    between: bool = False,
    extra: bool = False,
) -> Length:
    """A length from one coordinate to another along the same axis, in a view."""
    places = place_of(view, low), place_of(view, high)
    ends = low.owners, high.owners
    return Length(view.name, axis, low.value, high.value, *places, count, between, extra, *ends)


def place_of(view: DrawnView, one: Coordinate) -> Point:
    """The place in a view that a length is taken from: of all that has the coordinate, the one nearest to where
    lengths are written: at the top for those along the sheet, on the left for those upwards."""
    k, way = view.along(one.axis) or (0, 1.0)
    at = one.value * way
    size = max(view.box[2] - view.box[0], view.box[3] - view.box[1])
    best: float | None = None
    for c in view.visible:
        if isinstance(c, Line):
            for p in ((c.x0, c.y0), (c.x1, c.y1)):
                if abs(p[k] - at) <= _NEAR * size:
                    best = p[1 - k] if best is None else (max if k == 0 else min)(best, p[1 - k])
    if best is None:
        crosses = [c for c in view.crosses if abs(c[k] - at) <= _NEAR * size]
        if crosses:
            best = (max if k == 0 else min)(c[1 - k] for c in crosses)
    if best is None:
        best = view.box[3] if k == 0 else view.box[0]
    return (at, best) if k == 0 else (best, at)


def _rounds(needs: Needs, views: Sequence[DrawnView]) -> Iterable[Roundness]:
    groups: dict[tuple[int, float, bool, bool, bool], list[Round]] = defaultdict(list)
    for r in needs.rounds:
        groups[(r.axis, round(r.radius, 4), r.whole, r.inside, r.is_fillet)].append(r)
    for (axis, radius, whole, inside, _), some in groups.items():
        view = next((v for v in views if abs(v.frame.normal[axis]) > 0.5), None)
        if view is None:
            continue
        flat = [_on(view, r.centre) for r in some]
        shown = max(flat, key=lambda p: (round(p[1], 6), p[0]))
        count = len({(round(x, 4), round(y, 4)) for x, y in flat})
        owners: frozenset[str] = frozenset().union(*(r.owners for r in some))
        yield Roundness(view.name, shown, radius, whole, count, inside, owners)


def roundness_of(view: DrawnView, one: Round) -> Roundness:
    """The diameter or the radius of one round thing, in a view along its axis."""
    return Roundness(view.name, _on(view, one.centre), one.radius, one.whole, 1, one.inside, one.owners)


def _on(view: DrawnView, point: Sequence[float]) -> Point:
    p = np.array(point)
    return float(p @ np.array(view.frame.x_dir)), float(p @ np.array(view.frame.y_dir))


def left_open(needs: Needs, dimensions: Sequence[Dimension]) -> list[Open]:
    """What dimensions leave open: coordinates that no chain of lengths ties to the others of their axis, radii that
    none states, and free surfaces."""
    out: list[Open] = []
    size = max(b - a for a, b in zip(needs.box[:3], needs.box[3:], strict=True)) or 1.0
    for axis in range(3):
        found = needs.on(axis)
        if not found:
            continue
        tied, _ = _tied(found, dimensions, size * _NEAR)
        out += [
            Open(f"{AXES[axis]} {c.value - found[0].value:.6g} mm of a {c.kind}", c.points[0])
            for c, root in zip(found, tied, strict=True)
            if root != tied[0]
        ]
    stated = [(d.radius, d.whole) for d in dimensions if isinstance(d, Roundness)]
    for r in needs.rounds:
        if not any(abs(r.radius - v) <= 1e-4 + _NEAR * size for v, _ in stated):
            out.append(
                Open(
                    f"the {'diameter' if r.whole else 'radius'} of {2 * r.radius if r.whole else r.radius:.6g} mm",
                    r.centre,
                )
            )
    out += [Open("a free surface or curve", p) for p in needs.free]
    return out


def stated_twice(needs: Needs, dimensions: Sequence[Dimension]) -> list[Length]:
    """Lengths that others fix already and that do not stand in brackets."""
    size = max(b - a for a, b in zip(needs.box[:3], needs.box[3:], strict=True)) or 1.0
    return [d for axis in range(3) for d in _tied(needs.on(axis), dimensions, size * _NEAR)[1]]


def _tied(found: Sequence[Coordinate], dimensions: Iterable[Dimension], near: float) -> tuple[list[int], list[Length]]:
    """For each coordinate of an axis the first one that lengths tie it to, and the lengths that tie nothing new."""
    root = list(range(len(found)))

    def top(n: int) -> int:
        while root[n] != n:
            n = root[n]
        return n

    def number(value: float) -> int | None:
        return next((n for n, c in enumerate(found) if abs(c.value - value) <= 2.0 * near), None)

    spare = []
    for d in dimensions:
        if not isinstance(d, Length) or d.extra or not found or d.axis != found[0].axis:
            continue
        places = [d.low + (d.high - d.low) * n / d.count for n in range(d.count + 1)]
        numbers = [n for n in map(number, places) if n is not None]
        new = False
        for a, b in itertools.pairwise(numbers):
            a, b = sorted((top(a), top(b)))
            new |= a != b
            root[b] = a
        if not new and len(numbers) > 1:
            spare.append(d)
    return [top(n) for n in range(len(found))], spare
