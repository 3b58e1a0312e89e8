"""Views against the part seen straight on: what is drawn and no edge of the part, what is an edge and not drawn, and
what is drawn dashed though it is seen, or the reverse."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.reconstruction.depths import Seen, seen_in
from tectogon.solids.body import Body
from tectogon.solids.project import project
from tectogon.tolerances import EXPLAINED, LEAST_SIZE, ROUNDING, SEEN_CHORD, SEEN_LOOSE, SEEN_TOL
from tectogon.views.rectify import SECTION
from tectogon.workpiece.model import Workpiece

Lines = list[FloatArray]


@dataclass(frozen=True)
class StraightOn:
    """A view against the bodies seen straight on: how much of its drawn length lies on an edge, visible or hidden, in
    per cent; the drawn lines that lie on none; the visible edges that the drawing lacks; where it draws hidden ones,
    the hidden edges it lacks; the dashed lines where an edge is seen and none hidden, and the solid ones where edges
    are hidden alone. Polylines (n, 2) on the sheet, mm."""

    name: str
    percent: float
    unexplained: Lines
    lacking: Lines
    lacking_hidden: Lines
    dashed_but_seen: Lines
    solid_but_hidden: Lines

    @property
    def agrees(self) -> bool:
        """Whether the part is what the view draws, line by line."""
        return self.percent >= EXPLAINED and not any(lines for _, lines in self.differences)

    @property
    def count(self) -> int:
        """In how many places both differ."""
        return sum(len(lines) for _, lines in self.differences)

    @property
    def differences(self) -> tuple[tuple[str, Lines], ...]:
        """Everything in which the two differ, by its kind."""
        return (
            ("unexplained", self.unexplained),
            ("lacking", self.lacking),
            ("lacking_hidden", self.lacking_hidden),
            ("dashed_but_seen", self.dashed_but_seen),
            ("solid_but_hidden", self.solid_but_hidden),
        )


def straight_on(workpiece: Workpiece) -> list[StraightOn]:
    """Every folded view against the bodies; within a thousandth of the view's size."""
    views = [v for v in workpiece.views if v.curves and not v.name.startswith(SECTION)]
    return [seen_straight_on(seen_in(workpiece.drawing, view), workpiece.bodies) for view in views]


def differing(views: Sequence[Seen], bodies: Sequence[Body]) -> float:
    """The length (mm) in which views and bodies differ."""
    lines = [line for view in views for _, some in seen_straight_on(view, bodies).differences for line in some]
    return float(sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in lines))


def seen_straight_on(s: Seen, bodies: Sequence[Body]) -> StraightOn:
    """One view against bodies. Where it draws hidden edges, one that is not drawn is lacking; where it draws none, its
    draughtsman left them off."""
    hidden_too = bool(len(s.hidden))
    size = max(s.table.size, LEAST_SIZE)
    wide, crumb = size * SEEN_TOL, SEEN_LOOSE * size
    part = project([b.shape for b in bodies], s.view.frame, chord_tol=size * SEEN_CHORD)
    points, offsets = s.table.flatten(size * SEEN_CHORD)
    drawn = np.array(
        [shapely.LineString(points[offsets[k] : offsets[k + 1]]) for k in range(len(s.table))], dtype=object
    )
    dashed = np.zeros(len(drawn), bool)
    dashed[s.hidden] = True
    seen, behind = (
        _near(_lines((*part.visible, *part.smooth)), wide),
        _near(_lines((*part.hidden, *part.hidden_smooth)), wide),
    )
    near = shapely.union(seen, behind)
    shapely.prepare(near)
    inside = shapely.covers(near, drawn) if len(drawn) else dashed
    off = shapely.difference(drawn[~inside], near)
    whole = float(shapely.length(drawn).sum())
    missing = shapely.difference(_lines(tuple(part.visible)), _near(shapely.union_all(drawn), wide))
    hidden: Any = shapely.GeometryCollection()
    if hidden_too and part.hidden:
        covered = shapely.union(_near(shapely.union_all(drawn), wide), seen)
        hidden = shapely.difference(_lines(tuple(part.hidden)), covered)
    on_part = drawn.copy()
    on_part[~inside] = shapely.intersection(drawn[~inside], near)
    return StraightOn(
        s.view.name,
        100.0 * (1.0 - float(shapely.length(off).sum()) / max(whole, ROUNDING)),
        _polylines(off, crumb),
        _polylines(np.array([missing], object), crumb),
        _polylines(np.array([hidden], object), 2.0 * crumb),
        _polylines(_outside(on_part[dashed], behind), 2.0 * crumb),
        _polylines(_outside(on_part[~dashed], seen), 2.0 * crumb) if hidden_too else [],
    )


def _outside(lines: Any, near: shapely.Geometry) -> Any:
    """What of some lines lies outside of an area; empty where all lie in it."""
    if not len(lines):
        return np.zeros(0, object)
    shapely.prepare(near)
    out = [line for line in lines if not shapely.is_empty(line) and not shapely.covers(near, line)]
    return shapely.difference(np.array(out, object), near) if out else np.zeros(0, object)


def _near(lines: shapely.Geometry, wide: float) -> shapely.Geometry:
    """What lies within a distance of some lines. Piece by piece, put together afterwards: all at once takes a hundred
    times as long where many lines run close by each other."""
    merged = shapely.line_merge(shapely.multilinestrings(shapely.get_parts(lines)))
    parts = shapely.get_parts(shapely.simplify(merged, 0.02 * wide))
    return shapely.union_all(shapely.buffer(parts, wide, quad_segs=4))


def _lines(found: tuple[FloatArray, ...]) -> shapely.Geometry:
    return shapely.union_all([shapely.LineString(line) for line in found])


def _polylines(found: Any, least: float) -> Lines:
    """The lines among geometries, without crumbs shorter than `least`."""
    parts = shapely.get_parts(shapely.line_merge(shapely.union_all(shapely.get_parts(found))))
    return [shapely.get_coordinates(line) for line in parts if line.geom_type == "LineString" and line.length >= least]
