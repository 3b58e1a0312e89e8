"""The blank of a sheet part as plain data for the screen: outline, bends, figures, and the pieces a slider folds."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely

from tectogon.bending.checks import remarks_of
from tectogon.bending.pieces import Pieces, pieces_of, slices_of, strip
from tectogon.bending.unfold import Blank
from tectogon.curves import Curve, CurveTable
from tectogon.display.blank_out import bend_table, bend_text, blank_figures, moved_marks
from tectogon.workpiece.model import Material

_CHORD = 5e-4
_ROLLED = 0.05
"""A line over a bend is shown in pieces of this share of it."""
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
        "marks": _marks_told(blank, pieces, marks),
        "fixed": part.fixed,
        "home": np.column_stack([back, -back @ motion[:, 3]]).tolist(),
    }


def _marks_told(blank: Blank, pieces: Pieces, marks: Sequence[Curve]) -> list[dict[str, Any]]:
    """What is engraved, as polylines on the flat or the bend that each lies on."""
    if not marks:
        return []
    table = CurveTable.of(moved_marks(blank, marks))
    points, starts = table.flatten(_CHORD * table.size)
    lines = shapely.MultiLineString([shapely.LineString(p) for p in np.split(points, starts[1:-1])])
    out: list[dict[str, Any]] = []
    bends = [(n, strip(z, 0.0, z.allowance)) for n, z in enumerate(blank.zones)]
    for kind, areas in (("face", pieces.flats), ("zone", bends)):
        for number, area in areas:
            for line in shapely.get_parts(lines.intersection(area)):
                if line.geom_type == "LineString" and line.length > 0.0:
                    fine = line.segmentize(_ROLLED * blank.zones[number].allowance) if kind == "zone" else line
                    out.append({"line": [list(p) for p in fine.coords], "face": None, "zone": None, kind: number})
    return out


def _rings(polygon: Any) -> list[list[list[float]]]:
    return [np.asarray(ring.coords)[:-1].tolist() for ring in (polygon.exterior, *polygon.interiors)]
