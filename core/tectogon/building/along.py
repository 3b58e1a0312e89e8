"""Profiles carried along a path, as features: prisms along its lines, bodies of revolution about its arcs, and surfaces
through many sections along free curves, all in one skin. Their volume follows by Pappus: area times the way of the
centroid."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray, after, apply, mirrors, moved, turned
from tectogon.curves.moments import area_moments
from tectogon.errors import KernelRefused, NotPossible, Place
from tectogon.profiles import Region, Regions
from tectogon.profiles.paths import Path, way_at, ways_along
from tectogon.profiles.rings import rings_of
from tectogon.solids import proof
from tectogon.solids.features import Feature
from tectogon.solids.prism import place_of
from tectogon.solids.pulled import pulled
from tectogon.solids.skin import Patch, Skin, Span, Turn, volume_of
from tectogon.solids.skinned import skinned
from tectogon.tolerances import HAIR, KERNEL_TOL
from tectogon.views import Frame, frame_of

_MOST_TURN = math.pi * 0.75
"""A longer arc is made of several (radians)."""
_FREE_TOL = 1e-6
_MOST_STATIONS = 257
_MOST_PLACES = 8
"""At so many places of a path it is asked whether the profile is there."""
_LEAST_ADVANCE = 0.05
"""How far a path must get on at least, square to a profile that is kept parallel, per mm of its length."""


@dataclass(frozen=True, eq=False)
class Carried:
    """A profile to be carried: its rings in the plane square to the path, the path at the origin, x to its left and y
    towards the viewer of the path's plane; the ids of its pieces; and where it comes from."""

    rings: list[list[Curve]]
    names: list[list[str]]
    profile: str
    place: Place
    inside: tuple[float, float]

    @property
    def across(self) -> tuple[float, float]:
        """How far it reaches to the right (negative) and to the left of the path, mm."""
        x0, _, x1, _ = CurveTable.of(self.rings[0]).extents.tolist()
        return x0, x1

    @property
    def moments(self) -> tuple[float, float, float]:
        """Area (mm²) and centroid (mm)."""
        area, sx, sy = area_moments(CurveTable.of([c for ring in self.rings for c in ring])).sum(axis=0).tolist()
        return area, sx / area, sy / area


def carried(
    regions: Regions,
    region: Region,
    held: tuple[float, float] = (0.0, 0.0),
    angle: float = 0.0,
    change: FloatArray | None = None,
) -> Carried:
    """A region held by a point of it (mm on its sheet) and turned about that (radians), or changed by a matrix (2, 3)
    that keeps its sizes."""
    if change is None:
        change = after(turned(angle), moved(-held[0], -held[1]))
    rings, names = rings_of(regions, region)
    x, y = apply(change, np.array(region.inside)).tolist()
    rings = [CurveTable.of(ring).transformed(change).curves() for ring in rings]
    if mirrors(change):
        rings = [[c.reversed() for c in ring[::-1]] for ring in rings]
        names = [ring[::-1] for ring in names]
    return Carried(rings, names, region.id, place_of(regions, region), (x, y))


def centred(regions: Regions, region: Region) -> Carried:
    """A region held by its centroid."""
    return carried(regions, region, region.centroid)


def swept_along(
    profile: Carried, path: Path, *, step: int, plane: Frame | None = None, parallel: bool = False
) -> Feature:
    """A proven body: the profile square to the path everywhere, its corners mitred; or `parallel` to how it stands at
    the start.

    Raises NotPossible naming the place where the path bends more tightly than the profile allows, or comes too near to
    itself; KernelRefused.
    """
    plane = plane or frame_of("top")
    _check_onwards(path) if parallel else _check_room(profile, path)
    if not parallel and _runs_smoothly(path):
        return _pulled_along(profile, path, plane, step)
    wanted = _by_cavalieri(profile, path) if parallel else _by_pappus(profile, path)
    free = any(not isinstance(c, Line if parallel else (Line, Arc)) for c in path.curves)
    stations = 9
    while True:
        skin = (_parallel_skin if parallel else _skin)(profile, path, plane, stations)
        expected = volume_of(skin)
        if not free or abs(expected - wanted) <= _FREE_TOL * abs(wanted) or stations >= _MOST_STATIONS:
            break
        stations = 2 * stations - 1
    if abs(expected - wanted) > 1e-4 * abs(wanted):
        raise KernelRefused(
            f"Along this path the body would have {expected:.3f} mm³ where area times way gives {wanted:.3f} mm³; it"
            " was not kept.",
            profile.place,
        )
    named = skinned(skin, step, profile.profile, profile.place)
    witnesses = _witnesses(profile, skin.frames[1:-1] or skin.frames[:1])
    return Feature(named, expected, witnesses, profile.place).proven()


