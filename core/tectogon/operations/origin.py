"""Put the origin of the part where it belongs: a corner or the centre of the extents that the views give, or a picked
point."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.errors import NothingToBuild, Unfinished
from tectogon.views.align import on_axis, shown_of
from tectogon.workpiece.folded_views import moved, on_part
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params, PointPick
from tectogon.workpiece.sentence import Sentence, choice_token, points_token, words

WHERE = {
    "centre": "the centre of the extents",
    "foot": "the centre of the extents, at the foot",
    "corner": "the lower left corner in front",
    "point": "a point",
}


class OriginParams(Params):
    """`points`: places in views; each gives the axes that its view shows, so that two of them fix all three."""

    at: Literal["centre", "foot", "corner", "point"] = "centre"
    points: tuple[PointPick, ...] = ()


def apply(workpiece: Workpiece, params: OriginParams, context: Context) -> Workpiece:
    """Put the part's origin on a corner or the centre of its extents, or on a picked point (mm). Bodies that are there
    already go with it.

    Raises Unfinished, NothingToBuild where no view is folded.
    """
    if not workpiece.views:
        raise NothingToBuild("No view is folded yet; find the views first. A drawing that lies flat is moved by Move.")
    place = np.zeros(3)
    if params.at == "point":
        if not params.points:
            raise Unfinished(
                "Press the point that is to be the origin: an end, a centre, a crossing; a second one in another view"
                " for the third axis."
            )
        for pick in reversed(params.points[:2]):
            for axis, value in on_part(workpiece, pick)[1].items():
                place[axis] = value
    else:
        linework = workpiece.drawing.linework
        for axis in range(3):
            stretches = [
                c
                for v in workpiece.views
                if (c := on_axis(linework.table, shown_of(v, linework), axis)) is not None and len(c)
            ]
            if stretches:
                low, high = min(float(c[0]) for c in stretches), max(float(c[-1]) for c in stretches)
                place[axis] = (
                    low if params.at == "corner" or (params.at == "foot" and axis == 2) else (low + high) / 2.0
                )
    views = tuple(replace(v, frame=moved(v.frame, -place)) for v in workpiece.views)
    planes = tuple(replace(p, frame=moved(p.frame, -place)) for p in workpiece.planes)
    if not workpiece.bodies:
        return replace(workpiece, views=views, planes=planes)
    from tectogon.solids.placing import shifted  # the kernel takes 2 s to load: only where it is needed

    return replace(workpiece, views=views, planes=planes, bodies=tuple(shifted(b, -place) for b in workpiece.bodies))


def sentence(params: OriginParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Put the origin at "), choice_token("at", params.at, WHERE)]
    if params.at != "point":
        return out
    picked = points_token("points", params.points, min(max(len(params.points), 1), 2))
    return [*out, words(": "), replace(picked, editor={**(picked.editor or {}), "wanted": 2})]


OPERATION = Operation(
    "origin",
    "arrange",
    "Origin",
    "A corner or the centre of the extents, or a picked point",
    OriginParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS | BODIES,
    writes=PLACEMENTS | BODIES,
)
