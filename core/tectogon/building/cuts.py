"""The cut itself: how far its prisms reach, and what lies outside of them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tectogon.building import extents
from tectogon.building.extrusion import extrusions
from tectogon.building.tapering import UPRIGHT, Sides
from tectogon.curves import CurveTable, Line
from tectogon.errors import BadValue, PickGone
from tectogon.profiles import Region, find_regions
from tectogon.reconstruction.depths import depths_seen, part_stretch
from tectogon.solids import measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.features import Feature, with_features
from tectogon.solids.prism import prism
from tectogon.solids.proof import Witness
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length
from tectogon.views import Frame
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import EndPick, ProfileChoice, Side
from tectogon.workpiece.profile_picks import chosen_regions


@dataclass(frozen=True)
class Reach:
    """How far a cut goes: through everything, as seen in other views (or half of that), to picked ends, through the
    next wall, or by a length from a start to one side of the profile's plane."""

    depth: str
    length: str | float
    side: Side
    start: str | float
    ends: tuple[EndPick, ...] = ()
    sides: Sides = UPRIGHT


def cut(
    workpiece: Workpiece, profiles: ProfileChoice, reach: Reach, takes: str, body: str | None, number: int
) -> tuple[Body, ...]:
    """The bodies with the inside or the outside of profiles taken away.

    Raises PickGone, BadValue, NothingToBuild or KernelRefused with a sentence.
    """
    regions = chosen_regions(workpiece, profiles)
    if not workpiece.bodies:
        raise PickGone("There is no body to cut yet; extrude a profile as a new body first.")
    if reach.sides.to_point and reach.depth == "through":
        raise BadValue("How deep the point lies is not said; choose “to a depth”, and type one.")
    spans = _spans(workpiece, regions, reach)
    features = []
    for region, span in zip(regions, spans, strict=True):
        span, sides = _inwards(workpiece, region, span, reach)
        features.append(extrusions(workpiece, [region], [span], number, sides))
    if takes == "inside":
        return with_features(workpiece.bodies, [f for some in features for f in some], "cut", body, number)
    if any(workpiece.frame_of(region) != workpiece.frame_of(regions[0]) for region in regions):
        raise BadValue("To take the outside, all profiles must lie in one view.")
    return with_features(
        workpiece.bodies,
        [_around(workpiece, regions, spans, features, number, upright=reach.sides.upright)],
        "cut",
        body,
        number,
    )


def _inwards(
    workpiece: Workpiece, region: Region, span: tuple[float, float], reach: Reach
) -> tuple[tuple[float, float], Sides]:
    """A span in the direction in which the cut goes, and its sides: true in size in the plane of the profile, or, where
    that lies outside of the bodies, at the face through which the cut goes in."""
    if reach.sides.upright or reach.depth in ("depth", "next_face"):
        return span, reach.sides
    low, high = min(span), max(span)
    way = (low, high) if reach.side == "towards" else (high, low)
    bottom, top = _heights(workpiece, workpiece.frame_of(region))
    return way, replace(reach.sides, true_at=min(max(0.0, bottom), top))


def _around(
    workpiece: Workpiece,
    regions: list[Region],
    spans: list[tuple[float, float]],
    features: list[list[Feature]],
    number: int,
    *,
    upright: bool,
) -> Feature:
    """Everything beside some prisms of one plane, between the heights of the first: what a cut of their outside takes
    away."""
    first, frame = features[0][0], workpiece.frame_of(regions[0])
    low, high = min(spans[0]), max(spans[0])
    slab, volume = _slab(workpiece, regions, frame, low, high, number)
    named = combine("cut", [slab], [f.named for some in features for f in some])
    outside = tuple(Witness(w.point, False, w.curves) for some in features for f in some for w in f.witnesses)
    for region, span, some in zip(regions, spans, features, strict=True):
        if (min(span), max(span)) == (low, high):
            volume -= sum(f.expected for f in some)
        elif upright:
            volume -= region.area * max(0.0, min(high, max(span)) - max(low, min(span)))
        else:
            raise BadValue("To take the outside with sides that lean, all profiles must be cut to one depth.")
    return Feature(named, volume, outside, first.place, frame).proven()


