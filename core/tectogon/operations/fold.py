"""Fold a group of curves up as a view: it stands in its plane, a chosen corner of it on the origin."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.curves.table import IntArray
from tectogon.errors import PickGone, Unfinished
from tectogon.views import Frame, View, frame_of
from tectogon.views.align import shown_of
from tectogon.views.auxiliary import auxiliary_frame, lows_of
from tectogon.views.view import Box
from tectogon.workpiece.folded_views import relined, view_at
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params, PointPick
from tectogon.workpiece.point_picks import points_of
from tectogon.workpiece.sentence import Sentence, Token, choice_token, count_of, points_token, words

ViewName = Literal["front", "top", "right", "left", "bottom", "rear", "auxiliary"]
Origin = Literal["in_line", "lower_left", "lower_right", "upper_left", "upper_right", "centre", "sheet"]

_SHARES = {
    "lower_left": (0.0, 0.0),
    "lower_right": (1.0, 0.0),
    "upper_left": (0.0, 1.0),
    "upper_right": (1.0, 1.0),
    "centre": (0.5, 0.5),
}


class FoldParams(Params):
    """Curves by id, or all kept curves that lie in a box on the sheet (mm): the box also finds them in a newer issue.

    `origin`: in line with the views that stand already, else where a corner or the centre of this one goes to the
    origin.
    `edge`: two points of another view, the inclined edge that an auxiliary view is drawn square to.
    """

    curves: tuple[str, ...] = ()
    box: tuple[float, float, float, float] | None = None
    view: ViewName = "front"
    origin: Origin = "in_line"
    edge: tuple[PointPick, ...] = ()


def apply(workpiece: Workpiece, params: FoldParams, context: Context) -> Workpiece:
    """Stand a group of curves up as a view.

    Raises Unfinished where none is picked, PickGone where none of them is left.
    """
    drawing = workpiece.drawing
    linework = drawing.linework
    kept = drawing.kept & ~drawing.guiding
    if params.box:
        x0, y0, x1, y1 = params.box
        b = linework.table.bounds
        chosen = kept & (b[:, 0] >= x0) & (b[:, 1] >= y0) & (b[:, 2] <= x1) & (b[:, 3] <= y1)
    else:
        wanted = set(params.curves)
        chosen = kept & np.array([key in wanted for key in linework.ids], bool)
    if not params.box and not params.curves:
        raise Unfinished("Nothing is picked to fold: press a view on the sheet, or draw a box round it.")
    if not chosen.any():
        raise PickGone(f"None of the curves of the {params.view} view are in the drawing any more.")
    extents = linework.table.take(chosen).extents
    box = (float(extents[0]), float(extents[1]), float(extents[2]), float(extents[3]))
    curves = frozenset(linework.ids[int(i)] for i in np.flatnonzero(chosen))
    others = tuple(
        v for v in (replace(v, curves=v.curves - curves) for v in workpiece.views if v.name != params.view) if v.curves
    )
    now = replace(workpiece, views=others)
    if params.view == "auxiliary":
        frame = _square_to(now, params, box, np.flatnonzero(chosen))
    elif params.origin == "in_line":
        frame = relined(
            now, View(params.view, curves, frame_of(params.view, (box[0], box[1])), box, context.number)
        ).frame
    else:
        sx, sy = _SHARES.get(params.origin, (0.0, 0.0))
        at = (
            (box[0] + sx * (box[2] - box[0]), box[1] + sy * (box[3] - box[1]))
            if params.origin != "sheet"
            else (0.0, 0.0)
        )
        frame = frame_of(params.view, at)
    return replace(workpiece, views=(*others, View(params.view, curves, frame, box, context.number)))


def _square_to(workpiece: Workpiece, params: FoldParams, box: Box, rows: IntArray) -> Frame:
    """The frame of an auxiliary view drawn square to the picked edge of another view."""
    if len(params.edge) < 2:
        raise Unfinished("Press the two ends of the inclined edge, in another view, that this view is drawn square to.")
    base = view_at(workpiece, params.edge[0])
    linework = workpiece.drawing.linework
    stand = [shown_of(v, linework) for v in workpiece.views]
    top = next((v for v in workpiece.views if v.name == "top"), None)
    front = next((v for v in workpiece.views if v.name == "front"), None)
    third = top is None or front is None or top.box[1] >= front.box[1]
    edge = points_of(linework, params.edge[:2])
    return auxiliary_frame(base.frame, edge, box, lows_of(linework.table, stand), linework.table, rows, third=third)


def sentence(params: FoldParams, workpiece: Workpiece | None) -> Sentence:
    picked = (
        "the curves in a box"
        if params.box
        else count_of(len(params.curves), "curve")
        if params.curves
        else "a view: press it, or box it"
    )
    origins = {
        "in_line": "in line with the others",
        **{key: f"{key.replace('_', ' ')} corner" if key != "centre" else "centre" for key in _SHARES},
        "sheet": "sheet's own origin",
    }
    return [
        words("Fold "),
        Token(
            picked,
            "box" if params.box or not params.curves else "curves",
            {
                "type": "box" if params.box or not params.curves else "curves",
                "value": params.box or list(params.curves),
            },
        ),
        words(" up as the "),
        choice_token(
            "view",
            params.view,
            {v: f"{v} view" for v in ("front", "top", "right", "left", "bottom", "rear", "auxiliary")},
        ),
        *_placed(params, origins),
    ]


def _placed(params: FoldParams, origins: dict[str, str]) -> Sentence:
    if params.view == "auxiliary":
        return [words(", square to the edge between "), points_token("edge", params.edge, 2)]
    if params.origin == "in_line":
        return [words(", "), choice_token("origin", params.origin, origins)]
    return [words(", its "), choice_token("origin", params.origin, origins), words(" at the origin")]


OPERATION = Operation(
    "fold",
    "arrange",
    "Fold a view",
    "Stand a boxed group of curves up in its plane",
    FoldParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=PLACEMENTS,
)
