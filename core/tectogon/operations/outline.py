"""Extrude the outline of a whole view through the part: as a new body, or keeping what it has in common with what is
there."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import NothingToBuild, Place
from tectogon.workpiece.folded_views import view_named, view_options
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, choice_token, words

RESULTS = {"new": "as a new body", "common": "keeping what is common"}


class OutlineParams(Params):
    view: str = "front"
    result: Literal["new", "common"] = "new"


def apply(workpiece: Workpiece, params: OutlineParams, context: Context) -> Workpiece:
    """Extrude the outline of a view through the whole part.

    Raises NothingToBuild where it does not close, or no other view tells how deep, and what `with_features` raises.
    """
    from tectogon.building import extrusion
    from tectogon.reconstruction import depths, part_from_views  # the kernel takes 2 s to load: only where it is needed
    from tectogon.solids.features import Feature, with_features

    view = view_named(workpiece, params.view)
    seen = depths.sides_seen(workpiece)
    mine = next((s for s in seen if s.view is view), None)
    if mine is None or len(seen) < 2:
        raise NothingToBuild(
            f"How deep the {view.name} view's outline goes is told by other views from a side; fold one, or extrude it"
            " by a length."
        )
    if fault := depths.unclosed(mine):
        raise NothingToBuild(*fault)
    tool = part_from_views.outline_of(mine, depths.part_box(seen), context.number)
    low, high = depths.depth_of(mine.view, depths.part_box(seen))
    profiles = mine.outline.profiles
    witnesses = [w for r in profiles for w in extrusion.witnesses_in(r, mine.view.frame, low, high)]
    feature = Feature(
        tool,
        sum(r.area for r in profiles) * (high - low),
        tuple(witnesses),
        Place(point=profiles[0].centroid),
        mine.view.frame,
    ).proven()
    return replace(workpiece, bodies=with_features(workpiece.bodies, [feature], params.result, None, context.number))


def sentence(params: OutlineParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Extrude the outline of "),
        choice_token("view", params.view, view_options(workpiece, params.view)),
        words(" through the part, "),
        choice_token("result", params.result, RESULTS),
    ]


OPERATION = Operation(
    "outline",
    "build",
    "Outline of a view",
    "The outline of a whole view through the part",
    OutlineParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    wants="views",
)
