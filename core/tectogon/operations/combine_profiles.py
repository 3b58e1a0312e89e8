"""Unite profiles, take some from another, keep what they share, or what only one of them holds; true arcs kept."""

from __future__ import annotations

from typing import Literal

from tectogon.errors import NothingToBuild, Unfinished
from tectogon.operations.offset import KEEPS
from tectogon.profiles.shapes import boundary, combined
from tectogon.workpiece.made_curves import bounding_rows, fineness, with_made
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params, ProfileChoice
from tectogon.workpiece.profile_picks import chosen_regions
from tectogon.workpiece.sentence import Sentence, choice_token, profiles_token, words

HOWS = {
    "unite": "Unite",
    "subtract": "Take the others from the first of",
    "overlap": "Keep what is shared by",
    "exclude": "Keep what only one holds of",
}


class CombineParams(Params):
    how: Literal["unite", "subtract", "overlap", "exclude"] = "unite"
    profiles: ProfileChoice = ProfileChoice()
    keeps: Literal["replace", "keep"] = "replace"


def apply(workpiece: Workpiece, params: CombineParams, context: Context) -> Workpiece:
    """Unite, subtract, overlap or exclude profiles; arcs stay arcs.

    Raises Unfinished for fewer than two, NothingToBuild where nothing is left, and what `chosen_regions` raises.
    """
    regions = chosen_regions(workpiece, params.profiles)
    if len(regions) < 2:
        raise Unfinished(
            "Two or more profiles are wanted: press them on the sheet, the one that others are taken from first."
        )
    drawing = workpiece.drawing
    tables = [boundary(drawing.regions, r) for r in regions]
    made = combined(tables[0], tables[1:], params.how, join_tol=max(drawing.tolerance, fineness(workpiece)))
    if not len(made):
        raise NothingToBuild(
            "Nothing is left: these profiles share nothing."
            if params.how == "overlap"
            else "Nothing is left of the first profile."
        )
    rows = bounding_rows(workpiece, regions)
    return with_made(workpiece, made, context.number, of=rows, leave=params.keeps == "replace")


def sentence(params: CombineParams, workpiece: Workpiece | None) -> Sentence:
    return [
        choice_token("how", params.how, HOWS),
        words(" "),
        profiles_token("profiles", params.profiles),
        words(", "),
        choice_token("keeps", params.keeps, KEEPS),
    ]


OPERATION = Operation(
    "combine",
    "close",
    "Put together",
    "Unite, subtract, overlap or exclude profiles",
    CombineParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
