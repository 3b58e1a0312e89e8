"""The outline of a leaning solid, height by height: each piece of a profile moved inwards by a distance, neighbours
drawn out or cut back to where they meet, so that lines stay parallel and arcs keep their centre.

Glossary
    distance: how far the outline has moved into the material (mm), negative outwards.
    corner: where two pieces meet; between pieces that run into each other it moves square to them.
    event: a distance at which a piece has shrunk to a point, and its neighbours meet from there on; or at which a free
        curve is moved by its least radius, and is two from there on.
    fold: where a free curve is moved further than its radius: its offset runs back there and crosses itself; what lies
        behind the crossing is cut off.
    stage: what lies between two events: the same pieces at both ends, those that vanish there being a point.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
import shapely

from tectogon.curves import Arc, Curve, CurveTable, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.as_spline import as_spline
from tectogon.curves.fit import offset_spline
from tectogon.curves.moments import area_moments
from tectogon.curves.table import BoolArray
from tectogon.tolerances import HAIR, LEAST_AREA, LEAST_SIZE, TINY

Point = tuple[float, float]
_RUNS_ON = 1e-3
"""Pieces whose directions differ by less (radians) run into each other."""
_LET_PASS = 1e-5
"""Ends that are no further apart (mm) are left to the solid's own tolerance."""
_JUST_BEFORE = 1e-7
"""How far before an event, as a share of its stage, outlines are looked at: at it pieces have no length."""
_HALVINGS = 60
_OFFSET_SHARE = 1e-7
"""Offsets of free curves are within this share of the profile's size."""
_AS_ONE = 10.0 * _OFFSET_SHARE
"""Places nearer to each other, as a share of the profile's size, are one where it is asked whether an outline crosses
itself."""
_MOST_EVENTS = 80
_JUST_BEYOND = 1e-6
"""How far beyond an event, as a share of what is left, free curves are asked whether they fold."""
_FOLD_SAMPLES = 257
"""By so many places of a free curve the crossing of its fold is looked for."""
_LOOKS_CLOSER = 3
"""How often the places around that crossing are taken closer before it is solved for: at the fold itself the two meet
too."""
_NEARLY = 0.1
"""A free curve that keeps so little of its pace, as a share, is looked at more closely where it does."""
_RUN_ON = 0.02
"""So far past its ends, as a share, a free curve is looked at when the crossing of a fold is looked for."""
_NEAR = 1e-6
"""How a free curve bends is told by its directions so far apart, as parameters."""
_AT_END = 1.0 / 128.0
"""A fold so near an end of a free curve, as a share of it, is at its corner."""
_NEAR_FOLD = 0.02
"""So much of a piece beside its fold, as a share, is not asked whether it folds: it begins there."""


class ClosesUp(Exception):
    """The outline can't be moved that far: at `distance` (mm) it closes up, near `at`."""

    def __init__(self, distance: float, at: Point) -> None:
        super().__init__(f"closes up at {distance} mm")
        self.distance, self.at = distance, at


@dataclass(frozen=True)
class Lean:
    """What becomes of one piece within a stage: its curve or point at both ends. `corner`: how its first corner moves:
    directions (mm of the sheet per mm of distance) at both ends and the place half way; None where it goes straight."""

    bottom: Curve | Point
    top: Curve | Point
    name: str
    corner: tuple[Point, Point, Point] | None


@dataclass(frozen=True)
class Stage:
    """Between two distances (mm): the pieces, ring by ring."""

    start: float
    end: float
    rings: tuple[tuple[Lean, ...], ...]


@dataclass(frozen=True, eq=False)
class Leaning:
    """An outline on its way: its stages, and what it is at any distance between."""

    stages: tuple[Stage, ...]
    _held: tuple[tuple[_Ring, ...], ...]

    def rings(self, distance: float) -> list[list[Curve]]:
        """The curves of each ring at a distance (mm)."""
        number = next((n for n, s in enumerate(self.stages) if abs(distance) <= abs(s.end)), len(self.stages) - 1)
        return [ring.curves(distance) for ring in self._held[number]]

    def parts(self, stage: Stage, count: int) -> list[Stage]:
        """A stage in so many of equal distance."""
        if count == 1:
            return [stage]
        held = self._held[self.stages.index(stage)]
        marks = np.linspace(stage.start, stage.end, count + 1).tolist()
        out = []
        for n, (a, b) in enumerate(itertools.pairwise(marks)):
            last = n == count - 1
            gone = [any(isinstance(lean.top, tuple) for lean in ring) and last for ring in stage.rings]
            rings = [ring.between(a, b, gone=some) for ring, some in zip(held, gone, strict=True)]
            out.append(Stage(a, b, tuple(rings)))
        return out

    @property
    def is_plain(self) -> bool:
        """Whether all its corners go straight, so that its area is a polynomial of degree 2 in the distance."""
        return all(corner.is_straight for rings in self._held for ring in rings for corner in ring.found)

    def area(self, distance: float) -> float:
        """What the rings enclose at a distance, mm²."""
        curves = [curve for ring in self.rings(distance) for curve in ring]
        return float(area_moments(CurveTable.of(curves))[:, 0].sum())


