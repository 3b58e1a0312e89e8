"""The blank of a sheet part as a file for the laser and the press brake, and as plain data."""

from __future__ import annotations

import math
from typing import Any

from tectogon.bending.unfold import Blank, Zone
from tectogon.formats.dxf_out import layered_dxf
from tectogon.units import show_number


def blank_dxf(blank: Blank, version: str = "R2010") -> bytes:
    """The blank as a DXF in millimetres: outline and holes on the layer CUT, bend lines on BEND, with angle, direction
    and inner radius beside each on NOTES. Raises BadValue for an unknown version."""
    notes = []
    for zone in blank.zones:
        line = zone.line
        angle = math.degrees(math.atan2(line.y1 - line.y0, line.x1 - line.x0)) % 180.0
        notes.append((bend_text(zone), ((line.x0 + line.x1) / 2.0, (line.y0 + line.y1) / 2.0), angle))
    lines = {"BEND": [zone.line for zone in blank.zones]}
    return layered_dxf({"CUT": (blank.regions, blank.region)}, lines, {"NOTES": notes}, version=version)


def bend_text(zone: Zone) -> str:
    """A bend as the press brake wants it."""
    way = "up" if zone.bend.up else "down"
    return f"{show_number(math.degrees(zone.bend.angle), 2)}° {way} R{show_number(zone.bend.inner, 3)}"


def bend_table(blank: Blank) -> list[dict[str, Any]]:
    """The bends in the order in which they unfold, numbered from 1."""
    return [
        {
            "number": n,
            "angle_deg": math.degrees(zone.bend.angle),
            "radius_mm": zone.bend.inner,
            "length_mm": zone.bend.length,
            "allowance_mm": zone.allowance,
            "direction": "up" if zone.bend.up else "down",
            "k": zone.k,
            "line": [[zone.line.x0, zone.line.y0], [zone.line.x1, zone.line.y1]],
        }
        for n, zone in enumerate(blank.zones, 1)
    ]


def blank_figures(blank: Blank) -> dict[str, Any]:
    """Area, cut length (outline and holes), extents and the number of holes."""
    region = blank.region
    return {
        "area_mm2": region.area,
        "perimeter_mm": region.perimeter,
        "bbox_mm": list(region.bounds),
        "holes": len(region.holes),
    }
