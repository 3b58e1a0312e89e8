"""Where a bar begins and ends: its length, as it is measured, and how its ends are mitred. Nothing of the kernel."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue

_MOST_ANGLE = 80.0

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
