"""Fold a group of curves up as a view: it stands in its plane, a chosen corner of it on the origin."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.errors import PickGone, Unfinished
from tectogon.operations.fields import Params, Sentence, Token, choice_token, count_of, words
from tectogon.operations.kind import Context, Kind
from tectogon.operations.workpiece import Workpiece
from tectogon.views import View, frame_of

ViewName = Literal["front", "top", "right", "left", "bottom", "rear"]
Origin = Literal["lower left", "lower right", "upper left", "upper right", "centre", "sheet"]

_SHARES = {"lower left": (0.0, 0.0), "lower right": (1.0, 0.0), "upper left": (0.0, 1.0), "upper right": (1.0, 1.0), "centre": (0.5, 0.5)}


class FoldParams(Params):
    """Curves by id, or all kept curves that lie in a box on the sheet (mm): the box also finds them in a newer issue."""

    curves: tuple[str, ...] = ()
    box: tuple[float, float, float, float] | None = None
    view: ViewName = "front"
    origin: Origin = "lower left"


def apply(workpiece: Workpiece, params: FoldParams, context: Context) -> Workpiece:
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
        raise Unfinished("Nothing is picked to fold: draw a box round one view on the sheet.")
    if not chosen.any():
        raise PickGone(f"None of the curves of the {params.view} view are in the drawing any more.")
    extents = linework.table.take(chosen).extents
    box = (float(extents[0]), float(extents[1]), float(extents[2]), float(extents[3]))
    at = (0.0, 0.0)
    if params.origin != "sheet":
        sx, sy = _SHARES[params.origin]
        at = (box[0] + sx * (box[2] - box[0]), box[1] + sy * (box[3] - box[1]))
    curves = frozenset(linework.ids[int(i)] for i in np.flatnonzero(chosen))
    others = tuple(replace(v, curves=v.curves - curves) for v in workpiece.views if v.name != params.view)
    return replace(workpiece, views=(*others, View(params.view, curves, frame_of(params.view, at), box, context.number)))


def sentence(params: FoldParams, workpiece: Workpiece | None) -> Sentence:
    picked = "the curves in a box" if params.box else count_of(len(params.curves), "curve") if params.curves else "a view: box it"
    origins = {**{key: f"{key} corner" if key != "centre" else "centre" for key in _SHARES}, "sheet": "sheet's own origin"}
    return [
        words("Fold "),
        Token(
            picked,
            "box" if params.box or not params.curves else "curves",
            {"type": "box" if params.box or not params.curves else "curves", "value": params.box or list(params.curves)},
        ),
        words(" up as the "),
        choice_token("view", params.view, {v: f"{v} view" for v in ("front", "top", "right", "left", "bottom", "rear")}),
        words(", its "),
        choice_token("origin", params.origin, origins),
        words(" at the origin"),
    ]


KIND = Kind("fold", "arrange", "Fold a view", "Stand a boxed group of curves up in its plane", FoldParams, apply, sentence, draws=True)
