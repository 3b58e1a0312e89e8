"""Views as they would be before edges were rounded.

By practice an edge that is rounded is drawn as if it were sharp, and where faces run into each other no line is drawn
at all. So a view along a rounded edge shows an arc between two lines that it touches; the crossing of these is the
virtual sharp corner. With sharp corners in the place of such arcs, the views are those of a part with sharp edges.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tectogon.curves import CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, IntArray
from tectogon.linework.edit import replaced
from tectogon.linework.identity import cut
from tectogon.tolerances import LEAST_SIZE, SEEN_TOL
from tectogon.views import VIEW_NAMES, View
from tectogon.workpiece.model import Workpiece

_LEAST_TURN, _MOST_TURN = np.radians(10.0), np.radians(160.0)
"""An arc that turns by less or by more is no rounded edge."""
_ASIDE = np.radians(12.0)
"""The first chord of an arc lies so far aside of its tangent at most."""
_ROUND = 0.01
"""An arc may leave its circle by this share of the radius: programs write arcs as splines through points."""
_ALONG = np.linspace(0.0, 1.0, 9)
"""Where along a curve it is held against a circle."""


@dataclass(frozen=True, eq=False)
class RoundedCorner:
    """An arc in the place of a sharp corner: the view it is drawn in, the corner (2,) on the sheet, the radius (mm)."""

    view: View
    at: FloatArray
    radius: float


def sharpened(workpiece: Workpiece) -> tuple[Workpiece, list[RoundedCorner]]:
    """The workpiece with sharp corners in its views, and what was rounded there; the same workpiece where nothing
    was."""
    linework = workpiece.drawing.linework
    corners: list[RoundedCorner] = []
    arcs: dict[int, list[Line]] = {}
    longer: dict[int, FloatArray] = {}
    for view in (v for v in workpiece.views if v.name in VIEW_NAMES):
        rows = np.array(sorted(linework.row_of[key] for key in view.curves if key in linework.row_of), np.int64)
        for arc in _rounded(linework.table, rows):
            corners.append(RoundedCorner(view, arc.corner, arc.radius))
            legs = [_leg(linework.table, arc, n, longer) for n in range(2)]
            arcs[arc.row] = [leg for leg in legs if leg is not None]
    if not arcs:
        return workpiece, []
    made = [(row, n + 1, leg) for row, some in arcs.items() for n, leg in enumerate(some)]
    made += [(row, 0, Line(*ends.ravel().tolist())) for row, ends in longer.items()]
    rows = np.array([*arcs, *longer])
    place = {row: n for n, row in enumerate(rows.tolist())}
    changed = replaced(
        linework,
        rows,
        CurveTable.of([line for _, _, line in made]),
        np.array([place[row] for row, _, _ in made], np.int64),
        np.array([number for _, number, _ in made], np.int64),
    )
    gone = {linework.ids[row]: len(some) for row, some in arcs.items()}
    views = tuple(
        replace(
            v,
            curves=(v.curves - gone.keys())
            | {cut(key, n + 1) for key in v.curves & gone.keys() for n in range(gone[key])},
        )
        for v in workpiece.views
    )
    return replace(workpiece, drawing=replace(workpiece.drawing, linework=changed), views=views), corners


def _leg(table: CurveTable, arc: _Arc, n: int, longer: dict[int, FloatArray]) -> Line | None:
    """The line from an end of an arc to its corner; none where the line that it touches there runs so far, or is made
    to: its ends are put into `longer`, by its row."""
    row, point = arc.touched[n], arc.ends[n]
    ends = longer.get(row, table.ends[row])
    way = (ends[1] - ends[0]) / max(float(np.hypot(*(ends[1] - ends[0]))), LEAST_SIZE)
    past = (arc.corner - ends) @ way * np.array([-1.0, 1.0])
    if (past <= arc.near).all():
        return None
    beyond = int(past.argmax())
    if np.abs(ends[beyond] - point).max() <= arc.near:
        longer[row] = np.array([arc.corner, ends[1]]) if beyond == 0 else np.array([ends[0], arc.corner])
        return None
    return Line(*point.tolist(), *arc.corner.tolist())


@dataclass(frozen=True, eq=False)
class _Arc:
    """A row that is an arc between two lines: its ends (2, 2), the rows of the lines it touches there, the crossing
    (2,) of these, the radius, and how near counts as touching (mm)."""

    row: int
    ends: FloatArray
    touched: tuple[int, int]
    corner: FloatArray
    radius: float
    near: float


def _rounded(table: CurveTable, rows: IntArray) -> list[_Arc]:
    """The arcs among some rows of a view that touch a line at either end."""
    size = max(table.take(rows).size, LEAST_SIZE)
    straight = rows[table.kind[rows] == LINE]
    bent = rows[(table.kind[rows] != LINE) & ~table.closed[rows]]
    if not len(bent) or not len(straight):
        return []
    points = table.points(np.repeat(bent, len(_ALONG)), np.tile(_ALONG, len(bent))).reshape(len(bent), -1, 2)
    found = [
        _arc_between(row, p, straight, table.ends[straight], SEEN_TOL * size)
        for row, p in zip(bent.tolist(), points, strict=True)
    ]
    return [arc for arc in found if arc is not None]


def _arc_between(row: int, p: FloatArray, straight: IntArray, lines: FloatArray, near: float) -> _Arc | None:
    """A row with points (k, 2) as an arc that touches two of some lines (n, 2, 2); None where it touches none, or is no
    arc."""
    chord = p[-1] - p[0]
    first, last = _touched(p[0], p[1] - p[0], lines, near), _touched(p[-1], p[-1] - p[-2], lines, near)
    if first is None or last is None:
        return None
    (m, a), (n, b) = first, last
    sine = float(a[0] * b[1] - a[1] * b[0])
    turn = float(np.arctan2(abs(sine), a @ b))
    if not _LEAST_TURN <= turn <= _MOST_TURN:
        return None
    there, back = float(chord[0] * b[1] - chord[1] * b[0]) / sine, float(a[0] * chord[1] - a[1] * chord[0]) / sine
    if min(there, back) <= 0.0 or abs(there - back) > near:
        return None
    corner, radius = p[0] + there * a, there / float(np.tan(turn / 2.0))
    way = p[[0, -1]].mean(axis=0) - corner
    centre = corner + way / np.hypot(*way) * radius / np.cos(turn / 2.0)
    if (np.abs(np.hypot(*(p - centre).T) - radius) > min(near, _ROUND * radius)).any():
        return None
    return _Arc(row, p[[0, -1]], (int(straight[m]), int(straight[n])), corner, radius, near)


def _touched(point: FloatArray, way: FloatArray, lines: FloatArray, near: float) -> tuple[int, FloatArray] | None:
    """Which of some lines (n, 2, 2) runs through or ends at a point and lies nearest to a direction there, and its
    direction (2,) that way; None where all are too far from both."""
    along = lines[:, 1] - lines[:, 0]
    size = np.maximum(np.hypot(*along.T), LEAST_SIZE)
    along = along / size[:, None]
    off = point - lines[:, 0]
    at = (off * along).sum(axis=1)
    beside = np.abs(off[:, 0] * along[:, 1] - off[:, 1] * along[:, 0])
    cosine = along @ way / max(float(np.hypot(*way)), LEAST_SIZE)
    fits = (beside <= near) & (at >= -near) & (at <= size + near) & (np.abs(cosine) >= np.cos(_ASIDE))
    if not fits.any():
        return None
    best = int(np.where(fits, np.abs(cosine), -1.0).argmax())
    return best, np.asarray(along[best] * np.sign(cosine[best]))
