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
    arcs: list[int] = []
    legs: list[Line] = []
    source, number = [], []
    for view in (v for v in workpiece.views if v.name in VIEW_NAMES):
        rows = np.array(sorted(linework.row_of[key] for key in view.curves if key in linework.row_of), np.int64)
        for row, ends, at, radius in _rounded(linework.table, rows):
            drawn = [Line(*a.tolist(), *b.tolist()) for a, b in ((ends[0], at), (at, ends[1]))]
            corners.append(RoundedCorner(view, at, radius))
            source += [len(arcs)] * 2
            number += [1, 2]
            legs += drawn
            arcs.append(row)
    if not arcs:
        return workpiece, []
    made = replaced(linework, np.array(arcs), CurveTable.of(legs), np.array(source), np.array(number))
    arc_ids = {linework.ids[row] for row in arcs}
    views = tuple(
        replace(v, curves=(v.curves - arc_ids) | {cut(key, n) for key in v.curves & arc_ids for n in (1, 2)})
        for v in workpiece.views
    )
    return replace(workpiece, drawing=replace(workpiece.drawing, linework=made), views=views), corners


def _rounded(table: CurveTable, rows: IntArray) -> list[tuple[int, FloatArray, FloatArray, float]]:
    """The arcs among some rows of a view that touch a line at either end: the row, its ends (2, 2), the crossing (2,)
    of those lines, and the radius (mm)."""
    size = max(table.take(rows).size, LEAST_SIZE)
    lines = table.ends[rows[table.kind[rows] == LINE]]
    bent = rows[(table.kind[rows] != LINE) & ~table.closed[rows]]
    if not len(bent) or not len(lines):
        return []
    out = []
    points = table.points(np.repeat(bent, len(_ALONG)), np.tile(_ALONG, len(bent))).reshape(len(bent), -1, 2)
    for row, p in zip(bent.tolist(), points, strict=True):
        found = _corner_of(p, lines, SEEN_TOL * size)
        if found is not None:
            out.append((row, p[[0, -1]], *found))
    return out


def _corner_of(p: FloatArray, lines: FloatArray, near: float) -> tuple[FloatArray, float] | None:
    """The crossing (2,) of the two lines that an arc through points (k, 2) touches at its ends, and its radius (mm);
    None where it touches none, or is no arc."""
    chord = p[-1] - p[0]
    a, b = _touched(p[0], p[1] - p[0], lines, near), _touched(p[-1], p[-1] - p[-2], lines, near)
    if a is None or b is None:
        return None
    sine = float(a[0] * b[1] - a[1] * b[0])
    turn = float(np.arctan2(abs(sine), a @ b))
    if not _LEAST_TURN <= turn <= _MOST_TURN:
        return None
    first, last = float(chord[0] * b[1] - chord[1] * b[0]) / sine, float(a[0] * chord[1] - a[1] * chord[0]) / sine
    if min(first, last) <= 0.0 or abs(first - last) > near:
        return None
    corner, radius = p[0] + first * a, first / np.tan(turn / 2.0)
    way = p[[0, -1]].mean(axis=0) - corner
    centre = corner + way / np.hypot(*way) * radius / np.cos(turn / 2.0)
    if (np.abs(np.hypot(*(p - centre).T) - radius) > min(near, _ROUND * radius)).any():
        return None
    return corner, radius


def _touched(point: FloatArray, way: FloatArray, lines: FloatArray, near: float) -> FloatArray | None:
    """The direction (2,) of a line that runs through or ends at a point and is nearest to a direction there; None where
    all are too far from both."""
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
    return np.asarray(along[best] * np.sign(cosine[best]))
