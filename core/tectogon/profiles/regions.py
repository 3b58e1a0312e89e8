"""Every closed region of linework, with its holes, level and exact area properties.

How: split and join into pieces (network.py), close them into faces (faces.py), nest those by containment (nesting.py).
Area, centroid and perimeter come from the true curves (moments.py). All of it stays in columns; a `Region` is made when
it is asked for.

Tried first and dropped: shapely's union + polygonize on flattened segments (twice the time, arcs lost, dead ends have
to be matched back).
"""

from __future__ import annotations

import zlib
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeAlias

import numpy as np
import numpy.typing as npt
import shapely

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.moments import area_moments
from tectogon.curves.table import EMPTY, BoolArray, IntArray
from tectogon.linework import identity
from tectogon.profiles.faces import Faces, find_faces
from tectogon.profiles.nesting import FlatRings, Nesting, nest
from tectogon.profiles.network import Network, build_network, build_networks
from tectogon.tolerances import LEAST_SIZE

Hashes: TypeAlias = npt.NDArray[np.uint64]


@dataclass(frozen=True)
class Ring:
    """A closed chain of pieces: rows of `Regions.pieces` in order, and which of them run against their own
    direction."""

    rows: IntArray
    against: BoolArray


@dataclass(frozen=True)
class Region:
    """A closed region. Area (mm²) is without its holes, perimeter (mm) with them; centroid and bounds in mm on the
    sheet."""

    id: str
    level: int
    outer: Ring
    holes: tuple[Ring, ...]
    area: float
    perimeter: float
    centroid: tuple[float, float]
    bounds: tuple[float, float, float, float]
    inside: tuple[float, float]
    """A point of the region that is in none of its holes."""

    @property
    def is_material(self) -> bool:
        """Whether it is filled by the rule that every boundary crossed changes in and out."""
        return self.level % 2 == 0


@dataclass(frozen=True, eq=False)
class RegionColumns:
    """The regions of a network as columns, largest first within each level.

    ring: outer ring of each (m,).  level (m,).  area in mm² without its holes, perimeter in mm with them (m,).
    centroid (m, 2) and bounds (m, 4) in mm.
    """

    faces: Faces
    nesting: Nesting
    ring: IntArray
    level: IntArray
    area: FloatArray
    perimeter: FloatArray
    centroid: FloatArray
    bounds: FloatArray

    def holes(self, ring: int) -> IntArray:
        """Rings directly inside a ring."""
        return self.nesting.holes[self.nesting.hole_starts[ring] : self.nesting.hole_starts[ring + 1]]


