"""A circuit board's layers as features: regions of one layer, less the drills, closed apart from all other layers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely

from tectogon.building.extrusion import extrusions
from tectogon.errors import NothingToBuild, OverLimit
from tectogon.profiles import Region, Regions
from tectogon.solids.features import Feature
from tectogon.tolerances import LEAST_SIZE
from tectogon.units import show_count
from tectogon.workpiece.board_layers import BoardLayers, on_layers
from tectogon.workpiece.model import Workpiece

_MOST_COPPER = 1500
"""So many pieces of copper of a face at most become bodies."""
_CHORD = 1e-4
"""How far polygons may be off what they stand for, as a share of the drawing."""


def plate_of(workpiece: Workpiece, layers: BoardLayers, thickness: float, step: int) -> list[Feature]:
    """What lies inside the edge and in no drill, raised by a thickness (mm). Raises NothingToBuild."""
    found = _material_of(workpiece, layers.edge, layers.drills)
    if not found[1]:
        raise NothingToBuild(
            f"The layer “{layers.edge[0]}” closes no outline. Mend it in Tidy, or choose another layer."
        )
    return extrusions(*found, [(0.0, thickness)] * len(found[1]), step)


def copper_of(
    workpiece: Workpiece, layers: BoardLayers, names: tuple[str, ...], span: tuple[float, float], step: int
) -> list[Feature]:
    """The copper of some layers between two heights (mm), less the drills. Raises OverLimit."""
    if not names:
        return []
    found = _material_of(workpiece, names, layers.drills)
    if len(found[1]) > _MOST_COPPER:
        raise OverLimit(
            f"The copper has {show_count(len(found[1]))} pieces on one face; up to {show_count(_MOST_COPPER)} become"
            " bodies. Choose “no copper”."
        )
    return extrusions(*found, [span] * len(found[1]), step)


def _material_of(
    workpiece: Workpiece, names: tuple[str, ...], drills: tuple[str, ...]
) -> tuple[Workpiece, list[Region]]:
    """The workpiece with nothing but some layers and the drills, and which of the regions they close are material of
    those layers outside of all drills."""
    whole = _alone(workpiece, (*names, *drills))
    filled = _polygons(_alone(workpiece, names).drawing.regions)
    empty = _polygons(_alone(workpiece, drills).drawing.regions) if drills else shapely.STRtree([])
    regions = whole.drawing.regions.regions
    inside = shapely.points(np.array([r.inside for r in regions]).reshape(-1, 2))
    material = np.zeros(len(regions), bool)
    material[filled.query(inside, predicate="within")[0]] = True
    material[empty.query(inside, predicate="within")[0]] = False
    return whole, [r for r, is_in in zip(regions, material.tolist(), strict=True) if is_in]


def _alone(workpiece: Workpiece, names: tuple[str, ...]) -> Workpiece:
    """The workpiece with nothing on its sheet but some layers."""
    drawing = workpiece.drawing
    away = ~on_layers(drawing.linework, names)
    left_out = drawing.left_out.union(drawing.linework.ids[row] for row in np.flatnonzero(away).tolist())
    return replace(workpiece, drawing=replace(drawing, left_out=left_out))


def _polygons(regions: Regions) -> shapely.STRtree:
    chord = _CHORD * max(regions.pieces.size if len(regions.pieces) else 0.0, LEAST_SIZE)
    return shapely.STRtree([regions.polygon(region, chord) for region in regions.profiles])
