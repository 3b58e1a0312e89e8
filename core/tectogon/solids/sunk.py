"""Prisms sunk into a flat face of a body, or raised on it, where the face surrounds them wholly and nothing else is in
their way: the face gets holes, the body gets walls and floors. Nothing is intersected, so that it takes a quarter of
the kernel's own cut, and what comes of it is as sound as the profiles are: its volume is known beforehand.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.BRepTools import BRepTools
from OCP.GCPnts import GCPnts_QuasiUniformDeflection
from OCP.GeomAbs import GeomAbs_CurveType
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Iterator, TopoDS_Shell, TopoDS_Solid

from tectogon.curves.affine import FloatArray
from tectogon.solids import kernel, measure
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.kernel import Shape
from tectogon.solids.proof import Inside
from tectogon.tolerances import ANGLE_TOL, LEVEL_TOL
from tectogon.views import Frame

_CLEAR = 1e-3
"""How far all else must stay away, as a share of what the prisms cover."""
_CHORD = 2e-4
"""How well outlines are followed where prisms are held apart, as a share of the same."""
_MOST_NEAR = 24
"""With more faces near by the kernel's own cut is no slower."""


@dataclass(frozen=True, eq=False)
class _Prism:
    """Its faces: where it begins, where it ends, its sides; and the rings of its beginning, the outer one first, with
    their corners (k, 2) in the plane of the face."""

    start: Shape
    end: Shape
    pairs: list[tuple[Shape, FaceName]]
    wires: list[Shape]
    rings: list[FloatArray]

    @property
    def covers(self) -> shapely.Polygon:
        return shapely.Polygon(self.rings[0], self.rings[1:])


def sunk(body: NamedShape, tools: Sequence[NamedShape], how: Literal["cut", "join"], frame: Frame) -> NamedShape | None:
    """A body with prisms that begin on one of its flat faces sunk into it ("cut") or raised on it ("join"); `frame`:
    the plane that the prisms stand on. None where that can't be done without intersecting: they do not begin on one
    face, do not keep clear of its edges, of other faces or of each other, or a wall would go on in its neighbour's
    surface."""
    size = _size_of(tools)
    prisms = [_prism(tool, frame, _CHORD * size) for tool in tools]
    whole = [p for p in prisms if p is not None]
    if len(whole) < len(prisms) or not whole:
        return None
    heights = np.array([[_height(p.start, frame), _height(p.end, frame)] for p in whole])
    level, ways = float(heights[0, 0]), np.diff(heights, axis=1)[:, 0]
    if np.ptp(heights[:, 0]) > LEVEL_TOL or not ((ways > 0).all() or (ways < 0).all()):
        return None
    out_of = np.array(frame.normal) * (1.0 if (ways[0] > 0) == (how == "join") else -1.0)
    faces = _faces_under(body, frame, level, out_of)
    face = _alone(body, faces, whole, frame, heights, out_of) if faces else None
    if face is None or not _apart([p.covers for p in whole], size):
        return None
    return _built(body, face, whole, frame, how)


def _size_of(tools: Sequence[NamedShape]) -> float:
    box = np.array(measure.joint_bounds([t.shape for t in tools]))
    return float(np.linalg.norm(box[3:] - box[:3]))


def _prism(tool: NamedShape, frame: Frame, chord: float) -> _Prism | None:
    """None for what is no upright prism, or has sides that continue each other."""
    pairs = tool.pairs()
    ends = {role: [f for f, n in pairs if n.role == role] for role in ("start", "end", "side")}
    if len(ends["start"]) != 1 or len(ends["end"]) != 1 or len(ends["side"]) != len(pairs) - 2:
        return None
    start = ends["start"][0]
    outer = BRepTools.OuterWire_s(start)
    found = kernel.map_of(start, TopAbs_ShapeEnum.TopAbs_WIRE)
    wires = [found.FindKey(n).Oriented(TopAbs_Orientation.TopAbs_FORWARD) for n in range(1, found.Extent() + 1)]
    wires.sort(key=lambda w: not w.IsSame(outer))
    rings = [_corners(wire, frame, chord) for wire in wires]
    if any(r is None for r in rings):
        return None
    return _Prism(start, ends["end"][0], pairs, wires, [r for r in rings if r is not None])


