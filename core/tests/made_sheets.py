"""Sheet parts with everything known of them: a chain of flats and bends raised to a width, with holes in the flats."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass

import numpy as np
from figures import Figure
from tectogon.curves import Arc, Line
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.views import Frame, frame_of


@dataclass(frozen=True)
class MadeSheet:
    """A sheet part, and what is true of it: thickness, the flats' lengths, for each bend its angle (radians, signed)
    and inner radius, its width (mm), and the area of its holes (mm²)."""

    body: Body
    thick: float
    flats: list[float]
    bends: list[tuple[float, float]]
    width: float
    holes: list[float]

    def length(self, k: float) -> float:
        return sum(self.flats) + sum(abs(a) * (r + k * self.thick) for a, r in self.bends)


def profile(thick: float, flats: list[float], bends: list[tuple[float, float]]) -> tuple[Figure, list[Frame]]:
    """The cross-section of a chain of flats and bends, its lower side first, and the frame of each flat's lower side:
    origin at its beginning, x along it, y along the width."""
    at, way = np.zeros(2), 0.0
    low: list[Line | Arc] = []
    high: list[Line | Arc] = []
    frames = []
    for n, flat in enumerate(flats):
        d, up = np.array([math.cos(way), math.sin(way)]), np.array([-math.sin(way), math.cos(way)])
        frames.append(Frame((float(at[0]), 0.0, float(at[1])), (float(d[0]), 0.0, float(d[1])), (0.0, 1.0, 0.0)))
        end = at + flat * d
        low.append(Line(*map(float, (*at, *end))))
        high.append(Line(*map(float, (*(at + thick * up), *(end + thick * up)))))
        if n < len(bends):
            angle, radius = bends[n]
            side = 1.0 if angle > 0.0 else -1.0
            # turning to the left the upper side is the inner one
            inner, outer = radius, radius + thick
            lower, upper = (outer, inner) if angle > 0.0 else (inner, outer)
            centre = end + side * lower * up if angle > 0.0 else end - lower * up
            start = way - side * math.pi / 2.0
            for some, size in ((low, lower), (high, upper)):
                some.append(Arc(float(centre[0]), float(centre[1]), size, start, angle))
            way += angle
            at = centre + lower * np.array([math.cos(start + angle), math.sin(start + angle)])
        else:
            at = end
    curves: list[Line | Arc] = list(low)
    ends = [c.points(np.array([0.0, 1.0])) for c in (low[0], low[-1], high[0], high[-1])]
    curves.append(Line(*map(float, (*ends[1][1], *ends[3][1]))))
    curves += [c.reversed() for c in reversed(high)]
    curves.append(Line(*map(float, (*ends[2][0], *ends[0][0]))))
    return Figure(list(curves)), frames


def made_sheet(seed: int) -> MadeSheet:
    """L, U, Z, hats and longer chains, 20 to 160°, inner radii 0.3 to 5 times the thickness, holes and slots."""
    chance = random.Random(seed)
    while True:
        thick = chance.choice((0.8, 1.0, 1.5, 2.0, 3.0))
        count = chance.choice((1, 1, 2, 2, 3, 4))
        ways = [chance.choice((-1, 1)) * chance.choice((20, 45, 60, 90, 90, 90, 120, 160)) for _ in range(count)]
        bends = [(math.radians(way), thick * chance.uniform(0.3, 5.0)) for way in ways]
        flats = [chance.uniform(18.0, 60.0) for _ in range(count + 1)]
        figure, frames = profile(thick, flats, bends)
        regions = figure.regions()
        if (
            len(regions.profiles) == 1
            and not regions.profiles[0].holes
            and abs(regions.profiles[0].area - thick * (sum(flats) + sum(abs(a) * (r + thick / 2.0) for a, r in bends)))
            < 1e-6 * regions.profiles[0].area
        ):
            break
    width = chance.uniform(20.0, 50.0)
    shape = prism(regions, regions.profiles[0], frame_of("front"), -width, 0.0, 1)
    holes = []
    for flat, frame in zip(flats, frames, strict=True):
        if flat > 24.0 and chance.random() < 0.6:
            radius = chance.uniform(1.0, 4.0)
            hole = Figure().circle(flat / 2.0, width / 2.0, radius).regions()
            tool = prism(hole, hole.profiles[0], frame, -2.0 * thick, 2.0 * thick, 2)
            made = combine("cut", [shape], [tool])
            if len(made.solids()) == 1 and abs(shape.volume - made.volume - math.pi * radius**2 * thick) < 1e-6:
                shape = made
                holes.append(math.pi * radius**2)
    return MadeSheet(Body.of("1:a", "sheet", NamedShape(shape.shape, shape.names)), thick, flats, bends, width, holes)
