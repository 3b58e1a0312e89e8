"""A part out of its views: outlines of all views extruded through each other and what is common kept, then holes and steps by the depths read.

A hole seen in one view is as deep as the dashed lines at its width run in another; a raised part as high as the solid ones. Where neither
is drawn, a hole goes through.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, IntArray
from tectogon.errors import BadValue, KernelRefused, NothingToBuild, Place
from tectogon.operations.workpiece import Drawing, Workpiece
from tectogon.profiles import Region, Regions, find_regions
from tectogon.profiles.shapes import boundary, combined
from tectogon.solids import proof
from tectogon.solids.body import Body, Named
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.solids.project import project
from tectogon.views import VIEW_NAMES, View
from tectogon.views.align import axes_shown
from tectogon.views.find import SECTION


@dataclass(frozen=True)
class _Seen:
    """A view with its curves, its regions, and its outline as regions without holes."""

    view: View
    table: CurveTable
    hidden: IntArray
    regions: Regions
    outline: Regions
    tol: float


def build_from_views(workpiece: Workpiece, number: int) -> tuple[Body, ...]:
    """Bodies from the folded views of a workpiece. Raises NothingToBuild where there are fewer than two, or where they share nothing."""
    seen = _sides(workpiece)
    if len(seen) < 2:
        raise NothingToBuild("Two views or more are wanted to build a part from; fold another one, or extrude a profile by a length.")
    box = _part_box(seen)
    solid: Named | None = None
    for s in seen:
        low, high = _depth(s.view, box)
        tools = [prism(s.outline, r, s.view.frame, low, high, number) for r in s.outline.profiles]
        if not tools:
            raise NothingToBuild(f"The outline of the {s.view.name} view does not close; mend it first.")
        tool = tools[0] if len(tools) == 1 else combine("join", [tools[0]], tools[1:])
        solid = tool if solid is None else combine("common", [solid], [tool])
    assert solid is not None
    if not solid.solids():
        raise NothingToBuild("The views have nothing in common; check which is which, and how they are lined up.")
    holes: list[Named] = []
    steps: list[tuple[_Seen, Region, float, float]] = []
    witnesses: list[proof.Witness] = []
    for s in seen:
        for region in s.regions.regions:
            if region.level != 1:
                continue
            kind, low, high = _read_depth(s, region, seen, box)
            if kind == "hole":
                holes.append(prism(s.regions, region, s.view.frame, low, high, number))
                x, y, z = s.view.frame.place(np.array(region.inside), (low + high) / 2.0).tolist()
                witnesses.append(proof.Witness((x, y, z), True, (region.id,)))
            elif kind == "step":
                steps.append((s, region, low, high))
    for s, region, low, high in steps:
        around = combined(CurveTable.join([boundary(s.outline, r) for r in s.outline.profiles]), [_outer(s.regions, region)], "subtract", join_tol=s.tol)
        rest = find_regions(around, tuple(f"{s.view.name}{n}" for n in range(len(around))), join_tol=s.tol)
        holes += [prism(rest, r, s.view.frame, low, high, number) for r in rest.profiles]
    cut = combine("cut", [solid], holes) if holes else solid
    parts = cut.solids()
    if not parts:
        raise NothingToBuild("Nothing would be left: the holes that the views show take the whole part away. Check which view is which.")
    _prove(solid, cut, holes, witnesses)
    first = len(workpiece.bodies) + 1
    return tuple(Body.of(f"{number}" if len(parts) == 1 else f"{number}.{n + 1}", f"Body {first + n}", p) for n, p in enumerate(parts))


def _prove(solid: Named, cut: Named, holes: list[Named], witnesses: list[proof.Witness]) -> None:
    """Sound, no smaller than the outlines less every hole, no larger than the outlines, and empty in the middle of each hole. Raises KernelRefused."""
    proof.check_valid(cut, Place())
    least, most = solid.volume - sum(h.volume for h in holes), solid.volume
    slack = 1e-7 * most
    if not least - slack <= cut.volume <= most + slack:
        raise KernelRefused(f"The part would have {cut.volume:.3f} mm³, outside of what its views allow ({least:.3f} to {most:.3f} mm³); it was not kept.")
    proof.check_witnesses(None, cut.shape, witnesses, lambda before, tool: not tool)


def _sides(workpiece: Workpiece) -> list[_Seen]:
    """The views that show the part from a side of its box: no sections, which draw what is hidden as seen, and none aslant."""
    return [_seen(workpiece.drawing, v) for v in workpiece.views if v.name in VIEW_NAMES]


def _seen(drawing: Drawing, view: View) -> _Seen:
    linework = drawing.linework
    rows = np.array(sorted(linework.row_of[key] for key in view.curves if key in linework.row_of), np.int64)
    hidden = linework.is_hidden[rows]
    table = linework.table.take(rows)
    solid = table.take(~hidden)
    tol = drawing.tolerance
    regions = find_regions(solid, tuple(linework.ids[r] for r in rows[~hidden].tolist()), join_tol=tol)
    outers = [_outer(regions, r) for r in regions.regions if r.level == 0]
    outline = combined(outers[0], outers[1:], "unite", join_tol=tol) if outers else CurveTable.of([])
    whole = find_regions(outline, tuple(f"{view.name}~{n}" for n in range(len(outline))), join_tol=tol)
    filled = CurveTable.join([_outer(whole, r) for r in whole.profiles if r.level == 0]) if len(whole) else outline
    named = find_regions(filled, tuple(f"{view.name} outline {n + 1}" for n in range(len(filled))), join_tol=tol)
    return _Seen(view, table, np.flatnonzero(hidden), regions, named, tol)


def _outer(regions: Regions, region: Region) -> CurveTable:
    """The outer boundary of a region alone."""
    return boundary(regions, replace(region, holes=()))


def _on_part(view: View, box: FloatArray) -> dict[int, tuple[float, float]]:
    """The stretch of the part's axes that a box of the sheet (4,) spans in a view."""
    out = {}
    x, y = view.frame.place(box.reshape(2, 2)[:, :2])[:, :]
    for axis in axes_shown(view.frame):
        out[axis] = (float(min(x[axis], y[axis])), float(max(x[axis], y[axis])))
    return out


