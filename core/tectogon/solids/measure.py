"""What can be measured on bodies: volume, surface, extents, and the figures of single faces and edges. mm, mm², mm³."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAbs import GeomAbs_CurveType, GeomAbs_SurfaceType
from OCP.gp import gp_Dir, gp_Lin, gp_Pln, gp_Pnt, gp_Vec
from OCP.GProp import GProp_GProps
from OCP.IntCurvesFace import IntCurvesFace_ShapeIntersector
from OCP.TopAbs import TopAbs_Orientation

from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused
from tectogon.solids.kernel import Shape, edges_of, refusals

_ACCURACY = 1e-9


def volume(shape: Shape) -> float:
    """Volume in mm³ by Gauss–Kronrod integration, span by span.

    On a body bounded by one long pointed spline the kernel's plain integration was 6 % off and its adaptive one 20 %;
    this one was right to 2e-9, and on a plate with 200 holes it takes an eighth of the time.
    """
    properties = GProp_GProps()
    BRepGProp.VolumePropertiesGK_s(shape, properties, _ACCURACY, False, True, False, False, False)
    return float(properties.Mass())


def area(face: Shape) -> float:
    """Area of a face in mm². A flat one with a spline in its boundary is measured as what lies between it and two
    planes 1 mm apart."""
    adaptor = BRepAdaptor_Surface(face)
    if adaptor.GetType() == GeomAbs_SurfaceType.GeomAbs_Plane and any(_is_spline(edge) for edge in edges_of(face)):
        plane = adaptor.Plane()
        above = plane.Translated(gp_Vec(plane.Axis().Direction()))
        return abs(_under(face, above) - _under(face, plane))
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties, _ACCURACY, False)
    return float(properties.Mass())


def _is_spline(edge: Shape) -> bool:
    return bool(
        BRepAdaptor_Curve(edge).GetType()
        in (GeomAbs_CurveType.GeomAbs_BSplineCurve, GeomAbs_CurveType.GeomAbs_BezierCurve)
    )


def _under(face: Shape, plane: gp_Pln) -> float:
    properties = GProp_GProps()
    BRepGProp.VolumePropertiesGK_s(face, properties, plane, _ACCURACY, False, True, False, False, False)
    return float(properties.Mass())


def bounds(shape: Shape) -> tuple[float, float, float, float, float, float]:
    """xmin, ymin, zmin, xmax, ymax, zmax on the true geometry."""
    box = Bnd_Box()
    BRepBndLib.AddOptimal_s(shape, box, False, False)
    if box.IsVoid():
        return (0.0,) * 6
    low, high = box.CornerMin(), box.CornerMax()
    return (low.X(), low.Y(), low.Z(), high.X(), high.Y(), high.Z())


def joint_bounds(shapes: list[Shape]) -> tuple[float, ...]:
    """The extents of several bodies together; zeros for none."""
    if not shapes:
        return (0.0,) * 6
    boxes = np.array([bounds(s) for s in shapes])
    return (*boxes[:, :3].min(axis=0).tolist(), *boxes[:, 3:].max(axis=0).tolist())


def distance(a: Shape, b: Shape) -> tuple[float, list[float], list[float]]:
    """The least distance (mm) between two shapes, and a nearest point of each. Raises KernelRefused."""
    with refusals("The distance between these two could not be found."):
        found = BRepExtrema_DistShapeShape(a, b)
        if not found.IsDone():
            raise KernelRefused("The distance between these two could not be found.")
        return float(found.Value()), _xyz(found.PointOnShape1(1)), _xyz(found.PointOnShape2(1))


def distance_to(shape: Shape, point: tuple[float, float, float]) -> float:
    """The least distance (mm) of a point from a shape. Raises KernelRefused."""
    return distance(shape, BRepBuilderAPI_MakeVertex(gp_Pnt(*point)).Vertex())[0]


def face_facts(face: Shape, *, measured: float | None = None) -> dict[str, Any]:
    """What a face is: its kind, its area (mm²; the one `measured`, where it is known), and radius, axis or normal where
    it has one."""
    adaptor = BRepAdaptor_Surface(face)
    facts: dict[str, Any] = {"area": area(face) if measured is None else measured}
    kind = adaptor.GetType()
    if kind == GeomAbs_SurfaceType.GeomAbs_Plane:
        plane = adaptor.Plane()
        facts |= {
            "kind": "flat",
            "point": _xyz(plane.Location()),
            "direction": _xyz(plane.Axis().Direction()),
            "normal": _outward(face, plane).tolist(),
        }
    elif kind == GeomAbs_SurfaceType.GeomAbs_Cylinder:
        cylinder = adaptor.Cylinder()
        facts |= {
            "kind": "cylinder",
            "radius": cylinder.Radius(),
            "point": _xyz(cylinder.Location()),
            "direction": _xyz(cylinder.Axis().Direction()),
        }
    elif kind == GeomAbs_SurfaceType.GeomAbs_Cone:
        facts |= {"kind": "cone", "radius": adaptor.Cone().RefRadius()}
    else:
        facts["kind"] = "curved"
    return facts


def plane_of(face: Shape) -> tuple[FloatArray, FloatArray] | None:
    """Centre (3,) of a flat face's extents and its outward normal (3,); None for a face that is not flat."""
    adaptor = BRepAdaptor_Surface(face)
    if adaptor.GetType() != GeomAbs_SurfaceType.GeomAbs_Plane:
        return None
    plane = adaptor.Plane()
    normal = _outward(face, plane)
    box = np.array(bounds(face))
    middle = (box[:3] + box[3:]) / 2.0
    return middle - ((middle - np.array(_xyz(plane.Location()))) @ normal) * normal, normal


