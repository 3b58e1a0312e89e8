"""Two issues of one drawing: how far the newer is shifted on its sheet, what is the same, and what was added, removed,
moved or resized.

Both are first brought to one form, curves on one line or circle put together, so that it does not matter how they are
split, ordered, layered or exploded. The shift is the one that lays most curves on like ones.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.once import each_once
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.linework.model import Linework, StatedSize
from tectogon.tolerances import TINY

_SAME = 1e-6
"""Places are the same that differ by less than this share of the drawing's size, and at least by a micrometre."""
_LEAST = 1e-3
_ENOUGH = 0.5
"""Where so much of the older drawing (share of length) is the same curve for curve, only the rest is looked into."""
_PLAIN = 0.9
"""Where so much of it falls on like curves as it lies, it was not shifted."""
_MOST_VOTES = 40
"""So many like curves of the newer drawing are asked for each of the older one, when the shift is looked for."""
_ASKED = 400
_DIGIT = re.compile(r"\d")
_TEXT_REACH = 6.0
"""A text was changed where another stands within so many times its height."""
_MOVED_BY = 0.5
"""A single line is told as moved by so much of its length at most; further off it is another one."""
_CELLS = 400
_MOST_AT_ONCE, _MOST_LIKE = 4_000_000, 64
Kind = Literal["added", "removed", "moved", "resized"]


@dataclass(frozen=True)
class Change:
    """What changed: which kind of thing ("circle", "line", "arc", "curve", "outline of 4 curves"), its place on the
    newer sheet (on the older one, shifted, where it was removed), and from what to what: places where it was moved,
    sizes (mm) where it was resized."""

    kind: Kind
    what: str
    at: tuple[float, float]
    before: tuple[float, float] | float | None = None
    after: tuple[float, float] | float | None = None


@dataclass(frozen=True)
class TextChange:
    """A dimension whose text changed, was added (no old one) or removed (no new one), and where it stands (mm)."""

    old: str | None
    new: str | None
    at: tuple[float, float]


@dataclass(frozen=True)
class Comparison:
    """Two issues held against each other: the shift (mm) that was taken off, how many curves are the same, and the
    share of the older drawing's length that is."""

    shift: tuple[float, float]
    same: int
    share: float
    changed: tuple[Change, ...]
    dimensions: tuple[TextChange, ...]

    @property
    def identical(self) -> bool:
        """Whether nothing changed."""
        return not self.changed and not self.dimensions


def compare(old: Linework, new: Linework) -> Comparison:
    """Hold a newer issue of a drawing against the older one.

    What is the same curve for curve is found at once; the rest, with all that lies where it does, is brought to one
    form first. Where too little is the same so, everything is.
    """
    size = max((w.size for w in (old, new) if len(w)), default=1.0)
    near = max(_SAME * size, _LEAST)
    tables = old.table, new.table
    a, b = (_features(t) for t in tables)
    tree = cKDTree(b, balanced_tree=False) if len(b) else None
    shift = _shift(a, b, near, tree)
    pairs = _like_pairs(_moved(a, shift), b, near, tree)
    whole = float(a[:, 8].sum())
    if float(a[pairs[:, 0], 8].sum()) < _ENOUGH * whole:
        pairs = pairs[:0]
        before, after = (each_once(t.curves(), [])[0] for t in tables)
        shift = _shift(_features(CurveTable.of(before)), _features(CurveTable.of(after)), near)
    else:
        beside = _beside(tables, pairs, shift, near)
        pairs = pairs[~beside]
        rows = [_others(len(t), pairs[:, k]) for k, t in enumerate(tables)]
        before, after = (each_once(t.take(r).curves(), [])[0] for t, r in zip(tables, rows, strict=True))
    moved = _shifted(before, shift)
    left_a, left_b = _unlike(_features(CurveTable.of(moved)), _features(CurveTable.of(after)), near)
    kept = len(pairs) + len(before) - len(left_a)
    total = float(a[pairs[:, 0], 8].sum()) + sum(c.length for c in before)
    share = 1.0 - sum(moved[n].length for n in left_a) / total if total else 1.0
    changes = _changes([moved[n] for n in left_a], [after[n] for n in left_b], near)
    texts = _texts(old, new, shift, near)
    return Comparison((float(shift[0]), float(shift[1])), kept, share, tuple(changes), tuple(texts))


