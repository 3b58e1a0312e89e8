"""The files of every other kind that the made-up company was sent, each with its faults, and what is right about
them."""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdwg
import numpy as np
from drawings import border, chain, new_drawing, size
from PIL import Image

Point = tuple[float, float]


def mast_shoe(path: Path) -> dict[str, Any]:
    """DWG in inches: a flange with bolts as nested blocks, its side view below, notes, and a hatch."""
    drawing = ezdwg.new()
    drawing.header["insunits"] = 1
    for name, colour in (("FLANGE", 7), ("BOLTS", 3), ("NOTES", 4)):
        drawing.layers[name] = {"color_index": colour}
    bolt = drawing.blocks.new("BOLT_HOLE")
    bolt.add_circle((0, 0, 0), 0.1875)
    pair = drawing.blocks.new("BOLT_PAIR")
    pair.add_blockref("BOLT_HOLE", (1.75, 0, 0))
    pair.add_blockref("BOLT_HOLE", (-1.75, 0, 0))
    space = drawing.modelspace()
    r, w = 0.5, 2.25
    bulge = math.tan(math.pi / 8)
    corners = [(-w + r, -w), (w - r, -w), (w, -w + r), (w, w - r), (w - r, w), (-w + r, w), (-w, w - r), (-w, -w + r)]
    space.add_lwpolyline(corners, bulges=[0, bulge] * 4, closed=True, layer="FLANGE")
    space.add_circle((0, 0, 0), 1.125, layer="FLANGE")
    for angle in (45.0, 135.0):
        space.add_blockref("BOLT_PAIR", (0, 0, 0), rotation=angle, layer="BOLTS")
    for a, b in (((-w, -4.0), (w, -4.0)), ((w, -4.0), (w, -3.5)), ((w, -3.5), (-w, -3.5)), ((-w, -3.5), (-w, -4.0))):
        space.add_line((*a, 0), (*b, 0), layer="FLANGE")
    space.add_text("MAST SHOE  ALL SIZES IN INCHES", (-2.2, -4.6, 0), 0.15, layer="NOTES")
    space.add_linear_dim((0, 2.9, 0), (-w, w, 0), (w, w, 0), layer="NOTES")
    drawing.save(str(path))
    area = (2 * w) ** 2 - (4 - math.pi) * r * r - math.pi * (1.125**2 + 4 * 0.1875**2)
    return {
        "unit": "in",
        "plate_area_mm2": area * 25.4**2,
        "thickness_mm": 12.7,
        "volume_mm3": area * 25.4**2 * 12.7,
        "holes": 5,
    }


def _half(x: np.ndarray, thickness: float) -> np.ndarray:
    """Half thickness of our own fin section, closed at the tail: a root term for the nose and a cubic for the rest."""
    return thickness * (1.4 * np.sqrt(x) - 0.5 * x - 1.9 * x**2 + x**3)


def _half_area(thickness: float) -> float:
    return thickness * (1.4 * 2 / 3 - 0.5 / 2 - 1.9 / 3 + 1 / 4)


def keel_fin(path: Path) -> dict[str, Any]:
    """One run round the section, the first point repeated at the end, and one point twice."""
    k = 110.0 / 180.0  # lofted to this share: between two sections of one shape the area is that of their mean
    x = (1 - np.cos(np.linspace(0, math.pi, 81))) / 2
    upper = np.column_stack([x[::-1], _half(x[::-1], 0.09)])
    lower = np.column_stack([x[1:], -_half(x[1:], 0.09)])
    rows = [*upper, *lower, upper[0]]
    rows.insert(20, rows[20])
    path.write_text("KEEL FIN  river gauge float, chord 180 mm\n" + "".join(f"{a:10.6f} {b:10.6f}\n" for a, b in rows))
    return {
        "unit": None,
        "chord_mm": 180.0,
        "section_area_mm2": 2 * _half_area(0.09) * 180**2,
        "length_mm": 60.0,
        "volume_mm3": 2 * _half_area(0.09) * 180**2 * 60.0,
        "finished_mm3": 2 * _half_area(0.09) * 180**2 * 300.0 * (1 + k * math.cos(math.radians(2)) + k * k) / 3,
        "trailing_edge": "sharp",
    }


