"""Edges rounded and chamfered.

What is taken away or added along an edge is known beforehand within bounds: between two faces that stand at an angle,
a chamfer fills or takes a triangle, a fillet the corner outside of its circle, times the length of the edge; where
edges meet in a corner it is less. Nothing else may change.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Vec
from scipy.spatial import cKDTree

from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused, Place
from tectogon.solids import kernel, measure, proof
from tectogon.solids.body import Body, FaceName, NamedShape
from tectogon.solids.combine import carried
from tectogon.solids.kernel import Shape
from tectogon.tolerances import HAIR, KERNEL_TOL, VOLUME_TOL

_SMOOTH = math.radians(0.5)
"""Faces that meet at less are one surface: there is no edge to round."""
_SHARES = 16
_TRIES = 7


@dataclass(frozen=True)
class Finish:
    """What becomes of edges: rounded by a radius, or chamfered by a size on the first of the two faces and another on
    the second (mm)."""

    how: str
    first: float
    second: float

    def scaled(self, factor: float) -> Finish:
        """The same, larger or smaller."""
        return Finish(self.how, self.first * factor, self.second * factor)


@dataclass(frozen=True, eq=False)
class EdgeAt:
    """An edge of a body as its two faces meet in it: the angle (radians) through the material, its length (mm), its
    middle (3,) and the direction (3,) that points out of the material there."""

    number: int
    angle: float
    length: float
    middle: FloatArray
    outwards: FloatArray

    @property
    def smooth(self) -> bool:
        """Whether its faces run into each other without a corner."""
        return abs(self.angle - math.pi) <= _SMOOTH

    @property
    def convex(self) -> bool:
        """Whether material is taken off it; else it is added."""
        return self.angle < math.pi


def edges_at(body: Body) -> list[EdgeAt | None]:
    """Every edge looked at in its middle; None for those without length, or not between two faces."""
    along = kernel.faces_along_edges(body.shape)
    return [edge_at(body, n, along[n]) for n in range(len(along))]


def edge_at(body: Body, number: int, along: Sequence[int] | None = None) -> EdgeAt | None:
    """An edge looked at in its middle; None where it has no length, or is no edge between two faces. `along`: the
    numbers of the faces along it, where they are known."""
    edge = body.edges[number]
    faces = kernel.faces_along_edges(body.shape)[number] if along is None else along
    if measure.is_degenerate(edge) or len(faces) != 2:
        return None
    curve = BRepAdaptor_Curve(edge)
    at = (curve.FirstParameter() + curve.LastParameter()) / 2.0
    point, slope = gp_Pnt(), gp_Vec()
    curve.D1(at, point, slope)
    middle = np.array([point.X(), point.Y(), point.Z()])
    tangent = np.array([slope.X(), slope.Y(), slope.Z()])
    length = float(np.linalg.norm(tangent))
    if length <= HAIR:
        return None
    tangent /= length
    a, b = (_normal(body.faces[f], edge, at) for f in faces)
    into = _into(body.faces[faces[0]], edge, tangent, a)
    turn = math.acos(float(np.clip(a @ b, -1.0, 1.0)))
    convex = float(into @ b) < 0.0
    out = a + b
    size = float(np.linalg.norm(out))
    outwards = out / size if size > HAIR else into
    return EdgeAt(
        number,
        math.pi - turn if convex else math.pi + turn,
        float(measure.edge_facts(edge).get("length", 0.0)),
        middle,
        outwards,
    )


def _normal(face: Shape, edge: Shape, at: float) -> FloatArray:
    """The outward normal (3,) of a face at a parameter of one of its edges."""
    place = BRep_Tool.CurveOnSurface_s(edge, face, 0.0, 0.0).Value(at)
    point, normal = gp_Pnt(), gp_Vec()
    BRepGProp_Face(face).Normal(place.X(), place.Y(), point, normal)
    out = np.array([normal.X(), normal.Y(), normal.Z()])
    return np.asarray(out / max(float(np.linalg.norm(out)), HAIR))


def _into(face: Shape, edge: Shape, tangent: FloatArray, normal: FloatArray) -> FloatArray:
    """The direction (3,) in a face, square to one of its edges, that leads into it."""
    way = 1.0
    for other in kernel.oriented_edges(face):
        if other.IsSame(edge):
            way = -1.0 if kernel.is_reversed(other) else 1.0
            break
    return np.asarray(way * np.cross(normal, tangent))


def running_on(body: Body, numbers: Sequence[int]) -> list[int]:
    """Edges, and those that run on from them without a corner: the kernel finishes these along with them."""
    real = [n for n, edge in enumerate(body.edges) if not measure.is_degenerate(edge)]
    if not real:
        return list(dict.fromkeys(numbers))
    found = [_ends_and_ways(body.edges[n]) for n in real]
    ends, ways = (np.concatenate([f[k] for f in found]) for k in (0, 1))
    near = KERNEL_TOL + HAIR * float(np.abs(ends).max())
    a, b = cKDTree(ends).query_pairs(near, output_type="ndarray").T
    on = (np.abs((ways[a] * ways[b]).sum(axis=1)) >= math.cos(_SMOOTH)) & (a // 2 != b // 2)
    beside: dict[int, list[int]] = {}
    for i, j in zip((a[on] // 2).tolist(), (b[on] // 2).tolist(), strict=True):
        beside.setdefault(real[i], []).append(real[j])
        beside.setdefault(real[j], []).append(real[i])
    out = dict.fromkeys(numbers)
    waiting = list(out)
    while waiting:
        for n in beside.get(waiting.pop(), []):
            if n not in out:
                out[n] = None
                waiting.append(n)
    return list(out)


def _ends_and_ways(edge: Shape) -> tuple[FloatArray, FloatArray]:
    """Where an edge begins and ends (2, 3) and its directions there (2, 3)."""
    curve = BRepAdaptor_Curve(edge)
    points, ways = [], []
    for at in (curve.FirstParameter(), curve.LastParameter()):
        point, slope = gp_Pnt(), gp_Vec()
        curve.D1(at, point, slope)
        points.append([point.X(), point.Y(), point.Z()])
        size = max(slope.Magnitude(), HAIR)
        ways.append([slope.X() / size, slope.Y() / size, slope.Z() / size])
    return np.array(points), np.array(ways)


def finished(body: Body, numbers: Sequence[int], finish: Finish, step: int) -> NamedShape:
    """A body with edges, and those that run on from them, rounded or chamfered, proven. Raises KernelRefused lighting
    the edge that can't be, with the largest size that would work."""
    found = [edge_at(body, n) for n in running_on(body, numbers)]
    edges = [e for e in found if e is not None and abs(e.angle - math.pi) > _SMOOTH]
    if not edges:
        raise KernelRefused("There is nothing to round: the faces run into each other there without an edge.")
    try:
        return _made(body, edges, finish, step)
    except KernelRefused:
        raise _refusal(body, edges, finish, step) from None


