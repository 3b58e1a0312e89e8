"""Scale the drawing: by a factor, so that two points lie a known length apart, or to a width or a height."""

from __future__ import annotations

import contextlib
from typing import Literal

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from tectogon.errors import BadValue, Unfinished
from tectogon.units import parse_length, parse_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Length, Number, PointPick
from tectogon.workpiece.point_picks import Anchor, points_of
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, number_token, points_token, words
from tectogon.workpiece.transforms import PlacingParams, about, about_tokens, chosen, mapped, place_of, what_token

How = Literal["factor", "length", "width", "height", "chord", "each_way"]
HOWS = {
    "factor": "by the factor",
    "length": "so that two points lie apart by",
    "width": "to the width",
    "height": "to the height",
    "chord": "to the chord (its longest reach)",
    "each_way": "unevenly, level by",
}


class ScaleParams(PlacingParams):
    how: How = "factor"
    factor: Number = 1.0
    length: Length = 100.0
    points: tuple[PointPick, ...] = ()
    upright: Number = 1.0
    about: Anchor = "lower_left"


def factors(workpiece: Workpiece, params: ScaleParams) -> tuple[float, float]:
    """Factors level and upright. Raises BadValue where they would be nothing or beyond a million, PickGone for points
    that are gone."""
    if params.how in ("factor", "each_way"):
        level = parse_number(params.factor)
        return _checked(level), _checked(parse_number(params.upright) if params.how == "each_way" else level)
    wanted = parse_length(params.length)
    rows = chosen(workpiece, params)
    linework = workpiece.drawing.linework
    kept = rows & workpiece.drawing.kept
    table = linework.table.take(kept if kept.any() else rows)
    if params.how == "length":
        if len(params.points) < 2:
            raise Unfinished("Press the two points whose distance you know.")
        a, b = points_of(linework, params.points[:2])
        now = float(np.hypot(*(b - a)))
        what = "The two points lie on top of each other"
    elif params.how == "chord":
        now, what = (
            _reach(table.flatten(float(np.ptp(table.extents.reshape(2, 2), axis=0).max()) * 1e-4)[0]),
            "It has no length",
        )
    else:
        low = table.extents
        now = float(low[2] - low[0]) if params.how == "width" else float(low[3] - low[1])
        what = f"It has no {params.how}"
    if now <= 1e-9:
        raise BadValue(f"{what}; nothing can be scaled by that.")
    factor = _checked(wanted / now)
    return factor, factor


def _reach(points: np.ndarray) -> float:
    """The largest distance between any two points."""
    with contextlib.suppress(QhullError):
        points = points[ConvexHull(points).vertices]
    points = points[:: max(1, len(points) // 2000)]
    return float(np.sqrt(((points[:, None] - points[None]) ** 2).sum(axis=2).max()))


def _checked(factor: float) -> float:
    if not 1e-6 <= abs(factor) <= 1e6 or factor <= 0:
        raise BadValue(f"A factor of {factor:g} makes no sense; take one between a millionth and a million.")
    return factor


def apply(workpiece: Workpiece, params: ScaleParams, context: Context) -> Workpiece:
    """Scale curves about a place, by a factor or to a length (mm).

    Raises Unfinished for missing points, BadValue for a factor of nothing, and what `chosen` raises.
    """
    rows = chosen(workpiece, params)
    sx, sy = factors(workpiece, params)
    return mapped(workpiece, rows, about(place_of(workpiece, params, rows), np.diag([sx, sy])))


def sentence(params: ScaleParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Scale "),
        what_token(params, workpiece),
        words(" "),
        choice_token("how", params.how, HOWS),
        words(" "),
    ]
    if params.how == "factor":
        out.append(number_token("factor", params.factor))
    elif params.how == "each_way":
        out += [
            number_token("factor", params.factor),
            words(" and upright by "),
            number_token("upright", params.upright),
        ]
    elif params.how == "length":
        out += [length_token("length", params.length), words(": "), points_token("points", params.points, 2)]
    else:
        out.append(length_token("length", params.length))
    return [*out, words(", about "), *about_tokens(params)]


OPERATION = Operation(
    "scale",
    "bring_in",
    "Scale",
    "By a factor, by a known length between two points, or to a width or height",
    ScaleParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK | PLACEMENTS,
)