def leaning(rings: Sequence[Sequence[Curve]], names: Sequence[Sequence[str]], distance: float) -> Leaning:
    """Rings (the outer one counter-clockwise, holes clockwise, each of two curves or more) moved by a distance (mm)
    into the material. Raises ClosesUp where they can't be moved so far."""
    current = [_Ring.of(ring, some, distance) for ring, some in zip(rings, names, strict=True)]
    at = 0.0
    out: list[Stage] = []
    held: list[tuple[_Ring, ...]] = []
    for _ in range(_MOST_EVENTS):
        end = min((ring.holds_to(at, distance) for ring in current), key=abs)
        _check_apart(current, at, end if end == distance else at + (1.0 - _JUST_BEFORE) * (end - at))
        after = current if end == distance else [ring.without_vanished(end) for ring in current]
        pairs = zip(current, after, strict=True)
        if end != at or end == distance:
            out.append(Stage(at, end, tuple(ring.between(at, end, gone=then is not ring) for ring, then in pairs)))
            held.append(tuple(current))
        if end == distance:
            return Leaning(tuple(out), tuple(held))
        parted = [ring.parted(end, distance) for ring in after]
        if all(then is ring for ring, then in zip(current, parted, strict=True)):
            break
        current, at = parted, end
    raise ClosesUp(at, current[0].place)


@dataclass(frozen=True, eq=False)
class _Piece:
    """A curve and what its offsets are. The distance goes to its left, where the material is."""

    curve: Curve
    name: str

    @property
    def ends(self) -> FloatArray:
        return np.asarray(self.curve.points(np.array([0.0, 1.0])))

    def way(self, t: float) -> FloatArray:
        """Its direction (2,) of length 1."""
        if isinstance(self.curve, Line):
            return self._straight
        at = np.array([t])
        d = np.asarray(self.curve.derivatives(at))[0]
        if np.hypot(*d) <= TINY:
            d = np.asarray(self.curve.derivatives(np.abs(at - 1e-6)))[0]
        return np.asarray(d / max(float(np.hypot(*d)), TINY))

    @cached_property
    def _straight(self) -> FloatArray:
        c = self.curve
        assert isinstance(c, Line)
        return np.array([c.x1 - c.x0, c.y1 - c.y0]) / max(c.length, TINY)

    def moved(self, t: float, distance: float) -> FloatArray:
        """Its point at t (2,), moved by a distance."""
        dx, dy = self.way(t)
        return np.asarray(np.asarray(self.curve.points(np.array([t])))[0] + distance * np.array([-dy, dx]))

    def radius(self, distance: float) -> float:
        """Of an arc, moved by a distance; not positive where nothing of it is left."""
        assert isinstance(self.curve, Arc)
        return self.curve.radius - math.copysign(distance, self.curve.sweep * distance)

    @property
    def centre(self) -> FloatArray:
        assert isinstance(self.curve, Arc)
        return np.array([self.curve.cx, self.curve.cy])

    def offset(self, t: FloatArray, distance: float) -> FloatArray:
        """Its points at parameters (n, 2), moved by a distance; past its ends it runs on straight."""
        on = np.clip(t, 0.0, 1.0)
        d = np.asarray(self.curve.derivatives(on))
        normals = np.column_stack([-d[:, 1], d[:, 0]]) / np.maximum(np.hypot(*d.T), TINY)[:, None]
        return np.asarray(np.asarray(self.curve.points(on)) + distance * normals + (t - on)[:, None] * d)

    def left(self, t: FloatArray, distance: float) -> FloatArray:
        """How much of its pace a free curve keeps at parameters (n,) when it is moved, as a share: 1 − distance ×
        curvature; not positive where it folds."""
        near = _NEAR
        low, high = np.clip(t - near, 0.0, 1.0), np.clip(t + near, 0.0, 1.0)
        a, b = np.asarray(self.curve.derivatives(low)), np.asarray(self.curve.derivatives(high))
        turn = np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], (a * b).sum(axis=1))
        way = np.hypot(*((a + b) / 2.0).T) * (high - low)
        return np.asarray(1.0 - distance * turn / np.maximum(way, TINY))

    def turns_back(self, distance: float, *, at_end: bool) -> float:
        """Up to where a free curve that is moved runs from its start before it turns back at its end, as a parameter;
        or from where on it runs to its end. The end itself where it does not turn back there."""
        low, high = (1.0, 0.0) if at_end else (0.0, 1.0)
        if isinstance(self.curve, (Line, Arc)) or self.left(np.array([low]), distance)[0] > 0.0:
            return low
        for _ in range(6):
            t = np.linspace(low, high, 65)
            n = int(np.argmax(self.left(t, distance) > 0.0))
            if n == 0:
                return low
            low, high = float(t[n - 1]), float(t[n])
        return high

    def fold(self, distance: float, t0: float, t1: float) -> float | None:
        """Where between two parameters a free curve is bent most tightly, if more so than it can be moved."""
        t = np.linspace(t0, t1, 65)
        for _ in range(3):
            left = self.left(t, distance)
            worst = int(np.argmin(left))
            if left[worst] <= 0.0 or left[worst] > _NEARLY:
                break
            t = np.linspace(t[max(worst - 1, 0)], t[min(worst + 1, 64)], 65)
        return float(t[worst]) if left[worst] <= 0.0 else None


