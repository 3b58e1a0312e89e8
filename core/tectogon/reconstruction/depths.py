"""What views say of a profile's depth: the stretch that another view draws at both of its sides, dashed where it is
hidden.

A hole seen in one view is as deep as the dashed lines at its width run in another; a raised part as high as the solid
ones. Where neither is drawn, a hole goes through.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

import numpy as np
import shapely

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.nearest import nearest_curves
from tectogon.curves.table import LINE, BoolArray, IntArray
from tectogon.errors import BadValue, NothingToBuild, Place
from tectogon.profiles import Region, Regions, find_regions
from tectogon.profiles.shapes import boundary, combined
from tectogon.tolerances import LEAST_SIZE, SEEN_CHORD, SEEN_LOOSE, SEEN_SLACK, SEEN_TOL
from tectogon.views import VIEW_NAMES, View
from tectogon.views.align import axes_shown
from tectogon.views.rectify import SECTION
from tectogon.workpiece.made_curves import made_ids
from tectogon.workpiece.model import Drawing, Workpiece

_MOST_OUTSIDE = 0.05
"""So much of a view's drawn length may lie outside of its outline: leaders and marks that were not left out."""
_ALONG, _UNDER = (0.0, 0.25, 0.5, 0.75, 1.0), 2e-4
"""Where along a dashed curve it is held against solid ones, and how near to them it lies, as a share of the view."""
Box = dict[int, tuple[float, float]]
"""The stretch of each axis of the part."""


@dataclass(frozen=True)
class Seen:
    """A view with its curves, its regions, those that dashed lines alone close, those that both close together, and its
    outline as regions without holes."""

    view: View
    ids: tuple[str, ...]
    table: CurveTable
    hidden: IntArray
    regions: Regions
    behind: Regions
    together: Regions
    outline: Regions
    tol: float

    @property
    def axis(self) -> int:
        """The axis of the part (0 x, 1 y, 2 z) that the view looks along."""
        return axis_of(self.view)


def axis_of(view: View) -> int:
    """The axis of the part that a view looks along."""
    return int(np.abs(np.array(view.frame.normal)).argmax())


def sides_seen(workpiece: Workpiece) -> list[Seen]:
    """The views that show the part from a side of its box, none aslant; a section, which draws what is hidden as seen,
    only along an axis that no other looks along."""
    plain = [v for v in workpiece.views if v.name in VIEW_NAMES]
    along = {axis_of(v) for v in plain}
    for view in (v for v in workpiece.views if v.name.startswith(SECTION)):
        if axis_of(view) not in along:
            plain.append(view)
            along.add(axis_of(view))
    return [seen_in(workpiece.drawing, v) for v in plain]


def seen_in(drawing: Drawing, view: View) -> Seen:
    """A view as the reconstruction sees it: its solid and dashed curves without strays, and its box on the part
    (mm)."""
    linework = drawing.linework
    rows = np.array(sorted(linework.row_of[key] for key in view.curves if key in linework.row_of), np.int64)
    hidden = linework.is_hidden[rows]
    rows = rows[~_under_solid(linework.table.take(rows), hidden)]
    hidden = linework.is_hidden[rows]
    table = linework.table.take(rows)
    solid = table.take(~hidden)
    tol = drawing.tolerance
    regions = find_regions(solid, tuple(linework.ids[r] for r in rows[~hidden].tolist()), join_tol=tol)
    behind = find_regions(
        table.take(hidden), tuple(linework.ids[r] for r in rows[hidden].tolist()), join_tol=drawing.hidden_tolerance
    )
    ids = tuple(linework.ids[r] for r in rows.tolist())
    together = find_regions(table, ids, join_tol=drawing.hidden_tolerance) if hidden.any() else regions
    outers = [outer_of(regions, r) for r in regions.regions if r.level == 0]
    outline = combined(outers[0], outers[1:], "unite", join_tol=tol) if outers else CurveTable.of([])
    whole = find_regions(outline, tuple(map(str, range(len(outline)))), join_tol=tol)
    filled = CurveTable.join([outer_of(whole, r) for r in whole.profiles if r.level == 0]) if len(whole) else outline
    solid_ids = [linework.ids[r] for r in rows[~hidden].tolist()]
    parents = [solid_ids[n] for n in nearest_curves(solid, filled).tolist()] if len(filled) else []
    named = find_regions(filled, made_ids(view.operation, parents), join_tol=tol)
    return Seen(view, ids, table, np.flatnonzero(hidden), regions, behind, together, named, tol)