def _witnesses(profile: Carried, frames: Sequence[Frame]) -> tuple[proof.Witness, ...]:
    """Points of the profile a little way on from some of its places, known to lie in the body."""
    share = 1e-3 * math.sqrt(profile.moments[0])
    return tuple(proof.Witness(f.at(*profile.inside, share), True, (profile.profile,)) for f in frames)


def _runs_smoothly(path: Path) -> bool:
    """Whether an open path is made of lines and arcs that go on in each other's direction."""
    return not path.closed and all(
        isinstance(c, (Line, Arc)) and not path.turn(n) and c.length > KERNEL_TOL for n, c in enumerate(path.curves)
    )


def _pulled_along(profile: Carried, path: Path, plane: Frame, step: int) -> Feature:
    """A profile along a path that has room for it and runs smoothly: as sound as the profile."""
    pieces = [part for curve in path.curves for part in _short(curve)]
    ends = plane.place(np.array([[p.x1 - p.x0, p.y1 - p.y0] if isinstance(p, Line) else [0.0, 0.0] for p in pieces]))
    runs = (ends - plane.place(np.zeros(2))).tolist()
    ways = [_turn(plane, p) if isinstance(p, Arc) else (x, y, z) for p, (x, y, z) in zip(pieces, runs, strict=True)]
    frames = [_frame(plane, piece, 0.0, 0.0) for piece in pieces[:: math.ceil(len(pieces) / _MOST_PLACES)]]
    named = pulled(profile.rings, profile.names, frames[0], ways, step, profile.profile, profile.place)
    witnesses = _witnesses(profile, frames)
    return Feature(named, _by_pappus(profile, path), witnesses, profile.place, sound=True).proven()


def _by_pappus(profile: Carried, path: Path) -> float:
    """Area times the way of the centroid, which lies `x` to the left of the path: shorter by that times the angle by
    which the path turns left; at a mitred corner by twice the tangent of half of it."""
    area, x, _ = profile.moments
    way = path.length
    for n, curve in enumerate(path.curves):
        way -= 2.0 * x * math.tan(path.turn(n) / 2.0)
        if isinstance(curve, Arc):
            way -= x * curve.sweep
        elif not isinstance(curve, Line):
            way -= x * _turned_by(curve)
    return area * way


def _by_cavalieri(profile: Carried, path: Path) -> float:
    """Area times how far the path gets, square to the profile."""
    start, end = (np.asarray(c.points(np.array([t])))[0] for c, t in ((path.curves[0], 0.0), (path.curves[-1], 1.0)))
    return profile.moments[0] * float((end - start) @ way_at(path.curves[0], 0.0))


def _check_onwards(path: Path) -> None:
    """Raises NotPossible where a path turns so far that a profile kept parallel would not go on."""
    first = way_at(path.curves[0], 0.0)
    for curve in path.curves:
        for t in np.linspace(0.0, 1.0, 2 if isinstance(curve, Line) else 33).tolist():
            if float(way_at(curve, t) @ first) <= _LEAST_ADVANCE:
                x, y = np.asarray(curve.points(np.array([t])))[0].tolist()
                raise NotPossible(
                    f"Kept parallel, the profile does not get on near x {x:.2f}, y {y:.2f} mm, where the path has"
                    " turned by a right angle; choose “square to it”.",
                    Place(point=(x, y)),
                )


def _parallel_skin(profile: Carried, path: Path, plane: Frame, stations: int) -> Skin:
    """The sections of a profile that is only shifted: at every joint, and along what is bent at so many stations."""
    first = _frame(plane, path.curves[0], 0.0, 0.0)

    def at(curve: Curve, t: float) -> Frame:
        x, y, z = plane.place(np.asarray(curve.points(np.array([t])))[0]).tolist()
        return replace(first, origin=(x, y, z))

    frames, spans = [first], []
    for curve in path.curves:
        heights = None if isinstance(curve, Line) else np.linspace(0.0, 1.0, stations)
        between = () if heights is None else tuple(at(curve, t) for t in heights[1:-1].tolist())
        rings = tuple(
            tuple(Patch(c, c, name, None, (c,) * len(between)) for c, name in zip(ring, names, strict=True))
            for ring, names in zip(profile.rings, profile.names, strict=True)
        )
        spans.append(Span(rings, None, between, heights))
        frames.append(at(curve, 1.0))
    return Skin(tuple(frames), tuple(spans))


