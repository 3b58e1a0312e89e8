"""Turn a view on the sheet, or bring it to another scale, about a point of it; then it is lined up with the others
again."""

from __future__ import annotations

from typing import Literal

import numpy as np

from tectogon.errors import BadValue
from tectogon.units import parse_number
from tectogon.workpiece.folded_views import relined, view_named, view_options, with_view
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Angle, Number, Params, PointPick
from tectogon.workpiece.point_picks import point_of
from tectogon.workpiece.sentence import Sentence, choice_token, number_token, points_token, words
from tectogon.workpiece.transforms import about, mapped


class RightViewParams(Params):
    """`angle` in degrees, counter-clockwise. `point`: what stays in its place where `about` is point."""

    view: str = "right"
    angle: Angle = 90.0
    scale: Number = 1.0
    about: Literal["middle", "point"] = "middle"
    point: tuple[PointPick, ...] = ()


def apply(workpiece: Workpiece, params: RightViewParams, context: Context) -> Workpiece:
    """Turn a view by an angle (degrees) or bring it to another scale; then in line again.

    Raises BadValue for an angle or a scale that makes no sense, and what `view_named` raises.
    """
    view = view_named(workpiece, params.view)
    angle, scale = parse_number(params.angle), parse_number(params.scale)
    if not 1e-4 <= scale <= 1e4:
        raise BadValue("The scale must lie between 1/10,000 and 10,000.")
    linework = workpiece.drawing.linework
    mine = np.zeros(len(linework), bool)
    mine[[linework.row_of[key] for key in view.curves if key in linework.row_of]] = True
    at = np.array(view.box).reshape(2, 2).mean(axis=0)
    if params.about == "point" and params.point:
        at = point_of(linework, params.point[0])
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    now = mapped(workpiece, mine, about(at, scale * np.round(np.array([[c, -s], [s, c]]), 15)))
    return with_view(now, relined(now, view_named(now, params.view)))


def sentence(params: RightViewParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Turn "),
        choice_token("view", params.view, view_options(workpiece, params.view)),
        words(" by "),
        number_token("angle", params.angle, "°"),
    ]
    out += [
        words(" at "),
        number_token("scale", params.scale),
        words(" times its size, about "),
        choice_token("about", params.about, {"middle": "its middle", "point": "a point"}),
    ]
    return [*out, words(" "), points_token("point", params.point, 1)] if params.about == "point" else out


OPERATION = Operation(
    "turn_view",
    "arrange",
    "Turn a view",
    "By 90° or any angle, or to another scale; then in line again",
    RightViewParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=LINEWORK | PLACEMENTS,
)
