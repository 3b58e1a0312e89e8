"""Lofts: bodies that run from section to section, as features. Their volume is that under the surfaces which the
sections describe, integrated without the kernel."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from tectogon.curves import Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray, after, apply
from tectogon.errors import NotPossible, Place
from tectogon.profiles import Region, Regions
from tectogon.profiles.matching import Matched, matched
from tectogon.profiles.rings import rings_of
from tectogon.solids import proof
from tectogon.solids.features import Feature
from tectogon.solids.prism import place_of
from tectogon.solids.skin import Patch, Skin, Span, ends_of, is_point, is_smooth, surface_of, volume_of
from tectogon.solids.skinned import skinned
from tectogon.solids.surfaces import heights_of
from tectogon.tolerances import HAIR
from tectogon.views import Frame
from tectogon.workpiece.sentence import count_of

_MIRROR = np.array([[-1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
_LEVEL = 1e-9


@dataclass(frozen=True, eq=False)
class Section:
    """A profile in its plane: the regions it is among, itself, the plane, how it is changed in it (2, 3), and which
    share of its outline's length is to match the start of the first section, where that was pressed."""

    regions: Regions
    region: Region
    frame: Frame
    change: FloatArray
    start: float | None = None


def loft(sections: Sequence[Section], *, smooth: bool, square: bool, step: int) -> Feature:
    """A proven body through sections in their order: ruled from each to the next, or smooth through all of them;
    `square`: leaving the first plane and meeting the last square to them.

    Raises NotPossible where sections cross, have other numbers of holes, or the sides would cross themselves;
    KernelRefused.
    """
    place = place_of(sections[0].regions, sections[0].region)
    if len(sections) < 2:
        raise NotPossible("A loft runs from one section to another; pick two or more, or say how far it goes.", place)
    frames, rings, names, changes = _facing(sections)
    moved = [
        [CurveTable.of(ring).transformed(change).curves() for ring in some]
        for some, change in zip(rings, changes, strict=True)
    ]
    _check_order(frames, moved, place)
    orders = _same_holes(rings, sections)
    matches = [
        matched(
            [some[order[k]] for some, order in zip(rings, orders, strict=True)],
            [some[order[k]] for some, order in zip(names, orders, strict=True)],
            [s.start for s in sections] if k == 0 else (),
        )
        for k in range(len(rings[0]))
    ]
    matches = [_changed(match, changes) for match in matches]
    skin = _smooth(frames, matches, square=square) if smooth or square else _ruled(frames, matches)
    layers = _layers(skin)
    _check_sides(layers, place)
    profile = sections[0].region.id
    named = skinned(skin, step, profile, place)
    expected = volume_of(skin)
    if not expected > 0.0:
        raise NotPossible(
            "The sections enclose nothing between them; look at their order and the way they face.", place
        )
    return Feature(named, expected, tuple(_witnesses(layers, profile)), place).proven()


def _changed(match: Matched, changes: Sequence[FloatArray]) -> Matched:
    """Matched outlines, each changed by its own matrix (2, 3): what matches is told before one is turned or moved."""
    ends = []
    for some, change in zip(match.ends, changes, strict=True):
        curves = iter(CurveTable.of([e for e in some if not isinstance(e, tuple)]).transformed(change).curves())
        ends.append(tuple(_moved(change, e) if isinstance(e, tuple) else next(curves) for e in some))
    return Matched(tuple(ends), match.names)


def _facing(
    sections: Sequence[Section],
) -> tuple[list[Frame], list[list[list[Curve]]], list[list[list[str]]], list[FloatArray]]:
    """The planes of sections, turned so that all look along the way they follow, their rings in them, the ids of the
    pieces, and how each is changed there."""
    places = [np.array(s.frame.at(*_moved(s.change, s.region.centroid))) for s in sections]
    frames, rings, names, changes = [], [], [], []
    for n, section in enumerate(sections):
        way = places[min(n + 1, len(places) - 1)] - places[max(n - 1, 0)]
        frame, change = section.frame, section.change
        some, ids = rings_of(section.regions, section.region)
        if float(way @ np.array(frame.normal)) < 0.0:
            x = -np.array(frame.x_dir)
            frame = replace(frame, x_dir=(float(x[0]), float(x[1]), float(x[2])))
            change = after(_MIRROR, after(change, _MIRROR))
            some = [[c.reversed() for c in CurveTable.of(ring).transformed(_MIRROR).curves()[::-1]] for ring in some]
            ids = [ring[::-1] for ring in ids]
        frames.append(frame)
        rings.append(some)
        names.append(ids)
        changes.append(change)
    return frames, rings, names, changes


def _moved(change: FloatArray, point: tuple[float, float]) -> tuple[float, float]:
    x, y = apply(change, np.array(point)).tolist()
    return x, y


