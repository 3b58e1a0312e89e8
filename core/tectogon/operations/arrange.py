"""Find the views on the sheet, name them, fold each into its plane, and line them up by what they share: all in one step."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.errors import Note, NothingToBuild
from tectogon.operations.fields import Params, Sentence, choice_token, words
from tectogon.operations.kind import Context, Kind
from tectogon.operations.workpiece import Drawing, Workpiece
from tectogon.views import View, frame_of
from tectogon.views.find import FoundViews, find_views

PROJECTIONS = {"auto": "as the sheet shows", "third": "in third angle", "first": "in first angle"}


class ArrangeParams(Params):
    projection: Literal["auto", "third", "first"] = "auto"


def found_in(drawing: Drawing, projection: str = "auto") -> FoundViews:
    """The views among the curves that are kept and no guides, without what is proposed to be left out (dashed lines stay)."""
    keep = drawing.kept & ~drawing.guiding
    for kind, rows in drawing.asides:
        if kind != "hidden":
            keep[rows] = False
    return find_views(drawing.linework, np.flatnonzero(keep), projection=None if projection == "auto" else projection)


def views_of(drawing: Drawing, found: FoundViews, number: int) -> tuple[View, ...]:
    """Found views as views folded by step `number`."""
    ids = drawing.linework.ids
    return tuple(View(v.name, frozenset(ids[r] for r in v.rows.tolist()), frame_of(v.name, v.origin), v.box, number) for v in found.views)


def apply(workpiece: Workpiece, params: ArrangeParams, context: Context) -> Workpiece:
    found = found_in(workpiece.drawing, params.projection)
    if not found.views:
        raise NothingToBuild("No view is found on this sheet: there is no group of lines that could be one.")
    views = views_of(workpiece.drawing, found, context.number)
    worst = max((a.worst for a in found.agreements), default=0.0)
    text = f"{len(views)} {'view' if len(views) == 1 else 'views'}, {found.projection} angle: {found.why}. What they share agrees within {worst:.3g} mm."
    return replace(workpiece, views=views).with_notes(Note("views", text))


def sentence(params: ArrangeParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Find the views and fold them up, "), choice_token("projection", params.projection, PROJECTIONS)]
    return [*out, words(f": {', '.join(v.name for v in workpiece.views)}")] if workpiece and workpiece.views else out


KIND = Kind("arrange", "arrange", "Find the views", "Name them, fold them up, line them up by what they share", ArrangeParams, apply, sentence, draws=True)