def _turned_by(curve: Curve) -> float:
    """By which angle (radians) a free curve turns left from its start to its end."""
    d = np.asarray(curve.derivatives(np.linspace(0.0, 1.0, 513)))
    return float(np.sum(np.diff(np.unwrap(np.arctan2(d[:, 1], d[:, 0])))))


def _check_room(profile: Carried, path: Path) -> None:
    low, high = profile.across
    for curve in path.curves:
        t = np.linspace(0.0, 1.0, 2 if isinstance(curve, (Line, Arc)) else 129)
        bend = _bend(curve, t)
        tight = np.maximum(bend * high, bend * low)
        if tight.max() >= 1.0 - HAIR:
            x, y = np.asarray(curve.points(t[[int(tight.argmax())]]))[0].tolist()
            radius = 1.0 / abs(float(bend[int(tight.argmax())]))
            reach = high if bend[int(tight.argmax())] > 0 else -low
            raise NotPossible(
                f"The path bends with a radius of {radius:.4g} mm near x {x:.2f}, y {y:.2f} mm, and the profile reaches"
                f" {reach:.4g} mm to that side; take a larger radius or a smaller profile.",
                Place(point=(x, y)),
            )
    for n, curve in enumerate(path.curves):
        goes_on = path.closed or n + 1 < len(path.curves)
        ends = (path.turn(n), path.turn((n + 1) % len(path.curves)) if goes_on else 0.0)
        if any(ends) and not isinstance(curve, Line):
            at = 0.0 if ends[0] else 1.0
            x, y = np.asarray(curve.points(np.array([at])))[0].tolist()
            raise NotPossible(
                f"The path has a corner at a curve, at x {x:.2f}, y {y:.2f} mm: only lines can be mitred. Choose"
                " rounded corners.",
                Place(point=(x, y)),
            )
        left = curve.length - max(side * sum(math.tan(e / 2.0) for e in ends) for side in (low, high))
        if left <= HAIR:
            x, y = np.asarray(curve.points(np.array([0.5])))[0].tolist()
            raise NotPossible(
                f"Between two corners near x {x:.2f}, y {y:.2f} mm the path is too short for this profile: its mitres"
                " would cross.",
                Place(point=(x, y)),
            )
    _check_apart(path, low, high)


def _check_apart(path: Path, low: float, high: float) -> None:
    """Raises NotPossible where what the profile covers along the path would cover itself."""
    sides: list[list[FloatArray]] = [[], []]
    count = len(path.curves)
    for n, curve in enumerate(path.curves):
        t = np.linspace(0.0, 1.0, 2 if isinstance(curve, Line) else 33)
        ways = ways_along(curve, t)
        stretch = np.ones(len(t))
        turns = (path.turn(n), path.turn((n + 1) % count) if path.closed or n + 1 < count else 0.0)
        for k, turn in ((0, turns[0]), (-1, turns[1])):
            if turn:
                half = turn / 2.0 * (-1.0 if k == 0 else 1.0)
                ways[k] = np.array([[math.cos(half), -math.sin(half)], [math.sin(half), math.cos(half)]]) @ ways[k]
                stretch[k] = 1.0 / math.cos(turn / 2.0)
        normals = np.column_stack([-ways[:, 1], ways[:, 0]]) * stretch[:, None]
        points = np.asarray(curve.points(t))
        for some, reach in zip(sides, (low, high), strict=True):
            some.append((points + reach * normals)[: None if n + 1 == count and not path.closed else -1])
    right, left = (np.concatenate(some) for some in sides)
    if path.closed:
        outer, inner = sorted((shapely.Polygon(right), shapely.Polygon(left)), key=lambda p: -p.area)
        shape = shapely.Polygon(outer.exterior, [inner.exterior])
        whole = outer.is_valid and inner.is_valid and shape.is_valid
    else:
        shape = shapely.Polygon(np.concatenate([right, left[::-1]]))
        whole = shape.is_valid
    if not whole:
        found = shapely.is_valid_reason(shape).partition("[")[2].rstrip("]").split()
        x, y = (float(v) for v in found[:2]) if len(found) >= 2 else (0.0, 0.0)
        raise NotPossible(
            f"The path comes so near to itself at x {x:.2f}, y {y:.2f} mm that the profile would run into what it has"
            " made already; take a smaller profile or another path.",
            Place(point=(x, y)),
        )


