"""Figures built in code, and broken on purpose."""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from typing import Any

import numpy as np
from tectogon.curves import Arc, Curve, CurveTable, EllipticArc, Line, Spline
from tectogon.profiles import Regions, find_regions

TURN = 2 * math.pi


class Figure:
    """Curves, added one shape at a time. Every method gives the figure back."""

    def __init__(self, curves: list[Curve] | None = None) -> None:
        self.curves: list[Curve] = curves or []

    def line(self, x0: float, y0: float, x1: float, y1: float) -> Figure:
        self.curves.append(Line(x0, y0, x1, y1))
        return self

    def chain(self, *points: tuple[float, float], close: bool = True) -> Figure:
        ends = [*points[1:], points[0]] if close else points[1:]
        for a, b in zip(points, ends, strict=False):
            self.line(*a, *b)
        return self

    def rectangle(self, x: float, y: float, w: float, h: float) -> Figure:
        return self.chain((x, y), (x + w, y), (x + w, y + h), (x, y + h))

    def circle(self, x: float, y: float, r: float, start: float = 0.0) -> Figure:
        self.curves.append(Arc(x, y, r, start, TURN))
        return self

    def arc(self, x: float, y: float, r: float, start: float, sweep: float) -> Figure:
        """An arc from `start` through `sweep`, in degrees."""
        self.curves.append(Arc(x, y, r, math.radians(start), math.radians(sweep)))
        return self

    def ellipse(self, x: float, y: float, a: float, ratio: float, angle: float = 0.0) -> Figure:
        self.curves.append(EllipticArc(x, y, a * math.cos(angle), a * math.sin(angle), ratio, 0.3, TURN))
        return self

    def slot(self, x: float, y: float, run: float, r: float) -> Figure:
        self.curves += [
            Line(x, y + r, x + run, y + r),
            Arc(x + run, y, r, math.pi / 2, -math.pi),
            Line(x + run, y - r, x, y - r),
            Arc(x, y, r, -math.pi / 2, -math.pi),
        ]
        return self

    def spline(self, *points: tuple[float, float]) -> Figure:
        self.curves.append(Spline.bezier(np.array(points)))
        return self

    def shuffled(self, seed: int) -> Figure:
        """The same curves in another order, half of them run backwards."""
        chooser = random.Random(seed)
        curves = [c.reversed() if chooser.random() < 0.5 else c for c in self.curves]
        chooser.shuffle(curves)
        return Figure(curves)

    def split(self, seed: int) -> Figure:
        """Every curve cut in up to three pieces."""
        chooser = random.Random(seed)
        out: list[Curve] = []
        for curve in self.curves:
            cuts = sorted(chooser.uniform(0.1, 0.9) for _ in range(chooser.randrange(3)))
            table = CurveTable.of([curve])
            for a, b in zip([0.0, *cuts], [*cuts, 1.0], strict=True):
                out += table.parts(np.array([0]), np.array([a]), np.array([b])).curves()
        return Figure(out)

    def moved(self, dx: float, dy: float, turn: float = 0.0) -> Figure:
        c, s = math.cos(turn), math.sin(turn)
        return Figure(self.table.transformed(np.array([[c, -s, dx], [s, c, dy]])).curves())

    @property
    def table(self) -> CurveTable:
        return CurveTable.of(self.curves)

    def regions(self, tol: float = 1e-6) -> Regions:
        return find_regions(self.table, tuple(f"c{i}" for i in range(len(self.curves))), join_tol=tol)

    def draw(self) -> Callable[[Any, Any], None]:
        """The figure as a DXF drawing function."""

        def onto(space: Any, document: Any) -> None:
            for c in self.curves:
                if isinstance(c, Line):
                    space.add_line((c.x0, c.y0), (c.x1, c.y1))
                elif isinstance(c, Arc) and c.full:
                    space.add_circle((c.cx, c.cy), c.radius)
                elif isinstance(c, Arc):
                    a, b = math.degrees(c.start_angle), math.degrees(c.start_angle + c.sweep)
                    space.add_arc((c.cx, c.cy), c.radius, *((a, b) if c.sweep > 0 else (b, a)))
                elif isinstance(c, Spline):
                    space.add_open_spline([(x, y) for x, y in c.poles], c.degree)
                else:
                    space.add_ellipse((c.cx, c.cy), (c.mx, c.my), c.ratio)

        return onto


def by_level(regions: Regions) -> list[tuple[int, float, int]]:
    """(level, area, holes) of each region, sorted: what a figure is, whatever the order of its curves."""
    return sorted((r.level, round(r.area, 6), len(r.holes)) for r in regions.regions)
