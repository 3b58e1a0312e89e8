"""Snap small misfits: where views show one size of the part a little differently, the others take the front view's,
within a stated distance."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, IntArray
from tectogon.errors import BadValue, Note, NothingToBuild
from tectogon.findings.mending import with_ends
from tectogon.tolerances import ANGLE_TOL, LEAST_SIZE, ROUNDING
from tectogon.units import parse_length, show_length
from tectogon.views import VIEW_NAMES
from tectogon.views.align import Shown, axes_shown, nearest_to, on_axis, shown_of
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Length, Params
from tectogon.workpiece.sentence import Sentence, count_of, length_token, words


class SnapViewsParams(Params):
    within: Length = 0.2


def apply(workpiece: Workpiece, params: SnapViewsParams, context: Context) -> Workpiece:
    """Take small differences between views away, within a distance (mm).

    Raises BadValue for one that makes no sense, NothingToBuild where nothing differs.
    """
    within = parse_length(params.within)
    if not 0.0 < within <= 0.05 * max(workpiece.drawing.linework.size, LEAST_SIZE):
        raise BadValue("The distance must be more than nothing and at most a twentieth of the drawing.")
    if len(workpiece.views) < 2:
        raise NothingToBuild("Two views or more are wanted to snap one to another; find the views first.")
    linework = workpiece.drawing.linework
    order = [*VIEW_NAMES, *(v.name for v in workpiece.views)]
    views = [shown_of(v, linework) for v in sorted(workpiece.views, key=lambda v: order.index(v.name))]
    table, moved, count = linework.table, 0.0, 0
    for n, view in enumerate(views[1:], 1):
        for axis, column in axes_shown(view.frame).items():
            fixed = [c for v in views[:n] if (c := on_axis(table, v, axis)) is not None and len(c)]
            if fixed:
                table, far, some = _snapped(table, view, axis, column, np.sort(np.concatenate(fixed)), within)
                moved, count = max(moved, far), count + some
    if not count:
        raise NothingToBuild(f"Nothing that the views share is off by less than {show_length(within)}.")
    note = Note(
        "snapped",
        f"{count_of(count, 'coordinate')} of views snapped to the front view's and each other's; nothing moved by more"
        f" than {show_length(moved)}.",
    )
    return replace(workpiece, drawing=replace(workpiece.drawing, linework=replace(linework, table=table))).with_notes(
        note
    )


def _snapped(
    table: CurveTable, view: Shown, axis: int, column: int, fixed: FloatArray, within: float
) -> tuple[CurveTable, float, int]:
    """The table with a view's coordinates along one column moved onto fixed ones (of the part's axis); the furthest
    move, and how many moved."""
    sign = (view.frame.x_dir if column == 0 else view.frame.y_dir)[axis]
    part = table.take(view.rows)
    joined = np.concatenate([part.ends[..., column].ravel(), part.data[part.kind == ARC, column]])
    own = np.unique(np.round(joined, 9))
    on_part = sign * own + view.frame.origin[axis]
    size = max(float(np.ptp(fixed)), LEAST_SIZE)
    off = nearest_to(fixed, on_part)
    loose = (off > 1e-7 * size) & (off <= within)
    if not loose.any():
        return table, 0.0, 0
    place = np.searchsorted(fixed, on_part[loose]).clip(1, max(len(fixed) - 1, 1))
    low, high = fixed[place - 1], fixed[np.minimum(place, len(fixed) - 1)]
    goal = np.where(np.abs(on_part[loose] - low) <= np.abs(high - on_part[loose]), low, high)
    return (
        _with_moved(table, view.rows, column, own[loose], sign * (goal - view.frame.origin[axis])),
        float(off[loose].max()),
        int(loose.sum()),
    )


def _with_moved(table: CurveTable, rows: IntArray, column: int, was: FloatArray, now: FloatArray) -> CurveTable:
    """Ends and centres whose coordinate is one of `was` moved to that of `now`: lines keep their ends on it, circles go
    along whole."""

    def mapped(values: FloatArray) -> FloatArray:
        at = np.abs(values[..., None] - was).argmin(axis=-1)
        return np.where(np.abs(values - was[at]) <= 2e-9 + ROUNDING * np.abs(values), now[at], values)

    target, moves = table.ends.copy(), np.zeros((len(table), 2), bool)
    ends = mapped(table.ends[rows, :, column])
    target[rows, :, column] = ends
    round_ones = (table.kind == ARC) & (np.abs(table.data[:, 4]) >= TURN - ANGLE_TOL)
    moves[rows] = (ends != table.ends[rows, :, column]) & ~round_ones[rows][:, None]
    out = with_ends(table, target, moves)
    circles = rows[round_ones[rows]]
    shift = mapped(table.data[circles, column]) - table.data[circles, column]
    if not shift.any():
        return out
    data = out.data.copy()
    data[circles, column] += shift
    return CurveTable(out.kind, data, out.splines)


def sentence(params: SnapViewsParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Snap what views show differently to the front view's size, by no more than "),
        length_token("within", params.within),
    ]


OPERATION = Operation(
    "snap_views",
    "arrange",
    "Snap misfits",
    "Small differences between views taken away, within a distance",
    SnapViewsParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=LINEWORK | PLACEMENTS,
)
