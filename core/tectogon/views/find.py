"""The views on a sheet: groups of linework that belong together, and which is which.

Glossary
    third angle: the view from above is drawn above the front view, the view from the right at its right.
    first angle: the view from above is drawn below the front view, the view from the left at its right.
    side: which of the six faces of a box round the part a view shows; a section shows a side too, under a name of its
    own.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import LINE, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE
from tectogon.views.align import Agreement, Shown, agreements_of, in_line, shown_found
from tectogon.views.frame import frame_of
from tectogon.views.groups import find_groups, view_groups
from tectogon.views.readings import GroupsOnSheet, Named
from tectogon.views.rectify import STRANGER, lined_up, on_origin, others, righting, section_called, titles, turned_sides
from tectogon.views.view import Box, FoundView

_REACH = 2e-3
_SMALL = 0.02
_ARROW = 0.08
"""Three lines that are no larger than this share of the largest view are the head of an arrow, or a tick."""
_CLEARLY = 0.6
"""A reading with one more view scores better by about one."""
_ORDER = ("front", "top", "right", "left", "bottom", "rear")


@dataclass(frozen=True)
class FoundViews:
    """projection: first, third or unknown; why: in words; told: by more than where the views stand.  left_out: rows
    that are no view, with the reason.

    advice: sentences on what does not fit, and what to do about it.
    """

    projection: str
    why: str
    views: tuple[FoundView, ...]
    left_out: tuple[tuple[str, IntArray], ...]
    agreements: tuple[Agreement, ...]
    advice: tuple[str, ...] = ()
    told: bool = True

    def drawn(self, linework: Linework) -> float:
        """The length of all that is drawn in the views (mm)."""
        return float(sum(linework.table.lengths[v.rows].sum() for v in self.views))

    @property
    def righted(self) -> tuple[FoundView, ...]:
        """Views that are to be turned or scaled before they fit the others."""
        return tuple(v for v in self.views if v.turn != 0.0 or v.scale != 1.0)


def find_views(
    linework: Linework,
    rows: IntArray,
    *,
    projection: str | None = None,
    guides: IntArray | None = None,
    closing: BoolArray | None = None,
) -> FoundViews:
    """The views among `rows`, named, with origins so that shared axes agree; `projection` overrules what the sheet
    shows. `guides`: rows of guide lines, which bind the views that they run through. `closing`: which of `rows` bound a
    closed region; where it is not known, whatever touches is one group.

    Views that lie turned on the sheet, or are drawn in another scale, are found by what they share with the others once
    they are righted; their origin is that of the righted view (turned and scaled about the middle of its box, see
    `righting`).
    """
    table = linework.table.take(rows)
    hidden = linework.is_hidden[rows]
    groups, small = _groups(table, hidden, closing)
    if not groups:
        return FoundViews(
            "unknown",
            "there is no group of lines that could be a view",
            (),
            (("loose lines", rows),) if len(rows) else (),
            (),
        )
    boxes = [_box(table, g) for g in groups]
    titled = titles(linework, boxes)
    plain, sheet, read = _read(linework, table, hidden, groups, boxes, titled, projection)
    projection, why = read.projection, read.why
    names = ["none"] * len(groups)
    for n, name in zip(plain, read.names, strict=True):
        names[n] = name
    scales = dict(zip(plain, sheet.scales, strict=True))
    views = [
        FoundView(name, name, rows[g], box, (box[0], box[1]), scale=scales[n])
        for n, (name, g, box) in enumerate(zip(names, groups, boxes, strict=True))
        if name != "none"
    ]
    lined = _aligned(linework.table, [v for v in views if v.scale == 1.0], guides)
    lined += [lined_up(linework.table, v, lined) for v in views if v.scale != 1.0]
    loose = [
        (rows[g], box, title)
        for name, g, box, title in zip(names, groups, boxes, titled, strict=True)
        if name == "none"
    ]
    lined = turned_sides(linework.table, lined)
    called = {box: section_called(title) for box, title in zip(boxes, titled, strict=True)}
    lined = [replace(v, name=called[v.box] or v.name) for v in lined]
    lined, left = others(linework, lined, loose, third=projection != "first")
    if len(small):
        left.append(("lines that belong to no view: too small, or drawn beside and between them", rows[small]))
    agreements = agreements_of(_righted(linework, lined), [shown_found(v) for v in lined])
    advice = _advice(lined, left, agreements)
    ordered = tuple(sorted(lined, key=_rank))
    return FoundViews(projection, why, ordered, tuple(left), tuple(agreements), tuple(advice), read.told)


def _read(
    linework: Linework,
    table: CurveTable,
    hidden: BoolArray,
    groups: list[IntArray],
    boxes: list[Box],
    titled: list[str],
    projection: str | None,
) -> tuple[list[int], GroupsOnSheet, Named]:
    """The groups that are views by where they stand, and how they are read. A section stands in the place of the view
    that it cuts where that one is missing: it is among them where the sheet is read clearly better so."""
    plain = [n for n, title in enumerate(titled) if not title]
    cut = [n for n, title in enumerate(titled) if section_called(title)]
    tries = [plain, sorted({*plain, *cut})] if cut else [plain]
    found: list[tuple[list[int], GroupsOnSheet, Named]] = []
    for some in tries if any(tries) else [list(range(len(groups)))]:
        if some:
            sections = {k for k, n in enumerate(some) if n in cut}
            own = [groups[n] for n in some], [boxes[n] for n in some]
            sheet = GroupsOnSheet(linework, table, hidden, *own, sections=sections)
            found.append((some, sheet, sheet.named(projection, chosen=projection is not None)))
    best = found[0]
    if len(found) > 1 and (len(plain) < 2 or found[1][2].score > best[2].score + _CLEARLY):
        best = found[1]
    return best


def _righted(linework: Linework, views: list[FoundView]) -> CurveTable:
    """The curves with the views that lie turned, or are drawn in another scale, as they are once they are righted."""
    for view in views:
        if view.turn != 0.0 or view.scale != 1.0:
            mine = np.zeros(len(linework), bool)
            mine[view.rows] = True
            linework = linework.transformed(righting(view), mine)
    return linework.table


def _rank(view: FoundView) -> tuple[int, str]:
    return (_ORDER.index(view.name) if view.name in _ORDER else len(_ORDER), view.name)


def sheet_groups(table: CurveTable) -> IntArray:
    """The group of linework that each curve of a sheet belongs to (n,), the largest first: what touches, or lies in
    another's box."""
    size = max(table.size, LEAST_SIZE)
    return find_groups(table, reach=size * _REACH)


