"""Copies of picked curves: in a row, a grid or a circle."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from tectogon.curves import affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.copies import copies
from tectogon.errors import BadValue, Unfinished
from tectogon.tolerances import ANGLE_TOL
from tectogon.units import parse_length, parse_number, show_count
from tectogon.workpiece.made_curves import picked_rows, with_made
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Angle, Length, Number, Params, PointPick
from tectogon.workpiece.point_picks import point_of
from tectogon.workpiece.sentence import (
    Sentence,
    choice_token,
    curves_token,
    length_token,
    number_token,
    points_token,
    words,
)

HOWS = {"row": "in a row", "grid": "in a grid", "circle": "in a circle"}
_MOST = 5000


class RepeatParams(Params):
    curves: tuple[str, ...] = ()
    how: Literal["row", "grid", "circle"] = "row"
    count: Number = 3
    x: Length = 10.0
    y: Length = 0.0
    rows: Number = 2
    rise: Length = 10.0
    centre: tuple[PointPick, ...] = ()
    angle: Angle = 360.0


def _whole(value: str | float, what: str) -> int:
    number = parse_number(value)
    if number != int(number) or not 1 <= number <= _MOST:
        raise BadValue(f"The number of {what} must be a whole one between 1 and {_MOST}.")
    return int(number)


def placements(workpiece: Workpiece, params: RepeatParams) -> FloatArray:
    """Maps (k, 2, 3) of the copies, the original not among them. Raises BadValue for numbers that make no sense."""
    count = _whole(params.count, "copies")
    if params.how == "circle":
        if not params.centre:
            raise Unfinished("Press the centre that the copies go round.")
        centre = point_of(workpiece.drawing.linework, params.centre[0])
        full = math.radians(parse_number(params.angle))
        step = full / count if abs(abs(full) - 2 * math.pi) < ANGLE_TOL else full / max(count - 1, 1)
        turns = [affine.turned(n * step) for n in range(1, count)]
        return np.array([np.column_stack([t[:, :2], centre - t[:, :2] @ centre]) for t in turns]).reshape(-1, 2, 3)
    x, y = parse_length(params.x), parse_length(params.y)
    if params.how == "row":
        return np.array([affine.moved(n * x, n * y) for n in range(1, count)]).reshape(-1, 2, 3)
    rows, rise = _whole(params.rows, "rows"), parse_length(params.rise)
    if count * rows > _MOST:
        raise BadValue(f"That would be {show_count(count * rows)} copies; up to {show_count(_MOST)} are made.")
    return np.array([affine.moved(c * x, r * rise) for r in range(rows) for c in range(count) if r or c]).reshape(
        -1, 2, 3
    )


def apply(workpiece: Workpiece, params: RepeatParams, context: Context) -> Workpiece:
    """Copies of curves in a row, a grid or a circle (mm, degrees).

    Raises Unfinished, BadValue for a number that makes no sense.
    """
    rows = picked_rows(workpiece, params.curves, "to be repeated")
    maps = placements(workpiece, params)
    if not len(maps):
        raise BadValue("One copy is the curve itself; ask for two or more.")
    made = copies(workpiece.drawing.linework.table.take(rows), maps)
    return with_made(workpiece, made, context.number, of=rows, parent=np.tile(rows, len(maps)))


def sentence(params: RepeatParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Repeat "),
        curves_token(params.curves),
        words(" "),
        choice_token("how", params.how, HOWS),
        words(" of "),
        number_token("count", params.count),
    ]
    if params.how == "circle":
        return [
            *out,
            words(" over "),
            number_token("angle", params.angle, "°"),
            words(" round "),
            points_token("centre", params.centre, 1),
        ]
    out += [words(", each off by x "), length_token("x", params.x)]
    if params.how == "row":
        return [*out, words(", y "), length_token("y", params.y)]
    return [
        *out,
        words(", in "),
        number_token("rows", params.rows),
        words(" rows "),
        length_token("rise", params.rise),
        words(" apart"),
    ]


OPERATION = Operation(
    "repeat",
    "close",
    "Repeat",
    "Copies in a row, a grid or a circle",
    RepeatParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
