"""What operations that make solids share: what becomes of the bodies, and how sides stand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from tectogon.errors import BadValue, Unfinished
from tectogon.linework import Linework
from tectogon.profiles import Region
from tectogon.profiles.regions import filling
from tectogon.units import parse_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import Angle, BodyPick, Params, PointPick
from tectogon.workpiece.point_picks import points_of
from tectogon.workpiece.sentence import Sentence, body_tokens, choice_token, number_token, points_token, words

Result = Literal["new", "each", "join", "cut", "common"]
RESULTS = {
    "new": "as a new body",
    "join": "joined to what is there",
    "cut": "cut from what is there",
    "common": "keeping what is common",
}
RESULTS_OF_PROFILES = {"each": "each as a new body", **RESULTS, "new": "as one new body where they touch"}
Stand = Literal["upright", "in", "out", "point", "point_over"]
STANDS = {
    "upright": "its sides upright",
    "in": "its sides leaning in",
    "out": "its sides leaning out",
    "point": "to a point over its centroid",
    "point_over": "to a point over",
}
_MOST_LEAN = 85.0


class SidesParams(Params):
    """How the sides of a solid stand: `lean` in degrees from upright, away from where it starts; `over`: the place that
    it runs to a point over."""

    sides: Stand = "upright"
    lean: Angle = 3.0
    over: tuple[PointPick, ...] = ()


def lean_of(params: SidesParams) -> float:
    """By how many degrees sides lean in; negative out. Raises BadValue."""
    if params.sides not in ("in", "out"):
        return 0.0
    lean = parse_number(params.lean)
    if not 0.0 < abs(lean) <= _MOST_LEAN:
        raise BadValue(f"Sides lean by more than 0° and no more than {_MOST_LEAN:g}°; type an angle such as 3°.")
    return lean if params.sides == "in" else -lean


def tip_of(params: SidesParams, linework: Linework) -> tuple[float, float] | None:
    """The place on the sheet over which the point stands; None for the centroid. Raises Unfinished and what `points_of`
    raises."""
    if params.sides != "point_over":
        return None
    if not params.over:
        raise Unfinished("Press the place over which the point stands.")
    x, y = points_of(linework, params.over[:1])[0].tolist()
    return x, y


def sides_tokens(params: SidesParams, stands: dict[str, str] = STANDS) -> Sentence:
    """How sides stand, in words, and how else they may."""
    out = [words(", "), choice_token("sides", params.sides, stands)]
    if params.sides in ("in", "out"):
        out += [words(" by "), number_token("lean", params.lean, "°")]
    elif params.sides == "point_over":
        out += [words(" "), points_token("over", params.over, 1)]
    return out


def result_tokens(
    result: str, body: BodyPick, workpiece: Workpiece | None, results: dict[str, str] = RESULTS
) -> Sentence:
    """What becomes of the bodies, in words, and of which."""
    on = [] if result in ("new", "each") else body_tokens(": ", body, workpiece)
    return [words(", "), choice_token("result", result, results), *on]


def filled_holes(workpiece: Workpiece, regions: Sequence[Region]) -> dict[str, str]:
    """Which of some regions fill a hole of another among them, and of which, by their ids: who presses a plate and its
    hole wants the plate without the hole."""
    together: dict[int, list[Region]] = {}
    for region in regions:
        together.setdefault(id(workpiece.drawing.regions_of(region)), []).append(region)
    return {key: value for some in together.values() for key, value in filling(some).items()}
