"""Skins to solids. Vertices, edges and faces are made here and shared, so nothing is sewn, cut or guessed: planes stay
planes, arcs about one axis become cones and cylinders, what turns becomes a surface of revolution, all else a B-spline
surface.

Tried first and dropped: the kernel's own lofting (it matches by its own rules, and holes are a cut each), its drafting
(refuses free curves) and its sweeping (a third of the volume on a polyline, and that passes for valid).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeVertex
from OCP.collections import Array1_double, Array1_gp_Pnt, Array1_gp_Pnt2d, Array1_int, Array2_double, Array2_gp_Pnt
from OCP.Geom import (
    Geom_BSplineCurve,
    Geom_BSplineSurface,
    Geom_Circle,
    Geom_ConicalSurface,
    Geom_CylindricalSurface,
    Geom_Line,
    Geom_SurfaceOfRevolution,
    Geom_ToroidalSurface,
)
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Ax1, gp_Ax2, gp_Ax3, gp_Circ, gp_Dir, gp_Pln, gp_Pnt, gp_Pnt2d
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Edge, TopoDS_Face, TopoDS_Shell, TopoDS_Solid, TopoDS_Wire
from scipy.interpolate import make_interp_spline

from tectogon.curves import Arc, Curve, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused, Place
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.kernel import Shape
from tectogon.solids.prism import geometry
from tectogon.solids.skin import (
    Conic,
    Patch,
    Skin,
    Span,
    Turn,
    Vector,
    curves_of,
    ends_of,
    is_point,
    is_round,
    is_smooth,
    surface_of,
)
from tectogon.solids.surfaces import SurfacePatch
from tectogon.tolerances import HAIR, KERNEL_TOL
from tectogon.views import Frame

_TOL = 1e-7
_FLAT = 2e-8
"""Sides that stand out from a plane by no more (mm) are flat; the kernel lets five times that pass."""
_NOWHERE = TopLoc_Location()


def skinned(skin: Skin, operation: int, profile: str, place: Place) -> NamedShape:
    """The solid that a skin bounds, its faces named after the operation, the profile and the curves. Raises
    KernelRefused naming the curves."""
    with kernel.refusals("The solid kernel could not make this body; look at its outline.", place):
        return _Builder(skin, operation, profile, place).solid()


@dataclass(frozen=True)
class _Edge:
    """An edge with its shape and the range of its parameter."""

    edge: Shape
    shape: Any
    low: float
    high: float


@dataclass
class _Section:
    """A section as the kernel has it: for each ring its curves, its vertices (at least one), and its edges, each from
    its vertex to the next."""

    frame: Frame
    curves: list[list[Curve]]
    vertices: list[list[Shape]] = field(default_factory=list)
    edges: list[list[_Edge]] = field(default_factory=list)


class _Builder:
    """Makes one solid; used once."""

    def __init__(self, skin: Skin, operation: int, profile: str, place: Place) -> None:
        self.skin, self.operation, self.profile, self.place = skin, operation, profile, place
        self.make = BRep_Builder()
        self.named: list[tuple[Shape, FaceName]] = []
        self.sections = [self._section(n) for n in range(len(skin.frames) - (1 if skin.closed else 0))]

    def solid(self) -> NamedShape:
        skin = self.skin
        shells: list[list[Shape]] = []
        for k in range(len(skin.spans[0].rings)):
            begin = len(self.named)
            for n, span in enumerate(skin.spans):
                self._faces(span, k, self.sections[n], self.sections[(n + 1) % len(self.sections)])
            shells.append([face for face, _ in self.named[begin:]])
        if not skin.closed:
            self._cap(self.sections[0], "start")
            self._cap(self.sections[-1], "end")
            shells = [[face for face, _ in self.named]]
        solid = TopoDS_Solid()
        self.make.MakeSolid(solid)
        for faces in shells:
            shell = TopoDS_Shell()
            self.make.MakeShell(shell)
            for face in faces:
                self.make.Add(shell, face)
            shell.Closed(True)
            self.make.Add(solid, shell)
        return NamedShape.of(solid, self.named)

    def _section(self, number: int) -> _Section:
        last = number == len(self.skin.spans)
        span = self.skin.spans[number - 1 if last else number]
        out = _Section(self.skin.frames[number], [curves_of(ring, top=last) for ring in span.rings])
        for ring, curves in zip(span.rings, out.curves, strict=True):
            tips = [ends_of(c)[0] for c in curves] or [ends_of(ring[0].top if last else ring[0].bottom)[0]]
            around = [BRepBuilderAPI_MakeVertex(gp_Pnt(*out.frame.at(*p.tolist()))).Vertex() for p in tips]
            out.vertices.append(around)
            edges = []
            for n, curve in enumerate(curves):
                after = (n + 1) % len(around)
                gap = float(np.hypot(*(ends_of(curve)[1] - tips[after])))
                if gap > 0.5e-7:
                    self.make.UpdateVertex(around[after], gap * 1.2)
                shape, low, high = geometry(curve, out.frame, 0.0)
                if high - low <= 0 or (isinstance(curve, Line) and curve.length < KERNEL_TOL):
                    raise KernelRefused(
                        f"A piece would be shorter than a solid can have ({KERNEL_TOL} mm).", self.place
                    )
                edges.append(self._edge(shape, around[n], around[after], low, high))
            out.edges.append(edges)
        return out

    def _edge(self, shape: Any, first: Shape, last: Shape, low: float, high: float) -> _Edge:
        maker = BRepBuilderAPI_MakeEdge(shape, first, last, low, high)
        if not maker.IsDone():
            raise KernelRefused("The solid kernel refuses a piece of this outline: its ends do not meet.", self.place)
        edge = maker.Edge()
        begins = BRepAdaptor_Curve(edge).FirstParameter()
        return _Edge(edge, shape, begins, begins + high - low)

    def _faces(self, span: Span, k: int, below: _Section, above: _Section) -> None:
        """The faces of one ring of a span."""
        ring = span.rings[k]
        low = _starts(ring, top=False, count=len(below.vertices[k]))
        high = _starts(ring, top=True, count=len(above.vertices[k]))
        rises = [self._rise(span, n, ring, k, (below, low[n]), (above, high[n])) for n in range(len(ring))]
        for n, patch in enumerate(ring):
            bottom = None if is_point(patch.bottom) else below.edges[k][low[n]]
            top = None if is_point(patch.top) else above.edges[k][high[n]]
            tip = below.vertices[k][low[n]] if bottom is None else above.vertices[k][high[n]]
            following = (n + 1) % len(ring)
            ends = (below, low[following]), (above, high[following])
            self._let_pass(patch, ring[following], rises[following], ends, k)
            sides = _Sides(bottom, rises[following], top, rises[n], tip)
            face = self._face(patch, ring[following].rise, span, (below.frame, above.frame), sides)
            self.named.append((face, FaceName("side", self.operation, patch.name, self.profile)))

    def _rise(
        self, span: Span, n: int, ring: tuple[Patch, ...], k: int, low: tuple[_Section, int], high: tuple[_Section, int]
    ) -> _Edge:
        """The edge at the start of a patch."""
        patch, (below, i), (above, j) = ring[n], low, high
        first, last = below.vertices[k][i], above.vertices[k][j]
        a = np.array(below.frame.at(*ends_of(patch.bottom)[0].tolist()))
        b = np.array(above.frame.at(*ends_of(patch.top)[0].tolist()))
        if span.turn is not None:
            return self._edge(_circle_through(a, span.turn), first, last, 0.0, span.turn.angle)
        if is_smooth(patch, span):
            return self._edge(_first_row(surface_of(patch, span, below.frame, above.frame)), first, last, 0.0, 1.0)
        if patch.rise is not None:
            return self._edge(_conic(a, patch.rise, b), first, last, 0.0, 1.0)
        length = float(np.linalg.norm(b - a))
        if length < KERNEL_TOL:
            raise KernelRefused("Two sections meet in a point, so that nothing is left between them there.", self.place)
        return self._edge(Geom_Line(gp_Pnt(*a.tolist()), gp_Dir(*(b - a).tolist())), first, last, 0.0, length)

    def _let_pass(
        self, patch: Patch, after: Patch, rise: _Edge, ends: tuple[tuple[_Section, int], tuple[_Section, int]], k: int
    ) -> None:
        """Widens the tolerance of a rise, and of its ends, to the gap between the two patches that it parts."""
        widest = 0.0
        for end, other, (section, n) in ((patch.bottom, after.bottom, ends[0]), (patch.top, after.top, ends[1])):
            gap = float(np.hypot(*(ends_of(end)[1] - ends_of(other)[0])))
            widest = max(widest, gap)
            if gap > _TOL:
                self.make.UpdateVertex(section.vertices[k][n], 2.0 * gap)
        if widest > _TOL:
            self.make.UpdateEdge(rise.edge, 1.5 * widest)

    def _face(self, patch: Patch, after: Conic | None, span: Span, frames: tuple[Frame, Frame], sides: _Sides) -> Shape:
        below, above = frames
        plane = _plane_of(patch, span, below, above)
        if plane is not None:
            return self._flat(plane, sides)
        if span.turn is not None:
            return self._turned(patch, below, span.turn, sides)
        if not is_smooth(patch, span) and is_round(patch, after, below, above):
            return self._round(patch, below, above, sides)
        return self._free(patch, span, below, above, sides)

    def _flat(self, plane: gp_Pln, sides: _Sides) -> Shape:
        maker = BRepBuilderAPI_MakeFace(plane, self._wire(sides), True)
        if not maker.IsDone():
            raise KernelRefused("The solid kernel could not make a flat side of this body.", self.place)
        return maker.Face()

    def _turned(self, patch: Patch, below: Frame, turn: Turn, sides: _Sides) -> Shape:
        """What a piece of a section sweeps about an axis: u is the angle, v runs along the piece."""
        assert sides.bottom is not None and sides.top is not None and not isinstance(patch.bottom, tuple)
        surface, v0, v1 = _swept(patch.bottom, below, turn) or (
            Geom_SurfaceOfRevolution(sides.bottom.shape, gp_Ax1(gp_Pnt(*turn.point), gp_Dir(*turn.way))),
            sides.bottom.low,
            sides.bottom.high,
        )
        end = turn.angle
        lines = (((0.0, v0), (0.0, v1)), ((0.0, v1), (end, v1)), ((end, v0), (end, v1)), ((0.0, v0), (end, v0)))
        return self._trimmed(surface, sides, [_straight(*line) for line in lines], mirrored=v1 > v0)

    def _round(self, patch: Patch, below: Frame, above: Frame, sides: _Sides) -> Shape:
        """A part of a cylinder or a cone about the frames' normal."""
        ends = (patch.bottom, patch.top)
        arc = next(end for end in ends if isinstance(end, Arc))
        radii = [end.radius if isinstance(end, Arc) else 0.0 for end in ends]
        places = [
            np.array(frame.at(end.cx, end.cy) if isinstance(end, Arc) else frame.at(*ends_of(end)[0].tolist()))
            for end, frame in zip(ends, (below, above), strict=True)
        ]
        normal = np.array(below.normal)
        rise = float((places[1] - places[0]) @ normal)
        axes = gp_Ax3(
            gp_Pnt(*places[0].tolist()), gp_Dir(*(math.copysign(1.0, rise) * normal).tolist()), gp_Dir(*below.x_dir)
        )
        way = math.copysign(1.0, rise)
        lean = math.atan2(radii[1] - radii[0], abs(rise))
        slant = math.hypot(rise, radii[1] - radii[0])
        if abs(radii[1] - radii[0]) <= HAIR * max(radii):
            surface: Any = Geom_CylindricalSurface(axes, radii[0])
        else:
            surface = Geom_ConicalSurface(axes, lean, radii[0])

        def angles(end: Any) -> tuple[float, float]:
            a = end if isinstance(end, Arc) else arc
            start = a.start_angle + _turns_between(a.start_angle, arc.start_angle)
            return way * start, way * (start + a.sweep)

        (b0, b1), (t0, t1) = angles(patch.bottom), angles(patch.top)
        frame = (places[0], np.array(below.x_dir), way * np.cross(normal, np.array(below.x_dir)), way * normal)
        curves = [
            _straight((b0, 0.0), (b1, 0.0)),
            _rise_on_cone(sides.after, (b1, 0.0), (t1, slant), frame, math.cos(lean)),
            _straight((t0, slant), (t1, slant)),
            _rise_on_cone(sides.before, (b0, 0.0), (t0, slant), frame, math.cos(lean)),
        ]
        return self._trimmed(surface, sides, curves, mirrored=(arc.sweep > 0) != (way > 0))

    def _free(self, patch: Patch, span: Span, below: Frame, above: Frame, sides: _Sides) -> Shape:
        surface = _kernel_surface(surface_of(patch, span, below, above))
        curves = [
            _along(patch.bottom, 0.0),
            _straight((1.0, 0.0), (1.0, 1.0)),
            _along(patch.top, 1.0),
            _straight((0.0, 0.0), (0.0, 1.0)),
        ]
        return self._trimmed(surface, sides, curves, mirrored=False)

    def _trimmed(self, surface: Any, sides: _Sides, curves: list[_Flat], *, mirrored: bool) -> Shape:
        """A face of a surface within four sides, whose shapes in its parameters are given."""
        face = TopoDS_Face()
        self.make.MakeFace(face, surface, _TOL)
        tip = None
        for n, (side, flat) in enumerate(zip(sides.around, curves, strict=True)):
            if side is None:
                tip = self._tip(sides.tip, flat, surface)
                sides = sides.with_tip(n, tip)
            else:
                self.make.UpdateEdge(side.edge, _flat_curve(flat, side.low, side.high), surface, _NOWHERE, _TOL)
        wire = self._wire(sides)
        self.make.Add(face, wire.Reversed() if mirrored else wire)
        return face.Reversed() if mirrored else face

    def _tip(self, vertex: Shape, flat: _Flat, surface: Any) -> _Edge:
        """An edge without length: where a surface has shrunk to a point."""
        edge = TopoDS_Edge()
        self.make.MakeEdge(edge)
        self.make.Add(edge, vertex.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
        self.make.Add(edge, vertex.Oriented(TopAbs_Orientation.TopAbs_REVERSED))
        self.make.UpdateEdge(edge, _flat_curve(flat, 0.0, 1.0), surface, _NOWHERE, _TOL)
        self.make.Range(edge, 0.0, 1.0)
        self.make.Degenerated(edge, True)
        return _Edge(edge, None, 0.0, 1.0)

    def _wire(self, sides: _Sides) -> Shape:
        wire = TopoDS_Wire()
        self.make.MakeWire(wire)
        for side, back in zip(sides.around, (False, False, True, True), strict=True):
            if side is not None:
                self.make.Add(wire, side.edge.Reversed() if back else side.edge)
        wire.Closed(True)
        return wire

    def _cap(self, section: _Section, role: str) -> None:
        """The flat end of the body; none where the section is a point."""
        if not any(section.edges):
            return
        frame = section.frame
        plane = gp_Pln(gp_Ax3(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x_dir)))
        maker = None
        for edges in section.edges:
            if not edges:
                continue
            wire = TopoDS_Wire()
            self.make.MakeWire(wire)
            for one in edges:
                self.make.Add(wire, one.edge)
            wire.Closed(True)
            if maker is None:
                maker = BRepBuilderAPI_MakeFace(plane, wire, True)
            else:
                maker.Add(wire)
        if maker is None or not maker.IsDone():
            raise KernelRefused("The solid kernel could not close this body at its end.", self.place)
        face = maker.Face()
        self.named.append(
            (face.Reversed() if role == "start" else face, FaceName(role, self.operation, None, self.profile))
        )


