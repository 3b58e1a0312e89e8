"""Move the drawing, or some of it: a corner, the centre or a picked point goes to the origin or to a typed place."""

from __future__ import annotations

import numpy as np

from tectogon.operations.fields import Length, Sentence, length_token, words
from tectogon.operations.kind import Context, Kind
from tectogon.operations.placing import PlacingParams, about_tokens, chosen, mapped, place_of, what_token
from tectogon.operations.points import Anchor
from tectogon.operations.workpiece import Workpiece
from tectogon.units import parse_length


class MoveParams(PlacingParams):
    about: Anchor = "lower left"
    x: Length = 0.0
    y: Length = 0.0


def apply(workpiece: Workpiece, params: MoveParams, context: Context) -> Workpiece:
    rows = chosen(workpiece, params)
    shift = np.array([parse_length(params.x), parse_length(params.y)]) - place_of(workpiece, params, rows)
    return mapped(workpiece, rows, np.column_stack([np.eye(2), shift]))


def sentence(params: MoveParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Move "), what_token(params, workpiece), words(" so that "), *about_tokens(params)]
    return [*out, words(" lies at x "), length_token("x", params.x), words(", y "), length_token("y", params.y)]


KIND = Kind("move", "bring_in", "Move", "A corner, the centre or a point to the origin", MoveParams, apply, sentence, draws=True)