def _points(frame: Frame, rings: Sequence[Sequence[Curve]]) -> FloatArray:
    table = CurveTable.of(rings[0])
    return frame.place(table.flatten(max(table.size, HAIR) * 1e-3)[0])


def _check_order(frames: Sequence[Frame], rings: Sequence[Sequence[Sequence[Curve]]], place: Place) -> None:
    """Raises NotPossible where a section does not lie wholly on the far side of the one before."""
    for n in range(len(frames) - 1):
        low, high = _points(frames[n], rings[n]), _points(frames[n + 1], rings[n + 1])
        size = float(np.ptp(np.concatenate([low, high]), axis=0).max())
        over = (high - np.array(frames[n].origin)) @ np.array(frames[n].normal)
        under = (low - np.array(frames[n + 1].origin)) @ np.array(frames[n + 1].normal)
        if over.min() > _LEVEL * size and under.max() < -_LEVEL * size:
            continue
        if abs(over).max() <= _LEVEL * size:
            raise NotPossible(f"Sections {n + 1} and {n + 2} lie in one plane; type how far they are apart.", place)
        x, y, z = high[int(over.argmin())].tolist()
        raise NotPossible(
            f"The planes of sections {n + 1} and {n + 2} cross inside the body, near x {x:.2f}, y {y:.2f},"
            f" z {z:.2f} mm. Move them apart, or turn one of them.",
            Place(place.curves, (x, y, z)),
        )


def _same_holes(rings: Sequence[Sequence[Sequence[Curve]]], sections: Sequence[Section]) -> list[list[int]]:
    """For each section the numbers of its rings in the order of those of the first: each hole with the nearest. Raises
    NotPossible where one has other numbers of holes."""
    for n, some in enumerate(rings):
        if len(some) != len(rings[0]):
            raise NotPossible(
                f"Section {n + 1} has {count_of(len(some) - 1, 'hole')} and section 1 has"
                f" {count_of(len(rings[0]) - 1, 'hole')}: one runs through where every section has it. Leave it out, or"
                " cut it afterwards.",
                Place(sections[n].regions.curves_of(sections[n].region.outer), sections[n].region.centroid),
            )
    orders = [list(range(len(rings[0])))]
    for before, some in itertools.pairwise(rings):
        middles = [np.array([_middle(ring) - _middle(s[0]) for ring in s]) / _size(s[0]) for s in (before, some)]
        left = set(range(1, len(some)))
        order = [0]
        for n in orders[-1][1:]:
            best = min(left, key=lambda k: float(np.linalg.norm(middles[1][k] - middles[0][n])))
            left.remove(best)
            order.append(best)
        orders.append(order)
    return orders


def _middle(ring: Sequence[Curve]) -> FloatArray:
    return np.asarray(CurveTable.of(ring).flatten(1e-2)[0].mean(axis=0))


def _size(ring: Sequence[Curve]) -> float:
    return max(CurveTable.of(ring).size, HAIR)


def _ruled(frames: Sequence[Frame], matches: Sequence[Matched]) -> Skin:
    spans = []
    for n in range(len(frames) - 1):
        rings = []
        for match in matches:
            pairs = zip(match.ends[n], match.ends[n + 1], match.names, strict=True)
            rings.append(tuple(Patch(a, b, name) for a, b, name in pairs if not (is_point(a) and is_point(b))))
        spans.append(Span(tuple(rings)))
    return Skin(tuple(frames), tuple(spans))


def _smooth(frames: Sequence[Frame], matches: Sequence[Matched], *, square: bool) -> Skin:
    """One span through all sections. Where a piece is a point in some of them, it is a curve without length there."""
    rings = []
    for match in matches:
        patches = []
        for n, name in enumerate(match.names):
            ends = [some[n] for some in match.ends]
            between = tuple(_curve(end) for end in ends[1:-1])
            patches.append(Patch(ends[0], ends[-1], name, None, between))
        rings.append(tuple(patches))
    starts = np.array(
        [
            [frame.at(*ends_of(end)[0].tolist()) for match in matches for end in match.ends[k]]
            for k, frame in enumerate(frames)
        ]
    )
    heights = heights_of(starts)
    speed = _speed(frames, starts, heights) if square else 0.0
    return Skin((frames[0], frames[-1]), (Span(tuple(rings), None, tuple(frames[1:-1]), heights, speed),))


def _speed(frames: Sequence[Frame], starts: FloatArray, heights: FloatArray) -> float:
    """How fast (mm over the whole) the sides leave the first plane and meet the last square to them: as fast as they
    run between on average, but never so fast that they would pass the next section and turn back. The points where the
    pieces of each section begin: (sections, n, 3).

    Source of the bound: a cubic rises all the way where its ends are no steeper than three times its mean slope
    (Fritsch and Carlson 1980); a little less is used.
    """
    length = float(np.linalg.norm(np.diff(starts.mean(axis=1), axis=0), axis=-1).sum())
    first = (starts[1] - np.array(frames[0].origin)) @ np.array(frames[0].normal)
    last = (np.array(frames[-1].origin) - starts[-2]) @ np.array(frames[-1].normal)
    steepest = min(first.min() / heights[1], last.min() / (1.0 - heights[-2]))
    return min(length, 2.5 * float(steepest))


