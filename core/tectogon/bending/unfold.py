"""The flat blank of a sheet part: every piece of its skin laid out beside the one it bends from, the bends as long as
their neutral line."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.bending.recognise import Bend, SheetPart
from tectogon.curves import Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.errors import NothingToBuild, Place
from tectogon.profiles import Regions, find_regions
from tectogon.profiles.regions import Region
from tectogon.solids import kernel, measure
from tectogon.solids.flattened import moved_flat, rolled_out
from tectogon.workpiece.bend_allowance import Rule

_JOIN = 1e-5
"""Ends of the outline are one that lie nearer than this share of its size."""
_LOST = 1e-4
"""How much of the pieces' area may be missing from the outline (share)."""


@dataclass(frozen=True, eq=False)
class Laid:
    """Where a piece of the skin lies in the blank: a rigid motion (3, 4) that brings the skin into the plane z = 0."""

    face: int
    motion: FloatArray


@dataclass(frozen=True, eq=False)
class Zone:
    """A bend in the blank: where its parent's tangent line begins (2,), along it and across it (unit vectors, 2), from
    where to where along (mm), and how wide it is: its allowance; and K there."""

    bend: Bend
    start: FloatArray
    along: FloatArray
    across: FloatArray
    span: tuple[float, float]
    allowance: float
    k: float

    @property
    def line(self) -> Line:
        """The bend line, in the middle of the zone."""
        middle = self.start + self.allowance / 2.0 * self.across
        (x0, y0), (x1, y1) = ((middle + s * self.along).tolist() for s in self.span)
        return Line(x0, y0, x1, y1)


@dataclass(frozen=True, eq=False)
class Blank:
    """The blank: its outline and holes as the one region of `regions`, the pieces and the bends in it (mm), and how far
    it was moved from where the part's own origin comes to (2,)."""

    part: SheetPart
    regions: Regions
    region: Region
    laid: dict[int, Laid]
    zones: tuple[Zone, ...]
    shift: FloatArray

    @property
    def curves(self) -> list[Curve]:
        """Outline and holes."""
        return self.regions.pieces.curves()


def unfold(part: SheetPart, rule: Rule, *, at_origin: bool = True) -> Blank:
    """The blank of a sheet part, its lower left corner at the origin, or where the part's own origin comes to: so that
    it stays where it is while the part changes. Raises NothingToBuild where it would lie over itself."""
    laid = {part.fixed: Laid(part.fixed, _first(part))}
    zones: list[Zone] = []
    for bend in part.bends:
        zones.append(_zone(part, bend, laid[bend.parent].motion, rule))
        laid[bend.child] = Laid(bend.child, _next(bend, zones[-1], part.normals[bend.child]))
    curves, pieces = _outlines(part, laid, zones)
    box = CurveTable.of(curves).extents
    shift = -np.array([box[0], box[1]]) if at_origin else np.zeros(2)
    table = CurveTable.of(curves).transformed(np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]]))
    size = max(float(box[2] - box[0]), float(box[3] - box[1]))
    regions = find_regions(table, tuple(f"b:{n}" for n in range(len(table))), join_tol=_JOIN * size)
    area = sum(pieces)
    profiles = regions.profiles
    if len(profiles) != 1 or abs(profiles[0].area - area) > _LOST * area:
        raise NothingToBuild(*_overlap(part, laid, regions, area))
    zones = [_moved(z, shift) for z in zones]
    laid = {
        n: Laid(n, np.column_stack([one.motion[:, :3], one.motion[:, 3] + [*shift, 0.0]])) for n, one in laid.items()
    }
    return Blank(part, regions, profiles[0], laid, tuple(zones), shift)


def _overlap(part: SheetPart, laid: dict[int, Laid], regions: Regions, area: float) -> tuple[str, Place]:
    """What the blank would cover twice, and where on the part."""
    flats = {n: _outline(part, one) for n, one in laid.items()}
    twice = [
        (n, m, flats[n].intersection(flats[m]))
        for n, m in itertools.combinations(flats, 2)
        if flats[n].intersects(flats[m])
    ]
    _, m, worst = max(twice, key=lambda t: float(t[2].area), default=(part.fixed, part.fixed, None))
    if worst is None or worst.area < _LOST * area:
        x, y = regions.regions[0].inside if regions.regions else (0.0, 0.0)
        return "The blank does not close: two of its bends run into each other.", Place(point=(x, y))
    spot = worst.representative_point()
    at = _back(laid[m], (spot.x, spot.y))
    return (
        f"The blank lies over itself by {worst.area:.1f} mm²: what lies at x {at[0]:.1f}, y {at[1]:.1f}, z"
        f" {at[2]:.1f} mm would be cut from where another flat piece is. Make one of the two shorter, or join them of"
        " two sheets.",
        Place(point=at),
    )


