"""A drawing sheet as PDF: vectors, true to scale, its font embedded."""

from __future__ import annotations

import io
import math
from typing import Any

from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from tectogon.curves import CurveTable, Line
from tectogon.drafting.ink import DASHES, FONT, WIDTHS, Ink, Text, font_size
from tectogon.drafting.sheet import DrawnSheet

_CHORD = 0.003
"""How far a curve may be off on the paper (mm)."""
_FONT = "Sheet"


def pdf_of(sheet: DrawnSheet) -> bytes:
    """The sheet as a PDF of one page of its own size."""
    stream = io.BytesIO()
    width, height = sheet.size
    canvas = Canvas(stream, pagesize=(width * mm, height * mm), pageCompression=1, invariant=1)
    canvas.setTitle(sheet.title.name or "Drawing")
    canvas.setCreator("Tectogon")
    font = font_name()
    for ink in (sheet.ink, *(one.ink for one in sheet.placed)):
        draw_ink(canvas, ink, font)
    canvas.showPage()
    canvas.save()
    return stream.getvalue()


def font_name() -> str:
    """The font that texts are set in: one that is embedded, where it is installed."""
    if not FONT.is_file():
        return "Helvetica"
    if _FONT not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont(_FONT, str(FONT)))
    return _FONT


def draw_ink(canvas: Any, ink: Ink, font: str) -> None:
    """Strokes, arrows and texts on a page whose units are points."""
    canvas.setLineCap(1)
    by_pen: dict[str, list[Any]] = {}
    for stroke in ink.strokes:
        by_pen.setdefault(stroke.pen, []).append(stroke.curve)
    for pen, curves in by_pen.items():
        canvas.setLineWidth(WIDTHS[pen] * mm)
        canvas.setDash([d * mm for d in DASHES.get(pen, ())])
        path = canvas.beginPath()
        for curve in curves:
            points = (
                [(curve.x0, curve.y0), (curve.x1, curve.y1)]
                if isinstance(curve, Line)
                else CurveTable.of([curve]).flatten(_CHORD)[0].tolist()
            )
            path.moveTo(points[0][0] * mm, points[0][1] * mm)
            for x, y in points[1:]:
                path.lineTo(x * mm, y * mm)
        canvas.drawPath(path, stroke=1, fill=0)
    canvas.setDash([])
    for arrow in ink.arrows:
        path = canvas.beginPath()
        corners = arrow.corners
        path.moveTo(corners[0][0] * mm, corners[0][1] * mm)
        for x, y in corners[1:]:
            path.lineTo(x * mm, y * mm)
        path.close()
        canvas.drawPath(path, stroke=0, fill=1)
    for text in ink.texts:
        _write(canvas, text, font)


def _write(canvas: Any, text: Text, font: str) -> None:
    canvas.saveState()
    canvas.translate(text.x * mm, text.y * mm)
    canvas.rotate(math.degrees(text.angle))
    canvas.setFont(font, font_size(text.height) * mm)
    draw = {"start": canvas.drawString, "middle": canvas.drawCentredString, "end": canvas.drawRightString}
    draw[text.anchor](0, 0, text.text)
    canvas.restoreState()
