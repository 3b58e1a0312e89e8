"""Regions that pinch to a point: a hole that touches the boundary there, so that no solid can be made of it in one
piece.

A seam from the far side of the hole to the next boundary parts such a region into simple ones; together they are the
same area.
For good they are parted by a gap, or joined by a neck, of a stated width: a disc that is taken away, or added, at the
point.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
import shapely

from tectogon.curves import Arc, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.profiles.regions import Region, Regions, Ring, find_regions
from tectogon.profiles.shapes import boundary, combined
from tectogon.tolerances import LEAST_AREA

_MOST_ROUNDS = 8


def corners(regions: Regions, ring: Ring) -> FloatArray:
    """The nodes of a ring in order (k, 2)."""
    ends = regions.pieces.ends[ring.rows]
    return np.asarray(ends[np.arange(len(ring.rows)), ring.against.astype(int)])


def pinch_of(regions: Regions, region: Region) -> tuple[int, tuple[float, float]] | None:
    """The number of a hole that touches the outline or an earlier hole, and where; None for a region without a
    pinch."""
    if not region.holes:
        return None
    rings = (region.outer, *region.holes)
    points = np.round(np.concatenate([corners(regions, ring) for ring in rings]), 9)
    owner = np.repeat(np.arange(len(rings)), [len(ring.rows) for ring in rings])
    order = np.lexsort((owner, points[:, 1], points[:, 0]))
    again = np.flatnonzero((np.diff(points[order], axis=0) == 0).all(axis=1))
    if not len(again):
        return None
    later = order[again + 1]
    first = later[np.argmin(owner[later])]
    return int(owner[first]) - 1, (float(points[first, 0]), float(points[first, 1]))


def parted(regions: Regions, region: Region) -> tuple[Regions, list[Region]]:
    """The region as simple regions that touch along seams; itself where it does not pinch. Their areas add up to the
    region's."""
    seams: list[Line] = []
    current, parts = regions, [region]
    for _ in range(_MOST_ROUNDS):
        pinched = next((p for p in parts if pinch_of(current, p)), None)
        if pinched is None:
            return current, parts
        found = pinch_of(current, pinched)
        assert found is not None
        seams.append(_seam(current, pinched, *found))
        current, parts = _again(regions, region, seams)
    return current, parts


def touching_at(regions: Regions, places: FloatArray) -> list[Region]:
    """Profiles whose boundary passes one of some places (k, 2)."""
    reach = 4.0 * regions.join_tol + 1e-9
    near = np.zeros(len(regions.pieces), bool)
    ends = regions.pieces.ends
    for place in places:
        near |= (np.hypot(*np.moveaxis(ends - place, -1, 0)) <= reach).any(axis=1)
    return [r for r in regions.profiles if any(near[ring.rows].any() for ring in (r.outer, *r.holes))]


def parted_at(
    regions: Regions,
    touching: list[Region],
    places: FloatArray,
    width: float,
    how: Literal["gap", "neck"],
    *,
    join_tol: float,
) -> CurveTable:
    """The outlines of profiles parted at places (k, 2) by a gap, or joined there by a neck, `width` (mm) across. May be
    empty."""
    discs = [CurveTable.of([Arc(x, y, width / 2.0, 0.0, TURN)]) for x, y in places.tolist()]
    outlines = [boundary(regions, region) for region in touching]
    if how == "neck":
        return combined(outlines[0], [*outlines[1:], *discs], "unite", join_tol=join_tol)
    return CurveTable.join([combined(outline, discs, "subtract", join_tol=join_tol) for outline in outlines])


def _seam(regions: Regions, region: Region, number: int, at: tuple[float, float]) -> Line:
    """A straight line from the far side of the touching hole, a little past the next boundary."""
    size = max(region.bounds[2] - region.bounds[0], region.bounds[3] - region.bounds[1])
    chord = size * 1e-4
    rings = [regions.ring_points(ring, chord) for ring in (region.outer, *region.holes)]
    hole = rings[number + 1]
    far = hole[int(np.argmax(np.hypot(*(hole - np.array(at)).T)))]
    way = (far - np.array(at)) / np.hypot(*(far - np.array(at)))
    ray = shapely.LineString([far + way * size * 1e-6, far + way * 3.0 * size])
    walls = shapely.MultiLineString([np.vstack([r, r[:1]]) for r in rings])
    hits = shapely.get_coordinates(shapely.intersection(ray, walls))
    reach = float(np.hypot(*(hits - far).T).min()) if len(hits) else size
    end = far + way * (reach + size * 1e-3)
    return Line(float(far[0]), float(far[1]), float(end[0]), float(end[1]))


def _again(regions: Regions, region: Region, seams: list[Line]) -> tuple[Regions, list[Region]]:
    rows = np.concatenate([region.outer.rows, *(h.rows for h in region.holes)])
    table = CurveTable.join([regions.pieces.take(rows), CurveTable.of(seams)])
    ids = (*(regions.piece_ids[i] for i in rows.tolist()), *(f"seam {n + 1}" for n in range(len(seams))))
    found = find_regions(table, ids, join_tol=regions.join_tol)
    chord = max(region.area, LEAST_AREA) ** 0.5 * 1e-4
    shape = regions.polygon(region, chord).buffer(0)
    return found, [r for r in found.regions if shapely.contains_xy(shape, *r.inside)]
