"""Paths: a chain of curves in a plane along which a profile is carried. Its corners are kept, or rounded by arcs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import IntArray
from tectogon.errors import NothingToBuild, NotPossible, Place
from tectogon.profiles.chains import find_chains
from tectogon.tolerances import HAIR, TINY

_RUNS_ON = 1e-6
"""Curves whose directions differ by less (radians) run into each other."""
_CUSP = math.radians(175.0)


@dataclass(frozen=True, eq=False)
class Path:
    """Curves in order, each beginning where the one before ends, and whether the last meets the first. mm."""

    curves: tuple[Curve, ...]
    closed: bool

    @cached_property
    def length(self) -> float:
        """Its length, mm."""
        return float(sum(c.length for c in self.curves))

    def turn(self, n: int) -> float:
        """By which angle (radians, left positive) it turns where curve n begins; 0 where it runs on, or begins."""
        return self._turns[n]

    @cached_property
    def _turns(self) -> list[float]:
        starts, ends = ([way_at(c, t).tolist() for c in self.curves] for t in (0.0, 1.0))
        out = []
        for n, (bx, by) in enumerate(starts):
            ax, ay = ends[n - 1]
            turn = math.atan2(ax * by - ay * bx, ax * bx + ay * by)
            out.append(turn if abs(turn) > _RUNS_ON and (n or self.closed) else 0.0)
        return out


def way_at(curve: Curve, t: float) -> FloatArray:
    """The direction (2,) of length 1 of a curve at a parameter."""
    if isinstance(curve, Line):
        return np.array([curve.x1 - curve.x0, curve.y1 - curve.y0]) / max(curve.length, TINY)
    if isinstance(curve, Arc):
        angle, side = curve.start_angle + t * curve.sweep, math.copysign(1.0, curve.sweep)
        return side * np.array([-math.sin(angle), math.cos(angle)])
    for at in (t, abs(t - 1e-6)):
        d = np.asarray(curve.derivatives(np.array([at])))[0]
        if np.hypot(*d) > TINY:
            break
    return np.asarray(d / max(float(np.hypot(*d)), TINY))


def ways_along(curve: Curve, t: FloatArray) -> FloatArray:
    """The directions (k, 2) of length 1 of a curve at parameters (k,)."""
    if isinstance(curve, Arc):
        angles, side = curve.start_angle + t * curve.sweep, math.copysign(1.0, curve.sweep)
        return np.asarray(side * np.column_stack([-np.sin(angles), np.cos(angles)]))
    return np.array([way_at(curve, float(s)) for s in t])


def path_of(table: CurveTable, join_tol: float, ids: Sequence[str] = ()) -> Path:
    """The one chain of some curves as a path; it begins at the end of the curve that comes first. Raises
    NothingToBuild without curves, NotPossible naming the place where they are more than one chain or turn back on
    themselves."""
    if not len(table):
        raise NothingToBuild("There is no curve to go along.")
    chains = find_chains(table, join_tol=join_tol)
    if len(chains) > 1:
        raise _parted(table, [c.rows for c in chains], ids)
    chain = chains[0]
    curves = [table.curve(r) for r in chain.rows.tolist()]
    curves = [c.reversed() if a else c for c, a in zip(curves, chain.against.tolist(), strict=True)]
    if not chain.closed and chain.rows[-1] < chain.rows[0]:
        curves = [c.reversed() for c in curves[::-1]]
    if chain.closed:
        first = int(chain.rows.argmin())
        curves = curves[first:] + curves[:first]
    path = Path(tuple(curves), chain.closed)
    for n, curve in enumerate(path.curves):
        if abs(path.turn(n)) > _CUSP:
            x, y = np.asarray(curve.points(np.array([0.0])))[0].tolist()
            raise NotPossible(f"The path turns back on itself at x {x:.2f}, y {y:.2f} mm.", Place(point=(x, y)))
    return path


def _parted(table: CurveTable, chains: Sequence[IntArray], ids: Sequence[str]) -> NotPossible:
    """The error that tells where a path is parted: between the ends of two chains that lie nearest."""
    ends = [table.ends[rows].reshape(-1, 2) for rows in chains[:50]]
    best, place = math.inf, (0.0, 0.0)
    for n, some in enumerate(ends):
        for other in ends[n + 1 :]:
            apart = np.linalg.norm(some[:, None] - other[None], axis=2)
            if apart.min() < best:
                best = float(apart.min())
                i, j = np.unravel_index(int(apart.argmin()), apart.shape)
                x, y = ((some[i] + other[j]) / 2.0).tolist()
                place = (x, y)
    what = "forks" if best <= HAIR else f"has a gap of {best:.4g} mm"
    return NotPossible(
        f"The path {what} near x {place[0]:.2f}, y {place[1]:.2f} mm: it wants to be one chain from end to end.",
        Place(tuple(ids[:200]), place),
    )


def rounded(path: Path, radius: float) -> Path:
    """A path whose corners are arcs of a radius (mm). Raises NotPossible naming a corner that has no room for it."""
    curves = list(path.curves)
    joints = [n for n in range(len(curves)) if path.turn(n)]
    cut: dict[int, list[float]] = {n: [0.0, 1.0] for n in range(len(curves))}
    arcs: dict[int, Arc] = {}
    for n in joints:
        a, b = curves[n - 1], curves[n]
        corner = np.asarray(b.points(np.array([0.0])))[0]
        side = math.copysign(1.0, path.turn(n))
        centre = _centre(a, b, side * radius, corner)
        places = [None if centre is None else _touches(c, centre) for c in (a, b)]
        if centre is None or None in places:
            x, y = corner.tolist()
            raise NotPossible(
                f"The corner of the path at x {x:.2f}, y {y:.2f} mm has no room for an arc of {radius:g} mm; take a"
                " smaller one.",
                Place(point=(x, y)),
            )
        before, after = (float(p) for p in places if p is not None)
        cut[(n - 1) % len(curves)][1], cut[n][0] = before, after
        first, last = (np.asarray(c.points(np.array([t])))[0] for c, t in ((a, before), (b, after)))
        start, end = (math.atan2(*(p - centre)[::-1].tolist()) for p in (first, last))
        sweep = (end - start) % (2.0 * math.pi) if side > 0 else -((start - end) % (2.0 * math.pi))
        arcs[n] = Arc(float(centre[0]), float(centre[1]), radius, start, sweep)
    out: list[Curve] = []
    for n, curve in enumerate(curves):
        if n in arcs:
            out.append(arcs[n])
        t0, t1 = cut[n]
        if t1 - t0 <= HAIR:
            x, y = np.asarray(curve.points(np.array([0.5])))[0].tolist()
            raise NotPossible(
                f"Two arcs of {radius:g} mm have no room along the path near x {x:.2f}, y {y:.2f} mm; take smaller"
                " ones.",
                Place(point=(x, y)),
            )
        whole = CurveTable.of([curve])
        out.append(whole.parts(np.zeros(1, np.int64), np.array([t0]), np.array([t1])).curve(0))
    return Path(tuple(out), path.closed)


def _centre(a: Curve, b: Curve, left: float, corner: FloatArray) -> FloatArray | None:
    """The point at a distance (mm, to the left) from two curves, nearest to their corner: where two lines or circles
    beside them meet."""
    if not all(isinstance(c, (Line, Arc)) for c in (a, b)):
        return None
    found = _meet(_beside(a, left), _beside(b, left))
    return min(found, key=lambda p: float(np.hypot(*(p - corner))), default=None)


_Beside = tuple[str, FloatArray, FloatArray | float]


def _beside(curve: Curve, left: float) -> _Beside:
    if isinstance(curve, Line):
        way = way_at(curve, 0.0)
        return "line", np.array([curve.x0, curve.y0]) + left * np.array([-way[1], way[0]]), way
    assert isinstance(curve, Arc)
    return "circle", np.array([curve.cx, curve.cy]), curve.radius - math.copysign(left, left * curve.sweep)


def _meet(a: _Beside, b: _Beside) -> list[FloatArray]:
    if a[0] == "circle" and b[0] == "line":
        a, b = b, a
    if a[0] == "line" and b[0] == "line":
        u, v = np.asarray(a[2]), np.asarray(b[2])
        cross = float(u[0] * v[1] - u[1] * v[0])
        off = b[1] - a[1]
        return [] if abs(cross) <= HAIR else [a[1] + u * float(off[0] * v[1] - off[1] * v[0]) / cross]
    if a[0] == "line":
        way, radius = np.asarray(a[2]), float(b[2])
        foot = a[1] + float((b[1] - a[1]) @ way) * way
        square = radius * radius - float((foot - b[1]) @ (foot - b[1]))
        return [] if square < 0 or radius <= 0 else [foot + s * math.sqrt(square) * way for s in (1.0, -1.0)]
    r, s = float(a[2]), float(b[2])
    line = b[1] - a[1]
    apart = max(float(np.hypot(*line)), TINY)
    along = (apart * apart + r * r - s * s) / (2.0 * apart)
    square = r * r - along * along
    if square < 0 or r <= 0 or s <= 0:
        return []
    left = np.array([-line[1], line[0]]) / apart
    return [a[1] + along * line / apart + sign * math.sqrt(square) * left for sign in (1.0, -1.0)]


def _touches(curve: Curve, centre: FloatArray) -> float | None:
    """The parameter at which a curve is nearest to a centre; None where that is not on it."""
    if isinstance(curve, Line):
        start, end = np.array([curve.x0, curve.y0]), np.array([curve.x1, curve.y1])
        t = float((centre - start) @ (end - start)) / float((end - start) @ (end - start))
    else:
        assert isinstance(curve, Arc)
        x, y = (centre - np.array([curve.cx, curve.cy])).tolist()
        turned = math.atan2(y, x) - curve.start_angle
        turned = turned % (2.0 * math.pi) if curve.sweep > 0 else -((-turned) % (2.0 * math.pi))
        t = turned / curve.sweep
    return t if -HAIR <= t <= 1.0 + HAIR else None
