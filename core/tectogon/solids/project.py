"""Bodies seen straight on: their edges, visible and hidden, flat in the plane of a view, as polylines or as true
curves. Exact hidden-line removal by the kernel."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
from OCP.BRepLib import BRepLib
from OCP.GeomAbs import GeomAbs_CurveType
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.HLRAlgo import HLRAlgo_Projector
from OCP.HLRBRep import HLRBRep_Algo, HLRBRep_HLRToShape

from tectogon.curves import Arc, Curve, EllipticArc, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused
from tectogon.solids import kernel
from tectogon.solids.kernel import Shape
from tectogon.solids.mesh import edge_lines
from tectogon.tolerances import TINY
from tectogon.views import Frame

_VISIBLE, _SMOOTH = ("VCompound", "OutLineVCompound"), ("Rg1LineVCompound", "RgNLineVCompound")
_HIDDEN, _HIDDEN_SMOOTH = ("HCompound", "OutLineHCompound"), ("Rg1LineHCompound",)
"""Not those of the N-th order: where a turned face meets itself there is no edge, and hidden, nobody draws it."""

_TANGENT = math.radians(0.5)
"""Faces that meet at less are one surface to whoever draws it."""


@dataclass(frozen=True)
class Projection:
    """Edges as polylines in the sheet's coordinates of a view (mm): visible, visible but tangent (drawn or not, as one
    likes), hidden, hidden but tangent."""

    visible: list[FloatArray]
    smooth: list[FloatArray]
    hidden: list[FloatArray]
    hidden_smooth: list[FloatArray]


@dataclass(frozen=True)
class SeenEdges:
    """The same as true curves: visible, visible but tangent, hidden."""

    visible: list[Curve]
    smooth: list[Curve]
    hidden: list[Curve]


def project(shapes: list[Shape], frame: Frame, *, chord_tol: float) -> Projection:
    """All edges of bodies as a viewer of this frame sees them. Raises KernelRefused where the kernel gives none."""
    found = _seen_by(shapes, frame)
    return Projection(
        *(
            [line for name in names for line in _lines(found[name], chord_tol)]
            for names in (_VISIBLE, _SMOOTH, _HIDDEN, _HIDDEN_SMOOTH)
        )
    )


def edges_seen(shapes: list[Shape], frame: Frame) -> SeenEdges:
    """All edges of bodies as a viewer of this frame sees them, as curves. Raises KernelRefused where the kernel gives
    none."""
    found = _seen_by(shapes, frame)
    return SeenEdges(*([c for name in names for c in _curves(found[name])] for names in (_VISIBLE, _SMOOTH, _HIDDEN)))


def _seen_by(shapes: list[Shape], frame: Frame) -> dict[str, Shape]:
    """The kernel's compounds of edges, by name. Raises KernelRefused where no edge is seen."""
    algorithm = HLRBRep_Algo()
    for shape in shapes:
        copy = BRepBuilderAPI_Copy(shape).Shape()
        BRepLib.EncodeRegularity_s(copy, _TANGENT)
        algorithm.Add(copy)
    with kernel.refusals("The part could not be projected."):
        algorithm.Projector(
            HLRAlgo_Projector(gp_Ax2(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x_dir)))
        )
        algorithm.Update()
        algorithm.Hide()
        found = HLRBRep_HLRToShape(algorithm)
        out = {name: getattr(found, name)() for name in (*_VISIBLE, *_SMOOTH, *_HIDDEN, *_HIDDEN_SMOOTH)}
        for compound in out.values():
            if compound is not None and not compound.IsNull():
                BRepLib.BuildCurves3d_s(compound)
    if not any(len(_edges(out[name])) for name in _VISIBLE):
        raise KernelRefused("The part could not be projected: no edge is seen from there.")
    return out


def _edges(compound: Shape) -> list[Shape]:
    return [] if compound is None or compound.IsNull() else kernel.edges_of(compound)


def _lines(compound: Shape, chord_tol: float) -> list[FloatArray]:
    if compound is None or compound.IsNull():
        return []
    return [line[:, :2] for line in edge_lines(compound, chord_tol=chord_tol) if len(line) > 1]


def _curves(compound: Shape) -> Iterator[Curve]:
    for edge in _edges(compound):
        adaptor = BRepAdaptor_Curve(edge)
        low, high = adaptor.FirstParameter(), adaptor.LastParameter()
        if high - low <= TINY:
            continue
        yield _edge_on(adaptor, low, high) or _curve(adaptor, low, high)