def keel_fin_blunt(path: Path) -> dict[str, Any]:
    """Upper then lower surface from the nose, with an index, decimal commas and a row that lost a number."""
    x = (1 - np.cos(np.linspace(0, math.pi, 41))) / 2
    gap = 0.006
    lines = [
        "Nr;x;y",
        *(f"{n};{a:.6f};{b:.6f}" for n, (a, b) in enumerate(zip(x, _half(x, 0.08) + gap * x, strict=True), 1)),
        "",
        "Nr;x;y",
    ]
    lines += [f"{n};{a:.6f};{b:.6f}" for n, (a, b) in enumerate(zip(x, -_half(x, 0.08) - gap * x, strict=True), 1)]
    lines.insert(15, "15;0.3")
    path.write_text("\n".join(lines).replace(".", ",") + "\n")
    return {"unit": None, "section_area": 2 * (_half_area(0.08) + gap / 2), "trailing_edge": "blunt", "dropped": 1}


def heron_badge(path: Path) -> dict[str, Any]:
    """A badge in px with nested groups, one mirrored, a hole by the fill rule, a white eye, and a word that is no
    outline."""
    path.write_text("""<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="320" height="320" viewBox="0 0 320 320">
  <style>.ink { fill: #1d3b36 } .paper { fill: white }</style>
  <defs><g id="reed"><path class="ink" d="M0 0 C 3 -30 3 -60 -2 -90 C -8 -60 -8 -30 -6 0 Z"/></g></defs>
  <g id="badge" transform="translate(160 160)">
    <path class="ink" fill-rule="evenodd" d="M150 0 A150 150 0 1 1 -150 0 A150 150 0 1 1 150 0 Z
     M138 0 A138 138 0 1 0 -138 0 A138 138 0 1 0 138 0 Z"/>
    <g id="heron" transform="scale(-1 1)">
      <path class="ink" d="M-20 100 L-16 20 C-60 10 -70 -20 -52 -38 C-40 -50 -22 -52 -12 -70
       C-6 -84 8 -92 22 -88 L86 -72 L24 -72 C12 -70 14 -56 14 -44 C16 -10 8 14 -6 20 L-8 100 Z"/>
      <circle class="paper" cx="20" cy="-80" r="4"/>
      <use href="#reed" x="60" y="104"/>
      <use href="#reed" x="84" y="96"/>
      <g transform="translate(-90 96) rotate(-8)"><use href="#reed"/></g>
    </g>
    <rect class="ink" x="-110" y="98" width="220" height="10" rx="5"/>
    <text x="-60" y="130" font-size="18">FERNMOOR</text>
  </g>
</svg>
""")
    ring = math.pi * (150**2 - 138**2)
    return {"unit": "px", "ring_area_px2": ring, "texts": 1, "mm_per_px": 25.4 / 96}


def cable_tray(path: Path) -> dict[str, Any]:
    """A section drawn as one line, to become 1.2 mm sheet; sizes and a note beside it."""
    document, space = new_drawing()
    points = [(0.0, 12.0), (8.0, 12.0), (8.0, 50.0), (-2.0, 50.0)]
    run = [(-10.0, 60.0), (-10.0, 0.0), (90.0, 0.0), (90.0, 60.0), (80.0, 60.0)]
    space.add_lwpolyline([(0.0, 60.0), *run[0:1], *run[1:]], dxfattribs={"layer": "OUTLINE"})
    size(space, (-10, 0), (90, 0), (40, -14))
    size(space, (-10, 0), (-10, 60), (-24, 30), 90)
    space.add_text("CABLE TRAY  SHEET 1.2", dxfattribs={"layer": "SIZES", "height": 3.5}).set_placement((10, 30))
    document.saveas(path)
    length = 10 + 60 + 100 + 60 + 10
    return {"unit": "mm", "line_length_mm": float(length), "sheet_mm": 1.2, "points": len(points)}


