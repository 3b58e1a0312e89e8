"""Profiles turned about an axis, as features: their volume by Pappus, area times the way of the centroid."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely

from tectogon.curves import CurveTable, Line
from tectogon.errors import BadValue, Place, Unfinished
from tectogon.linework import Linework
from tectogon.profiles import Region, Regions, find_regions
from tectogon.profiles.pinch import parted
from tectogon.solids import kernel, proof
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.features import Feature
from tectogon.solids.turned import Axis, turned
from tectogon.tolerances import KERNEL_TOL, LEAST_SIZE, SEEN_TOL
from tectogon.views import Frame
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import PointPick
from tectogon.workpiece.point_picks import points_of

_BESIDE = 1e-7
"""A profile runs beside an axis that it crosses by less than this share of its size."""
_ALIKE = SEEN_TOL
"""Two halves are alike whose areas and moments differ by less than this share."""
TURN = 2.0 * math.pi


def revolution(
    workpiece: Workpiece, region: Region, axis: Axis, sweep: tuple[float, float], step: int
) -> list[Feature]:
    """Proven solids of revolution of a region about an axis, from one angle to another (radians): one, or several where
    the region pinches to a point. A whole outline whose halves are alike is halved.

    Raises BadValue where the axis runs through a profile that is not alike on both sides, and KernelRefused.
    """
    drawing, frame = workpiece.drawing.regions_of(region), workpiece.frame_of(region)
    place = Place(drawing.curves_of(region.outer), region.centroid)
    simple, parts = _beside(drawing, region, axis)
    out = []
    for half in parts:
        out += _turned_parts(simple, half, frame, axis, sweep, step, region.id, place)
    return out


def around(workpiece: Workpiece, region: Region, axis: Axis, core: Sequence[Feature], step: int) -> Feature:
    """What lies around the solid of revolution of a region (its `core`) within its own largest radius, from one end to
    the other: what a cut of its outside takes away. Raises KernelRefused."""
    tube, volume = tube_around(workpiece.drawing.regions_of(region), region, workpiece.frame_of(region), axis, step)
    named = combine("cut", [tube], [f.named for f in core])
    outside = tuple(proof.Witness(w.point, False, w.curves) for f in core for w in f.witnesses)
    return Feature(named, volume - sum(f.expected for f in core), outside, core[0].place).proven()


def tube_around(regions: Regions, region: Region, frame: Frame, axis: Axis, step: int) -> tuple[NamedShape, float]:
    """The cylinder about an axis that just holds a region turned about it, and its volume (mm³)."""
    ring = regions.ring_points(region.outer, _chord(region))
    low, high = float(axis.along(ring).min()), float(axis.along(ring).max())
    radius = float(np.abs(axis.off(ring)).max())
    left = np.array([-axis.way[1], axis.way[0]])
    corners = ((0.0, low), (0.0, high), (radius, high), (radius, low))
    ends = [axis.point + along * axis.way + off * left for off, along in corners]
    table = CurveTable.of(Line(*ends[n].tolist(), *ends[(n + 1) % 4].tolist()) for n in range(4))
    found = find_regions(table, ("around",) * 4, join_tol=1e-6)
    made = turned(found, found.regions[0], frame, axis, (0.0, TURN), step, profile=region.id)
    return made, math.pi * radius**2 * (high - low)


def _turned_parts(
    regions: Regions,
    region: Region,
    frame: Frame,
    axis: Axis,
    sweep: tuple[float, float],
    step: int,
    profile: str,
    place: Place,
) -> list[Feature]:
    simple, parts = parted(regions, region)
    out = []
    for part in parts:
        expected = part.area * abs(float(axis.off(np.array(part.centroid)))) * abs(sweep[1] - sweep[0])
        with kernel.refusals("The solid kernel refuses this profile; look at its boundary.", place):
            named = turned(simple, part, frame, axis, sweep, step, profile=profile)
            witnesses = _witnesses(part, frame, axis, sweep, profile)
            out.append(Feature(named, expected, witnesses, place).proven())
    return out


def _witnesses(
    region: Region, frame: Frame, axis: Axis, sweep: tuple[float, float], profile: str
) -> tuple[proof.Witness, ...]:
    """Points inside a profile turned by three angles, known to lie in the solid."""
    inside = np.array(region.inside)
    off, foot = float(axis.off(inside)), axis.point + float(axis.along(inside)) * axis.way
    left = np.array([-axis.way[1], axis.way[0]])
    out = []
    for angle in proof.depths(*sorted(sweep)).tolist():
        x, y = (foot + off * math.cos(angle) * left).tolist()
        point = frame.at(x, y, axis.height + off * math.sin(angle))
        out.append(proof.Witness(point, True, (profile,)))
    return tuple(out)


def _beside(regions: Regions, region: Region, axis: Axis) -> tuple[Regions, list[Region]]:
    """A region as what lies on one side of an axis: itself, or its left half where both are alike."""
    ring = regions.ring_points(region.outer, _chord(region))
    off = axis.off(ring)
    size = float(np.ptp(ring, axis=0).max())
    if off.min() >= -_BESIDE * size or off.max() <= _BESIDE * size:
        return regions, [region]
    found, left, right = halves(regions, region, axis)
    sums = [_moments(some, axis) for some in (left, right)]
    if not left or any(abs(a - b) > _ALIKE * max(a, b) for a, b in zip(*sums, strict=True)):
        (x, y), areas = region.centroid, [s[0] for s in sums]
        raise BadValue(
            f"The axis runs through the profile near x {x:.2f}, y {y:.2f} mm, and its sides are not alike"
            f" ({areas[0]:.4g} and {areas[1]:.4g} mm²): only an outline that is symmetrical about its axis is halved."
            " Choose another axis or another profile.",
            Place(regions.curves_of(region.outer), region.centroid),
        )
    return found, left


def _moments(regions: Sequence[Region], axis: Axis) -> tuple[float, float]:
    """Area (mm²) and first moment about an axis (mm³) of some regions."""
    areas = np.array([r.area for r in regions])
    off = np.abs(axis.off(np.array([r.centroid for r in regions]).reshape(-1, 2)))
    return float(areas.sum()), float(areas @ off)


def halves(regions: Regions, region: Region, axis: Axis) -> tuple[Regions, list[Region], list[Region]]:
    """What an axis parts a region into: regions anew, those on its left, those on its right."""
    rows = np.concatenate([region.outer.rows, *(hole.rows for hole in region.holes)])
    pieces = regions.pieces.take(rows)
    along = axis.along(regions.ring_points(region.outer, _chord(region)))
    margin = float(np.ptp(along)) + LEAST_SIZE
    ends = [axis.point + t * axis.way for t in (float(along.min()) - margin, float(along.max()) + margin)]
    table = CurveTable.join([pieces, CurveTable.of([Line(*ends[0].tolist(), *ends[1].tolist())])])
    ids = (*(regions.piece_ids[r] for r in rows.tolist()), "axis")
    found = find_regions(table, ids, join_tol=regions.join_tol)
    shape = regions.polygon(region, _chord(region))
    held = [r for r in found.regions if shapely.contains_xy(shape, *r.inside)]
    left = [r for r in held if float(axis.off(np.array(r.centroid))) > 0.0]
    return found, left, [r for r in held if r not in left]


def _chord(region: Region) -> float:
    return max(math.sqrt(max(region.area, LEAST_SIZE)) * 1e-4, LEAST_SIZE)


def middle_axis(region: Region, *, level: bool, height: float) -> Axis:
    """The level or upright line through the middle of a region."""
    x0, y0, x1, y1 = region.bounds
    return Axis(np.array([(x0 + x1) / 2.0, (y0 + y1) / 2.0]), np.array([1.0, 0.0] if level else [0.0, 1.0]), height)


def axis_through(linework: Linework, picks: Sequence[PointPick], height: float) -> Axis:
    """The line through two picked points. Raises Unfinished while there are fewer, BadValue where they are one, and
    what `points_of` raises."""
    if len(picks) < 2:
        raise Unfinished("Press two points of the axis: the ends of a centre line, or of an edge.")
    a, b = points_of(linework, picks[:2])
    length = float(np.hypot(*(b - a)))
    if length < 10 * KERNEL_TOL:
        raise BadValue("The two points of the axis lie on top of each other; press another one.")
    return Axis(a, (b - a) / length, height)