@dataclass(frozen=True, eq=False)
class _Corner:
    """Where two pieces meet: at `at` when they are moved by `since`, there running into each other or not."""

    a: _Piece
    b: _Piece
    at: Point
    since: float
    runs_on: bool
    params: tuple[float, float]
    """Where on free curves it is, as a first guess."""
    is_fold: bool = False
    """Whether it is where one free curve was parted, as it folds there."""

    @staticmethod
    def of(a: _Piece, b: _Piece, at: Point, since: float, params: tuple[float, float] = (1.0, 0.0)) -> _Corner:
        ways = [_way_at(piece, at, t) for piece, t in zip((a, b), params, strict=True)]
        bent = not (isinstance(a.curve, Line) and isinstance(b.curve, Line))
        return _Corner(a, b, at, since, bent and abs(_turn(*ways)) < _RUNS_ON, params)

    def place(self, distance: float) -> tuple[FloatArray, tuple[float, float]]:
        """The corner (2,) at a distance, nan where the two do not meet, and its parameters on free curves."""
        a, b, nowhere = self.a, self.b, np.full(2, np.nan)
        if self.is_fold:
            return self._crossing(distance) or (nowhere, self.params)
        if self.runs_on:
            ways = [_way_at(p, self.at, t) for p, t in zip((a, b), self.params, strict=True)]
            x, y = ways[0] + ways[1]
            return np.array(self.at) + (distance - self.since) * np.array([-y, x]) / math.hypot(x, y), self.params
        if isinstance(a.curve, (Line, Arc)) and isinstance(b.curve, (Line, Arc)):
            line, arc = (a, b) if isinstance(a.curve, Line) else (b, a)
            if isinstance(line.curve, Line):
                return _line_meets_arc(line, arc, distance, np.array(self.at)), self.params
            return _arcs_meet(a, b, distance, np.array(self.at)), self.params
        found = self._by_newton(distance) or (self._crossing(distance) if self.since else None)
        return found or (nowhere, self.params)

    @property
    def along(self) -> Point | None:
        """How a corner of two lines moves, mm per mm of distance: along the half angle between them, however nearly
        they are one. Nan where they go back on each other; None where a piece is bent, or they run on."""
        if self.runs_on or not (isinstance(self.a.curve, Line) and isinstance(self.b.curve, Line)):
            return None
        (ax, ay), (bx, by) = self.a.way(1.0).tolist(), self.b.way(0.0).tolist()
        share = 1.0 + ax * bx + ay * by
        return ((-ay - by) / share, (ax + bx) / share) if share > HAIR else (math.nan, math.nan)

    def _crossing(self, distance: float) -> tuple[FloatArray, tuple[float, float]] | None:
        """Where the offset of a curve that folds crosses itself: the first meeting of what leads to the fold with what
        leads from it. Where it does not fold yet, the place at which it was parted. So too where the offsets of two
        other pieces meet that were cut back far."""
        before, behind = self.a.turns_back(distance, at_end=True), self.b.turns_back(distance, at_end=False)
        if self.is_fold and before == 1.0 and behind == 0.0:
            return self.a.moved(1.0, distance), (1.0, 0.0)
        close = np.linspace(0.0, 1.0, _FOLD_SAMPLES) ** 2
        lead = before - (before + _RUN_ON) * close[::-1]
        trail = behind + (1.0 + _RUN_ON - behind) * close
        for _ in range(_LOOKS_CLOSER):
            closer = self._meeting(lead, trail, distance)
            if closer is None:
                return None
            lead, trail = (np.linspace(float(some[0]), float(some[-1]), 33) for some in closer)
        s, t = float(lead[16]), float(trail[16])
        near = (self.a.moved(min(s, 1.0), distance), (s, t)) if s >= 0.0 and t <= 1.0 else None
        return self._by_newton(distance, (s, t)) or near

    def _meeting(self, lead: FloatArray, trail: FloatArray, distance: float) -> tuple[FloatArray, FloatArray] | None:
        """Of parameters on both pieces those around the meeting of their offsets that is nearest to where the second
        begins; None where they do not meet."""
        ways = [self.a.offset(lead, distance), self.b.offset(trail, distance)]
        lines = [shapely.LineString(way) for way in ways]
        points = shapely.get_coordinates(shapely.intersection(lines[0], lines[1]))
        if not len(points):
            return None
        at = min(points, key=lambda p: float(np.hypot(*(p - ways[1][0]))))
        out = []
        for some, way, line in zip((lead, trail), ways, lines, strict=True):
            run = np.cumsum(np.hypot(*np.diff(way, axis=0).T))
            n = int(np.searchsorted(run, shapely.line_locate_point(line, shapely.Point(at))))
            out.append(some[max(n - 1, 0) : n + 3])
        return out[0], out[1]

    def _by_newton(
        self, distance: float, guess: tuple[float, float] | None = None
    ) -> tuple[FloatArray, tuple[float, float]] | None:
        """Where the offsets of two pieces meet, one or both of them free; lines are drawn out as far as need be."""
        s, t = guess or self.params
        h = 1e-6
        for _ in range(40):
            here = _offset_point(self.a, s, distance), _offset_point(self.b, t, distance)
            off = here[1] - here[0]
            slopes = np.column_stack(
                [
                    (_offset_point(self.a, s + h, distance) - _offset_point(self.a, s - h, distance)) / (2.0 * h),
                    -(_offset_point(self.b, t + h, distance) - _offset_point(self.b, t - h, distance)) / (2.0 * h),
                ]
            )
            if abs(float(np.linalg.det(slopes))) <= TINY:
                return None
            step = np.linalg.solve(slopes, off)
            s, t = s + float(step[0]), t + float(step[1])
            if float(np.abs(step).max()) < 1e-13:
                break
        inside = all(
            isinstance(p.curve, (Line, Arc)) or -1e-9 <= q <= 1.0 + 1e-9 for p, q in ((self.a, s), (self.b, t))
        )
        gap = float(np.hypot(*(_offset_point(self.a, s, distance) - _offset_point(self.b, t, distance))))
        if not inside or gap > 1e-9 * max(1.0, abs(distance)):
            return None
        return _offset_point(self.a, s, distance), (min(max(s, 0.0), 1.0), min(max(t, 0.0), 1.0))

    @property
    def is_straight(self) -> bool:
        """Whether it goes straight as the pieces move."""
        lines = isinstance(self.a.curve, Line) and isinstance(self.b.curve, Line)
        return lines or (self.runs_on and all(isinstance(p.curve, (Line, Arc)) for p in (self.a, self.b)))

    def speed(self, at: FloatArray, params: tuple[float, float]) -> Point:
        """How the corner moves, mm per mm of distance: both pieces move square to themselves by one."""
        ways = [_way_at(p, (float(at[0]), float(at[1])), t) for p, t in zip((self.a, self.b), params, strict=True)]
        normals = np.array([[-y, x] for x, y in ways])
        if abs(float(np.linalg.det(normals))) < 1e-12:
            x, y = normals.mean(axis=0).tolist()
            return x, y
        x, y = np.linalg.solve(normals, np.ones(2)).tolist()
        return x, y


