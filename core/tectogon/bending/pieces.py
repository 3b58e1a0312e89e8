"""The blank parted into its flats and bends, as polygons of its plane (mm)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from tectogon.bending.unfold import Blank, Zone
from tectogon.solids import measure

_CHORD = 5e-4
_CRUMB = 1e-6
_PAST = 1e-3


@dataclass(frozen=True, eq=False)
class Pieces:
    """The whole blank, its rings (n, 2), and the polygons of its flats, each with the number of its face."""

    whole: Any
    rings: list[Any]
    flats: list[tuple[int, Any]]


def pieces_of(blank: Blank) -> Pieces:
    """The blank in pieces, round outlines within a two-thousandth of its size."""
    x0, y0, x1, y1 = blank.region.bounds
    chord = _CHORD * max(x1 - x0, y1 - y0)
    rings = [blank.regions.ring_points(r, chord) for r in (blank.region.outer, *blank.region.holes)]
    whole = shapely.Polygon(rings[0], rings[1:])
    strips = [strip(z, 0.0, z.allowance) for z in blank.zones]
    left = whole.difference(shapely.union_all(strips)) if strips else whole
    flats = [(_flat_of(blank, piece), piece) for piece in shapely.get_parts(left) if piece.area > _CRUMB]
    return Pieces(whole, rings, flats)


def strip(zone: Zone, low: float, high: float) -> Any:
    """A part of a bend's strip, from one place across it to another, a little longer than the bend."""
    a, b = zone.span[0] - _PAST, zone.span[1] + _PAST
    corners = [(a, low), (b, low), (b, high), (a, high)]
    return shapely.Polygon([zone.start + u * zone.along + v * zone.across for u, v in corners])


def slices_of(zone: Zone, whole: Any, angle: float) -> list[Any]:
    """A bend in slices that turn by no more than an angle (radians)."""
    count = max(1, math.ceil(zone.bend.angle / angle))
    step = zone.allowance / count
    pieces = [whole.intersection(strip(zone, n * step, (n + 1) * step)) for n in range(count)]
    return [p for piece in pieces for p in shapely.get_parts(piece) if p.geom_type == "Polygon" and p.area > _CRUMB]


def in_space(blank: Blank, face: int, point: tuple[float, float]) -> tuple[float, float, float]:
    """Where a point of a flat lies on the part."""
    motion = blank.laid[face].motion
    x, y, z = (motion[:, :3].T @ (np.array([*point, 0.0]) - motion[:, 3])).tolist()
    return x, y, z


def _flat_of(blank: Blank, piece: Any) -> int:
    """The flat face that a piece of the blank is: that whose own place in space it lies on."""
    at = piece.representative_point().coords[0]
    faces = blank.part.body.faces
    return min(blank.laid, key=lambda n: measure.distance_to(faces[n], in_space(blank, n, at)))
