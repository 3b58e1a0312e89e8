"""Bridge a gap between two ends that are pointed at: pull them together, or put a line, a tangent arc or a smooth curve
between them."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.curves import Curve, CurveTable, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import arc_through_bulge
from tectogon.errors import BadValue, NothingToBuild, PickGone, Place, Unfinished
from tectogon.findings.finding import Finding
from tectogon.findings.mending import mend
from tectogon.linework import Linework
from tectogon.linework.edit import replaced
from tectogon.tolerances import ROUNDING
from tectogon.workpiece.made_curves import with_made
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params, PointPick
from tectogon.workpiece.sentence import Sentence, choice_token, points_token, words

WITH = {
    "pull": "by pulling the ends together",
    "line": "with a line",
    "arc": "with an arc, tangent at the first end",
    "smooth": "with a smooth curve, tangent at both ends",
}


class BridgeParams(Params):
    """`points` are two ends of curves."""

    points: tuple[PointPick, ...] = ()
    by: Literal["pull", "line", "arc", "smooth"] = "line"


def _end(linework: Linework, pick: PointPick) -> tuple[int, int]:
    """Row and side of a picked end. Raises PickGone where its curve is gone, BadValue for a point that is no end."""
    if pick.curve is None or pick.kind not in ("start", "end"):
        x, y = pick.at
        raise BadValue(f"The point at x {x:.2f}, y {y:.2f} mm is no end of a curve; press nearer to an end.")
    row = linework.row_of.get(pick.curve)
    if row is None:
        raise PickGone("The curve whose end was picked is no longer in the drawing. Pick it again.", Place((), pick.at))
    return row, int(pick.kind == "end")


def between(by: str, a: FloatArray, way_a: FloatArray, b: FloatArray, way_b: FloatArray) -> Curve:
    """A curve from a to b that leaves along way_a and arrives against way_b (unit vectors out of the two ends).

    arc: tangent at a.  smooth: a cubic tangent at both, its arms a third of the way. Raises BadValue where no arc fits.
    """
    (x0, y0), (x1, y1) = a.tolist(), b.tolist()
    if by == "line":
        return Line(x0, y0, x1, y1)
    chord = b - a
    if by == "arc":
        angle = math.atan2(float(way_a[0] * chord[1] - way_a[1] * chord[0]), float(way_a @ chord))
        if abs(angle) > math.radians(170.0):
            raise BadValue(
                "No arc leaves the first end that way and reaches the second; take a line or a smooth curve."
            )
        return arc_through_bulge((x0, y0), (x1, y1), math.tan(angle / 2.0))
    arm = float(np.hypot(*chord)) / 3.0
    return Spline.bezier(np.array([a, a + arm * way_a, b + arm * way_b, b]))


def apply(workpiece: Workpiece, params: BridgeParams, context: Context) -> Workpiece:
    """Close the gap between two picked ends (mm).

    Raises Unfinished for fewer than two, PickGone, NothingToBuild where they are one already, BadValue where no arc
    fits.
    """
    if len(params.points) < 2:
        raise Unfinished("Press the two ends of the gap.")
    drawing = workpiece.drawing
    (row_a, side_a), (row_b, side_b) = (_end(drawing.linework, p) for p in params.points[:2])
    table = drawing.linework.table
    a, b = table.ends[row_a, side_a], table.ends[row_b, side_b]
    gap = float(np.hypot(*(b - a)))
    if gap <= ROUNDING or (row_a, side_a) == (row_b, side_b):
        raise NothingToBuild("These two ends are one already.")
    if params.by == "pull":
        rows = np.unique([row_a, row_b])
        at = {int(r): n for n, r in enumerate(rows.tolist())}
        ends = (2 * at[row_a] + side_a, 2 * at[row_b] + side_b)
        finding = Finding("gap", gap, (0.0, 0.0), tuple(dict.fromkeys((at[row_a], at[row_b]))), True, "", ends)
        done = mend(table.take(rows), [finding], within=gap)
        return replace(
            workpiece,
            drawing=replace(drawing, linework=replaced(drawing.linework, rows, done.table, done.source, done.number)),
        )
    ways, _ = table.directions(np.array([row_a, row_b]), np.array([float(side_a), float(side_b)]))
    out_a, out_b = ways[0] * (1 if side_a else -1), ways[1] * (1 if side_b else -1)
    return with_made(
        workpiece, CurveTable.of([between(params.by, a, out_a, b, out_b)]), context.number, of=np.array([row_a])
    )


def sentence(params: BridgeParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Bridge the gap between "),
        points_token("points", params.points, 2),
        words(" "),
        choice_token("by", params.by, WITH),
    ]


OPERATION = Operation(
    "bridge",
    "tidy",
    "Bridge",
    "Two ends: pull together, or a line, arc or smooth curve between them",
    BridgeParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