def _beside(tables: tuple[CurveTable, CurveTable], pairs: IntArray, shift: FloatArray, near: float) -> BoolArray:
    """Which pairs of like curves lie where a curve that has no like one does: they may be parts of one line."""
    out = np.zeros(len(pairs), bool)
    offs = shift, np.zeros(2)
    boxes = [
        t.bounds + np.tile(off, 2) + near * np.array([-4.0, -4.0, 4.0, 4.0])
        for t, off in zip(tables, offs, strict=True)
    ]
    left = [_others(len(t), pairs[:, k]) for k, t in enumerate(tables)]
    alone = np.concatenate([boxes[k][left[k]] for k in (0, 1)])
    if not len(alone) or not len(pairs):
        return out
    tree = shapely.STRtree(shapely.box(*alone.T))
    for k in (0, 1):
        mine = boxes[k][pairs[:, k]]
        maybe = np.flatnonzero(_near_any(mine, alone))
        out[maybe[np.unique(tree.query(shapely.box(*mine[maybe].T))[0])]] = True
    return out


def _near_any(boxes: FloatArray, others: FloatArray) -> BoolArray:
    """Which boxes (n, 4) share a cell of a coarse grid with any of others: no other can meet one of these."""
    low, high = others[:, :2].min(axis=0), others[:, 2:].max(axis=0)
    step = np.maximum((high - low) / _CELLS, TINY)

    def cells(some: FloatArray) -> tuple[IntArray, IntArray]:
        first, last = ((some[:, k : k + 2] - low) / step for k in (0, 2))
        return (np.clip(np.floor(v), -1, _CELLS).astype(np.int64) + 1 for v in (first, last))  # type: ignore[return-value]

    held = np.zeros((_CELLS + 3, _CELLS + 3), np.int64)
    (i0, j0), (i1, j1) = (v.T for v in cells(others))
    for rows, columns, sign in ((i0, j0, 1), (i1 + 1, j0, -1), (i0, j1 + 1, -1), (i1 + 1, j1 + 1, 1)):
        np.add.at(held, (rows, columns), sign)  # a box is its corners, added up twice
    filled = (np.cumsum(np.cumsum(held, axis=0), axis=1) > 0).astype(np.int64)
    total = np.zeros((_CELLS + 4, _CELLS + 4), np.int64)
    total[1:, 1:] = np.cumsum(np.cumsum(filled, axis=0), axis=1)
    (i0, j0), (i1, j1) = (v.T for v in cells(boxes))
    return np.asarray(total[i1 + 1, j1 + 1] - total[i0, j1 + 1] - total[i1 + 1, j0] + total[i0, j0] > 0)


def _features(table: CurveTable) -> FloatArray:
    """Each curve as numbers (n, 9) that do not depend on its direction: its kind, both ends in order, its middle, a
    quarter and three quarters added up, and its length. A circle is told by its centre."""
    count = len(table)
    if not count:
        return np.zeros((0, 9))
    t = np.array([0.0, 0.25, 0.5, 0.75, 1.0])
    p = np.empty((count, 5, 2))
    lines = table.kind == LINE
    a, b = table.data[lines, None, 0:2], table.data[lines, None, 2:4]
    p[lines] = a + t[:, None] * (b - a)
    bent = np.setdiff1d(np.flatnonzero(~lines), table.other_splines)
    p[bent] = table.points(np.repeat(bent, 5), np.tile(t, len(bent))).reshape(-1, 5, 2)
    for row in table.other_splines.tolist():
        p[row] = table.curve(row).points(t)
    full = (table.kind == ARC) & table.closed
    p[full] = table.data[full][:, None, :2]
    ends = np.round(p[:, [0, 4]], 9)
    against = (ends[:, 0, 0] > ends[:, 1, 0]) | ((ends[:, 0, 0] == ends[:, 1, 0]) & (ends[:, 0, 1] > ends[:, 1, 1]))
    ends[against] = ends[against][:, ::-1]
    kind = np.where(table.kind == LINE, 0.0, np.where(table.kind == ARC, 1e9, 2e9))
    sums = p[:, 1].sum(axis=1) + p[:, 3].sum(axis=1)
    return np.column_stack([kind, ends.reshape(count, 4), p[:, 2], sums, table.lengths])