def _outward(face: Shape, plane: gp_Pln) -> FloatArray:
    """The unit normal (3,) of a flat face that points out of its body."""
    way = -1.0 if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else 1.0
    return (way if plane.Direct() else -way) * np.array(_xyz(plane.Axis().Direction()))


def edge_facts(edge: Shape) -> dict[str, Any]:
    """What an edge is: its kind, length, and radius and centre, or ends."""
    adaptor = BRepAdaptor_Curve(edge)
    facts: dict[str, Any] = {"length": float(GCPnts_AbscissaPoint.Length_s(adaptor))}
    kind = adaptor.GetType()
    if kind == GeomAbs_CurveType.GeomAbs_Line:
        line = adaptor.Line()
        facts |= {"kind": "straight", "point": _xyz(line.Location()), "direction": _xyz(line.Direction())}
    elif kind == GeomAbs_CurveType.GeomAbs_Circle:
        circle = adaptor.Circle()
        facts |= {
            "kind": "round",
            "radius": circle.Radius(),
            "point": _xyz(circle.Location()),
            "direction": _xyz(circle.Axis().Direction()),
        }
    else:
        facts["kind"] = "curved"
    return facts


def edge_ends(edge: Shape) -> FloatArray:
    """Where an edge begins and ends (2, 3), mm; the same place twice for a closed one."""
    adaptor = BRepAdaptor_Curve(edge)
    return np.array([_xyz(adaptor.Value(adaptor.FirstParameter())), _xyz(adaptor.Value(adaptor.LastParameter()))])


def hits_along(shapes: list[Shape], start: tuple[float, float, float], way: tuple[float, float, float]) -> list[float]:
    """How far along a line (from `start`, unit vector `way`, both directions) it passes through faces of shapes, in
    order, mm."""
    found: set[float] = set()
    for shape in shapes:
        inter = IntCurvesFace_ShapeIntersector()
        inter.Load(shape, 1e-7)
        inter.Perform(gp_Lin(gp_Pnt(*start), gp_Dir(*way)), -1e9, 1e9)
        found |= {round(float(inter.WParameter(n)), 9) for n in range(1, inter.NbPnt() + 1)}
    return sorted(found)


def is_degenerate(edge: Shape) -> bool:
    """Whether an edge has no length: the tip of a cone."""
    return bool(BRep_Tool.Degenerated_s(edge))


def _xyz(value: Any) -> list[float]:
    return [value.X(), value.Y(), value.Z()]
