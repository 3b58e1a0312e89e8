"""Find the views on the sheet, name them, fold each into its plane, and line them up by what they share: all in one
step."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.curves.table import BoolArray, IntArray
from tectogon.errors import Change, Note, NothingToBuild, OverLimit
from tectogon.profiles import find_regions
from tectogon.tolerances import LEAST_SIZE
from tectogon.units import show_small
from tectogon.views import View
from tectogon.views.find import FoundViews, find_views
from tectogon.views.projection import stated_angle
from tectogon.views.rectify import SECTION, righting
from tectogon.views.view import FoundView
from tectogon.workpiece.model import Drawing, Workpiece
from tectogon.workpiece.operation import LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, choice_token, words

PROJECTIONS = {"auto": "as the sheet shows", "third": "in third angle", "first": "in first angle"}
SCALES = {
    "as_drawn": "those in another scale left flat",
    "to_the_others": "those in another scale brought to the others'",
}


_SCALE = "to their scale"
_MOST_CLOSING = 60_000
_MOST_BUILT, _SECONDS_EACH = 150, 4.0
"""Views of more curves are not built in both angles, and each is given about so long."""
_CLEARLY_MORE = 0.01
"""An angle must explain more by this share of all that is drawn."""
_GAP = 2e-4
"""Gaps up to this share of the sheet do not keep a view from being one."""


class ArrangeParams(Params):
    """`scales`: what becomes of views that are drawn in another scale than the front view."""

    projection: Literal["auto", "third", "first"] = "auto"
    scales: Literal["as_drawn", "to_the_others"] = "as_drawn"


def geometry_of(drawing: Drawing) -> IntArray:
    """Rows of the curves that are kept and no guides, without what is proposed to be left out."""
    keep = drawing.kept & ~drawing.guiding
    for _, rows in drawing.asides:
        keep[rows] = False
    return np.flatnonzero(keep)


def found_in(drawing: Drawing, projection: str = "auto") -> FoundViews:
    """The views in the geometry of a drawing. Where only their places tell the angle of projection, it is the one in
    which a part explains more of what is drawn."""
    found = _found(drawing, projection)
    if projection != "auto" or len(found.views) < 2 or max(len(v.rows) for v in found.views) > _MOST_BUILT:
        return found
    if found.told and (
        len(found.views) > 2 or stated_angle(drawing.linework) is not None or _shows_a_section(drawing, found)
    ):
        return found
    return _by_building(drawing, found)


def _shows_a_section(drawing: Drawing, found: FoundViews) -> bool:
    """Whether a view is a section, or may be one: that is not built in passing."""
    titled = any(v.name.startswith(SECTION) for v in found.views)
    return titled or bool(drawing.linework.hatched) or any(a.kind == "hatching" for a in drawing.proposals)


def _by_building(drawing: Drawing, found: FoundViews) -> FoundViews:
    """The views in the angle that leaves clearly less of them unexplained; as they were found where neither does,
    saying so where both explain all."""
    from tectogon.reconstruction.part_from_views import unexplained  # the kernel takes 2 s to load

    tried: list[tuple[float, int, str, FoundViews]] = []
    for angle in ("third", "first"):
        other = _found(drawing, angle)
        turned, views = arranged(drawing, other, 0, scale=True)
        try:
            tried.append((*unexplained(Workpiece(drawing=turned, views=views), seconds=_SECONDS_EACH), angle, other))
        except (NothingToBuild, OverLimit):
            return found
    (least, pieces, angle, best), (most, others, _, _) = sorted(tried, key=lambda one: one[:2])
    little = _CLEARLY_MORE * best.drawn(drawing.linework)
    clearly = most - least > max(little, least)
    if found.told:  # what is drawn solid or dashed weighs more than that another part exists; but it is said
        if clearly and angle != found.projection:
            return replace(found, why=f"{found.why}; a part in {angle} angle explains more of it")
    elif clearly:
        why = f"a part in {angle} angle leaves {least:.1f} mm of the drawing unexplained, in the other {most:.1f} mm"
        return replace(best, why=why)
    elif pieces < others and most == least:
        return replace(best, why=f"a part in {angle} angle is of one piece, in the other it falls apart")
    if most <= little:
        return replace(found, why=f"{found.why}; in the other angle another part explains all of it as well")
    return found


def _found(drawing: Drawing, projection: str) -> FoundViews:
    guides = np.flatnonzero(drawing.kept & drawing.guiding)
    rows = geometry_of(drawing)
    return find_views(
        drawing.linework,
        rows,
        projection=None if projection == "auto" else projection,
        guides=guides,
        closing=_closing(drawing, rows),
    )


def _closing(drawing: Drawing, rows: IntArray) -> BoolArray | None:
    """Which of some rows bound a closed region, small gaps let pass; None where there are too many to look."""
    if len(rows) > _MOST_CLOSING:
        return None
    solid = np.flatnonzero(~drawing.linework.is_hidden[rows])
    table = drawing.linework.table.take(rows[solid])
    found = find_regions(
        table, tuple(map(str, range(len(table)))), join_tol=max(drawing.tolerance, _GAP * max(table.size, LEAST_SIZE))
    )
    out = np.zeros(len(rows), bool)
    for region in found.regions:
        for ring in (region.outer, *region.holes):
            out[solid[found.piece_source[ring.rows]]] = True
    return out


def arranged(drawing: Drawing, found: FoundViews, number: int, *, scale: bool) -> tuple[Drawing, tuple[View, ...]]:
    """Found views as views folded by step `number`; those that lie turned are turned on the sheet, those in another
    scale scaled or left flat."""
    linework, views = drawing.linework, []
    for found_view in found.views:
        if found_view.scale != 1.0 and not scale:
            continue
        box = found_view.box
        if found_view in found.righted:
            mine = np.zeros(len(linework), bool)
            mine[found_view.rows] = True
            linework = linework.transformed(righting(found_view), mine)
            x0, y0, x1, y1 = linework.table.take(found_view.rows).extents.tolist()
            box = (x0, y0, x1, y1)
        views.append(
            View(
                found_view.name,
                frozenset(linework.ids[r] for r in found_view.rows.tolist()),
                found_view.frame,
                box,
                number,
            )
        )
    return (drawing if linework is drawing.linework else replace(drawing, linework=linework)), tuple(views)


def apply(workpiece: Workpiece, params: ArrangeParams, context: Context) -> Workpiece:
    """Find the views of the sheet, name them, fold them and line them up by what they share (mm on the part).

    Raises NothingToBuild where no group of lines could be a view.
    """
    found = found_in(workpiece.drawing, params.projection)
    if not found.views:
        raise NothingToBuild(
            "No view is found on this sheet: there is no group of lines that could be one. If it holds texts alone, ask"
            " for the drawing with its lines."
        )
    drawing, views = arranged(workpiece.drawing, found, context.number, scale=params.scales == "to_the_others")
    worst = max((a.worst for a in found.agreements), default=0.0)
    text = (
        f"{len(views)} {'view' if len(views) == 1 else 'views'}, {found.projection} angle: {found.why}. What they share"
        f" agrees within {show_small(worst)} mm."
    )
    text += "".join(f" The {v.name} view lay turned by {_clockwise(v)}." for v in found.views if v.turn)
    misfits = {a.misfit for a in found.agreements}  # told of the views as they are now, wherever they are shown
    advice = [
        Note("views_scale", a, change=Change(context.number, "Bring it to their scale", {"scales": "to_the_others"}))
        if _SCALE in a
        else Note("views_advice", a)
        for a in found.advice
        if a not in misfits and (params.scales == "as_drawn" or _SCALE not in a)
    ]
    other = "first" if found.projection == "third" else "third"
    angle = Change(context.number, f"It is {other} angle", {"projection": other})
    return replace(workpiece, drawing=drawing, views=views).with_notes(Note("views", text, change=angle), *advice)


def _clockwise(view: FoundView) -> str:
    turned = -view.turn
    return f"{abs(turned):g}°" + ("" if abs(turned) == 180 else " counter-clockwise" if turned > 0 else " clockwise")


def sentence(params: ArrangeParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Find the views and fold them up, "), choice_token("projection", params.projection, PROJECTIONS)]
    if params.scales != "as_drawn":
        out += [words(", "), choice_token("scales", params.scales, SCALES)]
    return [*out, words(f": {', '.join(v.name for v in workpiece.views)}")] if workpiece and workpiece.views else out


OPERATION = Operation(
    "arrange",
    "arrange",
    "Find the views",
    "Name them, fold them up, line them up by what they share",
    ArrangeParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=LINEWORK | PLACEMENTS,
)
