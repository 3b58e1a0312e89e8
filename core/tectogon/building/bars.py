"""Bars: a section carried straight along an axis for a length, its ends square or mitred."""

from __future__ import annotations

import numpy as np

from tectogon.building.bar_ends import Ends
from tectogon.building.outlines import outline_of, polygon, raised
from tectogon.curves.affine import FloatArray
from tectogon.errors import NotPossible, Place
from tectogon.profiles import Region, Regions
from tectogon.solids import proof
from tectogon.solids.combine import combine
from tectogon.solids.features import Feature
from tectogon.solids.prism import place_of, prism
from tectogon.views import Frame

_PAST = 1.0


def bar(regions: Regions, region: Region, frame: Frame, ends: Ends, step: int) -> Feature:
    """The one bar of a section that lies about the origin of its plane; the frame's normal is the way it runs.

    Its volume is held against the section's area times the length at its centroid: what a plane cuts of a prism.
    Raises NotPossible where the ends cross within the section, KernelRefused.
    """
    x0, y0, x1, y1 = region.bounds
    ends = ends.on_axis(x0, x1)
    low, high = (np.asarray(v) for v in ends.at(np.array([x0, x1])))
    if (high - low).min() <= 0.0:
        raise NotPossible("The mitred ends of the bar cross: make it longer, or its angles smaller.")
    named = prism(regions, region, frame, float(low.min()), float(high.max()), step)
    wide, deep = (x0 - _PAST, x1 + _PAST), (y0 - _PAST, y1 + _PAST)
    along = Frame(frame.origin, frame.x_dir, _triple(frame.normal))  # its normal runs down the section
    tools = []
    for n, (angle, side) in enumerate(((ends.start, 0), (ends.end, 1))):
        if angle == 0.0:
            continue
        cut = [float(ends.at(u)[side]) for u in wide]
        far = float(low.min()) - _PAST if side == 0 else float(high.max()) + _PAST
        corners = polygon((wide[0], far), (wide[1], far), (wide[1], cut[1]), (wide[0], cut[0]))
        tools.append(raised(outline_of(corners, step, 10 * n), along, -deep[1], -deep[0], step, Place()).named)
    if tools:
        named = combine("cut", [named], tools)
    begin, stop = ends.at(region.centroid[0])
    made = Feature(named, region.area * float(stop - begin), (), place_of(regions, region))
    proof.check_valid(named, made.place)
    proof.check_volume(named.volume, made.expected, made.place)
    return made


def _triple(v: FloatArray | tuple[float, float, float]) -> tuple[float, float, float]:
    x, y, z = (float(c) for c in v)
    return x, y, z
