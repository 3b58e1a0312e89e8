"""Flange: a sheet part gets a bend and a flat piece on edges that were pressed."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from tectogon.errors import BadValue, NothingToBuild, PickGone, Unfinished
from tectogon.operations.sheet_metal import as_sheet, found_again
from tectogon.units import parse_length, parse_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, Angle, EndPick, Length, OwnLength, Params
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, number_token, pieces_token, words

if TYPE_CHECKING:
    from tectogon.bending.flanges import Flange
    from tectogon.solids.body import Body

STANDS = {"beyond": "beginning at the edge", "flush": "its outside flush with the edge"}
_SAME = 1e-6


class FlangeParams(Params):
    """`pieces`: edges of the rim, each on the side that the flange turns towards; `length`: outside; `radius`: inside,
    the sheet's own where none is given; `start`, `end`: how far it stays off the ends of the edge."""

    pieces: tuple[EndPick, ...] = ()
    length: Length = 20.0
    angle: Angle = 90.0
    radius: OwnLength = OWN
    stands: Literal["beyond", "flush"] = "beyond"
    start: Length = 0.0
    end: Length = 0.0


def apply(workpiece: Workpiece, params: FlangeParams, context: Context) -> Workpiece:
    """The sheet with its flanges. Raises Unfinished while no edge is pressed, NothingToBuild where the part is no
    sheet, an edge no rim of it or the flange would pass through the part, BadValue for values that leave nothing."""
    from tectogon.bending.faces import SheetFaces
    from tectogon.bending.flanges import flange_on
    from tectogon.bending.recognise import sheet_part
    from tectogon.building.piece_picks import edges_picked
    from tectogon.solids.features import with_features

    part = found_again(workpiece)
    how = workpiece.sheet_metal
    assert how is not None
    if not params.pieces:
        raise Unfinished("Press edges of the sheet's rim, on the side that the flange turns towards.")
    body, numbers = _picked(workpiece, edges_picked(workpiece.bodies, params.pieces))
    faces = SheetFaces(body)
    flange = _flange(params, part.thickness if how.radius is None else how.radius)
    made = [flange_on(faces, e, part.thickness, flange, context.number, n) for n, e in enumerate(numbers)]
    cuts = [cut for cut, _ in made if cut is not None]
    bodies = with_features(workpiece.bodies, cuts, "cut", body.key, context.number) if cuts else workpiece.bodies
    before = sum(b.volume for b in bodies)
    tools = [tool for _, tool in made]
    bodies = with_features(bodies, tools, "join", body.key, context.number)
    common = before + sum(t.expected for t in tools) - sum(b.volume for b in bodies)
    if common > _SAME * before:
        raise NothingToBuild(
            f"The flange would pass through the part, by {common:.1f} mm³: make it shorter, turn it the other way by"
            " pressing the edge on the other side, or keep it off the ends of the edge.",
            tools[0].place,
        )
    grown = next(b for b in bodies if b.key == body.key)
    again = sheet_part(grown, at=part.stays, radius=how.radius)
    return as_sheet(replace(workpiece, bodies=bodies), body.key, again, how.rule, how.radius)


def _picked(workpiece: Workpiece, found: dict[str, list[int]]) -> tuple[Body, list[int]]:
    from tectogon.operations.sheet_metal import sheet_body

    body = sheet_body(workpiece)
    if set(found) != {body.key}:
        raise PickGone(f"A flange stands on {body.name}, the body that is sheet; press edges of that.")
    return body, found[body.key]


def _flange(params: FlangeParams, own: float) -> Flange:
    from tectogon.bending.flanges import Flange

    radius = own if params.radius == OWN else parse_length(params.radius)
    insets = parse_length(params.start), parse_length(params.end)
    if min(insets) < 0.0:
        raise BadValue("A flange stays off the ends of its edge by 0 mm or more.")
    angle = math.radians(parse_number(params.angle))
    return Flange(parse_length(params.length), angle, radius, insets, params.stands == "flush")


def sentence(params: FlangeParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("A flange of "),
        length_token("length", params.length),
        words(" on "),
        pieces_token("pieces", params.pieces),
        words(", bent by "),
        number_token("angle", params.angle, "°"),
        words(" with "),
        length_token("radius", params.radius, "the sheet's radius"),
        words(" inside, "),
        choice_token("stands", params.stands, STANDS),
        words(", "),
        length_token("start", params.start),
        words(" off its start, "),
        length_token("end", params.end),
        words(" off its end"),
    ]


OPERATION = Operation(
    "flange",
    "build",
    "Flange",
    "A bend and a flat piece on edges of the sheet",
    FlangeParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="sheet_metal",
)