def sonde_cap(path: Path) -> dict[str, Any]:
    """Two views with guide lines between them; the origin lies at the page's corner."""
    body = '<circle cx="60" cy="60" r="40"/><circle cx="60" cy="60" r="12"/>'
    body += "".join(
        f'<circle cx="{60 + 28 * math.cos(k * math.pi / 3):.6f}" cy="{60 + 28 * math.sin(k * math.pi / 3):.6f}" r="3"/>'
        for k in range(6)
    )
    body += '<path d="M20 150 H100 V138 H72 V126 H48 V138 H20 Z"/>'
    guides = "".join(f'<path d="M{x} 15 V158"/>' for x in (20, 60, 100))
    path.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="210mm" height="297mm" viewBox="0 0 210 297"><g fill="none"'
        f' stroke="#000" stroke-width="0.5"><g id="views">{body}</g><g id="guides" stroke-width="0.2"'
        f' stroke-dasharray="12 2 2 2">{guides}</g></g></svg>\n'
    )
    area = math.pi * (40**2 - 12**2 - 6 * 9)
    volume = 12.0 * math.pi * (40**2 - 6 * 9) + 12.0 * math.pi * 12**2
    return {"unit": "mm", "top_area_mm2": area, "height_mm": 24.0, "guides": 3, "volume_mm3": volume}


def antenna_coupler(path: Path) -> dict[str, Any]:
    """A copper image: a frame, two patches with rounded slots cleared from them, feed lines, and a row of pads by step
    and repeat."""

    def c(value: float) -> str:
        return str(round(value * 1e6))

    out = [
        "G04 Antenna coupler, made up*",
        "%FSLAX46Y46*%",
        "%MOMM*%",
        "%ADD10C,1.200000*%",
        "%ADD11R,1.600000X2.400000*%",
        "%ADD12C,2.000000X0.900000*%",
        "%LPD*%",
    ]
    for x in (10.0, 34.0):
        out += [
            "G36*",
            f"X{c(x)}Y{c(10)}D02*",
            f"X{c(x + 16)}Y{c(10)}D01*",
            f"X{c(x + 16)}Y{c(34)}D01*",
            f"X{c(x)}Y{c(34)}D01*",
            f"X{c(x)}Y{c(10)}D01*",
            "G37*",
        ]
    out += ["%LPC*%", "D10*"]
    for x in (14.0, 38.0):
        out += [f"X{c(x)}Y{c(16)}D02*", f"X{c(x)}Y{c(28)}D01*"]
    out += ["%LPD*%", f"X{c(18)}Y{c(10)}D02*", f"X{c(18)}Y{c(4)}D01*", f"X{c(42)}Y{c(4)}D01*", f"X{c(42)}Y{c(10)}D01*"]
    out += ["%SRX6Y1I6.0J0.0*%", "D11*", f"X{c(15)}Y{c(42)}D03*", "%SR*%", "D12*", f"X{c(6)}Y{c(42)}D03*", "M02*"]
    path.write_text("\n".join(out) + "\n")
    patches = 2 * (16 * 24 - (12 * 1.2 + math.pi * 0.36))
    return {
        "unit": "mm",
        "pads_area_mm2": 6 * 1.6 * 2.4 + math.pi * (1.0 - 0.2025),
        "patches_without_feed_mm2": patches,
    }


def antenna_coupler_drill(path: Path) -> dict[str, Any]:
    holes = [(15.0 + 6 * n, 42.0, 0.8) for n in range(6)] + [(4.0, 4.0, 3.2), (56.0, 4.0, 3.2)]
    out = ["M48", "METRIC,TZ", "T1C0.800", "T2C3.200", "%", "G90", "G05"]
    for tool, diameter in ((1, 0.8), (2, 3.2)):
        out += [f"T{tool}", *(f"X{x:.3f}Y{y:.3f}" for x, y, d in holes if d == diameter)]
    path.write_text("\n".join([*out, "M30"]) + "\n")
    return {"unit": "mm", "holes": len(holes), "area_mm2": sum(math.pi * d * d / 4 for *_, d in holes)}


