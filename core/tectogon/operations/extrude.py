"""Extrude profiles: by a length, half to each side, or two lengths; as a new body, joined to, cut from or common with what is there."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import BadValue
from tectogon.operations.fields import SIDES, Length, Params, ProfileChoice, Sentence, Side, choice_token, length_token, profiles_token, words
from tectogon.operations.kind import Context, Kind
from tectogon.operations.profiles import chosen_regions
from tectogon.operations.workpiece import Workpiece
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length

Extent = Literal["one side", "half each side", "two lengths", "as seen"]
Result = Literal["new", "join", "cut", "common"]

EXTENTS = {"one side": "to one side", "half each side": "half to each side", "two lengths": "by two lengths", "as seen": "as far as the other views show"}
RESULTS = {"new": "as a new body", "join": "joined to what is there", "cut": "cut from what is there", "common": "keeping what is common"}


class ExtrudeParams(Params):
    profiles: ProfileChoice = ProfileChoice()
    length: Length = 10.0
    extent: Extent = "one side"
    length_away: Length = 10.0
    side: Side = "towards"
    start: Length = 0.0
    result: Result = "new"
    body: str | None = None


def span(params: ExtrudeParams) -> tuple[float, float]:
    """Heights (mm) where the prism starts and ends, towards the viewer positive."""
    length, start = parse_length(params.length), parse_length(params.start)
    way = 1.0 if params.side == "towards" else -1.0
    if params.extent == "half each side":
        low, high = -length / 2.0, length / 2.0
    elif params.extent == "two lengths":
        low, high = -parse_length(params.length_away), length
    else:
        low, high = 0.0, way * length
    if abs(high - low) < 10 * KERNEL_TOL or (params.extent == "half each side" and length <= 0):
        raise BadValue("The length must be more than nothing; type a length such as 12 mm.")
    if max(abs(low + start), abs(high + start)) > 1e6:
        raise BadValue("The length is over a kilometre; check its unit.")
    return start + low, start + high


def apply(workpiece: Workpiece, params: ExtrudeParams, context: Context) -> Workpiece:
    from tectogon.operations import building  # the kernel takes 2 s to load: only where it is needed

    regions = chosen_regions(workpiece, params.profiles)
    if params.extent == "as seen":
        from tectogon.operations.viewing import depths_seen

        spans = depths_seen(workpiece, regions, over=False)
    else:
        spans = [span(params)] * len(regions)
    tools = building.make_tools(workpiece, regions, spans, context.number)
    if params.result == "new":
        return replace(workpiece, bodies=building.new_bodies(workpiece, tools, context.number))
    bodies = building.change_bodies(workpiece, params.result, [t.named for t in tools], building.witnesses_of(tools), params.body)
    return replace(workpiece, bodies=bodies)


def sentence(params: ExtrudeParams, workpiece: Workpiece | None) -> Sentence:
    if params.extent == "as seen":
        extent, result = choice_token("extent", params.extent, EXTENTS), choice_token("result", params.result, RESULTS)
        return [words("Extrude "), profiles_token("profiles", params.profiles), words(" "), extent, words(", "), result]
    out = [words("Extrude "), profiles_token("profiles", params.profiles), words(" by "), length_token("length", params.length), words(", ")]
    out.append(choice_token("extent", params.extent, EXTENTS))
    if params.extent == "two lengths":
        out += [words(", "), length_token("length_away", params.length_away), words(" away")]
    elif params.extent == "one side":
        out += [words(", "), choice_token("side", params.side, SIDES)]
    out += [words(", starting at "), length_token("start", params.start), words(", "), choice_token("result", params.result, RESULTS)]
    return out


KIND = Kind("extrude", "build", "Extrude", "Raise profiles to a solid", ExtrudeParams, apply, sentence)