@dataclass(frozen=True, eq=False)
class Regions:
    """All regions of a drawing, largest first within each level, and the pieces that bound them.

    net: the pieces and nodes.  curve_ids: an id for each curve that was given.  open_rows: curves that bound nothing.
    """

    net: Network
    curve_ids: tuple[str, ...]
    found: RegionColumns | None
    open_rows: IntArray
    open_length: float
    open_ends: FloatArray
    join_tol: float
    pinches: FloatArray

    @property
    def pieces(self) -> CurveTable:
        """The pieces that boundaries consist of: what meetings part the curves into."""
        return self.net.table

    @property
    def piece_source(self) -> IntArray:
        """The curve each piece is of."""
        return self.net.source

    @property
    def doubles(self) -> IntArray:
        """Curves on top of others."""
        return self.net.doubles

    def __len__(self) -> int:
        return 0 if self.found is None else len(self.found.ring)

    @cached_property
    def piece_ids(self) -> tuple[str, ...]:
        """An id for each piece: its curve's, and, where that was split, between which other curves it runs."""
        ids = self.curve_ids
        out = list(map(ids.__getitem__, self.net.source.tolist()))
        for piece, mark in _marks_of_pieces(self.net, self._curve_hashes).items():
            out[piece] = identity.piece(out[piece], mark)
        return tuple(out)

    @cached_property
    def _curve_hashes(self) -> Hashes:
        return _hashes(self.curve_ids)

    def curves_of(self, ring: Ring) -> tuple[str, ...]:
        """The curves of the drawing that a ring runs along, in its order, each once."""
        ids = self.curve_ids
        return tuple(dict.fromkeys(identity.whole(ids[s]) for s in self.net.source[ring.rows].tolist()))

    @cached_property
    def points_inside(self) -> FloatArray:
        """A point inside each region and outside its holes (m, 2)."""
        return np.zeros((0, 2)) if self.found is None else _points_inside(self.found, self.pieces)

    @cached_property
    def regions(self) -> tuple[Region, ...]:
        """All regions, as objects."""
        if self.found is None:
            return ()
        names = _ring_names(self.found.faces.order, self.found.faces.starts, _hashes(self.piece_ids))
        return tuple(_as_regions(self.found, self.points_inside, names))

    @cached_property
    def by_id(self) -> dict[str, int]:
        """The place of each region in `regions`, by id."""
        return {region.id: n for n, region in enumerate(self.regions)}

    def with_id(self, key: str) -> Region | None:
        """The region of this id."""
        at = self.by_id.get(key)
        return None if at is None else self.regions[at]

    def holds(self, region: Region) -> bool:
        """Whether a region is one of these: the same pieces of boundary and the same holes."""
        own = self.with_id(region.id)
        return own is region or (
            own is not None
            and own.area == region.area
            and len(own.holes) == len(region.holes)
            and np.array_equal(own.outer.rows, region.outer.rows)
        )

    @property
    def profiles(self) -> tuple[Region, ...]:
        """The regions of material: those at an even level."""
        return tuple(r for r in self.regions if r.is_material)

    def ring_area(self, ring: Ring, chord_tol: float) -> shapely.Geometry:
        """What a ring encloses, flattened; valid also where straight pieces of fine curves cross each other."""
        return shapely.make_valid(shapely.Polygon(self.ring_points(ring, chord_tol)))

    def ring_points(self, ring: Ring, chord_tol: float) -> FloatArray:
        """The ring as a polyline (k, 2), first point not repeated."""
        points, offsets = self.pieces.take(ring.rows).flatten(chord_tol)
        parts = []
        for n, against in enumerate(ring.against.tolist()):
            part = points[offsets[n] : offsets[n + 1]]
            parts.append(part[::-1][:-1] if against else part[:-1])
        return np.concatenate(parts)

    def polygon(self, region: Region, chord_tol: float) -> shapely.Polygon:
        """A region with its holes by straight pieces, for asking what lies in it."""
        return shapely.Polygon(
            self.ring_points(region.outer, chord_tol), [self.ring_points(hole, chord_tol) for hole in region.holes]
        )


def filling(regions: Sequence[Region]) -> dict[str, str]:
    """Of regions that were found together: which fill a hole of another among them, and of which, by their ids."""
    out: dict[str, str] = {}
    for one in regions:
        edges = {row for hole in one.holes for row in hole.rows.tolist()}
        for other in regions:
            if other.level == one.level + 1 and not edges.isdisjoint(other.outer.rows.tolist()):
                out[other.id] = one.id
    return out


