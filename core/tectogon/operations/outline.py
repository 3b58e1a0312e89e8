"""Extrude the outline of a whole view through the part: as a new body, or keeping what it has in common with what is there."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import NothingToBuild, Place
from tectogon.operations.arranging import view_named, view_options
from tectogon.operations.fields import Params, Sentence, choice_token, words
from tectogon.operations.kind import BODIES, LINEWORK, PLACEMENTS, Context, Kind
from tectogon.operations.workpiece import Workpiece

RESULTS = {"new": "as a new body", "common": "keeping what is common"}


class OutlineParams(Params):
    view: str = "front"
    result: Literal["new", "common"] = "new"


def apply(workpiece: Workpiece, params: OutlineParams, context: Context) -> Workpiece:
    from tectogon.operations import building, reading, viewing  # the kernel takes 2 s to load: only where it is needed
    from tectogon.solids.features import Feature, with_features

    view = view_named(workpiece, params.view)
    seen = reading.sides_seen(workpiece)
    mine = next((s for s in seen if s.view is view), None)
    if mine is None or len(seen) < 2:
        raise NothingToBuild(f"How deep the {view.name} view's outline goes is told by other views from a side; fold one, or extrude it by a length.")
    if fault := reading.unclosed(mine):
        raise NothingToBuild(*fault)
    tool = viewing.outline_of(mine, reading.part_box(seen), context.number)
    low, high = reading.depth_of(mine.view, reading.part_box(seen))
    profiles = mine.outline.profiles
    witnesses = [w for r in profiles for w in building.witnesses_in(r, mine.view.frame, low, high)]
    feature = Feature(tool, sum(r.area for r in profiles) * (high - low), tuple(witnesses), Place(point=profiles[0].centroid), mine.view.frame).proven()
    return replace(workpiece, bodies=with_features(workpiece.bodies, [feature], params.result, None, context.number))


def sentence(params: OutlineParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Extrude the outline of "), choice_token("view", params.view, view_options(workpiece, params.view)), words(" through the part, "),
        choice_token("result", params.result, RESULTS),
    ]  # fmt: skip


KIND = Kind("outline", "build", "Outline of a view", "The outline of a whole view through the part", OutlineParams, apply, sentence, reads=LINEWORK | PLACEMENTS, writes=BODIES)
