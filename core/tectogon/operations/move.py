"""Move the drawing, or some of it: a corner, the centre or a picked point goes to the origin or to a typed place."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import BoolArray
from tectogon.operations.arranging import moved
from tectogon.operations.fields import Length, Sentence, length_token, words
from tectogon.operations.kind import LINEWORK, PLACEMENTS, Context, Kind
from tectogon.operations.placing import PlacingParams, about_tokens, chosen, mapped, place_of, what_token
from tectogon.operations.points import Anchor
from tectogon.operations.workpiece import Workpiece
from tectogon.units import parse_length
from tectogon.views import VIEW_NAMES, View


class MoveParams(PlacingParams):
    about: Anchor = "lower_left"
    x: Length = 0.0
    y: Length = 0.0


def apply(workpiece: Workpiece, params: MoveParams, context: Context) -> Workpiece:
    rows = chosen(workpiece, params)
    shift = np.array([parse_length(params.x), parse_length(params.y)]) - place_of(workpiece, params, rows)
    return _along(mapped(workpiece, rows, np.column_stack([np.eye(2), shift])), rows, shift)


def _along(workpiece: Workpiece, rows: BoolArray, shift: FloatArray) -> Workpiece:
    """A view of the part that is moved as a whole, apart from others, is moved on the sheet alone: its place on the part stays."""
    if rows.all():
        return workpiece
    ids = workpiece.drawing.linework.ids
    gone_along = {ids[row] for row in np.flatnonzero(rows).tolist()}

    def kept(view: View) -> View:
        if view.name not in VIEW_NAMES or not view.curves or not view.curves <= gone_along:
            return view
        return replace(view, frame=moved(view.frame, -(shift[0] * np.array(view.frame.x_dir) + shift[1] * np.array(view.frame.y_dir))))

    return replace(workpiece, views=tuple(kept(v) for v in workpiece.views))


def sentence(params: MoveParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Move "), what_token(params, workpiece), words(" so that "), *about_tokens(params)]
    return [*out, words(" lies at x "), length_token("x", params.x), words(", y "), length_token("y", params.y)]


KIND = Kind("move", "bring_in", "Move", "A corner, the centre or a point to the origin", MoveParams, apply, sentence, reads=LINEWORK, writes=LINEWORK | PLACEMENTS)