def find_regions(
    table: CurveTable, ids: tuple[str, ...], *, join_tol: float, planes: IntArray | None = None
) -> Regions:
    """All closed regions of the curves of a table; `ids` names its rows. Ends within `join_tol` (mm) count as met.
    `planes`: a number for the plane that each curve lies in (n,); what lies in different ones has nothing in common.

    An empty table gives no regions. Large coordinates are worked relative to the middle of the extents.
    """
    origin = np.zeros(2) if not len(table) else np.round((table.extents[:2] + table.extents[2:]) / 2.0)
    moved = bool(np.any(origin))
    near = table.transformed(np.column_stack([np.eye(2), -origin])) if moved else table
    several = planes is not None and len(planes) > 0 and bool(np.ptp(planes) > 0)
    net = (
        build_networks(near, planes, join_tol=join_tol)
        if several and planes is not None
        else build_network(near, join_tol=join_tol)
    )
    faces = find_faces(net)
    used = np.zeros(len(table), bool)
    used[net.source[faces.live]] = True
    used[net.doubles] = True
    dead = np.ones(len(net.table), bool)
    dead[faces.live] = False
    degree = np.bincount(net.node.ravel(), minlength=len(net.points))
    return Regions(
        net=(
            replace(net, table=net.table.transformed(np.column_stack([np.eye(2), origin])), points=net.points + origin)
            if moved
            else net
        ),
        curve_ids=ids,
        found=_find(net, faces, origin, planes if several else None) if faces.count else None,
        open_rows=np.flatnonzero(~used),
        open_length=float(net.table.lengths[dead].sum()),
        open_ends=net.points[degree == 1] + origin,
        join_tol=join_tol,
        pinches=net.points[faces.twice] + origin,
    )


def no_regions(ids: tuple[str, ...], *, join_tol: float) -> Regions:
    """No regions of curves that nothing could be found in."""
    found = find_regions(EMPTY, (), join_tol=join_tol)
    return replace(found, curve_ids=ids)


def _find(net: Network, faces: Faces, origin: FloatArray, planes: IntArray | None) -> RegionColumns | None:
    """The regions of a network whose points lie relative to `origin`; `planes`: of each curve."""
    piece, begin = faces.order >> 1, faces.starts[:-1]
    sign = np.where(faces.order & 1, -1.0, 1.0)
    moments = np.add.reduceat(area_moments(net.table)[piece] * sign[:, None], begin)
    length = np.add.reduceat(net.table.lengths[piece], begin)
    bounds = net.table.bounds[piece]
    boxes = np.column_stack(
        [np.minimum.reduceat(bounds[:, k], begin) for k in (0, 1)]
        + [np.maximum.reduceat(bounds[:, k], begin) for k in (2, 3)]
    )
    size = float(max(np.ptp(net.points[:, 0]), np.ptp(net.points[:, 1]), LEAST_SIZE))
    nesting = nest(faces, net, moments[:, 0], boxes, size * _FLAT, planes)
    whole = np.flatnonzero(moments[:, 0] > 0)
    around = np.repeat(np.arange(faces.count), np.diff(nesting.hole_starts))
    np.add.at(moments, around, moments[nesting.holes])
    np.add.at(length, around, length[nesting.holes])
    whole = whole[moments[whole, 0] > 1e-14 * size * size]
    if not len(whole):
        return None
    area, level = moments[whole, 0], nesting.level[whole]
    centroid = moments[whole, 1:] / area[:, None] + origin
    stable = np.lexsort((centroid[:, 1], centroid[:, 0], -area, level))
    whole = whole[stable]
    return RegionColumns(
        faces,
        nesting,
        whole,
        level[stable],
        area[stable],
        length[whole],
        centroid[stable],
        boxes[whole] + np.tile(origin, 2),
    )


_FLAT = 2e-6
"""Chord tolerance for containment, as a share of the extents."""


def _as_regions(found: RegionColumns, points_inside: FloatArray, names: list[str]) -> list[Region]:
    faces = found.faces
    rows, against, edges = faces.order >> 1, (faces.order & 1).astype(bool), faces.starts.tolist()
    holes, hole_starts = found.nesting.holes.tolist(), found.nesting.hole_starts.tolist()

    def ring_of(n: int) -> Ring:
        return Ring(rows[edges[n] : edges[n + 1]], against[edges[n] : edges[n + 1]])

    out: list[Region] = []
    seen: dict[str, int] = {}
    columns = (found.ring, found.level, found.area, found.perimeter, found.centroid, found.bounds)
    for (ring, level, area, perimeter, centroid, box), inside in zip(
        zip(*(c.tolist() for c in columns), strict=True), points_inside.tolist(), strict=True
    ):
        name = names[ring]
        seen[name] = again = seen.get(name, 0) + 1
        inner = tuple([ring_of(h) for h in holes[hole_starts[ring] : hole_starts[ring + 1]]])
        key = name if again == 1 else f"{name}.{again}"
        out.append(
            Region(key, level, ring_of(ring), inner, area, perimeter, tuple(centroid), tuple(box), tuple(inside))
        )
    return out


