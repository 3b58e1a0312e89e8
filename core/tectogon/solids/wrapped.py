"""Outlines wrapped round a cylinder and given a thickness: what is cut over a bend. mm, radians."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepLib import BRepLib
from OCP.BRepOffset import BRepOffset_MakeSimpleOffset
from OCP.collections import Array1_double, Array1_gp_Pnt2d, Array1_int
from OCP.Geom import Geom_CylindricalSurface
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Ax3, gp_Dir, gp_Pnt, gp_Pnt2d
from OCP.TopoDS import TopoDS

from tectogon.curves import Spline
from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape


def wrapped(
    rings: Sequence[Sequence[Spline]],
    *,
    foot: FloatArray,
    axis: FloatArray,
    start: FloatArray,
    radii: tuple[float, float],
    step: int,
) -> NamedShape:
    """A solid between two radii about an axis (a point of it and its direction) whose outline is given by rings in
    angle (from the direction `start`, counter-clockwise about the axis) and height along the axis, the outer one first.
    Raises KernelRefused."""
    surface = Geom_CylindricalSurface(gp_Ax3(gp_Pnt(*foot), gp_Dir(*axis), gp_Dir(*start)), radii[0])
    with kernel.refusals("This outline could not be wrapped round its bend."):
        outer, *holes = (_wire(ring, surface) for ring in rings)
        maker = BRepBuilderAPI_MakeFace(surface, outer, True)
        for hole in holes:
            maker.Add(hole)
        thick = BRepOffset_MakeSimpleOffset(maker.Face(), radii[1] - radii[0])
        thick.SetBuildSolidFlag(True)
        thick.Perform()
        if not thick.IsDone():
            raise KernelRefused("This outline could not be wrapped round its bend.")
        solid = TopoDS.Solid(thick.GetResultShape())
        BRepLib.OrientClosedSolid_s(solid)
    return NamedShape(solid, tuple(FaceName("flat cut", step) for _ in kernel.faces_of(solid)))


def _wire(ring: Sequence[Spline], surface: Geom_CylindricalSurface) -> kernel.Shape:
    maker = BRepBuilderAPI_MakeWire()
    for spline in ring:
        edge = BRepBuilderAPI_MakeEdge(_flat(spline), surface).Edge()
        BRepLib.BuildCurves3d_s(edge)
        maker.Add(edge)
    return maker.Wire()


def _flat(spline: Spline) -> Geom2d_BSplineCurve:
    knots, counts = np.unique(spline.knots, return_counts=True)
    n = len(spline.poles)
    weights = np.ones(n) if spline.weights is None else spline.weights
    poles, w = Array1_gp_Pnt2d(1, n), Array1_double(1, n)
    for k, (x, y) in enumerate(spline.poles.tolist(), 1):
        poles.SetValue(k, gp_Pnt2d(x, y))
        w.SetValue(k, float(weights[k - 1]))
    k_out, c_out = Array1_double(1, len(knots)), Array1_int(1, len(knots))
    for k, (knot, count) in enumerate(zip(knots.tolist(), counts.tolist(), strict=True), 1):
        k_out.SetValue(k, knot)
        c_out.SetValue(k, count)
    return Geom2d_BSplineCurve(poles, w, k_out, c_out, spline.degree)
