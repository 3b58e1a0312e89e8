"""Profiles put together: unite, subtract, overlap, exclude; offset inwards and outwards; a line given thickness. True
curves all the way.

All of it is painting: fills and strokes are inked or cleared one over the other (painted.py), and what is left is
outlined.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Literal

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.nearest import nearest_on
from tectogon.curves.table import IntArray
from tectogon.profiles.chains import find_chains
from tectogon.profiles.fills import Filled, FillRule, painted
from tectogon.profiles.regions import Region, Regions, find_regions
from tectogon.profiles.stroke import Join, Pen, inked

How = Literal["unite", "subtract", "overlap", "exclude"]
Side = Literal["both", "left", "right"]
_SHARP = 20.0


def boundary(regions: Regions, region: Region) -> CurveTable:
    """All rings of a region as one table, each ring run in its own direction: the outer one counter-clockwise, holes
    clockwise."""
    tables = []
    for ring in (region.outer, *region.holes):
        curves = [regions.pieces.curve(row) for row in ring.rows.tolist()]
        tables.append(
            CurveTable.of([c.reversed() if a else c for c, a in zip(curves, ring.against.tolist(), strict=True)])
        )
    return CurveTable.join(tables)


def _paint(layers: Sequence[tuple[CurveTable, FillRule, bool]], tol: float) -> CurveTable:
    """The outline of shapes painted in order: (closed curves, fill rule, whether it clears)."""
    layers = [layer for layer in layers if len(layer[0])]
    if not layers:
        return CurveTable.of([])
    table = CurveTable.join([t for t, _, _ in layers])
    edges = np.cumsum([0, *(len(t) for t, _, _ in layers)]).tolist()
    shapes = [
        Filled(a, b, rule, clear) for (a, b), (_, rule, clear) in zip(itertools.pairwise(edges), layers, strict=True)
    ]
    return painted(table, tuple(map(str, range(len(table)))), shapes, join_tol=tol).table


def combined(first: CurveTable, others: Sequence[CurveTable], how: How, *, join_tol: float) -> CurveTable:
    """The outline of closed boundaries put together. Subtract and overlap take the others from, or with, the first. May
    be empty."""
    others = [o for o in others if len(o)]
    if how == "unite":
        return _paint([(t, "nonzero", False) for t in (first, *others)], join_tol)
    if how == "exclude":
        return _paint([(CurveTable.join([first, *others]), "evenodd", False)], join_tol)
    taken = _paint([(first, "nonzero", False), *((t, "nonzero", True) for t in others)], join_tol)
    if how == "subtract" or not len(taken):
        return taken if how == "subtract" else first
    return _paint([(first, "nonzero", False), (_in_order(taken, join_tol), "evenodd", True)], join_tol)


def _in_order(table: CurveTable, join_tol: float) -> CurveTable:
    """An outline with its rings one after the other, each in order: what a filled shape is made of."""
    regions = find_regions(table, tuple(map(str, range(len(table)))), join_tol=join_tol)
    return CurveTable.join([boundary(regions, r) for r in regions.profiles])


def offset(table: CurveTable, distance: float, *, join: Join, join_tol: float) -> CurveTable:
    """A closed boundary (outer rings counter-clockwise, holes clockwise) moved outwards by `distance` (mm), inwards
    where negative.

    Corners: miter is sharp, round is round, bevel is cut off. What collapses is gone; the result may be empty.
    """
    if distance == 0.0:
        return table
    strokes = _stroked(table, Pen(2.0 * abs(distance), join, "butt", _SHARP), join_tol)
    fill: tuple[CurveTable, FillRule, bool] = (table, "nonzero", False)
    return _paint([fill, *((s, "nonzero", distance < 0) for s in strokes)], join_tol)


def thickened(table: CurveTable, thickness: float, *, side: Side, join: Join, join_tol: float) -> CurveTable:
    """Chains of curves given thickness (mm) on both sides or on one, as seen along each chain; the ends are square. May
    be empty."""
    if side == "both":
        return _paint(
            [(s, "nonzero", False) for s in _stroked(table, Pen(thickness, join, "butt", _SHARP), join_tol)], join_tol
        )
    out: list[tuple[CurveTable, FillRule, bool]] = []
    for chain in find_chains(table, join_tol=join_tol):
        curves = [table.curve(r) for r in chain.rows.tolist()]
        line = CurveTable.of([c.reversed() if a else c for c, a in zip(curves, chain.against.tolist(), strict=True)])
        wide = _paint(
            [(s, "nonzero", False) for s in _stroked(line, Pen(2.0 * thickness, join, "butt", _SHARP), join_tol)],
            join_tol,
        )
        halves = CurveTable.join([wide, line])
        regions = find_regions(halves, tuple(map(str, range(len(halves)))), join_tol=join_tol)
        chosen = [
            r
            for r in regions.regions
            if (_side_of(line, r.inside) > 0) == (side == "left") and _is_near(line, r.inside, thickness)
        ]
        out += [(boundary(regions, r), "nonzero", False) for r in chosen]
    return _paint(out, join_tol)


def _stroked(table: CurveTable, pen: Pen, join_tol: float) -> list[CurveTable]:
    """The strips, joins and caps of a pen along all chains of a table."""
    order: list[CurveTable] = []
    number: list[int] = []
    for n, chain in enumerate(find_chains(table, join_tol=join_tol)):
        curves = [table.curve(r) for r in chain.rows.tolist()]
        order.append(
            CurveTable.of([c.reversed() if a else c for c, a in zip(curves, chain.against.tolist(), strict=True)])
        )
        number += [n] * len(curves)
    joined = CurveTable.join(order)
    return inked(joined, np.array(number, np.int64), pen)


def _nearest(line: CurveTable, point: tuple[float, float]) -> tuple[int, float, float]:
    rows: IntArray = np.arange(len(line))
    t, d = nearest_on(line, rows, np.broadcast_to(np.array(point), (len(line), 2)))
    k = int(d.argmin())
    return k, float(t[k]), float(d[k])


def _side_of(line: CurveTable, point: tuple[float, float]) -> float:
    """Positive where a point lies left of a chain."""
    row, t, _ = _nearest(line, point)
    at = line.points(np.array([row]), np.array([t]))[0]
    way, _ = line.directions(np.array([row]), np.array([t]))
    off = np.array(point) - at
    return float(way[0, 0] * off[1] - way[0, 1] * off[0])


def _is_near(line: CurveTable, point: tuple[float, float], thickness: float) -> bool:
    return _nearest(line, point)[2] <= thickness * _SHARP
