"""A chain of many points as few lines, arcs and splines within a stated deviation; corners stay corners.

How: corners part the chain. Between two of them what lies on a line or a circle to the digits of the points, and leaves
it at once, is that line or circle, whatever deviation is allowed. In what is left, runs grow as far as one line or one
circle fits, whichever goes further; runs too short to mean anything join into free runs, which get a spline.
Neighbours then meet where they cross.
Circles by Kåsa's least squares (1976), which is linear; on runs of more than a few degrees its bias is far below the
deviation. Tried first and dropped: a spline across corners (40 poles and twice the deviation allowed, against 16 poles
between them).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tectogon.curves.affine import FloatArray
from tectogon.curves.fit import closed_spline_through, spline_within
from tectogon.curves.shapes import TURN, Arc, Curve, Line, arc_through_bulge
from tectogon.curves.table import IntArray
from tectogon.tolerances import ROUNDING

_ENOUGH = 120
_SHORT = 6
_SMALL_TURN = math.radians(50.0)
_MAX_SWEEP = math.radians(350.0)
_LONG = 2.2
"""What is straight and this many times longer than its neighbours is a line."""
_EXACT, _FEWEST_EXACT, _ABRUPT = 1e-6, 5, 6.0
"""Points are exact to this share of the chain's size, or to their last digit; so many on a circle are an arc; the next
one is off by so many times that."""
_LEAST_TURN, _SURE_TURN, _MANY = math.radians(20.0), math.radians(8.0), 8
"""An exact arc turns by the first, and by the second where it has many pieces: less is what any smooth curve does."""
_FLAT = 1e-7
"""Points that stand out from a line by less than this share of its length have no circle."""
Point = tuple[float, float]
ComplexArray = npt.NDArray[np.complex128]


@dataclass(frozen=True)
class _Run:
    """Points first to last (with last) of the chain, and what fits them: a line, a circle (cx, cy, r), or neither."""

    first: int
    last: int
    kind: str
    circle: tuple[float, float, float] = (0.0, 0.0, 0.0)


def fit_chain(points: FloatArray, *, closed: bool, deviation: float, corner: float, reach: int = 1) -> list[Curve]:
    """Curves through a chain of points (k, 2), the first not repeated when it is closed.

    deviation: the largest distance allowed between points and curves (mm).  corner: turns sharper than this (radians)
    are kept exactly, measured over `reach` points to either side (1 for exact vertices, more for traced outlines).
    Neighbouring curves share their ends exactly. Fewer than three points give lines.
    """
    if len(points) < 3:
        return _lines(points)
    if closed:
        whole = _whole_circle(points, deviation)
        if whole is not None:
            return [whole]
    corners = _corners(points, closed, corner, reach)
    if closed:
        if not len(corners):
            return _smooth_ring(points, deviation, exact=reach == 1)
        points = np.roll(points, -int(corners[0]), axis=0)
        corners = np.append(corners - corners[0], len(points))
        points = np.concatenate([points, points[:1]])
    else:
        corners = np.unique(np.concatenate([[0], corners, [len(points) - 1]]))
    runs: list[_Run] = []
    for first, last in zip(corners[:-1].tolist(), corners[1:].tolist(), strict=True):
        runs += _between_corners(points, first, last, deviation, reach)
    return _joined(points, runs, closed, deviation, reach)


def _lines(points: FloatArray) -> list[Curve]:
    return [Line(*points[k].tolist(), *points[k + 1].tolist()) for k in range(len(points) - 1)]


def _whole_circle(points: FloatArray, deviation: float) -> Arc | None:
    if len(points) < 8:
        return None
    fine = _with_middles(_as_complex(points))
    roughly = _quick_circle(fine[::2])
    if roughly is None or _off_circle(fine, roughly) > 2.0 * deviation:
        return None
    found = _circle(points)
    if found is None or _off_circle(fine, found) > deviation:
        return None
    cx, cy, r = found
    angles = np.unwrap(np.arctan2(points[:, 1] - cy, points[:, 0] - cx))
    turned = angles[-1] - angles[0]
    if abs(turned) < math.radians(270.0):
        return None
    return Arc(cx, cy, r, float(angles[0]), math.copysign(TURN, turned))


def _smooth_ring(points: FloatArray, deviation: float, *, exact: bool) -> list[Curve]:
    """A closed chain without corners: runs begun where one ends, so that no seam shows; else one closed spline."""
    ring, count = np.concatenate([points, points[:1]]), len(points)
    found = _exact(np.concatenate([ring, points[1:]]), 0, 2 * count - 1, deviation) if exact else []
    begins = next((r.first for r in found if 0 < r.first < count), None)
    if begins is not None:  # in the second round, where nothing is cut by where the chain happens to begin
        ring = np.roll(points, -begins, axis=0)
        ring = np.concatenate([ring, ring[:1]])
        return _joined(ring, _exact_first(ring, 0, count, deviation), True, deviation, 1)
    trial = _grown(ring, 0, count, deviation)
    joined = _with_free(trial, ring)
    if all(r.kind == "free" for r in joined):
        step = max(1, count // 400)
        return [closed_spline_through(points[::step])] if step == 1 else [spline_within(ring, deviation)]
    start = next(r.last for r in joined if r.kind != "free") % count
    ring = np.roll(points, -start, axis=0)
    ring = np.concatenate([ring, ring[:1]])
    known = [_Run(r.first - start, r.last - start, r.kind, r.circle) for r in trial[:-1] if r.first >= start > 0]
    runs = known + _grown(ring, known[-1].last if known else 0, count, deviation)
    return _joined(ring, _with_free(runs, ring), True, deviation, 1)


def _corners(points: FloatArray, closed: bool, corner: float, reach: int) -> IntArray:
    """Numbers of the points at which the chain turns by more than `corner` within `reach` points to either side, the
    sharpest of each bunch."""
    count = len(points)
    reach = max(1, min(reach, count // 4))
    index = np.arange(count)
    if closed:
        before, after = points[(index - reach) % count], points[(index + reach) % count]
    else:
        before, after = points[np.maximum(index - reach, 0)], points[np.minimum(index + reach, count - 1)]
    a, b = points - before, after - points
    turn = np.abs(np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], np.sum(a * b, axis=1)))
    if not closed:
        turn[:reach] = turn[count - reach :] = 0.0
    sharp = turn > corner
    if reach > 1:
        for k in range(1, reach + 1):
            left, right = np.roll(turn, k), np.roll(turn, -k)
            if not closed:
                left[:k] = right[-k:] = 0.0
            sharp &= (turn > left) & (turn >= right)
    return np.flatnonzero(sharp)


def _between_corners(p: FloatArray, first: int, last: int, deviation: float, reach: int) -> list[_Run]:
    """Runs from one corner to the next. A traced outline cuts its corners, so the points next to them decide
    nothing."""
    if reach == 1:
        return _exact_first(p, first, last, deviation)
    trim = reach // 2 if last - first > 3 * reach else 0
    runs = _with_free(_grown(p, first + trim, last - trim, deviation), p)
    runs[0] = _Run(first, runs[0].last, runs[0].kind, runs[0].circle)
    runs[-1] = _Run(runs[-1].first, last, runs[-1].kind, runs[-1].circle)
    return runs


def _exact_first(p: FloatArray, first: int, last: int, deviation: float) -> list[_Run]:
    """Runs of exact vertices: those on true lines and circles, and what grows between them."""
    out: list[_Run] = []
    at = first
    for run in [*_exact(p, first, last, deviation), None]:
        end = last if run is None else run.first
        if end > at:
            out += _with_free(_grown(p, at, end, deviation), p)
        if run is not None:
            out.append(run)
            at = run.last
    return out


def _exact(p: FloatArray, first: int, last: int, deviation: float) -> list[_Run]:
    """The runs on true lines and circles from one corner to the next, in order, apart or end to end. What is
    off by more than the deviation, as an arc is that bulges between its points, stays straight pieces."""
    z = _as_complex(p)
    fine = _with_middles(z)
    tol = _noise(p)
    steps = np.abs(np.diff(z))
    out: list[_Run] = []
    at = first
    while at < last:
        arc = _exact_arc(z, at, last, tol)
        line = _grow(at, last, lambda a, b: _off_line(z[a : b + 1]) <= tol)
        arcs = ((k, _exact_arc(z, k, last, tol)) for k in range(at + 1, line))
        line = next((k for k, found in arcs if found is not None and found.last > line), line)
        beside = [float(steps[k]) for k in (at - 1, line) if first <= k < last]
        long = bool(beside) and abs(z[line] - z[at]) >= _LONG * max(beside)
        if arc is not None and arc.last - at > line - at:
            off = _off_circle(fine[2 * at : 2 * arc.last + 1], arc.circle)
            out += _pieces(at, arc.last) if off > deviation else [arc]
            at = arc.last
        elif long or (not beside and line > at + 1):
            off = _off_line(z[at : line + 1])
            out += _pieces(at, line) if off > deviation else [_Run(at, line, "line")]
            at = line
        else:
            at += 1
    return out


def _pieces(first: int, last: int) -> list[_Run]:
    """Straight pieces from point to point."""
    return [_Run(k, k + 1, "line") for k in range(first, last)]


def _exact_arc(z: ComplexArray, at: int, last: int, tol: float) -> _Run | None:
    """The arc that points from one on lie on exactly, up to where they leave it at once."""
    if last - at < _FEWEST_EXACT - 1 or not _on_circle(z, at, at + _FEWEST_EXACT - 1, tol):
        return None
    end = _grow(at + _FEWEST_EXACT - 2, last, lambda a, b: _on_circle(z, at, b, tol))
    circle = _quick_circle(z[at : end + 1])
    if circle is None or _turn_of(z[at : end + 1], circle) < (_LEAST_TURN if end - at < _MANY else _SURE_TURN):
        return None
    centre, radius = complex(circle[0], circle[1]), circle[2]
    if end < last and abs(abs(z[end + 1] - centre) - radius) < _ABRUPT * tol:
        return None
    if at > 0 and abs(abs(z[at - 1] - centre) - radius) < _ABRUPT * tol:
        return None
    return _Run(at, end, "arc", circle)


def _turn_of(z: ComplexArray, circle: tuple[float, float, float]) -> float:
    """The angle that points (x + iy) turn by about the middle of a circle."""
    spokes = z - complex(circle[0], circle[1])
    return abs(float(np.angle(spokes[1:] * spokes[:-1].conj()).sum()))


def _on_circle(z: ComplexArray, a: int, b: int, tol: float) -> bool:
    found = _quick_circle(z[a : b + 1])
    if found is None or _off_circle(z[a : b + 1], found) > tol:
        return False
    spokes = z[a : b + 1] - complex(found[0], found[1])
    steps = np.angle(spokes[1:] * spokes[:-1].conj())
    one_way = bool((steps > 0).all() or (steps < 0).all())
    return one_way and bool(abs(float(steps.sum())) < _MAX_SWEEP and float(np.abs(steps).max()) < 0.8)


def _noise(p: FloatArray) -> float:
    """How far points that were meant to lie on a curve may be off by their own digits (mm)."""
    size = float(np.ptp(p, axis=0).max())
    for decimals in range(1, 6):
        if np.abs(p - np.round(p, decimals)).max() < 1e-9 * max(size, 1.0):
            return max(0.8 * 10.0**-decimals, _EXACT * size)
    return _EXACT * size


def _grown(p: FloatArray, first: int, last: int, deviation: float) -> list[_Run]:
    """Lines and circles from one corner to the next, each as far as it goes."""
    z = _as_complex(p)
    fine = _with_middles(z)
    out: list[_Run] = []
    at = first
    while at < last:
        line = _grow(at, last, lambda a, b: _off_line(z[a : b + 1]) <= deviation)
        arc = line
        if line < last:
            arc = _grow(at, last, lambda a, b: _fits_circle(z[a : b + 1], fine[2 * a : 2 * b + 1], deviation))
        circle = None
        if not (line >= at + 1 and (line == last or line - at >= 0.8 * (arc - at))):
            circle = _quick_circle(z[at : arc + 1])
        if circle is None or _off_circle(fine[2 * at : 2 * arc + 1], circle) > 2.0 * deviation:
            line = max(line, at + 1)
            out.append(_Run(at, line, "line"))
            at = line
        else:
            out.append(_Run(at, arc, "arc", circle))
            at = arc
    return out


def _as_complex(p: FloatArray) -> ComplexArray:
    """Points (k, 2) as x + iy (k,)."""
    return np.ascontiguousarray(p).view(complex)[:, 0]


def _with_middles(z: ComplexArray) -> ComplexArray:
    """Points and, between each two, their middle (2 k - 1,)."""
    fine = np.empty(2 * len(z) - 1, complex)
    fine[::2], fine[1::2] = z, (z[1:] + z[:-1]) / 2.0
    return fine


def _grow(at: int, last: int, fits: object) -> int:
    """The furthest end up to which a run from `at` fits: leaps that double, then halving."""
    assert callable(fits)
    good, step = at + 1, 2
    while True:
        trial = min(at + step, last)
        if not fits(at, trial):
            break
        good = trial
        if trial == last:
            return last
        step *= 2
    bad = min(at + step, last)
    while bad - good > 1:
        middle = (good + bad) // 2
        if fits(at, middle):
            good = middle
        else:
            bad = middle
    return good


def _with_free(runs: list[_Run], p: FloatArray) -> list[_Run]:
    """Three or more neighbours that are shreds, arcs of a small turn or hardly a few points, are one free stretch."""
    shred = [r.last - r.first < _SHORT or (r.kind == "arc" and _turn(p, r) < _SMALL_TURN) for r in runs]
    out: list[_Run] = []
    k = 0
    while k < len(runs):
        end = k
        while end < len(runs) and shred[end]:
            end += 1
        if end - k >= 3:
            out.append(_Run(runs[k].first, runs[end - 1].last, "free"))
            k = end
        else:
            out.append(runs[k])
            k += 1
    return out


def _turn(p: FloatArray, run: _Run) -> float:
    """The angle an arc turns by."""
    return float(np.hypot(*np.diff(p[run.first : run.last + 1], axis=0).T).sum()) / run.circle[2]


def _off_line(z: ComplexArray) -> float:
    """The largest distance of points (x + iy) from the line through the first and the last."""
    if len(z) < 3:
        return 0.0
    d = complex(z[-1] - z[0])
    length = abs(d)
    if length == 0.0:
        return float(np.abs(z - z[0]).max())
    return float(np.abs(((z - z[0]) * (d.conjugate() / length)).imag).max())


def _circle(p: FloatArray) -> tuple[float, float, float] | None:
    if len(p) < 3:
        return None
    middle = p.mean(axis=0)
    q = p - middle
    size = float(np.abs(q).max())
    if size == 0.0:
        return None
    q = q / size
    m = np.column_stack([2.0 * q, np.ones(len(q))])
    solved, _, rank, _ = np.linalg.lstsq(m, np.sum(q * q, axis=1), rcond=_FLAT)
    if rank < 3:
        return None  # points of one line: any circle through them would do, and none is meant
    square = float(solved[2] + solved[0] ** 2 + solved[1] ** 2)
    if not 0.0 < square < 1e6:
        return None
    return float(solved[0] * size + middle[0]), float(solved[1] * size + middle[1]), math.sqrt(square) * size


def _quick_circle(z: ComplexArray) -> tuple[float, float, float] | None:
    """The same circle by its normal equations (Kåsa 1976): a tenth of the time, and half the digits, which is enough to
    try a run. Points as x + iy."""
    count = len(z)
    middle = complex(z.sum()) / count
    w = z - middle
    square = w.real**2 + w.imag**2
    size, twist = float(square.sum()), complex(w @ w)  # uu + vv, and uu - vv + 2i uv
    uu, vv, uv = (size + twist.real) / 2.0, (size - twist.real) / 2.0, twist.imag / 2.0
    det = uu * vv - uv * uv
    if det <= ROUNDING * size**2:
        return None
    third = 0.5 * complex(square @ w)
    x, y = (vv * third.real - uv * third.imag) / det, (uu * third.imag - uv * third.real) / det
    radius = math.sqrt(x * x + y * y + size / count)
    return (x + middle.real, y + middle.imag, radius) if radius < 1e3 * math.sqrt(size) else None


def _off_circle(fine: ComplexArray, circle: tuple[float, float, float]) -> float:
    """The largest distance of points (x + iy) from the circle; with the middles between them, since a polyline may cut
    across."""
    cx, cy, r = circle
    return float(np.abs(np.abs(fine - complex(cx, cy)) - r).max())


def _fits_circle(z: ComplexArray, fine: ComplexArray, deviation: float) -> bool:
    """Whether points, and the middles between them as well (fine), lie on one circle, which they follow."""
    if len(z) < 4:
        return True
    found = _quick_circle(z if len(z) <= _ENOUGH else z[:: len(z) // _ENOUGH])
    if found is None or _off_circle(fine, found) > deviation:
        return False
    spokes = z - complex(found[0], found[1])
    steps = np.angle(spokes[1:] * spokes[:-1].conj())
    return bool(abs(float(steps.sum())) < _MAX_SWEEP and float(np.abs(steps).max()) < 0.8)


# joining -----------------------------------------------------------------------


def _joined(p: FloatArray, runs: list[_Run], closed: bool, deviation: float, reach: int) -> list[Curve]:
    """The runs as curves whose ends meet: where neighbours cross near their common point, else at that point."""
    runs = [_refitted(p, r, reach) for r in runs]
    count = len(runs)
    spacing = float(np.hypot(*np.diff(p, axis=0).T).mean())
    far = 4.0 * deviation + (1.5 * spacing if reach > 1 else 0.0)
    nodes: list[Point] = []
    for k in range(count + 1):
        if not closed and k in (0, count):
            at = p[runs[0].first] if k == 0 else p[runs[-1].last]
            nodes.append((float(at[0]), float(at[1])))
        elif k == count:
            nodes.append(nodes[0])
        else:
            nodes.append(_meeting(p, runs[k - 1], runs[k], far))
    out: list[Curve] = []
    for run, a, b in zip(runs, nodes[:-1], nodes[1:], strict=True):
        if a == b and run.kind == "line":
            continue
        if run.kind == "line":
            out.append(Line(*a, *b))
        elif run.kind == "arc":
            out.append(_arc_between(p, run, a, b))
        else:
            inner = p[run.first + 1 : run.last]
            out.append(spline_within(np.concatenate([[a], inner, [b]]), deviation))
    return out


def _refitted(p: FloatArray, run: _Run, reach: int) -> _Run:
    """A circle fitted with all digits, without the points next to the run's ends, which corners of a traced outline
    pull inwards."""
    inset = reach if run.last - run.first > 4 * reach + 4 else 0
    if run.kind != "arc":
        return run
    inner = p[run.first + inset : run.last + 1 - inset]
    found, fine = _circle(inner), _with_middles(_as_complex(inner))
    if found is None or _off_circle(fine, found) > _off_circle(fine, run.circle):
        return run
    return _Run(run.first, run.last, "arc", found)


def _line_of(p: FloatArray, run: _Run) -> tuple[FloatArray, FloatArray]:
    """A point and a direction of the least-squares line of a run, without the points next to its ends."""
    inset = 2 if run.last - run.first > 10 else 0
    q = p[run.first + inset : run.last + 1 - inset]
    middle = q.mean(axis=0)
    _, _, axes = np.linalg.svd(q - middle, full_matrices=False)
    return middle, axes[0]


def _meeting(p: FloatArray, before: _Run, after: _Run, far: float) -> Point:
    """Where two neighbours meet."""
    shared = p[after.first]
    found: list[FloatArray] = []
    if before.kind == after.kind == "line":
        (a, u), (b, v) = _line_of(p, before), _line_of(p, after)
        det = float(u[0] * v[1] - u[1] * v[0])
        if abs(det) > 0.02:
            w = b - a
            found = [a + u * float(w[0] * v[1] - w[1] * v[0]) / det]
    elif {before.kind, after.kind} == {"line", "arc"}:
        line, arc = (before, after) if before.kind == "line" else (after, before)
        found = _line_with_circle(*_line_of(p, line), arc.circle)
    elif before.kind == after.kind == "arc":
        found = _circle_with_circle(before.circle, after.circle)
    near = [f for f in found if float(np.hypot(*(f - shared))) <= far]
    best = min(near, key=lambda f: float(np.hypot(*(f - shared)))) if near else shared
    return float(best[0]), float(best[1])


def _line_with_circle(a: FloatArray, u: FloatArray, circle: tuple[float, float, float]) -> list[FloatArray]:
    c = np.array(circle[:2])
    along = float((c - a) @ u)
    foot = a + along * u
    gap = float(np.hypot(*(foot - c)))
    if gap >= circle[2]:
        return [foot] if gap < circle[2] * 1.05 else []
    half = math.sqrt(circle[2] ** 2 - gap**2)
    # a line that runs into the circle's tangent meets it where it touches
    return [foot] if half < 0.12 * circle[2] else [foot - half * u, foot + half * u]


def _circle_with_circle(one: tuple[float, float, float], two: tuple[float, float, float]) -> list[FloatArray]:
    a, b = np.array(one[:2]), np.array(two[:2])
    d = float(np.hypot(*(b - a)))
    if d < ROUNDING or d > one[2] + two[2] or d < abs(one[2] - two[2]):
        if d < ROUNDING:
            return []
        u = (b - a) / d
        return [a + u * one[2], a - u * one[2]]
    along = (d * d + one[2] ** 2 - two[2] ** 2) / (2 * d)
    high = math.sqrt(max(0.0, one[2] ** 2 - along**2))
    u = (b - a) / d
    n = np.array([-u[1], u[0]])
    return [a + along * u + high * n, a + along * u - high * n]


def _arc_between(p: FloatArray, run: _Run, a: Point, b: Point) -> Curve:
    """The arc of a run from a to b: through both, bulging as far as its circle does."""
    cx, cy, r = run.circle
    middle = p[(run.first + run.last) // 2]
    if a == b:
        way = _turns_left(p, run)
        return Arc(cx, cy, r, math.atan2(a[1] - cy, a[0] - cx), TURN if way else -TURN)
    angle = math.atan2(float(middle[1]) - cy, float(middle[0]) - cx)
    start, end = math.atan2(a[1] - cy, a[0] - cx), math.atan2(b[1] - cy, b[0] - cx)
    sweep = (end - start) % TURN
    if (angle - start) % TURN > sweep:
        sweep -= TURN
    return arc_through_bulge(a, b, math.tan(sweep / 4.0))


def _turns_left(p: FloatArray, run: _Run) -> bool:
    q = p[run.first : run.last + 1] - np.array(run.circle[:2])
    return bool(np.sum(q[:-1, 0] * q[1:, 1] - q[:-1, 1] * q[1:, 0]) > 0)
