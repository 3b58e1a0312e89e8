"""Two issues of one drawing: how far the newer is shifted on its sheet, what is the same, and what was added, removed,
moved or resized.

Both are first brought to one form, curves on one line or circle put together, so that it does not matter how they are
split, ordered, layered or exploded. The shift is the one that lays most curves on like ones.
"""

from __future__ import annotations

import math
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
    shift = _shift(a, b, near)
    pairs = _like_pairs(_moved(a, shift), b, near)
    whole = float(a[:, 8].sum())
    if float(a[pairs[:, 0], 8].sum()) < _ENOUGH * whole:
        pairs = pairs[:0]
        before, after = (each_once(t.curves(), [])[0] for t in tables)
        shift = _shift(_features(CurveTable.of(before)), _features(CurveTable.of(after)), near)
    else:
        beside = _beside(tables, pairs, shift, near)
        pairs = pairs[~beside]
        rows = [np.setdiff1d(np.arange(len(t)), pairs[:, k]) for k, t in enumerate(tables)]
        before, after = (each_once(t.take(r).curves(), [])[0] for t, r in zip(tables, rows, strict=True))
    moved = [_shifted(c, shift) for c in before]
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
    left = [np.setdiff1d(np.arange(len(t)), pairs[:, k]) for k, t in enumerate(tables)]
    alone = np.concatenate([boxes[k][left[k]] for k in (0, 1)])
    if not len(alone) or not len(pairs):
        return out
    tree = shapely.STRtree(shapely.box(*alone.T))
    for k in (0, 1):
        mine = boxes[k][pairs[:, k]]
        out[np.unique(tree.query(shapely.box(*mine.T))[0])] = True
    return out


def _features(table: CurveTable) -> FloatArray:
    """Each curve as numbers (n, 9) that do not depend on its direction: its kind, both ends in order, its middle, a
    quarter and three quarters added up, and its length. A circle is told by its centre."""
    count = len(table)
    if not count:
        return np.zeros((0, 9))
    rows = np.repeat(np.arange(count), 5)
    flat = np.empty((count * 5, 2))
    plain = ~np.isin(rows, table.other_splines)
    t = np.tile([0.0, 0.25, 0.5, 0.75, 1.0], count)
    flat[plain] = table.points(rows[plain], t[plain])
    for row in table.other_splines.tolist():
        flat[5 * row : 5 * row + 5] = table.curve(row).points(t[:5])
    p = flat.reshape(count, 5, 2)
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


def _like_pairs(a: FloatArray, b: FloatArray, near: float) -> IntArray:
    """Pairs (m, 2) of like curves, each matched once, the nearest first."""
    if not len(a) or not len(b):
        return np.zeros((0, 2), np.int64)
    away, to = (np.asarray(v) for v in cKDTree(b).query(a, distance_upper_bound=4.0 * near))
    order = np.argsort(away, kind="stable")
    order = order[np.isfinite(away[order])]
    _, first = np.unique(to[order], return_index=True)
    rows = order[np.sort(first)]
    return np.column_stack([rows, to[rows]]).astype(np.int64)


def _shift(a: FloatArray, b: FloatArray, near: float) -> FloatArray:
    """What to add to the older drawing's places so that most of its curves fall on like ones of the newer."""
    if not len(a) or not len(b):
        return np.zeros(2)
    if _hits(a, b, np.zeros(2), near) >= _PLAIN * float(a[:, 8].sum()):
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
    return max(exact, key=lambda s: (_hits(a, b, s, near), -float(np.hypot(*s)) * 1e-12))


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


def _hits(a: FloatArray, b: FloatArray, shift: FloatArray, near: float) -> float:
    """The length of curves that fall on like ones under a shift."""
    away, _ = cKDTree(b).query(_moved(a, shift), distance_upper_bound=4.0 * near)
    return float(a[np.isfinite(away), 8].sum() + 1e-6 * np.isfinite(away).sum())


def _unlike(a: FloatArray, b: FloatArray, near: float) -> tuple[list[int], list[int]]:
    """The curves of both that have no like one in the other, each matched once."""
    pairs = _like_pairs(a, b, near)
    left, right = (np.setdiff1d(np.arange(len(f)), pairs[:, k]) for k, f in enumerate((a, b)))
    return left.tolist(), right.tolist()


