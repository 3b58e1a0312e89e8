"""Profiles raised with leaning sides, or to a point, as features.

Their volume is that of the areas of the moved outline, integrated over the height; to a point a third of area times
height.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.spline import gauss_nodes
from tectogon.errors import KernelRefused, NotPossible, Place
from tectogon.profiles import Region, Regions
from tectogon.profiles.leaning import ClosesUp, Lean, Leaning, Stage, leaning
from tectogon.profiles.pinch import pinch_of
from tectogon.profiles.rings import rings_of
from tectogon.solids import proof
from tectogon.solids.combine import unified
from tectogon.solids.features import Feature
from tectogon.solids.prism import place_of
from tectogon.solids.skin import Conic, Patch, Skin, Span, volume_of
from tectogon.solids.skinned import skinned
from tectogon.tolerances import HAIR, ROUNDING
from tectogon.views import Frame
from tectogon.workpiece.model import Workpiece

_ORDER = 16
_FREE_TOL = 5e-5
"""How far the volume of a taper may be off from the areas of the moved outline where it has free curves, as a share:
between two heights those are ruled, which moved curves are not where they are cut back. More heights are taken until it
is less."""
_MOST_SLABS = 32


@dataclass(frozen=True)
class Sides:
    """How the sides of a solid stand: leaning in by an angle (degrees, negative out) away from where it starts, or
    running to a point over the centroid of the profile, or over a place on the sheet."""

    angle: float = 0.0
    to_point: bool = False
    over: tuple[float, float] | None = None
    true_at: float | None = None
    """The height (mm) at which a cut is true in size; its sides lean one way through it."""

    @property
    def upright(self) -> bool:
        """Whether they stand straight."""
        return not self.to_point and self.angle == 0.0


UPRIGHT = Sides()
"""Sides that stand straight."""


def tapers(
    workpiece: Workpiece, regions: Sequence[Region], spans: Sequence[tuple[float, float]], sides: Sides, step: int
) -> list[Feature]:
    """A proven solid for each region between its own two heights (mm over its plane), true in size where it starts: at
    the first height, or in its own plane where that lies between the two.

    Raises NotPossible naming the height at which a profile would close up, and KernelRefused naming the curves.
    """
    out = []
    for region, (start, end) in zip(regions, spans, strict=True):
        drawing, frame = workpiece.drawing.regions_of(region), workpiece.frame_of(region)
        pinch = pinch_of(drawing, region)
        if pinch is not None:
            x, y = pinch[1]
            raise NotPossible(
                f"The profile pinches to a point at x {x:.3f}, y {y:.3f} mm: sides that lean would tear it apart there."
                " Part it first, or raise it with upright sides.",
                Place(place_of(drawing, region).curves, (x, y)),
            )
        make = _to_point if sides.to_point else _leaning
        out.append(make(drawing, region, frame, (start, end), sides, step))
    return out


def _to_point(
    regions: Regions, region: Region, frame: Frame, span: tuple[float, float], sides: Sides, step: int
) -> Feature:
    place = place_of(regions, region)
    rings, names = rings_of(regions, region)
    tip = sides.over or region.centroid
    start, end = span
    low, high = min(span), max(span)
    patches = []
    for ring, some in zip(rings, names, strict=True):
        pairs = [(curve, tip) if start < end else (tip, curve) for curve in ring]
        patches.append(tuple(Patch(a, b, name) for (a, b), name in zip(pairs, some, strict=True)))
    skin = Skin((at_height(frame, low), at_height(frame, high)), (Span(tuple(patches)),))
    named = skinned(skin, step, region.id, place)
    witnesses = []
    for share in (0.05, 0.5, 0.9):
        x, y = (np.array(region.inside) + share * (np.array(tip) - np.array(region.inside))).tolist()
        witnesses.append(proof.Witness(frame.at(x, y, start + share * (end - start)), True, (region.id,)))
    return Feature(named, region.area * (high - low) / 3.0, tuple(witnesses), place).proven()


def _leaning(
    regions: Regions, region: Region, frame: Frame, span: tuple[float, float], sides: Sides, step: int
) -> Feature:
    place = place_of(regions, region)
    rings, names = rings_of(regions, region)
    start, end = span
    base = 0.0 if start * end < 0.0 else start
    if sides.true_at is not None:
        base = min(max(sides.true_at, min(span)), max(span))
    lean = math.tan(math.radians(sides.angle))
    ways = []
    for to in sorted({start, end} - {base}):
        onwards = sides.true_at is None or (to - base) * (end - start) > 0.0
        try:
            moved = leaning(rings, names, (lean if onwards else -lean) * abs(to - base))
        except ClosesUp as problem:
            raise _closes(problem, abs(to - base), abs(problem.distance / lean), place) from None
        ways.append((moved, _Heights(frame, base, math.copysign(1.0 / abs(lean), to - base))))
    volume = sum(_integrated(moved, stage) for moved, _ in ways for stage in moved.stages) / abs(lean)
    witnesses = tuple(w for moved, heights in ways for w in _witnesses(moved, heights, region))
    free = any(not isinstance(curve, (Line, Arc)) for ring in rings for curve in ring)
    skin = _skin(ways, slabs=1, straight=free)
    expected = volume_of(skin) if free else volume
    slabs = 1
    while abs(expected - volume) > _FREE_TOL * volume and slabs < _MOST_SLABS:
        slabs *= 2
        skin = _skin(ways, slabs=slabs, straight=True)
        expected = volume_of(skin)
    if abs(expected - volume) > _FREE_TOL * volume:
        raise KernelRefused(
            f"The leaning sides would enclose {expected:.3f} mm³ where the moved outline gives {volume:.3f} mm³; the"
            " body was not kept. Lean less, or make lines and arcs of the free curves first (Tidy, smooth).",
            place,
        )
    named = skinned(skin, step, region.id, place)
    if len(skin.spans) > 1:
        named = unified(named)
    return Feature(named, expected, witnesses, place).proven()


def _skin(ways: Sequence[tuple[Leaning, _Heights]], *, slabs: int, straight: bool) -> Skin:
    """Outlines on their way down and up from one plane as one skin, each stage in so many slabs; `straight`: its rises
    are straight lines, whatever its corners do."""
    frames: list[Frame] = []
    spans: list[Span] = []
    for moved, heights in ways:
        stages = [part for stage in moved.stages for part in moved.parts(stage, slabs)]
        done = [_span(stage, heights, straight=straight) for stage in stages]
        planes = [heights.frame(0.0), *(heights.frame(stage.end) for stage in stages)]
        if heights.rise < 0:
            done, planes = done[::-1], planes[::-1]
        spans += done
        frames += planes[1:] if frames else planes
    return Skin(tuple(frames), tuple(spans))


def _closes(problem: ClosesUp, wanted: float, height: float, place: Place) -> NotPossible:
    x, y = problem.at
    return NotPossible(
        f"The profile closes up {height:.4g} mm from where it starts, near x {x:.2f}, y {y:.2f} mm, and {wanted:.4g} mm"
        " are asked for. Lean less, or go less far.",
        Place(place.curves, (x, y)),
    )


def at_height(frame: Frame, height: float) -> Frame:
    """The same plane, moved along its normal (mm)."""
    return replace(frame, origin=frame.at(0.0, 0.0, height))


@dataclass(frozen=True)
class _Heights:
    """Where an outline lies that has moved by a distance: at `base` + distance × `rise` over the plane of a frame."""

    plane: Frame
    base: float
    rise: float

    def of(self, distance: float) -> float:
        return self.base + abs(distance) * self.rise

    def frame(self, distance: float) -> Frame:
        return at_height(self.plane, self.of(distance))


def _span(stage: Stage, heights: _Heights, *, straight: bool) -> Span:
    """What lies between two distances."""
    return Span(tuple(tuple(_patch(lean, stage, heights, straight=straight) for lean in ring) for ring in stage.rings))


def _patch(lean: Lean, stage: Stage, heights: _Heights, *, straight: bool) -> Patch:
    bottom, top = lean.bottom, lean.top
    rise = None
    if lean.corner is not None and not straight:
        rise = _conic(_start(bottom), _start(top), lean.corner, stage, heights)
    return Patch(bottom, top, lean.name, rise) if heights.rise > 0 else Patch(top, bottom, lean.name, rise)


def _start(end: Curve | tuple[float, float]) -> FloatArray:
    return np.array(end) if isinstance(end, tuple) else np.asarray(end.points(np.array([0.0])))[0]


def _conic(
    low: FloatArray,
    high: FloatArray,
    corner: tuple[tuple[float, float], tuple[float, float], tuple[float, float]],
    stage: Stage,
    heights: _Heights,
) -> Conic | None:
    """The path of a corner as the arc of a conic: its middle pole is where the tangents at both ends meet, its weight
    follows from one more point (The NURBS Book, chapter 7). None where it is straight."""
    frame, way = heights.plane, heights.rise * math.copysign(1.0, stage.end - stage.start)

    def place(point: FloatArray, distance: float) -> FloatArray:
        return frame.place(point, heights.of(distance))

    def direction(speed: tuple[float, float]) -> FloatArray:
        return np.asarray(frame.place(np.array(speed), way) - frame.place(np.zeros(2)))

    a, b = place(low, stage.start), place(high, stage.end)
    middle = place(np.array(corner[2]), (stage.start + stage.end) / 2.0)
    chord = b - a
    bow = (middle - a) - ((middle - a) @ chord) / (chord @ chord) * chord
    if float(np.linalg.norm(bow)) <= HAIR * float(np.linalg.norm(chord)):
        return None
    u, v = direction(corner[0]), direction(corner[1])
    shares = np.linalg.lstsq(np.column_stack([u, v]), chord, rcond=None)[0]
    pole = a + shares[0] * u
    basis = np.column_stack([a - pole, b - pole])
    t0, t2 = np.linalg.lstsq(basis, middle - pole, rcond=None)[0].tolist()
    weight = (1.0 - t0 - t2) / (2.0 * math.sqrt(max(t0 * t2, ROUNDING)))
    x, y, z = pole.tolist()
    return Conic((x, y, z), weight)


def _integrated(moved: Leaning, stage: Stage) -> float:
    """The area of the outline integrated over the distance of a stage, mm³ where it rises by one for one."""
    nodes, weights = gauss_nodes(2 if moved.is_plain else _ORDER)
    half, middle = (stage.end - stage.start) / 2.0, (stage.start + stage.end) / 2.0
    return abs(half) * sum(
        w * moved.area(middle + half * x) for x, w in zip(nodes.tolist(), weights.tolist(), strict=True)
    )


def _witnesses(moved: Leaning, heights: _Heights, region: Region) -> list[proof.Witness]:
    """Points known to lie inside at some heights."""
    end = moved.stages[-1].end
    out = []
    for share in (0.05, 0.5, 0.95):
        rings = [CurveTable.of(ring).flatten(1e-3 * math.sqrt(region.area)) for ring in moved.rings(share * end)]
        flat = [np.delete(points, offsets[1:] - 1, axis=0) for points, offsets in rings]
        inside = shapely.Polygon(flat[0], flat[1:]).buffer(0).representative_point()
        at = heights.plane.at(inside.x, inside.y, heights.of(share * end))
        out.append(proof.Witness(at, True, (region.id,)))
    return out
