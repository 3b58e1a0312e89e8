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
    edges: Literal["as_drawn", "sharp"] = "as_drawn"
    """Sharp: arcs in the place of corners are taken for edges that other steps round."""


def apply(workpiece: Workpiece, params: FromViewsParams, context: Context) -> Workpiece:
    """Build the part from its views.

    Raises NothingToBuild where they do not close or share nothing, BadValue where fewer parts fit, KernelRefused on a
    wrong result.
    """
    from tectogon.building.part_of_views import part_of_views  # the kernel takes 2 s to load: only where it is needed
    from tectogon.reconstruction.part_from_views import closed_views
    from tectogon.reconstruction.stated_thickness import stated_thicknesses

    closed_views(workpiece)
    corners = [(c.at, c.shape) for c in params.corners]
    made = part_of_views(
        workpiece,
        context.number,
        stated_thicknesses(workpiece),
        answer=params.answer,
        corners=corners,
        sharp=params.edges == "sharp",
        tell=context.tell,
    )
    steps = made.steps if params.edges == "as_drawn" else ()
    return replace(workpiece, bodies=made.bodies, as_steps=steps).with_notes(*made.notes)


def sentence(params: FromViewsParams, workpiece: Workpiece | None) -> Sentence:
    named = f" ({', '.join(v.name for v in workpiece.views)})" if workpiece and workpiece.views else ""
    which = f"; of the parts that fit, number {params.answer}" if params.answer > 1 else ""
    shapes = [c.shape for c in params.corners if c.shape != "step"]
    if shapes:
        told = [count_of(shapes.count(s), f"step as a {s}", f"steps as {s}s") for s in sorted(set(shapes))]
        which += f"; {' and '.join(told)}"
    sharp = ", with sharp edges where they are rounded" if params.edges == "sharp" else ""
    return [
        words(
            f"Build the part from its views{named}{sharp}: outlines through each other, less all they show to be"
            f" empty{which}"
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