def lettering(path: Path) -> dict[str, Any]:
    """Numerals of a gauge board as strokes of 6 pt with round ends on a page of 200 x 120 mm, and a frame of a hair's
    width."""
    k = 0.5522847498
    strokes = ["6 w 1 J 1 j"]
    for n, x in enumerate((80.0, 200.0, 320.0, 440.0)):
        if n % 2 == 0:
            strokes.append(f"{x} 90 m {x} 210 l {x - 22} 185 l S")
        else:
            r = 30.0
            strokes.append(
                f"{x - r} 180 m {x - r} {180 + r * k} {x - r * k} {180 + r} {x} {180 + r} c {x + r * k} {180 + r}"
                f" {x + r} {180 + r * k} {x + r} 180 c {x + r} 150 {x - r} 110 {x - r} 90 c {x + r} 90 l S"
            )
    strokes += ["0.25 w 0 J", "20 20 526.93 300.16 re S"]
    content = "\n".join(strokes)
    objects = [
        "<< /Type /Catalog /Pages 2 0 R >>",
        "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 566.93 340.16] /Contents 4 0 R >>",
        f"<< /Length {len(content)} >>\nstream\n{content}\nendstream",
    ]
    data, places = b"%PDF-1.4\n", []
    for n, text in enumerate(objects, 1):
        places.append(len(data))
        data += f"{n} 0 obj\n{text}\nendobj\n".encode()
    table = "".join(f"{p:010d} 00000 n \n" for p in places)
    data += (
        f"xref\n0 {len(objects) + 1}\n0000000000 65535 f \n{table}trailer << /Size {len(objects) + 1} /Root 1 0 R"
        f" >>\nstartxref\n{len(data)}\n%%EOF\n".encode()
    )
    path.write_bytes(data)
    return {"unit": "pt", "page_mm": [200.0, 120.0], "stroke_mm": 6 * 25.4 / 72}


def gasket(path: Path) -> dict[str, Any]:
    """A gasket laid on a scanner at 200 dpi: a little turned, unevenly grey, with dust."""
    wide, high, fine = 900, 700, 4
    mm = 25.4 / 200
    x, y = np.meshgrid((np.arange(wide * fine) + 0.5) / fine * mm, (high - (np.arange(high * fine) + 0.5) / fine) * mm)
    c, s = math.cos(0.02), math.sin(0.02)
    u, v = c * (x - 57) + s * (y - 44), -s * (x - 57) + c * (y - 44)

    def rounded(u: np.ndarray, v: np.ndarray, a: float, b: float, r: float) -> np.ndarray:
        du, dv = np.maximum(np.abs(u) - a + r, 0), np.maximum(np.abs(v) - b + r, 0)
        return np.hypot(du, dv) <= r

    ink = rounded(u, v, 45, 32, 8) & ~rounded(u, v, 30, 18, 5)
    for sx in (-1, 1):
        for sy in (-1, 1):
            ink &= np.hypot(u - sx * 37.5, v - sy * 25) > 3.25
    share = ink.reshape(high, fine, wide, fine).mean(axis=(1, 3))
    chooser = np.random.default_rng(11)
    light = 236 + 8 * np.linspace(-1, 1, wide)[None, :] + chooser.normal(0, 3, share.shape)
    dark = 42 + chooser.normal(0, 4, share.shape)
    grey = light * (1 - share) + dark * share
    for px, py in chooser.uniform(20, 680, (40, 2)).astype(int):
        grey[py : py + 2, px : px + 2] = 60 if chooser.random() < 0.5 else 230
    Image.fromarray(np.clip(grey, 0, 255).astype(np.uint8)).save(path, dpi=(200, 200), optimize=True)
    area = 90 * 64 - (4 - math.pi) * 64 - (60 * 36 - (4 - math.pi) * 25) - 4 * math.pi * 3.25**2
    return {
        "unit": "200 dpi",
        "area_mm2": area,
        "volume_mm3": 2.0 * area,
        "within": 1e-3,
        "holes": 5,
        "turned_degrees": math.degrees(0.02),
    }


