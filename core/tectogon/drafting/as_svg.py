"""A drawing sheet as SVG, true to scale in millimetres."""

from __future__ import annotations

import math
from xml.sax.saxutils import escape

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.drafting.ink import DASHES, WIDTHS, Ink, Text, font_size
from tectogon.drafting.sheet import DrawnSheet

_CHORD = 0.005
"""How far a free curve may be off on the paper (mm)."""


def svg_of(sheet: DrawnSheet) -> bytes:
    """The sheet as an SVG file; one unit is one millimetre of paper."""
    width, height = sheet.size
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}mm" height="{height:g}mm"'
        f' viewBox="0 0 {width:g} {height:g}">',
        f'<rect width="{width:g}" height="{height:g}" fill="#fff"/>',
    ]
    out += _inked(sheet.ink, height)
    for one in sheet.placed:
        out.append("<g>" + "".join(_inked(one.ink, height)) + "</g>")
    out.append("</svg>")
    return "\n".join(out).encode()


def _inked(ink: Ink, height: float) -> list[str]:
    paths: dict[str, list[str]] = {}
    for stroke in ink.strokes:
        paths.setdefault(stroke.pen, []).append(_path(stroke.curve, height))
    out = []
    for pen, some in paths.items():
        dashes = f' stroke-dasharray="{" ".join(f"{d:g}" for d in DASHES[pen])}"' if pen in DASHES else ""
        out.append(
            f'<path d="{"".join(some)}" fill="none" stroke="#000" stroke-width="{WIDTHS[pen]:g}"'
            f' stroke-linecap="round"{dashes}/>'
        )
    for arrow in ink.arrows:
        corners = " ".join(f"{x:.4f},{height - y:.4f}" for x, y in arrow.corners)
        out.append(f'<polygon points="{corners}"/>')
    return out + [_written(t, height) for t in ink.texts]


def _written(text: Text, height: float) -> str:
    x, y = text.x, height - text.y
    turned = f' transform="rotate({-math.degrees(text.angle):.4f} {x:.4f} {y:.4f})"' if text.angle else ""
    return (
        f'<text x="{x:.4f}" y="{y:.4f}" font-family="DejaVu Sans, sans-serif" font-size="{font_size(text.height):.4f}"'
        f' text-anchor="{text.anchor}"{turned}>{escape(text.text)}</text>'
    )


def _path(curve: Curve, height: float) -> str:
    if isinstance(curve, Line):
        return f"M{curve.x0:.4f} {height - curve.y0:.4f}L{curve.x1:.4f} {height - curve.y1:.4f}"
    if isinstance(curve, Arc):
        halves = (
            [curve]
            if not curve.full
            else [Arc(curve.cx, curve.cy, curve.radius, curve.start_angle + n * math.pi, math.pi) for n in range(2)]
        )
        out = []
        for arc in halves:
            (x0, y0), (x1, y1) = (
                (arc.cx + arc.radius * math.cos(a), arc.cy + arc.radius * math.sin(a))
                for a in (arc.start_angle, arc.start_angle + arc.sweep)
            )
            far, way = int(abs(arc.sweep) > math.pi), int(arc.sweep < 0.0)
            out.append(
                f"M{x0:.4f} {height - y0:.4f}A{arc.radius:.4f} {arc.radius:.4f} 0 {far} {way}"
                f" {x1:.4f} {height - y1:.4f}"
            )
        return "".join(out)
    points = CurveTable.of([curve]).flatten(_CHORD)[0]
    return "M" + "L".join(f"{x:.4f} {height - y:.4f}" for x, y in points.tolist())
