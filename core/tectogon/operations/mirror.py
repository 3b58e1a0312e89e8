"""Mirror the drawing, or some of it, in an upright or a level line, or in the line through two points."""

from __future__ import annotations

from typing import Literal

import numpy as np

from tectogon.errors import BadValue, Unfinished
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import PointPick
from tectogon.workpiece.point_picks import Anchor, points_of
from tectogon.workpiece.sentence import Sentence, choice_token, points_token, words
from tectogon.workpiece.transforms import PlacingParams, about, about_tokens, chosen, mapped, place_of, what_token

ACROSS = {"upright": "an upright line", "level": "a level line", "points": "the line through two points"}


class MirrorParams(PlacingParams):
    across: Literal["upright", "level", "points"] = "upright"
    points: tuple[PointPick, ...] = ()
    about: Anchor = "centre"


def apply(workpiece: Workpiece, params: MirrorParams, context: Context) -> Workpiece:
    """Mirror curves in a line through a place (mm).

    Raises Unfinished and BadValue for points that give no line, and what `chosen` raises.
    """
    rows = chosen(workpiece, params)
    if params.across == "points":
        if len(params.points) < 2:
            raise Unfinished("Press the two points of the mirror line.")
        a, b = points_of(workpiece.drawing.linework, params.points[:2])
        way = b - a
        if np.hypot(*way) < 1e-9:
            raise BadValue("The two points of the mirror line lie on top of each other.")
        way = way / np.hypot(*way)
        return mapped(workpiece, rows, about(a, 2.0 * np.outer(way, way) - np.eye(2)))
    linear = np.diag([-1.0, 1.0] if params.across == "upright" else [1.0, -1.0])
    return mapped(workpiece, rows, about(place_of(workpiece, params, rows), linear))


def sentence(params: MirrorParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Mirror "),
        what_token(params, workpiece),
        words(" in "),
        choice_token("across", params.across, ACROSS),
    ]
    if params.across == "points":
        return [*out, words(" "), points_token("points", params.points, 2)]
    return [*out, words(" through "), *about_tokens(params)]


OPERATION = Operation(
    "mirror",
    "bring_in",
    "Mirror",
    "In an upright or level line, or through two points",
    MirrorParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK | PLACEMENTS,
)