def _part_box(seen: list[_Seen]) -> dict[int, tuple[float, float]]:
    box: dict[int, tuple[float, float]] = {}
    for s in seen:
        for axis, (low, high) in _on_part(s.view, np.array(s.outline.pieces.extents)).items():
            a, b = box.get(axis, (low, high))
            box[axis] = (min(a, low), max(b, high))
    if len(box) < 3:
        raise NothingToBuild("The views show two directions of the part only; a view from another side is wanted.")
    return box


def _depth(view: View, box: dict[int, tuple[float, float]]) -> tuple[float, float]:
    """Heights along a view's normal that the part spans, a little more at both ends."""
    axis = _axis(view)
    low, high = _heights(view, axis, *box[axis])
    slack = 0.01 * max(high - low, 1.0)
    return low - slack, high + slack


def depths_seen(workpiece: Workpiece, regions: list[Region], *, over: bool) -> list[tuple[float, float]]:
    """From which to which height (mm along its view's normal) each region reaches as another view shows it; the whole part where none does.

    `over`: a cut, which runs a little over faces of the part that it ends on. Raises BadValue for a region of no view, or with no other view.
    """
    if len(workpiece.views) < 2:
        raise BadValue("No other view is folded that could show a depth; find the views first, or type a length.")
    seen = _sides(workpiece)
    box, out = _part_box(seen), []
    for region in regions:
        view = workpiece.view_of(region)
        mine = next((s for s in seen if s.view is view), None)
        if mine is None:
            raise BadValue(f"The profile at {region.inside[0]:.4g} / {region.inside[1]:.4g} mm lies in no view, so no other view shows its depth; type a length.")
        if over:
            out.append(_read_depth(mine, region, seen, box)[1:])
            continue
        found = _stretch(mine, region, seen, box)
        axis = _axis(mine.view)
        low, high = _heights(mine.view, axis, *(found[1:] if found else box[axis]))
        out.append((low, high))
    return out


def _axis(view: View) -> int:
    return int(np.abs(np.array(view.frame.normal)).argmax())


def _heights(view: View, axis: int, first: float, last: float) -> tuple[float, float]:
    """Two coordinates of the part's axis that a view looks along, as heights along its normal."""
    base, way = view.frame.origin[axis], view.frame.normal[axis]
    a, b = (first - base) * way, (last - base) * way
    return min(a, b), max(a, b)


def _stretch(s: _Seen, region: Region, seen: list[_Seen], box: dict[int, tuple[float, float]]) -> tuple[bool, float, float] | None:
    """The stretch of the axis a view looks along over which another view draws a region's two sides: whether dashed, from, to."""
    axis = _axis(s.view)
    spans = _on_part(s.view, np.array(region.bounds))
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
    return abs(a - b) < 1e-3 * (high - low)