def _spans(workpiece: Workpiece, regions: list[Region], reach: Reach) -> list[tuple[float, float]]:
    """From which to which height each region is cut."""
    if reach.depth == "as_seen":
        return depths_seen(workpiece, regions, over=True)
    if reach.depth == "half_as_seen":
        return [
            ((low + high) / 2.0, high + _margin(low, high))
            for low, high in (part_stretch(workpiece, region) for region in regions)
        ]
    if reach.depth == "picked":
        found = extents.picked_spans(workpiece, regions, reach.ends)
        return (
            found
            if len(reach.ends) > 1
            else [_from_viewer(workpiece, region, end) for region, (_, end) in zip(regions, found, strict=True)]
        )
    if reach.depth == "next_face":
        return extents.next_spans(
            workpiece, regions, towards=reach.side == "towards", start=parse_length(reach.start), through_wall=True
        )
    return [_span(workpiece, workpiece.frame_of(region), reach) for region in regions]


def _from_viewer(workpiece: Workpiece, region: Region, end: float) -> tuple[float, float]:
    """From the viewer's side of the bodies down to a height."""
    low, high = _heights(workpiece, workpiece.frame_of(region))
    return end, high + _margin(low, high)


def _margin(low: float, high: float) -> float:
    """How far a cut that begins outside begins over the bodies."""
    return max(1.0, 0.05 * (high - low))


def _heights(workpiece: Workpiece, frame: Frame) -> tuple[float, float]:
    """How far all bodies reach along a frame's normal (mm)."""
    box = measure.joint_bounds([b.shape for b in workpiece.bodies])
    corners = np.array([[box[i], box[j], box[k]] for i in (0, 3) for j in (1, 4) for k in (2, 5)])
    heights = (corners - np.asarray(frame.origin)) @ np.asarray(frame.normal)
    return float(heights.min()), float(heights.max())


def _span(workpiece: Workpiece, frame: Frame, reach: Reach) -> tuple[float, float]:
    low, high = _heights(workpiece, frame)
    if reach.depth == "through":
        return low - _margin(low, high), high + _margin(low, high)
    depth, begin = parse_length(reach.length), parse_length(reach.start)
    if depth < 10 * KERNEL_TOL:
        raise BadValue("The depth must be more than nothing; type a depth such as 5 mm.")
    return begin, begin + (depth if reach.side == "towards" else -depth)


def _slab(
    workpiece: Workpiece, regions: list[Region], frame: Frame, low: float, high: float, number: int
) -> tuple[NamedShape, float]:
    """A block between two heights over a plane that holds all bodies and profiles sideways, and its volume (mm³)."""
    boxes = np.array(measure.joint_bounds([b.shape for b in workpiece.bodies])).reshape(2, 3)
    corners = np.array(
        [[boxes[i, 0], boxes[j, 1], boxes[k, 2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)]
    ) - np.asarray(frame.origin)
    flat = np.column_stack([corners @ np.asarray(frame.x_dir, float), corners @ np.asarray(frame.y_dir, float)])
    bounds = np.array([r.bounds for r in regions])
    flat = np.concatenate([flat, bounds[:, :2], bounds[:, 2:]])
    (x0, y0), (x1, y1) = (flat.min(axis=0) - 5.0).tolist(), (flat.max(axis=0) + 5.0).tolist()
    points = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    table = CurveTable.of(Line(*points[n], *points[(n + 1) % 4]) for n in range(4))
    found = find_regions(table, ("around",) * 4, join_tol=1e-6)
    return prism(found, found.regions[0], frame, low, high, number), (x1 - x0) * (y1 - y0) * (high - low)
