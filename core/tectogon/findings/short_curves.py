"""Pieces too short to matter, and regions too thin to."""

from __future__ import annotations

import math

import numpy as np

from tectogon.curves import CurveTable
from tectogon.findings.finding import Finding
from tectogon.profiles import Regions
from tectogon.tolerances import TINY
from tectogon.units import show_small

_THIN = 1e-3


def find_short(table: CurveTable, *, resolution: float) -> list[Finding]:
    """Curves no longer than the resolution (mm)."""
    rows = np.flatnonzero(table.lengths <= resolution)
    points = table.points(rows, np.full(len(rows), 0.5)).tolist()
    return [
        Finding("short", length, (p[0], p[1]), (r,), True, f"{show_small(length, 2)} mm long")
        for r, p, length in zip(rows.tolist(), points, table.lengths[rows].tolist(), strict=True)
    ]


def find_slivers(regions: Regions, *, resolution: float) -> list[Finding]:
    """Regions whose mean width, twice the area over the perimeter, is below a thousandth of their size or close to the
    resolution."""
    out = []
    for region in regions.regions:
        width = 2.0 * region.area / max(region.perimeter, TINY)
        size = math.hypot(region.bounds[2] - region.bounds[0], region.bounds[3] - region.bounds[1])
        if width < max(_THIN * size, 4.0 * resolution):
            rows = tuple(dict.fromkeys(regions.piece_source[region.outer.rows].tolist()))
            out.append(
                Finding("sliver", width, region.inside, rows, False, f"a region only {show_small(width)} mm wide")
            )
    return out