def _refusal(body: Body, edges: Sequence[EdgeAt], finish: Finish, step: int) -> KernelRefused:
    """The error that tells which edge can't be finished, and the largest size that would do."""
    worst = edges
    if len(edges) > 1:
        alone = [e for e in edges if not _works(body, [e], finish, step)]
        worst = alone[:1] or edges
    # the kernel may refuse a size by chance where a larger one does: the largest of many that works is looked for first
    shares = np.linspace(1.0, 0.0, _SHARES + 1)[1:-1].tolist()
    low = next((share for share in shares if _works(body, worst, finish.scaled(share), step)), 0.0)
    high = low + 1.0 / _SHARES
    for _ in range(_TRIES):
        middle = (low + high) / 2.0
        low, high = (middle, high) if _works(body, worst, finish.scaled(middle), step) else (low, middle)
    x, y, z = worst[0].middle.tolist()
    what = "rounded by" if finish.how == "round" else "chamfered by"
    most = f"; {finish.first * low * 0.999:.4g} mm would work" if low > 0.0 else ""
    return KernelRefused(
        f"The edge near x {x:.2f}, y {y:.2f}, z {z:.2f} mm can't be {what} {finish.first:g} mm: there is no room for"
        f" it{most}.",
        Place(point=(x, y, z)),
    )


def _works(body: Body, edges: Sequence[EdgeAt], finish: Finish, step: int) -> bool:
    try:
        _made(body, edges, finish, step)
    except KernelRefused:
        return False
    return True


def _made(body: Body, edges: Sequence[EdgeAt], finish: Finish, step: int) -> NamedShape:
    place = Place(point=tuple(edges[0].middle.tolist()))
    with kernel.refusals("These edges can't be finished so.", place):
        maker = _maker(body, edges, finish)
        maker.Build()
        if not maker.IsDone():
            raise KernelRefused("These edges can't be finished so.", place)
        shape = maker.Shape()
    pairs = carried(list(zip(body.faces, body.names, strict=True)), maker)
    for edge in edges:
        for face in kernel.each(maker.Generated(body.edges[edge.number])):
            pairs.append((face, FaceName("round" if finish.how == "round" else "chamfer", step)))
    for vertex in kernel.vertices_of(body.shape):
        for face in kernel.each(maker.Generated(vertex)):
            pairs.append((face, FaceName("round" if finish.how == "round" else "chamfer", step)))
    made = NamedShape.of(shape, pairs)
    _prove(body, edges, finish, made, place)
    return made