def _corners(wire: Shape, frame: Frame, chord: float) -> FloatArray | None:
    """A ring as straight pieces (k, 2) in a plane; None where two neighbours lie on one line or circle."""
    points: list[list[float]] = []
    on: list[tuple[float, ...]] = []
    for edge in kernel.oriented_edges(wire):
        curve = BRepAdaptor_Curve(edge)
        kind = curve.GetType()
        if kind == GeomAbs_CurveType.GeomAbs_Line:
            at, way = BRep_Tool.Pnt_s(TopExp.FirstVertex_s(edge, True)), curve.Line().Direction()
            points.append([at.X(), at.Y(), at.Z()])
            on.append((way.X(), way.Y(), way.Z()))
            continue
        on.append(())
        if kind == GeomAbs_CurveType.GeomAbs_Circle:
            centre = curve.Circle().Location()
            on[-1] = (curve.Circle().Radius(), centre.X(), centre.Y(), centre.Z())
        along = GCPnts_QuasiUniformDeflection(curve, chord)
        if not along.IsDone():
            return None
        some = [along.Value(n + 1) for n in range(along.NbPoints())]
        points += [[p.X(), p.Y(), p.Z()] for p in (some[::-1] if kernel.is_reversed(edge) else some)[:-1]]
    if len(on) > 1 and any(_on_one(a, b) for a, b in zip(on, on[1:] + on[:1], strict=True)):
        return None
    return _in_plane(np.array(points), frame)


