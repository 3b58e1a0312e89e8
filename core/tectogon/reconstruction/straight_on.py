"""Views against the part seen straight on: what is drawn and no edge of the part, and what is an edge and not drawn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.reconstruction.depths import Seen, seen_in
from tectogon.solids.body import Body
from tectogon.solids.kernel import Shape
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


@dataclass(frozen=True)
class Likeness:
    """How far a part is from looking as its views are drawn: the length that is off (mm), the length below which it is
    like them, and for each view what is off there, on the sheet."""

    off: float
    least: float
    faults: list[Any]


def likeness(views: Sequence[Seen], shape: Shape) -> Likeness:
    """A part against the views of its sheet: solid lines where no edge is seen, dashed ones where there is no edge,
    edges seen and not drawn.

    A solid line on a hidden edge counts half, and so does an edge that is seen and drawn dashed; an edge hidden and not
    drawn counts a quarter where the sheet draws hidden edges at all.
    """
    off, whole, faults = 0.0, 0.0, []
    for s in views:
        size = max(s.table.size, LEAST_SIZE)
        wide = SEEN_TOL * size
        seen = project([shape], s.view.frame, chord_tol=size * SEEN_CHORD)
        points, offsets = s.table.flatten(size * SEEN_CHORD)
        drawn = np.array([shapely.LineString(points[offsets[k] : offsets[k + 1]]) for k in range(len(s.table))], object)
        dashed = np.zeros(len(drawn), bool)
        dashed[s.hidden] = True
        shown, behind = (_near(_lines((*seen.visible, *seen.smooth)), wide), _near(_lines(tuple(seen.hidden)), wide))
        edge, plain_lines, dashed_lines = (
            shapely.union(shown, behind),
            shapely.union_all(drawn[~dashed]),
            shapely.union_all(drawn[dashed]),
        )
        visible = _lines(tuple(seen.visible))
        over = _near(shapely.union(plain_lines, dashed_lines), wide)
        counted = [
            (0.5, shapely.difference(plain_lines, shown)),
            (0.5, shapely.difference(plain_lines, edge)),
            (1.0, shapely.difference(dashed_lines, edge)),
            (0.5, shapely.difference(visible, _near(plain_lines, wide))),
            (0.5, shapely.difference(visible, over)),
        ]
        faults.append(shapely.union_all([lines for _, lines in counted]))
        if any(len(v.hidden) for v in views):
            counted.append((0.25, shapely.difference(_lines(tuple(seen.hidden)), over)))
        off += sum(weight * float(shapely.length(lines)) for weight, lines in counted)
        whole += float(shapely.length(plain_lines) + shapely.length(dashed_lines))
    return Likeness(off, SEEN_TOL * whole, faults)


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
