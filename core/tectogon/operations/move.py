"""Move the drawing, or some of it: a corner, the centre or a picked point goes to the origin or to a typed place."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import BoolArray
from tectogon.units import parse_length
from tectogon.views import VIEW_NAMES, View
from tectogon.workpiece.folded_views import moved
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Length
from tectogon.workpiece.point_picks import Anchor
from tectogon.workpiece.sentence import Sentence, length_token, words
from tectogon.workpiece.transforms import PlacingParams, about_tokens, chosen, mapped, place_of, what_token


class MoveParams(PlacingParams):
    about: Anchor = "lower_left"
    x: Length = 0.0
    y: Length = 0.0


def apply(workpiece: Workpiece, params: MoveParams, context: Context) -> Workpiece:
    """Move curves so that a place of them lies at x, y (mm).

    Raises what `chosen` and `place_of` raise.
    """
    rows = chosen(workpiece, params)
    shift = np.array([parse_length(params.x), parse_length(params.y)]) - place_of(workpiece, params, rows)
    return _along(mapped(workpiece, rows, np.column_stack([np.eye(2), shift])), rows, shift)


def _along(workpiece: Workpiece, rows: BoolArray, shift: FloatArray) -> Workpiece:
    """A view of the part that is moved as a whole, apart from others, is moved on the sheet alone: its place on the
    part stays."""
    if rows.all():
        return workpiece
    ids = workpiece.drawing.linework.ids
    gone_along = {ids[row] for row in np.flatnonzero(rows).tolist()}

    def kept(view: View) -> View:
        if view.name not in VIEW_NAMES or not view.curves or not view.curves <= gone_along:
            return view
        return replace(
            view,
            frame=moved(view.frame, -(shift[0] * np.array(view.frame.x_dir) + shift[1] * np.array(view.frame.y_dir))),
        )

    return replace(workpiece, views=tuple(kept(v) for v in workpiece.views))


def sentence(params: MoveParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Move "), what_token(params, workpiece), words(" so that "), *about_tokens(params)]
    return [*out, words(" lies at x "), length_token("x", params.x), words(", y "), length_token("y", params.y)]


OPERATION = Operation(
    "move",
    "bring_in",
    "Move",
    "A corner, the centre or a point to the origin",
    MoveParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK | PLACEMENTS,
)