def _on_one(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    """Whether two pieces that meet lie on one line (given by directions) or one circle (by radius and centre)."""
    if len(a) != len(b) or not a:
        return False
    if len(a) == 3:
        return abs(abs(a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) - 1.0) <= ANGLE_TOL
    return max(abs(p - q) for p, q in zip(a, b, strict=True)) <= LEVEL_TOL


def _in_plane(points: FloatArray, frame: Frame) -> FloatArray:
    """Points (k, 3) in the plane of a frame (k, 2)."""
    return (points - np.array(frame.origin)) @ np.array([frame.x_dir, frame.y_dir]).T


def _height(face: Shape, frame: Frame) -> float:
    """How high a flat face of a prism lies over the plane it stands on, mm."""
    at = BRepAdaptor_Surface(face).Plane().Location()
    return float((np.array([at.X(), at.Y(), at.Z()]) - np.array(frame.origin)) @ np.array(frame.normal))


def _faces_under(body: NamedShape, frame: Frame, level: float, out_of: FloatArray) -> list[Shape]:
    """The flat faces of a body in the plane where prisms begin, that look the way `out_of` (3,)."""
    found = []
    for face in kernel.faces_of(body.shape):
        facts = measure.surface_facts(face)
        if facts["kind"] != "flat" or abs(_height(face, frame) - level) > LEVEL_TOL:
            continue
        outward = (-1.0 if kernel.is_reversed(face) else 1.0) * _direction(face)
        if float(outward @ out_of) >= 1.0 - ANGLE_TOL:
            found.append(face)
    return found


def _alone(
    body: NamedShape, faces: list[Shape], prisms: list[_Prism], frame: Frame, heights: FloatArray, out_of: FloatArray
) -> Shape | None:
    """The one of some faces that surrounds all that prisms cover, where no other face of the body comes near: a box
    round the prisms, and a little more, meets that face alone, with material under it and none over it."""
    corners = np.concatenate([p.rings[0] for p in prisms])
    low, high = corners.min(axis=0), corners.max(axis=0)
    clear = _CLEAR * float(np.hypot(*(high - low)))
    bottom, top = float(heights.min()) - clear, float(heights.max()) + clear
    origin = frame.at(float(low[0]) - clear, float(low[1]) - clear, bottom)
    wide, deep = (high - low + 2.0 * clear).tolist()
    axes = gp_Ax2(gp_Pnt(*origin), gp_Dir(*frame.normal), gp_Dir(*frame.x_dir))
    box = BRepPrimAPI_MakeBox(axes, wide, deep, top - bottom).Solid()
    near = _near(body, box)
    met = [f for f in near if measure.distance(box, f)[0] <= LEVEL_TOL] if len(near) <= _MOST_NEAR else []
    if len(met) != 1 or not any(met[0].IsSame(f) for f in faces):
        return None
    x, y = ((low + high) / 2.0).tolist()
    middle = np.array(frame.at(x, y, float(heights[0, 0])))
    inside = Inside(body.shape)
    under, over = ((middle + way * clear / 2.0 * out_of).tolist() for way in (-1.0, 1.0))
    return met[0] if inside((under[0], under[1], under[2])) and not inside((over[0], over[1], over[2])) else None


def _near(body: NamedShape, box: Shape) -> list[Shape]:
    """The faces of a body whose extents meet those of a box."""
    reach = np.array(measure.bounds(box))
    out = []
    for face in kernel.faces_of(body.shape):
        its = np.array(measure.bounds(face, roughly=True))
        if (its[:3] <= reach[3:]).all() and (its[3:] >= reach[:3]).all():
            out.append(face)
    return out


def _apart(covers: list[shapely.Polygon], size: float) -> bool:
    """Whether prisms keep clear of each other."""
    if len(covers) == 1:
        return True
    tree = shapely.STRtree([c.boundary for c in covers])
    a, b = tree.query([c.boundary for c in covers], predicate="dwithin", distance=_CLEAR * size)
    return bool((a == b).all()) and all(c.is_valid for c in covers)


def _built(
    body: NamedShape, face: Shape, prisms: list[_Prism], frame: Frame, how: Literal["cut", "join"]
) -> NamedShape:
    """The body with the rings of prisms in one of its faces, and their sides and ends. What a prism leaves standing
    inside of itself is a plate of that face, which may hold prisms again."""
    make = BRep_Builder()
    name = next(n for f, n in body.pairs() if f.IsSame(face))
    plates = [_Plate(face, frame)]
    plates += [
        _Plate(face, frame, ring) for prism in prisms for ring in zip(prism.wires[1:], prism.rings[1:], strict=True)
    ]
    for prism in prisms:
        at = shapely.Point(prism.rings[0][0])
        host = min((p for p in plates if p.holds(at)), key=lambda p: p.area)
        host.add(prism.wires[0], prism.rings[0], hole=True)
    named = [(plate.face.Oriented(face.Orientation()), name) for plate in plates]
    for prism in prisms:
        some = [(f, n) for f, n in prism.pairs if n.role != "start"]
        named += [(f.Reversed(), n) for f, n in some] if how == "cut" else some
    solid = TopoDS_Solid()
    make.MakeSolid(solid)
    for old in kernel.shells_of(body.shape):
        shell = TopoDS_Shell()
        make.MakeShell(shell)
        faces = kernel.faces_of(old)
        for other in faces:
            if not other.IsSame(face):
                make.Add(shell, other)
        if any(other.IsSame(face) for other in faces):
            for new, _ in named:
                make.Add(shell, new)
        shell.Closed(True)
        make.Add(solid, shell)
    return NamedShape.of(solid, [*named, *body.pairs()])


class _Plate:
    """What is left of a face: the face itself, or what stands inside of a ring of a prism."""

    def __init__(self, of: Shape, frame: Frame, ring: tuple[Shape, FloatArray] | None = None) -> None:
        self._make = BRep_Builder()
        self._alike = float(_direction(of) @ np.array(frame.normal)) > 0.0
        self.face = TopoDS.Face(of.EmptyCopied().Oriented(TopAbs_Orientation.TopAbs_FORWARD))
        self._outline = None
        if ring is None:
            found = TopoDS_Iterator(of.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
            while found.More():
                self._make.Add(self.face, found.Value())
                found.Next()
            return
        self._outline = shapely.Polygon(ring[1])
        self.add(*ring, hole=False)

    @property
    def area(self) -> float:
        return math.inf if self._outline is None else float(self._outline.area)

    def holds(self, point: shapely.Point) -> bool:
        return self._outline is None or bool(self._outline.contains(point))

    def add(self, wire: Shape, ring: FloatArray, *, hole: bool) -> None:
        """A ring (its corners in the plane of the frame), turned so that it runs round the surface of the face as an
        outline does, or as a hole."""
        left = bool(shapely.LinearRing(ring).is_ccw) == self._alike
        self._make.Add(self.face, wire if left != hole else wire.Reversed())


def _direction(face: Shape) -> FloatArray:
    """The normal (3,) of the surface of a flat face, whichever way the face runs."""
    plane = BRepAdaptor_Surface(face).Plane()
    way = plane.Axis().Direction()
    return (1.0 if plane.Direct() else -1.0) * np.array([way.X(), way.Y(), way.Z()])
