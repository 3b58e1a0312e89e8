"""Place bodies: move, turn, mirror, or copy them in a row, a grid or a circle."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.building.copies import MOST_COPIES, about_point, in_circle, in_grid, in_row, shift, whole
from tectogon.building.rotations import about
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, PickGone
from tectogon.units import parse_length, parse_number, show_count
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Angle, BodyPick, Length, Number, Params
from tectogon.workpiece.sentence import Sentence, body_token, choice_token, length_token, number_token, words

if TYPE_CHECKING:
    from tectogon.solids.body import Body

HOWS = {
    "move": "Move",
    "turn": "Turn",
    "mirror": "Mirror",
    "row": "Copy in a row",
    "grid": "Copy in a grid",
    "circle": "Copy in a circle",
}
AXES = {"x": "x", "y": "y", "z": "z"}
ABOUT = {"middle": "its own middle", "origin": "the origin"}
KEPT = {"moved": "and not kept where it was", "both": "and kept where it was too"}
MOST_BODIES = MOST_COPIES


class PlaceBodiesParams(Params):
    """`axis`: what is turned about, the direction that is mirrored, or the axis of a circle."""

    how: Literal["move", "turn", "mirror", "row", "grid", "circle"] = "move"
    body: BodyPick = None
    x: Length = 10.0
    y: Length = 0.0
    z: Length = 0.0
    axis: Literal["x", "y", "z"] = "z"
    about: Literal["middle", "origin"] = "middle"
    angle: Angle = 90.0
    count: Number = 3
    rows: Number = 2
    rise: Length = 10.0
    kept: Literal["moved", "both"] = "moved"


def apply(workpiece: Workpiece, params: PlaceBodiesParams, context: Context) -> Workpiece:
    """Bodies moved, turned or mirrored, or copies of them (mm, degrees).

    Raises PickGone without a body, BadValue for numbers that make no sense or more than 500 bodies.
    """
    from tectogon.solids import measure
    from tectogon.solids.body_keys import body_called
    from tectogon.solids.placing import placed

    if not workpiece.bodies:
        raise PickGone("There is no body yet; build one first.")
    chosen = workpiece.bodies if params.body is None else (body_called(workpiece.bodies, params.body),)
    box = np.array(measure.joint_bounds([b.shape for b in chosen]))
    middle = (box[:3] + box[3:]) / 2.0 if params.about == "middle" else np.zeros(3)
    maps = _maps(params, middle)
    keeps = params.how in ("row", "grid", "circle") or params.kept == "both"
    count = len(workpiece.bodies) + len(chosen) * (len(maps) - (0 if keeps else 1))
    if count > MOST_BODIES:
        raise BadValue(f"That would be {show_count(count)} bodies; up to {MOST_BODIES} are made.")
    out: list[Body] = []
    for body in workpiece.bodies:
        if not any(body is one for one in chosen):
            out.append(body)
        elif keeps:
            copies = [placed(body, m) for m in maps]
            out += [body] + [
                _called(c, f"{context.number}:{n}", f"{body.name}, copy {n}") for n, c in enumerate(copies, 1)
            ]
        else:
            out.append(placed(body, maps[0]))
    return replace(workpiece, bodies=tuple(out))


def _called(copy: Body, mark: str, name: str) -> Body:
    """A copy under a key and name of its own, counted by itself."""
    item = copy.item and replace(copy.item, copy=f"{copy.item.copy}/{mark}")
    return replace(copy, key=f"{copy.key}/{mark}", name=name, item=item)


def _maps(params: PlaceBodiesParams, middle: FloatArray) -> list[FloatArray]:
    """Maps (3, 4) of space."""
    by = np.array([parse_length(v) for v in (params.x, params.y, params.z)])
    if np.abs(by).max() > 1e6:
        raise BadValue("That is over a kilometre away; check its unit.")
    axis = np.eye(3)["xyz".index(params.axis)]
    if params.how == "move":
        return [shift(by)]
    if params.how == "mirror":
        return [about_point(middle, np.eye(3) - 2.0 * np.outer(axis, axis))]
    if params.how == "turn":
        return [about_point(middle, about(axis, math.radians(parse_number(params.angle))))]
    count = whole(params.count, "copies")
    if params.how == "circle":
        return in_circle(count, parse_number(params.angle), axis, middle)[1:]
    if params.how == "row":
        return in_row(count, by)[1:]
    return in_grid(count, by, whole(params.rows, "rows"), np.array([0.0, parse_length(params.rise), 0.0]))[1:]


def sentence(params: PlaceBodiesParams, workpiece: Workpiece | None) -> Sentence:
    out = [choice_token("how", params.how, HOWS), words(" ")]
    out += [body_token("body", params.body, workpiece, "every body")]
    axis = choice_token("axis", params.axis, AXES)
    off = [words(" by x "), length_token("x", params.x), words(", y "), length_token("y", params.y)]
    off += [words(", z "), length_token("z", params.z)]
    count = [words(", "), number_token("count", params.count), words(" in all,")]
    about = choice_token("about", params.about, ABOUT)
    kept = [words(", "), choice_token("kept", params.kept, KEPT)]
    if params.how == "move":
        return [*out, *off, *kept]
    if params.how == "turn":
        turned = [words(" by "), number_token("angle", params.angle, "°"), words(" about the axis "), axis]
        return [*out, *turned, words(" through "), about, *kept]
    if params.how == "mirror":
        return [*out, words(" along "), axis, words(" about "), about, *kept]
    if params.how == "circle":
        turned = [words(" over "), number_token("angle", params.angle, "°"), words(" about the axis "), axis]
        return [*out, *count, *turned, words(" through "), about]
    out += [*count, words(" each off"), *off]
    if params.how == "grid":
        out += [words(", in "), number_token("rows", params.rows), words(" rows "), length_token("rise", params.rise)]
        out += [words(" apart along y")]
    return out


OPERATION = Operation(
    "place_bodies",
    "build",
    "Place",
    "Move, turn, mirror; copies in a row, a grid, a circle",
    PlaceBodiesParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="body",
)