def _read_depth(s: _Seen, region: Region, seen: list[_Seen], box: dict[int, tuple[float, float]]) -> tuple[str, float, float]:
    """What a region inside a view is, and from which height to which: a hole, or a step (raised there alone)."""
    found = _stretch(s, region, seen, box)
    axis = _axis(s.view)
    low, high = box[axis]
    if found is None or (_same(found[1], low, low, high) and _same(found[2], high, low, high)):
        return ("hole", *_depth(s.view, box))
    hidden, first, last = found
    a, b = _heights(s.view, axis, first, last)
    if not hidden:
        return "step", a, b + 0.01 * (high - low)
    before, after = _over(first, last, low, high, s.view.frame.normal[axis])
    return "hole", a - before, b + after


def _over(first: float, last: float, low: float, high: float, way: float) -> tuple[float, float]:
    """How far a cut runs over the part's own faces where it ends on them."""
    slack = 0.01 * max(high - low, 1.0)
    at_low, at_high = abs(first - low) < 1e-3 * (high - low), abs(last - high) < 1e-3 * (high - low)
    ends = (slack if at_low else 0.0, slack if at_high else 0.0)
    return ends if way > 0 else (ends[1], ends[0])


def _both_sides(s: _Seen, span: tuple[float, float], across: int, along: int, hidden: bool) -> tuple[float, float] | None:
    """The stretch of the axis `along` over which a view draws lines at both ends of `span` of the axis `across`; None where it draws none."""
    rows = s.table.rows_of(LINE)
    rows = rows[np.isin(rows, s.hidden) == hidden]
    d = s.table.data[rows]
    ends = s.view.frame.place(d[:, :4].reshape(-1, 2, 2))
    tol = max(2e-3 * max(abs(span[1] - span[0]), 1.0), 2.0 * s.tol)
    level = np.abs(ends[:, 0, across] - ends[:, 1, across]) <= tol
    found = []
    for at in span:
        mine = ends[level & (np.abs(ends[:, 0, across] - at) <= tol)]
        if not len(mine):
            return None
        found.append((float(mine[:, :, along].min()), float(mine[:, :, along].max())))
    (a, b), (c, e) = found
    near = 1e-2 * max(b - a, 1e-9)
    return (max(a, c), min(b, e)) if abs(a - c) <= near and abs(b - e) <= near else None


@dataclass(frozen=True)
class StraightOn:
    """A view against the bodies seen straight on: how much of its drawn length lies on an edge, visible or hidden, in per cent; the drawn
    lines that lie on none; and the visible edges that the drawing lacks. Polylines (n, 2) on the sheet, mm."""

    name: str
    percent: float
    unexplained: list[FloatArray]
    lacking: list[FloatArray]


def straight_on(workpiece: Workpiece) -> list[StraightOn]:
    """Every folded view against the bodies; within a thousandth of the view's size."""
    return [_straight_on(_seen(workpiece.drawing, view), workpiece.bodies) for view in workpiece.views if view.curves and not view.name.startswith(SECTION)]


def _straight_on(s: _Seen, bodies: tuple[Body, ...]) -> StraightOn:
    size = float(max(*(s.table.extents[2:] - s.table.extents[:2]), 1e-9))
    seen = project([b.shape for b in bodies], s.view.frame, chord_tol=size * 1e-4)
    points, offsets = s.table.flatten(size * 1e-4)
    drawn = [shapely.LineString(points[offsets[k] : offsets[k + 1]]) for k in range(len(s.table))]
    near = shapely.buffer(_lines((*seen.visible, *seen.smooth, *seen.hidden)), size * 1e-3)
    shapely.prepare(near)
    off = [line for line in drawn if not shapely.covers(near, line)]
    rest = shapely.difference(np.array(off, object), near) if off else np.zeros(0, object)
    whole = float(shapely.length(np.array(drawn, object)).sum())
    missing = shapely.difference(_lines(tuple(seen.visible)), shapely.buffer(shapely.union_all(drawn), size * 1e-3))
    percent = 100.0 * (1.0 - float(shapely.length(rest).sum()) / max(whole, 1e-12))
    return StraightOn(s.view.name, percent, _polylines(rest, 2e-3 * size), _polylines(np.array([missing], object), 2e-3 * size))


def _lines(found: tuple[FloatArray, ...]) -> shapely.Geometry:
    return shapely.union_all([shapely.LineString(line) for line in found])


def _polylines(found: Any, least: float) -> list[FloatArray]:
    """The lines among geometries, without crumbs shorter than `least`."""
    parts = shapely.get_parts(shapely.line_merge(shapely.get_parts(found)))
    return [shapely.get_coordinates(line) for line in parts if line.geom_type == "LineString" and line.length >= least]
