"""Line a view up by hand: a point of it with a point of another view, or by a typed distance; along what they share, or
one axis only."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild, Unfinished
from tectogon.units import parse_length
from tectogon.views import View
from tectogon.views.align import AXES, axes_shown
from tectogon.workpiece.folded_views import moved, on_part, view_named, view_options, with_view
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Length, Params, PointPick
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, points_token, words

HOWS = {"points": "so that two points fall in line", "distance": "by a distance"}
ALONG = {"shared": "along what they share", "x": "along x", "y": "along y", "z": "along z"}


class LineUpParams(Params):
    """`points`: one of the view that moves, one of the view that stays. `by`: how far off line, or how far to move."""

    how: Literal["points", "distance"] = "points"
    points: tuple[PointPick, ...] = ()
    view: str = "top"
    along: Literal["shared", "x", "y", "z"] = "shared"
    by: Length = 0.0


def apply(workpiece: Workpiece, params: LineUpParams, context: Context) -> Workpiece:
    """Move a view along the axes of the part, so that two points meet or by a distance (mm).

    Raises Unfinished, BadValue where the two share no axis, NothingToBuild where no view is folded.
    """
    by = parse_length(params.by)
    step = np.zeros(3)
    if params.how == "distance":
        view = view_named(workpiece, params.view)
        axes = axes_shown(view.frame)
        axis = AXES.find(params.along)
        if axis < 0:
            raise Unfinished(
                f"Choose along which axis the {view.name} view is to move:"
                f" {' or '.join(AXES[a] for a in sorted(axes))}."
            )
        if axis not in axes:
            raise BadValue(
                f"The {view.name} view looks along {params.along}, so it can't be moved along it; take"
                f" {' or '.join(AXES[a] for a in sorted(axes))}."
            )
        step[axis] = by
        return with_view(workpiece, _moved(view, step))
    if len(params.points) < 2:
        raise Unfinished(
            "Press a point of the view that is to move, then the point of another view that it is in line with."
        )
    (view, loose), (other, fixed) = (on_part(workpiece, p) for p in params.points[:2])
    if view is other:
        raise BadValue(f"Both points lie in the {view.name} view; press the second one in another view.")
    shared = [a for a in loose if a in fixed and params.along in ("shared", AXES[a])]
    if not shared:
        raise NothingToBuild(
            f"The {view.name} and {other.name} views share nothing along {params.along}; nothing can be lined up there."
            if params.along != "shared"
            else f"The {view.name} and {other.name} views share no axis."
        )
    for axis in shared:
        step[axis] = fixed[axis] + by - loose[axis]
    return with_view(workpiece, _moved(view, step))


def _moved(view: View, step: FloatArray) -> View:
    return replace(view, frame=moved(view.frame, step))


def sentence(params: LineUpParams, workpiece: Workpiece | None) -> Sentence:
    how = choice_token("how", params.how, HOWS)
    if params.how == "distance":
        return [
            words("Line "),
            choice_token("view", params.view, view_options(workpiece, params.view)),
            words(" up "),
            how,
            words(" "),
            length_token("by", params.by),
            words(" "),
            choice_token("along", params.along, {k: v for k, v in ALONG.items() if k != "shared" or params.along == k}),
        ]
    out = [
        words("Line views up "),
        how,
        words(": "),
        points_token("points", params.points, 2),
        words(", "),
        choice_token("along", params.along, ALONG),
    ]
    return [*out, words(", off by "), length_token("by", params.by)]


OPERATION = Operation(
    "line_up",
    "arrange",
    "Line up",
    "A point of one view with a point of another, or by a distance",
    LineUpParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=PLACEMENTS,
)
