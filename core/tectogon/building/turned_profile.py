"""The profile of a turned part in its views: which view looks along the axis, which shows what stands along it, and
which regions of that are material.

It is the hatched half where one is drawn, else the half of the outline, with the strips put back that holes along the
axis take out of a section.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tectogon.curves.table import ARC, LINE
from tectogon.profiles import Region, Regions
from tectogon.reconstruction.depths import Seen
from tectogon.reconstruction.sections import hatched_areas, is_hatched
from tectogon.tolerances import LEAST_SIZE, SEEN_CHORD, SEEN_TOL
from tectogon.views.align import axes_shown
from tectogon.workpiece.model import Workpiece

_ALONG = 0.5
"""A centre line is the axis of a view where it runs along so much of it."""
_NARROW = 0.03
"""A region of a section that is no wider than this share of the view may hold no line of the hatching."""
_NOTCHED = 0.7
"""The sides of a keyway meet its bore no nearer to the axis than this share of the bore's radius."""


@dataclass(frozen=True)
class Lengthwise:
    """A view along the axis of a turned part: the column of the sheet that the axis runs along, and where it lies."""

    seen: Seen
    column: int
    middle: float
    near: float

    def off(self, region: Region) -> tuple[float, float]:
        """How far a region reaches to either side of the axis (mm): low, high."""
        k = 1 - self.column
        return region.bounds[k] - self.middle, region.bounds[k + 2] - self.middle


def is_cut(workpiece: Workpiece, s: Seen) -> bool:
    """Whether a view is hatched, and so shows the inside."""
    areas, chord = hatched_areas(workpiece.drawing), SEEN_CHORD * s.table.size
    return any(is_hatched(s.together.polygon(r, chord), r.area, areas) for r in s.together.regions)


def views_of_turned(workpiece: Workpiece, seen: list[Seen]) -> tuple[Seen, Lengthwise] | None:
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
                return end, Lengthwise(side, column, middle, near)
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


def height_of(end: Seen, long: Lengthwise) -> float:
    """How far over the plane of the lengthwise view the middle of the end view lies (mm)."""
    x0, y0, x1, y1 = end.table.extents.tolist()
    middle = end.view.frame.place(np.array([x0 + x1, y0 + y1]) / 2.0)
    frame = long.seen.view.frame
    return float((middle - np.array(frame.origin)) @ np.array(frame.normal))


def material_of(workpiece: Workpiece, regions: Regions, end: Seen, long: Lengthwise) -> list[Region]:
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
    holes, broken = _off_axis(end, long.near), _broken(end, long.near)
    kept = {r.id for r in filled[sign]}
    inner = min(min(map(abs, long.off(r))) for r in filled[sign])
    strips = []
    for region in halves[sign]:
        low, high = sorted(map(abs, long.off(region)))
        narrow = high - low <= _NARROW * long.seen.table.size and low >= inner - long.near
        hole = any(_within([low, high], away, radius, long.near) for away, radius in holes)
        hole |= abs(high - inner) <= long.near and any(_NOTCHED * r <= low <= r + long.near for r in broken)
        strips += [region] if region.id not in kept and (narrow or hole) else []
    return filled[sign] + strips


def _within(stretch: list[float], away: float, radius: float, near: float) -> bool:
    """Whether a stretch of radii is that of a hole which lies so far from the axis."""
    return stretch[0] >= away - radius - near and stretch[1] <= away + radius + near


def _broken(end: Seen, near: float) -> list[float]:
    """The radii (mm) of the arcs of an end view about its middle that go round in part: a keyway breaks them, through
    which a section may run."""
    x0, y0, x1, y1 = end.table.extents.tolist()
    arcs = end.table.data[np.flatnonzero((end.table.kind == ARC) & ~end.table.closed)]
    away = np.hypot(arcs[:, 0] - (x0 + x1) / 2.0, arcs[:, 1] - (y0 + y1) / 2.0)
    return [float(r) for a, r in zip(away, arcs[:, 2], strict=True) if a <= near]


def _off_axis(end: Seen, near: float) -> list[tuple[float, float]]:
    """The circles of an end view that lie off its middle: how far, and their radii (mm)."""
    x0, y0, x1, y1 = end.table.extents.tolist()
    arcs = end.table.data[np.flatnonzero((end.table.kind == ARC) & end.table.closed)]
    away = np.hypot(arcs[:, 0] - (x0 + x1) / 2.0, arcs[:, 1] - (y0 + y1) / 2.0)
    return [(float(a), float(r)) for a, r in zip(away, arcs[:, 2], strict=True) if a > near]
