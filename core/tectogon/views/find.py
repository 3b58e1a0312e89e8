"""The views on a sheet: groups of linework that belong together, which is which, and how far each is off line.

Glossary
    third angle: the view from above is drawn above the front view, the view from the right at its right.
    first angle: the view from above is drawn below the front view, the view from the left at its right.
    shared axis: what two views both show of one coordinate of the part: front and top the x, front and side the z, top and side the y.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, IntArray
from tectogon.linework import Linework
from tectogon.views.frame import frame_of
from tectogon.views.groups import find_groups
from tectogon.views.view import View

_REACH = 2e-3
_SMALL = 0.02
_IN_LINE = 0.06
_MOST_COORDINATES = 1200
_ORDER = ("front", "top", "right", "left", "bottom", "rear")
_FIRST, _THIRD = re.compile(r"(first|1st)[\s-]*angle", re.IGNORECASE), re.compile(r"(third|3rd)[\s-]*angle", re.IGNORECASE)
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class FoundView:
    """A view: its name, its rows, its box on the sheet (mm), and the sheet point that falls on the part's origin."""

    name: str
    rows: IntArray
    box: Box
    origin: tuple[float, float]


@dataclass(frozen=True)
class Agreement:
    """How well two views agree along one axis of the part: coordinates matched and unmatched, and the worst distance of matched ones (mm).

    off: how far the ends of the two views lie apart along the axis, the worse of the two (mm).  within: what still counts as equal (mm).
    """

    pair: tuple[str, str]
    axis: str
    matched: int
    unmatched: int
    worst: float
    off: float
    within: float

    @property
    def holds(self) -> bool:
        """Whether both views give the part the same overall stretch of this axis."""
        return self.off <= self.within


@dataclass(frozen=True)
class FoundViews:
    """projection: first, third or unknown; why: in words.  left_out: rows that are no view, with the reason."""

    projection: str
    why: str
    views: tuple[FoundView, ...]
    left_out: tuple[tuple[str, IntArray], ...]
    agreements: tuple[Agreement, ...]


def find_views(linework: Linework, rows: IntArray, *, projection: str | None = None) -> FoundViews:
    """The views among `rows`, named, with origins so that shared axes agree; `projection` overrules what the sheet shows."""
    table = linework.table.take(rows)
    groups, small = _groups(table)
    if not groups:
        return FoundViews("unknown", "there is no group of lines that could be a view", (), (("loose lines", rows),) if len(rows) else (), ())
    boxes = [_box(table, g) for g in groups]
    names, projection, why = _named(table, groups, boxes, projection or _stated(linework), chosen=projection is not None)
    views = [FoundView(name, rows[g], box, (box[0], box[1])) for name, g, box in zip(names, groups, boxes, strict=True) if name != "none"]
    left = [("a group that stands in line with no other", rows[g]) for name, g in zip(names, groups, strict=True) if name == "none"]
    if len(small):
        left.append(("loose lines too small to be a view", rows[small]))
    lined = _aligned(linework.table, views)
    return FoundViews(projection, why, tuple(lined), tuple(left), tuple(agreements_of(linework.table, lined)))


def _groups(table: CurveTable) -> tuple[list[IntArray], IntArray]:
    """Groups that could be views, and the rows of those too small to be one."""
    if not len(table):
        return [], np.zeros(0, np.int64)
    size = float(max(*(table.extents[2:] - table.extents[:2]), 1e-9))
    label = find_groups(table, reach=size * _REACH)
    found = [np.flatnonzero(label == k) for k in range(int(label.max()) + 1)]
    spans = [max(b[2] - b[0], b[3] - b[1]) for b in (_box(table, g) for g in found)]
    widest = max(spans)
    views = [g for g, s in zip(found, spans, strict=True) if s >= _SMALL * widest and (len(g) > 1 or table.closed[g[0]])]
    rest = [g for g in found if not any(g is v for v in views)]
    return views, np.concatenate(rest) if rest else np.zeros(0, np.int64)


def _box(table: CurveTable, rows: IntArray) -> Box:
    x0, y0, x1, y1 = table.take(rows).extents.tolist()
    return (x0, y0, x1, y1)


# names ---------------------------------------------------------------------------


def _in_line(a: Box, b: Box, axis: int) -> bool:
    """Whether two boxes span the same stretch of x (axis 0) or y (axis 1), and stand beside each other along the other."""
    size = max(a[axis + 2] - a[axis], b[axis + 2] - b[axis])
    same = abs(a[axis] - b[axis]) <= _IN_LINE * size and abs(a[axis + 2] - b[axis + 2]) <= _IN_LINE * size
    other = 1 - axis
    return bool(same and (a[other + 2] <= b[other] or b[other + 2] <= a[other]))