@dataclass(frozen=True)
class _Sides:
    """What bounds a face: the piece below, the rise after it, the piece above, the rise before it; where a piece is a
    point, the vertex there."""

    bottom: _Edge | None
    after: _Edge
    top: _Edge | None
    before: _Edge
    tip: Shape

    @property
    def around(self) -> tuple[_Edge | None, ...]:
        return (self.bottom, self.after, self.top, self.before)

    def with_tip(self, number: int, tip: _Edge) -> _Sides:
        return replace(self, bottom=tip) if number == 0 else replace(self, top=tip)


@dataclass(frozen=True)
class _Flat:
    """A curve in the parameters of a surface: a B-spline over 0 to 1."""

    degree: int
    knots: FloatArray
    poles: FloatArray


def _starts(ring: tuple[Patch, ...], *, top: bool, count: int) -> list[int]:
    """For each patch the number of the vertex at which it begins."""
    out, at = [], 0
    for patch in ring:
        out.append(at % count)
        at += not is_point(patch.top if top else patch.bottom)
    return out


def _plane_of(patch: Patch, span: Span, below: Frame, above: Frame) -> gp_Pln | None:
    """The plane of a flat patch, its normal outwards; None for one that is not flat."""
    if is_smooth(patch, span) or not all(is_point(e) or isinstance(e, Line) for e in (patch.bottom, patch.top)):
        return None
    low, high = (
        [frame.at(x, y) for x, y in ends_of(end).tolist()] for frame, end in ((below, patch.bottom), (above, patch.top))
    )
    points = [*low, *high]
    base = low[0]
    along = _added(_minus(low[1], low[0]), _minus(high[1], high[0]))
    across = _added(_minus(high[0], low[0]), _minus(high[1], low[1]))
    size = max(abs(v) for p in points for v in _minus(p, base))
    across_all = _cross(along, across)
    length = 0.5 * math.hypot(*across_all)
    if length <= HAIR * size * size:
        return None
    x, y, z = (0.5 * v / length for v in across_all)
    heights = [px * x + py * y + pz * z for px, py, pz in points]
    middle = sum(heights) / len(heights)
    if max(abs(h - middle) for h in heights) > min(HAIR * size, _FLAT):
        return None
    if span.turn is not None and abs(float(np.array([x, y, z]) @ np.array(span.turn.way))) < 1.0 - HAIR:
        return None
    return gp_Pln(gp_Pnt(*base), gp_Dir(x, y, z))


