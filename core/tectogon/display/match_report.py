"""How far a part agrees with the drawing it came from, line by line, as a PDF of a page or two with pictures."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from reportlab.lib.units import mm
from reportlab.lib.utils import simpleSplit
from reportlab.pdfgen.canvas import Canvas

from tectogon.curves.affine import FloatArray
from tectogon.display.views import check_told
from tectogon.drafting.as_pdf import font_name
from tectogon.tolerances import EXPLAINED, SEEN_TOL
from tectogon.views.align import shown_of
from tectogon.words import told
from tectogon.workpiece.model import Workpiece

_PAGE = (210.0, 297.0)
_LEFT, _TOP, _BOTTOM = 20.0, 277.0, 18.0
_WIDE = 170.0
_PICTURE = (80.0, 52.0)
_KINDS = {
    "unexplained": ("drawn, and no edge of the part", (0.70, 0.45, 0.05)),
    "lacking": ("an edge of the part, and not drawn", (0.72, 0.18, 0.10)),
    "lacking_hidden": ("a hidden edge, and not drawn", (0.72, 0.18, 0.10)),
    "dashed_but_seen": ("drawn dashed, and seen", (0.70, 0.45, 0.05)),
    "solid_but_hidden": ("drawn solid, and hidden", (0.70, 0.45, 0.05)),
}
_MOST_SIZES, _MOST_PLACES = 60, 40


def report_of(workpiece: Workpiece, title: dict[str, str], language: str = "en") -> bytes:
    """The report as a PDF; `title`: name, number, issue, drawn_by, date, owner. Raises what the check raises."""
    found = check_told(workpiece)
    stream = io.BytesIO()
    page = _Page(Canvas(stream, pagesize=(_PAGE[0] * mm, _PAGE[1] * mm), pageCompression=1, invariant=1), language)
    say = page.say
    page.canvas.setTitle(say("{0}: agreement with its drawing", title["name"]))
    views = found["views"]
    differences = sum(v["differences"] for v in views)
    page.line(title["name"], size=15)
    number = f"{title['number']}, " if title["number"] else ""
    issue = say("issue {0}", title["issue"])
    page.line(f"{number}{issue}; {title['owner']}, {title['drawn_by']}, {title['date']}", size=9)
    page.gap(3)
    off = [s for s in found["sizes"] if s["agrees"] is False]
    agrees = bool(views) and not differences and not off and min(v["percent"] for v in views) >= EXPLAINED
    page.line(
        say("The part agrees with its drawing.")
        if agrees
        else say("There is no view to hold the part against.")
        if not views
        else say("The part differs from its drawing. Places that differ: {0}. Stated sizes not as on the part: {1}.",
                 differences, len(off)),
        size=11,
    )  # fmt: skip
    page.gap(3)
    for view in views:
        _view(page, workpiece, view)
    _sizes(page, found["sizes"], len(off))
    page.canvas.save()
    return stream.getvalue()


class _Page:
    """Where the next line stands, and in which language; a new page is begun where there is no more room."""

    def __init__(self, canvas: Any, language: str) -> None:
        self.canvas, self.font, self.y, self.language = canvas, font_name(), _TOP, language

    def say(self, text: str, *values: object) -> str:
        """A text with values in it ({0}, {1}, …) in the language of the report."""
        return told(text, self.language).format(*values)

    def room(self, high: float) -> None:
        """Begin a new page unless so much is left (mm)."""
        if self.y - high < _BOTTOM:
            self.canvas.showPage()
            self.y = _TOP

    def gap(self, high: float) -> None:
        """Leave some room."""
        self.y -= high

    def line(self, text: str, *, size: float = 9.0, left: float = 0.0, colour: tuple[float, ...] = (0, 0, 0)) -> None:
        """A text (points) below what stands already, on as many lines as it takes."""
        high = size * 0.3528 * 1.45
        for part in simpleSplit(text, self.font, size, (_WIDE - left) * mm) or [""]:
            self.room(high)
            self.y -= high
            self.canvas.setFillColorRGB(*colour)
            self.canvas.setFont(self.font, size)
            self.canvas.drawString((_LEFT + left) * mm, self.y * mm, part)


def _view(page: _Page, workpiece: Workpiece, view: dict[str, Any]) -> None:
    kinds = [(k, *_KINDS[k]) for k in _KINDS if view[k]]
    page.room(_PICTURE[1] + 10.0)
    percent = f"{int(view['percent'] * 10) / 10:g}"
    name = told(view["name"], page.language)
    page.line(page.say("View {0}: {1} % of what is drawn lies on edges", name, percent), size=10.5)
    top = page.y - 2.0
    _picture(page, workpiece, view, top)
    page.y = top
    beside = _PICTURE[0] + 6.0
    for kind, words, colour in kinds:
        page.line(f"{view[f'{kind}_mm']:.1f} mm {page.say(words)}:", size=8, left=beside, colour=colour)
        for line in view[kind][:_MOST_PLACES]:
            if page.y < top - _PICTURE[1] + 6.0:
                page.line(page.say("and more"), size=7, left=beside + 3.0)
                break
            points = np.array(line)
            x, y = points.mean(axis=0).tolist()
            place = page.say("{0} mm near x {1}, y {2}", f"{_length(points):.2f}", f"{x:.2f}", f"{y:.2f}")
            page.line(place, size=7, left=beside + 3.0)
    if not kinds:
        page.line(page.say("nothing differs"), size=8, left=beside)
    aside = view["left_out"]
    if aside["curves"]:
        left = page.say("left out of it: {0} curves, {1} mm", aside["curves"], f"{aside['mm']:.1f}")
        page.line(left, size=8, left=beside)
    page.y = top - _PICTURE[1] - 4.0


def _picture(page: _Page, workpiece: Workpiece, found: dict[str, Any], top: float) -> None:
    """The view as drawn, with everything that differs over it."""
    sheet = workpiece.on_sheet(found["sheet"])
    view = next(v for v in sheet.views if v.name == found["name"])
    table = sheet.drawing.linework.table.take(shown_of(view, sheet.drawing.linework).rows)
    points, offsets = table.flatten(max(table.size, 1e-6) * SEEN_TOL)
    shown = np.concatenate([points, *(np.array(line) for kind in _KINDS for line in found[kind])])
    low, high = shown.min(axis=0), shown.max(axis=0)
    span = np.maximum(high - low, 1e-9)
    scale = min((_PICTURE[0] - 6.0) / span[0], (_PICTURE[1] - 6.0) / span[1])
    corner = np.array([_LEFT + 3.0, top - _PICTURE[1] + 3.0])
    canvas = page.canvas
    canvas.setStrokeColorRGB(0.8, 0.78, 0.74)
    canvas.setLineWidth(0.4)
    canvas.rect(_LEFT * mm, (top - _PICTURE[1]) * mm, _PICTURE[0] * mm, _PICTURE[1] * mm)

    def draw(line: FloatArray, colour: tuple[float, ...], wide: float) -> None:
        path = canvas.beginPath()
        for n, (x, y) in enumerate(((line - low) * scale + corner).tolist()):
            (path.lineTo if n else path.moveTo)(x * mm, y * mm)
        canvas.setStrokeColorRGB(*colour)
        canvas.setLineWidth(wide)
        canvas.drawPath(path)

    for a, b in zip(offsets[:-1].tolist(), offsets[1:].tolist(), strict=True):
        draw(points[a:b], (0.15, 0.14, 0.12), 0.5)
    for kind, (_, colour) in _KINDS.items():
        for line in found[kind]:
            draw(np.array(line), colour, 1.6)


def _sizes(page: _Page, sizes: list[dict[str, Any]], off: int) -> None:
    say = page.say
    if not sizes:
        page.line(say("The drawing states no size that stands at a view."), size=9)
        return
    page.room(20.0)
    page.line(say("Stated sizes: {0}, of them {1} not as on the part", len(sizes), off), size=10.5)
    for size in sorted(sizes, key=lambda s: s["agrees"] is not False)[:_MOST_SIZES]:
        text = size["text"].replace("%%c", "⌀")
        part = size["part_mm"]
        there = say("not compared") if part is None else say("the part has {0} mm", f"{part:.3f}")
        stated = say("stated {0} mm", f"{size['stated_mm']:.3f}")
        colour = _KINDS["lacking"][1] if size["agrees"] is False else (0, 0, 0)
        page.line(f"{text}:  {stated}, {there}", size=8, left=3.0, colour=colour)
    if len(sizes) > _MOST_SIZES:
        page.line(say("and {0} more", len(sizes) - _MOST_SIZES), size=8, left=3.0)


def _length(line: FloatArray) -> float:
    return float(np.hypot(*np.diff(line, axis=0).T).sum())
