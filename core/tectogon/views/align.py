"""Lining views up by what they share, and telling how well they agree.

Front and top share the x of the part, front and side the z, top and side the y. Coordinates that a view shows (ends,
extremes, centres) are voted for: the shift under which most of them fall on those of the views that stand already.
Extra and missing edges do not matter.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE, ROUNDING, SAME_SHARE, SEEN_LOOSE, SEEN_TOL
from tectogon.units import show_small
from tectogon.views.frame import Frame
from tectogon.views.view import FoundView, View

_MOST_COORDINATES = 1200
_LEVEL = 1e-9
_CLOSELY = 0.05
AXES = "xyz"


@dataclass(frozen=True)
class Agreement:
    """How well two views agree along one axis of the part: coordinates matched and unmatched, and the worst distance of
    matched ones (mm).

    off: how far the ends of the two views lie apart along the axis, the worse of the two (mm).  within: what still
    counts as equal (mm).
    alone: what each of the two shows and the other does not, as coordinates of the axis (mm).
    """

    pair: tuple[str, str]
    axis: str
    matched: int
    unmatched: int
    worst: float
    off: float
    within: float
    alone: tuple[FloatArray, FloatArray]

    @property
    def holds(self) -> bool:
        """Whether both views give the part the same overall stretch of this axis."""
        return self.off <= self.within

    @property
    def misfit(self) -> str:
        """What does not agree, and what to do; "" where it does."""
        if self.holds:
            return ""
        return (
            f"The {self.pair[0]} and {self.pair[1]} views differ by {show_small(self.off, 4)} mm along {self.axis}:"
            " check which is which, their scale, or mend the one that is wrong."
        )


@dataclass(frozen=True)
class Shown:
    """A view as lining up needs it: its rows, its frame, and the name it is told by."""

    name: str
    rows: IntArray
    frame: Frame


def axis_shown(frame: Frame, column: int) -> tuple[int, float] | None:
    """The part's axis (0 x, 1 y, 2 z) that a view's x (column 0) or y (column 1) runs along, and its sign; None where
    it runs aslant."""
    way = np.array(frame.x_dir if column == 0 else frame.y_dir)
    axis = int(np.abs(way).argmax())
    return (axis, float(np.sign(way[axis]))) if abs(abs(way[axis]) - 1.0) <= _LEVEL else None


def axes_shown(frame: Frame) -> dict[int, int]:
    """The part's axes that a view shows, each with the column of the sheet (0 x, 1 y) that shows it."""
    found = ((axis_shown(frame, column), column) for column in (0, 1))
    return {shown[0]: column for shown, column in found if shown}


def coordinates(table: CurveTable, rows: IntArray, column: int) -> FloatArray:
    """The distinct coordinates a view shows along one direction of the sheet, sorted: ends, extremes, and centres of
    arcs, as far as these lie within it."""
    part = table.take(rows)
    if not len(part):
        return np.zeros(0)
    b = part.bounds
    centres, lines = part.data[part.kind == ARC, column], part.kind == LINE
    centres = centres[(centres >= b[:, column].min()) & (centres <= b[:, column + 2].max())]
    joined = np.sort(np.concatenate([b[:, column], b[:, column + 2], centres, part.data[lines, column]]))
    size = float(np.ptp(joined)) or 1.0
    fresh = np.concatenate([[True], np.diff(joined) > SAME_SHARE * size])
    return joined[fresh]


def on_axis(table: CurveTable, view: Shown, axis: int) -> FloatArray | None:
    """The coordinates of the part along an axis that a view shows, sorted; None where it looks along that axis, or
    aslant."""
    column = axes_shown(view.frame).get(axis)
    if column is None:
        return None
    sign = (view.frame.x_dir if column == 0 else view.frame.y_dir)[axis]
    return np.sort(sign * coordinates(table, view.rows, column) + view.frame.origin[axis])