def _bend(curve: Curve, t: FloatArray) -> FloatArray:
    """Curvature (k,) to the left, 1/mm."""
    if isinstance(curve, Line):
        return np.zeros(len(t))
    if isinstance(curve, Arc):
        return np.full(len(t), math.copysign(1.0 / curve.radius, curve.sweep))
    a, b = (np.asarray(curve.derivatives(np.clip(t + s, 0.0, 1.0))) for s in (-1e-4, 1e-4))
    turn = np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], (a * b).sum(axis=1))
    step = np.clip(t + 1e-4, 0.0, 1.0) - np.clip(t - 1e-4, 0.0, 1.0)
    return np.asarray(turn / np.maximum(np.hypot(*((a + b) / 2.0).T) * step, HAIR))


def _skin(profile: Carried, path: Path, plane: Frame, stations: int) -> Skin:
    """The sections along a path and what lies between them; free curves through so many."""
    pieces = [part for curve in path.curves for part in _short(curve)]
    turns: list[float] = []
    for n, curve in enumerate(path.curves):
        turns += [path.turn(n)] + [0.0] * (len(_short(curve)) - 1)
    frames: list[Frame] = []
    sections: list[list[list[Curve]]] = []
    for piece, turn in zip(pieces, turns, strict=True):
        frames.append(_frame(plane, piece, 0.0, turn))
        sections.append(_stretched(profile.rings, turn))
    if path.closed:
        frames.append(frames[0])
        sections.append(sections[0])
    else:
        frames.append(_frame(plane, pieces[-1], 1.0, 0.0))
        sections.append(profile.rings)
    spans = [_span(profile, plane, piece, (sections[n], sections[n + 1]), stations) for n, piece in enumerate(pieces)]
    return Skin(tuple(frames), tuple(spans), path.closed)


def _short(curve: Curve) -> list[Curve]:
    """A curve as pieces that turn by less than three quarters of half a turn."""
    if not isinstance(curve, Arc) or abs(curve.sweep) <= _MOST_TURN:
        return [curve]
    count = math.ceil(abs(curve.sweep) / _MOST_TURN)
    part = curve.sweep / count
    return [Arc(curve.cx, curve.cy, curve.radius, curve.start_angle + n * part, part) for n in range(count)]


def _frame(plane: Frame, curve: Curve, t: float, turn: float) -> Frame:
    """The plane square to a path at a point of it; in a corner, half way between both sides."""
    way = way_at(curve, t)
    if turn:
        half = -turn / 2.0
        way = np.array([[math.cos(half), -math.sin(half)], [math.sin(half), math.cos(half)]]) @ way
    point = np.asarray(curve.points(np.array([t])))[0]
    base = plane.place(np.zeros(2))
    x = plane.place(np.array([-way[1], way[0]])) - base
    (a, b, c), (d, e, f) = plane.place(point).tolist(), x.tolist()
    return Frame((a, b, c), (d, e, f), plane.normal)


def _stretched(rings: list[list[Curve]], turn: float) -> list[list[Curve]]:
    """A profile as a mitred corner cuts it: wider by the cosine of half the turn."""
    if not turn:
        return rings
    wide = np.array([[1.0 / math.cos(turn / 2.0), 0.0, 0.0], [0.0, 1.0, 0.0]])
    return [CurveTable.of(ring).transformed(wide).curves() for ring in rings]


def _span(
    profile: Carried, plane: Frame, piece: Curve, ends: tuple[list[list[Curve]], list[list[Curve]]], stations: int
) -> Span:
    between: Sequence[Frame] = ()
    heights = None
    if not isinstance(piece, (Line, Arc)):
        heights = np.linspace(0.0, 1.0, stations)
        between = [_frame(plane, piece, t, 0.0) for t in heights[1:-1].tolist()]
    rings = []
    for ring, low, high, names in zip(profile.rings, *ends, profile.names, strict=True):
        rings.append(
            tuple(
                Patch(a, b, name, None, (curve,) * len(between))
                for curve, a, b, name in zip(ring, low, high, names, strict=True)
            )
        )
    turn = _turn(plane, piece) if isinstance(piece, Arc) else None
    return Span(tuple(rings), turn, tuple(between), heights)


def _turn(plane: Frame, arc: Arc) -> Turn:
    """The turn in space that follows an arc of a plane."""
    x, y, z = plane.place(np.array([arc.cx, arc.cy])).tolist()
    n = math.copysign(1.0, arc.sweep) * np.array(plane.normal)
    return Turn((x, y, z), (float(n[0]), float(n[1]), float(n[2])), abs(arc.sweep))
