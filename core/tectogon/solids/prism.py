"""Profiles to faces to prisms. A profile with its holes is one face and one prism.

Vertices are shared and edges are added in order by hand: the kernel's own wire builder takes 2 s for 5,000 edges, this
7 ms.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeVertex
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.collections import Array1_double, Array1_gp_Pnt, Array1_int
from OCP.Geom import Geom_BSplineCurve, Geom_Circle, Geom_Ellipse, Geom_Line
from OCP.gp import gp_Ax2, gp_Ax3, gp_Circ, gp_Dir, gp_Elips, gp_Pln, gp_Pnt, gp_Vec
from OCP.TopoDS import TopoDS_Wire

from tectogon.curves import Arc, Curve, EllipticArc, Line, Spline
from tectogon.errors import KernelRefused, Place
from tectogon.linework import identity
from tectogon.profiles import Region, Regions
from tectogon.profiles.pinch import pinch_of
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.kernel import Shape
from tectogon.tolerances import KERNEL_TOL
from tectogon.views import Frame


def prism(
    regions: Regions,
    region: Region,
    frame: Frame,
    start: float,
    end: float,
    operation: int,
    *,
    profile: str | None = None,
) -> NamedShape:
    """A region raised from height `start` to height `end` (mm along the frame's normal), its faces named after the
    operation and the profile (the region itself, unless it is a part of another). What is made first lies at the
    start: where that is the plane of a face, a cut takes half the time.

    Raises KernelRefused naming the curves when the outline pinches itself or the kernel gives no solid.
    """
    face, named_edges = face_of(regions, region, frame, start)
    direction = np.asarray(frame.normal) * (end - start)
    with kernel.refusals(
        "The solid kernel could not raise this profile: its boundary does not run from curve to curve.",
        place_of(regions, region),
    ):
        maker = BRepPrimAPI_MakePrism(face, gp_Vec(*direction.tolist()))
    if not maker.IsDone():
        raise KernelRefused("The solid kernel could not raise this profile.", place_of(regions, region))
    profile = profile or region.id
    pairs = [
        (maker.FirstShape(), FaceName("start", operation, None, profile)),
        (maker.LastShape(), FaceName("end", operation, None, profile)),
    ]
    for edge, curve in named_edges:
        pairs += [(side, FaceName("side", operation, curve, profile)) for side in kernel.each(maker.Generated(edge))]
    return NamedShape.of(maker.Shape(), pairs)


def place_of(regions: Regions, region: Region) -> Place:
    """A region as a place on the sheet."""
    return Place(regions.curves_of(region.outer), region.centroid)


def _refuse_touching_holes(regions: Regions, region: Region) -> None:
    """A hole that touches the outline, or another hole, in a point gives a solid that is no solid there."""
    found = pinch_of(regions, region)
    if found is not None:
        x, y = found[1]
        raise KernelRefused(
            f"The profile pinches to a point at x {x:.3f}, y {y:.3f} mm: a hole touches the boundary there, and a solid"
            " of no width can't be made. Move the hole, or leave one of the two out.",
            Place(place_of(regions, region).curves, (x, y)),
        )


def face_of(
    regions: Regions, region: Region, frame: Frame, height: float, *, as_splines: frozenset[int] = frozenset()
) -> tuple[Shape, list[tuple[Shape, str]]]:
    """A region as one face at a height (mm) over the plane of a frame, and its edges with the ids of their pieces;
    lines of the rows `as_splines` as splines of degree 1. Raises KernelRefused naming the curves."""
    _refuse_touching_holes(regions, region)
    plane = gp_Pln(gp_Ax3(gp_Pnt(*frame.at(0.0, 0.0, height)), gp_Dir(*frame.normal), gp_Dir(*frame.x_dir)))
    rings = (region.outer, *region.holes)
    ends = regions.pieces.ends[np.concatenate([ring.rows for ring in rings])].tolist()
    named: list[tuple[Shape, str]] = []
    maker, at = None, 0
    for ring in rings:
        pieces = []
        for row, against in zip(ring.rows.tolist(), ring.against.tolist(), strict=True):
            curve = regions.pieces.curve(row)
            if row in as_splines and isinstance(curve, Line):
                corners = np.array([[curve.x0, curve.y0], [curve.x1, curve.y1]])
                curve = Spline.of(1, np.array([0.0, 0.0, 1.0, 1.0]), corners)
            pieces.append((curve, regions.piece_ids[row], against, ends[at]))
            at += 1
        wire = wire_of(pieces, frame, height, named)
        if maker is None:
            maker = BRepBuilderAPI_MakeFace(plane, wire, True)
        else:
            maker.Add(wire)
    if maker is None or not maker.IsDone():
        raise KernelRefused("The solid kernel could not make a face of this profile.", place_of(regions, region))
    return maker.Face(), named


def wire_of(
    pieces: Sequence[tuple[Curve, str, bool, list[list[float]]]],
    frame: Frame,
    height: float,
    named: list[tuple[Shape, str]],
) -> Shape:
    """A ring of pieces as a closed wire at a height (mm) over the plane of a frame: each its curve, its id, whether it
    runs against the ring, and its two ends. Its edges are added to `named` with the ids. Raises KernelRefused."""
    builder = BRep_Builder()
    wire = TopoDS_Wire()
    builder.MakeWire(wire)
    starts = [ends[1] if against else ends[0] for _, _, against, ends in pieces]
    vertices = [BRepBuilderAPI_MakeVertex(gp_Pnt(*frame.at(x, y, height))).Vertex() for x, y in starts]
    count = len(pieces)
    for n, (curve, name, against, ends) in enumerate(pieces):
        following = (n + 1) % count
        gap = math.dist(ends[0] if against else ends[1], starts[following])
        if gap > 0.5e-7:
            builder.UpdateVertex(vertices[following], gap * 1.2)
        first, last = (vertices[following], vertices[n]) if against else (vertices[n], vertices[following])
        edge = _edge(curve, frame, height, first, last, name)
        builder.Add(wire, edge.Reversed() if against else edge)
        named.append((edge, name))
    wire.Closed(True)
    return wire


def _edge(curve: Curve, frame: Frame, height: float, first: Shape, last: Shape, name: str) -> Shape:
    shape, low, high = geometry(curve, frame, height)
    if high - low <= 0 or (isinstance(curve, Line) and curve.length < KERNEL_TOL):
        raise KernelRefused(f"The piece {name} is too short for a solid ({KERNEL_TOL} mm).", Place((name,)))
    maker = BRepBuilderAPI_MakeEdge(shape, first, last, low, high)
    if not maker.IsDone():
        raise KernelRefused(
            f"The solid kernel refuses the curve {name}: its ends do not lie where its neighbours end.",
            Place((identity.whole(name),)),
        )
    return maker.Edge()


def geometry(curve: Curve, frame: Frame, height: float) -> tuple[Any, float, float]:
    """A curve at a height (mm) over the plane of a frame, as the kernel has it, and the range of its parameter: the
    length of a line, the angle of an arc (its axis turned so that it rises), 0 to 1 of a spline."""
    if isinstance(curve, Line):
        a, b = frame.at(curve.x0, curve.y0, height), frame.at(curve.x1, curve.y1, height)
        length = math.dist(a, b)
        if length <= 0.0:
            return None, 0.0, 0.0
        return Geom_Line(gp_Pnt(*a), gp_Dir(b[0] - a[0], b[1] - a[1], b[2] - a[2])), 0.0, length
    if isinstance(curve, Spline):
        return _spline(curve, frame, height), 0.0, 1.0
    way = 1.0 if curve.sweep > 0 else -1.0
    centre = gp_Pnt(*frame.at(curve.cx, curve.cy, height))
    normal = gp_Dir(*(way * n for n in frame.normal))
    if isinstance(curve, Arc):
        axes = gp_Ax2(centre, normal, gp_Dir(*frame.x_dir))
        return (
            Geom_Circle(gp_Circ(axes, curve.radius)),
            way * curve.start_angle,
            way * (curve.start_angle + curve.sweep),
        )
    return _ellipse(curve, frame, centre, way)


def _ellipse(curve: EllipticArc, frame: Frame, centre: gp_Pnt, way: float) -> tuple[Any, float, float]:
    x, y = np.asarray(frame.x_dir, float), np.asarray(frame.y_dir, float)
    major = math.hypot(curve.mx, curve.my)
    along = (curve.mx * x + curve.my * y) / major
    start = way * curve.start_param
    size = major * curve.ratio
    if curve.ratio > 1.0:
        along = way * (curve.mx * y - curve.my * x) / major
        start -= math.pi / 2.0
        major, size = size, major
    axes = gp_Ax2(centre, gp_Dir(*(way * np.asarray(frame.normal)).tolist()), gp_Dir(*along.tolist()))
    return Geom_Ellipse(gp_Elips(axes, major, size)), start, start + abs(curve.sweep)


def _spline(curve: Spline, frame: Frame, height: float) -> Any:
    knots, multiplicity = np.unique(np.round(curve.knots, 13), return_counts=True)
    multiplicity = np.minimum(multiplicity, curve.degree + 1)
    multiplicity[1:-1] = np.minimum(multiplicity[1:-1], curve.degree)
    poles = Array1_gp_Pnt(1, len(curve.poles))
    for i, p in enumerate(frame.place(curve.poles, height).tolist()):
        poles.SetValue(i + 1, gp_Pnt(*p))
    knot_array, count_array = Array1_double(1, len(knots)), Array1_int(1, len(knots))
    for i, (k, m) in enumerate(zip(knots.tolist(), multiplicity.tolist(), strict=True)):
        knot_array.SetValue(i + 1, k)
        count_array.SetValue(i + 1, m)
    if curve.weights is None:
        return Geom_BSplineCurve(poles, knot_array, count_array, curve.degree)
    weights = Array1_double(1, len(curve.weights))
    for i, w in enumerate(curve.weights.tolist()):
        weights.SetValue(i + 1, w)
    return Geom_BSplineCurve(poles, weights, knot_array, count_array, curve.degree)