def _named(table: CurveTable, groups: list[IntArray], boxes: list[Box], stated: str | None, *, chosen: bool) -> tuple[list[str], str, str]:
    """A name for each group, the projection, and why."""
    count = len(groups)
    if count == 1:
        return ["front"], "unknown", "there is one view only"
    stacked = [[j for j in range(count) if j != i and _in_line(boxes[i], boxes[j], 0)] for i in range(count)]
    beside = [[j for j in range(count) if j != i and _in_line(boxes[i], boxes[j], 1)] for i in range(count)]
    front = _front(table, groups, boxes, stacked, beside, stated)
    vertical = sorted(stacked[front], key=lambda j: boxes[j][1])
    above, below = [j for j in vertical if boxes[j][1] > boxes[front][1]], [j for j in vertical if boxes[j][1] < boxes[front][1]]
    right = sorted((j for j in beside[front] if boxes[j][0] > boxes[front][0]), key=lambda j: boxes[j][0])
    left = sorted((j for j in beside[front] if boxes[j][0] < boxes[front][0]), key=lambda j: -boxes[j][0])
    if stated:
        projection, why = stated, "you chose it" if chosen else f"the sheet says {stated} angle"
    elif above and not below:
        projection, why = "third", "a view stands above the front view, where third angle has the top"
    elif below and not above:
        projection, why = "first", "a view stands below the front view, where first angle has the top"
    elif above and below:
        projection, why = "unknown", "views stand above and below the front view, which either angle allows"
    else:
        projection, why = "unknown", "no view stands above or below the front view, so that either angle is possible"
    third = projection != "first"
    names = ["none"] * count
    names[front] = "front"
    for group, name in ((above, "top" if third else "bottom"), (below, "bottom" if third else "top")):
        if group:
            names[group[0]] = name
    for group, name in ((right, "right" if third else "left"), (left, "left" if third else "right")):
        if group:
            names[group[0]] = name
            if len(group) > 1:
                names[group[1]] = "rear"
    _name_corners(names, boxes, stacked, beside, third)
    return names, projection, why


def _name_corners(names: list[str], boxes: list[Box], stacked: list[list[int]], beside: list[list[int]], third: bool) -> None:
    """Side views that stand beside the top view instead of beside the front view are named all the same, where no side view is yet."""
    if any(n in ("right", "left") for n in names):
        return
    for top in [i for i, n in enumerate(names) if n == "top"]:
        for j in beside[top]:
            if names[j] == "none":
                to_right = boxes[j][0] > boxes[top][0]
                names[j] = "right" if to_right == third else "left"
                return


