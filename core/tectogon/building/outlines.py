"""Outlines of an operation's own making, raised to prisms."""

from __future__ import annotations

from collections.abc import Sequence

from tectogon.curves import Curve, CurveTable, Line
from tectogon.errors import Place
from tectogon.linework import identity
from tectogon.profiles import Regions, find_regions
from tectogon.solids.features import Feature
from tectogon.solids.prism import prism
from tectogon.views import Frame

_JOIN = 1e-7


def outline_of(curves: Sequence[Curve], step: int, first: int = 0) -> Regions:
    """The one region that curves close, its curves numbered from `first` as drawn by a step."""
    table = CurveTable.of(curves)
    ids = tuple(identity.drawn(step, first + n) for n in range(1, len(table) + 1))
    return find_regions(table, ids, join_tol=_JOIN * max(table.size, 1.0))


def polygon(*points: tuple[float, float]) -> list[Curve]:
    """The sides of a closed polygon."""
    return [Line(*a, *b) for a, b in zip(points, (*points[1:], points[0]), strict=True)]


def raised(regions: Regions, frame: Frame, low: float, high: float, step: int, place: Place) -> Feature:
    """The one region between two heights over a plane (mm), proven."""
    region = regions.regions[0]
    named = prism(regions, region, frame, low, high, step)
    return Feature(named, region.area * (high - low), (), place).proven()
