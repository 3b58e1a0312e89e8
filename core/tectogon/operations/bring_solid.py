"""Bring in a solid that was made elsewhere: the bodies of a STEP file."""

from __future__ import annotations

from dataclasses import replace

from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, Token, words


class BringSolidParams(Params):
    source: str


def apply(workpiece: Workpiece, params: BringSolidParams, context: Context) -> Workpiece:
    """The solids of a file (mm) beside what is there. Raises what `brought_in` raises."""
    from tectogon.building.brought_in import brought_in  # the kernel takes 2 s to load: only where it is needed

    file = context.source(params.source)
    bodies, notes = brought_in(file.path, context.number, called=params.source)
    return replace(workpiece, bodies=(*workpiece.bodies, *bodies)).with_notes(*notes)


def sentence(params: BringSolidParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Bring in "), Token(params.source, "source", {"type": "source", "value": params.source})]
    return [*out, words(" as it is")]


OPERATION = Operation(
    "bring_solid",
    "bring_in",
    "Bring in a solid",
    "The bodies of a STEP file",
    BringSolidParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    offered=False,
    begins_sheet=True,
    serves="reads_solid",
)
