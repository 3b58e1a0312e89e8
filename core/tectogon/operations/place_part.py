"""Another part of the shelf stands in this one: where values say, face on face, axis in axis, corner on corner; once,
in a row, a grid or a circle."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.building.copies import after, in_circle, in_grid, in_row, shift, whole
from tectogon.errors import BadValue, Unfinished
from tectogon.units import parse_length, parse_number, show_sizes
from tectogon.workpiece.model import Material, Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, Angle, EndPick, Length, Name, Number, OwnLength, Params
from tectogon.workpiece.sentence import Sentence, Token, choice_token, length_token, number_token, pieces_token, words

if TYPE_CHECKING:
    from tectogon.curves.affine import FloatArray
    from tectogon.solids.body import Body

HOWS = {"values": "at coordinates", "faces": "face on face:", "axes": "axis in axis:", "corners": "corner on corner:"}
AXES = {"x": "x", "y": "y", "z": "z"}
PATTERNS = {"row": "in a row", "grid": "in a grid", "circle": "in a circle"}
CORNERS = (
    {"low": "left", "middle": "middle", "high": "right"},
    {"low": "front", "middle": "middle", "high": "back"},
    {"low": "bottom", "middle": "middle", "high": "top"},
)
_SHARES = {"low": 0.0, "middle": 0.5, "high": 1.0}
End = Literal["low", "middle", "high"]


class PlacePartParams(Params):
    """`part`, `name` and `revision` say which part it is, `material` and `density` (g/cm³) what it is made of, if it
    is of one, and `source` is its solid as it was then; `pieces`: a face of
    it and one of what is there, or an edge at the corner that it goes to; `corner_x`, `corner_y`, `corner_z`: which
    corner of its extents goes there; `x`, `y`, `z`: moved by so much after all else. `count` stand in a row, each off
    by `dx`, `dy`, `dz`, side by side where `dx` is not given; in `rows` of them, `rise` apart along y; or in a circle
    over `over` degrees about `around` through the origin."""

    part: int = 0
    name: Name = ""
    revision: int = 0
    material: Name = ""
    density: Number = 0.0
    source: str = ""
    how: Literal["values", "faces", "axes", "corners"] = "values"
    pieces: tuple[EndPick, ...] = ()
    corner_x: End = "low"
    corner_y: End = "low"
    corner_z: End = "low"
    axis: Literal["x", "y", "z"] = "z"
    angle: Angle = 0.0
    x: Length = 0.0
    y: Length = 0.0
    z: Length = 0.0
    count: Number = 1
    pattern: Literal["row", "grid", "circle"] = "row"
    dx: OwnLength = OWN
    dy: Length = 0.0
    dz: Length = 0.0
    rows: Number = 2
    rise: OwnLength = OWN
    around: Literal["x", "y", "z"] = "z"
    over: Angle = 360.0


def apply(workpiece: Workpiece, params: PlacePartParams, context: Context) -> Workpiece:
    """Its bodies beside those that are there. Raises Unfinished while no part is chosen or faces are wanted, BadValue
    for values that place nothing, PickGone, and what `brought_in` raises. Where only the faces or the corner are at
    fault, the part is shown as far as it was placed, so that its faces can be pressed."""
    from tectogon.building.brought_in import brought_in
    from tectogon.building.rotations import about
    from tectogon.solids import measure
    from tectogon.solids.placing import placed

    if not params.source:
        raise Unfinished("Choose a part of the shelf.")
    count = whole(params.count, "copies")
    own, notes = brought_in(context.source(params.source).path, context.number, called=params.source)
    axis = np.eye(3)["xyz".index(params.axis)]
    motion = np.column_stack([about(axis, math.radians(parse_number(params.angle))), np.zeros(3)])
    turned = [placed(b, motion) for b in own]
    box = np.array(measure.joint_bounds([b.shape for b in turned]))
    move = shift(np.array([parse_length(v) for v in (params.x, params.y, params.z)]))
    each = _pattern(params, count, box[3:] - box[:3])

    def standing(motion: FloatArray) -> Workpiece:
        maps = [after(outer, after(move, motion)) for outer in each]
        if max(np.abs(m[:, 3]).max() for m in maps) > 1e6:
            raise BadValue("That is over a kilometre away; check its unit.")
        made = _copies(own, params, context.number, maps)
        materials = {**workpiece.materials, **_material(params, made)}
        return replace(workpiece, bodies=(*workpiece.bodies, *made), materials=materials).with_notes(*notes)

    try:
        return standing(after(_where(turned, box, workpiece.bodies, params), motion))
    except BadValue as problem:
        if workpiece.bodies and params.how != "values":
            problem.so_far = standing(after(_beside(box, workpiece.bodies), motion))
        raise


def _material(params: PlacePartParams, made: Sequence[Body]) -> dict[str, Material]:
    """What the part's bodies are made of, by their keys, where that is known."""
    density = parse_number(params.density)
    return {b.key: Material(params.material, density) for b in made} if params.material and density > 0.0 else {}


