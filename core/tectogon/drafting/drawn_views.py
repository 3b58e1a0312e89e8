"""Views of bodies as a draughtsman draws them: each edge once, the visible over the hidden, axes of what is round."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import shapely

from tectogon.curves import Curve, CurveTable
from tectogon.curves.once import each_once
from tectogon.drafting.needs import Round
from tectogon.solids.body import Body
from tectogon.solids.project import edges_seen
from tectogon.views import Frame, frame_of

Pattern = Literal["metal", "copper", "plastic"]
"""What hatching tells apart: metals, copper and its alloys, and everything that is no metal."""


@dataclass(frozen=True)
class Filled:
    """What a section cuts of one body: an area of the view's plane (mm), and how it is hatched."""

    area: shapely.Geometry
    pattern: Pattern


BLANK = "blank"
"""The name of the view of the flat blank."""


@dataclass(frozen=True, eq=False)
class DrawnView:
    """What is seen from one side (mm, the part's own coordinates along the view's two axes): edges, hidden edges, and
    the axes of what is round: crosses (x, y, radius) where a viewer looks along one, lines (x0, y0, x1, y1) else.
    `title`: what stands over it; `filled`: what a section cuts; `rim`: the circle round a detail, which is drawn
    `times` as large as the other views; `notes`: what is written in it, with its place and how it is turned
    (radians)."""

    name: str
    frame: Frame
    visible: tuple[Curve, ...]
    hidden: tuple[Curve, ...]
    crosses: tuple[tuple[float, float, float], ...]
    axes: tuple[tuple[float, float, float, float], ...]
    title: str = ""
    filled: tuple[Filled, ...] = ()
    rim: tuple[Curve, ...] = ()
    times: float = 1.0
    notes: tuple[tuple[str, tuple[float, float], float], ...] = ()

    @property
    def alone(self) -> bool:
        """Whether it stands in line with no other view: a detail, the flat blank."""
        return bool(self.rim) or self.name == BLANK

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """The extents of what is visible."""
        x0, y0, x1, y1 = CurveTable.of([*self.visible, *self.rim]).extents
        return x0, y0, x1, y1

    @property
    def hidden_length(self) -> float:
        """How much of it is hidden (mm)."""
        return sum(c.length for c in self.hidden)

    def along(self, axis: int) -> tuple[int, float] | None:
        """Which of the sheet's directions (0 to the right, 1 up) an axis of the part runs along, and which way; None
        where it is looked along."""
        for k, way in enumerate((self.frame.x_dir, self.frame.y_dir)):
            if abs(way[axis]) > 0.5:
                return k, way[axis]
        return None


def drawn_view(bodies: Sequence[Body], name: str, rounds: Iterable[Round] = ()) -> DrawnView:
    """A named view of bodies. Raises KernelRefused where no edge is seen."""
    frame = frame_of(name)
    seen = edges_seen([b.shape for b in bodies], frame)
    visible, hidden = each_once(seen.visible, seen.hidden)
    crosses, axes = _axes(frame, rounds)
    return DrawnView(name, frame, tuple(visible), tuple(hidden), tuple(crosses), tuple(axes))


def _axes(
    frame: Frame, rounds: Iterable[Round]
) -> tuple[list[tuple[float, float, float]], list[tuple[float, float, float, float]]]:
    """Crosses and lines, each once, the widest of those on one centre."""
    crosses: dict[tuple[float, float], float] = {}
    axes: dict[tuple[float, float, int], tuple[float, float]] = {}
    x_dir, y_dir = np.array(frame.x_dir), np.array(frame.y_dir)
    for r in rounds:
        if r.is_fillet or (not r.whole and r.turned < math.pi * 0.99):
            continue
        centre = np.array(r.centre)
        x, y = (round(float(centre @ d), 6) for d in (x_dir, y_dir))
        if abs(frame.normal[r.axis]) > 0.5:
            crosses[(x, y)] = max(crosses.get((x, y), 0.0), r.radius)
            continue
        k = 0 if abs(frame.x_dir[r.axis]) > 0.5 else 1
        way = (frame.x_dir, frame.y_dir)[k][r.axis]
        low, high = sorted((r.low * way, r.high * way))
        key = (y if k == 0 else x, 0.0, k)
        a, b = axes.get(key, (low, high))
        axes[key] = (min(a, low), max(b, high))
    lines = [(a, at, b, at) if k == 0 else (at, a, at, b) for (at, _, k), (a, b) in axes.items()]
    return [(x, y, r) for (x, y), r in crosses.items()], lines
