"""Curves each once: what lies on one line, or one circle, put together; and what lies over what."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN, Arc, Curve, Line
from tectogon.curves.table import CurveTable
from tectogon.tolerances import KERNEL_TOL, SAME_SHARE

Spans = list[tuple[float, float]]


def each_once(visible: Sequence[Curve], hidden: Sequence[Curve]) -> tuple[list[Curve], list[Curve]]:
    """Edges with what lies on one line, or one circle, put together, and hidden ones only where no visible one lies
    over them."""
    every = CurveTable.of([*visible, *hidden])
    tol = max(every.size, 1.0) * SAME_SHARE
    groups: dict[tuple[float, ...], tuple[list[Curve], list[Curve]]] = {}
    others: tuple[list[Curve], list[Curve]] = ([], [])
    for n, some in enumerate((visible, hidden)):
        for curve in some:
            if curve.length <= KERNEL_TOL:
                continue
            key = _carrier(curve, tol)
            (groups.setdefault(key, ([], []))[n] if key else others[n]).append(curve)
    out: tuple[list[Curve], list[Curve]] = ([], [])
    for seen, behind in groups.values():
        model = (seen or behind)[0]
        near = tol / model.radius if isinstance(model, Arc) else tol
        spans = [_merged([_span(c, model) for c in some], near) for some in (seen, behind)]
        turns: tuple[float, ...] = (0.0,)
        if isinstance(model, Arc):
            spans, turns = [_round_spans(s) for s in spans], (0.0, TURN, -TURN)
        covered = [(a + k, b + k) for a, b in spans[0] for k in turns]
        for k, left in enumerate((spans[0], _less(spans[1], covered, 10.0 * near))):
            out[k].extend(_piece(model, a, b) for a, b in left)
    shown = _marks(others[0], tol)
    for k, some in enumerate(others):
        kept: set[tuple[float, ...]] = set()
        for curve in some:
            mark = _mark(curve, tol)
            if mark not in kept and (k == 0 or mark not in shown):
                kept.add(mark)
                out[k].append(curve)
    return out


def _carrier(curve: Curve, tol: float) -> tuple[float, ...] | None:
    """What a line or an arc lies on, rounded: angle, distance and a mark for lines; centre, radius and a mark for
    circles."""
    if isinstance(curve, Line):
        angle = math.atan2(curve.y1 - curve.y0, curve.x1 - curve.x0) % math.pi
        angle = 0.0 if math.pi - angle < 1e-7 else angle
        away = -math.sin(angle) * curve.x0 + math.cos(angle) * curve.y0
        return _cell(angle / 1e-6), _cell(away / tol / 4.0), 0.0
    if isinstance(curve, Arc):
        return (*(_cell(v / tol / 4.0) for v in (curve.cx, curve.cy, curve.radius)), 1.0)
    return None


def _cell(value: float) -> float:
    """A value as a whole number, so that what people draw (round figures) never lies between two."""
    return float(round(value + 0.2137))


def _span(curve: Curve, model: Curve) -> tuple[float, float]:
    """Where a curve begins and ends along what it lies on: mm along the model line, or the angle on the circle."""
    if isinstance(curve, Line) and isinstance(model, Line):
        way = _way(model)
        a, b = (float((np.array(p) - (model.x0, model.y0)) @ way) for p in ((curve.x0, curve.y0), (curve.x1, curve.y1)))
        return min(a, b), max(a, b)
    assert isinstance(curve, Arc)
    low, high = sorted((curve.start_angle, curve.start_angle + curve.sweep))
    turns = math.floor(low / TURN + 1e-9)
    return low - turns * TURN, high - turns * TURN


def _way(line: Line) -> FloatArray:
    return np.array([line.x1 - line.x0, line.y1 - line.y0]) / line.length


def _merged(spans: Spans, tol: float) -> Spans:
    out: Spans = []
    for low, high in sorted(spans):
        if out and low <= out[-1][1] + tol:
            out[-1] = (out[-1][0], max(out[-1][1], high))
        else:
            out.append((low, high))
    return out


def _round_spans(spans: Spans) -> Spans:
    """Angles on a circle, with what runs over a whole turn joined to what begins there."""
    near = 1e-6
    if spans and spans[-1][1] >= TURN - near and len(spans) > 1 and spans[0][0] <= spans[-1][1] - TURN + near:
        (_, first), (last, end) = spans[0], spans[-1]
        spans = [*spans[1:-1], (last, max(end, first + TURN))]
    return [(low, min(high, low + TURN)) for low, high in spans]


def _less(spans: Spans, taken: Spans, least: float) -> Spans:
    """Stretches without what others cover, no crumb shorter than `least` left."""
    out = spans
    for low, high in taken:
        out = [(a, b) for s, e in out for a, b in ((s, min(e, low)), (max(s, high), e)) if b - a > 0.0]
    return [(a, b) for a, b in out if b - a > least]


def _piece(model: Curve, low: float, high: float) -> Curve:
    if isinstance(model, Line):
        a, b = np.array([model.x0, model.y0]) + np.outer([low, high], _way(model))
        return Line(float(a[0]), float(a[1]), float(b[0]), float(b[1]))
    assert isinstance(model, Arc)
    sweep = TURN if high - low > TURN - 1e-6 else high - low
    return Arc(model.cx, model.cy, model.radius, 0.0 if sweep == TURN else low, sweep)


def _marks(curves: Sequence[Curve], tol: float) -> set[tuple[float, ...]]:
    return {_mark(c, tol) for c in curves}


def _mark(curve: Curve, tol: float) -> tuple[float, ...]:
    """Three places of a curve, whichever way it runs, rounded: two with the same lie on each other."""
    points = np.asarray(curve.points(np.array([0.0, 0.5, 1.0])))
    ends = sorted(np.round(points[[0, 2]] / tol / 20.0).tolist())
    return (*ends[0], *ends[1], *np.round(points[1] / tol / 20.0).tolist())
