"""Cut with profiles: through everything or to a depth, taking the inside or the outside of them."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.workpiece.making import SidesParams, sides_tokens
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import SIDES, BodyPick, EndPick, Length, ProfileChoice, Side
from tectogon.workpiece.sentence import (
    Sentence,
    body_tokens,
    choice_token,
    ends_token,
    length_token,
    profiles_token,
    words,
)

Depth = Literal["through", "depth", "as_seen", "half_as_seen", "picked", "next_face"]
Takes = Literal["inside", "outside"]

DEPTHS = {
    "through": "through everything",
    "depth": "to a depth",
    "as_seen": "as deep as the other views show",
    "half_as_seen": "half as deep as the other views show",
    "picked": "as far as what you press",
    "next_face": "through the next wall",
}
TAKES = {"inside": "the inside", "outside": "the outside"}


class CutParams(SidesParams):
    """`ends`, where the depth is picked: how far, and where it starts if not in the profile's own plane."""

    profiles: ProfileChoice = ProfileChoice()
    depth: Depth = "through"
    length: Length = 5.0
    side: Side = "away"
    start: Length = 0.0
    ends: tuple[EndPick, ...] = ()
    takes: Takes = "inside"
    body: BodyPick = None


def apply(workpiece: Workpiece, params: CutParams, context: Context) -> Workpiece:
    """Take the inside or the outside of profiles away from the bodies.

    Raises what `building.cuts.cut` raises.
    """
    from tectogon.building import cuts
    from tectogon.building.extrusion import sides_of  # the kernel takes 2 s to load: only where it is needed

    sides = sides_of(params, workpiece)
    reach = cuts.Reach(params.depth, params.length, params.side, params.start, params.ends, sides)
    return replace(
        workpiece, bodies=cuts.cut(workpiece, params.profiles, reach, params.takes, params.body, context.number)
    )


def sentence(params: CutParams, workpiece: Workpiece | None) -> Sentence:
    out = [
        words("Cut "),
        choice_token("takes", params.takes, TAKES),
        words(" of "),
        profiles_token("profiles", params.profiles),
        words(" "),
        choice_token("depth", params.depth, DEPTHS),
    ]
    if params.depth == "depth":
        out += [
            words(" of "),
            length_token("length", params.length),
            words(", "),
            choice_token("side", params.side, SIDES),
        ]
        out += [words(", starting at "), length_token("start", params.start)]
    elif params.depth == "picked":
        out += [words(": "), ends_token("ends", params.ends)]
    elif params.depth == "next_face":
        out += [words(", "), choice_token("side", params.side, SIDES)]
    return [*out, *sides_tokens(params), *body_tokens(", in ", params.body, workpiece)]


OPERATION = Operation(
    "cut",
    "build",
    "Cut",
    "Take the inside or the outside of profiles away",
    CutParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    typed={"depth": "depth"},
)
