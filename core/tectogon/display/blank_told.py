"""The blank of a sheet part as plain data for the screen: outline, bends, figures, and the pieces a slider folds."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from tectogon.bending.checks import remarks_of
from tectogon.bending.pieces import pieces_of, slices_of
from tectogon.bending.unfold import Blank
from tectogon.curves import Curve, CurveTable
from tectogon.display.blank_out import bend_table, bend_text, blank_figures, moved_marks
from tectogon.workpiece.model import Material

_CHORD = 5e-4
_SLICE = math.radians(6.0)
"""A bend is shown in slices of no more."""


def blank_told(blank: Blank, material: Material | None, marks: Sequence[Curve] = ()) -> dict[str, Any]:
    """Everything the page shows of a blank. mm, mm², g; `home`: the motion (3, 4) from the blank to the part; `marks`:
    what is engraved on it, as polylines."""
    part, pieces = blank.part, pieces_of(blank)
    motion = blank.laid[part.fixed].motion
    back = motion[:, :3].T
    mass = None if material is None else part.body.volume / 1000.0 * material.density
    return {
        "thickness": part.thickness,
        "figures": {**blank_figures(blank), "mass_g": mass},
        "bends": [{**row, "text": bend_text(z)} for row, z in zip(bend_table(blank), blank.zones, strict=True)],
        "rings": [ring.tolist() for ring in pieces.rings],
        "flats": [{"face": face, "rings": _rings(piece)} for face, piece in pieces.flats],
        "slices": [
            {"zone": n, "rings": _rings(piece)}
            for n, zone in enumerate(blank.zones)
            for piece in slices_of(zone, pieces.whole, _SLICE)
        ],
        "remarks": [
            {"text": r.text, "at": list(r.at), "on_blank": list(r.on_blank)}
            for r in remarks_of(blank, material.name if material else None)
        ],
        "zones": [
            {
                "parent": z.bend.parent,
                "child": z.bend.child,
                "start": z.start.tolist(),
                "along": z.along.tolist(),
                "across": z.across.tolist(),
                "allowance": z.allowance,
                "angle": z.bend.angle,
                "up": z.bend.up,
                "k": z.k,
            }
            for z in blank.zones
        ],
        "marks": [line.tolist() for line in _lines(moved_marks(blank, marks))],
        "fixed": part.fixed,
        "home": np.column_stack([back, -back @ motion[:, 3]]).tolist(),
    }


def _lines(curves: Sequence[Curve]) -> list[Any]:
    if not curves:
        return []
    table = CurveTable.of(curves)
    points, starts = table.flatten(_CHORD * table.size)
    return np.split(points, starts[1:-1])


def _rings(polygon: Any) -> list[list[list[float]]]:
    return [np.asarray(ring.coords)[:-1].tolist() for ring in (polygon.exterior, *polygon.interiors)]
