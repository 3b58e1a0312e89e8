"""Bars: a section carried straight along an axis for a length, its ends square or mitred."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tectogon.building.outlines import outline_of, polygon, raised
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, Place
from tectogon.profiles import Region, Regions
from tectogon.solids import proof
from tectogon.solids.combine import combine
from tectogon.solids.features import Feature
from tectogon.solids.prism import place_of, prism
from tectogon.views import Frame

_MOST_ANGLE = 80.0
_PAST = 1.0


Measured = Literal["overall", "inside", "axis"]


@dataclass(frozen=True)
class Ends:
    """The length (mm): overall, between the nearest points of both ends (inside), or along the axis through the
    section's origin; and by how much each end leans from square (degrees): where positive it reaches further along on
    the section's right."""

    length: float
    start: float = 0.0
    end: float = 0.0
    measured: Measured = "axis"

    def checked(self) -> Ends:
        """Itself. Raises BadValue for a length of nothing and an angle that is too flat."""
        if self.length <= 1e-3:
            raise BadValue("A bar is longer than nothing; type a length such as 1250 mm.")
        if self.length > 1e6:
            raise BadValue("The bar is over a kilometre long; check its unit.")
        if max(abs(self.start), abs(self.end)) > _MOST_ANGLE:
            raise BadValue(f"An end is mitred by {_MOST_ANGLE:g}° at most.")
        return self

    @property
    def leans(self) -> tuple[float, float]:
        """How much further along start and end are for each mm to the section's right."""
        return math.tan(math.radians(self.start)), math.tan(math.radians(self.end))

    def on_axis(self, left: float, right: float) -> Ends:
        """The same ends with the length along the axis, for a section that reaches from `left` to `right` of it."""
        start, end = self.leans
        across = np.array([left, right])
        if self.measured == "overall":
            length = self.length - float((end * across).max()) + float((start * across).min())
        elif self.measured == "inside":
            length = self.length - float(((end - start) * across).min())
        else:
            length = self.length
        return Ends(length, self.start, self.end)

    def overall(self, left: float, right: float) -> float:
        """The length between the farthest points of both ends (mm)."""
        begin, stop = (np.asarray(v) for v in self.on_axis(left, right).at(np.array([left, right])))
        return float(stop.max() - begin.min())

    def at(self, u: FloatArray | float) -> tuple[FloatArray | float, FloatArray | float]:
        """Where the bar begins and ends at a place across its section, for a length along the axis."""
        start, end = self.leans
        return start * u, self.length + end * u


def bar(regions: Regions, region: Region, frame: Frame, ends: Ends, step: int) -> Feature:
    """The one bar of a section that lies about the origin of its plane; the frame's normal is the way it runs.

    Its volume is held against the section's area times the length at its centroid: what a plane cuts of a prism.
    Raises BadValue where the ends cross within the section, KernelRefused.
    """
    x0, y0, x1, y1 = region.bounds
    ends = ends.on_axis(x0, x1)
    low, high = (np.asarray(v) for v in ends.at(np.array([x0, x1])))
    if (high - low).min() <= 0.0:
        raise BadValue("The mitred ends of the bar cross: make it longer, or its angles smaller.")
    named = prism(regions, region, frame, float(low.min()), float(high.max()), step)
    wide, deep = (x0 - _PAST, x1 + _PAST), (y0 - _PAST, y1 + _PAST)
    along = Frame(frame.origin, frame.x_dir, _triple(frame.normal))  # its normal runs down the section
    tools = []
    for n, (angle, side) in enumerate(((ends.start, 0), (ends.end, 1))):
        if angle == 0.0:
            continue
        cut = [float(ends.at(u)[side]) for u in wide]
        far = float(low.min()) - _PAST if side == 0 else float(high.max()) + _PAST
        corners = polygon((wide[0], far), (wide[1], far), (wide[1], cut[1]), (wide[0], cut[0]))
        tools.append(raised(outline_of(corners, step, 10 * n), along, -deep[1], -deep[0], step, Place()).named)
    if tools:
        named = combine("cut", [named], tools)
    begin, stop = ends.at(region.centroid[0])
    made = Feature(named, region.area * float(stop - begin), (), place_of(regions, region))
    proof.check_valid(named, made.place)
    proof.check_volume(named.volume, made.expected, made.place)
    return made


def _triple(v: FloatArray | tuple[float, float, float]) -> tuple[float, float, float]:
    x, y, z = (float(c) for c in v)
    return x, y, z
