"""Curves on top of others: the same, reversed, contained, or overlapping in part; lines, arcs, ellipses and splines
alike."""

from __future__ import annotations

import numpy as np

from tectogon.curves import CurveTable
from tectogon.findings.finding import Finding
from tectogon.profiles.network import Network
from tectogon.tolerances import HAIR
from tectogon.units import show_small


def find_doubles(table: CurveTable, net: Network) -> list[Finding]:
    """A finding for each curve that lies on others, whole or in part; its size is the length that lies on them."""
    if not len(net.doubles):
        return []
    left = np.bincount(net.source, weights=net.table.lengths, minlength=len(table))
    middle = table.points(net.doubles, np.full(len(net.doubles), 0.5))
    out = []
    for row, point in zip(net.doubles.tolist(), middle.tolist(), strict=True):
        whole = float(table.lengths[row])
        under = max(whole - float(left[row]), 0.0)
        words = (
            "lies on another curve"
            if left[row] <= HAIR * whole
            else f"lies on another curve for {show_small(under, 4)} of its {show_small(whole, 4)} mm"
        )
        out.append(Finding("double", under, (point[0], point[1]), (row,), True, words))
    return out
