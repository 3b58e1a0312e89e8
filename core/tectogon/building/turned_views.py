"""A turned part out of a lengthwise view and an end view: its profile turned about the centre line, then what breaks
the turned shape, cut as the views show it.

The profile is the hatched half where one is drawn, else the half of the outline, with the strips put back that holes
along the axis take out of a section: those are cut afterwards, where the end view has them.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from tectogon.building.cuts import Reach, cut
from tectogon.building.revolution import revolution
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE
from tectogon.errors import Note, TectogonError
from tectogon.profiles import Region, Regions
from tectogon.reconstruction.depths import Seen, sides_seen
from tectogon.reconstruction.part_from_views import turned_whole
from tectogon.reconstruction.sections import hatched_areas, is_hatched
from tectogon.reconstruction.straight_on import seen_straight_on
from tectogon.solids.body import Body
from tectogon.solids.features import with_features
from tectogon.solids.turned import Axis
from tectogon.tolerances import LEAST_SIZE, SEEN_CHORD, SEEN_TOL
from tectogon.views.align import axes_shown
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import ProfileChoice
from tectogon.workpiece.profile_picks import pick_of

_TURN = 2.0 * np.pi
_ALONG = 0.5
"""A centre line is the axis of a view where it runs along so much of it."""
_NARROW = 0.03
"""A region of a section that is no wider than this share of the view may hold no line of the hatching."""
_WELL = 99.5
"""A part counts that explains so much of the views (per cent)."""
_MOST_IN_VAIN = 12
"""So many cuts that explain nothing are tried."""
_Step = tuple[str, dict[str, Any]]
"""An ordinary operation: its kind and its values."""
_Way = Literal["turned", "as_seen", "through"]
_Candidate = tuple[list[Region], tuple[_Way, ...]]
"""What may be cut, and how: turned about the axis, as deep as it is seen, or through."""


@dataclass(frozen=True)
class TurnedPart:
    """The workpiece with the part, the ordinary operations that it is made by (kind and values), and how much of the
    end view it explains (per cent)."""

    workpiece: Workpiece
    steps: list[_Step]
    explained: float
    notes: tuple[Note, ...]


@dataclass(frozen=True)
class _Lengthwise:
    """A view along the axis of a turned part: the column of the sheet that the axis runs along, and where it lies."""

    seen: Seen
    column: int
    middle: float
    near: float

    def off(self, region: Region) -> tuple[float, float]:
        """How far a region reaches to either side of the axis (mm): low, high."""
        k = 1 - self.column
        return region.bounds[k] - self.middle, region.bounds[k + 2] - self.middle


def turned_from_views(workpiece: Workpiece, number: int) -> TurnedPart | None:
    """The turned part that an end view and a lengthwise view show; None where the views are not those of one, or it can
    not be made."""
    seen = sides_seen(workpiece)
    found = _views_of_turned(workpiece, seen) if len(seen) > 1 else None
    if found is None or turned_whole(workpiece):
        return None
    end, long = found
    regions, material = workpiece.drawing.regions, _material(workpiece, workpiece.drawing.regions, end, long)
    if not material:  # of what is solid up to the axis the half is bounded by the centre line
        regions, material = workpiece.drawing.parted, _material(workpiece, workpiece.drawing.parted, end, long)
    if not material:
        return None
    way = np.array([1.0, 0.0]) if long.column == 0 else np.array([0.0, 1.0])
    point = np.array([0.0, long.middle]) if long.column == 0 else np.array([long.middle, 0.0])
    axis = Axis(point, way)
    try:
        axis = replace(axis, height=_height(end, long))
        features = [f for r in material for f in revolution(workpiece, r, axis, (-np.pi, np.pi), number)]
        core = replace(workpiece, bodies=with_features(workpiece.bodies, features, "new", None, number))
    except TectogonError:
        return None
    picks = [pick_of(regions, r).model_dump(mode="json") for r in material]
    steps: list[_Step] = [
        ("revolve", {"profiles": {"rule": "picked", "picks": picks}, **_about(axis, long.seen), "result": "new"})
    ]
    views = [end] if _is_cut(workpiece, long.seen) else [end, long.seen]
    made, more = _cut_out(core, end, long, axis, views, number)
    explained = min(seen_straight_on(s, made.bodies).percent for s in views)
    if explained < _WELL:
        return None
    note = Note(
        "part_revolved",
        "It is turned about the centre line, and cut where the end view is not round. What neither view shows was taken"
        " as turned.",
    )
    return TurnedPart(made, steps + more, explained, (note,))


def _about(axis: Axis, s: Seen) -> dict[str, Any]:
    """The values of a revolve by which it turns about an axis."""
    ends = (axis.point, axis.point + s.table.size * axis.way)
    return {"axis": "points", "points": [{"at": p.tolist()} for p in ends], "plane": "lifted", "lift": axis.height}


def _is_cut(workpiece: Workpiece, s: Seen) -> bool:
    """Whether a view is hatched, and so shows the inside."""
    areas, chord = hatched_areas(workpiece.drawing), SEEN_CHORD * s.table.size
    return any(is_hatched(s.together.polygon(r, chord), r.area, areas) for r in s.together.regions)


def _views_of_turned(workpiece: Workpiece, seen: list[Seen]) -> tuple[Seen, _Lengthwise] | None:
    """The end view, round about its middle, and the view that shows the most of what stands along its axis."""
    for end in seen:
        x0, y0, x1, y1 = end.table.extents.tolist()
        size = max(x1 - x0, y1 - y0, LEAST_SIZE)
        near = 2.0 * SEEN_TOL * size
        arcs = end.table.data[end.table.rows_of(ARC)]
        centre = np.array([x0 + x1, y0 + y1]) / 2.0
        round_ones = np.hypot(*(arcs[:, :2] - centre).T) <= near
        if abs((x1 - x0) - (y1 - y0)) > near or not (np.abs(arcs[round_ones, 2] - size / 2.0) <= near).any():
            continue
        for side in sorted(seen, key=lambda s: -len(s.table)):
            shown = axes_shown(side.view.frame)
            if side is end or end.axis not in shown:
                continue
            column = shown[end.axis]
            middle = _centre_line(workpiece, side, column, near)
            if middle is not None:
                return end, _Lengthwise(side, column, middle, near)
    return None


def _centre_line(workpiece: Workpiece, s: Seen, column: int, near: float) -> float | None:
    """Where the centre line along a view lies that halves its outline."""
    linework = workpiece.drawing.linework
    rows = np.flatnonzero(workpiece.drawing.guiding & (linework.table.kind == LINE))
    low, high = s.table.extents[[1 - column, 3 - column]]
    ends = linework.table.ends[rows]
    level = np.abs(ends[:, 0, 1 - column] - ends[:, 1, 1 - column]) <= near
    at = ends[:, :, 1 - column].mean(axis=1)
    run = np.sort(ends[:, :, column], axis=1)
    own = s.table.extents[[column, column + 2]]
    covers = np.minimum(run[:, 1], own[1]) - np.maximum(run[:, 0], own[0])
    fits = level & (np.abs(at - (low + high) / 2.0) <= near) & (covers >= _ALONG * (own[1] - own[0]))
    return float(at[fits][0]) if fits.any() else None


def _height(end: Seen, long: _Lengthwise) -> float:
    """How far over the plane of the lengthwise view the middle of the end view lies (mm)."""
    x0, y0, x1, y1 = end.table.extents.tolist()
    middle = end.view.frame.place(np.array([x0 + x1, y0 + y1]) / 2.0)
    frame = long.seen.view.frame
    return float((middle - np.array(frame.origin)) @ np.array(frame.normal))


def _material(workpiece: Workpiece, regions: Regions, end: Seen, long: _Lengthwise) -> list[Region]:
    """The regions of one half of the lengthwise view that are material of the turned shape; none where such a region
    lies across the axis."""
    x0, y0, x1, y1 = (long.seen.table.extents + np.array([-1.0, -1.0, 1.0, 1.0]) * long.near).tolist()
    own = [
        r
        for r in regions.regions
        if r.bounds[0] >= x0 and r.bounds[1] >= y0 and r.bounds[2] <= x1 and r.bounds[3] <= y1
    ]
    areas = hatched_areas(workpiece.drawing)
    chord = SEEN_CHORD * long.seen.table.size
    hatched = [r for r in own if is_hatched(regions.polygon(r, chord), r.area, areas)]
    halves: dict[float, list[Region]] = {1.0: [], -1.0: [], 0.0: []}
    for region in own:
        low, high = long.off(region)
        halves[1.0 if low >= -long.near else -1.0 if high <= long.near else 0.0].append(region)
    if any(r in halves[0.0] for r in hatched) or (not hatched and halves.pop(0.0)):
        return []
    if not hatched:
        return max(halves.values(), key=lambda some: sum(r.area for r in some))
    filled = {sign: [r for r in some if r in hatched] for sign, some in halves.items()}
    sign = max(filled, key=lambda k: sum(r.area for r in filled[k]))
    holes = _off_axis(end, long.near)
    kept = {r.id for r in filled[sign]}
    inner = min(min(map(abs, long.off(r))) for r in filled[sign])
    strips = []
    for region in halves[sign]:
        low, high = sorted(map(abs, long.off(region)))
        narrow = high - low <= _NARROW * long.seen.table.size and low >= inner - long.near
        hole = any(_within([low, high], away, radius, long.near) for away, radius in holes)
        strips += [region] if region.id not in kept and (narrow or hole) else []
    return filled[sign] + strips


def _within(stretch: list[float], away: float, radius: float, near: float) -> bool:
    """Whether a stretch of radii is that of a hole which lies so far from the axis."""
    return stretch[0] >= away - radius - near and stretch[1] <= away + radius + near


def _off_axis(end: Seen, near: float) -> list[tuple[float, float]]:
    """The circles of an end view that lie off its middle: how far, and their radii (mm)."""
    x0, y0, x1, y1 = end.table.extents.tolist()
    arcs = end.table.data[np.flatnonzero((end.table.kind == ARC) & end.table.closed)]
    away = np.hypot(arcs[:, 0] - (x0 + x1) / 2.0, arcs[:, 1] - (y0 + y1) / 2.0)
    return [(float(a), float(r)) for a, r in zip(away, arcs[:, 2], strict=True) if a > near]


def _cut_out(
    workpiece: Workpiece, end: Seen, long: _Lengthwise, axis: Axis, views: list[Seen], number: int
) -> tuple[Workpiece, list[_Step]]:
    """The turned shape with what breaks it cut, as far as each cut explains more of the views; and the steps: holes in
    its ends, pockets and cross holes of the lengthwise view, holes along the axis, what breaks a bore."""
    steps: list[_Step] = []
    best, vain = _worse(views, workpiece.bodies), 0
    for regions, ways in _candidates(workpiece, end, long):
        if best <= LEAST_SIZE or vain >= _MOST_IN_VAIN:
            break
        picks = tuple(pick_of(workpiece.drawing.regions_of(r), r) for r in regions)
        picked = ProfileChoice(rule="picked", picks=picks)
        found: tuple[float, tuple[Body, ...], _Step] | None = None
        for way in ways:
            try:
                bodies, step = _with(workpiece, regions, picked, way, axis, long, number)
            except TectogonError:
                continue
            worse = _worse(views, bodies)
            if worse < (found[0] if found else best) - LEAST_SIZE:
                found = worse, bodies, step
                if way != "through":
                    break
        if found:
            best, workpiece = found[0], replace(workpiece, bodies=found[1])
            steps.append(found[2])
        vain += found is None
    return workpiece, steps


def _with(
    workpiece: Workpiece,
    regions: list[Region],
    picked: ProfileChoice,
    way: _Way,
    axis: Axis,
    long: _Lengthwise,
    number: int,
) -> tuple[tuple[Body, ...], _Step]:
    """The bodies after regions were put to them in a way, and the operation that does it. Raises TectogonError."""
    profiles = picked.model_dump(mode="json")
    if way == "turned":
        features = [f for r in regions for f in revolution(workpiece, r, axis, (-np.pi, np.pi), number)]
        bodies = with_features(workpiece.bodies, features, "cut", None, number)
        return bodies, ("revolve", {"profiles": profiles, **_about(axis, long.seen), "result": "cut"})
    bodies = cut(workpiece, picked, Reach(way, 1.0, "away", 0.0), "inside", None, number)
    return bodies, ("cut", {"profiles": profiles, "depth": way})


def _worse(views: list[Seen], bodies: tuple[Body, ...]) -> float:
    """The length (mm) in which views and a part differ."""
    lines: list[FloatArray] = [
        line for view in views for _, some in seen_straight_on(view, bodies).differences for line in some
    ]
    return float(sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in lines))


def _candidates(workpiece: Workpiece, end: Seen, long: _Lengthwise) -> list[_Candidate]:
    """What may be cut, each shape once, what is likelier first: of the lengthwise view the dashed holes about the axis
    and what else lies about it within the outline, of the end view what is not turned."""
    holes: list[Region] = []
    inside: list[_Candidate] = []
    across: dict[bool, list[_Candidate]] = {True: [], False: []}
    x0, y0, x1, y1 = end.table.extents.tolist()
    centre = np.array([x0 + x1, y0 + y1]) / 2.0
    dashed = {s.ids[n] for s in (end, long.seen) for n in s.hidden.tolist()}
    known: set[object] = set()
    for regions in workpiece.drawing.all_regions:
        for region in regions.regions:
            shape = (*np.round(region.bounds, 4).tolist(), round(region.area, 4))
            mine = set(regions.curves_of(region.outer))
            if shape in known:
                continue
            known.add(shape)
            pieces = regions.pieces.take(region.outer.rows)
            arcs = pieces.kind == ARC
            if mine <= set(end.ids):
                turned = arcs.all() and (np.hypot(*(pieces.data[:, :2] - centre).T) <= long.near).all()
                if not turned and region.area < 0.5 * (x1 - x0) * (y1 - y0):
                    across[not mine & dashed].append(([region], ("as_seen", "through")))
            elif mine <= set(long.seen.ids) and abs(sum(long.off(region))) <= long.near:
                if mine & dashed and _is_hole(workpiece, long, region, mine & dashed):
                    holes.append(region)
                elif not mine & dashed and arcs.any() and region.level:
                    inside.append(([region], ("through", "as_seen") if arcs.all() else ("as_seen",)))
    chains: list[_Candidate] = [(chain, ("turned",)) for chain in _chained(holes, long)]
    return [*chains, *inside, *across[True], *across[False]]


def _is_hole(workpiece: Workpiece, long: _Lengthwise, region: Region, dashed: set[str]) -> bool:
    """Whether dashed lines along the axis bound a region where it is widest."""
    linework = workpiece.drawing.linework
    ends = linework.table.ends[[linework.row_of[key] for key in dashed]][:, :, 1 - long.column] - long.middle
    widest = max(map(abs, long.off(region)))
    return bool((np.abs(np.abs(ends) - widest) <= long.near).all(axis=1).any())


def _chained(regions: list[Region], long: _Lengthwise) -> list[list[Region]]:
    """Regions that follow each other along the axis, as chains: a hole that edges of the outside cross is in pieces."""
    k = long.column
    out: list[list[Region]] = []
    for region in sorted(regions, key=lambda r: r.bounds[k]):
        if out and abs(out[-1][-1].bounds[k + 2] - region.bounds[k]) <= long.near:
            out[-1].append(region)
        else:
            out.append([region])
    return out