def sensor_bracket(path: Path) -> dict[str, Any]:
    """Three views of a bent sheet part, third angle, with bend lines drawn as centre lines and a title block."""
    document, space = new_drawing()
    t = 1.5
    chain(space, [(0, 0), (60, 0), (60, t), (t, t), (t, 40), (0, 40)])
    chain(space, [(0, 70), (60, 70), (60, 100), (0, 100)])
    space.add_line((t, 70), (t, 100), dxfattribs={"layer": "OUTLINE"})
    for x in (20.0, 45.0):
        space.add_circle((x, 85), 3.0, dxfattribs={"layer": "OUTLINE"})
        space.add_line((x - 3, 0), (x - 3, t), dxfattribs={"layer": "HIDDEN"})
        space.add_line((x + 3, 0), (x + 3, t), dxfattribs={"layer": "HIDDEN"})
    chain(space, [(95, 0), (125, 0), (125, 40), (95, 40)])
    space.add_line((95, t), (125, t), dxfattribs={"layer": "OUTLINE"})
    space.add_circle((110, 26), 6.5, dxfattribs={"layer": "OUTLINE"})
    for y in (19.5, 32.5):
        space.add_line((0, y), (t, y), dxfattribs={"layer": "HIDDEN"})
    size(space, (0, 0), (60, 0), (30, -10))
    size(space, (0, 0), (0, 40), (-10, 20), 90)
    border(space, -30, -40, 190, 125, "SENSOR BRACKET", "FH-2217")
    document.saveas(path)
    volume = (60 * t + (40 - t) * t) * 30 - 2 * math.pi * 9 * t - math.pi * 6.5**2 * t
    return {"unit": "mm", "sheet_mm": t, "bounds_mm": [60.0, 30.0, 40.0], "volume_mm3": volume}


def trim_strip(path: Path) -> dict[str, Any]:
    """A profile of lines, arcs and a free curve that reached us as 400 short segments, in no order."""
    document, space = new_drawing()
    points: list[Point] = []

    def arc(cx: float, cy: float, r: float, a0: float, a1: float, n: int) -> None:
        points.extend(
            (
                cx + r * math.cos(math.radians(a0 + (a1 - a0) * k / n)),
                cy + r * math.sin(math.radians(a0 + (a1 - a0) * k / n)),
            )
            for k in range(n)
        )

    def line(a: Point, b: Point, n: int) -> None:
        points.extend((a[0] + (b[0] - a[0]) * k / n, a[1] + (b[1] - a[1]) * k / n) for k in range(n))

    line((0, 0), (80, 0), 60)
    line((80, 0), (80, 6), 8)
    arc(74, 6, 6, 0, 90, 60)
    line((74, 12), (60, 12), 12)
    points.extend((60 - 40 * k / 180, 12 + 5 * math.sin(math.pi * k / 180) ** 2) for k in range(180))
    line((20, 12), (6, 12), 12)
    arc(6, 6, 6, 90, 180, 60)
    line((0, 6), (0, 0), 8)
    pairs = list(zip(points, points[1:] + points[:1], strict=True))
    random.Random(4).shuffle(pairs)
    for n, (a, b) in enumerate(pairs):
        space.add_line(*((a, b) if n % 3 else (b, a)), dxfattribs={"layer": "OUTLINE"})
    document.saveas(path)
    return {"unit": "mm", "pieces": len(pairs), "pieces_when_smooth": 15}


SOURCES: dict[str, Callable[[Path], dict[str, Any]]] = {
    "mast-shoe.dwg": mast_shoe,
    "keel-fin.dat": keel_fin,
    "keel-fin-blunt.csv": keel_fin_blunt,
    "heron-badge.svg": heron_badge,
    "cable-tray.dxf": cable_tray,
    "sonde-cap.svg": sonde_cap,
    "antenna-coupler.gbr": antenna_coupler,
    "antenna-coupler.drl": antenna_coupler_drill,
    "gauge-board-lettering.pdf": lettering,
    "gasket.png": gasket,
    "sensor-bracket.dxf": sensor_bracket,
    "trim-strip.dxf": trim_strip,
}