def rows_showing(table: CurveTable, view: Shown, axis: int, values: FloatArray) -> list[int]:
    """Rows of a view that show one of some coordinates of the part's axis, by an end, an extreme or a centre."""
    column = axes_shown(view.frame).get(axis)
    if column is None or not len(values):
        return []
    sign = (view.frame.x_dir if column == 0 else view.frame.y_dir)[axis]
    wanted = np.sort(sign * (values - view.frame.origin[axis]))
    part = table.take(view.rows)
    b, round_ones = part.bounds, part.kind == ARC
    places = np.column_stack([b[:, column], b[:, column + 2], np.where(round_ones, part.data[:, column], b[:, column])])
    near = nearest_to(wanted, places.ravel()).reshape(places.shape).min(axis=1) <= SAME_SHARE * max(
        float(np.ptp(places)), 1e-9
    )
    return [int(row) for row in view.rows[near]]


def best_shift(fixed: FloatArray, loose: FloatArray, near: float, tol: float, *, bound: bool = False) -> float:
    """What to add to `loose` so that most of its coordinates fall on those of `fixed`; of equals the one nearest to
    `near`.

    `bound`: guides say that `near` is right, so that it holds where nothing but single coordinates speaks for another.
    """
    fixed, loose = _outermost(fixed), _outermost(loose)
    shifts = (fixed[:, None] - loose[None, :]).ravel()
    spread = max(float(np.ptp(fixed)), float(np.ptp(loose)), LEAST_SIZE)
    shifts = shifts[np.abs(shifts - near) <= 0.35 * spread]
    if not len(shifts):
        return near
    order = np.sort(shifts)
    first = np.searchsorted(order, order - tol, side="left")
    last = np.searchsorted(order, order + tol, side="right")
    votes = last - first
    if bound and votes.max() <= 1:
        return near
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
    return (
        values
        if len(values) <= _MOST_COORDINATES
        else np.concatenate([values[: _MOST_COORDINATES // 2], values[-_MOST_COORDINATES // 2 :]])
    )


def in_line(table: CurveTable, view: Shown, others: Sequence[Shown], guides: IntArray | None = None) -> Frame:
    """The view's frame moved along the axes it shows so that what it shares with the others falls together; along an
    axis that none of them shows, its lowest coordinate goes to nought.

    `guides`: rows of guide lines. Two views that one of them runs through are meant to stand in line as they are drawn:
    of shifts that the coordinates allow, that one is taken.
    """
    origin = np.array(view.frame.origin)
    for axis, column in axes_shown(view.frame).items():
        own = on_axis(table, view, axis)
        if own is None or not len(own):
            continue
        fixed = _known(table, others, axis)
        if fixed is None:
            origin[axis] -= own[0]
            continue
        tol = max(float(np.ptp(own)) * 2e-5, 1e-6)
        drawn = [
            o.frame.origin[axis] - origin[axis]
            for o in others
            if _in_step(view, o, axis, column) and guided(table, guides, view, o, column)
        ]
        origin[axis] += best_shift(fixed, own, drawn[0] if drawn else float(fixed[0] - own[0]), tol, bound=bool(drawn))
    return replace(view.frame, origin=(float(origin[0]), float(origin[1]), float(origin[2])))


def _in_step(view: Shown, other: Shown, axis: int, column: int) -> bool:
    """Whether two views show an axis by the same direction of the sheet, run the same way."""
    dirs = [(v.frame.x_dir if column == 0 else v.frame.y_dir)[axis] for v in (view, other)]
    return axes_shown(other.frame).get(axis) == column and dirs[0] == dirs[1]


def guided(table: CurveTable, guides: IntArray | None, view: Shown, other: Shown, column: int) -> bool:
    """Whether a guide line across the given direction of the sheet runs through both views, or from one to the
    other."""
    if guides is None or not len(guides):
        return False
    lines = table.take(guides[table.kind[guides] == LINE])
    a, b = table.take(view.rows).extents, table.take(other.rows).extents
    g, along = lines.bounds, 1 - column
    slack = SEEN_TOL * float(max(np.ptp(a[[along, along + 2]]), np.ptp(b[[along, along + 2]]), LEAST_SIZE))
    straight = g[:, column + 2] - g[:, column] <= SAME_SHARE * np.maximum(g[:, along + 2] - g[:, along], ROUNDING)
    touches = [
        (g[:, along] <= e[along + 2] + slack)
        & (g[:, along + 2] >= e[along] - slack)
        & (g[:, column] >= e[column] - slack)
        & (g[:, column] <= e[column + 2] + slack)
        for e in (a, b)
    ]
    return bool((straight & touches[0] & touches[1]).any())


def fit(table: CurveTable, view: Shown, others: Sequence[Shown]) -> tuple[int, float]:
    """How well a view fits others: along how many axes they give the part the same stretch, and the mean share of its
    coordinates that they show too; nothing of either where a stretch differs, or no axis is shared."""
    shares = []
    for axis in axes_shown(view.frame):
        own, fixed = on_axis(table, view, axis), _known(table, others, axis)
        if own is None or fixed is None or not len(own):
            continue
        within = max(float(np.ptp(fixed)), LEAST_SIZE) * SEEN_LOOSE
        if abs(float(np.ptp(own)) - float(np.ptp(fixed))) > within:
            return 0, 0.0
        shares.append(float((nearest_to(fixed, own) <= within).mean()))
    return len(shares), float(np.mean(shares)) if shares else 0.0


def _known(table: CurveTable, placed: Iterable[Shown], axis: int) -> FloatArray | None:
    found = [c for v in placed if (c := on_axis(table, v, axis)) is not None and len(c)]
    return np.sort(np.concatenate(found)) if found else None


def agreements_of(table: CurveTable, views: Sequence[Shown]) -> list[Agreement]:
    """For each pair of views and each axis they share: what matches, what does not, and the worst distance."""
    out = []
    for i, a in enumerate(views):
        for b in views[i + 1 :]:
            for axis, name in enumerate(AXES):
                p, q = on_axis(table, a, axis), on_axis(table, b, axis)
                if p is None or q is None or not len(p) or not len(q):
                    continue
                within = max(float(np.ptp(p)), float(np.ptp(q)), LEAST_SIZE) * SEEN_LOOSE
                there, back = nearest_to(p, q), nearest_to(q, p)
                matched = there <= _told_apart(there, within)
                worst = float(there[matched].max()) if matched.any() else 0.0
                off = float(max(abs(p[0] - q[0]), abs(p[-1] - q[-1])))
                alone = (p[back > _told_apart(back, within)], q[~matched])
                out.append(
                    Agreement(
                        (a.name, b.name), name, int(matched.sum()), int((~matched).sum()), worst, off, within, alone
                    )
                )
    return out


def _told_apart(away: FloatArray, within: float) -> float:
    """How near counts as the same here: where most of what is near is very near, the rest of it is another thing."""
    near = away[away <= within]
    close = near <= _CLOSELY * within
    return _CLOSELY * within if len(near) and close.mean() >= 0.5 else within


def nearest_to(fixed: FloatArray, asked: FloatArray) -> FloatArray:
    """For each of `asked` how far the nearest of `fixed` (sorted, not empty) lies."""
    at = np.clip(np.searchsorted(fixed, asked), 1, max(len(fixed) - 1, 1))
    return np.asarray(np.minimum(np.abs(asked - fixed[at - 1]), np.abs(asked - fixed[np.minimum(at, len(fixed) - 1)])))


def shown_of(view: View, linework: Linework) -> Shown:
    """A folded view for lining up, with what is left of its curves."""
    rows = np.array(sorted(linework.row_of[key] for key in view.curves if key in linework.row_of), np.int64)
    return Shown(view.name, rows, view.frame)


def shown_found(view: FoundView) -> Shown:
    """A found view for lining up."""
    return Shown(view.name, view.rows, view.frame)
