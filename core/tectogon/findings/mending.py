"""Mending: ends pulled together, extended or trimmed, doubles and crumbs dropped. Nothing moves further than it is told
it may.

Lines give way to curves: where two lines meet they go to their crossing, where a line meets an arc or a spline to that
one's end. Arcs keep the angle they sweep, so circles stay circles; splines carry their end and its tangent along.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, EllipticArc, Line, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.nearest import nearest_on
from tectogon.curves.shapes import TURN, arc_through_bulge
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.findings.finding import Finding
from tectogon.profiles.network import build_network, joined_numbers, number_nodes, places_of_nodes
from tectogon.tolerances import HAIR, LEAST_SIZE, SAME_SHARE, TINY, resolution


@dataclass(frozen=True, eq=False)
class Mended:
    """The mended curves with the row each comes from (k,) and its number among those of that row; how many findings
    were mended, and the furthest that anything was moved (mm)."""

    table: CurveTable
    source: IntArray
    number: IntArray
    done: int
    moved: float


def mend(table: CurveTable, findings: Sequence[Finding], *, within: float) -> Mended:
    """Curves with these findings mended; no end moves by more than `within` (mm), and a finding that would need more is
    left.

    A few findings in a large drawing are mended among the curves about them, so that it takes no longer than in a small
    one.
    """
    size = max(table.size, LEAST_SIZE)
    fine = resolution(size)
    if len(findings) > _FEW:
        return _mended(table, findings, within, fine)
    about = rows_about(
        table, np.unique([r for f in findings for r in f.rows]).astype(np.int64), 4.0 * max(within, fine)
    )
    place = {int(row): n for n, row in enumerate(about.tolist())}
    local = [f.on(place) for f in findings]
    some = _mended(table.take(about), local, within, fine)
    rest = np.ones(len(table), bool)
    rest[about] = False
    source = np.concatenate([np.flatnonzero(rest), about[some.source]])
    number = np.concatenate([np.zeros(int(rest.sum()), np.int64), some.number])
    order = np.lexsort((number, source))
    return Mended(
        CurveTable.join([table.take(rest), some.table]).take(order), source[order], number[order], some.done, some.moved
    )


_FEW = 50
"""Up to so many findings are mended among the curves about them."""


def rows_about(table: CurveTable, rows: IntArray, margin: float) -> IntArray:
    """Rows whose boxes come within `margin` (mm) of those of some rows, themselves among them."""
    near = np.zeros(len(table), bool)
    low, high = table.bounds[:, :2], table.bounds[:, 2:]
    for x0, y0, x1, y1 in table.bounds[rows].tolist():
        near |= (
            (low[:, 0] <= x1 + margin)
            & (high[:, 0] >= x0 - margin)
            & (low[:, 1] <= y1 + margin)
            & (high[:, 1] >= y0 - margin)
        )
    return np.flatnonzero(near)


def _mended(table: CurveTable, findings: Sequence[Finding], within: float, fine: float) -> Mended:
    ends = table.ends.reshape(-1, 2)
    target, moved, done = _targets(table, [f for f in findings if f.kind in ("gap", "undershoot")], within, fine)
    furthest = float(np.hypot(*(target - ends)[moved].T).max()) if moved.any() else 0.0
    work = with_ends(table, target.reshape(-1, 2, 2), moved.reshape(-1, 2), _own_gaps(findings))
    low, high = np.zeros(len(table)), np.ones(len(table))
    for f in findings:
        if f.kind == "overshoot" and f.size <= within * (1 + HAIR):
            row, side = f.ends[0] >> 1, f.ends[0] & 1
            crossing = table.points(np.array([row]), np.array([f.at[0]]))
            (high if side else low)[row] = nearest_on(work, np.array([row]), crossing)[0][0]
            done += 1
    rows = np.flatnonzero(low < high)
    work = work.take(rows).parts(np.arange(len(rows)), low[rows], high[rows])
    drop = np.isin(rows, [f.rows[0] for f in findings if f.kind == "short"])
    done += int(drop.sum())
    work, rows = work.take(~drop), rows[~drop]
    number = np.zeros(len(rows), np.int64)
    doubled = {f.rows[0] for f in findings if f.kind == "double"}
    if doubled:
        work, rows, number = _without_doubles(work, rows, doubled, fine)
        done += len(doubled)
    return Mended(work, rows, number, done, furthest)


def _own_gaps(findings: Sequence[Finding]) -> set[int]:
    """Rows whose two ends are to meet each other."""
    return {f.rows[0] for f in findings if f.kind == "gap" and len(f.rows) == 1}


def _targets(
    table: CurveTable, findings: list[Finding], within: float, fine: float
) -> tuple[FloatArray, BoolArray, int]:
    """Where each end (2n, 2) is to go, which ends move (2n,), and how many findings that mends."""
    ends = table.ends.reshape(-1, 2)
    target, moved = ends.copy(), np.zeros(len(ends), bool)
    if not findings:
        return target, moved, 0
    node = number_nodes(ends, fine)
    gaps = [f for f in findings if f.kind == "gap" and f.size <= within * (1 + HAIR)]
    pairs = np.array([(node[f.ends[0]], node[f.ends[1]]) for f in gaps], np.int64).reshape(-1, 2)
    joined = joined_numbers(int(node.max()) + 1, pairs)[node]
    touched = (
        np.unique(joined[np.array([e for f in gaps for e in f.ends], np.int64)]) if gaps else np.zeros(0, np.int64)
    )
    firm = np.repeat(table.kind != LINE, 2)
    place = places_of_nodes(ends, joined, firm, table, max(within, fine))[joined]
    mine = np.isin(joined, touched)
    for members in _members(joined, touched):
        natural = meeting_point(table, members.tolist(), ends[members]) if len(members) == 2 else None
        if natural is not None and float(np.hypot(*(natural - ends[members]).T).max()) <= within:
            place[members] = natural
    off = np.hypot(*(place - ends).T)
    too_far = np.unique(joined[mine & (off > within)])
    mean = np.column_stack([np.bincount(joined, ends[:, k]) / np.maximum(np.bincount(joined), 1) for k in (0, 1)])[
        joined
    ]
    place = np.where(np.isin(joined, too_far)[:, None], mean, place)
    still = np.unique(joined[mine & (np.hypot(*(place - ends).T) > within * (1 + SAME_SHARE))])
    fine_ones = mine & ~np.isin(joined, still)
    target[fine_ones], moved[fine_ones] = place[fine_ones], True
    done = sum(bool(fine_ones[f.ends[0]]) for f in gaps)
    for f in findings:
        if f.kind != "undershoot" or f.size > within * (1 + HAIR) or moved[f.ends[0]]:
            continue
        at = _reached(table, f)
        if float(np.hypot(*(at - ends[f.ends[0]]))) <= within * (1 + SAME_SHARE):
            same = node == node[f.ends[0]]
            target[same], moved[same] = at, True
            done += 1
    return target, moved, done


def _members(joined: IntArray, nodes: IntArray) -> list[IntArray]:
    """The ends at each of these nodes."""
    rows = np.flatnonzero(np.isin(joined, nodes))
    rows = rows[np.argsort(joined[rows], kind="stable")]
    return np.split(rows, np.flatnonzero(np.diff(joined[rows])) + 1) if len(rows) else []


def meeting_point(table: CurveTable, pair: list[int], ends: FloatArray) -> FloatArray | None:
    """Where two lines or arcs meet when drawn out, near their ends (2 × row + side each, at `ends` (2, 2)); None for
    other curves, or none near.

    Two arcs of one circle meet on it halfway.
    """
    a, b = (table.curve(e >> 1) for e in pair)
    middle = ends.mean(axis=0)
    if isinstance(a, Arc) and isinstance(b, Arc):
        found = _circles_meet(a, b, middle)
    elif isinstance(a, Line) and isinstance(b, Arc):
        found = _line_meets_circle(a, b)
    elif isinstance(a, Arc) and isinstance(b, Line):
        found = _line_meets_circle(b, a)
    elif isinstance(a, EllipticArc) and isinstance(b, EllipticArc):
        found = _ellipses_meet(a, b, middle)
    else:
        return None
    return min(found, key=lambda p: float(np.hypot(*(p - middle)))) if found else None


def _circles_meet(a: Arc, b: Arc, near: FloatArray) -> list[FloatArray]:
    ca, cb = np.array([a.cx, a.cy]), np.array([b.cx, b.cy])
    apart = float(np.hypot(*(cb - ca)))
    if apart <= SAME_SHARE * a.radius and abs(a.radius - b.radius) <= SAME_SHARE * a.radius:
        way = near - ca
        return [ca + way * (a.radius / max(float(np.hypot(*way)), TINY))]
    along = (apart * apart + a.radius**2 - b.radius**2) / (2.0 * max(apart, TINY))
    rise = a.radius**2 - along * along
    if rise < 0.0:
        return []
    way = (cb - ca) / apart
    across = np.array([-way[1], way[0]]) * math.sqrt(rise)
    return [ca + along * way + across, ca + along * way - across]


def _param(ellipse: EllipticArc, point: FloatArray) -> float:
    """The parameter of an ellipse at (or by) a point."""
    x, y = point[0] - ellipse.cx, point[1] - ellipse.cy
    return math.atan2((y * ellipse.mx - x * ellipse.my) / ellipse.ratio, x * ellipse.mx + y * ellipse.my)


def _at_param(ellipse: EllipticArc, u: float) -> FloatArray:
    c, s = math.cos(u), ellipse.ratio * math.sin(u)
    return np.array([ellipse.cx + c * ellipse.mx - s * ellipse.my, ellipse.cy + c * ellipse.my + s * ellipse.mx])


def _ellipses_meet(a: EllipticArc, b: EllipticArc, near: FloatArray) -> list[FloatArray]:
    """Two arcs of one ellipse meet on it halfway."""
    size = math.hypot(a.mx, a.my)
    same = (
        math.hypot(a.cx - b.cx, a.cy - b.cy) + math.hypot(a.mx - b.mx, a.my - b.my) <= SAME_SHARE * size
        and abs(a.ratio - b.ratio) <= 1e-6
    )
    return [_at_param(a, _param(a, near))] if same else []


def _line_meets_circle(line: Line, arc: Arc) -> list[FloatArray]:
    start, centre = np.array([line.x0, line.y0]), np.array([arc.cx, arc.cy])
    way = np.array([line.x1 - line.x0, line.y1 - line.y0]) / max(line.length, TINY)
    to = start - centre
    half = float(to @ way)
    root = half * half - float(to @ to) + arc.radius**2
    if root < 0.0:
        foot = start - half * way
        return [foot] if math.sqrt(-root) <= SAME_SHARE * arc.radius else []
    return [start + (-half - math.sqrt(root)) * way, start + (-half + math.sqrt(root)) * way]


def _reached(table: CurveTable, f: Finding) -> FloatArray:
    """Where an end that stops short meets the other curve: along its own direction for lines, else at the nearest
    point."""
    end, other = f.ends[0], f.rows[1]
    row, side = end >> 1, end & 1
    nearest = table.points(np.array([other]), np.array([f.at[0]]))[0]
    if table.kind[row] != LINE:
        return np.asarray(nearest)
    a = table.data[row, :4].reshape(2, 2)
    way = (a[side] - a[1 - side]) / max(float(np.hypot(*(a[side] - a[1 - side]))), TINY)
    reach = max(3.0 * f.size, LEAST_SIZE)
    if table.kind[other] == LINE:
        b = table.data[other, :4].reshape(2, 2)
        across = b[1] - b[0]
        det = way[0] * across[1] - way[1] * across[0]
        steps = (
            [((b[0] - a[side])[0] * across[1] - (b[0] - a[side])[1] * across[0]) / det]
            if abs(det) > 0.2 * np.hypot(*across)
            else []
        )
    elif table.kind[other] == ARC:
        centre, radius = table.data[other, :2], table.data[other, 2]
        to = a[side] - centre
        half, rest = float(to @ way), float(to @ to) - radius * radius
        root = half * half - rest
        steps = [-half - math.sqrt(root), -half + math.sqrt(root)] if root >= 0 else []
    else:
        steps = []
    near = [s for s in steps if abs(s) <= reach]
    return np.asarray(a[side] + min(near, key=abs) * way) if near else np.asarray(nearest)


def with_ends(table: CurveTable, target: FloatArray, moved: BoolArray, own: Collection[int] = ()) -> CurveTable:
    """The table with ends moved to their targets (n, 2, 2), the kind of every curve kept."""
    rows = np.flatnonzero(moved.any(axis=1))
    if not len(rows):
        return table
    curves = [_moved(table.curve(r), target[r], r in own) for r in rows.tolist()]
    rest = np.setdiff1d(np.arange(len(table)), rows)
    back = np.argsort(np.concatenate([rest, rows]), kind="stable")
    return CurveTable.join([table.take(rest), CurveTable.of(curves)]).take(back)


def _moved(curve: Curve, target: FloatArray, closes: bool) -> Curve:
    (x0, y0), (x1, y1) = target.tolist()
    if isinstance(curve, Line):
        return Line(x0, y0, x1, y1)
    if isinstance(curve, Arc):
        if closes:
            return Arc(curve.cx, curve.cy, curve.radius, curve.start_angle, math.copysign(TURN, curve.sweep))
        on = [
            abs(math.hypot(x - curve.cx, y - curve.cy) - curve.radius) <= HAIR * max(curve.radius, 1.0)
            for x, y in ((x0, y0), (x1, y1))
        ]
        if all(on):
            return _along_circle(curve, (x0, y0), (x1, y1))
        made = arc_through_bulge((x0, y0), (x1, y1), math.tan(curve.sweep / 4.0))
        return made if isinstance(made, Arc) else Line(x0, y0, x1, y1)
    if isinstance(curve, Spline):
        poles = curve.poles.copy()
        count = 2 if len(poles) >= 4 else 1
        poles[:count] += target[0] - curve.poles[0]
        poles[len(poles) - count :] += target[1] - curve.poles[-1]
        poles[0], poles[-1] = target[0], target[1]
        return Spline(curve.degree, curve.knots, poles, curve.weights)
    if closes:
        return EllipticArc(
            curve.cx, curve.cy, curve.mx, curve.my, curve.ratio, curve.start_param, math.copysign(TURN, curve.sweep)
        )
    params = [_param(curve, p) for p in target]
    if all(
        float(np.hypot(*(_at_param(curve, u) - p))) <= HAIR * max(math.hypot(curve.mx, curve.my), 1.0)
        for u, p in zip(params, target, strict=True)
    ):
        first, last = params[0] - curve.start_param, params[1] - curve.start_param - curve.sweep
        first, last = first - TURN * round(first / TURN), last - TURN * round(last / TURN)
        return EllipticArc(
            curve.cx, curve.cy, curve.mx, curve.my, curve.ratio, curve.start_param + first, curve.sweep - first + last
        )
    one = CurveTable.of([curve])
    return one.with_ends(target[None, 0], target[None, 1], np.ones(1, bool)).curve(0)


def _along_circle(arc: Arc, start: tuple[float, float], end: tuple[float, float]) -> Arc:
    """The arc with its ends moved along its own circle."""

    def turned(point: tuple[float, float], angle: float) -> float:
        off = math.atan2(point[1] - arc.cy, point[0] - arc.cx) - angle
        return off - TURN * round(off / TURN)

    first, last = turned(start, arc.start_angle), turned(end, arc.start_angle + arc.sweep)
    return Arc(arc.cx, arc.cy, arc.radius, arc.start_angle + first, arc.sweep - first + last)


def _without_doubles(
    table: CurveTable, source: IntArray, doubled: set[int], fine: float
) -> tuple[CurveTable, IntArray, IntArray]:
    """Curves that lie on others dropped; those that do so in part cut down to the rest."""
    net = build_network(table, join_tol=fine)
    hit = np.intersect1d(net.doubles, np.flatnonzero(np.isin(source, list(doubled))))
    partly = hit[np.isin(hit, net.source)]
    keep = np.setdiff1d(np.arange(len(table)), hit)
    pieces = np.flatnonzero(np.isin(net.source, partly))
    joined = CurveTable.join([table.take(keep), net.table.take(pieces)])
    rows = np.concatenate([source[keep], source[net.source[pieces]]])
    number = np.concatenate([np.zeros(len(keep), np.int64), net.number[pieces] + 1])
    order = np.lexsort((number, rows))
    return joined.take(order), rows[order], number[order]