def _swept(curve: Curve, frame: Frame, turn: Turn) -> tuple[Any, float, float] | None:
    """The cylinder, cone or torus that a piece in the plane of a frame sweeps, which holds the axis, and its parameter
    along the piece at both ends; None where it is none of these."""
    z = np.array(turn.way)
    start, end = frame.place(np.asarray(curve.points(np.array([0.0, 1.0]))))
    middle = frame.at(curve.cx, curve.cy) if isinstance(curve, Arc) else start
    off = np.array(middle) - np.array(turn.point)
    radial = off - (off @ z) * z
    away = float(np.linalg.norm(radial))
    if away <= HAIR:
        return None
    x = radial / away
    axes = gp_Ax3(gp_Pnt(*(np.array(middle) - radial).tolist()), gp_Dir(*turn.way), gp_Dir(*x.tolist()))
    if isinstance(curve, Line):
        dr, dz = float((end - start) @ x), float((end - start) @ z)
        way = math.copysign(1.0, dz)
        if abs(dz) <= HAIR * curve.length:
            return None
        if abs(dr) <= HAIR * curve.length:
            return Geom_CylindricalSurface(axes, away), 0.0, dz
        return Geom_ConicalSurface(axes, math.atan2(way * dr, way * dz), away), 0.0, way * curve.length
    if isinstance(curve, Arc) and away > curve.radius * (1.0 + HAIR):
        first = start - np.array(middle)
        begin = math.atan2(float(first @ z), float(first @ x))
        turned = float(np.cross(np.array(frame.x_dir), np.array(frame.y_dir)) @ np.cross(x, z))
        return Geom_ToroidalSurface(axes, away, curve.radius), begin, begin + math.copysign(1.0, turned) * curve.sweep
    return None


