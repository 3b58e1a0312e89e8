"""The frame round the sheet, and the title block that stands in it.

A frame is a rectangle of level and upright lines that reaches as far as the drawing does and holds the rest of it. A
plate with holes is that too, so a frame must say more of itself: cells with words in them along its side, a second
frame close inside the first, or the measure of a paper sheet with several things drawn on it.
"""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt
import shapely

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.views.groups import find_groups

_NONE = np.zeros(0, np.int64)
_PAPER = np.array(
    [
        (1189, 841),
        (841, 594),
        (594, 420),
        (420, 297),
        (297, 210),
        (210, 148),
        (279.4, 215.9),
        (431.8, 279.4),
        (558.8, 431.8),
        (863.6, 558.8),
        (1117.6, 863.6),
    ]
)
_PAPER_SCALES = (1.0, 1 / 25.4, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 0.5, 0.2)
_SNUG = 2e-3
_MARGIN = 0.06
"""Marks stick out of a frame, and are long, by no more than this share of it."""
_MOST_OF, _MOST_SIDES = 0.8, 4


def find_border(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of the frames round the sheet and of the title block among `rows`; empty where it is not certain that there
    are any."""
    table = linework.table.take(rows)
    if len(table) < 5:
        return _NONE
    size = linework.table.take(rows).extents
    reach = float(max(size[2] - size[0], size[3] - size[1])) * _SNUG
    level, upright = _straight(table.kind, table.data, reach)
    box = _outer_box(table, level, upright, reach)
    outer = None if box is None else _frame(table.data, level, upright, box, reach)
    if box is None or outer is None:
        return _NONE
    inner_rows = np.setdiff1d(np.arange(len(table)), outer)
    second = _second_frame(table.data, level, upright, inner_rows, box, reach)
    sides = np.union1d(outer, second)
    held = box if not len(second) else _box_of(table.data, second)
    cells = _cells(table.data, level | upright, np.setdiff1d(np.arange(len(table)), sides), held, linework, reach)
    worded = _holds_words(table.data, cells, held, linework) if len(cells) else False
    rest = np.setdiff1d(np.arange(len(table)), np.union1d(sides, cells))
    if not len(rest):
        return _NONE
    if not (worded or len(second) or _is_paper(box, table.take(rest), reach)):
        return _NONE
    ticks = _ticks(table.data, level | upright, rest, box, held)
    return rows[np.union1d(sides, np.union1d(cells, ticks))]


def _outer_box(table: CurveTable, level: BoolArray, upright: BoolArray, reach: float) -> FloatArray | None:
    """The outermost rectangle of level and upright lines that holds all that is drawn, but for marks that stick out of
    it; None where there is none."""
    extents = table.extents
    places = [_long_places(table, lines, axis, reach) for axis, lines in ((0, upright), (1, level))]
    if any(len(p) < 2 for p in places):
        return None
    x, y = ([p[:_MOST_SIDES], p[-_MOST_SIDES:]] for p in places)
    boxes = [
        np.array([x0, y0, x1, y1])
        for x0, x1 in itertools.product(*x)
        for y0, y1 in itertools.product(*y)
        if x0 < x1 - reach and y0 < y1 - reach
    ]
    bounds = table.bounds
    across = np.maximum(bounds[:, 2] - bounds[:, 0], bounds[:, 3] - bounds[:, 1])
    for box in sorted(boxes, key=lambda b: -float((b[2] - b[0]) * (b[3] - b[1]))):
        out = np.any(bounds[:, :2] < box[:2] - reach, axis=1) | np.any(bounds[:, 2:] > box[2:] + reach, axis=1)
        margin = _MARGIN * max(box[2] - box[0], box[3] - box[1])
        if (
            np.abs(extents - box).max() <= margin
            and (across[out] <= margin).all()
            and _frame(table.data, level, upright, box, reach) is not None
        ):
            return box
    return None


def _long_places(table: CurveTable, lines: BoolArray, axis: int, reach: float) -> FloatArray:
    """Where lines across an axis stand that reach, all on one line taken together, over most of the sheet; in order."""
    other = 1 - axis
    at, size = table.data[lines][:, axis], float(np.ptp(table.extents[[other, other + 2]]))
    if not len(at):
        return at
    order = np.argsort(at)
    label = np.cumsum(np.concatenate([[0], np.diff(at[order]) > reach]))
    total = np.bincount(label, table.lengths[lines][order])
    middle = np.bincount(label, at[order]) / np.bincount(label)
    return np.asarray(middle[total >= _MOST_OF * size])


def _straight(kind: npt.NDArray[np.uint8], data: FloatArray, reach: float) -> tuple[BoolArray, BoolArray]:
    line = kind == LINE
    flat = line & (np.abs(data[:, 3] - data[:, 1]) <= 0.1 * reach)
    steep = line & (np.abs(data[:, 2] - data[:, 0]) <= 0.1 * reach)
    return flat & ~steep, steep & ~flat


def _on_side(data: FloatArray, level: BoolArray, upright: BoolArray, box: FloatArray, reach: float) -> list[BoolArray]:
    """Which lines lie on the left, lower, right and upper side of a box."""
    x, y = (data[:, 0] + data[:, 2]) / 2.0, (data[:, 1] + data[:, 3]) / 2.0
    inside = (np.minimum(data[:, 0], data[:, 2]) >= box[0] - reach) & (
        np.maximum(data[:, 0], data[:, 2]) <= box[2] + reach
    )
    inside &= (np.minimum(data[:, 1], data[:, 3]) >= box[1] - reach) & (
        np.maximum(data[:, 1], data[:, 3]) <= box[3] + reach
    )
    return [
        upright & inside & (np.abs(x - box[0]) <= reach),
        level & inside & (np.abs(y - box[1]) <= reach),
        upright & inside & (np.abs(x - box[2]) <= reach),
        level & inside & (np.abs(y - box[3]) <= reach),
    ]


def _frame(data: FloatArray, level: BoolArray, upright: BoolArray, box: FloatArray, reach: float) -> IntArray | None:
    """Lines that cover all four sides of the box, or None."""
    sides = _on_side(data, level, upright, box, reach)
    for k, side in enumerate(sides):
        axis = 1 if k % 2 == 0 else 0
        low, high = (
            np.minimum(data[side, axis], data[side, axis + 2]),
            np.maximum(data[side, axis], data[side, axis + 2]),
        )
        if not len(low) or _covered(low, high) < 0.97 * (box[axis + 2] - box[axis]):
            return None
    return np.flatnonzero(np.logical_or.reduce(sides))


def _covered(low: FloatArray, high: FloatArray) -> float:
    """How much of a line intervals cover together."""
    order = np.argsort(low)
    low, high = low[order], np.maximum.accumulate(high[order])
    starts = np.concatenate([[-np.inf], high[:-1]])
    return float(np.maximum(high - np.maximum(low, starts), 0.0).sum())


def _second_frame(
    data: FloatArray, level: BoolArray, upright: BoolArray, rows: IntArray, box: FloatArray, reach: float
) -> IntArray:
    """A frame close inside the first: each side within an eighth of the sheet from the outer one, reaching nearly as
    far."""
    wide, high = box[2] - box[0], box[3] - box[1]
    lines = rows[(level | upright)[rows]]
    tall = lines[upright[lines] & (np.abs(data[lines, 3] - data[lines, 1]) > 0.85 * high)]
    broad = lines[level[lines] & (np.abs(data[lines, 2] - data[lines, 0]) > 0.8 * wide)]
    if len(tall) < 2 or len(broad) < 2:
        return _NONE
    x, y = data[tall, 0], data[broad, 1]
    inner = np.array([x.min(), y.min(), x.max(), y.max()])
    near = np.abs(inner - box) <= 0.125 * np.array([wide, high, wide, high])
    if not near.all() or (np.abs(inner - box) <= reach).all():
        return _NONE
    mask = np.zeros(len(data), bool)
    mask[lines] = True
    found = _frame(data, level & mask, upright & mask, inner, reach)
    return found if found is not None else _NONE


def _box_of(data: FloatArray, rows: IntArray) -> FloatArray:
    x, y = data[rows][:, [0, 2]], data[rows][:, [1, 3]]
    return np.array([x.min(), y.min(), x.max(), y.max()])


def _cells(
    data: FloatArray, straight: BoolArray, rows: IntArray, box: FloatArray, linework: Linework, reach: float
) -> IntArray:
    """Lines of the title block, and of tables like it: those that hang, one on the other, on a side of the frame from
    within, each in a corner that takes less than half of it."""
    lines = rows[straight[rows]]
    x, y = data[lines][:, [0, 2]], data[lines][:, [1, 3]]
    within = (x >= box[0] - reach) & (x <= box[2] + reach) & (y >= box[1] - reach) & (y <= box[3] + reach)
    lines = lines[within.all(axis=1)]
    x, y = data[lines][:, [0, 2]], data[lines][:, [1, 3]]
    on = (
        (np.abs(x - box[0]) <= reach)
        | (np.abs(x - box[2]) <= reach)
        | (np.abs(y - box[1]) <= reach)
        | (np.abs(y - box[3]) <= reach)
    ).any(axis=1)
    taken, border = on.copy(), lines[on]
    while len(border):
        left = np.flatnonzero(~taken)
        if not len(left):
            break
        meets = _meets(data[lines[left]], data[border], reach)
        taken[left[meets]] = True
        border = lines[left[meets]]
    found = lines[taken]
    if not len(found):
        return _NONE
    whole = (box[2] - box[0]) * (box[3] - box[1])
    small = []
    for part in _hanging_together(data, found, reach):
        low = _box_of(data, part)
        if (low[2] - low[0]) * (low[3] - low[1]) < 0.5 * whole:
            small.append(part)
    return np.sort(np.concatenate(small)) if small else _NONE


def _hanging_together(data: FloatArray, rows: IntArray, reach: float) -> list[IntArray]:
    """Level and upright lines in parts that touch."""
    left, out = rows, []
    while len(left):
        part, left = left[:1], left[1:]
        while True:
            meets = _meets(data[left], data[part], reach) if len(left) else np.zeros(0, bool)
            if not meets.any():
                break
            part, left = np.concatenate([part, left[meets]]), left[~meets]
        out.append(part)
    return out


def _meets(a: FloatArray, b: FloatArray, reach: float) -> BoolArray:
    """Which level or upright lines of `a` touch one of `b`."""

    def boxes(d: FloatArray) -> npt.NDArray[np.object_]:
        low, high = np.minimum(d[:, :2], d[:, 2:4]) - reach / 2, np.maximum(d[:, :2], d[:, 2:4]) + reach / 2
        return np.asarray(shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1]))

    out = np.zeros(len(a), bool)
    out[shapely.STRtree(boxes(a)).query(boxes(b), predicate="intersects")[1]] = True
    return out


def _holds_words(data: FloatArray, cells: IntArray, box: FloatArray, linework: Linework) -> bool:
    """Whether words stand in one of the tables, or in the corner that it is in."""
    return any(
        _words_in(data, part, box, linework)
        for part in _hanging_together(data, cells, _SNUG * float(max(box[2] - box[0], box[3] - box[1])))
    )


def _words_in(data: FloatArray, cells: IntArray, box: FloatArray, linework: Linework) -> bool:
    x0, y0, x1, y1 = _box_of(data, cells)
    x0, x1 = (box[0], x1) if x0 - box[0] < box[2] - x1 else (x0, box[2])
    y0, y1 = (box[1], y1) if y0 - box[1] < box[3] - y1 else (y0, box[3])
    words = sum(1 for t in linework.texts if x0 <= t.at[0] <= x1 and y0 <= t.at[1] <= y1)
    return words >= 2 or (words == 1 and len(cells) >= 2)


def _is_paper(box: FloatArray, rest: CurveTable, reach: float) -> bool:
    """Whether the frame measures as a paper sheet does, less a margin, with two or more things drawn on it that stand
    apart."""
    sides = np.array([box[2] - box[0], box[3] - box[1]])
    long, short = sides.max(), sides.min()
    for scale in _PAPER_SCALES:
        margin = (_PAPER * scale) - np.array([long, short])
        if ((margin >= -1e-3 * long) & (margin <= 0.1 * _PAPER * scale) & (margin <= 45.0 * scale)).all(axis=1).any():
            return bool(len(np.unique(find_groups(rest, reach=reach))) >= 2)
    return False


def _ticks(data: FloatArray, straight: BoolArray, rows: IntArray, box: FloatArray, held: FloatArray) -> IntArray:
    """Short marks that reach out of the inner frame: between the two, across one, or beyond both."""
    lines = rows[straight[rows]]
    x, y = data[lines][:, [0, 2]], data[lines][:, [1, 3]]
    reach = _SNUG * float(max(box[2] - box[0], box[3] - box[1]))
    outside = ((x < held[0] - reach) | (x > held[2] + reach) | (y < held[1] - reach) | (y > held[3] + reach)).any(
        axis=1
    )
    short = np.hypot(x[:, 1] - x[:, 0], y[:, 1] - y[:, 0]) <= _MARGIN * max(box[2] - box[0], box[3] - box[1])
    return lines[outside & short]
