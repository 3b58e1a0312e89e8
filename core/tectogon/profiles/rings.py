"""The boundary of a region as curves in order."""

from __future__ import annotations

import numpy as np

from tectogon.curves import Curve
from tectogon.profiles.regions import Region, Regions, Ring


def rings_of(regions: Regions, region: Region) -> tuple[list[list[Curve]], list[list[str]]]:
    """The rings of a region, the outer one counter-clockwise and holes clockwise, each of two curves or more, and the
    ids of the pieces they are (of)."""
    rings, names = [], []
    for ring in (region.outer, *region.holes):
        curves, ids = _in_order(regions, ring)
        rings.append(curves)
        names.append(ids)
    return rings, names


def _in_order(regions: Regions, ring: Ring) -> tuple[list[Curve], list[str]]:
    table, rows = regions.pieces, ring.rows
    ids = [regions.piece_ids[row] for row in rows.tolist()]
    if len(rows) == 1:
        table = table.parts(np.repeat(rows, 2), np.array([0.0, 0.5]), np.array([0.5, 1.0]))
        curves = [curve.reversed() for curve in table.curves()[::-1]] if ring.against[0] else table.curves()
        return curves, ids * 2
    pieces = table.take(rows).curves()
    return [c.reversed() if a else c for c, a in zip(pieces, ring.against.tolist(), strict=True)], ids
