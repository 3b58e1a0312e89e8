"""Another part of the shelf stands in this one: where values say, its face on a face, its axis in an axis; once or in a
row."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.errors import BadValue, Unfinished
from tectogon.units import parse_length, parse_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Angle, EndPick, Length, Name, Number, Params
from tectogon.workpiece.sentence import Sentence, Token, choice_token, length_token, number_token, pieces_token, words

if TYPE_CHECKING:
    from tectogon.curves.affine import FloatArray
    from tectogon.solids.body import Body

HOWS = {"values": "where these say", "faces": "face on face:", "axes": "axis in axis:"}
AXES = {"x": "x", "y": "y", "z": "z"}
MOST_PLACED = 500


class PlacePartParams(Params):
    """`part`, `name` and `revision` say which part it is, and `source` is its solid as it was then; `pieces`: a face of
    it and one of what is there; `x`, `y`, `z`: moved by so much after all else; `count` and `dx`, `dy`, `dz`: a row."""

    part: int = 0
    name: Name = ""
    revision: int = 0
    source: str = ""
    how: Literal["values", "faces", "axes"] = "values"
    pieces: tuple[EndPick, ...] = ()
    axis: Literal["x", "y", "z"] = "z"
    angle: Angle = 0.0
    x: Length = 0.0
    y: Length = 0.0
    z: Length = 0.0
    count: Number = 1
    dx: Length = 0.0
    dy: Length = 0.0
    dz: Length = 0.0


def apply(workpiece: Workpiece, params: PlacePartParams, context: Context) -> Workpiece:
    """Its bodies beside those that are there. Raises Unfinished while no part is chosen or faces are wanted, BadValue
    for values that place nothing, PickGone, and what `brought_in` raises."""
    from tectogon.building.brought_in import brought_in
    from tectogon.building.mating import mated
    from tectogon.building.rotations import about
    from tectogon.solids.placing import placed

    if not params.source:
        raise Unfinished("Choose a part of the shelf.")
    count = parse_number(params.count)
    if count != int(count) or not 1 <= count <= MOST_PLACED:
        raise BadValue(f"The number of copies must be a whole one between 1 and {MOST_PLACED}.")
    own, notes = brought_in(context.source(params.source).path, context.number, called=params.source)
    axis = np.eye(3)["xyz".index(params.axis)]
    motion = np.column_stack([about(axis, math.radians(parse_number(params.angle))), np.zeros(3)])
    if params.how != "values":
        turned = [placed(b, motion) for b in own]
        faces = _faces(turned, workpiece.bodies, params.pieces)
        motion = _after(mated(*faces, params.how), motion)
    by, step = (np.array([parse_length(v) for v in some]) for some in (
        (params.x, params.y, params.z), (params.dx, params.dy, params.dz)
    ))  # fmt: skip
    if max(np.abs(by).max(), np.abs(step).max() * count) > 1e6:
        raise BadValue("That is over a kilometre away; check its unit.")
    made: list[Body] = []
    for n in range(int(count)):
        put = motion + np.column_stack([np.zeros((3, 3)), by + n * step])
        for body in own:
            name = params.name or body.name
            name = name if len(own) == 1 else f"{name}: {body.name}"
            key = body.key if n == 0 else f"{body.key}/{n + 1}"
            made.append(replace(placed(body, put), key=key, name=name if count == 1 else f"{name}, {n + 1}"))
    return replace(workpiece, bodies=(*workpiece.bodies, *made)).with_notes(*notes)


def _faces(own: Sequence[Body], others: Sequence[Body], picks: Sequence[EndPick]) -> tuple[object, object]:
    """A face of the part that is placed, and one of what is there."""
    from tectogon.solids.picking import find_face

    if len(picks) < 2:
        raise Unfinished("Press a face of the part that is placed, and one that it goes to.")
    mine: object = None
    theirs: object = None
    keys = {b.key for b in own}
    for pick in picks:
        if pick.face is None:
            raise BadValue("Faces are wanted here; press a face of each.")
        is_own = (pick.face.body or "").partition("/")[0] in keys
        found = find_face(own if is_own else others, pick.face.name, body=None if is_own else pick.face.body,
                          beside=pick.face.beside, point=None if is_own else pick.face.point, flat=False)  # fmt: skip
        shape = found.body.faces[found.number]
        mine, theirs = (shape, theirs) if is_own else (mine, shape)
    if mine is None or theirs is None:
        raise BadValue("Both faces are of the same part; press one of the placed part and one of what is there.")
    return mine, theirs


def _after(outer: FloatArray, inner: FloatArray) -> FloatArray:
    """The motion (3, 4) of one after another."""
    return np.column_stack([outer[:, :3] @ inner[:, :3], outer[:, :3] @ inner[:, 3] + outer[:, 3]])


def sentence(params: PlacePartParams, workpiece: Workpiece | None) -> Sentence:
    text = f"{params.name}, revision {params.revision}" if params.source else "a part: choose one of the shelf"
    out = [
        words("Place "),
        Token(text, "part", {"type": "part", "value": params.part}),
        words(", turned by "),
        number_token("angle", params.angle, "°"),
        words(" about "),
        choice_token("axis", params.axis, AXES),
        words(", "),
        choice_token("how", params.how, HOWS),
    ]
    if params.how != "values":
        out += [words(" "), pieces_token("pieces", params.pieces), words(", then moved by")]
    out += [words(" x "), length_token("x", params.x), words(", y "), length_token("y", params.y)]
    out += [words(", z "), length_token("z", params.z), words(", "), number_token("count", params.count)]
    out += [words(f" {'times' if params.count not in (1, '1', 1.0) else 'time'}")]
    if params.count not in (1, "1", 1.0):
        out += [words(" each off by x "), length_token("dx", params.dx), words(", y "), length_token("dy", params.dy)]
        out += [words(", z "), length_token("dz", params.dz)]
    return out


OPERATION = Operation(
    "place_part",
    "build",
    "Another part",
    "Another part of the shelf stands in this one",
    PlacePartParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    begins_sheet=True,
    serves="places_part",
)
