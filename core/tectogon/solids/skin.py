"""Skins: what lies between sections that follow one another, described without the kernel.

Glossary
    section: closed rings in a plane, the outer one counter-clockwise, holes clockwise, as seen from where it is built
        to.
    span: what lies between two neighbouring sections: ruled, turned about an axis, or smooth through sections between.
    patch: one face of a span: a piece of the lower section and the piece of the upper one that it becomes; either may
        be a point, where a piece begins or ends.
    rise: the edge between two neighbouring patches, from the lower section to the upper.

Tapers, lofts and what runs along a path are all skins: so there is one builder (skinned.py) and one proof, the volume
below.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.as_spline import as_spline
from tectogon.curves.moments import area_moments
from tectogon.solids.surfaces import SurfacePatch, surface_through
from tectogon.tolerances import ANGLE_TOL, HAIR
from tectogon.views import Frame

Point: TypeAlias = tuple[float, float]
End: TypeAlias = Curve | Point
Vector: TypeAlias = tuple[float, float, float]


@dataclass(frozen=True)
class Conic:
    """A rise that is no straight line: the middle pole (3,), mm, and its weight, of the arc of a conic between the two
    corners."""

    middle: tuple[float, float, float]
    weight: float


@dataclass(frozen=True)
class Patch:
    """One face: its lower and upper end in the planes of the two sections, the curve it is named by, the rise at its
    start where that is not straight, and what it passes through `between` (one curve for each section there)."""

    bottom: End
    top: End
    name: str
    rise: Conic | None = None
    between: tuple[Curve, ...] = ()


@dataclass(frozen=True)
class Turn:
    """A turn about an axis in space: a point of it, its direction of length 1, the angle (radians, positive)."""

    point: tuple[float, float, float]
    way: tuple[float, float, float]
    angle: float


@dataclass(frozen=True)
class Span:
    """What lies between two sections: patches ring by ring, and the turn that leads from one to the other where it is
    not straight. Of a smooth one also the planes of what it passes through, how far across those lie (0 to 1, with both
    ends), and how fast (mm) it leaves and meets its ends where it does so square to them."""

    rings: tuple[tuple[Patch, ...], ...]
    turn: Turn | None = None
    between: tuple[Frame, ...] = ()
    heights: FloatArray | None = None
    square: float = 0.0


@dataclass(frozen=True)
class Skin:
    """Sections by their planes, and the spans between them. `closed`: the last section is the first again."""

    frames: tuple[Frame, ...]
    spans: tuple[Span, ...]
    closed: bool = False


def is_point(end: End) -> bool:
    """Whether an end of a patch is a point."""
    return isinstance(end, tuple)


def ends_of(end: End) -> FloatArray:
    """Start and end (2, 2) of an end of a patch, mm."""
    if isinstance(end, tuple):
        return np.array([end, end])
    if isinstance(end, Line):
        return np.array([[end.x0, end.y0], [end.x1, end.y1]])
    return np.asarray(end.points(np.array([0.0, 1.0])))


def curves_of(ring: Sequence[Patch], *, top: bool) -> list[Curve]:
    """The curves of a ring at one of its two ends, without what is a point there."""
    ends = [patch.top if top else patch.bottom for patch in ring]
    return [end for end in ends if not isinstance(end, tuple)]


def volume_of(skin: Skin) -> float:
    """The volume (mm³) of a skin: of straight spans by the divergence theorem over the ruled faces that its sections
    describe, of turned ones by Pappus, of smooth ones by the surfaces through their sections. The kernel is not asked.
    """
    total = 0.0
    for span, below, above in zip(skin.spans, skin.frames[:-1], skin.frames[1:], strict=True):
        if span.turn is not None:
            area, centroid = _area_in(span, below, top=False)
            away = centroid - np.array(span.turn.point)
            away = away - (away @ np.array(span.turn.way)) * np.array(span.turn.way)
            total += area * float(np.linalg.norm(away)) * span.turn.angle
            continue
        base = np.array(below.origin)
        caps = _cap(span, above, base, top=True) - _cap(span, below, base, top=False)
        total += (caps + _flux(span, below, above, base)) / 3.0
    return total


def _area_in(span: Span, frame: Frame, *, top: bool) -> tuple[float, FloatArray]:
    """Area (mm²) of a section and its centroid in space (3,)."""
    curves = [curve for ring in span.rings for curve in curves_of(ring, top=top)]
    if not curves:
        return 0.0, np.array(frame.origin)
    area, sx, sy = area_moments(CurveTable.of(curves)).sum(axis=0).tolist()
    middle = (sx / area, sy / area) if area else (0.0, 0.0)
    return area, np.array(frame.at(*middle))


def _cap(span: Span, frame: Frame, base: FloatArray, *, top: bool) -> float:
    """What a plane section adds to three times the volume: its area times the height of its plane over `base`."""
    return _area_in(span, frame, top=top)[0] * float((np.array(frame.origin) - base) @ np.array(frame.normal))


def _flux(span: Span, below: Frame, above: Frame, base: FloatArray) -> float:
    """What the faces of a span add to three times the volume."""
    patches = [patch for ring in span.rings for patch in ring]
    flat = [
        p
        for p in patches
        if not span.square and not p.between and all(isinstance(e, (Line, tuple)) for e in (p.bottom, p.top))
    ]
    total = 0.0
    if flat:
        low = below.place(np.array([ends_of(p.bottom) for p in flat])) - base
        high = above.place(np.array([ends_of(p.top) for p in flat])) - base
        total += _flux_of_bilinear(low, high)
    bent = [p for p in patches if p not in flat]
    for patch in bent:
        total += surface_of(patch, span, below, above).flux(base)
    return total


def _flux_of_bilinear(low: FloatArray, high: FloatArray) -> float:
    """∫ r · n dA over faces ruled between straight pieces (k, 2, 3): a polynomial of degree 2 in each direction."""
    total = 0.0
    half = np.sqrt(0.15)
    for s, ws in ((0.5 - half, 5.0 / 18.0), (0.5, 8.0 / 18.0), (0.5 + half, 5.0 / 18.0)):
        ends = low + s * (high - low)
        along, across = ends[:, 1] - ends[:, 0], high - low
        for t, wt in ((0.5 - half, 5.0 / 18.0), (0.5, 8.0 / 18.0), (0.5 + half, 5.0 / 18.0)):
            at, rise = ends[:, 0] + t * along, across[:, 0] + t * (across[:, 1] - across[:, 0])
            total += ws * wt * float(np.einsum("ij,ij->", at, np.cross(along, rise)))
    return total


def surface_of(patch: Patch, span: Span, below: Frame, above: Frame) -> SurfacePatch:
    """The surface of a straight or smooth patch, as a B-spline surface."""
    return surface_through(splines_of(patch), (below, *span.between, above), span.heights, span.square)


def is_smooth(patch: Patch, span: Span) -> bool:
    """Whether a patch is no ruled face."""
    return bool(patch.between) or span.square != 0.0


def is_round(patch: Patch, after: Conic | None, below: Frame, above: Frame) -> bool:
    """Whether a ruled patch is part of a cylinder or a cone: two arcs about one axis, beginning and ending at the same
    angles where its rises (`after`: the one at its end) are straight; or an arc and the tip over its centre."""
    ends = (patch.bottom, patch.top)
    arcs = [end for end in ends if isinstance(end, Arc)]
    if patch.between or not arcs or len(arcs) + sum(isinstance(end, tuple) for end in ends) < 2:
        return False
    n, m = np.array(below.normal), np.array(above.normal)
    x, y = np.array(below.x_dir), np.array(above.x_dir)
    if n @ m < 0.0 or x @ y < 0.0 or max(np.abs(np.cross(n, m)).max(), np.abs(np.cross(x, y)).max()) > ANGLE_TOL:
        return False
    places = [
        np.array(frame.at(end.cx, end.cy) if isinstance(end, Arc) else frame.at(*end))
        for end, frame in zip(ends, (below, above), strict=True)
        if isinstance(end, (Arc, tuple))
    ]
    off = places[1] - places[0]
    rise = float(off @ n)
    size = max(arc.radius for arc in arcs) + abs(rise)
    if abs(rise) <= HAIR * size or float(np.linalg.norm(off - rise * n)) > HAIR * size:
        return False
    if len(arcs) < 2:
        return True
    a, b = arcs
    starts_alike = patch.rise is not None or _same_angle(a.start_angle, b.start_angle)
    ends_alike = after is not None or _same_angle(a.start_angle + a.sweep, b.start_angle + b.sweep)
    return a.sweep * b.sweep > 0 and starts_alike and ends_alike


def _same_angle(a: float, b: float) -> bool:
    turns = (a - b) / (2.0 * np.pi)
    return abs(turns - round(turns)) <= ANGLE_TOL


def splines_of(patch: Patch) -> tuple[Spline, ...]:
    """The ends of a patch, and what lies between, as splines."""
    out = []
    for end in (patch.bottom, *patch.between, patch.top):
        out.append(as_spline(Line(*end, *end)) if isinstance(end, tuple) else as_spline(end))
    return tuple(out)
