"""Bend reliefs: notches beside every bend that ends within an edge, cut in the flat."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import Note
from tectogon.units import parse_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, OwnLength, Params
from tectogon.workpiece.sentence import Sentence, choice_token, count_of, length_token, words

SHAPES = {"rectangular": "rectangular", "round": "round"}


class BendReliefsParams(Params):
    """`width` along the bend, `depth` past it; the thickness where none is given."""

    shape: Literal["rectangular", "round"] = "rectangular"
    width: OwnLength = OWN
    depth: OwnLength = OWN


def apply(workpiece: Workpiece, params: BendReliefsParams, context: Context) -> Workpiece:
    """Cuts them through the sheet. Raises what `blank_of` and `relief_tools` raise."""
    from tectogon.bending.reliefs import relief_tools
    from tectogon.operations.sheet_metal import blank_of
    from tectogon.solids.features import with_features

    blank = blank_of(workpiece, at_origin=False)
    width, depth = (
        blank.part.thickness if size == OWN else parse_length(size) for size in (params.width, params.depth)
    )
    tools = relief_tools(blank, width, depth, params.shape, context.number)
    key = blank.part.body.key
    bodies = with_features(workpiece.bodies, tools, "cut", key, context.number)
    ends = len({tool.place.point for tool in tools})
    told = f"Reliefs cut at {count_of(ends, 'place')}."
    return replace(workpiece, bodies=bodies).with_notes(Note("bend_reliefs", told, good=True))


def sentence(params: BendReliefsParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Relieve every bend that ends within an edge, in the flat: "),
        choice_token("shape", params.shape, SHAPES),
        words(", "),
        length_token("width", params.width, "the thickness"),
        words(" wide, "),
        length_token("depth", params.depth, "the thickness"),
        words(" deep"),
    ]


OPERATION = Operation(
    "bend_reliefs",
    "build",
    "Bend reliefs",
    "Notches where a bend ends within an edge",
    BendReliefsParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="sheet_metal",
)
