"""A drawing sheet as DXF: the part in full size on layers by purpose, true dimensions, the frame as much larger as the
scale makes the part smaller. R12 and newer."""

from __future__ import annotations

import io
import math
from typing import Any

import ezdxf

from tectogon.drafting.dimensions import Length, Roundness
from tectogon.drafting.ink import DASHES, FONT, WIDTHS, Ink, Text
from tectogon.drafting.placing import Placed
from tectogon.drafting.sheet import DrawnSheet, on_file_scale
from tectogon.errors import BadValue
from tectogon.formats.dxf_out import VERSIONS, write_curve

LAYERS = {
    "outline": "OUTLINE",
    "hidden": "HIDDEN",
    "centre": "CENTRE",
    "thin": "THIN",
    "hatch": "HATCH",
    "hatch dashed": "HATCH",
    "frame": "FRAME",
    "grid": "FRAME",
    "mark": "FRAME",
    "pictorial": "PICTORIAL",
}
_DIMENSIONS, _WORDS, _STYLE = "DIMENSIONS", "WORDS", "SHEET"
_LINETYPES = {"hidden": "DASHED", "centre": "CENTER", "hatch dashed": "DASHED"}
_LENGTH, _DIAMETER, _RADIUS, _RUNNING = 0, 3, 4, 6
_OWN_BLOCK, _ORDINATE_X, _TEXT_PLACED = 32, 64, 128


def dxf_of(sheet: DrawnSheet, version: str = "R2010") -> bytes:
    """The sheet as a DXF in millimetres, the part at 1:1. Raises BadValue for an unknown version."""
    if version not in VERSIONS:
        raise BadValue(f"DXF is written as {', '.join(VERSIONS)}, not “{version[:20]}”.")
    document = ezdxf.new(version, units=4)  # type: ignore[attr-defined]
    writer = _Writer(document, 1.0 / sheet.scale, version)
    writer.ink(sheet.ink)
    for one in sheet.placed:
        writer.dimension(one)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode(document.output_encoding, "dxfreplace")


class _Writer:
    def __init__(self, document: Any, factor: float, version: str) -> None:
        self.document, self.factor, self.version = document, factor, version
        self.space = document.modelspace()
        for name, pen in {name: pen for pen, name in reversed(_LINETYPES.items())}.items():
            pattern = [v if n % 2 == 0 else -v for n, v in enumerate(DASHES[pen])]
            document.linetypes.add(name, [factor * sum(DASHES[pen]), *(factor * v for v in pattern)])
        for name, pen in {name: pen for pen, name in reversed(LAYERS.items())}.items():
            layer = document.layers.add(name, linetype=_LINETYPES.get(pen, "CONTINUOUS"))
            if version != "R12":
                layer.dxf.lineweight = round(WIDTHS[pen] * 100.0)
        for name in (_DIMENSIONS, _WORDS):
            document.layers.add(name)
        document.styles.add(_STYLE, font=FONT.name)
        style = document.dimstyles.add(_STYLE)
        style.dxf.dimtxt, style.dxf.dimasz = 2.5 * factor, 2.5 * factor
        style.dxf.dimexo, style.dxf.dimexe = 1.0 * factor, 1.5 * factor
        style.dxf.dimtad, style.dxf.dimtxsty = 1, _STYLE

    def ink(self, ink: Ink, space: Any = None, layer: str | None = None) -> None:
        """Strokes, arrows and texts, on the layers of their pens or on one."""
        space = self.space if space is None else space
        for stroke in ink.strokes:
            on = layer or LAYERS[stroke.pen]
            attributes = {"layer": on} | ({"linetype": _LINETYPES[stroke.pen]} if stroke.pen in _LINETYPES else {})
            write_curve(space, on_file_scale(stroke.curve, self.factor), attributes, self.version)
        for arrow in ink.arrows:
            tip, *sides = [(x * self.factor, y * self.factor) for x, y in arrow.corners]
            space.add_solid([sides[0], tip, sides[1], sides[1]], dxfattribs={"layer": layer or _DIMENSIONS})
        for text in ink.texts:
            self._text(space, text, layer or _WORDS)

    def _text(self, space: Any, text: Text, layer: str) -> None:
        if not text.text:
            return
        at = (text.x * self.factor, text.y * self.factor)
        made = space.add_text(
            _encoded(text.text),
            height=text.height * self.factor,
            rotation=math.degrees(text.angle),
            dxfattribs={"layer": layer, "style": _STYLE},
        )
        made.dxf.insert = at
        if text.anchor != "start":
            made.dxf.halign = 1 if text.anchor == "middle" else 2
            made.dxf.align_point = at

    def dimension(self, one: Placed) -> None:
        """A dimension as an entity of its own, drawn by a block that holds its ink."""
        block = self.document.blocks.new_anonymous_block(type_char="D")
        self.ink(one.ink, block, _DIMENSIONS)
        f, d = self.factor, one.dimension
        points = [(x * f, y * f, 0.0) for x, y in one.points]
        attributes: dict[str, Any] = {
            "layer": _DIMENSIONS,
            "dimstyle": _STYLE,
            "geometry": block.name,
            "text": _encoded(one.text),
            "text_midpoint": (one.middle[0] * f, one.middle[1] * f, 0.0),
        }
        if self.version != "R12":
            attributes["actual_measurement"] = d.value
        if isinstance(d, Roundness):
            (cx, cy, _), (tx, ty, _) = points
            opposite = (2.0 * cx - tx, 2.0 * cy - ty, 0.0)
            attributes |= {
                "dimtype": (_DIAMETER if d.kind == "diameter" else _RADIUS) | _OWN_BLOCK | _TEXT_PLACED,
                "defpoint": opposite if d.kind == "diameter" else points[0],
                "defpoint4": points[1],
            }
        elif one.running:
            upwards = abs(points[1][1] - points[2][1]) < abs(points[1][0] - points[2][0])
            attributes |= {
                "dimtype": _RUNNING | _OWN_BLOCK | _TEXT_PLACED | (0 if upwards else _ORDINATE_X),
                "defpoint": points[0],
                "defpoint2": points[1],
                "defpoint3": points[2],
            }
        else:
            attributes |= {
                "dimtype": _LENGTH | _OWN_BLOCK | _TEXT_PLACED,
                "defpoint": points[2],
                "defpoint2": points[0],
                "defpoint3": points[1],
                "angle": _angle(d, points),
            }
        self.space.new_entity("DIMENSION", attributes)


def _angle(d: Length, points: list[tuple[float, float, float]]) -> float:
    """0 for a length along the sheet, 90 for one upwards: its line is level with the point it is given by."""
    (x0, y0, _), (x1, y1, _), (x, y, _) = points
    away = (abs(y - y0) + abs(y - y1), abs(x - x0) + abs(x - x1))
    near_x, near_y = min(abs(x - x0), abs(x - x1)), min(abs(y - y0), abs(y - y1))
    if min(near_x, near_y) > 0.0 or near_x == near_y:
        return 0.0 if away[0] >= away[1] else 90.0
    return 0.0 if near_x < near_y else 90.0


def _encoded(text: str) -> str:
    return text.replace("⌀", "%%c")
