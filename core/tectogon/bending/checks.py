"""What a press brake can't do, or does badly: flanges too short for the die, holes that are drawn out of shape, bends
that stand too near, radii that crack."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.bending.pieces import in_space, pieces_of
from tectogon.bending.unfold import Blank

_FLANGE, _HOLE = 4.0, 2.0
"""Usual rules of the workshop: a flange reaches so many thicknesses past the inner radius, so that it lies on both
shoulders of a die eight thicknesses wide; a hole stands so many off the bend."""
LEAST_RADIUS = {
    "aluminium": 1.0,
    "stainless steel": 1.0,
    "steel": 0.6,
    "titanium": 2.5,
    "brass": 0.5,
    "copper": 0.5,
    "bronze": 1.0,
    "zinc": 1.0,
}
"""The least inner radius as a multiple of the thickness, by material, across the rolling direction."""


@dataclass(frozen=True)
class Remark:
    """What is wrong in a sentence, and where: on the part and on the blank (mm)."""

    text: str
    at: tuple[float, float, float]
    on_blank: tuple[float, float]


def remarks_of(blank: Blank, material: str | None) -> list[Remark]:
    """Everything that stands in the way of bending a blank, bend by bend."""
    pieces = pieces_of(blank)
    thick = blank.part.thickness
    holes = [shapely.Polygon(ring) for ring in pieces.rings[1:]]
    out: list[Remark] = []
    for n, zone in enumerate(blank.zones, 1):
        bend = zone.bend
        middle = zone.start + zone.allowance / 2.0 * zone.across + sum(zone.span) / 2.0 * zone.along
        here = in_space(blank, bend.parent, _pair(middle))
        least = LEAST_RADIUS.get(material or "", 0.0) * thick
        if bend.inner < least - 1e-9:
            out.append(
                Remark(
                    f"Bend {n} has an inner radius of {bend.inner:.4g} mm; {material} of {thick:.4g} mm wants"
                    f" {least:.4g} mm.",
                    here,
                    _pair(middle),
                )
            )
        for face, side, edge in ((bend.parent, -1.0, 0.0), (bend.child, 1.0, zone.allowance)):
            reach = [
                float((side * ((np.asarray(p.exterior.coords) - zone.start) @ zone.across - edge)).max())
                for f, p in pieces.flats
                if f == face
            ]
            wanted = bend.inner + _FLANGE * thick
            if reach and max(reach) < wanted - 1e-6:
                at = zone.start + (edge + side * max(reach) / 2.0) * zone.across + sum(zone.span) / 2.0 * zone.along
                out.append(
                    Remark(
                        f"The flange beside bend {n} is {max(reach):.4g} mm long; the brake wants {wanted:.4g} mm.",
                        in_space(blank, face, _pair(at)),
                        _pair(at),
                    )
                )
        for hole in holes:
            points = np.asarray(hole.exterior.coords) - zone.start
            across, along = points @ zone.across, points @ zone.along
            if along.max() < zone.span[0] or along.min() > zone.span[1]:
                continue
            near = max(float(across.min()) - zone.allowance, -float(across.max()))
            if -zone.allowance < near < bend.inner + _HOLE * thick - 1e-6 and not _crosses(across, zone.allowance):
                spot = _pair(hole.centroid.coords[0])
                face = bend.child if float(across.min()) > zone.allowance / 2.0 else bend.parent
                out.append(
                    Remark(
                        f"A hole stands {max(near, 0.0):.4g} mm off bend {n}; nearer than"
                        f" {bend.inner + _HOLE * thick:.4g} mm it is drawn out of shape.",
                        in_space(blank, face, spot),
                        spot,
                    )
                )
        if math.degrees(bend.angle) > 180.0 - 1e-6:
            out.append(
                Remark(f"Bend {n} turns by 180°: a hem, which a brake bends in two strokes.", here, _pair(middle))
            )
    return out


def _crosses(across: object, wide: float) -> bool:
    """Whether a hole lies over the whole bend: it is cut on both sides, as a relief is."""
    values = np.asarray(across)
    return bool(values.min() < 0.0 and values.max() > wide)


def _pair(point: object) -> tuple[float, float]:
    x, y = (float(v) for v in np.asarray(point))
    return x, y
