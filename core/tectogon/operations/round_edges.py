"""Round or chamfer edges: picked ones, all of a face, the upright ones, those round the top or the underside."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from tectogon.errors import BadValue, NothingToBuild, PickGone, Unfinished
from tectogon.tolerances import KERNEL_TOL, LEVEL_TOL
from tectogon.units import parse_length, parse_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Angle, BodyPick, EndPick, Length, Params
from tectogon.workpiece.sentence import (
    Sentence,
    body_tokens,
    choice_token,
    length_token,
    number_token,
    pieces_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.curves.affine import FloatArray
    from tectogon.solids.body import Body
    from tectogon.solids.edges import Finish

HOWS = {
    "round": "Round",
    "chamfer": "Chamfer",
    "chamfer_two": "Chamfer by two sizes",
    "chamfer_angle": "Chamfer by a size and an angle",
}
WHICH = {
    "picked": "the edges you press:",
    "upright": "all upright edges",
    "top": "all edges of the top",
    "bottom": "all edges of the underside",
    "every": "every edge",
}


class EdgesParams(Params):
    """`pieces`: edges that were pressed, and faces, which stand for all edges round them."""

    how: Literal["round", "chamfer", "chamfer_two", "chamfer_angle"] = "round"
    which: Literal["picked", "upright", "top", "bottom", "every"] = "picked"
    pieces: tuple[EndPick, ...] = ()
    size: Length = 1.0
    second: Length = 2.0
    angle: Angle = 45.0
    body: BodyPick = None


def apply(workpiece: Workpiece, params: EdgesParams, context: Context) -> Workpiece:
    """Round or chamfer edges (mm).

    Raises Unfinished while nothing is pressed, PickGone for what is no longer there, BadValue for a size of nothing,
    KernelRefused lighting an edge that has no room, with the largest size that would do.
    """
    from tectogon.solids.body_keys import parted_body
    from tectogon.solids.edges import finished

    if not workpiece.bodies:
        raise PickGone("There is no body whose edges could be rounded yet; build one first.")
    finish = _finish(params)
    wanted = _picked(workpiece, params) if params.which == "picked" else _named(workpiece, params)
    bodies: list[Body] = []
    for body in workpiece.bodies:
        numbers = wanted.get(body.key, [])
        bodies += (
            parted_body(body, [finished(body, numbers, finish, context.number)], context.number) if numbers else [body]
        )
    return replace(workpiece, bodies=tuple(bodies))


def _finish(params: EdgesParams) -> Finish:
    from tectogon.solids.edges import Finish

    size = parse_length(params.size)
    second = size
    if params.how == "chamfer_two":
        second = parse_length(params.second)
    elif params.how == "chamfer_angle":
        angle = parse_number(params.angle)
        if not 0.0 < angle < 90.0:
            raise BadValue("The angle of a chamfer lies between 0° and 90°.")
        second = size * math.tan(math.radians(angle))
    if min(size, second) <= 10 * KERNEL_TOL:
        raise BadValue("The size must be more than nothing; type a size such as 1 mm.")
    return Finish("round" if params.how == "round" else "chamfer", size, second)


def _picked(workpiece: Workpiece, params: EdgesParams) -> dict[str, list[int]]:
    from tectogon.building.piece_picks import edges_picked

    if not params.pieces:
        raise Unfinished("Press the edges on the part; a face stands for all edges round it.")
    return edges_picked(workpiece.bodies, params.pieces)


def _named(workpiece: Workpiece, params: EdgesParams) -> dict[str, list[int]]:
    from tectogon.solids import measure
    from tectogon.solids.body_keys import body_called
    from tectogon.solids.edges import edges_of_faces, upright_edges

    bodies = workpiece.bodies if params.body is None else (body_called(workpiece.bodies, params.body),)
    out: dict[str, list[int]] = {}
    for body in bodies:
        if params.which == "upright":
            out[body.key] = upright_edges(body)
        elif params.which == "every":
            out[body.key] = list(range(len(body.edges)))
        else:
            box = measure.bounds(body.shape)
            out[body.key] = edges_of_faces(body, _level(params.which == "top", box))
    if not any(out.values()):
        raise NothingToBuild(f"There are no such edges: {WHICH[params.which]}.")
    return out


def _level(top: bool, box: tuple[float, ...]) -> Callable[[FloatArray, FloatArray], bool]:
    height, way = (box[5], 1.0) if top else (box[2], -1.0)

    def holds(middle: FloatArray, normal: FloatArray) -> bool:
        return way * normal[2] > 1.0 - LEVEL_TOL and abs(middle[2] - height) <= LEVEL_TOL * max(box[5] - box[2], 1.0)

    return holds


def sentence(params: EdgesParams, workpiece: Workpiece | None) -> Sentence:
    out = [choice_token("how", params.how, HOWS), words(" "), choice_token("which", params.which, WHICH)]
    if params.which == "picked":
        out += [words(" "), pieces_token("pieces", params.pieces)]
    out += [words(" by "), length_token("size", params.size)]
    if params.how == "chamfer_two":
        out += [words(" and "), length_token("second", params.second)]
    elif params.how == "chamfer_angle":
        out += [words(" and "), number_token("angle", params.angle, "°")]
    return out if params.which == "picked" else [*out, *body_tokens(" of ", params.body, workpiece)]


OPERATION = Operation(
    "round_edges",
    "build",
    "Round",
    "Round or chamfer edges: pressed ones, of a face, round the top",
    EdgesParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="body",
)