def _front(table: CurveTable, groups: list[IntArray], boxes: list[Box], stacked: list[list[int]], beside: list[list[int]], stated: str | None) -> int:
    """The view that the others stand in line with: above or below and beside it. Of two stacked views the one that the stated angle has as
    the front (third: below, first: above), else the one that shows fewer circles."""
    score = [(bool(stacked[i]) + bool(beside[i]), len(stacked[i]) + len(beside[i])) for i in range(len(groups))]
    best = max(score)
    chosen = [i for i, s in enumerate(score) if s == best]
    if len(chosen) == 1:
        return chosen[0]
    if best == (1, 1) and stacked[chosen[0]] and stated:
        return min(chosen, key=lambda i: boxes[i][1] if stated == "third" else -boxes[i][1])
    if best == (1, 1) and stacked[chosen[0]]:
        circles = {i: int((table.closed[groups[i]] & (table.kind[groups[i]] == ARC)).sum()) for i in chosen}
        fewest = min(circles.values())
        few = [i for i in chosen if circles[i] == fewest]
        return min(few, key=lambda i: boxes[i][1])
    if len(chosen) == len(groups) and len(groups) > 2 and not stacked[chosen[0]]:
        return sorted(chosen, key=lambda i: boxes[i][0])[(len(chosen) - 1) // 2]
    return min(chosen, key=lambda i: (boxes[i][1] + boxes[i][0], boxes[i][0]))


def _stated(linework: Linework) -> str | None:
    words = " ".join(t.text for t in linework.texts[:2000])
    first, third = bool(_FIRST.search(words)), bool(_THIRD.search(words))
    return None if first == third else "first" if first else "third"


# alignment ---------------------------------------------------------------------------


def axis_of(name: str, column: int) -> tuple[int, float]:
    """The part's axis (0 x, 1 y, 2 z) that a view's x (column 0) or y (column 1) shows, and its sign."""
    frame = frame_of(name)
    way = np.array(frame.x_dir if column == 0 else frame.y_dir)
    axis = int(np.abs(way).argmax())
    return axis, float(way[axis])


def coordinates(table: CurveTable, rows: IntArray, column: int) -> FloatArray:
    """The distinct coordinates a view shows along one direction of the sheet: lines across it, ends, extremes and centres of arcs."""
    part = table.take(rows)
    b = part.bounds
    values = [b[:, column], b[:, column + 2]]
    arcs = part.kind == ARC
    values.append(part.data[arcs, column])
    lines = part.kind == LINE
    values.append(part.data[lines, column])
    joined = np.sort(np.concatenate(values))
    if not len(joined):
        return joined
    size = float(np.ptp(joined)) or 1.0
    fresh = np.concatenate([[True], np.diff(joined) > 1e-6 * size])
    return joined[fresh]


def _best_shift(fixed: FloatArray, loose: FloatArray, near: float, tol: float) -> float:
    """What to add to `loose` so that most of its coordinates fall on those of `fixed`; of equals the one nearest to `near`."""
    fixed, loose = _outermost(fixed), _outermost(loose)
    shifts = (fixed[:, None] - loose[None, :]).ravel()
    spread = max(float(np.ptp(fixed)), float(np.ptp(loose)), 1e-9)
    shifts = shifts[np.abs(shifts - near) <= 0.35 * spread]
    if not len(shifts):
        return near
    order = np.sort(shifts)
    first = np.searchsorted(order, order - tol, side="left")
    last = np.searchsorted(order, order + tol, side="right")
    votes = last - first
    ends = {float(fixed[0] - loose[0]), float(fixed[-1] - loose[-1])}
    best, chosen = -1.0, near
    for k in np.flatnonzero(votes >= max(votes.max() - 1, 1)).tolist():
        shift = float(np.median(order[first[k] : last[k]]))
        score = float(votes[k]) + 0.6 * sum(abs(shift - e) <= tol for e in ends) - 0.3 * abs(shift - near) / spread
        if score > best:
            best, chosen = score, shift
    return chosen


def _outermost(values: FloatArray) -> FloatArray:
    """The first and last of sorted coordinates, where there are so many that all pairs could not be looked at."""
    return values if len(values) <= _MOST_COORDINATES else np.concatenate([values[: _MOST_COORDINATES // 2], values[-_MOST_COORDINATES // 2 :]])


def _aligned(table: CurveTable, views: list[FoundView]) -> list[FoundView]:
    """Views with origins so that what they share agrees: the front view's lower left corner is the origin, the others follow."""
    if not views:
        return []
    placed: dict[str, FoundView] = {}
    order = sorted(views, key=lambda v: (v.name != "front", v.name not in ("top", "bottom"), v.name))
    for view in order:
        origin = list(view.origin)
        for column in (0, 1):
            axis, sign = axis_of(view.name, column)
            own = coordinates(table, view.rows, column)
            fixed = _known(table, placed.values(), axis)
            tol = max(float(np.ptp(own)) * 2e-5, 1e-6) if len(own) else 1e-6
            start = own[0] if sign > 0 else own[-1]
            if fixed is None:
                origin[column] = float(start)
                continue
            on_part = np.sort(sign * (own - start))
            near = float(fixed[0] - on_part[0])
            shift = _best_shift(fixed, on_part, near, tol)
            origin[column] = float(start - sign * shift)
        placed[view.name] = FoundView(view.name, view.rows, view.box, (origin[0], origin[1]))
    kept = [placed[v.name] for v in views if placed[v.name].rows is v.rows]
    return sorted(kept, key=lambda v: _ORDER.index(v.name))


def on_axis(table: CurveTable, view: FoundView, axis: int) -> FloatArray | None:
    """The coordinates of the part along an axis that a view shows, sorted; None where it looks along that axis."""
    for column in (0, 1):
        shown, sign = axis_of(view.name, column)
        if shown == axis:
            return np.sort(sign * (coordinates(table, view.rows, column) - view.origin[column]))
    return None


def _known(table: CurveTable, placed: Iterable[FoundView], axis: int) -> FloatArray | None:
    found = [c for v in placed if (c := on_axis(table, v, axis)) is not None]
    return np.sort(np.concatenate(found)) if found else None


def agreements_of(table: CurveTable, views: Sequence[FoundView]) -> list[Agreement]:
    """For each pair of views and each axis they share: what matches, what does not, and the worst distance."""
    out = []
    for i, a in enumerate(views):
        for b in views[i + 1 :]:
            for axis, name in enumerate("xyz"):
                p, q = on_axis(table, a, axis), on_axis(table, b, axis)
                if p is None or q is None or not len(p) or not len(q):
                    continue
                within = max(float(np.ptp(p)), float(np.ptp(q)), 1e-9) * 2e-3
                there = _nearest(p, q)
                matched = there <= within
                worst = float(there[matched].max()) if matched.any() else 0.0
                off = float(max(abs(p[0] - q[0]), abs(p[-1] - q[-1])))
                out.append(Agreement((a.name, b.name), name, int(matched.sum()), int((~matched).sum()), worst, off, within))
    return out


def _nearest(fixed: FloatArray, asked: FloatArray) -> FloatArray:
    """For each of `asked` how far the nearest of `fixed` (sorted, not empty) lies."""
    at = np.clip(np.searchsorted(fixed, asked), 1, max(len(fixed) - 1, 1))
    return np.asarray(np.minimum(np.abs(asked - fixed[at - 1]), np.abs(asked - fixed[np.minimum(at, len(fixed) - 1)])))


def as_found(view: View, linework: Linework) -> FoundView:
    """A folded view as one that was found, for what is left of its curves."""
    rows = np.array(sorted(linework.row_of[key] for key in view.curves if key in linework.row_of), np.int64)
    base = -np.array(view.frame.origin)
    return FoundView(view.name, rows, view.box, (float(base @ view.frame.x_dir), float(base @ view.frame.y_dir)))
