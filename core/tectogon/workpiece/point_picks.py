"""Picked points found again on a drawing, and places named by the extents."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.square import feet, places_of_meeting, tangent_points
from tectogon.curves.table import ARC, ELLIPSE
from tectogon.errors import NothingToBuild, PickGone, Place, Unfinished
from tectogon.linework import Linework
from tectogon.workpiece.parameters import PointPick

Anchor = Literal["lower_left", "lower_right", "upper_left", "upper_right", "centre", "origin", "point"]
ANCHORS = {
    "lower_left": "the lower left corner",
    "lower_right": "the lower right corner",
    "upper_left": "the upper left corner",
    "upper_right": "the upper right corner",
    "centre": "the centre of the extents",
    "origin": "the origin",
    "point": "a point",
}
_SHARES = {
    "lower_left": (0.0, 0.0),
    "lower_right": (1.0, 0.0),
    "upper_left": (0.0, 1.0),
    "upper_right": (1.0, 1.0),
    "centre": (0.5, 0.5),
}
_PARAMETER = {"start": 0.0, "end": 1.0, "middle": 0.5}


def points_of(linework: Linework, picks: Sequence[PointPick]) -> FloatArray:
    """Where picked points are now (k, 2), mm; each tangent and perpendicular one as seen from the point before it.
    Raises PickGone."""
    out: list[FloatArray] = []
    for pick in picks:
        out.append(point_of(linework, pick, out[-1] if out else None))
    return np.array(out).reshape(-1, 2)


def point_of(linework: Linework, pick: PointPick, before: FloatArray | None = None) -> FloatArray:
    """Where a picked point is now (2,), mm. Raises PickGone where its curve is no longer in the drawing, or has no such
    point any more."""
    if pick.curve is None or pick.kind == "free":
        return np.array(pick.at)
    row = linework.row_of.get(pick.curve)
    if row is None:
        x, y = pick.at
        raise PickGone(
            f"The {pick.kind} picked at x {x:.2f}, y {y:.2f} mm is gone: its curve is no longer in the drawing. Pick it"
            " again.",
            Place((), pick.at),
        )
    if pick.kind == "centre":
        if linework.table.kind[row] not in (ARC, ELLIPSE):
            raise PickGone(
                f"The curve picked at x {pick.at[0]:.2f}, y {pick.at[1]:.2f} mm has no centre any more. Pick it again.",
                Place((pick.curve,), pick.at),
            )
        return np.array(linework.table.data[row, :2])
    if pick.kind in ("crossing", "tangent", "perpendicular"):
        return _derived(linework, row, pick, before)
    return np.asarray(linework.table.points(np.array([row]), np.array([_PARAMETER[pick.kind]]))[0])


def _derived(linework: Linework, row: int, pick: PointPick, before: FloatArray | None) -> FloatArray:
    """A crossing, or the foot of a tangent or perpendicular from the point before."""
    x, y = pick.at
    if pick.kind == "crossing":
        other = linework.row_of.get(pick.other or "")
        found = places_of_meeting(linework.table, row, other) if other is not None else np.zeros((0, 2))
    elif before is None:
        return np.array(pick.at)
    elif pick.kind == "tangent":
        found = tangent_points(linework.table.curve(row), before)
    else:
        found = feet(linework.table.curve(row), before)
    if not len(found):
        what = {"crossing": "crossing", "tangent": "tangent", "perpendicular": "foot"}[pick.kind]
        raise PickGone(
            f"The {what} picked at x {x:.2f}, y {y:.2f} mm is no more: the curves do not meet like that now. Pick it"
            " again.",
            Place((), pick.at),
        )
    return np.asarray(found[np.hypot(*(found - np.array(pick.at)).T).argmin()])


def anchor_of(linework: Linework, rows: np.ndarray, anchor: str, point: PointPick | None) -> FloatArray:
    """The place (2,) that an anchor names on the curves `rows`, mm. Raises NothingToBuild on an empty drawing,
    PickGone. Raises Unfinished or NothingToBuild."""
    if anchor == "origin":
        return np.zeros(2)
    if anchor == "point":
        if point is None:
            raise Unfinished("No point is picked: press one on the sheet.")
        return point_of(linework, point)
    if not len(rows):
        raise NothingToBuild("There is nothing in the drawing yet; bring in a file first.")
    x0, y0, x1, y1 = linework.table.take(rows).extents.tolist()
    sx, sy = _SHARES[anchor]
    return np.array([x0 + sx * (x1 - x0), y0 + sy * (y1 - y0)])
