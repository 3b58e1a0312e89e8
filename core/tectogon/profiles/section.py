"""Section properties of a region: second moments, principal axes, radii of gyration, section moduli; to the last digits
for lines and arcs.

By Green's theorem along the true boundary, ∬x² = ⅓∮x³dy, ∬y² = -⅓∮y³dx, ∬xy = ½∮x²y dy, in closed form for lines and by
Gauss–Legendre quadrature for others: 1e-14 for arcs (24 nodes a right angle), 1e-12 for splines (by knot spans). See
e.g. Timoshenko & Goodier, Theory of Elasticity.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass

import numpy as np

from tectogon.curves import Arc, Curve, EllipticArc, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.spline import gauss_on_spans
from tectogon.curves.table import LINE
from tectogon.profiles.regions import Region, Regions
from tectogon.tolerances import LEAST_AREA


@dataclass(frozen=True)
class Section:
    """About the centroid, x to the right, y up. mm, mm², mm³, mm⁴; the angle of the first principal axis in degrees, 0
    to 180.

    ix: ∬y² (bending about the level axis).  iy: ∬x².  ixy: ∬xy.  i1 ≥ i2: principal second moments.  rx, ry: radii of
    gyration.
    wx, wy: elastic section moduli, the second moment over the farthest fibre.
    """

    area: float
    perimeter: float
    cx: float
    cy: float
    ix: float
    iy: float
    ixy: float
    i1: float
    i2: float
    angle: float
    rx: float
    ry: float
    wx: float
    wy: float
    width: float
    height: float

    def as_json(self) -> dict[str, float]:
        return asdict(self)


def section_of(regions: Regions, region: Region) -> Section:
    """The section properties of one region, its holes taken off."""
    cx, cy = region.centroid
    ix = iy = ixy = 0.0
    for ring in (region.outer, *region.holes):
        straight = regions.pieces.kind[ring.rows] == LINE
        way_of = np.where(ring.against, -1.0, 1.0)
        a, b, c = way_of[straight] @ _of_lines(
            regions.pieces.data[ring.rows[straight], :4] - np.array([cx, cy, cx, cy])
        )
        ix, iy, ixy = ix + float(a), iy + float(b), ixy + float(c)
        for row, way in zip(ring.rows[~straight].tolist(), way_of[~straight].tolist(), strict=True):
            a, b, c = _second_moments(regions.pieces.curve(row), cx, cy)
            ix, iy, ixy = ix + way * a, iy + way * b, ixy + way * c
    mean, half = (ix + iy) / 2.0, math.hypot((ix - iy) / 2.0, ixy)
    angle = math.degrees(0.5 * math.atan2(-2.0 * ixy, ix - iy)) % 180.0
    x0, y0, x1, y1 = _exact_bounds(regions, region)
    return Section(
        region.area,
        region.perimeter,
        cx,
        cy,
        ix,
        iy,
        ixy,
        mean + half,
        mean - half,
        angle,
        math.sqrt(ix / region.area),
        math.sqrt(iy / region.area),
        ix / max(y1 - cy, cy - y0),
        iy / max(x1 - cx, cx - x0),
        x1 - x0,
        y1 - y0,
    )


def _exact_bounds(regions: Regions, region: Region) -> tuple[float, float, float, float]:
    points = (
        regions.ring_points(region.outer, max(region.area, LEAST_AREA) ** 0.5 * 1e-6)
        if len(regions.pieces.splines)
        else None
    )
    if points is None:
        return region.bounds
    (x0, y0), (x1, y1) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return x0, y0, x1, y1


def _of_lines(ends: FloatArray) -> FloatArray:
    """-⅓∮y³dx, ⅓∮x³dy, ½∮x²y dy along each of some lines given by their ends (k, 4), in closed form (k, 3)."""
    x, y, u, v = ends.T
    return np.column_stack(
        [
            (x - u) * (y + v) * (y * y + v * v) / 12.0,
            (v - y) * (x + u) * (x * x + u * u) / 12.0,
            (v - y) * (x * x * (3 * y + v) + 2 * x * u * (y + v) + u * u * (y + 3 * v)) / 24.0,
        ]
    )


def _second_moments(curve: Curve, cx: float, cy: float) -> tuple[float, float, float]:
    """-⅓∮y³dx, ⅓∮x³dy, ½∮x²y dy along one bent curve, about (cx, cy)."""
    if isinstance(curve, (Arc, EllipticArc)):
        spans: FloatArray = np.linspace(0.0, 1.0, max(1, math.ceil(abs(curve.sweep) / 1.6)) + 1)
        order = 24
    else:
        assert isinstance(curve, Spline)
        spans, order = curve.spans, 4 * curve.degree + 4 if curve.weights is None else 40
    t, w = gauss_on_spans(spans, order)
    (x, y), (dx, dy) = (np.asarray(curve.points(t)) - np.array([cx, cy])).T, np.asarray(curve.derivatives(t)).T
    return float(-(w @ (y**3 * dx)) / 3.0), float(w @ (x**3 * dy) / 3.0), float(w @ (x * x * y * dy) / 2.0)
