"""Profiles to solids of revolution: a face turned about a line of its own plane."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Trsf

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE
from tectogon.errors import KernelRefused
from tectogon.profiles import Region, Regions
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.prism import face_of, place_of
from tectogon.tolerances import ANGLE_TOL, HAIR
from tectogon.views import Frame

_CYLINDER = 1e-7


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