def _points_inside(found: RegionColumns, pieces: CurveTable) -> FloatArray:
    """A point inside each region and outside its holes (m, 2)."""
    low, high = found.bounds[:, :2].min(axis=0), found.bounds[:, 2:].max(axis=0)
    flat = FlatRings(found.faces, pieces, float(max(*(high - low), LEAST_SIZE)) * _FLAT)
    rings = flat.some(np.arange(found.faces.count))
    polygons = np.asarray(shapely.polygons(rings[found.ring]))
    count = np.diff(found.nesting.hole_starts)[found.ring]
    for k in np.unique(count[count > 0]).tolist():
        alike = np.flatnonzero(count == k)
        inner = rings[np.stack([found.holes(ring) for ring in found.ring[alike].tolist()])]
        polygons[alike] = shapely.polygons(rings[found.ring[alike]], holes=inner)
    return np.asarray(shapely.get_coordinates(shapely.point_on_surface(polygons)))


def _hashes(ids: tuple[str, ...]) -> Hashes:
    """A 64-bit hash of each id (n,), the same in every process; two check sums side by side take a fifth of the time of
    one good hash."""
    raw = [key.encode("utf-8", "surrogatepass") for key in ids]
    return np.array(list(map(zlib.crc32, raw)), np.uint64) << np.uint64(32) | np.array(
        list(map(zlib.adler32, raw)), np.uint64
    )


def _stirred(hashes: Hashes) -> Hashes:
    mixed = (hashes ^ (hashes >> np.uint64(31))) * np.uint64(0x9E3779B97F4A7C15)
    return (mixed ^ (mixed >> np.uint64(29))) * np.uint64(0xBF58476D1CE4E5B9)


def _ring_names(order: IntArray, starts: IntArray, hashes: Hashes) -> list[str]:
    """An id for each ring from the hashes of its pieces' ids, whatever their order: their sum."""
    sums = np.add.reduceat(_stirred(hashes)[order >> 1], starts[:-1])
    return [f"p{value:016x}"[:13] for value in sums.tolist()]


def _marks_of_pieces(net: Network, curve_hashes: Hashes) -> dict[int, str]:
    """For each piece of a curve that was split: which other curves meet it at its two ends, as a short mark.

    A piece keeps its mark when its curve is met by another one somewhere else, which would change its number along the
    curve. Pieces of one curve between the same others are told apart by their order along it.
    """
    rows = np.flatnonzero(net.cut)
    if not len(rows):
        return {}
    meeting = np.unique(np.column_stack([net.node.ravel(), np.repeat(net.source, 2)]), axis=0)
    own = _stirred(curve_hashes)
    at_node = np.zeros(len(net.points), np.uint64)
    np.add.at(at_node, meeting[:, 0], own[meeting[:, 1]])
    others = at_node[net.node[rows]] - own[net.source[rows]][:, None]
    mixed = _stirred(others[:, 0]) + np.uint64(3) * _stirred(others[:, 1])
    out: dict[int, str] = {}
    seen: Counter[tuple[int, int]] = Counter()
    for piece, source, value in zip(rows.tolist(), net.source[rows].tolist(), mixed.tolist(), strict=True):
        seen[(source, value)] += 1
        again = seen[(source, value)]
        out[piece] = f"{value:016x}"[:6] + (f".{again}" if again > 1 else "")
    return out