def _groups(table: CurveTable, hidden: BoolArray, closing: BoolArray | None) -> tuple[list[IntArray], IntArray]:
    """Groups that could be views, and the rows of what is too small to be one, or hangs between views."""
    if not len(table):
        return [], np.zeros(0, np.int64)
    reach = max(table.size, LEAST_SIZE) * _REACH
    label = sheet_groups(table) if closing is None else view_groups(table, hidden, closing, reach=reach)
    found = [np.flatnonzero(label == k) for k in range(int(label.max()) + 1)]
    stray = [np.flatnonzero(label < 0)]
    spans = [max(b[2] - b[0], b[3] - b[1]) for b in (_box(table, g) for g in found)]
    widest = max(spans)
    views = [
        g
        for g, s in zip(found, spans, strict=True)
        if s >= _SMALL * widest
        and (len(g) > 1 or table.closed[g[0]])
        and not (len(g) <= 3 and s < _ARROW * widest and (table.kind[g] == LINE).all())
    ]
    rest = [g for g in found if not any(g is v for v in views)] + stray
    return views, np.sort(np.concatenate(rest))


def _box(table: CurveTable, rows: IntArray) -> Box:
    x0, y0, x1, y1 = table.take(rows).extents.tolist()
    return (x0, y0, x1, y1)


def _advice(views: list[FoundView], left: list[tuple[str, IntArray]], agreements: list[Agreement]) -> list[str]:
    """What does not fit, each as a sentence that says what to do."""
    out = []
    for v in views:
        if v.scale != 1.0:
            drawn = f"{1 / v.scale:g} : 1" if v.scale < 1.0 else f"1 : {v.scale:g}"
            out.append(
                f"The {v.name} view is drawn {drawn} against the others; it fits them once it is brought to their"
                " scale."
            )
    if len(views) == 1:
        out.append(
            "Only one view stands on this sheet. A second one that touches or overlaps it has to be moved aside first:"
            " pick it by a hand-drawn line, then Move. Else extrude its profiles by a length."
        )
    out += [a.misfit for a in agreements if a.misfit]
    for reason, _ in left:
        if reason.endswith("drawn once more"):
            out.append(f"A group is {reason}; it was set apart.")
    strangers = sum(reason == STRANGER for reason, _ in left)
    if strangers >= 2:
        out.append(
            f"{strangers} groups stand in line with none of these views. If they are another part, leave out one of the"
            " two; if they are views of this one, fold them by hand."
        )
    return out


# alignment ---------------------------------------------------------------------------


def _aligned(table: CurveTable, views: list[FoundView], guides: IntArray | None) -> list[FoundView]:
    """Views with origins so that what they share agrees: the front view's lower left corner is the origin, the others
    follow."""
    placed: list[FoundView] = []
    for view in sorted(views, key=lambda v: (v.name != "front", v.name not in ("top", "bottom"), v.name)):
        if any(p.name == view.name for p in placed):
            continue
        frame = in_line(
            table, Shown(view.name, view.rows, frame_of(view.side)), [shown_found(p) for p in placed], guides
        )
        placed.append(replace(view, origin=on_origin(frame)))
    return placed
