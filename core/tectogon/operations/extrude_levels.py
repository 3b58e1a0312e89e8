"""Raise each level of nesting to a thickness of its own, in one step: plates with levels, reliefs, stamps."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import BadValue, NothingToBuild
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length
from tectogon.workpiece.making import Result, SidesParams, result_tokens, sides_tokens
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Length
from tectogon.workpiece.profile_picks import left_out_open
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, words

EXTENTS = {"one_side": "from the plane up", "half_each_side": "half to each side"}


class LevelsParams(SidesParams):
    """Thickness of the regions of level 0, 1, 2 and 3 and deeper; 0 leaves a level empty."""

    outside: Length = 3.0
    first: Length = 0.0
    second: Length = 3.0
    deeper: Length = 0.0
    extent: Literal["one_side", "half_each_side"] = "one_side"
    result: Result = "new"


def apply(workpiece: Workpiece, params: LevelsParams, context: Context) -> Workpiece:
    """Raise each level of nesting to its own thickness (mm).

    Raises BadValue for a thickness that makes no sense, NothingToBuild where no level has one, and what `with_features`
    raises.
    """
    from tectogon.building.extrusion import (  # the kernel takes 2 s to load: only where it is needed
        extrusions,
        sides_of,
    )
    from tectogon.solids.features import with_features

    heights = [parse_length(v) for v in (params.outside, params.first, params.second, params.deeper)]
    if any(h < 0 or h > 1e6 for h in heights):
        raise BadValue("A thickness can't be less than nothing, or over a kilometre.")
    found = workpiece.drawing.regions.regions
    if not found:
        raise NothingToBuild("No region of the drawing is closed.")
    chosen = [(r, heights[min(r.level, 3)]) for r in found if heights[min(r.level, 3)] > 10 * KERNEL_TOL]
    if not chosen:
        raise NothingToBuild("Every level has a thickness of nothing; type one.")
    spans = [(-h / 2.0, h / 2.0) if params.extent == "half_each_side" else (0.0, h) for _, h in chosen]
    features = extrusions(workpiece, [r for r, _ in chosen], spans, context.number, sides_of(params, workpiece))
    bodies = with_features(workpiece.bodies, features, params.result, None, context.number)
    return replace(workpiece, bodies=bodies).with_notes(*left_out_open(workpiece))


def sentence(params: LevelsParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Thickness by nesting: outside "),
        length_token("outside", params.outside),
        words(", level 1 "),
        length_token("first", params.first),
    ]
    out += [
        words(", level 2 "),
        length_token("second", params.second),
        words(", level 3 and deeper "),
        length_token("deeper", params.deeper),
        words(", "),
    ]
    return [
        *out,
        choice_token("extent", params.extent, EXTENTS),
        *sides_tokens(params),
        *result_tokens(params.result, None, None),
    ]


OPERATION = Operation(
    "extrude_levels",
    "build",
    "By nesting",
    "Each level of nesting to a thickness of its own",
    LevelsParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
)
