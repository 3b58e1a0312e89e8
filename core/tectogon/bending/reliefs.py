"""Bend reliefs: where a bend ends beside material that is not bent, a notch parts them, so that nothing tears."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, Literal

import numpy as np
import shapely

from tectogon.bending.in_the_flat import flat_tools
from tectogon.bending.pieces import Pieces, pieces_of
from tectogon.bending.unfold import Blank, Zone
from tectogon.building.outlines import outline_of, polygon
from tectogon.curves import Arc, Curve, Line
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild
from tectogon.solids.features import Feature

Shape = Literal["rectangular", "round"]
_PROBE = 1e-3
"""How far beside a bend's end material is looked for, as a share of the thickness."""


def relief_tools(blank: Blank, width: float, depth: float, shape: Shape, step: int) -> list[Feature]:
    """The notches, so wide along the bend and so deep past it (mm), as cuts of the folded part. Raises BadValue for
    sizes of nothing, NothingToBuild where no bend ends inside an edge, KernelRefused."""
    if min(width, depth) <= 0.0:
        raise BadValue("A relief is wider and deeper than nothing; type 1 mm or so.")
    if shape == "round" and depth < width / 2.0 - 1e-9:
        raise BadValue(f"A round relief of {width:.4g} mm is at least {width / 2.0:.4g} mm deep.")
    pieces = pieces_of(blank)
    out: list[Feature] = []
    for n, curves in enumerate(c for z in blank.zones for c in _notches(blank, pieces, z, width, depth, shape)):
        regions = outline_of(curves, step, 20 * n)
        out += flat_tools(blank, regions, regions.regions, step)
    if not out:
        raise NothingToBuild("Every bend ends where the sheet ends: no relief is wanted.")
    return out


def _notches(
    blank: Blank, pieces: Pieces, zone: Zone, width: float, depth: float, shape: Shape
) -> Iterator[list[Curve]]:
    probe = _PROBE * blank.part.thickness
    for end, way in ((zone.span[0], -1.0), (zone.span[1], 1.0)):
        beside = [_has(pieces.whole, zone, end + way * probe, across) for across in (-probe, zone.allowance + probe)]
        if not any(beside):
            continue
        low, high = 0.0, zone.allowance
        if beside[0]:
            low = -depth
            high = max(high, 0.0 if beside[1] else _open_at(pieces.whole, zone, end + way * width / 2.0, 1.0))
        if beside[1]:
            high = zone.allowance + depth
            low = min(low, 0.0 if beside[0] else -_open_at(pieces.whole, zone, end + way * width / 2.0, -1.0))
        yield _outline(zone, (end, end + way * width), (low, high), (beside[0], beside[1]), shape)


def _at(zone: Zone, along: float, across: float) -> FloatArray:
    return np.asarray(zone.start + along * zone.along + across * zone.across)


def _has(whole: Any, zone: Zone, along: float, across: float) -> bool:
    return bool(whole.contains(shapely.Point(_at(zone, along, across))))


def _open_at(whole: Any, zone: Zone, along: float, way: float) -> float:
    """How far the material beside a bend reaches across it, from the parent's line on (way 1) or from the child's line
    back (-1), mm past the parent's line in that sense."""
    x0, y0, x1, y1 = whole.bounds
    far = math.hypot(x1 - x0, y1 - y0)
    begin = -_PROBE if way > 0.0 else zone.allowance + _PROBE
    ray = shapely.LineString([_at(zone, along, begin), _at(zone, along, begin + way * far)])
    met = [p for p in shapely.get_parts(ray.intersection(whole)) if p.length > 0.0]
    first = next((p for p in met if shapely.distance(p, shapely.Point(ray.coords[0])) < 1e-6), None)
    return 0.0 if first is None else way * begin + float(first.length)


def _outline(
    zone: Zone, along: tuple[float, float], across: tuple[float, float], blind: tuple[bool, bool], shape: Shape
) -> list[Curve]:
    """A notch between two places along and across a bend; `blind`: whether it ends in material on the parent's and on
    the child's side."""
    (a, b), (low, high) = sorted(along), across
    if shape == "rectangular":
        corners = [_at(zone, u, v).tolist() for u, v in ((a, low), (b, low), (b, high), (a, high))]
        return polygon(*((x, y) for x, y in corners))
    radius = (b - a) / 2.0
    left = low + radius if blind[0] else low
    right = high - radius if blind[1] else high
    middle = (a + b) / 2.0
    # seen in (along, across), counter-clockwise
    handed = float(np.cross(zone.along, zone.across)) > 0.0
    turned = math.atan2(float(zone.along[1]), float(zone.along[0]))

    def line(u0: float, v0: float, u1: float, v1: float) -> Line:
        return Line(*map(float, (*_at(zone, u0, v0), *_at(zone, u1, v1))))

    def cap(v: float, begin: float) -> Arc:
        x, y = _at(zone, middle, v).tolist()
        return Arc(x, y, radius, turned + (begin if handed else -begin), math.pi if handed else -math.pi)

    return [
        cap(left, math.pi) if blind[0] else line(a, low, b, low),
        line(b, left, b, right),
        cap(right, 0.0) if blind[1] else line(b, high, a, high),
        line(a, right, a, left),
    ]
