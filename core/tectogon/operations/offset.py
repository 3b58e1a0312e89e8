"""Move the boundary of profiles outwards or inwards by a distance; what collapses is gone."""

from __future__ import annotations

from typing import Literal

from tectogon.curves import CurveTable
from tectogon.errors import BadValue, NothingToBuild
from tectogon.operations.thicken import JOINS
from tectogon.profiles.shapes import boundary, offset
from tectogon.units import parse_length
from tectogon.workpiece.made_curves import bounding_rows, fineness, with_made
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Length, Params, ProfileChoice
from tectogon.workpiece.profile_picks import chosen_regions
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, profiles_token, words

WAYS = {"outwards": "outwards", "inwards": "inwards"}
KEEPS = {"replace": "in place of them", "keep": "beside them"}


class OffsetParams(Params):
    profiles: ProfileChoice = ProfileChoice()
    distance: Length = 1.0
    way: Literal["outwards", "inwards"] = "outwards"
    corners: Literal["miter", "round", "bevel"] = "miter"
    keeps: Literal["replace", "keep"] = "replace"


def apply(workpiece: Workpiece, params: OffsetParams, context: Context) -> Workpiece:
    """Move the boundaries of profiles outwards or inwards by a distance (mm).

    Raises BadValue for a distance that makes no sense, NothingToBuild where the profile collapses.
    """
    distance = parse_length(params.distance)
    if not 0.0 < distance <= max(workpiece.drawing.linework.size, 1.0):
        raise BadValue("The distance must be more than nothing and less than the drawing is large.")
    drawing = workpiece.drawing
    regions = chosen_regions(workpiece, params.profiles)
    way = distance if params.way == "outwards" else -distance
    tol = max(drawing.tolerance, fineness(workpiece))
    made = CurveTable.join(
        [offset(boundary(drawing.regions, r), way, join=params.corners, join_tol=tol) for r in regions]
    )
    if not len(made):
        raise NothingToBuild("Nothing is left: the profile is nowhere as wide as twice this distance.")
    rows = bounding_rows(workpiece, regions)
    return with_made(workpiece, made, context.number, of=rows, leave=params.keeps == "replace")


def sentence(params: OffsetParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Offset "),
        profiles_token("profiles", params.profiles),
        words(" by "),
        length_token("distance", params.distance),
        words(" "),
    ]
    out += [
        choice_token("way", params.way, WAYS),
        words(", corners "),
        choice_token("corners", params.corners, JOINS),
        words(", "),
    ]
    return [*out, choice_token("keeps", params.keeps, KEEPS)]


OPERATION = Operation(
    "offset",
    "close",
    "Offset",
    "Move the boundary of profiles outwards or inwards",
    OffsetParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
