"""Turn the drawing, or some of it, about a place; or so that a line lies level."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from tectogon.errors import Unfinished
from tectogon.tolerances import ROUNDING
from tectogon.units import parse_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Angle, PointPick
from tectogon.workpiece.point_picks import Anchor, points_of
from tectogon.workpiece.sentence import Sentence, choice_token, number_token, points_token, words
from tectogon.workpiece.transforms import PlacingParams, about, about_tokens, chosen, mapped, place_of, what_token

HOWS = {"angle": "by", "level": "so that two points lie level"}


class TurnParams(PlacingParams):
    how: Literal["angle", "level"] = "angle"
    angle: Angle = 90.0
    about: Anchor = "centre"
    points: tuple[PointPick, ...] = ()


def apply(workpiece: Workpiece, params: TurnParams, context: Context) -> Workpiece:
    """Turn curves about a place by an angle (degrees), or so that two points lie level.

    Raises Unfinished for missing points, and what `chosen` raises.
    """
    rows = chosen(workpiece, params)
    if params.how == "level":
        if len(params.points) < 2:
            raise Unfinished("Press the two points that are to lie level.")
        a, b = points_of(workpiece.drawing.linework, params.points[:2])
        angle = -math.atan2(b[1] - a[1], b[0] - a[0])
    else:
        angle = math.radians(parse_number(params.angle))
    quarter = round(angle / (math.pi / 2))
    c, s = (
        (round(math.cos(angle)), round(math.sin(angle)))
        if abs(angle - quarter * math.pi / 2) < ROUNDING
        else (math.cos(angle), math.sin(angle))
    )
    return mapped(workpiece, rows, about(place_of(workpiece, params, rows), np.array([[c, -s], [s, c]], float)))


def sentence(params: TurnParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Turn "), what_token(params, workpiece), words(" "), choice_token("how", params.how, HOWS), words(" ")]
    out.append(
        points_token("points", params.points, 2) if params.how == "level" else number_token("angle", params.angle, "°")
    )
    return [*out, words(", about "), *about_tokens(params)]


OPERATION = Operation(
    "turn",
    "bring_in",
    "Turn",
    "By an angle, or so that two points lie level",
    TurnParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK | PLACEMENTS,
)
