"""Build the part from its views: outlines through each other, then all cut away that they show to be empty."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, count_of, words


class CornerPick(Params):
    """A step at a corner that no view looks along, by a place of the sheet in it, and what it is."""

    at: tuple[float, float]
    shape: Literal["step", "chamfer", "round"]


class FromViewsParams(Params):
    answer: int = Field(1, ge=1, le=9)
    """Which of the parts that explain the drawing alike, the plainest first."""
    corners: tuple[CornerPick, ...] = Field((), max_length=100)
    """What steps are that may be chamfers or rounds as well, where they are not taken as steps."""


def apply(workpiece: Workpiece, params: FromViewsParams, context: Context) -> Workpiece:
    """Build the part from its views.

    Raises NothingToBuild where they do not close or share nothing, BadValue where fewer parts fit, KernelRefused on a
    wrong result.
    """
    from tectogon.building.plates import plate_of
    from tectogon.building.turned_views import turned_from_views
    from tectogon.reconstruction import part_from_views  # the kernel takes 2 s to load: only where it is needed
    from tectogon.reconstruction.certainty import notes_of
    from tectogon.reconstruction.stated_thickness import stated_thicknesses

    part_from_views.closed_views(workpiece)
    plate = plate_of(workpiece, stated_thicknesses(workpiece))
    if plate is not None:
        return replace(
            workpiece, bodies=plate.bodies(workpiece, context.number), as_steps=(plate.step(workpiece),)
        ).with_notes(*plate.notes)
    turned = turned_from_views(workpiece, context.number) if params.answer == 1 and not params.corners else None
    if turned is not None:
        return replace(turned.workpiece, as_steps=tuple(turned.steps)).with_notes(*turned.notes)
    shapes = [(c.at, c.shape) for c in params.corners]
    bodies, found = part_from_views.build_from_views(workpiece, context.number, params.answer, context.tell, shapes)
    return replace(
        workpiece, bodies=(*workpiece.bodies, *bodies), as_steps=tuple(part_from_views.steps_of(found))
    ).with_notes(*notes_of(found, context.number))


def sentence(params: FromViewsParams, workpiece: Workpiece | None) -> Sentence:
    named = f" ({', '.join(v.name for v in workpiece.views)})" if workpiece and workpiece.views else ""
    which = f"; of the parts that fit, number {params.answer}" if params.answer > 1 else ""
    shapes = [c.shape for c in params.corners if c.shape != "step"]
    if shapes:
        told = [count_of(shapes.count(s), f"step as a {s}", f"steps as {s}s") for s in sorted(set(shapes))]
        which += f"; {' and '.join(told)}"
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
