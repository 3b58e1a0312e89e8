"""Build the part from its views: outlines through each other, then all cut away that stands in front of the faces they
show."""

from __future__ import annotations

from dataclasses import replace

from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, words


class FromViewsParams(Params):
    pass


def apply(workpiece: Workpiece, params: FromViewsParams, context: Context) -> Workpiece:
    """Build the part from its views.

    Raises NothingToBuild where they do not close or share nothing, KernelRefused on a wrong result.
    """
    from tectogon.reconstruction import part_from_views  # the kernel takes 2 s to load: only where it is needed

    part_from_views.closed_views(workpiece)
    return replace(workpiece, bodies=(*workpiece.bodies, *part_from_views.build_from_views(workpiece, context.number)))


def sentence(params: FromViewsParams, workpiece: Workpiece | None) -> Sentence:
    named = f" ({', '.join(v.name for v in workpiece.views)})" if workpiece and workpiece.views else ""
    return [
        words(
            f"Build the part from its views{named}: outlines through each other, then cut down to the faces they show"
        )
    ]


OPERATION = Operation(
    "from_views",
    "build",
    "From the views",
    "Outlines through each other, then cut down to the faces they show",
    FromViewsParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    becomes_steps=True,
)