def _outline(part: SheetPart, one: Laid) -> shapely.Polygon:
    """A flat piece of the skin where it lies in the blank, round edges by their chords."""
    edges = kernel.edges_of(part.body.faces[one.face])
    lines = [moved_flat(e, one.motion) for e in edges if not measure.is_degenerate(e)]
    drawn = [shapely.LineString(c.points(np.linspace(0.0, 1.0, 2 if isinstance(c, Line) else 17))) for c in lines]
    found = shapely.get_parts(shapely.polygonize([shapely.set_precision(shapely.union_all(drawn), 1e-6)]))
    return max(found, key=lambda p: float(p.area), default=shapely.Polygon())


def _back(one: Laid, point: tuple[float, float]) -> tuple[float, float, float]:
    x, y, z = (one.motion[:, :3].T @ (np.array([*point, 0.0]) - one.motion[:, 3])).tolist()
    return x, y, z


def _moved(z: Zone, shift: FloatArray) -> Zone:
    return Zone(z.bend, z.start + shift, z.along, z.across, z.span, z.allowance, z.k)


def _first(part: SheetPart) -> FloatArray:
    """The fixed face laid into the plane: seen from outside, x along the part's own x where that is in the face."""
    normal = part.normals[part.fixed]
    reference = np.eye(3)[0] if abs(normal[0]) < 0.9 else np.eye(3)[1]
    x = reference - (reference @ normal) * normal
    x /= np.linalg.norm(x)
    matrix = np.array([x, np.cross(normal, x), normal])
    plane = measure.plane_of(part.body.faces[part.fixed])
    assert plane is not None
    return np.column_stack([matrix, [0.0, 0.0, -float(normal @ plane[0])]])


def _zone(part: SheetPart, bend: Bend, motion: FloatArray, rule: Rule) -> Zone:
    turn, shift = motion[:, :3], motion[:, 3]
    start = turn @ bend.start + shift
    along, across = turn @ bend.axis, turn @ bend.out
    reach = [
        float((point - bend.start) @ bend.axis)
        for f in bend.faces
        for e in kernel.edges_of(part.body.faces[f])
        if not measure.is_degenerate(e)
        for point in measure.edge_ends(e)
    ]
    thick = part.thickness
    return Zone(
        bend,
        start[:2],
        along[:2],
        across[:2],
        (min(reach), max(reach)),
        rule.allowance(bend.angle, bend.inner, thick),
        rule.k_at(bend.angle, bend.inner, thick),
    )


def _turned(bend: Bend) -> tuple[FloatArray, FloatArray]:
    """Where the point a bend begins at comes to at its end, and which way it goes on from there (3,)."""
    foot = bend.point + ((bend.start - bend.point) @ bend.axis) * bend.axis
    radial = bend.start - foot
    # from the tangent line the skin goes on in the direction `out`: the turn about the axis that begins so
    c, s = np.cos(bend.angle), np.sin(bend.angle)
    size = float(np.linalg.norm(radial))
    unit = radial / size
    return foot + size * (c * unit + s * bend.out), c * bend.out - s * unit


def _next(bend: Bend, zone: Zone, normal: FloatArray) -> FloatArray:
    """The motion that lays the flat face behind a bend."""
    end, onwards = _turned(bend)
    flat = [(*zone.across, 0.0), (*zone.along, 0.0), (0.0, 0.0, 1.0)]
    space = [onwards, bend.axis, normal]
    matrix = np.array(flat).T @ np.array(space)
    to = np.array([*(zone.start + zone.allowance * zone.across), 0.0])
    return np.column_stack([matrix, to - matrix @ end])


def _outlines(part: SheetPart, laid: dict[int, Laid], zones: list[Zone]) -> tuple[list[Curve], list[float]]:
    """All edges of the skin but those between two pieces of it, laid flat; and the areas of the pieces (mm²)."""
    body = part.body
    of = {**dict.fromkeys(laid), **{f: z for z in zones for f in z.bend.faces}}
    along = kernel.faces_along_edges(body.shape)
    curves: list[Curve] = []
    for n, edge in enumerate(body.edges):
        mine = [f for f in along[n] if f in of]
        if len(mine) != 1 or measure.is_degenerate(edge):
            continue
        zone = of[mine[0]]
        curves.append(moved_flat(edge, laid[mine[0]].motion) if zone is None else rolled_out(edge, _roll(zone)))
    areas = [body.areas[f] * (1.0 if z is None else z.allowance / (z.bend.angle * z.bend.skin)) for f, z in of.items()]
    return curves, areas


def _roll(zone: Zone) -> Callable[[FloatArray], FloatArray]:
    """The map of a bend's skin (n, 3) to the blank (n, 2)."""
    bend = zone.bend
    foot = bend.point + ((bend.start - bend.point) @ bend.axis) * bend.axis
    unit = (bend.start - foot) / np.linalg.norm(bend.start - foot)

    def flat(points: FloatArray) -> FloatArray:
        off = points - foot
        turned = np.arctan2(off @ bend.out, off @ unit)
        share = np.where(turned < -1e-6, turned + 2.0 * np.pi, turned) / bend.angle
        at = zone.start + np.outer((points - bend.start) @ bend.axis, zone.along)
        return np.asarray(at + np.outer(share * zone.allowance, zone.across))

    return flat
