"""Give a line thickness: a thin section drawn as one line becomes a closed profile, its bend corners right and its ends
square."""

from __future__ import annotations

from typing import Literal

import numpy as np

from tectogon.errors import BadValue, NothingToBuild
from tectogon.profiles.shapes import thickened
from tectogon.units import parse_length
from tectogon.workpiece.made_curves import fineness, picked_rows, with_made
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Length, Params
from tectogon.workpiece.sentence import Sentence, choice_token, curves_token, length_token, words

SIDES = {"left": "to the left of its direction", "right": "to the right of its direction", "both": "half to each side"}
JOINS = {"miter": "sharp", "round": "round", "bevel": "cut off"}


class ThickenParams(Params):
    """All open curves where none are picked."""

    curves: tuple[str, ...] = ()
    thickness: Length = 1.0
    side: Literal["left", "right", "both"] = "both"
    corners: Literal["miter", "round", "bevel"] = "miter"


def apply(workpiece: Workpiece, params: ThickenParams, context: Context) -> Workpiece:
    """Give lines thickness (mm) on one side or both; the ends are square.

    Raises BadValue for a thickness that makes no sense, NothingToBuild where no line is open or nothing is left.
    """
    thickness = parse_length(params.thickness)
    if not 0.0 < thickness <= max(workpiece.drawing.linework.size, 1.0):
        raise BadValue("The thickness must be more than nothing and less than the drawing is large.")
    drawing = workpiece.drawing
    rows = (
        picked_rows(workpiece, params.curves, "to be thickened")
        if params.curves
        else drawing.bounding[drawing.regions.open_rows]
    )
    if not len(rows):
        raise NothingToBuild("No line is open; pick the line that is to have thickness.")
    rows = np.sort(rows)
    made = thickened(
        drawing.linework.table.take(rows),
        thickness,
        side=params.side,
        join=params.corners,
        join_tol=max(drawing.tolerance, fineness(workpiece)),
    )
    if not len(made):
        raise NothingToBuild("Nothing is left of this line at that thickness; make it thinner.")
    return with_made(workpiece, made, context.number, of=rows, leave=True)


def sentence(params: ThickenParams, workpiece: Workpiece | None) -> Sentence:
    what = curves_token(params.curves) if params.curves else words("every open line")
    out = [
        words("Give "),
        what,
        words(" a thickness of "),
        length_token("thickness", params.thickness),
        words(", "),
        choice_token("side", params.side, SIDES),
    ]
    return [*out, words(", corners "), choice_token("corners", params.corners, JOINS)]


OPERATION = Operation(
    "thicken",
    "close",
    "Thicken",
    "A section drawn as one line becomes a closed profile",
    ThickenParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