def _moved(features: FloatArray, shift: FloatArray) -> FloatArray:
    """Features of the curves moved by a shift."""
    out = features.copy()
    out[:, 1:7] += np.tile(shift, 3)
    out[:, 7] += 2.0 * float(shift.sum())
    return out


def _others(count: int, rows: IntArray) -> IntArray:
    """All rows but these."""
    left = np.ones(count, bool)
    left[rows] = False
    return np.flatnonzero(left)


def _like_pairs(a: FloatArray, b: FloatArray, near: float, tree: cKDTree | None = None) -> IntArray:
    """Pairs (m, 2) of like curves, each matched once, the nearest first; `tree`: of `b`, where it is known."""
    if not len(a) or not len(b):
        return np.zeros((0, 2), np.int64)
    away, to = (
        np.asarray(v) for v in (tree or cKDTree(b, balanced_tree=False)).query(a, distance_upper_bound=4.0 * near)
    )
    order = np.argsort(away, kind="stable")
    order = order[np.isfinite(away[order])]
    _, first = np.unique(to[order], return_index=True)
    rows = order[np.sort(first)]
    return np.column_stack([rows, to[rows]]).astype(np.int64)


def _shift(a: FloatArray, b: FloatArray, near: float, tree: cKDTree | None = None) -> FloatArray:
    """What to add to the older drawing's places so that most of its curves fall on like ones of the newer; `tree`: of
    `b`, where it is known."""
    if not len(a) or not len(b):
        return np.zeros(2)
    tree = tree or cKDTree(b, balanced_tree=False)
    some = a[:: max(1, len(a) // _ASKED)]
    if _hits(some, tree, np.zeros(2), near) >= _PLAIN * float(some[:, 8].sum()):
        return np.zeros(2)  # it lies where it did
    form_a, form_b = (_forms(f, near) for f in (a, b))
    places: dict[tuple[float, ...], list[int]] = defaultdict(list)
    for n, form in enumerate(form_b):
        places[form].append(n)
    votes: Counter[tuple[float, float]] = Counter()
    # rare forms tell most: those that few curves have, and the long ones first
    order = sorted(range(len(a)), key=lambda n: (len(places.get(form_a[n], ())) or 1 << 30, -a[n, 8]))[:_ASKED]
    for n in order:
        for m in places.get(form_a[n], ())[:_MOST_VOTES]:
            off = b[m, 5:7] - a[n, 5:7]
            votes[(round(float(off[0]) / near / 4.0), round(float(off[1]) / near / 4.0))] += 1
    candidates = [np.zeros(2), *(np.array(v) * near * 4.0 for v, _ in votes.most_common(8))]
    exact = [_refined(c, a, b, form_a, places, near) for c in candidates]
    return max(exact, key=lambda s: (_hits(a, tree, s, near), -float(np.hypot(*s)) * 1e-12))


def _forms(features: FloatArray, near: float) -> list[tuple[float, ...]]:
    """What a curve is like wherever it stands: its kind, how far it reaches, its length."""
    chord = np.abs(features[:, 3:5] - features[:, 1:3])
    sag = np.abs(features[:, 5:7] - (features[:, 1:3] + features[:, 3:5]) / 2.0)
    steps = np.round(np.column_stack([features[:, 0], chord / near / 10, sag / near / 10, features[:, 8] / near / 10]))
    return [tuple(row) for row in steps.tolist()]


def _refined(
    start: FloatArray,
    a: FloatArray,
    b: FloatArray,
    form_a: list[tuple[float, ...]],
    places: dict[tuple[float, ...], list[int]],
    near: float,
) -> FloatArray:
    """A shift as exact as its curves are: the median of those that agree with it."""
    offs = [
        b[m, 5:7] - a[n, 5:7]
        for n in range(min(len(a), _ASKED))
        for m in places.get(form_a[n], ())[:_MOST_VOTES]
        if float(np.abs(b[m, 5:7] - a[n, 5:7] - start).max()) <= 8.0 * near
    ]
    return np.median(np.array(offs), axis=0) if offs else start


def _hits(a: FloatArray, tree: cKDTree, shift: FloatArray, near: float) -> float:
    """The length of curves that fall on like ones, in a tree, under a shift."""
    away, _ = tree.query(_moved(a, shift), distance_upper_bound=4.0 * near)
    return float(a[np.isfinite(away), 8].sum() + 1e-6 * np.isfinite(away).sum())


def _unlike(a: FloatArray, b: FloatArray, near: float) -> tuple[list[int], list[int]]:
    """The curves of both that have no like one in the other, each matched once."""
    pairs = _like_pairs(a, b, near)
    left, right = (_others(len(f), pairs[:, k]) for k, f in enumerate((a, b)))
    return left.tolist(), right.tolist()


def _changes(old: list[Curve], new: list[Curve], near: float) -> list[Change]:
    """What became of the curves that have no like one."""
    out: list[Change] = []
    for find in (_moved_groups, _resized_circles, _moved_circles, _resized_lines, _moved_lines):
        found, used_a, used_b = find(old, new, near)
        out += found
        old = [c for n, c in enumerate(old) if n not in used_a]
        new = [c for n, c in enumerate(new) if n not in used_b]
    out = [change for change in out if _far_enough(change, near)]
    out += [Change("removed", _called([c]), _middle(c)) for c in old]
    out += [Change("added", _called([c]), _middle(c)) for c in new]
    return out


def _far_enough(change: Change, near: float) -> bool:
    """Whether what was moved or resized differs by more than places do that are the same."""
    by = np.abs(np.array(change.after, float) - np.array(change.before, float))
    return float(by.max()) > 8.0 * near


Found = tuple[list[Change], set[int], set[int]]


def _moved_groups(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Curves that hang together and were moved as one."""
    groups = [_groups(some, near) for some in (old, new)]
    out: list[Change] = []
    used: tuple[set[int], set[int]] = (set(), set())
    forms = [{}, {}]  # type: list[dict[tuple[Any, ...], list[list[int]]]]
    for k, (some, parted) in enumerate(zip((old, new), groups, strict=True)):
        for rows in parted:
            if len(rows) > 1:
                forms[k].setdefault(_form([some[n] for n in rows], near), []).append(rows)
    for form, mine in forms[0].items():
        theirs = list(forms[1].get(form, ()))
        for rows in mine:
            if not theirs:
                break
            at = np.array(_centre([old[n] for n in rows]))
            other = min(theirs, key=lambda r: float(np.hypot(*(np.array(_centre([new[n] for n in r])) - at))))
            theirs.remove(other)
            to = _centre([new[n] for n in other])
            out.append(Change("moved", _called([new[n] for n in other]), to, _pair(at), to))
            used[0].update(rows)
            used[1].update(other)
    return out, *used


def _groups(curves: list[Curve], near: float) -> list[list[int]]:
    """Curves whose ends meet, as groups."""
    if not curves:
        return []
    ends = CurveTable.of(curves).ends.reshape(-1, 2)
    pairs = cKDTree(ends).query_pairs(4.0 * near, output_type="ndarray") // 2
    joined = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(curves), len(curves)))
    _, label = connected_components(joined, directed=False)
    out: dict[int, list[int]] = defaultdict(list)
    for n, group in enumerate(label.tolist()):
        out[group].append(n)
    return list(out.values())


def _form(curves: list[Curve], near: float) -> tuple[Any, ...]:
    """What a group is like wherever it stands."""
    x, y = _centre(curves)
    features = _features(CurveTable.of(curves))
    features[:, [1, 3, 5]] -= x
    features[:, [2, 4, 6]] -= y
    features[:, 7] -= 2.0 * (x + y)
    return tuple(sorted(tuple(row) for row in np.round(features[:, [0, 1, 2, 3, 4, 5, 6, 8]] / near / 10).tolist()))


def _resized_circles(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Circles about the same centre with another diameter."""

    def fits(a: FloatArray, b: FloatArray) -> FloatArray:
        off, radius = _off(a[:, :2], b[:, :2]), np.abs(a[:, None, 2] - b[None, :, 2])
        return np.where(off <= 4.0 * near, radius, np.inf)

    def told(a: Arc, b: Arc) -> Change:
        return Change("resized", "circle", (b.cx, b.cy), 2.0 * a.radius, 2.0 * b.radius)

    return _paired(old, new, _circle, fits, told)


def _moved_circles(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Circles of the same diameter in another place, the nearest first."""

    def fits(a: FloatArray, b: FloatArray) -> FloatArray:
        return np.where(np.abs(a[:, None, 2] - b[None, :, 2]) <= 4.0 * near, _off(a[:, :2], b[:, :2]), np.inf)

    def told(a: Arc, b: Arc) -> Change:
        return Change("moved", "circle", (b.cx, b.cy), (a.cx, a.cy), (b.cx, b.cy))

    return _paired(old, new, _circle, fits, told)


def _resized_lines(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Lines on one line that overlap, longer or shorter."""

    def fits(a: FloatArray, b: FloatArray) -> FloatArray:
        way, length = _ways(a)
        off = b.reshape(1, -1, 2, 2) - a[:, None, None, :2]
        aside = np.abs(off[..., 1] * way[:, None, None, 0] - off[..., 0] * way[:, None, None, 1]).max(axis=2)
        along = off[..., 0] * way[:, None, None, 0] + off[..., 1] * way[:, None, None, 1]
        overlap = np.minimum(along.max(axis=2), length[:, None]) - np.maximum(along.min(axis=2), 0.0)
        return np.where((aside <= 4.0 * near) & (overlap > 4.0 * near), -overlap, np.inf)

    def told(a: Line, b: Line) -> Change:
        if abs(a.length - b.length) <= 4.0 * near:  # along itself
            return Change("moved", "line", _middle(b), _middle(a), _middle(b))
        return Change("resized", "line", _middle(b), a.length, b.length)

    return _paired(old, new, _line, fits, told)


def _moved_lines(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Lines of the same direction and length in another place, the nearest first; longer or shorter ones where they are
    moved square to themselves."""

    def fits(a: FloatArray, b: FloatArray) -> FloatArray:
        (way, length), (other, others) = _ways(a), _ways(b)
        turned = np.abs(way[:, None, 0] * other[None, :, 1] - way[:, None, 1] * other[None, :, 0])
        like = turned * np.maximum(length[:, None], others) <= 4.0 * near
        like &= np.abs(length[:, None] - others) <= 8.0 * near
        off = _off((a[:, :2] + a[:, 2:]) / 2.0, (b[:, :2] + b[:, 2:]) / 2.0)
        like &= off <= _MOVED_BY * length[:, None]
        return np.where(like, off, np.inf)

    def told(a: Line, b: Line) -> Change:
        return Change("moved", "line", _middle(b), _middle(a), _middle(b))

    return _paired(old, new, _line, fits, told)


def _paired(old: list[Curve], new: list[Curve], kind: Any, fits: Any, told: Any) -> Found:
    """Pairs of one kind, those that fit best first, each curve once. `fits` gives for the data (n, …) and (m, …) of
    both a matrix of how badly each two go together, infinite for not at all; it is asked for some at a time."""
    mine, theirs = ([n for n, c in enumerate(some) if kind(c)] for some in (old, new))
    out: list[Change] = []
    used: tuple[set[int], set[int]] = (set(), set())
    if not mine or not theirs:
        return out, *used
    a, b = (_data([some[n] for n in rows]) for some, rows in ((old, mine), (new, theirs)))
    step = max(1, _MOST_AT_ONCE // len(b))
    scored: list[tuple[float, int, int]] = []
    for first in range(0, len(a), step):
        scores = fits(a[first : first + step], b)
        if scores.shape[1] > _MOST_LIKE:  # of very many that are alike the best will do
            scores[scores > np.partition(scores, _MOST_LIKE, axis=1)[:, _MOST_LIKE, None]] = np.inf
        rows, columns = np.nonzero(np.isfinite(scores))
        scored += zip(scores[rows, columns].tolist(), (rows + first).tolist(), columns.tolist(), strict=True)
    for _, own, other in sorted(scored):
        n, m = mine[own], theirs[other]
        if n not in used[0] and m not in used[1]:
            used[0].add(n)
            used[1].add(m)
            out.append(told(old[n], new[m]))
    return out, *used


def _data(curves: list[Curve]) -> FloatArray:
    """The ends (n, 4) of lines, or centres and radii (n, 3) of circles."""
    return np.array([_numbers(c) for c in curves])


def _numbers(curve: Curve) -> tuple[float, ...]:
    if isinstance(curve, Arc):
        return curve.cx, curve.cy, curve.radius
    assert isinstance(curve, Line)
    return curve.x0, curve.y0, curve.x1, curve.y1


def _ways(ends: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Unit directions (n, 2) and lengths (n,) of lines."""
    step = ends[:, 2:] - ends[:, :2]
    length = np.hypot(*step.T)
    return step / np.maximum(length, TINY)[:, None], length


def _off(a: FloatArray, b: FloatArray) -> FloatArray:
    """The distance of each of some points to each of others."""
    return np.hypot(a[:, None, 0] - b[None, :, 0], a[:, None, 1] - b[None, :, 1])


def _circle(c: Curve) -> bool:
    return isinstance(c, Arc) and c.full


def _line(c: Curve) -> bool:
    return isinstance(c, Line)


def _called(curves: list[Curve]) -> str:
    """What curves are called: one by its kind, several that hang together as an outline."""
    if len(curves) > 1:
        return f"outline of {len(curves)} curves"
    c = curves[0]
    return "line" if _line(c) else "circle" if _circle(c) else "arc" if isinstance(c, Arc) else "curve"


def _middle(c: Curve) -> tuple[float, float]:
    if isinstance(c, Arc) and c.full:
        return c.cx, c.cy
    return _pair(np.asarray(c.points(np.array([0.5])))[0])


def _centre(curves: list[Curve]) -> tuple[float, float]:
    x0, y0, x1, y1 = CurveTable.of(curves).extents.tolist()
    return (x0 + x1) / 2.0, (y0 + y1) / 2.0


def _pair(point: Any) -> tuple[float, float]:
    x, y = (float(v) for v in point)
    return x, y


def _shifted(curves: list[Curve], shift: FloatArray) -> list[Curve]:
    return CurveTable.of(curves).transformed(np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]])).curves()


def _texts(old: Linework, new: Linework, shift: FloatArray, near: float) -> list[TextChange]:
    """Dimensions and texts with numbers that say something else."""
    reach = 0.1 * max(w.size if len(w) else 0.0 for w in (old, new))
    sizes = [_sizes(w.stated, by) for w, by in ((old, shift), (new, np.zeros(2)))]
    words = []
    for w, by in ((old, shift), (new, np.zeros(2))):
        words.append([(t.text.strip(), np.array(t.at) + by, t.height) for t in w.texts if _DIGIT.search(t.text)])
    stated = [[(t, p, reach) for t, p in some] for some in sizes]
    far = _TEXT_REACH * max((h for some in words for *_, h in some), default=1.0)
    written = [[(t, p, far) for t, p, _ in some] for some in words]
    return _matched(stated[0], stated[1], near) + _matched(written[0], written[1], near)


def _sizes(stated: Sequence[StatedSize], by: FloatArray) -> list[tuple[str, FloatArray]]:
    """True dimensions: what they say, and the middle of what they measure."""
    out = []
    for s in stated:
        if s.points:
            value = s.stated if s.stated is not None else s.drawn_mm
            text = s.text.replace("<>", f"{value:.6g}" if value is not None else "")
            out.append((text, np.array(s.points).mean(axis=0) + by))
    return out


def _matched(
    old: list[tuple[str, FloatArray, float]], new: list[tuple[str, FloatArray, float]], near: float
) -> list[TextChange]:
    """Texts paired: the same at one place first, then the same anywhere near, then the nearest of the rest."""
    left = list(range(len(new)))
    rest = []
    for one in old:
        text, at, _ = one
        same = [m for m in left if new[m][0] == text]
        best = min(same, key=lambda m: float(np.hypot(*(new[m][1] - at))), default=None)
        if best is not None and float(np.hypot(*(new[best][1] - at))) <= max(one[2], near):
            left.remove(best)
        else:
            rest.append(one)
    out = []
    for text, at, reach in rest:
        best = min(left, key=lambda m: float(np.hypot(*(new[m][1] - at))), default=None)
        if best is not None and float(np.hypot(*(new[best][1] - at))) <= reach:
            left.remove(best)
            out.append(TextChange(text, new[best][0], _pair(new[best][1])))
        else:
            out.append(TextChange(text, None, _pair(at)))
    return out + [TextChange(None, new[m][0], _pair(new[m][1])) for m in left]
