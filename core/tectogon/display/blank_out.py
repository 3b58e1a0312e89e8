"""The blank of a sheet part as a file for the laser and the press brake, and as plain data."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from typing import Any

from tectogon.bending.unfold import Blank, Zone
from tectogon.curves import Curve, CurveTable
from tectogon.curves.affine import moved
from tectogon.drafting.drawn_views import BLANK, DrawnView
from tectogon.formats.dxf_out import layered_dxf
from tectogon.units import show_number
from tectogon.views import frame_of


def blank_dxf(blank: Blank, marks: Sequence[Curve] = (), version: str = "R2010") -> bytes:
    """The blank as a DXF in millimetres: outline and holes on the layer CUT, bend lines on BEND_UP and BEND_DOWN, marks
    (in the plane of the part's own origin) on ENGRAVE, with angle, direction and inner radius beside each bend on
    NOTES. Raises BadValue for an unknown version."""
    lines: dict[str, list[Curve]] = {}
    for zone in blank.zones:
        lines.setdefault("BEND_UP" if zone.bend.up else "BEND_DOWN", []).append(zone.line)
    engraved = {"ENGRAVE": moved_marks(blank, marks)} if marks else {}
    notes = [(text, at, math.degrees(angle)) for text, at, angle in bend_notes(blank)]
    return layered_dxf(
        {"CUT": (blank.regions, blank.region)}, {"CENTER": lines, "CONTINUOUS": engraved}, {"NOTES": notes},
        version=version,
    )  # fmt: skip


def moved_marks(blank: Blank, marks: Sequence[Curve]) -> list[Curve]:
    """What is engraved where the blank lies."""
    return CurveTable.of(marks).transformed(moved(*map(float, blank.shift))).curves() if marks else []


def bend_notes(blank: Blank) -> list[tuple[str, tuple[float, float], float]]:
    """What the press brake must know of each bend: its number, angle, direction and inner radius; where it stands, and
    how it is turned (radians), to be read from below or from the right."""
    out = []
    for n, zone in enumerate(blank.zones, 1):
        line = zone.line
        angle = math.atan2(line.y1 - line.y0, line.x1 - line.x0) % math.pi
        turned = angle - math.pi if angle > math.pi / 2.0 + 1e-6 else angle
        out.append((f"{n}: {bend_text(zone)}", ((line.x0 + line.x1) / 2.0, (line.y0 + line.y1) / 2.0), turned))
    return out


def blank_view(blank: Blank) -> DrawnView:
    """The blank as a view of a drawing sheet."""
    x0, y0, x1, y1 = blank.region.bounds
    size = f"{show_number(x1 - x0, 2)} × {show_number(y1 - y0, 2)}"
    lines = tuple((z.line.x0, z.line.y0, z.line.x1, z.line.y1) for z in blank.zones)
    return DrawnView(
        BLANK, frame_of("top"), tuple(blank.curves), (), (), lines, f"Flat blank {size}", notes=tuple(bend_notes(blank))
    )


def bend_csv(blank: Blank) -> bytes:
    """The bend table as a file of comma-separated values, with a heading."""
    out = io.StringIO()
    names = ("number", "angle_deg", "direction", "radius_mm", "length_mm", "allowance_mm", "k")
    writer = csv.DictWriter(out, [*names, "from_x_mm", "from_y_mm", "to_x_mm", "to_y_mm"], lineterminator="\r\n")
    writer.writeheader()
    for row in bend_table(blank):
        (ax, ay), (bx, by) = row["line"]
        ends = {"from_x_mm": ax, "from_y_mm": ay, "to_x_mm": bx, "to_y_mm": by}
        values = {**{n: row[n] for n in names}, **ends}
        writer.writerow({n: round(v, 4) if isinstance(v, float) else v for n, v in values.items()})
    return out.getvalue().encode()


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
