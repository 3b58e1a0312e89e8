"""What can be measured on bodies: volume, surface, extents, and the figures of single faces and edges. mm, mm², mm³."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAbs import GeomAbs_CurveType, GeomAbs_SurfaceType
from OCP.GProp import GProp_GProps

from tectogon.errors import KernelRefused
from tectogon.solids.kernel import Shape, refusals

_ACCURACY = 1e-9


def volume(shape: Shape) -> float:
    """Volume in mm³ by adaptive integration (the kernel's plain one was 20 % off on a body bounded by one long pointed spline)."""
    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, properties, _ACCURACY, False, False)
    return float(properties.Mass())


def centre_of_mass(shape: Shape) -> tuple[float, float, float]:
    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, properties, _ACCURACY, False, False)
    c = properties.CentreOfMass()
    return (c.X(), c.Y(), c.Z())


def surface(shape: Shape) -> float:
    """Surface in mm²."""
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, properties, _ACCURACY, False)
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


def face_facts(face: Shape) -> dict[str, Any]:
    """What a face is: its kind, area, and radius, axis or normal where it has one."""
    adaptor = BRepAdaptor_Surface(face)
    facts: dict[str, Any] = {"area": surface(face)}
    kind = adaptor.GetType()
    if kind == GeomAbs_SurfaceType.GeomAbs_Plane:
        plane = adaptor.Plane()
        facts |= {"kind": "flat", "point": _xyz(plane.Location()), "direction": _xyz(plane.Axis().Direction())}
    elif kind == GeomAbs_SurfaceType.GeomAbs_Cylinder:
        cylinder = adaptor.Cylinder()
        facts |= {"kind": "cylinder", "radius": cylinder.Radius(), "point": _xyz(cylinder.Location()), "direction": _xyz(cylinder.Axis().Direction())}
    elif kind == GeomAbs_SurfaceType.GeomAbs_Cone:
        facts |= {"kind": "cone", "radius": adaptor.Cone().RefRadius()}
    else:
        facts["kind"] = "curved"
    return facts


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
        facts |= {"kind": "round", "radius": circle.Radius(), "point": _xyz(circle.Location()), "direction": _xyz(circle.Axis().Direction())}
    else:
        facts["kind"] = "curved"
    return facts


def is_degenerate(edge: Shape) -> bool:
    return bool(BRep_Tool.Degenerated_s(edge))


def _xyz(value: Any) -> list[float]:
    return [value.X(), value.Y(), value.Z()]