def _added(a: Vector, b: Vector) -> Vector:
    return a[0] + b[0], a[1] + b[1], a[2] + b[2]


def _minus(a: Vector, b: Vector) -> Vector:
    return a[0] - b[0], a[1] - b[1], a[2] - b[2]


def _cross(a: Vector, b: Vector) -> Vector:
    """The cross product of two vectors; numpy's own takes twenty times as long for so few."""
    (ax, ay, az), (bx, by, bz) = a, b
    return ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx


def _circle_through(start: FloatArray, turn: Turn) -> Geom_Circle:
    """The circle on which a point runs when it is turned; its parameter is the angle."""
    way = np.array(turn.way)
    off = start - np.array(turn.point)
    foot = np.array(turn.point) + (off @ way) * way
    radius = float(np.linalg.norm(start - foot))
    axes = gp_Ax2(gp_Pnt(*foot.tolist()), gp_Dir(*turn.way), gp_Dir(*(start - foot).tolist()))
    return Geom_Circle(gp_Circ(axes, radius))


def _conic(a: FloatArray, conic: Conic, b: FloatArray) -> Geom_BSplineCurve:
    poles, weights = Array1_gp_Pnt(1, 3), Array1_double(1, 3)
    for n, (pole, weight) in enumerate(((a, 1.0), (np.array(conic.middle), conic.weight), (b, 1.0))):
        poles.SetValue(n + 1, gp_Pnt(*pole.tolist()))
        weights.SetValue(n + 1, weight)
    knots, counts = _knot_arrays(np.array([0.0, 0.0, 0.0, 1.0, 1.0, 1.0]), 2)
    return Geom_BSplineCurve(poles, weights, knots, counts, 2)


