"""Edges of faces laid flat: of a flat face moved into a plane, of a cylinder rolled out. mm."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.gp import gp_Trsf
from OCP.TopoDS import TopoDS

from tectogon.curves import Curve, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.fit import spline_through
from tectogon.solids.kernel import Shape
from tectogon.solids.project import curve_of_edge

_SAMPLES = 49


def moved_flat(edge: Shape, matrix: FloatArray) -> Curve:
    """An edge as a curve of the plane z = 0 that a rigid motion (3, 4) brings it to."""
    motion = gp_Trsf()
    motion.SetValues(*(float(v) for v in matrix.ravel()))
    return curve_of_edge(TopoDS.Edge(BRepBuilderAPI_Transform(edge, motion, True).Shape()))


def rolled_out(edge: Shape, flat: Callable[[FloatArray], FloatArray]) -> Curve:
    """An edge of a cylinder rolled out by a map of points (n, 3) to the plane (n, 2): straight where that is, else a
    spline through points of it."""
    curve = BRepAdaptor_Curve(edge)
    t = np.linspace(curve.FirstParameter(), curve.LastParameter(), _SAMPLES)
    at = [curve.Value(float(v)) for v in t]
    points = flat(np.array([(p.X(), p.Y(), p.Z()) for p in at]))
    chord = points[-1] - points[0]
    size = float(np.hypot(*chord))
    off = np.abs((points - points[0]) @ np.array([-chord[1], chord[0]])).max() / max(size, 1e-12)
    if size > 0.0 and off <= 1e-7 * size:
        (x0, y0), (x1, y1) = points[0].tolist(), points[-1].tolist()
        return Line(x0, y0, x1, y1)
    return spline_through(points)