def _under_solid(table: CurveTable, hidden: BoolArray) -> BoolArray:
    """Which dashed curves lie along solid ones: the solid line is what is seen, and the dashes say nothing more."""
    out = np.zeros(len(table), bool)
    dashed, solid = np.flatnonzero(hidden), table.take(~hidden)
    if not len(dashed) or not len(solid):
        return out
    size = max(table.size, LEAST_SIZE)
    points, offsets = solid.flatten(SEEN_CHORD * size)
    lines = [shapely.LineString(points[a:b]) for a, b in itertools.pairwise(offsets.tolist())]
    spots = np.stack([table.points(dashed, np.full(len(dashed), t)) for t in _ALONG], axis=1).reshape(-1, 2)
    _, away = shapely.STRtree(lines).query_nearest(shapely.points(spots), all_matches=False, return_distance=True)
    out[dashed] = (away.reshape(-1, len(_ALONG)) <= _UNDER * size).all(axis=1)
    return out


def unclosed(s: Seen) -> tuple[str, Place] | None:
    """A sentence and a place where a good part of a view's solid lines lies outside of what its outline closes; None
    where the outline holds them."""
    solid = s.table.take(np.setdiff1d(np.arange(len(s.table)), s.hidden))
    size = max(s.table.size, LEAST_SIZE)
    points, offsets = solid.flatten(size * SEEN_TOL)
    lines = shapely.union_all([shapely.LineString(points[offsets[k] : offsets[k + 1]]) for k in range(len(solid))])
    held = shapely.union_all([s.outline.ring_area(r.outer, size * SEEN_TOL) for r in s.outline.profiles])
    outside = shapely.difference(lines, shapely.buffer(held, SEEN_LOOSE * size))
    if shapely.length(outside) <= _MOST_OUTSIDE * shapely.length(lines):
        return None
    ends = s.regions.open_ends
    near = (
        ends[np.argsort(shapely.distance(shapely.points(ends), outside), kind="stable")]
        if len(ends)
        else shapely.get_coordinates(outside)
    )
    x, y = near[0].tolist()
    open_ones = (
        f": {len(ends)} ends are open, one at x {x:.2f}, y {y:.2f} mm"
        if len(ends)
        else f" near x {x:.2f}, y {y:.2f} mm"
    )
    return f"The outline of the {s.view.name} view does not close{open_ones}. Mend it in Tidy first.", Place((), (x, y))


def outer_of(regions: Regions, region: Region) -> CurveTable:
    """The outer boundary of a region alone."""
    return boundary(regions, replace(region, holes=()))


def on_part_box(view: View, box: FloatArray) -> Box:
    """The stretch of the part's axes that a box of the sheet (4,) spans in a view."""
    out: Box = {}
    x, y = view.frame.place(box.reshape(2, 2)[:, :2])[:, :]
    for axis in axes_shown(view.frame):
        out[axis] = (float(min(x[axis], y[axis])), float(max(x[axis], y[axis])))
    return out


def part_box(seen: list[Seen]) -> Box:
    """The box of the part (2, 3), mm, from the extents of all views. Raises NothingToBuild where no view shows one of
    the axes."""
    box: Box = {}
    for s in seen:
        for axis, (low, high) in on_part_box(s.view, np.array(s.outline.pieces.extents)).items():
            a, b = box.get(axis, (low, high))
            box[axis] = (min(a, low), max(b, high))
    if len(box) < 3:
        raise NothingToBuild("The views show two directions of the part only; a view from another side is wanted.")
    return box


def depth_of(view: View, box: Box) -> tuple[float, float]:
    """Heights along a view's normal that the part spans, a little more at both ends."""
    axis = axis_of(view)
    low, high = heights_of(view, axis, *box[axis])
    slack = SEEN_SLACK * max(high - low, 1.0)
    return low - slack, high + slack


def depths_seen(workpiece: Workpiece, regions: list[Region], *, over: bool) -> list[tuple[float, float]]:
    """From which to which height (mm along its view's normal) each region reaches as another view shows it; the whole
    part where none does.

    `over`: a cut, which runs a little over faces of the part that it ends on. Raises BadValue for a region of no view,
    or with no other view.
    """
    out = []
    for region in regions:
        mine, seen, box = seen_with(workpiece, region)
        if over:
            out.append(_cut_span(mine, region, seen, box))
            continue
        found = _stretch(mine, region, seen, box)
        out.append(heights_of(mine.view, mine.axis, *(found[1:] if found else box[mine.axis])))
    return out


def part_stretch(workpiece: Workpiece, region: Region) -> tuple[float, float]:
    """From which to which height over a region's plane the whole part reaches, as the other views show it (mm). Raises
    BadValue."""
    mine, _, box = seen_with(workpiece, region)
    return heights_of(mine.view, mine.axis, *box[mine.axis])


