"""How much of the flat a bend takes: the length of its neutral line, which lies a share K of the thickness from the
inside."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from tectogon.errors import BadValue

DIN_6935: tuple[tuple[float, float], ...] = tuple(
    (r, round(min(0.5, 0.325 + 0.25 * math.log10(r)), 3)) for r in (0.1, 0.25, 0.5, 0.65, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0)
)
"""Inner radius / thickness → K, after DIN 6935: its factor is 0.65 + 0.5 lg (r/s) of half the thickness, 1 from r/s = 5
on; the K of this program is a share of the whole thickness."""
_LEAST, _MOST = 0.0, 1.0


@dataclass(frozen=True)
class Rule:
    """How the allowance is had: one K for all bends, or a table of (inner radius / thickness, K), rising."""

    k: float | None = None
    table: Sequence[tuple[float, float]] = DIN_6935

    def __post_init__(self) -> None:
        if self.k is not None and not _LEAST <= self.k <= _MOST:
            raise BadValue(f"K is a share of the thickness, from 0 to 1, not {self.k:g}.")

    def k_of(self, radius: float, thickness: float) -> float:
        """K for an inner radius (mm) in a thickness (mm); between two of the table in line with both."""
        if self.k is not None:
            return self.k
        ratio, rows = radius / thickness, self.table
        if ratio <= rows[0][0]:
            return rows[0][1]
        for (a, low), (b, high) in pairwise(rows):
            if ratio <= b:
                return low + (high - low) * (ratio - a) / (b - a)
        return rows[-1][1]

    def allowance(self, angle: float, radius: float, thickness: float) -> float:
        """The length (mm) that a bend through an angle (radians) takes of the flat."""
        return angle * (radius + self.k_of(radius, thickness) * thickness)
