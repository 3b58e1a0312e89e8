"""Views against the part seen straight on: what is drawn and no edge of the part, and what is an edge and not drawn."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.reconstruction.depths import Seen, seen_in
from tectogon.solids.body import Body
from tectogon.solids.project import project
from tectogon.tolerances import LEAST_SIZE, ROUNDING, SEEN_CHORD, SEEN_LOOSE, SEEN_TOL
from tectogon.views.rectify import SECTION
from tectogon.workpiece.model import Workpiece


@dataclass(frozen=True)
class StraightOn:
    """A view against the bodies seen straight on: how much of its drawn length lies on an edge, visible or hidden, in
    per cent; the drawn lines that lie on none; and the visible edges that the drawing lacks. Polylines (n, 2) on the
    sheet, mm."""

    name: str
    percent: float
    unexplained: list[FloatArray]
    lacking: list[FloatArray]


def straight_on(workpiece: Workpiece) -> list[StraightOn]:
    """Every folded view against the bodies; within a thousandth of the view's size."""
    return [
        _straight_on(seen_in(workpiece.drawing, view), workpiece.bodies)
        for view in workpiece.views
        if view.curves and not view.name.startswith(SECTION)
    ]


def _straight_on(s: Seen, bodies: tuple[Body, ...]) -> StraightOn:
    size = max(s.table.size, LEAST_SIZE)
    seen = project([b.shape for b in bodies], s.view.frame, chord_tol=size * SEEN_CHORD)
    points, offsets = s.table.flatten(size * SEEN_CHORD)
    drawn = [shapely.LineString(points[offsets[k] : offsets[k + 1]]) for k in range(len(s.table))]
    near = _near(_lines((*seen.visible, *seen.smooth, *seen.hidden)), size * SEEN_TOL)
    shapely.prepare(near)
    off = [line for line in drawn if not shapely.covers(near, line)]
    rest = shapely.difference(np.array(off, object), near) if off else np.zeros(0, object)
    whole = float(shapely.length(np.array(drawn, object)).sum())
    missing = shapely.difference(_lines(tuple(seen.visible)), _near(shapely.union_all(drawn), size * SEEN_TOL))
    percent = 100.0 * (1.0 - float(shapely.length(rest).sum()) / max(whole, ROUNDING))
    return StraightOn(
        s.view.name,
        percent,
        _polylines(rest, SEEN_LOOSE * size),
        _polylines(np.array([missing], object), SEEN_LOOSE * size),
    )


def _near(lines: shapely.Geometry, wide: float) -> shapely.Geometry:
    """What lies within a distance of some lines. Piece by piece, put together afterwards: all at once takes a hundred
    times as long where many lines run close by each other."""
    merged = shapely.line_merge(shapely.multilinestrings(shapely.get_parts(lines)))
    parts = shapely.get_parts(shapely.simplify(merged, 0.02 * wide))
    return shapely.union_all(shapely.buffer(parts, wide, quad_segs=4))


def _lines(found: tuple[FloatArray, ...]) -> shapely.Geometry:
    return shapely.union_all([shapely.LineString(line) for line in found])


def _polylines(found: Any, least: float) -> list[FloatArray]:
    """The lines among geometries, without crumbs shorter than `least`."""
    parts = shapely.get_parts(shapely.line_merge(shapely.get_parts(found)))
    return [shapely.get_coordinates(line) for line in parts if line.geom_type == "LineString" and line.length >= least]
