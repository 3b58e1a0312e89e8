"""Sections pulled along straight lines and turned about axes, each piece going on where the one before ends: what runs
along a smooth path of lines and arcs.

The pieces are the kernel's own prisms and bodies of revolution of one face, and share its edges, so nothing is fitted
or sewn; the body is as sound as its section, as long as it does not run into itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism, BRepPrimAPI_MakeRevol
from OCP.gp import gp_Ax1, gp_Ax3, gp_Dir, gp_Pln, gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS_Shell, TopoDS_Solid

from tectogon.curves import Curve
from tectogon.errors import KernelRefused, Place
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.kernel import Shape
from tectogon.solids.prism import wire_of
from tectogon.solids.skin import Turn, Vector
from tectogon.views import Frame


def pulled(
    rings: Sequence[Sequence[Curve]],
    names: Sequence[Sequence[str]],
    frame: Frame,
    ways: Sequence[Vector | Turn],
    operation: int,
    profile: str,
    place: Place,
) -> NamedShape:
    """The solid of a section: its rings, outer first, and the ids of their curves, in the plane of a frame; pulled by
    vectors (mm) and turned in order. Its faces are named after the operation, the profile and the curves. Raises
    KernelRefused naming the curves."""
    named: list[tuple[Shape, FaceName]] = []
    with kernel.refusals("The solid kernel could not make this body; look at its outline.", place):
        face, edges = _section(rings, names, frame)
        for n, way in enumerate(ways):
            maker = _maker(face, way)
            outward = kernel.map_of(maker.Shape(), TopAbs_ShapeEnum.TopAbs_FACE)
            if n == 0:
                named.append((_as_in(outward, maker.FirstShape()), FaceName("start", operation, None, profile)))
            for k, (edge, name) in enumerate(edges):
                side = FaceName("side", operation, name, profile)
                named += [(_as_in(outward, f), side) for f in kernel.each(maker.Generated(edge))]
                edges[k] = (maker.LastShape(edge), name)
            face = maker.LastShape()
            if n == len(ways) - 1:
                named.append((_as_in(outward, face), FaceName("end", operation, None, profile)))
        make, shell, solid = BRep_Builder(), TopoDS_Shell(), TopoDS_Solid()
        make.MakeShell(shell)
        for face, _ in named:
            make.Add(shell, face)
        shell.Closed(True)
        make.MakeSolid(solid)
        make.Add(solid, shell)
    return NamedShape.of(solid, named)


def _as_in(faces: Any, face: Shape) -> Shape:
    """A face as it runs in a solid whose faces are given: its normal outwards."""
    return faces.FindKey(faces.FindIndex(face))


def _section(
    rings: Sequence[Sequence[Curve]], names: Sequence[Sequence[str]], frame: Frame
) -> tuple[Shape, list[tuple[Shape, str]]]:
    """Rings in the plane of a frame as a face, and its edges with the ids of their curves."""
    edges: list[tuple[Shape, str]] = []
    plane = gp_Pln(gp_Ax3(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x_dir)))
    maker = None
    for ring, ids in zip(rings, names, strict=True):
        wire = wire_of([(c, i, False, _ends(c)) for c, i in zip(ring, ids, strict=True)], frame, 0.0, edges)
        if maker is None:
            maker = BRepBuilderAPI_MakeFace(plane, wire, True)
        else:
            maker.Add(wire)
    if maker is None or not maker.IsDone():
        raise KernelRefused("The solid kernel could not make a face of this section.")
    return maker.Face(), edges


def _ends(curve: Curve) -> list[list[float]]:
    found: list[list[float]] = np.asarray(curve.points(np.array([0.0, 1.0]))).tolist()
    return found


def _maker(face: Shape, way: Vector | Turn) -> Any:
    if isinstance(way, Turn):
        return BRepPrimAPI_MakeRevol(face, gp_Ax1(gp_Pnt(*way.point), gp_Dir(*way.way)), way.angle)
    return BRepPrimAPI_MakePrism(face, gp_Vec(*way))
