"""What shapes paint, by straight pieces: the second opinion on `fills.painted`, and what stands in for it where the two
differ.

Outlines that touch along an arc, or nearly so, can defeat the exact arrangement. Here all outlines are broken into
short lines on a fine grid, where nothing can be missed; the outline of the ink is then followed by lines, arcs and
splines within the same small distance.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves import Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.chain_fit import fit_chain
from tectogon.curves.moments import area_moments
from tectogon.curves.table import BoolArray, IntArray
from tectogon.tolerances import LEAST_SIZE

_CHORD = 2e-5
_GRID = 1e-8
FOLLOWED = 3.0
"""The outline is followed within so many times the chord tolerance."""
_CORNER = math.radians(12.0)


@dataclass(frozen=True)
class FlatInk:
    """The ink as polygons, and how far their sides are from the true curves (the drawing's unit)."""

    polygons: tuple[shapely.Polygon, ...]
    chord: float

    @property
    def area(self) -> float:
        """What is inked, in the square of the drawing's unit."""
        return float(sum(p.area for p in self.polygons))

    @property
    def slack(self) -> float:
        """By how much the area may be off, as it is made of straight pieces."""
        return float(sum(p.length for p in self.polygons)) * self.chord


def flat_ink(table: CurveTable, closed: Callable[[FloatArray, IntArray], FloatArray], asked: Inked) -> FlatInk:
    """The ink of shapes.

    closed: from flattened points and offsets, segments (n, 2, 2) of all outlines, chains closed.  asked: which of some
    points (k, 2) are inked.
    """
    size = max(table.size, LEAST_SIZE)
    chord = size * _CHORD
    points, offsets = table.flatten(chord)
    segments = closed(points, offsets)
    segments = segments[np.hypot(*(segments[:, 1] - segments[:, 0]).T) > 0.0]
    noded = shapely.union_all(shapely.linestrings(segments), grid_size=size * _GRID)
    faces = np.asarray(shapely.get_parts(shapely.polygonize([noded])))
    if not len(faces):
        return FlatInk((), chord)
    inside = shapely.get_coordinates(shapely.point_on_surface(faces))
    whole = shapely.union_all(faces[asked(inside)], grid_size=size * _GRID)
    parts = [p for p in np.asarray(shapely.get_parts(whole)) if isinstance(p, shapely.Polygon)]
    return FlatInk(tuple(p for p in parts if p.area > chord * chord), chord)


Inked = Callable[[FloatArray], BoolArray]


def followed(ink: FlatInk, table: CurveTable) -> tuple[CurveTable, IntArray]:
    """The outline of flat ink by lines, arcs and splines; and for each the row of `table` that it runs along (k,)."""
    curves: list[Curve] = []
    for polygon in ink.polygons:
        for ring in (polygon.exterior, *polygon.interiors):
            curves += _ring(np.asarray(ring.coords)[:-1], ink.chord)
    if not curves:
        return CurveTable.of([]), np.zeros(0, np.int64)
    points, offsets = table.flatten(ink.chord * 20.0)
    of = np.repeat(np.arange(len(table)), np.diff(offsets))
    lines = np.asarray(shapely.linestrings(points, indices=of))
    made = CurveTable.of(curves)
    middles = made.points(np.arange(len(made)), np.full(len(made), 0.5))
    nearest = shapely.STRtree(lines).nearest(shapely.points(middles))
    return made, np.asarray(nearest, np.int64)


def _ring(points: FloatArray, chord: float) -> list[Curve]:
    """A ring of points by as few curves as follow it; by its own sides where that loses area."""
    made = fit_chain(points, closed=True, deviation=FOLLOWED * chord, corner=_CORNER)
    area = 0.5 * float(np.sum(points[:, 0] * np.roll(points[:, 1], -1) - np.roll(points[:, 0], -1) * points[:, 1]))
    length = float(np.hypot(*(np.roll(points, -1, axis=0) - points).T).sum())
    off = abs(float(area_moments(CurveTable.of(made))[:, 0].sum())) - abs(area)
    if abs(off) <= 2.0 * FOLLOWED * chord * length:
        return made
    return [Line(*a, *b) for a, b in zip(points.tolist(), np.roll(points, -1, axis=0).tolist(), strict=True)]
