"""Build the part from its views: outlines through each other, then all cut away that they show to be empty."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, words


class FromViewsParams(Params):
    answer: int = Field(1, ge=1, le=9)
    """Which of the parts that explain the drawing alike, the plainest first."""


def apply(workpiece: Workpiece, params: FromViewsParams, context: Context) -> Workpiece:
    """Build the part from its views.

    Raises NothingToBuild where they do not close or share nothing, BadValue where fewer parts fit, KernelRefused on a
    wrong result.
    """
    from tectogon.reconstruction import part_from_views  # the kernel takes 2 s to load: only where it is needed
    from tectogon.reconstruction.certainty import notes_of

    part_from_views.closed_views(workpiece)
    bodies, found = part_from_views.build_from_views(workpiece, context.number, params.answer, context.tell)
    return replace(
        workpiece, bodies=(*workpiece.bodies, *bodies), as_steps=tuple(part_from_views.steps_of(found))
    ).with_notes(*notes_of(found, context.number))


def sentence(params: FromViewsParams, workpiece: Workpiece | None) -> Sentence:
    named = f" ({', '.join(v.name for v in workpiece.views)})" if workpiece and workpiece.views else ""
    which = f"; of the parts that fit, number {params.answer}" if params.answer > 1 else ""
    return [
        words(
            f"Build the part from its views{named}: outlines through each other, less all they show to be empty{which}"
        )
    ]


OPERATION = Operation(
    "from_views",
    "build",
    "From the views",
    "The part that explains what all views draw",
    FromViewsParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    wants="views",
    becomes_steps=True,
)
