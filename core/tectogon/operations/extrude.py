"""Extrude profiles: by a length, half to each side, or two lengths; as a new body, joined to, cut from or common with
what is there."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import BadValue
from tectogon.profiles import Region
from tectogon.tolerances import HAIR, KERNEL_TOL
from tectogon.units import parse_length
from tectogon.workpiece.making import (
    RESULTS_OF_PROFILES,
    Result,
    SidesParams,
    filled_holes,
    result_tokens,
    sides_tokens,
)
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import SIDES, BodyPick, EndPick, Length, ProfileChoice, Side
from tectogon.workpiece.profile_picks import chosen_regions, left_out_open
from tectogon.workpiece.sentence import Sentence, choice_token, ends_token, length_token, profiles_token, words

Extent = Literal["one_side", "half_each_side", "two_lengths", "as_seen", "half_as_seen", "picked", "next_face"]

EXTENTS = {
    "one_side": "to one side",
    "half_each_side": "half to each side",
    "two_lengths": "by two lengths",
    "as_seen": "as far as the other views show",
    "half_as_seen": "half as far as the other views show",
    "picked": "as far as what you press",
    "next_face": "to the next face",
}


class ExtrudeParams(SidesParams):
    """`ends`, where the extent is picked: how far, and where it starts if not in the profile's own plane."""

    profiles: ProfileChoice = ProfileChoice()
    length: Length = 10.0
    extent: Extent = "one_side"
    length_away: Length = 10.0
    side: Side = "towards"
    start: Length = 0.0
    ends: tuple[EndPick, ...] = ()
    result: Result = "each"
    body: BodyPick = None


def span(params: ExtrudeParams) -> tuple[float, float]:
    """Heights (mm) where the prism starts and ends, towards the viewer positive. Raises BadValue where they are equal,
    or over a kilometre."""
    length, start = parse_length(params.length), parse_length(params.start)
    way = 1.0 if params.side == "towards" else -1.0
    if params.extent == "half_each_side":
        low, high = -length / 2.0, length / 2.0
    elif params.extent == "two_lengths":
        low, high = -parse_length(params.length_away), length
    else:
        low, high = 0.0, way * length
    if abs(high - low) < 10 * KERNEL_TOL or (params.extent == "half_each_side" and length <= 0):
        raise BadValue("The length must be more than nothing; type a length such as 12 mm.")
    if max(abs(low + start), abs(high + start)) > 1e6:
        raise BadValue("The length is over a kilometre; check its unit.")
    return start + low, start + high


def apply(workpiece: Workpiece, params: ExtrudeParams, context: Context) -> Workpiece:
    """Raise profiles between two heights over their planes (mm) and put them to the bodies.

    Raises BadValue for a length of nothing, and what `chosen_regions`, `picked_spans` and `with_features` raise.
    """
    from tectogon.building.extrusion import (  # the kernel takes 2 s to load: only where it is needed
        extrusions,
        sides_of,
    )
    from tectogon.solids.features import with_features

    if params.sides in ("point", "point_over") and params.extent in ("half_each_side", "two_lengths", "half_as_seen"):
        raise BadValue("To a point it goes to one side only; choose “to one side”.")
    regions = chosen_regions(workpiece, params.profiles)
    spans = _spans(workpiece, params, regions)
    features = extrusions(workpiece, regions, spans, context.number, sides_of(params, workpiece))
    bodies = with_features(
        workpiece.bodies, features, params.result, params.body, context.number, filled_holes(workpiece, regions)
    )
    made = replace(workpiece, bodies=bodies)
    open_ones = left_out_open(workpiece) if params.profiles.rule == "material" else []
    return made.with_notes(*open_ones)


def _spans(workpiece: Workpiece, params: ExtrudeParams, regions: list[Region]) -> list[tuple[float, float]]:
    """From which to which height each region is raised."""
    from tectogon.building import extents
    from tectogon.reconstruction import depths

    if params.extent in ("as_seen", "half_as_seen"):
        seen = depths.depths_seen(workpiece, regions, over=False)
        return seen if params.extent == "as_seen" else [_half(low, high) for low, high in seen]
    if params.extent == "picked":
        return extents.picked_spans(workpiece, regions, params.ends)
    if params.extent == "next_face":
        return extents.next_spans(
            workpiece, regions, towards=params.side == "towards", start=parse_length(params.start), through_wall=False
        )
    return [span(params)] * len(regions)


def _half(low: float, high: float) -> tuple[float, float]:
    """Half of a stretch: from the end that lies in the profile's plane, else the middle half."""
    if abs(high) < abs(low):
        low, high = high, low
    return (
        (low, (low + high) / 2.0)
        if abs(low) <= HAIR * max(abs(high), 1.0)
        else (low + (high - low) / 4.0, high - (high - low) / 4.0)
    )


def sentence(params: ExtrudeParams, workpiece: Workpiece | None) -> Sentence:
    ending = [*sides_tokens(params), *result_tokens(params.result, params.body, workpiece, RESULTS_OF_PROFILES)]
    begin = [words("Extrude "), profiles_token("profiles", params.profiles)]
    extent = choice_token("extent", params.extent, EXTENTS)
    if params.extent in ("as_seen", "half_as_seen", "picked", "next_face"):
        more = {
            "picked": [words(": "), ends_token("ends", params.ends)],
            "next_face": [words(", "), choice_token("side", params.side, SIDES)],
        }.get(params.extent, [])
        return [*begin, words(" "), extent, *more, *ending]
    out = [*begin, words(" by "), length_token("length", params.length), words(", "), extent]
    if params.extent == "two_lengths":
        out += [words(", "), length_token("length_away", params.length_away), words(" away")]
    elif params.extent == "one_side":
        out += [words(", "), choice_token("side", params.side, SIDES)]
    return [*out, words(", starting at "), length_token("start", params.start), *ending]


OPERATION = Operation(
    "extrude",
    "build",
    "Extrude",
    "Raise profiles to a solid",
    ExtrudeParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    beside_bodies={"result": "join"},
)