def _way_at(piece: _Piece, at: Point, t: float) -> FloatArray:
    """The direction of a piece where it passes a place; offsets run alongside."""
    if isinstance(piece.curve, Arc):
        x, y = np.array(at) - piece.centre
        length = max(math.hypot(x, y), TINY)
        return math.copysign(1.0, piece.curve.sweep) * np.array([-y, x]) / length
    return piece.way(t)


def _offset_point(piece: _Piece, t: float, distance: float) -> FloatArray:
    """A point of an offset; free curves run on straight past their ends while a meeting is looked for."""
    if isinstance(piece.curve, (Line, Arc)) or 0.0 <= t <= 1.0:
        return piece.moved(t, distance)
    end = 0.0 if t < 0.0 else 1.0
    d = np.asarray(piece.curve.derivatives(np.array([end])))[0]
    return np.asarray(piece.moved(end, distance) + (t - end) * d)


def _turn(a: FloatArray, b: FloatArray) -> float:
    """By which angle (radians) a direction turns left into another."""
    return math.atan2(float(a[0] * b[1] - a[1] * b[0]), float(a @ b))


def _line_meets_arc(line: _Piece, arc: _Piece, distance: float, before: FloatArray) -> FloatArray:
    """On the same side of the foot of the centre as before."""
    way, centre, radius = line.way(0.0), arc.centre, arc.radius(distance)
    start = line.moved(0.0, distance)
    foot = start + float((centre - start) @ way) * way
    square = radius * radius - float((foot - centre) @ (foot - centre))
    if radius <= 0.0 or square < 0.0:
        return np.full(2, np.nan)
    return np.asarray(foot + math.copysign(math.sqrt(square), float((before - centre) @ way)) * way)


