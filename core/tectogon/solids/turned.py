"""Profiles to solids of revolution: a face turned about a line of its own plane."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Trsf

from tectogon.curves import CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.curves.table import LINE
from tectogon.errors import KernelRefused, NotPossible, Place
from tectogon.profiles import Region, Regions, find_regions
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import face_of, place_of
from tectogon.tolerances import ANGLE_TOL, HAIR, LEAST_SIZE, SEEN_TOL
from tectogon.views import Frame

_CYLINDER = 1e-7
_BESIDE = 1e-7
"""A profile runs beside an axis that it crosses by less than this share of its size."""
_ALIKE = SEEN_TOL
"""Two halves are alike whose areas and moments differ by less than this share."""


@dataclass(frozen=True)
class Axis:
    """A line of a plane that something is turned about: a point and a direction of length 1 on the sheet (2,), at a
    height (mm) over the plane."""

    point: FloatArray
    way: FloatArray
    height: float = 0.0

    def off(self, points: FloatArray) -> FloatArray:
        """How far points of the sheet (k, 2) lie on its left (k,), mm."""
        d = points - self.point
        return np.asarray(self.way[0] * d[..., 1] - self.way[1] * d[..., 0])

    def along(self, points: FloatArray) -> FloatArray:
        """How far along it points of the sheet (k, 2) lie (k,), mm."""
        return np.asarray((points - self.point) @ self.way)


def turned(
    regions: Regions,
    region: Region,
    frame: Frame,
    axis: Axis,
    sweep: tuple[float, float],
    operation: int,
    *,
    profile: str | None = None,
) -> NamedShape:
    """A region of a plane turned about an axis that runs beside it or along its boundary, from one angle to another
    (radians, 0 in the plane, growing towards the viewer on the axis' left). Its faces are named after the operation,
    the profile and its curves.

    Raises KernelRefused naming the curves when the outline pinches itself or the kernel gives no solid.
    """
    face, named_edges = face_of(regions, region, frame, axis.height, as_splines=_nearly_along(regions, region, axis))
    base, tip = frame.place(np.array([axis.point, axis.point + axis.way]), axis.height)
    line = gp_Ax1(gp_Pnt(*base.tolist()), gp_Dir(*(tip - base).tolist()))
    start, end = min(sweep), max(sweep)
    whole = end - start >= 2.0 * math.pi - ANGLE_TOL
    place = place_of(regions, region)
    with kernel.refusals("The solid kernel could not turn this profile about its axis.", place):
        if start != 0.0 and not whole:
            move = gp_Trsf()
            move.SetRotation(line, start)
            moved = BRepBuilderAPI_Transform(face, move)
            face = moved.Shape()
            named_edges = [(moved.ModifiedShape(edge), curve) for edge, curve in named_edges]
        maker = BRepPrimAPI_MakeRevol(face, line) if whole else BRepPrimAPI_MakeRevol(face, line, end - start)
    if not maker.IsDone():
        raise KernelRefused("The solid kernel could not turn this profile about its axis.", place)
    profile = profile or region.id
    pairs = []
    if not whole:
        pairs = [
            (maker.FirstShape(), FaceName("start", operation, None, profile)),
            (maker.LastShape(), FaceName("end", operation, None, profile)),
        ]
    for edge, curve in named_edges:
        name = FaceName("side", operation, curve, profile)
        pairs += [(side, name) for made in kernel.each(maker.Generated(edge)) for side in kernel.faces_of(made)]
    return NamedShape.of(maker.Shape(), pairs)


def _nearly_along(regions: Regions, region: Region, axis: Axis) -> frozenset[int]:
    """Lines that run nearly along an axis. The kernel takes what they sweep for a cylinder where the cone is longer by
    no more than 1e-7 mm, however far its end is off; a spline it takes as it is."""
    rows = np.concatenate([region.outer.rows, *(hole.rows for hole in region.holes)])
    ends = regions.pieces.ends[rows]
    length = np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    along = np.abs(axis.along(ends[:, 1]) - axis.along(ends[:, 0]))
    apart = np.abs(axis.off(ends[:, 1]) - axis.off(ends[:, 0]))
    near = (length - along <= 2.0 * _CYLINDER) & (apart > HAIR * np.maximum(length, 1.0))
    return frozenset(rows[near & (regions.pieces.kind[rows] == LINE)].tolist())


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


def halved(regions: Regions, region: Region, axis: Axis) -> tuple[Regions, list[Region]]:
    """A region as what lies on one side of an axis: itself, or its left half where both are alike. Raises NotPossible
    where they are not."""
    ring = regions.ring_points(region.outer, _chord(region))
    off = axis.off(ring)
    size = float(np.ptp(ring, axis=0).max())
    if off.min() >= -_BESIDE * size or off.max() <= _BESIDE * size:
        return regions, [region]
    found, left, right = halves(regions, region, axis)
    sums = [_moments(some, axis) for some in (left, right)]
    if not left or any(abs(a - b) > _ALIKE * max(a, b) for a, b in zip(*sums, strict=True)):
        (x, y), areas = region.centroid, [s[0] for s in sums]
        raise NotPossible(
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


def swept(regions: Regions, region: Region, frame: Frame, axis: Axis, step: int, *, around: bool) -> NamedShape:
    """All that a region sweeps when it is turned once about an axis, or what lies `around` that within its own largest
    radius. Raises NotPossible and KernelRefused."""
    simple, parts = halved(regions, region, axis)
    made = [turned(simple, part, frame, axis, (0.0, TURN), step, profile=region.id) for part in parts]
    core = made[0] if len(made) == 1 else combine("join", made[:1], made[1:])
    return combine("cut", [tube_around(regions, region, frame, axis, step)[0]], [core]) if around else core


def swept_volume(regions: Regions, region: Region, axis: Axis) -> float:
    """The volume (mm³) of what a region sweeps when it is turned once about an axis, by Pappus. Raises NotPossible."""
    return TURN * _moments(halved(regions, region, axis)[1], axis)[1]