def _where(turned: Sequence[Body], box: FloatArray, others: Sequence[Body], params: PlacePartParams) -> FloatArray:
    """How the turned part (its extents `box`, (6,), mm) moves to where it was pressed that it goes, (3, 4)."""
    from tectogon.building.mating import mated

    if params.how == "corners":
        return shift(_corner(others, params.pieces) - _own_corner(box, params))
    if params.how == "values":
        return shift(np.zeros(3))
    return mated(*_faces(turned, others, params.pieces), params.how)


def _beside(box: FloatArray, others: Sequence[Body]) -> FloatArray:
    """The move (3, 4) to the right of what is there of a part whose extents `box` (6,), mm, would lie in it: a face
    that lies inside can't be pressed."""
    from tectogon.solids import measure

    there = np.array(measure.joint_bounds([b.shape for b in others]))
    apart = np.any((box[3:] < there[:3]) | (box[:3] > there[3:]))
    gap = 0.2 * float(np.max(there[3:] - there[:3]))
    return shift(np.array([0.0 if apart else there[3] + gap - box[0], 0.0, 0.0]))


def _copies(own: Sequence[Body], params: PlacePartParams, number: int, maps: Sequence[FloatArray]) -> list[Body]:
    """The part's bodies as each of the motions puts them, each copy an item of its own."""
    from tectogon.solids.body import Item
    from tectogon.solids.placing import placed

    name, size = params.name or own[0].name, show_sizes(_extents(own))
    made: list[Body] = []
    for n, put in enumerate(maps, 1):
        for body in own:
            called = name if len(own) == 1 else f"{name}: {body.name}"
            made.append(
                replace(
                    placed(body, put),
                    key=body.key if n == 1 else f"{body.key}/{n}",
                    name=called if len(maps) == 1 else f"{called}, {n}",
                    item=Item(name, f"revision {params.revision}", size, f"{number}:{n}", body.volume),
                )
            )
    return made


def _extents(bodies: Sequence[Body]) -> list[float]:
    from tectogon.solids import measure

    box = np.array(measure.joint_bounds([b.shape for b in bodies]))
    return (box[3:] - box[:3]).tolist()


def _pattern(params: PlacePartParams, count: int, size: FloatArray) -> list[FloatArray]:
    """Where the copies stand; `size`: the part's extents (3,), mm."""
    if params.pattern == "circle" and count > 1:
        around = np.eye(3)["xyz".index(params.around)]
        return in_circle(count, parse_number(params.over), around, np.zeros(3))
    by = np.array([_or_own(params.dx, float(size[0])), parse_length(params.dy), parse_length(params.dz)])
    if params.pattern == "row" or count == 1:
        return in_row(count, by)
    rise = np.array([0.0, _or_own(params.rise, float(size[1])), 0.0])
    return in_grid(count, by, whole(params.rows, "rows"), rise)


def _or_own(value: str | float, own: float) -> float:
    return own if value == OWN else parse_length(value)


def _own_corner(box: FloatArray, params: PlacePartParams) -> FloatArray:
    """The corner of the part's extents that is meant, in the middle of some where it says so."""
    shares = np.array([_SHARES[v] for v in _corner_of(params)])
    return np.asarray(box[:3] + shares * (box[3:] - box[:3]))


def _corner(others: Sequence[Body], picks: Sequence[EndPick]) -> FloatArray:
    """The corner of what is there that was pressed."""
    from tectogon.solids.picking import find_edge_end

    edges = [p.edge for p in picks if p.edge is not None]
    if not edges:
        raise Unfinished("Press an edge near the corner that it goes to.")
    return find_edge_end(others, edges[-1].faces, edges[-1].point)


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
    if params.how == "corners":
        out += [words(" its ")]
        for field, value, told in zip(("corner_x", "corner_y", "corner_z"), _corner_of(params), CORNERS, strict=True):
            out += [choice_token(field, value, told), words(" ")]
        out += [words("corner on "), pieces_token("pieces", params.pieces), words(", then moved by")]
    elif params.how != "values":
        out += [words(" "), pieces_token("pieces", params.pieces), words(", then moved by")]
    out += [words(" x "), length_token("x", params.x), words(", y "), length_token("y", params.y)]
    out += [words(", z "), length_token("z", params.z), words(", "), number_token("count", params.count)]
    if params.count in (1, "1", 1.0):
        return [*out, words(" copy")]
    out += [words(" copies "), choice_token("pattern", params.pattern, PATTERNS)]
    if params.pattern == "circle":
        out += [words(" over "), number_token("over", params.over, "°"), words(" about ")]
        return [*out, choice_token("around", params.around, AXES), words(" through the origin")]
    out += [words(" each off by x "), length_token("dx", params.dx, "its width"), words(", y ")]
    out += [length_token("dy", params.dy), words(", z "), length_token("dz", params.dz)]
    if params.pattern == "grid":
        out += [words(", in "), number_token("rows", params.rows), words(" rows ")]
        out += [length_token("rise", params.rise, "its depth"), words(" apart along y")]
    return out


def _corner_of(params: PlacePartParams) -> tuple[End, End, End]:
    return params.corner_x, params.corner_y, params.corner_z


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
