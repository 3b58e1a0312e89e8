"""What is drawn on the flat blank, as tools that take it out of the folded part: straight down in a flat, wrapped round
over a bend."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from tectogon.bending.pieces import pieces_of
from tectogon.bending.unfold import Blank, Zone
from tectogon.curves import CurveTable, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.as_spline import as_spline
from tectogon.errors import NothingToBuild, Place
from tectogon.profiles import Region, Regions, Ring, find_regions
from tectogon.solids.features import Feature
from tectogon.solids.prism import prism
from tectogon.solids.wrapped import wrapped
from tectogon.views import Frame

_OVER = 0.05
"""How far tools reach past both sides of the sheet, as a share of its thickness."""
_CHORD, _CRUMB = 1e-3, 1e-6


def flat_tools(blank: Blank, drawn: Regions, chosen: Sequence[Region], step: int) -> list[Feature]:
    """The tools that cut chosen regions of the blank's plane (mm) out of the part. Raises NothingToBuild for one that
    lies beside the blank, and KernelRefused."""
    pieces = pieces_of(blank)
    out: list[Feature] = []
    for region in chosen:
        shape = _polygon(drawn, region)
        if not shape.intersects(pieces.whole):
            raise NothingToBuild(
                "The profile lies beside the blank: it takes nothing away.", Place(point=region.centroid)
            )
        parted = _parted(blank, drawn, region)
        for part in parted.regions:
            if not shape.contains(shapely.Point(part.inside)):
                continue
            zone = next((z for z in blank.zones if _is_over(z, part.inside)), None)
            if zone is not None:
                out.append(_wrapped(blank, zone, parted, part, step))
                continue
            flat = _polygon(parted, part)
            for face in {f for f, p in pieces.flats if p.intersection(flat).area > _CRUMB}:
                out.append(_straight(blank, face, parted, part, step))
    return out


def _polygon(regions: Regions, region: Region) -> shapely.Polygon:
    chord = _CHORD * max(region.bounds[2] - region.bounds[0], region.bounds[3] - region.bounds[1])
    outer, *holes = (regions.ring_points(r, chord) for r in (region.outer, *region.holes))
    return shapely.Polygon(outer, holes)


def _parted(blank: Blank, drawn: Regions, region: Region) -> Regions:
    """A region parted by the lines at which bends begin and end."""
    rows = [row for ring in (region.outer, *region.holes) for row in ring.rows.tolist()]
    curves = [drawn.pieces.curve(row) for row in rows]
    x0, y0, x1, y1 = region.bounds
    reach = 2.0 * float(np.hypot(x1 - x0, y1 - y0)) + 1.0
    middle = np.array(region.centroid)
    for zone in blank.zones:
        for at in (0.0, zone.allowance):
            line = zone.start + at * zone.across
            foot = line + float((middle - line) @ zone.along) * zone.along
            if float(np.hypot(*(foot - middle))) < reach:
                a, b = (foot - reach * zone.along).tolist(), (foot + reach * zone.along).tolist()
                curves.append(Line(*a, *b))
    table = CurveTable.of(curves)
    return find_regions(table, tuple(f"f:{n}" for n in range(len(table))), join_tol=drawn.join_tol)


def _is_over(zone: Zone, point: tuple[float, float]) -> bool:
    off = np.array(point) - zone.start
    along, across = float(off @ zone.along), float(off @ zone.across)
    return zone.span[0] < along < zone.span[1] and 0.0 < across < zone.allowance


def _straight(blank: Blank, face: int, regions: Regions, region: Region, step: int) -> Feature:
    """A prism through one flat."""
    motion, thick = blank.laid[face].motion, blank.part.thickness
    turn = motion[:, :3]
    frame = Frame(_triple(-turn.T @ motion[:, 3]), _triple(turn[0]), _triple(turn[1]))
    low, high = -(1.0 + _OVER) * thick, _OVER * thick
    named = prism(regions, region, frame, low, high, step)
    return Feature(named, region.area * (high - low), (), Place(point=region.centroid)).proven()


def _wrapped(blank: Blank, zone: Zone, regions: Regions, region: Region, step: int) -> Feature:
    """What is cut over a bend."""
    bend, thick = zone.bend, blank.part.thickness
    foot = bend.point + float((bend.start - bend.point) @ bend.axis) * bend.axis
    start = bend.start - foot
    start = start / np.linalg.norm(start)
    way = 1.0 if float(np.cross(bend.axis, start) @ bend.out) > 0.0 else -1.0
    turn = bend.angle / zone.allowance
    flat = np.array([turn * zone.across, way * zone.along])

    def ring_of(ring: Ring, outer: bool) -> list[Spline]:
        curves = [regions.pieces.curve(row) for row in ring.rows.tolist()]
        some = [as_spline(c.reversed() if a else c) for c, a in zip(curves, ring.against.tolist(), strict=True)]
        moved = [Spline(s.degree, s.knots, (s.poles - zone.start) @ flat.T, s.weights) for s in some]
        corners = np.array([s.points(np.array([0.0, 0.5]))[k] for s in moved for k in (0, 1)])
        x, y = corners.T
        left = float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) > 0.0
        return moved if left is outer else [_reversed(s) for s in reversed(moved)]

    over = min(_OVER * thick, bend.inner / 2.0)
    radii = bend.inner - over, bend.inner + thick + over
    rings = [ring_of(region.outer, True), *(ring_of(h, False) for h in region.holes)]
    named = wrapped(rings, foot=foot, axis=way * bend.axis, start=start, radii=radii, step=step)
    expected = region.area * turn * (radii[1] ** 2 - radii[0] ** 2) / 2.0
    return Feature(named, expected, (), Place(point=region.centroid))


def _reversed(s: Spline) -> Spline:
    return Spline(s.degree, 1.0 - s.knots[::-1], s.poles[::-1], None if s.weights is None else s.weights[::-1])


def _triple(point: FloatArray) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in point)
    return x, y, z
