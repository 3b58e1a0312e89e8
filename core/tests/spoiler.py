"""A seeded spoiler: breaks a clean figure the ways people's drawings are broken, never by more than a stated
distance."""

from __future__ import annotations

import math
import random

import numpy as np
from figures import TURN, Figure
from tectogon.curves import Arc, Curve, CurveTable, Line


def gear(x: float, y: float, teeth: int, inner: float, outer: float) -> Figure:
    """A toothed wheel of straight flanks and round tops."""
    figure = Figure()
    step = TURN / teeth
    for n in range(teeth):
        a = n * step
        p, q = (
            (x + r * math.cos(b), y + r * math.sin(b)) for r, b in ((inner, a + 0.5 * step), (outer, a + 0.6 * step))
        )
        s = (x + inner * math.cos(a + step), y + inner * math.sin(a + step))
        u = (x + outer * math.cos(a + 0.9 * step), y + outer * math.sin(a + 0.9 * step))
        figure.curves += [
            Arc(x, y, inner, a, 0.5 * step),
            Line(*p, *q),
            Arc(x, y, outer, a + 0.6 * step, 0.3 * step),
            Line(*u, *s),
        ]
    return figure


def wave(x: float, y: float, run: float, rise: float) -> Figure:
    """An outline of two splines and two lines."""
    figure = Figure().line(x, y, x, y + rise).line(x + run, y, x + run, y + rise)
    figure.spline((x, y + rise), (x + run / 3, y + 1.6 * rise), (x + run / 1.5, y + 0.6 * rise), (x + run, y + rise))
    figure.spline((x, y), (x + run / 4, y - 0.4 * rise), (x + run / 1.4, y + 0.3 * rise), (x + run, y))
    return figure


def drawing(seed: int) -> Figure:
    """One of a family: plates with rings, slots, gears, waves and nested islands, set apart from each other."""
    chooser = random.Random(seed)
    figure = Figure()
    for n in range(chooser.randrange(1, 5)):
        x = 150.0 * n
        kind = chooser.randrange(5)
        if kind == 0:
            figure.rectangle(x, 0, 100, 60).circle(x + 30, 30, chooser.uniform(6, 14)).slot(x + 60, 25, 18, 6)
        elif kind == 1:
            figure.curves += gear(x + 50, 40, chooser.choice((8, 11)), 30, 38).circle(x + 50, 40, 9).curves
        elif kind == 2:
            figure.curves += wave(x, 0, 90, 30).circle(x + 45, 14, 7).curves
        elif kind == 3:
            figure.rectangle(x, 0, 100, 80).rectangle(x + 10, 10, 80, 60).circle(x + 50, 40, 22).circle(x + 50, 40, 8)
        else:
            figure.ellipse(x + 50, 30, 45, 0.6, 0.2).chain((x + 30, 20), (x + 60, 22), (x + 50, 42))
    return figure


def spoiled(figure: Figure, seed: int, most: float) -> Figure:
    """The figure with gaps, doubles, overshoots, splits and reversed pieces, and jitter far below `most` (mm); nothing
    is off by more than that."""
    chooser = random.Random(seed)
    curves: list[Curve] = []
    for curve in figure.curves:
        parts = [curve]
        if chooser.random() < 0.3:
            cut = chooser.uniform(0.3, 0.7)
            parts = CurveTable.of([curve]).parts(np.array([0, 0]), np.array([0.0, cut]), np.array([cut, 1.0])).curves()
        for part in parts:
            fate = chooser.random()
            if isinstance(part, Arc) and part.full:
                curves.append(part)
                continue
            if fate < 0.18:
                part = _shortened(part, chooser.uniform(0.2, 0.45) * most, chooser.choice((0, 1)))
            elif fate < 0.26 and isinstance(part, Line):
                part = _shortened(part, -chooser.uniform(0.2, 0.6) * most, chooser.choice((0, 1)))
            elif fate < 0.36:
                twin = (
                    part
                    if chooser.random() < 0.5
                    else CurveTable.of([part]).parts(np.array([0]), np.array([0.2]), np.array([0.7])).curve(0)
                )
                curves.append(twin.reversed() if chooser.random() < 0.5 else twin)
            curves.append(part.reversed() if chooser.random() < 0.4 else part)
    chooser.shuffle(curves)
    return Figure(curves)


def _shortened(curve: Curve, by: float, side: int) -> Curve:
    """A curve with so much taken off one end, or added to it where negative (lines)."""
    share = by / curve.length
    if isinstance(curve, Line):
        dx, dy = curve.x1 - curve.x0, curve.y1 - curve.y0
        if side:
            return Line(curve.x0, curve.y0, curve.x1 - share * dx, curve.y1 - share * dy)
        return Line(curve.x0 + share * dx, curve.y0 + share * dy, curve.x1, curve.y1)
    low, high = (0.0, 1.0 - share) if side else (share, 1.0)
    return CurveTable.of([curve]).parts(np.array([0]), np.array([low]), np.array([high])).curve(0)
