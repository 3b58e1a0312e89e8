"""Where the axis of a revolution lies: on a drawn centre line, through pressed points or a middle, and how deep."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE
from tectogon.errors import BadValue, Unfinished
from tectogon.linework import Linework
from tectogon.profiles import Region
from tectogon.profiles.rings import rings_of
from tectogon.solids.turned import Axis
from tectogon.tolerances import KERNEL_TOL
from tectogon.views.align import axes_shown
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import PointPick
from tectogon.workpiece.point_picks import points_of

_ON_AXIS = 2e-3
"""A place is on an axis that is no further from it than this share of the profile's size."""


def middle_axis(region: Region, *, level: bool, height: float) -> Axis:
    """The level or upright line through the middle of a region."""
    x0, y0, x1, y1 = region.bounds
    return Axis(np.array([(x0 + x1) / 2.0, (y0 + y1) / 2.0]), np.array([1.0, 0.0] if level else [0.0, 1.0]), height)


def drawn_axis(workpiece: Workpiece, region: Region, height: float) -> Axis | None:
    """The drawing's own centre line of a region: the nearest that runs beside at least half of it, no further off than
    the region is large, else one that halves it; none where no centre line does."""
    linework, view = workpiece.drawing.linework, workpiece.view_of(region)
    rows = np.flatnonzero(workpiece.drawing.guiding & (linework.table.kind == LINE))
    outline = CurveTable.of(rings_of(workpiece.drawing.regions_of(region), region)[0][0])
    points, _ = outline.flatten(1e-3 * outline.size)
    near = _ON_AXIS * outline.size
    found: list[tuple[bool, float, Axis]] = []
    for a, b in linework.table.ends[rows]:
        length = float(np.hypot(*(b - a)))
        if length <= KERNEL_TOL or any(_within(v.box, (a + b) / 2.0) for v in workpiece.views if v is not view):
            continue  # no line, or another view's
        axis = Axis(a, (b - a) / length, height)
        off, along = axis.off(points), axis.along(points)
        if min(float(along.max()), length) - max(float(along.min()), 0.0) < 0.5 * float(np.ptp(along)):
            continue
        apart = float(np.abs(off).min()) if off.min() >= -near or off.max() <= near else 0.0
        halves = off.min() < -near and off.max() > near
        if (not halves and apart <= outline.size) or abs(float(off.min() + off.max())) <= near:
            found.append((halves, apart, axis))
    return min(found, key=lambda f: f[:2])[2] if found else None


def shown_height(workpiece: Workpiece, region: Region, axis: Axis) -> float | None:
    """How far over the region's plane (mm) other views show an axis: by a centre line along it, or by circles about it
    where it is looked along. None where none does, or they do not agree."""
    frame, own = workpiece.frame_of(region), workpiece.view_of(region)
    along, normal = _main(frame.place(axis.way) - frame.place(np.zeros(2))), _main(np.array(frame.normal))
    if own is None or along is None or normal is None:
        return None
    across = 3 - along - normal
    linework, guiding = workpiece.drawing.linework, workpiece.drawing.guiding
    at = float(frame.place(axis.point)[across])
    size = CurveTable.of(rings_of(workpiece.drawing.regions_of(region), region)[0][0]).size
    near = max(_ON_AXIS * size, KERNEL_TOL)
    found: list[float] = []
    for view in workpiece.views:
        shown = axes_shown(view.frame)
        if view is own or normal not in shown:
            continue
        if along in shown:
            rows = np.flatnonzero(guiding & (linework.table.kind == LINE))
            ends = view.frame.place(linework.table.ends[rows].reshape(-1, 2)).reshape(-1, 2, 3)
            inside = [_within(view.box, middle) for middle in linework.table.ends[rows].mean(axis=1)]
            level = np.abs(np.diff(ends[:, :, normal], axis=1))[:, 0] <= near
            long = np.abs(np.diff(ends[:, :, along], axis=1))[:, 0] >= 0.5 * size
            found += ends[level & long & np.array(inside, bool), 0, normal].tolist()
        elif across in shown:
            rows = np.array([r for r in linework.table.rows_of(ARC) if linework.ids[r] in view.curves], np.int64)
            centres = view.frame.place(linework.table.data[rows, :2]).reshape(-1, 3)
            found += centres[np.abs(centres[:, across] - at) <= near, normal].tolist()
    if not found or max(found) - min(found) > 2.0 * near:
        return None
    return float((np.mean(found) - frame.origin[normal]) * frame.normal[normal])


def _within(box: tuple[float, float, float, float], at: FloatArray) -> bool:
    """Whether a place lies in a view's box, or just outside it, where centre lines end."""
    x0, y0, x1, y1 = box
    out = 0.1 * max(x1 - x0, y1 - y0)
    return bool(x0 - out <= at[0] <= x1 + out and y0 - out <= at[1] <= y1 + out)


def _main(way: FloatArray) -> int | None:
    """The axis (0 x, 1 y, 2 z) that a direction (3,) runs along, if it does."""
    k = int(np.abs(way).argmax())
    return k if abs(way[k]) > 1.0 - 1e-6 else None


def axis_through(linework: Linework, picks: Sequence[PointPick], height: float) -> Axis:
    """The line through two picked points. Raises Unfinished while there are fewer, BadValue where they are one, and
    what `points_of` raises."""
    if len(picks) < 2:
        raise Unfinished("Press two points of the axis: the ends of a centre line, or of an edge.")
    a, b = points_of(linework, picks[:2])
    length = float(np.hypot(*(b - a)))
    if length < 10 * KERNEL_TOL:
        raise BadValue("The two points of the axis lie on top of each other; press another one.")
    return Axis(a, (b - a) / length, height)