def _changes(old: list[Curve], new: list[Curve], near: float) -> list[Change]:
    """What became of the curves that have no like one."""
    out: list[Change] = []
    for find in (_moved_groups, _resized_circles, _moved_circles, _resized_lines, _moved_lines):
        found, used_a, used_b = find(old, new, near)
        out += found
        old = [c for n, c in enumerate(old) if n not in used_a]
        new = [c for n, c in enumerate(new) if n not in used_b]
    out += [Change("removed", _called([c]), _middle(c)) for c in old]
    out += [Change("added", _called([c]), _middle(c)) for c in new]
    return out


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

    def fits(a: Arc, b: Arc) -> float | None:
        off = math.hypot(a.cx - b.cx, a.cy - b.cy)
        return abs(a.radius - b.radius) if off <= 4.0 * near else None

    def told(a: Arc, b: Arc) -> Change:
        return Change("resized", "circle", (b.cx, b.cy), 2.0 * a.radius, 2.0 * b.radius)

    return _paired(old, new, _circle, fits, told)


def _moved_circles(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Circles of the same diameter in another place, the nearest first."""

    def fits(a: Arc, b: Arc) -> float | None:
        return math.hypot(a.cx - b.cx, a.cy - b.cy) if abs(a.radius - b.radius) <= 4.0 * near else None

    def told(a: Arc, b: Arc) -> Change:
        return Change("moved", "circle", (b.cx, b.cy), (a.cx, a.cy), (b.cx, b.cy))

    return _paired(old, new, _circle, fits, told)


def _resized_lines(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Lines on one line that overlap, longer or shorter."""

    def fits(a: Line, b: Line) -> float | None:
        way = _way(a)
        off = np.array([[b.x0 - a.x0, b.y0 - a.y0], [b.x1 - a.x0, b.y1 - a.y0]])
        if float(np.abs(off @ [-way[1], way[0]]).max()) > 4.0 * near:
            return None
        low, high = sorted((off @ way).tolist())
        overlap = min(high, a.length) - max(low, 0.0)
        return -overlap if overlap > 4.0 * near else None

    def told(a: Line, b: Line) -> Change:
        if abs(a.length - b.length) <= 4.0 * near:  # along itself
            return Change("moved", "line", _middle(b), _middle(a), _middle(b))
        return Change("resized", "line", _middle(b), a.length, b.length)

    return _paired(old, new, _line, fits, told)


def _moved_lines(old: list[Curve], new: list[Curve], near: float) -> Found:
    """Lines of the same direction and length in another place, the nearest first; longer or shorter ones where they are
    moved square to themselves."""

    def fits(a: Line, b: Line) -> float | None:
        way, other = _way(a), _way(b)
        if abs(way[0] * other[1] - way[1] * other[0]) * max(a.length, b.length) > 4.0 * near:
            return None
        if abs(a.length - b.length) > 8.0 * near:
            return None
        return float(np.hypot(*(np.array(_middle(a)) - _middle(b))))

    def told(a: Line, b: Line) -> Change:
        return Change("moved", "line", _middle(b), _middle(a), _middle(b))

    return _paired(old, new, _line, fits, told)


def _paired(old: list[Curve], new: list[Curve], kind: Any, fits: Any, told: Any) -> Found:
    """Pairs of one kind, those that fit best first, each curve once."""
    mine, theirs = ([(n, c) for n, c in enumerate(some) if kind(c)] for some in (old, new))
    scored = sorted((score, n, m) for n, a in mine for m, b in theirs for score in [fits(a, b)] if score is not None)
    out: list[Change] = []
    used: tuple[set[int], set[int]] = (set(), set())
    for _, n, m in scored:
        if n not in used[0] and m not in used[1]:
            used[0].add(n)
            used[1].add(m)
            out.append(told(old[n], new[m]))
    return out, *used


def _circle(c: Curve) -> bool:
    return isinstance(c, Arc) and c.full


def _line(c: Curve) -> bool:
    return isinstance(c, Line)


def _way(line: Line) -> FloatArray:
    return np.array([line.x1 - line.x0, line.y1 - line.y0]) / line.length


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


def _shifted(curve: Curve, shift: FloatArray) -> Curve:
    return CurveTable.of([curve]).transformed(np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]])).curves()[0]


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