def _first_row(surface: SurfacePatch) -> Geom_BSplineCurve:
    """The curve of a surface at u = 0, from v = 0 to 1."""
    row = surface.poles[0]
    poles, weights = Array1_gp_Pnt(1, len(row)), Array1_double(1, len(row))
    for n, (x, y, z, w) in enumerate(row.tolist()):
        poles.SetValue(n + 1, gp_Pnt(x / w, y / w, z / w))
        weights.SetValue(n + 1, w)
    knots, counts = _knot_arrays(surface.knots[1], surface.degrees[1])
    return Geom_BSplineCurve(poles, weights, knots, counts, surface.degrees[1])


def _kernel_surface(surface: SurfacePatch) -> Geom_BSplineSurface:
    nu, nv = surface.poles.shape[:2]
    poles, weights = Array2_gp_Pnt(1, nu, 1, nv), Array2_double(1, nu, 1, nv)
    for i, row in enumerate(surface.poles.tolist()):
        for j, (x, y, z, w) in enumerate(row):
            poles.SetValue(i + 1, j + 1, gp_Pnt(x / w, y / w, z / w))
            weights.SetValue(i + 1, j + 1, w)
    (ku, cu), (kv, cv) = (_knot_arrays(k, d) for k, d in zip(surface.knots, surface.degrees, strict=True))
    return Geom_BSplineSurface(poles, weights, ku, kv, cu, cv, *surface.degrees)


