"""Call a view by another name: it stands up in that plane; a view that has the name already takes the old one."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.views import VIEW_NAMES, View, frame_of
from tectogon.workpiece.folded_views import relined, view_named, view_options
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, choice_token, words


class NameViewParams(Params):
    """`to`: one of the six names, or none: the view is laid flat again."""

    view: str = "front"
    to: Literal["front", "top", "right", "left", "bottom", "rear", "none"] = "top"


def apply(workpiece: Workpiece, params: NameViewParams, context: Context) -> Workpiece:
    """Call a view by another name; two views swap.

    Raises what `view_named` raises.
    """
    view = view_named(workpiece, params.view)
    rest = tuple(v for v in workpiece.views if v is not view)
    if params.to == "none":
        return replace(workpiece, views=rest)
    renamed = [_as(view, params.to)]
    for other in rest:
        if other.name == params.to and params.view in VIEW_NAMES:
            renamed.append(_as(other, params.view))
    kept = tuple(v for v in rest if v.name != params.to)
    now = replace(workpiece, views=kept)
    for each in sorted(renamed, key=lambda v: v.name != "front"):
        now = replace(now, views=(*now.views, relined(now, each)))
    order = [*VIEW_NAMES, *(v.name for v in now.views)]
    return replace(now, views=tuple(sorted(now.views, key=lambda v: order.index(v.name))))


def _as(view: View, name: str) -> View:
    """The view in the plane of another name, its lower left corner on the origin."""
    return replace(view, name=name, frame=frame_of(name, (view.box[0], view.box[1])))


def sentence(params: NameViewParams, workpiece: Workpiece | None) -> Sentence:
    to = {**{name: f"the {name}" for name in VIEW_NAMES}, "none": "no view: lay it flat"}
    return [
        words("Call "),
        choice_token("view", params.view, view_options(workpiece, params.view)),
        words(" "),
        choice_token("to", params.to, to),
    ]


OPERATION = Operation(
    "name_view",
    "arrange",
    "Rename",
    "Call a view by another name; two views swap",
    NameViewParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=PLACEMENTS,
)