def _curve(end: Curve | tuple[float, float]) -> Curve:
    return Line(*end, *end) if isinstance(end, tuple) else end


@dataclass(frozen=True, eq=False)
class _Layer:
    """What a skin holds at a share of the way between two sections: the plane there, the rings as polygons in it, and
    how fast their points rise from it (mm over the whole span)."""

    span: int
    frame: Frame
    rings: list[FloatArray]
    rises: FloatArray


def _layers(skin: Skin) -> list[_Layer]:
    """A skin at a quarter, a half and three quarters of the way between sections that follow one another."""
    out = []
    for n, (span, below, above) in enumerate(zip(skin.spans, skin.frames[:-1], skin.frames[1:], strict=True)):
        frames = (below, *span.between, above)
        heights = np.array([0.0, 1.0]) if span.heights is None else span.heights
        shares = np.array([0.25, 0.5, 0.75])
        v = (heights[:-1, None] + np.diff(heights)[:, None] * shares).ravel()
        rings = [_rows(ring, span, below, above, v) for ring in span.rings]
        for k in range(len(v)):
            low, high = frames[k // 3], frames[k // 3 + 1]
            plane = _between(low, high, float(shares[k % 3]), np.concatenate([at[:, k] for at, _ in rings]))
            axes = np.array([plane.x_dir, plane.y_dir]).T
            flat = [(at[:, k] - np.array(plane.origin)) @ axes for at, _ in rings]
            rises = np.concatenate([way[:, k] @ np.array(plane.normal) for _, way in rings])
            out.append(_Layer(n + k // 3, plane, flat, rises))
    return out


def _rows(
    ring: Sequence[Patch], span: Span, below: Frame, above: Frame, v: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Points (n, k, 3) of a ring across a span at parameters (k,), and how fast they run there."""
    points, ways = [], []
    for patch in ring:
        if is_smooth(patch, span):
            at, way = surface_of(patch, span, below, above).across(_SAMPLES, v)
            points.append(at)
            ways.append(way)
            continue
        straight = all(isinstance(end, (Line, tuple)) for end in (patch.bottom, patch.top))
        t = _SAMPLES[:1] if straight else _SAMPLES
        low, high = (
            np.broadcast_to(frame.place(np.atleast_2d(end if isinstance(end, tuple) else end.points(t))), (len(t), 3))
            for end, frame in ((patch.bottom, below), (patch.top, above))
        )
        points.append(low[:, None] + (high - low)[:, None] * v[None, :, None])
        ways.append(np.broadcast_to((high - low)[:, None], points[-1].shape))
    return np.concatenate(points), np.concatenate(ways)


_SAMPLES = np.linspace(0.0, 1.0, 25)[:-1]


def _between(low: Frame, high: Frame, share: float, points: FloatArray) -> Frame:
    """The plane at a share of the way between two others, through the middle of points (n, 3) there."""
    normal, x = (
        (1.0 - share) * np.array(a) + share * np.array(b)
        for a, b in ((low.normal, high.normal), (low.x_dir, high.x_dir))
    )
    x = x if float(np.linalg.norm(np.cross(x, normal))) > _LEVEL else np.cross(np.array(low.y_dir), normal)
    y = np.cross(normal, x)
    y /= np.linalg.norm(y)
    x = np.cross(y, normal) / np.linalg.norm(normal)
    (a, b, c), (d, e, f), (g, h, i) = points.mean(axis=0).tolist(), x.tolist(), y.tolist()
    return Frame((a, b, c), (d, e, f), (g, h, i))


def _check_sides(layers: Sequence[_Layer], place: Place) -> None:
    """Raises NotPossible where the sides turn back or cross themselves between two sections."""
    for layer in layers:
        between = f"Between sections {layer.span + 1} and {layer.span + 2} the sides would "
        if layer.rises.min() <= 0.0:
            raise NotPossible(between + "turn back into the body; put them further apart, or shift one less.", place)
        if not shapely.Polygon(layer.rings[0], layer.rings[1:]).is_valid:
            raise NotPossible(between + "cross themselves; turn one less, or put a section between them.", place)


def _witnesses(layers: Sequence[_Layer], profile: str) -> list[proof.Witness]:
    """Points half way between two sections."""
    out = []
    for layer in layers[1::3]:
        inside = shapely.Polygon(layer.rings[0], layer.rings[1:]).representative_point()
        out.append(proof.Witness(layer.frame.at(inside.x, inside.y), True, (profile,)))
    return out