def _knot_arrays(knots: FloatArray, degree: int) -> tuple[Any, Any]:
    values, counts = np.unique(np.round(knots, 13), return_counts=True)
    counts = np.minimum(counts, degree + 1)
    counts[1:-1] = np.minimum(counts[1:-1], degree)
    out, numbers = Array1_double(1, len(values)), Array1_int(1, len(values))
    for n, (value, count) in enumerate(zip(values.tolist(), counts.tolist(), strict=True)):
        out.SetValue(n + 1, value)
        numbers.SetValue(n + 1, count)
    return out, numbers


def _straight(a: tuple[float, float], b: tuple[float, float]) -> _Flat:
    return _Flat(1, np.array([0.0, 0.0, 1.0, 1.0]), np.array([a, b]))


def _flat_curve(flat: _Flat, low: float, high: float) -> Geom2d_BSplineCurve:
    """A curve in the parameters of a surface, over the range of its edge."""
    poles = Array1_gp_Pnt2d(1, len(flat.poles))
    for n, (u, v) in enumerate(flat.poles.tolist()):
        poles.SetValue(n + 1, gp_Pnt2d(u, v))
    values, counts = np.unique(flat.knots, return_counts=True)
    knots, numbers = Array1_double(1, len(values)), Array1_int(1, len(values))
    for n, (value, count) in enumerate(zip((low + values * (high - low)).tolist(), counts.tolist(), strict=True)):
        knots.SetValue(n + 1, value)
        numbers.SetValue(n + 1, count)
    return Geom2d_BSplineCurve(poles, knots, numbers, flat.degree)