def seen_with(workpiece: Workpiece, region: Region) -> tuple[Seen, list[Seen], Box]:
    """The view that a region lies in, all views, and the box of the part. Raises BadValue for a region of no view, or
    with no other view."""
    if len(workpiece.views) < 2:
        raise BadValue("No other view is folded that could show a depth; find the views first, or type a length.")
    seen = sides_seen(workpiece)
    view = workpiece.view_of(region)
    mine = next((s for s in seen if s.view is view), None)
    if mine is None:
        raise BadValue(
            f"The profile at {region.inside[0]:.4g} / {region.inside[1]:.4g} mm lies in no view, so no other view shows"
            " its depth; type a length."
        )
    return mine, seen, part_box(seen)


def heights_of(view: View, axis: int, first: float, last: float) -> tuple[float, float]:
    """Two coordinates of the part's axis that a view looks along, as heights along its normal."""
    base, way = view.frame.origin[axis], view.frame.normal[axis]
    a, b = (first - base) * way, (last - base) * way
    return min(a, b), max(a, b)


def _stretch(s: Seen, region: Region, seen: list[Seen], box: Box) -> tuple[bool, float, float] | None:
    """The stretch of the axis a view looks along over which another view draws a region's two sides: whether dashed,
    from, to."""
    axis = s.axis
    spans = on_part_box(s.view, np.array(region.bounds))
    for other in seen:
        shown = axes_shown(other.view.frame)
        shared = [a for a in spans if a in shown]
        if other is s or axis not in shown or not shared:
            continue
        low, high = box[axis]
        for hidden in (True, False):
            found = _both_sides(other, spans[shared[0]], shared[0], axis, hidden)
            if found and (hidden or not (_same(found[0], low, low, high) and _same(found[1], high, low, high))):
                return hidden, *found
    return None


def _same(a: float, b: float, low: float, high: float) -> bool:
    return abs(a - b) < SEEN_TOL * (high - low)


def _cut_span(s: Seen, region: Region, seen: list[Seen], box: Box) -> tuple[float, float]:
    """From which height to which a region is to be cut: a hole as deep as it is drawn dashed; beside a step, as high as
    that is drawn."""
    found = _stretch(s, region, seen, box)
    low, high = box[s.axis]
    if found is None or (_same(found[1], low, low, high) and _same(found[2], high, low, high)):
        return depth_of(s.view, box)
    hidden, first, last = found
    a, b = heights_of(s.view, s.axis, first, last)
    if not hidden:
        return a, b + SEEN_SLACK * (high - low)
    before, after = _over(first, last, low, high, s.view.frame.normal[s.axis])
    if _is_open(s, region):  # also where its sides end in a round of the part, short of the crown
        return a - before, max(heights_of(s.view, s.axis, low, high)) + SEEN_SLACK * max(high - low, 1.0)
    return a - before, b + after


def _is_open(s: Seen, region: Region) -> bool:
    """Whether what a region bounds is seen: it is drawn solid, so that nothing stands between it and the viewer."""
    near = SEEN_TOL * max(s.table.size, LEAST_SIZE)
    return any(
        abs(r.area - region.area) <= SEEN_TOL * region.area
        and bool((np.abs(np.array(r.bounds) - np.array(region.bounds)) <= near).all())
        for r in s.regions.regions
    )


def _over(first: float, last: float, low: float, high: float, way: float) -> tuple[float, float]:
    """How far a cut runs over the part's own faces where it ends on them."""
    slack = SEEN_SLACK * max(high - low, 1.0)
    at_low, at_high = abs(first - low) < SEEN_TOL * (high - low), abs(last - high) < SEEN_TOL * (high - low)
    ends = (slack if at_low else 0.0, slack if at_high else 0.0)
    return ends if way > 0 else (ends[1], ends[0])


def _both_sides(
    s: Seen, span: tuple[float, float], across: int, along: int, hidden: bool
) -> tuple[float, float] | None:
    """The stretch of the axis `along` over which a view draws lines at both ends of `span` of the axis `across`; None
    where it draws none."""
    rows = s.table.rows_of(LINE)
    rows = rows[np.isin(rows, s.hidden) == hidden]
    d = s.table.data[rows]
    ends = s.view.frame.place(d[:, :4].reshape(-1, 2, 2))
    tol = max(SEEN_LOOSE * max(abs(span[1] - span[0]), 1.0), 2.0 * s.tol)
    level = np.abs(ends[:, 0, across] - ends[:, 1, across]) <= tol
    found = []
    for at in span:
        mine = ends[level & (np.abs(ends[:, 0, across] - at) <= tol)]
        if not len(mine):
            return None
        found.append((float(mine[:, :, along].min()), float(mine[:, :, along].max())))
    (a, b), (c, e) = found
    near = SEEN_SLACK * max(b - a, LEAST_SIZE)
    return (max(a, c), min(b, e)) if abs(a - c) <= near and abs(b - e) <= near else None
