"""Profiles turned about an axis, as features: their volume by Pappus, area times the way of the centroid."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from tectogon.errors import Place
from tectogon.profiles import Region, Regions
from tectogon.profiles.pinch import parted
from tectogon.solids import kernel, proof
from tectogon.solids.combine import combine
from tectogon.solids.features import Feature
from tectogon.solids.turned import Axis, halved, tube_around, turned
from tectogon.views import Frame
from tectogon.workpiece.model import Workpiece


def revolution(
    workpiece: Workpiece, region: Region, axis: Axis, sweep: tuple[float, float], step: int
) -> list[Feature]:
    """Proven solids of revolution of a region about an axis, from one angle to another (radians): one, or several where
    the region pinches to a point. A whole outline whose halves are alike is halved.

    Raises BadValue where the axis runs through a profile that is not alike on both sides, and KernelRefused.
    """
    drawing, frame = workpiece.drawing.regions_of(region), workpiece.frame_of(region)
    place = Place(drawing.curves_of(region.outer), region.centroid)
    simple, parts = halved(drawing, region, axis)
    out = []
    for half in parts:
        out += _turned_parts(simple, half, frame, axis, sweep, step, region.id, place)
    return out


def around(workpiece: Workpiece, region: Region, axis: Axis, core: Sequence[Feature], step: int) -> Feature:
    """What lies around the solid of revolution of a region (its `core`) within its own largest radius, from one end to
    the other: what a cut of its outside takes away. Raises KernelRefused."""
    tube, volume = tube_around(workpiece.drawing.regions_of(region), region, workpiece.frame_of(region), axis, step)
    named = combine("cut", [tube], [f.named for f in core])
    outside = tuple(proof.Witness(w.point, False, w.curves) for f in core for w in f.witnesses)
    return Feature(named, volume - sum(f.expected for f in core), outside, core[0].place).proven()


def _turned_parts(
    regions: Regions,
    region: Region,
    frame: Frame,
    axis: Axis,
    sweep: tuple[float, float],
    step: int,
    profile: str,
    place: Place,
) -> list[Feature]:
    simple, parts = parted(regions, region)
    out = []
    for part in parts:
        expected = part.area * abs(float(axis.off(np.array(part.centroid)))) * abs(sweep[1] - sweep[0])
        with kernel.refusals("The solid kernel refuses this profile; look at its boundary.", place):
            named = turned(simple, part, frame, axis, sweep, step, profile=profile)
            witnesses = _witnesses(part, frame, axis, sweep, profile)
            out.append(Feature(named, expected, witnesses, place).proven())
    return out


def _witnesses(
    region: Region, frame: Frame, axis: Axis, sweep: tuple[float, float], profile: str
) -> tuple[proof.Witness, ...]:
    """Points inside a profile turned by three angles, known to lie in the solid."""
    inside = np.array(region.inside)
    off, foot = float(axis.off(inside)), axis.point + float(axis.along(inside)) * axis.way
    left = np.array([-axis.way[1], axis.way[0]])
    out = []
    for angle in proof.depths(*sorted(sweep)).tolist():
        x, y = (foot + off * math.cos(angle) * left).tolist()
        point = frame.at(x, y, axis.height + off * math.sin(angle))
        out.append(proof.Witness(point, True, (profile,)))
    return tuple(out)