def _along(end: Any, v: float) -> _Flat:
    """An end of a patch as it runs along its B-spline surface: round ones at the angle their own edge has.

    Source of the formula: the parameter u of a rational quadratic arc of angle 2a at the angle f from its middle has
    u : (1 - u) = sin((a + f) / 2) : sin((a - f) / 2).
    """
    if is_point(end) or isinstance(end, (Line, Spline)):
        return _straight((0.0, v), (1.0, v))
    count = max(1, math.ceil(abs(end.sweep) / (math.pi / 2.0) - 1e-9))
    a = abs(end.sweep) / count / 2.0
    share = (1.0 - np.cos(np.linspace(0.0, math.pi, _NODES))) / 2.0
    f = (2.0 * share - 1.0) * a
    one = np.sin((a + f) / 2.0) / (np.sin((a + f) / 2.0) + np.sin((a - f) / 2.0))
    return _interpolated([(share, np.column_stack([(n + one) / count, np.full(_NODES, v)])) for n in range(count)])


_NODES = 21


def _interpolated(spans: list[tuple[FloatArray, FloatArray]]) -> _Flat:
    """A curve of degree 5 through points (k, 2) at parameters (k,) from 0 to 1, span after span of equal width."""
    knots: list[FloatArray] = []
    poles: list[FloatArray] = []
    count = len(spans)
    for n, (at, points) in enumerate(spans):
        made = make_interp_spline(at, points, k=5)
        own = np.asarray(made.t, float)
        own[:6], own[-6:] = 0.0, 1.0
        inner = np.asarray(made.c, float)
        inner[0], inner[-1] = points[0], points[-1]
        knots.append((n + own[(6 if n else 0) : (None if n == count - 1 else -1)]) / count)
        poles.append(inner[(1 if n else 0) :])
    return _Flat(5, np.concatenate(knots), np.concatenate(poles))


def _turns_between(angle: float, other: float) -> float:
    """What brings an angle within half a turn of another: whole turns."""
    return 2.0 * math.pi * round((other - angle) / (2.0 * math.pi))


def _rise_on_cone(
    rise: _Edge,
    a: tuple[float, float],
    b: tuple[float, float],
    frame: tuple[FloatArray, FloatArray, FloatArray, FloatArray],
    cosine: float,
) -> _Flat:
    """A rise in the parameters of a cone: angle about its axis, way along its side."""
    if not isinstance(rise.shape, Geom_BSplineCurve):
        return _straight(a, b)
    origin, x, y, z = frame
    t = (1.0 - np.cos(np.linspace(0.0, math.pi, 2 * _NODES))) / 2.0
    points = np.array([_xyz(rise.shape.Value(float(s))) for s in t]) - origin
    angle = np.unwrap(np.arctan2(points @ y, points @ x))
    angle += _turns_between(float(angle[0]), a[0])
    flat = np.column_stack([angle, (points @ z) / cosine])
    flat[0], flat[-1] = (float(flat[0, 0]), a[1]), (float(flat[-1, 0]), b[1])
    return _interpolated([(t, flat)])


def _xyz(point: Any) -> tuple[float, float, float]:
    return point.X(), point.Y(), point.Z()
