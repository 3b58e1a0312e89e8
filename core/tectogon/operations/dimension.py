"""A dimension on the part: of an edge, or between two edges or flat faces. It follows every change."""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING, Literal

from tectogon.errors import Note, PickGone, Place, TectogonError, Unfinished
from tectogon.units import show_length, show_number
from tectogon.views.align import AXES
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import EndPick, Name, Params
from tectogon.workpiece.sentence import Sentence, Token, choice_token, name_token, words

if TYPE_CHECKING:
    from tectogon.solids.dimension import Measured, Thing


WAYS = {"suits": "as suits", "x": "along x", "y": "along y", "z": "along z"}


class DimensionParams(Params):
    """`pieces`: one edge, or two edges or flat faces; `along`: the axis that a distance is taken along, or whatever
    suits; `tolerance`: what is written behind the value, such as ±0.1 or H7; `label`: a name in front of it."""

    pieces: tuple[EndPick, ...] = ()
    along: Literal["suits", "x", "y", "z"] = "suits"
    label: Name = ""
    tolerance: Name = ""
    note: Name = ""


def apply(workpiece: Workpiece, params: DimensionParams, context: Context) -> Workpiece:
    """Changes nothing of the part and says what it measures. Raises Unfinished while nothing is pressed, PickGone for
    what is no longer there, BadValue where there is nothing to measure."""
    found = _found(workpiece, params)
    text = _text(found, params)
    middle = tuple((a + b) / 2.0 for a, b in zip(found.start, found.end, strict=True))
    drawn = {"dimension": {"step": context.number, "from": list(found.start), "to": list(found.end), "text": text}}
    return workpiece.with_notes(
        Note("dimension", f"{found.kind.capitalize()} {text}", Place(point=middle), good=True, drawn=drawn)
    )


def _found(workpiece: Workpiece, params: DimensionParams) -> Measured:
    from tectogon.solids.dimension import measured

    if not workpiece.bodies:
        raise PickGone("There is no body to dimension yet; build one first.")
    if not params.pieces:
        raise Unfinished("Press an edge, or two edges or flat faces, on the part.")
    along = None if params.along == "suits" else AXES.index(params.along)
    return measured([_thing(workpiece, pick) for pick in params.pieces[-2:]], along)


def _thing(workpiece: Workpiece, pick: EndPick) -> Thing:
    from tectogon.solids.dimension import edge_thing, face_thing
    from tectogon.solids.picking import find_edge, find_face

    if pick.edge is not None:
        body, number = find_edge(workpiece.bodies, pick.edge.faces, pick.edge.point)
        return edge_thing(body.edges[number], body.edges)
    if pick.face is None:
        raise PickGone("A point of the sheet is no part of a body; press edges or flat faces.")
    f = pick.face
    face = find_face(workpiece.bodies, f.name, body=f.body, beside=f.beside, normal=f.normal, point=f.point)
    return face_thing(face.body.faces[face.number])


def _text(found: Measured, params: DimensionParams) -> str:
    value = f"{show_number(found.value)}°" if found.kind == "angle" else show_length(found.value)
    mark = {"diameter": "⌀", "radius": "R"}.get(found.kind, "")
    name = f"{params.label} =" if params.label else ""
    return " ".join(part for part in (name, f"{mark}{value}", params.tolerance, params.note) if part)


def sentence(params: DimensionParams, workpiece: Workpiece | None) -> Sentence:
    count = min(len(params.pieces), 2)
    what = "what you press on the part" if not count else "one thing" if count == 1 else "the distance of two"
    pieces = Token(what, "pieces", {"type": "pieces", "value": [p.model_dump(mode="json") for p in params.pieces]})
    out = [words("Dimension "), pieces, words(" "), choice_token("along", params.along, WAYS)]
    if workpiece is not None and workpiece.bodies and count:
        with suppress(TectogonError):
            out.append(words(f": {_text(_found(workpiece, params), DimensionParams())}"))
    return [
        *out,
        words(", called "),
        name_token("label", params.label, "nothing"),
        words(", tolerance "),
        name_token("tolerance", params.tolerance, "none"),
        words(", note "),
        name_token("note", params.note, "none"),
    ]


OPERATION = Operation(
    "dimension",
    "check",
    "Dimension",
    "Of an edge, or between two",
    DimensionParams,
    apply,
    sentence,
    reads=BODIES,
    writes=frozenset(),
    wants="body",
    serves="measures",
)
