"""PDF pages through pypdfium2: vector paths with their matrices, widths, dashes and colours, nested forms opened.

Lengths are points of the page (1/72 inch) with y upwards from its lower left corner, times the drawing scale that is
asked for.
"""

from __future__ import annotations

import ctypes
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pypdfium2 as pdfium
import pypdfium2.raw as raw

from tectogon.curves import Curve, Line, Spline, affine
from tectogon.curves.affine import FloatArray
from tectogon.errors import Note, OverLimit, TectogonError, UnreadableFile
from tectogon.formats.graphics import Art
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.linework import Linework, Written
from tectogon.profiles.stroke import Cap, Join, Pen
from tectogon.units import show_count

_MAX_DEPTH = 24
_MAX_SEGMENTS = 1_500_000
_JOINS: dict[int, Join] = {0: "miter", 1: "round", 2: "bevel"}
_CAPS: dict[int, Cap] = {0: "butt", 1: "round", 2: "square"}
_HAIR = 1e-6
_TRACED_DPI = 300.0


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The paths of one page. A page that is only a picture is traced. Raises UnreadableFile or OverLimit."""
    try:
        document = pdfium.PdfDocument(path)
    except pdfium.PdfiumError as problem:
        if "assword" in str(problem):
            raise UnreadableFile(
                f"{path.name} is locked with a password; save it without one and bring it in again."
            ) from None
        raise UnreadableFile(
            f"{path.name} starts like a PDF but breaks off or is damaged. Ask for it once more."
        ) from None
    try:
        return _page(document, path, limits, options)
    except TectogonError:
        raise
    except (pdfium.PdfiumError, ValueError, ArithmeticError, RuntimeError):
        raise UnreadableFile(f"Page {options.page} of {path.name} is damaged and can't be read.") from None
    finally:
        document.close()


def _page(document: Any, path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    pages = len(document)
    if options.page > pages:
        raise UnreadableFile(
            f"{path.name} has {pages} page{'s' if pages != 1 else ''}; page {options.page} is not among them."
        )
    page = document[options.page - 1]
    width, height = page.get_size()
    left, bottom, *_ = page.get_cropbox() if hasattr(page, "get_cropbox") else page.get_mediabox()
    reader = _Reader(Art(limits.max_curves), limits, path.name)
    upright = affine.after(_rotation(page.get_rotation(), width, height), affine.moved(-left, -bottom))
    objects = raw.FPDFPage_CountObjects(page.raw)
    for n in range(objects):
        reader.take(raw.FPDFPage_GetObject(page.raw, n), upright, f"o{n + 1}", 0)
    art = reader.art
    if art.skipped.get("text"):
        art.notes.append(
            Note(
                "text_without_outline",
                f"{art.skipped['text']} texts are set in fonts; they are no outlines and can't become part of a"
                " profile.",
            )
        )
    over = art.cut_off((0.0, 0.0, width, height)) if art.paths else []
    if over:
        (area, (x, y)), mm = over[0], 25.4 / 72.0
        art.notes.append(
            Note(
                "over_the_edge",
                f"{len(over)} filled {'shape runs' if len(over) == 1 else 'shapes run'} over the edge of the page; what"
                " lies beyond it is not shown by the page, and was cut off:"
                f" {'' if len(over) == 1 else 'at most '}{area * mm * mm:.4g} mm², near x {x * mm:.4g},"
                f" y {y * mm:.4g} mm of the page.",
            )
        )
    linework = art.linework(outlines=options.strokes == "outline")
    if not art.paths:
        if art.skipped.get("picture"):
            return _traced(page, path.name, limits, options, pages)
        raise UnreadableFile(
            f"Page {options.page} of {path.name} holds no lines{', only text' if art.skipped.get('text') else ''}."
        )
    if options.region:
        linework = _within(linework, options.region)
    linework = linework.scaled(options.drawing_scale)
    says = f"The page measures {width * 25.4 / 72:.4g} × {height * 25.4 / 72:.4g} mm"
    if options.drawing_scale != 1.0:
        says += (
            f", drawn at {1 / options.drawing_scale:g} : 1"
            if options.drawing_scale < 1
            else f", drawn at 1 : {options.drawing_scale:g}"
        )
    return ReadResult(
        linework=linework, format="PDF", version=_version(document), declared_unit="pt", kind_says=says, pages=pages
    )


def _traced(page: Any, name: str, limits: ReadLimits, options: ReadOptions, pages: int) -> ReadResult:
    """A page that is only a picture, traced as one; lengths in points all the same, so that page and pictures measure
    alike."""
    from tectogon.formats import picture

    width, height = page.get_size()
    scale = min(_TRACED_DPI / 72.0, (limits.max_pixels / max(width * height, 1.0)) ** 0.5)
    image = page.render(scale=scale, draw_annots=False).to_pil()
    result = picture.trace(
        image, None, name, limits, options.model_copy(update={"region": None, "smooth": options.smooth})
    )
    linework = result.linework.scaled(options.drawing_scale / scale)
    note = Note("traced_page", "The page holds no lines, only a picture; its outlines were traced.")
    linework = replace(linework, notes=(note, *linework.notes))
    says = f"The page measures {width * 25.4 / 72:.4g} × {height * 25.4 / 72:.4g} mm, and is a picture"
    return ReadResult(linework=linework, format="PDF", version="", declared_unit="pt", kind_says=says, pages=pages)


def _version(document: Any) -> str:
    number = document.get_version()
    return f"{number / 10:.1f}" if number else ""


def _rotation(degrees: int, width: float, height: float) -> FloatArray:
    """From page space to the page as it is shown; width and height are as shown."""
    turn = {
        0: (1, 0, 0, 1, 0, 0),
        90: (0, -1, 1, 0, 0, height),
        180: (-1, 0, 0, -1, width, height),
        270: (0, 1, -1, 0, width, 0),
    }[int(degrees) % 360]
    a, b, c, d, e, f = (float(v) for v in turn)
    return np.array([[a, c, e], [b, d, f]])


def _within(linework: Linework, region: tuple[float, float, float, float]) -> Linework:
    x, y, w, h = region
    b = linework.table.bounds
    return linework.take((b[:, 0] >= x) & (b[:, 1] >= y) & (b[:, 2] <= x + w) & (b[:, 3] <= y + h))


class _Reader:
    def __init__(self, art: Art, limits: ReadLimits, name: str) -> None:
        self.art, self.limits, self.name = art, limits, name
        self.objects = 0
        self.segments = 0

    def take(self, thing: Any, matrix: FloatArray, key: str, depth: int) -> None:
        """One object of the page, or of a form on it."""
        self.objects += 1
        if self.objects > self.limits.max_entities:
            raise OverLimit(
                f"{self.name} draws more than {show_count(self.limits.max_entities)} objects on this page; take"
                " a part of it."
            )
        kind = raw.FPDFPageObj_GetType(thing)
        own = affine.after(matrix, _matrix_of(thing))
        if kind == raw.FPDF_PAGEOBJ_PATH:
            self._path(thing, own, key)
        elif kind == raw.FPDF_PAGEOBJ_FORM:
            self.art.entities["form"] += 1
            if depth >= _MAX_DEPTH:
                self.art.skipped["form nested too deep"] += 1
                return
            for n in range(raw.FPDFFormObj_CountObjects(thing)):
                self.take(raw.FPDFFormObj_GetObject(thing, n), own, f"{key}/{n + 1}", depth + 1)
        elif kind == raw.FPDF_PAGEOBJ_TEXT:
            self.art.entities["text"] += 1
            self.art.skipped["text"] += 1
            at = own[:, 2]
            if np.isfinite(at).all():
                self.art.texts.append(Written("", (float(at[0]), float(at[1])), 10.0))
        else:
            name = {raw.FPDF_PAGEOBJ_IMAGE: "picture", raw.FPDF_PAGEOBJ_SHADING: "shading"}.get(kind, "other")
            self.art.entities[name] += 1
            self.art.skipped[name] += 1

    def _path(self, thing: Any, matrix: FloatArray, key: str) -> None:
        self.art.entities["path"] += 1
        mode, stroked = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(thing, mode, stroked)
        fill = _colour(thing, raw.FPDFPageObj_GetFillColor) if mode.value else None
        stroke = _colour(thing, raw.FPDFPageObj_GetStrokeColor) if stroked.value else None
        if fill is None and stroke is None:
            self.art.skipped["neither filled nor stroked"] += 1
            return
        if not np.isfinite(matrix).all():
            self.art.skipped["path damaged"] += 1
            return
        chains = self._chains(thing)
        if not chains:
            self.art.skipped["path without length"] += 1
            return
        pen = _pen(thing, affine.scale_of(matrix)) if stroke else None
        shown = fill or stroke or "#000000"
        self.art.add(
            key,
            chains,
            matrix,
            layer=shown,
            colour=shown,
            fill=("evenodd" if mode.value == raw.FPDF_FILLMODE_ALTERNATE else "nonzero") if fill else None,
            pen=pen,
            dashes=_dashes(thing) if stroke and not fill else (),
            clear=fill == "#ffffff",
        )

    def _chains(self, thing: Any) -> list[list[Curve]]:
        count = raw.FPDFPath_CountSegments(thing)
        self.segments += max(count, 0)
        if self.segments > _MAX_SEGMENTS:
            raise OverLimit(
                f"{self.name} draws more than {show_count(_MAX_SEGMENTS)} path segments on this page; take a"
                " part of it."
            )
        chains: list[list[Curve]] = []
        chain: list[Curve] = []
        start = at = (0.0, 0.0)
        waiting: list[tuple[float, float]] = []
        x, y = ctypes.c_float(), ctypes.c_float()
        for n in range(count):
            segment = raw.FPDFPath_GetPathSegment(thing, n)
            raw.FPDFPathSegment_GetPoint(segment, x, y)
            point = (x.value, y.value)
            kind = raw.FPDFPathSegment_GetType(segment)
            if not (abs(point[0]) < 1e9 and abs(point[1]) < 1e9):
                self.art.skipped["coordinates out of range"] += 1
                continue
            if kind == raw.FPDF_SEGMENT_MOVETO:
                chain = []
                chains.append(chain)
                start = at = point
            elif kind == raw.FPDF_SEGMENT_LINETO:
                if point != at:
                    chain.append(Line(*at, *point))
                at = point
            elif kind == raw.FPDF_SEGMENT_BEZIERTO:
                waiting.append(point)
                if len(waiting) == 3:
                    poles = (at, *waiting)
                    if len(set(poles)) > 1:
                        chain.append(_bezier(poles))
                    at, waiting = waiting[2], []
            if raw.FPDFPathSegment_GetClose(segment):
                if at != start:
                    chain.append(Line(*at, *start))
                at = start
                chain = []
                chains.append(chain)
        return [c for c in chains if c]


def _bezier(poles: tuple[tuple[float, float], ...]) -> Curve:
    (x0, y0), (x3, y3) = poles[0], poles[3]
    dx, dy = x3 - x0, y3 - y0
    square = dx * dx + dy * dy
    inner = [((x - x0) * dx + (y - y0) * dy, (x - x0) * dy - (y - y0) * dx) for x, y in poles[1:3]]
    if square > 0 and all(abs(across) <= 1e-7 * square and 0 <= along <= square for along, across in inner):
        return Line(x0, y0, x3, y3)
    return Spline.bezier(np.array(poles))


def _matrix_of(thing: Any) -> FloatArray:
    m = raw.FS_MATRIX()
    if not raw.FPDFPageObj_GetMatrix(thing, m):
        return affine.IDENTITY
    return np.array([[m.a, m.c, m.e], [m.b, m.d, m.f]], float)


def _colour(thing: Any, getter: Any) -> str | None:
    r, g, b, a = (ctypes.c_uint() for _ in range(4))
    if not getter(thing, r, g, b, a):
        return "#000000"
    return f"#{r.value:02x}{g.value:02x}{b.value:02x}" if a.value else None


def _pen(thing: Any, scale: float) -> Pen:
    width = ctypes.c_float()
    raw.FPDFPageObj_GetStrokeWidth(thing, width)
    join, cap = raw.FPDFPageObj_GetLineJoin(thing), raw.FPDFPageObj_GetLineCap(thing)
    return Pen(max(width.value * scale, _HAIR), _JOINS.get(join, "miter"), _CAPS.get(cap, "butt"), 10.0)


def _dashes(thing: Any) -> tuple[float, ...]:
    count = raw.FPDFPageObj_GetDashCount(thing)
    if not 0 < count <= 32:
        return ()
    values = (ctypes.c_float * count)()
    raw.FPDFPageObj_GetDashArray(thing, values, count)
    return tuple(values) if sum(values) > 0 else ()
