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
    """How the allowance is had: one K for all bends, or a table of (inner radius / thickness, K), rising; or stated for
    every bend alike: its allowance, or its deduction from the lengths outside (mm)."""

    k: float | None = None
    table: Sequence[tuple[float, float]] = DIN_6935
    stated: float | None = None
    deduction: float | None = None

    def __post_init__(self) -> None:
        if self.k is not None and not _LEAST <= self.k <= _MOST:
            raise BadValue(f"K is a share of the thickness, from 0 to 1, not {self.k:g}.")
        if not self.table:
            raise BadValue(
                "The table of K has no row: the workshop keeps none. Write one on the page of your account, or state K."
            )
        for ratio, k in self.table:
            if ratio <= 0.0 or not _LEAST <= k <= _MOST:
                raise BadValue(
                    f"The table of K has a row that can't be: radius / thickness {ratio:g} with K {k:g}; the ratio is"
                    " more than 0, K from 0 to 1."
                )
        for (a, _), (b, _) in pairwise(self.table):
            if b <= a:
                raise BadValue(f"The table of K must rise: {b:g} comes after {a:g}.")
        if self.stated is not None and self.stated <= 0.0:
            raise BadValue("A bend takes more than nothing of the flat: state an allowance above 0 mm.")

    def k_of(self, radius: float, thickness: float) -> float:
        """K for an inner radius (mm) in a thickness (mm), by value or table; between two of the table in line with
        both."""
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
        """The length (mm) that a bend through an angle (radians) takes of the flat: angle × (radius + K × thickness),
        the stated one, or twice the outer setback less the deduction. Raises BadValue where a deduction leaves
        nothing."""
        if self.stated is not None:
            return self.stated
        if self.deduction is None:
            return angle * (radius + self.k_of(radius, thickness) * thickness)
        told = f"a bend of {math.degrees(angle):.4g}° with an inner radius of {radius:.4g} mm"
        if angle > math.pi - 1e-6:
            raise BadValue(f"There is no corner outside of {told}: state its allowance, or K.")
        left = 2.0 * (radius + thickness) * math.tan(angle / 2.0) - self.deduction
        if left <= 0.0:
            raise BadValue(
                f"A deduction of {self.deduction:.4g} mm leaves nothing of {told}; it must be less than"
                f" {left + self.deduction:.4g} mm."
            )
        return left

    def k_at(self, angle: float, radius: float, thickness: float) -> float:
        """The K that the allowance comes to."""
        return (self.allowance(angle, radius, thickness) / angle - radius) / thickness