def _maker(body: Body, edges: Sequence[EdgeAt], finish: Finish) -> Any:
    if finish.how == "round":
        maker = BRepFilletAPI_MakeFillet(body.shape)
        for edge in edges:
            maker.Add(finish.first, body.edges[edge.number])
        return maker
    maker = BRepFilletAPI_MakeChamfer(body.shape)
    along = kernel.faces_along_edges(body.shape)
    for edge in edges:
        if finish.first == finish.second:
            maker.Add(finish.first, body.edges[edge.number])
        else:
            maker.Add(finish.first, finish.second, body.edges[edge.number], body.faces[along[edge.number][0]])
    return maker


def _prove(body: Body, edges: Sequence[EdgeAt], finish: Finish, made: NamedShape, place: Place) -> None:
    """Raises KernelRefused where a result is not sound, changed by more than its edges allow, or is not finished at
    their middles."""
    solids = kernel.solids_of(made.shape)
    if len(solids) != 1 or not proof.is_sound(made.shape):
        raise KernelRefused("The kernel made no sound body of these edges.", place)
    taken = sum(_most(e, finish) for e in edges if e.convex)
    added = sum(_most(e, finish) for e in edges if not e.convex)
    change = made.volume - body.volume
    slack = VOLUME_TOL * body.volume
    if not -taken - slack <= change <= added + slack:
        raise KernelRefused(
            f"The body would change by {change:.4g} mm³ where its edges allow {-taken:.4g} to {added:.4g}; it was not"
            " kept.",
            place,
        )
    if (taken and not added and change > -HAIR * body.volume) or (added and not taken and change < HAIR * body.volume):
        raise KernelRefused("The edges were left as they are.", place)
    inside = proof.Inside(made.shape)
    for edge in edges:
        depth = _depth(edge, finish) / 2.0
        x, y, z = (edge.middle - (1.0 if edge.convex else -1.0) * depth * edge.outwards).tolist()
        if inside((x, y, z)) is edge.convex:
            raise KernelRefused(
                f"The edge near x {x:.2f}, y {y:.2f}, z {z:.2f} mm was not finished.", Place(point=(x, y, z))
            )


def _most(edge: EdgeAt, finish: Finish) -> float:
    """The most volume (mm³) that can go or come along an edge: what its section has, times its length. A curved edge
    may have it on its longer side, and faces may be curved as well: twice that."""
    half = (edge.angle if edge.convex else 2.0 * math.pi - edge.angle) / 2.0
    if finish.how == "round":
        area = finish.first**2 * (1.0 / math.tan(half) - (math.pi / 2.0 - half))
    else:
        area = finish.first * finish.second * math.sin(2.0 * half) / 2.0
    return 2.0 * max(area, HAIR) * edge.length + 4.0 * max(finish.first, finish.second) * max(area, HAIR)


def _depth(edge: EdgeAt, finish: Finish) -> float:
    """How far (mm) the finished surface lies from where the edge was, along the half angle."""
    half = (edge.angle if edge.convex else 2.0 * math.pi - edge.angle) / 2.0
    if finish.how == "round":
        return finish.first * (1.0 / math.sin(half) - 1.0)
    return min(finish.first, finish.second) * math.cos(half)


def edges_of_faces(body: Body, wanted: Callable[[FloatArray, FloatArray], bool]) -> list[int]:
    """Edges along flat faces of which `wanted(middle, outward normal)` holds."""
    flat = []
    for face in body.faces:
        plane = measure.plane_of(face)
        flat.append(plane is not None and wanted(*plane))
    along = kernel.faces_along_edges(body.shape)
    return [n for n, faces in enumerate(along) if any(flat[f] for f in faces)]


def upright_edges(body: Body) -> list[int]:
    """Straight edges that run up and down."""
    out = []
    for n, edge in enumerate(body.edges):
        if measure.is_degenerate(edge):
            continue
        facts = measure.edge_facts(edge)
        if facts["kind"] == "straight" and abs(facts["direction"][2]) > 1.0 - HAIR:
            out.append(n)
    return out
