"""Profiles raised between two heights over their planes, as features."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tectogon.building.tapering import UPRIGHT, Sides, tapers
from tectogon.errors import Place
from tectogon.profiles import Region
from tectogon.profiles.pinch import parted
from tectogon.solids import kernel, proof
from tectogon.solids.features import Feature
from tectogon.solids.prism import prism
from tectogon.views import Frame
from tectogon.workpiece.making import SidesParams, lean_of, tip_of
from tectogon.workpiece.model import Workpiece


def sides_of(params: SidesParams, workpiece: Workpiece) -> Sides:
    """How the sides stand that a step asks for. Raises BadValue, Unfinished."""
    return Sides(lean_of(params), params.sides in ("point", "point_over"), tip_of(params, workpiece.drawing.linework))


def extrusions(
    workpiece: Workpiece,
    regions: Sequence[Region],
    spans: Sequence[tuple[float, float]],
    step: int,
    sides: Sides = UPRIGHT,
) -> list[Feature]:
    """A proven prism for each region between its own two heights (mm over its plane); several where a region pinches to
    a point. Its sides may lean, or run to a point.

    Its volume is held against area times height. Raises KernelRefused naming the curves, and what `tapers` raises.
    """
    if not sides.upright:
        return tapers(workpiece, regions, spans, sides, step)
    out = []
    for region, (start, end) in zip(regions, spans, strict=True):
        frame, drawing = workpiece.frame_of(region), workpiece.drawing.regions_of(region)
        place = Place(drawing.curves_of(region.outer), region.centroid)
        simple, parts = parted(drawing, region)
        proof.check_volume(sum(p.area for p in parts), region.area, place)
        for part in parts:
            with kernel.refusals("The solid kernel refuses this profile; look at its boundary.", place):
                named = prism(simple, part, frame, start, end, step, profile=region.id)
                out.append(
                    Feature(
                        named, part.area * abs(end - start), witnesses_in(part, frame, start, end), place, frame
                    ).proven()
                )
    return out


def witnesses_in(region: Region, frame: Frame, start: float, end: float) -> tuple[proof.Witness, ...]:
    """Points inside a profile at three depths, known to lie in the prism over it."""
    out = []
    for height in proof.depths(min(start, end), max(start, end)).tolist():
        x, y, z = frame.place(np.array(region.inside), height).tolist()
        out.append(proof.Witness((x, y, z), True, (region.id,)))
    return tuple(out)