def _arcs_meet(a: _Piece, b: _Piece, distance: float, before: FloatArray) -> FloatArray:
    """On the same side of the line of centres as before."""
    r, s = a.radius(distance), b.radius(distance)
    line = b.centre - a.centre
    apart = float(np.hypot(*line))
    if r <= 0.0 or s <= 0.0 or apart <= TINY:
        return np.full(2, np.nan)
    along = (apart * apart + r * r - s * s) / (2.0 * apart)
    square = r * r - along * along
    if square < 0.0:
        return np.full(2, np.nan)
    way = line / apart
    left = np.array([-way[1], way[0]])
    side = math.copysign(math.sqrt(square), float((before - a.centre) @ left))
    return np.asarray(a.centre + along * way + side * left)


@dataclass(frozen=True, eq=False)
class _Ring:
    """A closed ring of pieces; corner n lies between piece n - 1 and piece n."""

    pieces: tuple[_Piece, ...]
    found: tuple[_Corner, ...]
    size: float
    _seen: dict[float, tuple[FloatArray, list[tuple[float, float]]]] = field(default_factory=dict)

    @staticmethod
    def of(curves: Sequence[Curve], names: Sequence[str], distance: float) -> _Ring:
        """A ring to be moved towards a distance. Where a free curve opens at a corner, tangents are drawn out from it:
        pieces that begin with no length."""
        given = [_Piece(_plain(curve), name) for curve, name in zip(curves, names, strict=True)]
        pieces: list[_Piece] = []
        for n, piece in enumerate(given):
            after = given[(n + 1) % len(given)]
            pieces.append(piece)
            turn = _turn(piece.way(1.0), after.way(0.0))
            if abs(turn) < _RUNS_ON or turn * distance > 0.0:
                continue
            for one, t in ((piece, 1.0), (after, 0.0)):
                if not isinstance(one.curve, (Line, Arc)):
                    (x, y), (dx, dy) = one.ends[int(t)].tolist(), one.way(t).tolist()
                    pieces.append(_Piece(Line(x, y, x + dx, y + dy) if t else Line(x - dx, y - dy, x, y), one.name))
        size = max(float(np.ptp(np.concatenate([p.ends for p in given]), axis=0).max()), LEAST_SIZE)
        places = _first_corners(pieces, given)
        found = tuple(_Corner.of(pieces[n - 1], pieces[n], places[n], 0.0) for n in range(len(pieces)))
        return _Ring(tuple(pieces), found, size)

    @property
    def place(self) -> Point:
        """A place of it on the sheet."""
        return self.found[0].at

    def at(self, distance: float) -> tuple[FloatArray, list[tuple[float, float]]]:
        """The corners (n, 2) at a distance, and their parameters; asked for several times at the ends of a stage."""
        if distance not in self._seen:
            bases, since, along, others = self._corners
            corners, params = bases + (distance - since) * along, [corner.params for corner in self.found]
            for n in others:
                corners[n], params[n] = self.found[n].place(distance)
            self._seen[distance] = corners, params
        return self._seen[distance]

    @cached_property
    def _corners(self) -> tuple[FloatArray, FloatArray, FloatArray, list[int]]:
        """Where the corners begin (n, 2), at which distance (n, 1), how they move on (n, 2); and the numbers of those
        that do not move so, for a piece is bent."""
        moves = [corner.along for corner in self.found]
        return (
            np.array([corner.at for corner in self.found]),
            np.array([[corner.since] for corner in self.found]),
            np.array([move or (0.0, 0.0) for move in moves]),
            [n for n, move in enumerate(moves) if move is None],
        )

    @cached_property
    def _lines(self) -> tuple[list[int], FloatArray]:
        """The numbers of the pieces that are lines, and their ways (k, 2)."""
        lines = [n for n, piece in enumerate(self.pieces) if isinstance(piece.curve, Line)]
        return lines, np.array([self.pieces[n].way(0.0) for n in lines]).reshape(-1, 2)

    def lengths(self, distance: float) -> FloatArray:
        """How much is left of each piece (n,), as a share of the ring or a turn: nothing where it is not positive, nan
        where its ends are nowhere."""
        corners, params = self.at(distance)
        out = np.zeros(len(self.pieces))
        lines, ways = self._lines
        out[lines] = ((np.roll(corners, -1, axis=0) - corners)[lines] * ways).sum(axis=1) / self.size
        for n, piece in enumerate(self.pieces):
            after = (n + 1) % len(self.pieces)
            a, b = corners[n], corners[after]
            if isinstance(piece.curve, Line):
                continue
            if isinstance(piece.curve, Arc):
                sweep = self._sweep(n, distance, a, b)[1] * math.copysign(1.0, piece.curve.sweep)
                out[n] = min(piece.radius(distance) / self.size, sweep)
            else:
                t0, t1 = params[n][1], params[after][0]
                folds = t1 > t0 and piece.fold(distance, *self._within(n, t0, t1)) is not None
                out[n] = -1.0 if folds else t1 - t0
        return out

    def _within(self, n: int, t0: float, t1: float) -> tuple[float, float]:
        """Between which parameters a piece is asked whether it folds: not beside a fold, where it does."""
        near = _NEAR_FOLD * (t1 - t0)
        return t0 + near * self.found[n].is_fold, t1 - near * self.found[(n + 1) % len(self.pieces)].is_fold

    def _sweep(self, n: int, distance: float, a: FloatArray, b: FloatArray) -> tuple[float, float]:
        """The start angle and the sweep of an arc between two corners."""
        piece, after = self.pieces[n], self.found[(n + 1) % len(self.pieces)]
        assert isinstance(piece.curve, Arc)
        ends = []
        for corner, at, angle in (
            (self.found[n], a, piece.curve.start_angle),
            (after, b, piece.curve.start_angle + piece.curve.sweep),
        ):
            if corner.runs_on and corner.since == 0.0:
                ends.append(angle)
                continue
            x, y = (at - piece.centre).tolist()
            turned = math.remainder(math.atan2(y, x) - angle, 2.0 * math.pi)
            ends.append(angle + turned)
        return ends[0], ends[1] - ends[0]

    def holds_to(self, since: float, distance: float) -> float:
        """The distance up to which every piece keeps some length: `distance` itself, or that of the next event."""
        if self._holds(distance):
            return distance
        low, high = since, distance
        for _ in range(_HALVINGS):
            middle = (low + high) / 2.0
            low, high = (middle, high) if self._holds(middle) else (low, middle)
        return low

    def _holds(self, distance: float) -> bool:
        return bool((self.lengths(distance) > 0.0).all())

    def without_vanished(self, distance: float) -> _Ring:
        """The ring without the pieces that have shrunk to a point at a distance; itself where none has. Raises ClosesUp
        where nothing would be left, or it does not go on otherwise."""
        gone = self._gone(distance)
        if not gone.any():
            return self
        corners, params = self.at(distance)
        kept = np.flatnonzero(~gone).tolist()
        left = [self.pieces[n] for n in kept]
        if len(left) < 2 or (len(left) == 2 and all(isinstance(p.curve, Line) for p in left)):
            raise ClosesUp(distance, self._middle(corners))
        found = []
        for n, here in enumerate(kept):
            before = kept[n - 1]
            if (before + 1) % len(self.pieces) == here:
                found.append(self.found[here])
                continue
            x, y = ((corners[(before + 1) % len(self.pieces)] + corners[here]) / 2.0).tolist()
            ts = (params[(before + 1) % len(self.pieces)][0], params[here][1])
            found.append(_Corner.of(self.pieces[before], self.pieces[here], (x, y), distance, ts))
        return _Ring(tuple(left), tuple(found), self.size)

    def parted(self, distance: float, towards: float) -> _Ring:
        """The ring with its free curves parted where they fold from this distance on, or with the corner there as a
        fold where one begins or ends there; itself where none does."""
        beyond = distance + _JUST_BEYOND * (towards - distance)
        corners, params = self.at(distance)
        pieces: list[_Piece] = []
        found: list[_Corner] = []
        parted: list[float | None] = []
        folds: set[int] = set()
        for n, piece in enumerate(self.pieces):
            after = (n + 1) % len(self.pieces)
            t0, t1 = params[n][1], params[after][0]
            at = None if isinstance(piece.curve, (Line, Arc)) else piece.fold(beyond, *self._within(n, t0, t1))
            share = 0.5 if at is None else (at - t0) / (t1 - t0)
            at_end = share < _AT_END or share > 1.0 - _AT_END
            if at_end:
                folds.add(n if share < _AT_END else after)
            parted.append(None if at_end else at)
        if not folds and not any(parted):
            return self
        for n, piece in enumerate(self.pieces):
            corner, at, before = self.found[n], parted[n], parted[n - 1]
            s, t = params[n]
            halves = [piece]
            if at is not None:
                halves = [_Piece(_part(piece.curve, *some), piece.name) for some in ((0.0, at), (at, 1.0))]
            last = pieces[-1] if pieces else None
            found.append(
                replace(
                    corner,
                    a=last or corner.a,
                    b=halves[0],
                    params=(s if before is None else (s - before) / (1.0 - before), t if at is None else t / at),
                )
            )
            if n in folds:
                x, y = corners[n].tolist()
                found[-1] = replace(found[-1], at=(x, y), since=distance, runs_on=False, is_fold=True)
            if at is not None:
                x, y = piece.moved(at, distance).tolist()
                found.append(_Corner(halves[0], halves[1], (x, y), distance, False, (1.0, 0.0), True))
            pieces += halves
        found[0] = replace(found[0], a=pieces[-1])
        return _Ring(tuple(pieces), tuple(found), self.size)

    def _gone(self, distance: float) -> BoolArray:
        corners, _ = self.at(distance)
        across = np.hypot(*(np.roll(corners, -1, axis=0) - corners).T)
        lengths = self.lengths(distance)
        whole = np.array([_is_wide(p, float(length)) for p, length in zip(self.pieces, lengths, strict=True)])
        return np.asarray((across <= _GONE * self.size) & ~whole)

    def _middle(self, corners: FloatArray) -> Point:
        x, y = np.nanmean(corners, axis=0).tolist()
        return x, y

    def curves(self, distance: float) -> list[Curve]:
        """The pieces at a distance, without what has no length."""
        corners, params = self.at(distance)
        ends = [self._end(n, distance, corners, params) for n in range(len(self.pieces))]
        return [end for end in ends if not isinstance(end, tuple)]

    def _end(
        self, n: int, distance: float, corners: FloatArray, params: Sequence[tuple[float, float]]
    ) -> Curve | Point:
        piece, after = self.pieces[n], (n + 1) % len(self.pieces)
        a, b = corners[n], corners[after]
        if isinstance(piece.curve, Line):
            (x0, y0), (x1, y1) = self._own(n, 0.0, distance, a), self._own(n, 1.0, distance, b)
            return Line(x0, y0, x1, y1) if math.hypot(x1 - x0, y1 - y0) > HAIR * self.size else (x0, y0)
        if isinstance(piece.curve, Arc):
            start, sweep = self._sweep(n, distance, a, b)
            return Arc(piece.curve.cx, piece.curve.cy, piece.radius(distance), start, sweep)
        t0, t1 = params[n][1], params[after][0]
        if t1 - t0 <= HAIR:
            x, y = ((a + b) / 2.0).tolist()
            return x, y
        part = _part(piece.curve, t0, t1)
        return part if distance == 0.0 else offset_spline(part, distance, tol=self.size * _OFFSET_SHARE)

    def _own(self, n: int, t: float, distance: float, corner: FloatArray) -> Point:
        """An end of a line: the corner; where it runs into a bent neighbour its own, so that it stays parallel, or, if
        they are too far apart for that, the neighbour's."""
        found = self.found[(n + int(t)) % len(self.pieces)]
        place = corner
        if found.runs_on and found.since == 0.0:
            other, end = (found.a, 1.0) if t == 0.0 else (found.b, 0.0)
            theirs = other.moved(end, distance)
            at, way = np.array(found.at), self.pieces[n].way(0.0)
            place = at + distance * np.array([-way[1], way[0]])
            if float(np.hypot(*(theirs - place))) > _LET_PASS:
                place = theirs
        return float(place[0]), float(place[1])

    def between(self, start: float, end: float, *, gone: bool) -> tuple[Lean, ...]:
        """What becomes of each piece between two distances; `gone`: those that have shrunk to a point end in it."""
        low, high = self.at(start), self.at(end)
        half = self.at((start + end) / 2.0)
        vanished = self._gone(end) if gone else np.zeros(len(self.pieces), bool)
        out = []
        for n, piece in enumerate(self.pieces):
            bottom, top = self._end(n, start, *low), self._end(n, end, *high)
            if vanished[n]:
                top = tuple(((high[0][n] + high[0][(n + 1) % len(self.pieces)]) / 2.0).tolist())
            corner = None
            found = self.found[n]
            if not found.runs_on and any(isinstance(p.curve, Arc) for p in (found.a, found.b)):
                ways = [found.speed(some[0][n], some[1][n]) for some in (low, high)]
                corner = (ways[0], ways[1], (float(half[0][n, 0]), float(half[0][n, 1])))
            out.append(Lean(bottom, top, piece.name, corner))
        return tuple(out)


