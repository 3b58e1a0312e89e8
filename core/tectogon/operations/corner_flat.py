"""Corners of the blank, made round or cut off in the flat."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.units import parse_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Length, Params, PointPick
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, points_token, words

HOWS = {"round": "Round", "chamfer": "Cut off"}
WHICH = {"every": "every outer corner", "picked": "the corners you press:"}


class CornerFlatParams(Params):
    """`points`: places on the blank's sheet, each for the corner nearest to it."""

    how: Literal["round", "chamfer"] = "round"
    which: Literal["every", "picked"] = "every"
    points: tuple[PointPick, ...] = ()
    size: Length = 3.0


def apply(workpiece: Workpiece, params: CornerFlatParams, context: Context) -> Workpiece:
    """Cuts them through the sheet. Raises what `blank_of` and `corner_tools` raise,
    Unfinished while none is pressed."""
    import numpy as np

    from tectogon.bending.blank_corners import corner_tools
    from tectogon.errors import Unfinished
    from tectogon.operations.sheet_metal import blank_of
    from tectogon.solids.features import with_features

    blank = blank_of(workpiece, at_origin=False)
    if params.which == "picked" and not params.points:
        raise Unfinished("Press corners of the blank on its sheet.")
    at = [np.array(p.at) for p in params.points] if params.which == "picked" else []
    tools = corner_tools(blank, at, parse_length(params.size), params.how, context.number)
    bodies = with_features(workpiece.bodies, tools, "cut", blank.part.body.key, context.number)
    return replace(workpiece, bodies=bodies)


def sentence(params: CornerFlatParams, workpiece: Workpiece | None) -> Sentence:
    out = [choice_token("how", params.how, HOWS), words(" in the flat "), choice_token("which", params.which, WHICH)]
    if params.which == "picked":
        out += [words(" "), points_token("points", params.points)]
    return [*out, words(" by "), length_token("size", params.size), words(", and fold it back")]


OPERATION = Operation(
    "corner_flat",
    "build",
    "Corners in the flat",
    "Outer corners of the blank made round or cut off",
    CornerFlatParams,
    apply,
    sentence,
    reads=LINEWORK | BODIES,
    writes=BODIES,
    wants="sheet_metal",
)
