"""Loft: from one profile to another size of itself (a fin out of a foil, in one sentence), or through several profiles
in their order."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.curves.affine import about_point, after, moved
from tectogon.errors import BadValue, Unfinished
from tectogon.profiles import Region
from tectogon.profiles.matching import chord_of, share_at
from tectogon.profiles.rings import rings_of
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length, parse_number
from tectogon.workpiece.making import Result, result_tokens
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import (
    OWN,
    SIDES,
    Angle,
    BodyPick,
    Length,
    Number,
    OwnLength,
    Params,
    PointPick,
    ProfileChoice,
    Side,
)
from tectogon.workpiece.point_picks import points_of
from tectogon.workpiece.profile_picks import chosen_regions
from tectogon.workpiece.sentence import (
    Sentence,
    choice_token,
    length_token,
    number_token,
    points_token,
    profiles_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.building.lofting import Section

TO = {"share": "to a share of its size", "chord": "from a chord", "next": "to each next one"}
BETWEEN = {
    "ruled": "straight from section to section",
    "smooth": "smooth through all sections",
    "square": "smooth, its ends square to their planes",
}
MATCHED = {"corners": "matched corner to corner", "pressed": "matched from points pressed on each, in order:"}
PLACED = {"drawn": "where they are drawn", "centred": "their centroids over each other"}


class LoftParams(Params):
    """`to`: one profile again, at a share of its size or by its chord (the longest way across it), or through several.
    `back` along the chord towards its trailing end, `up` to the left of that; `about`: per cent of the chord."""

    profiles: ProfileChoice = ProfileChoice()
    to: Literal["share", "chord", "next"] = "share"
    share: Number = 0.5
    chord_from: OwnLength = OWN
    chord: Length = 140.0
    apart: Length = 100.0
    side: Side = "towards"
    back: Length = 0.0
    up: Length = 0.0
    turned: Angle = 0.0
    about: Number = 25.0
    placed: Literal["drawn", "centred"] = "drawn"
    between: Literal["ruled", "smooth", "square"] = "ruled"
    matched: Literal["corners", "pressed"] = "corners"
    starts: tuple[PointPick, ...] = ()
    result: Result = "new"
    body: BodyPick = None


def apply(workpiece: Workpiece, params: LoftParams, context: Context) -> Workpiece:
    """Run from section to section (mm) and put what comes of it to the bodies.

    Raises BadValue for sizes of nothing and sections that cross, Unfinished where a section is lacking, and what
    `chosen_regions` and `with_features` raise.
    """
    from tectogon.building.lofting import loft  # the kernel takes 2 s to load: only where it is needed
    from tectogon.solids.features import with_features

    regions = chosen_regions(workpiece, params.profiles)
    if params.to == "next":
        if len(regions) < 2:
            raise Unfinished(
                "Press the next section: a loft runs through two profiles or more, in the order of presses."
            )
        lofts = [_through(workpiece, params, regions)]
    else:
        lofts = [_again(workpiece, params, region) for region in regions]
    features = [
        loft(some, smooth=params.between != "ruled", square=params.between == "square", step=context.number)
        for some in lofts
    ]
    return replace(
        workpiece, bodies=with_features(workpiece.bodies, features, params.result, params.body, context.number)
    )


def _apart(params: LoftParams) -> float:
    apart = parse_length(params.apart)
    if not KERNEL_TOL < apart <= 1e6:
        raise BadValue("The sections must be some way apart, and less than a kilometre; type a length such as 100 mm.")
    return apart if params.side == "towards" else -apart


def _again(workpiece: Workpiece, params: LoftParams, region: Region) -> list[Section]:
    """A profile in its plane, and another size of it at a height."""
    from tectogon.building.lofting import Section
    from tectogon.building.tapering import at_height

    drawing, frame = workpiece.drawing.regions_of(region), workpiece.frame_of(region)
    lead, trail = (np.array(p) for p in chord_of(rings_of(drawing, region)[0][0]))
    own = float(np.hypot(*(trail - lead)))
    first, second = 1.0, parse_number(params.share)
    if params.to == "chord":
        first = 1.0 if params.chord_from == OWN else parse_length(params.chord_from) / own
        second = parse_length(params.chord) / own
    if min(first, second) * own < 10 * KERNEL_TOL:
        raise BadValue(
            "A section must be larger than nothing. To run to a point, extrude with its sides “to a point over”."
        )
    x, y = (lead + parse_number(params.about) / 100.0 * (trail - lead)).tolist()
    way = (trail - lead) / own
    shift = parse_length(params.back) * way + parse_length(params.up) * np.array([-way[1], way[0]])
    turn = math.radians(parse_number(params.turned))
    changes = [about_point((x, y), first, 0.0), after(moved(*shift.tolist()), about_point((x, y), second, turn))]
    planes = [frame, at_height(frame, _apart(params))]
    return [Section(drawing, region, plane, change) for plane, change in zip(planes, changes, strict=True)]


def _through(workpiece: Workpiece, params: LoftParams, regions: list[Region]) -> list[Section]:
    """Profiles each in its own plane; those of one plane one after the other over it."""
    from tectogon.building.lofting import Section
    from tectogon.building.tapering import at_height

    frames = [workpiece.frame_of(region) for region in regions]
    one_plane = all(frame == frames[0] for frame in frames)
    points = points_of(workpiece.drawing.linework, params.starts if params.matched == "pressed" else ())
    out = []
    for n, (region, frame) in enumerate(zip(regions, frames, strict=True)):
        drawing = workpiece.drawing.regions_of(region)
        change = moved(0.0, 0.0)
        if params.placed == "centred":
            x, y = (np.array(regions[0].centroid) - np.array(region.centroid)).tolist()
            change = moved(x, y) if one_plane else change
        start = share_at(rings_of(drawing, region)[0][0], points[n]) if n < len(points) else None
        out.append(
            Section(drawing, region, at_height(frame, n * _apart(params)) if one_plane else frame, change, start)
        )
    return out


def sentence(params: LoftParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Loft "), profiles_token("profiles", params.profiles), words(" "), choice_token("to", params.to, TO)]
    if params.to == "share":
        out += [words(": "), number_token("share", params.share)]
    elif params.to == "chord":
        out += [words(" of "), length_token("chord_from", params.chord_from)]
        out += [words(" to "), length_token("chord", params.chord)]
    out += [
        words(", "),
        length_token("apart", params.apart),
        words(" apart, "),
        choice_token("side", params.side, SIDES),
    ]
    if params.to == "next":
        out += [words(", "), choice_token("placed", params.placed, PLACED)]
        out += [words(", "), choice_token("matched", params.matched, MATCHED)]
        if params.matched == "pressed":
            out += [words(" "), points_token("starts", params.starts, max(len(params.profiles.picks), 2))]
    else:
        out += [words(", set back "), length_token("back", params.back), words(", up "), length_token("up", params.up)]
        out += [words(", turned "), number_token("turned", params.turned, "°")]
        out += [words(" about "), number_token("about", params.about, " %"), words(" of its chord")]
    out += [words(", "), choice_token("between", params.between, BETWEEN)]
    return [*out, *result_tokens(params.result, params.body, workpiece)]


OPERATION = Operation(
    "loft",
    "build",
    "Loft",
    "From a section to the next: fins, transitions, hulls",
    LoftParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    beside_bodies={"result": "join"},
)