_GONE = 1e-6
"""A piece has shrunk to a point whose ends are no further apart than this share of the ring."""


def _is_wide(piece: _Piece, length: float) -> bool:
    """Whether an arc goes so far round that its ends may be one without it having shrunk."""
    return isinstance(piece.curve, Arc) and abs(piece.curve.sweep) > math.pi and length > 0.1


def _first_corners(pieces: Sequence[_Piece], given: Sequence[_Piece]) -> list[Point]:
    """Where each piece begins: its own start; of a tangent drawn out, the end that it is drawn from."""
    out: list[Point] = []
    at = given[0].ends[0]
    for piece in pieces:
        out.append((float(at[0]), float(at[1])))
        if any(piece is one for one in given):
            at = piece.ends[1]
    return out


def _plain(curve: Curve) -> Curve:
    """A line or an arc as it is, any other curve as a spline: its parameters are what parts of it are cut by."""
    return curve if isinstance(curve, (Line, Arc)) else as_spline(curve)


def _part(curve: Curve, t0: float, t1: float) -> Spline:
    spline = as_spline(curve)
    return spline if t0 <= 0.0 and t1 >= 1.0 else spline.part(max(t0, 0.0), min(t1, 1.0))


def _check_apart(rings: Sequence[_Ring], start: float, end: float) -> None:
    """Raises ClosesUp with the distance at which rings cross themselves or each other between two distances."""
    if _apart(rings, end):
        return
    low, high = start, end
    for _ in range(40):
        middle = (low + high) / 2.0
        low, high = (middle, high) if _apart(rings, middle) else (low, middle)
    beyond = _flat(rings, high + 1e-3 * (end - high))
    reason = shapely.is_valid_reason(shapely.Polygon(beyond[0], beyond[1:])) if beyond else ""
    found = re.search(r"\[(\S+) (\S+)\]", reason)
    raise ClosesUp(low, (float(found[1]), float(found[2])) if found else rings[0].place)


def _apart(rings: Sequence[_Ring], distance: float) -> bool:
    """Whether rings, moved by a distance, are one outline with holes that touch nowhere."""
    flat = _flat(rings, distance)
    if flat is None:
        return False
    shape = shapely.Polygon(flat[0], flat[1:])
    return bool(shape.is_valid and shape.area > LEAST_AREA)


def _flat(rings: Sequence[_Ring], distance: float) -> list[FloatArray] | None:
    """Rings at a distance by straight pieces; None where one is nothing."""
    flat = []
    for ring in rings:
        table = CurveTable.of(ring.curves(distance))
        if not len(table):
            return None
        points, offsets = table.flatten(ring.size * 1e-4)
        points = np.delete(points, offsets[1:] - 1, axis=0)
        steps = np.hypot(*(points - np.roll(points, 1, axis=0)).T)
        apart = points[steps > _AS_ONE * ring.size]
        points = apart if len(apart) > 2 else points
        if len(points) < 3:
            return None
        flat.append(points)
    return flat
