"""What the operations on views share: finding the view that is meant, where a picked point of it lies on the part,
putting it back changed."""

from __future__ import annotations

from dataclasses import replace
from weakref import WeakKeyDictionary

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import NothingToBuild, PickGone, Place
from tectogon.linework import identity
from tectogon.views import VIEW_NAMES, Frame, View
from tectogon.views.align import axes_shown, in_line, shown_of
from tectogon.views.view import Box
from tectogon.workpiece.model import Drawing, Workpiece
from tectogon.workpiece.parameters import PointPick
from tectogon.workpiece.point_picks import point_of

_PARTED: WeakKeyDictionary[Drawing, Drawing] = WeakKeyDictionary()
"""Drawings that are still there, with what was last laid into planes kept apart: a plane that moves parts nothing
else."""
CALLED = {name: f"the {name} view" for name in VIEW_NAMES}


def view_options(workpiece: Workpiece | None, chosen: str) -> dict[str, str]:
    """The views that an operation can name, for its sentence."""
    names = [v.name for v in workpiece.views] if workpiece else []
    return {name: CALLED.get(name, f"the {name}") for name in dict.fromkeys([*names, chosen])}


def view_named(workpiece: Workpiece, name: str) -> View:
    """Raises NothingToBuild where no view is folded, PickGone where none goes by the name."""
    if not workpiece.views:
        raise NothingToBuild("No view is folded yet; find the views first, or fold one by hand.")
    found = next((v for v in workpiece.views if v.name == name), None)
    if found is None:
        raise PickGone(f"There is no {name} view; there are {', '.join(v.name for v in workpiece.views)}.")
    return found


def view_at(workpiece: Workpiece, pick: PointPick) -> View:
    """The view that a picked point belongs to: its curve's, else the one whose box is nearest. Raises NothingToBuild
    where none is folded."""
    if not workpiece.views:
        raise NothingToBuild("No view is folded yet; find the views first, or fold one by hand.")
    own = next((v for v in workpiece.views if pick.curve in v.curves), None)
    if own is not None:
        return own
    x, y = pick.at

    def away(view: View) -> float:
        x0, y0, x1, y1 = view.box
        return float(np.hypot(max(x0 - x, 0.0, x - x1), max(y0 - y, 0.0, y - y1)))

    return min(workpiece.views, key=away)


def on_part(workpiece: Workpiece, pick: PointPick) -> tuple[View, dict[int, float]]:
    """The view of a picked point, and where the point lies along the part's axes that this view shows (0 x, 1 y, 2 z;
    mm)."""
    view = view_at(workpiece, pick)
    place = view.frame.place(point_of(workpiece.drawing.linework, pick))
    return view, {axis: float(place[axis]) for axis in axes_shown(view.frame)}


def moved(frame: Frame, step: FloatArray) -> Frame:
    """The frame moved by a step in space (3,), mm."""
    x, y, z = (np.array(frame.origin) + step).tolist()
    return replace(frame, origin=(x, y, z))


def with_view(workpiece: Workpiece, view: View, instead_of: str | None = None) -> Workpiece:
    """The workpiece with a view in the place of the one of its name, or of another name."""
    name = instead_of or view.name
    return replace(workpiece, views=tuple(view if v.name == name else v for v in workpiece.views))


def relined(workpiece: Workpiece, view: View) -> View:
    """A view lined up with the others by what it shares with them. Raises PickGone where none of its curves is left."""
    linework = workpiece.drawing.linework
    others = [shown_of(v, linework) for v in workpiece.views if v.name != view.name]
    own = shown_of(view, linework)
    if not len(own.rows):
        raise PickGone(f"None of the curves of the {view.name} view are in the drawing any more.", Place())
    guides = np.flatnonzero(workpiece.drawing.kept & workpiece.drawing.guiding)
    return replace(view, frame=in_line(linework.table, own, others, guides))


def with_planes_apart(workpiece: Workpiece) -> Workpiece:
    """The workpiece with the curves of each plane kept apart from all others: what is laid on a face is not cut by what
    it covers on the sheet."""
    apart = tuple(plane.curves for plane in workpiece.planes)
    drawing = workpiece.drawing
    if apart == drawing.apart:
        return workpiece
    known = _PARTED.get(drawing)
    if known is None or known.apart != apart:
        known = _PARTED[drawing] = replace(drawing, apart=apart)
    return replace(workpiece, drawing=known)


def followed(before: Workpiece, after: Workpiece) -> Workpiece:
    """The workpiece after a step that changed the linework, its views holding what became of their curves: pieces of
    them, and curves drawn new within their box; what is gone is dropped from them."""
    linework = after.drawing.linework
    if not (after.views or after.planes) or linework is before.drawing.linework:
        return after
    known = before.drawing.linework.row_of
    fresh = [key for key in linework.ids if key not in known]
    if not fresh and len(linework) == len(before.drawing.linework):
        return after
    pieces = {key: parent for key in fresh if (parent := identity.cut_from(key, known))}
    drawn = [key for key in fresh if key not in pieces]
    bounds = linework.table.take(np.array([linework.row_of[key] for key in drawn], np.int64)).bounds

    def now(curves: frozenset[str], box: Box) -> frozenset[str]:
        """What became of these curves, with what was drawn within their box."""
        own = {key for key in curves if key in linework.row_of}
        own |= {key for key, parent in pieces.items() if parent in curves}
        margin = 0.01 * max(box[2] - box[0], box[3] - box[1])
        starts = (bounds[:, :2] >= np.array(box[:2]) - margin).all(axis=1)
        held = starts & (bounds[:, 2:] <= np.array(box[2:]) + margin).all(axis=1)
        return frozenset(own | {drawn[n] for n in np.flatnonzero(held).tolist()})

    views = tuple(replace(v, curves=now(v.curves, v.box)) for v in after.views)
    return replace(after, views=views, planes=tuple(replace(p, curves=now(p.curves, p.box)) for p in after.planes))