def _edge_on(adaptor: Any, low: float, high: float) -> Line | None:
    """A circle or a free curve that is seen from its side, as the line that it covers; None for others."""
    if adaptor.GetType() in (GeomAbs_CurveType.GeomAbs_Line, GeomAbs_CurveType.GeomAbs_Circle):
        return None

    def at(t: FloatArray) -> FloatArray:
        points = [adaptor.Value(v) for v in t.tolist()]
        return np.array([(p.X(), p.Y()) for p in points])

    few = at(np.linspace(low, high, 5))
    off = few - few[0]
    far = off[int((off * off).sum(axis=1).argmax())]
    size = float(np.hypot(*far))
    if size <= TINY or float(np.abs(off @ [-far[1], far[0]]).max()) > _STRAIGHT * size * size:
        return None
    t = np.linspace(low, high, _SAMPLES)
    many = at(t) - few[0]
    along = many @ (far / size)
    if float(np.abs(many @ [-far[1], far[0]]).max()) > _STRAIGHT * size * size:
        return None

    def onwards(v: FloatArray) -> FloatArray:
        return np.asarray((at(v) - few[0]) @ (far / size))

    ends = [-_furthest(lambda v: -onwards(v), t, -along), _furthest(onwards, t, along)]
    (x0, y0), (x1, y1) = (few[0] + ends[0] * far / size).tolist(), (few[0] + ends[1] * far / size).tolist()
    return Line(x0, y0, x1, y1)


def _furthest(value: Callable[[FloatArray], FloatArray], t: FloatArray, sampled: FloatArray) -> float:
    """The largest value between samples, closed in on."""
    n = int(sampled.argmax())
    if n in (0, len(t) - 1):
        return float(sampled[n])
    a, b = float(t[n - 1]), float(t[n + 1])
    best = float(sampled[n])
    for _ in range(_CLOSER):
        inner = np.linspace(a, b, 9)
        found = value(inner)
        k = int(found.argmax())
        best, a, b = float(found[k]), float(inner[max(k - 1, 0)]), float(inner[min(k + 1, 8)])
    return best


def curve_of_edge(edge: Shape) -> Curve:
    """An edge that lies in the plane z = 0 as a curve of it."""
    adaptor = BRepAdaptor_Curve(edge)
    return _curve(adaptor, adaptor.FirstParameter(), adaptor.LastParameter())


def _curve(adaptor: Any, low: float, high: float) -> Curve:
    """An edge that lies in the plane of a view as a curve of that plane."""
    kind = adaptor.GetType()
    if kind == GeomAbs_CurveType.GeomAbs_Line:
        a, b = adaptor.Value(low), adaptor.Value(high)
        return Line(a.X(), a.Y(), b.X(), b.Y())
    if kind in (GeomAbs_CurveType.GeomAbs_Circle, GeomAbs_CurveType.GeomAbs_Ellipse):
        conic = adaptor.Circle() if kind == GeomAbs_CurveType.GeomAbs_Circle else adaptor.Ellipse()
        centre, x, y = conic.Location(), conic.XAxis().Direction(), conic.YAxis().Direction()
        way = 1.0 if x.X() * y.Y() - x.Y() * y.X() > 0.0 else -1.0
        if kind == GeomAbs_CurveType.GeomAbs_Circle:
            start = math.atan2(x.Y(), x.X()) + way * low
            return Arc(centre.X(), centre.Y(), conic.Radius(), start, way * (high - low))
        major, ratio = conic.MajorRadius(), conic.MinorRadius() / conic.MajorRadius()
        return EllipticArc(centre.X(), centre.Y(), major * x.X(), major * x.Y(), ratio, way * low, way * (high - low))
    if kind == GeomAbs_CurveType.GeomAbs_BSplineCurve:
        return _spline(adaptor, low, high)
    from scipy.interpolate import make_interp_spline

    t = np.linspace(low, high, _SAMPLES)
    points = [adaptor.Value(float(v)) for v in t]
    made = make_interp_spline(np.linspace(0.0, 1.0, len(t)), [(p.X(), p.Y()) for p in points], k=3)
    return Spline.of(3, np.asarray(made.t, float), np.asarray(made.c, float))


_SAMPLES = 33
_STRAIGHT, _CLOSER = 1e-7, 8


def _spline(adaptor: Any, low: float, high: float) -> Spline:
    curve = adaptor.BSpline()
    if curve.IsPeriodic():
        curve.SetNotPeriodic()
    curve.Segment(max(low, curve.FirstParameter()), min(high, curve.LastParameter()))
    poles = [curve.Pole(n + 1) for n in range(curve.NbPoles())]
    weights = np.array([curve.Weight(n + 1) for n in range(curve.NbPoles())]) if curve.IsRational() else None
    knots = np.repeat(
        [curve.Knot(n + 1) for n in range(curve.NbKnots())], [curve.Multiplicity(n + 1) for n in range(curve.NbKnots())]
    )
    return Spline.of(curve.Degree(), knots, np.array([(p.X(), p.Y()) for p in poles]), weights)
