"""What scale, turn, mirror and move share: which curves they are put to, and the place they go by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from tectogon.curves import affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import BoolArray
from tectogon.errors import NothingToBuild, PickGone
from tectogon.linework import Linework, identity
from tectogon.views import Plane, View
from tectogon.views.view import Box
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import Params, PointPick
from tectogon.workpiece.point_picks import ANCHORS, Anchor, anchor_of
from tectogon.workpiece.sentence import Token, choice_token, count_of, points_token

EVERYTHING = "everything"


class PlacingParams(Params):
    """The curves: those picked, or all of one source, or everything; and the place that stays."""

    source: str = EVERYTHING
    curves: tuple[str, ...] = ()
    about: Anchor = "origin"
    point: tuple[PointPick, ...] = ()


def chosen(workpiece: Workpiece, params: PlacingParams) -> BoolArray:
    """Which curves are meant (n,). Raises PickGone naming what is no longer there, NothingToBuild on an empty
    drawing."""
    linework = workpiece.drawing.linework
    if not len(linework):
        raise NothingToBuild("There is nothing in the drawing yet; bring in a file first.")
    if params.curves:
        wanted = set(params.curves)
        rows = np.array([key in wanted for key in linework.ids], bool)
        if not rows.any():
            raise PickGone(
                f"None of the {count_of(len(wanted), 'curve')} picked is in the drawing any more. Pick again."
            )
        return rows
    if params.source == EVERYTHING:
        return np.ones(len(linework), bool)
    own = rows_of_source(workpiece, params.source)
    if own is None:
        raise PickGone(f"The source “{params.source[:80]}” is not in the drawing any more.")
    return own


def rows_of_source(workpiece: Workpiece, name: str) -> BoolArray | None:
    """Which curves come from the source of a name (n,); None where there is none of that name."""
    steps = [s.step for s in workpiece.sources if s.name == name]
    if not steps:
        return None
    return np.array(
        [any(identity.is_of_source(key, step) for step in steps) for key in workpiece.drawing.linework.ids], bool
    )


def place_of(workpiece: Workpiece, params: PlacingParams, rows: BoolArray) -> FloatArray:
    """The place that stays (2,), mm."""
    kept = rows & workpiece.drawing.kept
    return anchor_of(
        workpiece.drawing.linework,
        np.flatnonzero(kept if kept.any() else rows),
        params.about,
        params.point[0] if params.point else None,
    )


def about(place: FloatArray, linear: FloatArray) -> FloatArray:
    """The map (2, 3) that does `linear` (2, 2) about a place."""
    return np.column_stack([linear, place - linear @ place])


def mapped(workpiece: Workpiece, rows: BoolArray, matrix: FloatArray) -> Workpiece:
    """The workpiece with these curves under a map; views keep theirs, and their planes."""
    linework = workpiece.drawing.linework
    drawing = replace(workpiece.drawing, linework=linework.transformed(matrix, None if rows.all() else rows))
    if not rows.all() and linework.pictures:
        drawing = replace(drawing, linework=replace(drawing.linework, pictures=_pictures(workpiece, rows, matrix)))
    views = tuple(replace(v, box=_boxed(v, drawing.linework)) for v in workpiece.views)
    planes = tuple(replace(p, box=_boxed(p, drawing.linework)) for p in workpiece.planes)
    return replace(workpiece, drawing=drawing, views=views, planes=planes)


def _boxed(placed: View | Plane, linework: Linework) -> Box:
    """The box round the curves of a view or a plane as they are now."""
    rows = np.array([linework.row_of[key] for key in placed.curves if key in linework.row_of], np.int64)
    if not len(rows):
        return placed.box
    x0, y0, x1, y1 = linework.table.take(rows).extents.tolist()
    return (x0, y0, x1, y1)


def _pictures(workpiece: Workpiece, rows: BoolArray, matrix: FloatArray) -> Any:
    """A picture goes with its curves where all of them go."""
    linework = workpiece.drawing.linework
    out = []
    for picture in linework.pictures:
        own = rows_of_source(workpiece, picture.name)
        goes = own is not None and bool(own.any()) and bool(rows[own].all())
        out.append(replace(picture, matrix=affine.after(matrix, picture.matrix)) if goes else picture)
    return tuple(out)


def what_token(params: PlacingParams, workpiece: Workpiece | None) -> Token:
    """What is placed, in words."""
    if params.curves:
        return Token(count_of(len(params.curves), "curve"), "curves", {"type": "curves", "value": list(params.curves)})
    names = [s.name for s in workpiece.sources] if workpiece else [params.source]
    return choice_token(
        "source", params.source, {EVERYTHING: EVERYTHING, **{name: name for name in names if name != EVERYTHING}}
    )


def about_tokens(params: PlacingParams) -> Sequence[Token]:
    """The place that stays, in words."""
    out = [choice_token("about", params.about, ANCHORS)]
    if params.about == "point":
        out += [Token(" "), points_token("point", params.point, 1)]
    return out
