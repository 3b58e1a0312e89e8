"""Turn profiles about an axis: as a new body, joined to, cut from or common with what is there."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from tectogon.errors import BadValue, Note, Unfinished
from tectogon.tolerances import ANGLE_TOL
from tectogon.units import parse_length, parse_number
from tectogon.workpiece.making import RESULTS_OF_PROFILES, Result, result_tokens
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Angle, BodyPick, EndPick, Length, Params, PointPick, ProfileChoice
from tectogon.workpiece.profile_picks import chosen_regions
from tectogon.workpiece.sentence import (
    Sentence,
    choice_token,
    ends_token,
    length_token,
    number_token,
    points_token,
    profiles_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.profiles import Region
    from tectogon.solids.turned import Axis

AXES = {
    "drawn": "its centre line",
    "points": "the line through two points",
    "level": "the level line through its middle",
    "upright": "the upright line through its middle",
}
WAYS = {"both": "half to each side", "towards": "towards you", "away": "away from you"}
_RESULTS = RESULTS_OF_PROFILES | {"around": "cutting away what is around it"}
PLANES = {
    "shown": "as deep as other views show it",
    "own": "in the profile's plane",
    "lifted": "at a height over it",
    "picked": "where a point of another view says",
}


class RevolveParams(Params):
    """`axis`: the drawing's own centre line, unless two `points` are pressed; those points alone; or a line through the
    middle of the profile. `plane`: where the axis lies, seen from the side: where other views show it, and in the plane
    of the profile where none does; in that plane; over it by `lift` (mm, towards the viewer); or at a point of another
    view."""

    profiles: ProfileChoice = ProfileChoice()
    axis: Literal["drawn", "points", "level", "upright"] = "drawn"
    points: tuple[PointPick, ...] = ()
    angle: Angle = 360.0
    way: Literal["both", "towards", "away"] = "both"
    plane: Literal["shown", "own", "lifted", "picked"] = "shown"
    lift: Length = 0.0
    ends: tuple[EndPick, ...] = ()
    result: Result | Literal["around"] = "each"
    body: BodyPick = None


def apply(workpiece: Workpiece, params: RevolveParams, context: Context) -> Workpiece:
    """Turn profiles about an axis (degrees) and put them to the bodies.

    Raises Unfinished without an axis, BadValue for an angle of nothing or an axis through a profile whose sides differ,
    and what `chosen_regions` and `with_features` raise.
    """
    from tectogon.building.axes import shown_height  # the kernel takes 2 s to load: only where it is needed
    from tectogon.building.extents import picked_height
    from tectogon.building.revolution import around, revolution
    from tectogon.solids.features import with_features

    sweep = _sweep(params)
    regions = chosen_regions(workpiece, params.profiles)
    features = []
    notes: list[Note] = []
    for region in regions:
        height = parse_length(params.lift) if params.plane == "lifted" else 0.0
        if params.plane == "picked":
            height = picked_height(workpiece, region, params.ends)
        axis = _axis_of(workpiece, params, region, height)
        if params.plane == "shown" and workpiece.views:
            seen = shown_height(workpiece, region, axis)
            axis = replace(axis, height=seen or 0.0)
            notes += [Note("part_axis_depth", _UNSEEN)] if seen is None and len(workpiece.views) > 1 else []
        turned = revolution(workpiece, region, axis, sweep, context.number)
        features += turned if params.result != "around" else [around(workpiece, region, axis, turned, context.number)]
    result: Result = "cut" if params.result == "around" else params.result
    made = with_features(workpiece.bodies, features, result, params.body, context.number)
    return replace(workpiece, bodies=made).with_notes(*notes[:1])


_UNSEEN = (
    "No other view shows how deep the axis lies, so it is taken to lie in the profile's own plane. Say so, or press a"
    " point of another view that it goes through."
)


def _axis_of(workpiece: Workpiece, params: RevolveParams, region: Region, height: float) -> Axis:
    from tectogon.building.axes import axis_through, drawn_axis, middle_axis

    if params.axis in ("level", "upright"):
        return middle_axis(region, level=params.axis == "level", height=height)
    if params.axis == "drawn" and not params.points:
        drawn = drawn_axis(workpiece, region, height)
        if drawn is not None:
            return drawn
        if workpiece.drawing.guiding.any():
            raise Unfinished(
                "No centre line runs beside this profile: choose the line through two points, and press them."
            )
    return axis_through(workpiece.drawing.linework, params.points, height)


def _sweep(params: RevolveParams) -> tuple[float, float]:
    """From which to which angle it is turned (radians), towards the viewer positive on the left of the axis."""
    angle = math.radians(parse_number(params.angle))
    if not ANGLE_TOL < abs(angle) <= 2.0 * math.pi + ANGLE_TOL:
        raise BadValue("The angle must be more than 0° and no more than 360°.")
    if params.result == "around" and abs(angle) < 2.0 * math.pi - ANGLE_TOL:
        raise BadValue(
            "What is around a profile is cut away by a whole turn only; type 360°, or cut the profile itself."
        )
    if params.way == "both":
        return -abs(angle) / 2.0, abs(angle) / 2.0
    return (0.0, angle) if params.way == "towards" else (0.0, -angle)


def sentence(params: RevolveParams, workpiece: Workpiece | None) -> Sentence:
    none_drawn = workpiece is not None and not workpiece.drawing.guiding.any()
    by_points = params.axis == "drawn" and (params.points or none_drawn)
    axis = "points" if by_points else params.axis
    out = [
        words("Turn "),
        profiles_token("profiles", params.profiles),
        words(" by "),
        number_token("angle", params.angle, "°"),
        words(" about "),
        choice_token("axis", axis, AXES),
    ]
    if axis == "points":
        out += [words(" "), points_token("points", params.points, 2)]
    try:
        partial = abs(parse_number(params.angle)) < 360.0
    except BadValue:
        partial = False
    if partial:
        out += [words(", "), choice_token("way", params.way, WAYS)]
    out += [words(", "), choice_token("plane", params.plane, PLANES)]
    if params.plane == "lifted":
        out += [words(" of "), length_token("lift", params.lift)]
    elif params.plane == "picked":
        out += [words(": "), ends_token("ends", params.ends)]
    return [*out, *result_tokens(params.result, params.body, workpiece, _RESULTS)]


OPERATION = Operation(
    "revolve",
    "build",
    "Revolve",
    "Turn profiles about an axis",
    RevolveParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    beside_bodies={"result": "join"},
)
