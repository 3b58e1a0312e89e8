"""Sheets, scales, the frame and the title block (ISO 5457, ISO 5455, ISO 7200), and the mark of the angle of projection
(ISO 5456-2). Millimetres of paper."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tectogon.curves import Arc
from tectogon.curves.shapes import TURN
from tectogon.drafting.ink import Ink, Stroke, width_of
from tectogon.errors import BadValue
from tectogon.words import Language, told

SheetName = Literal["A4", "A3", "A2", "A1", "A0"]
SHEETS: dict[str, tuple[float, float]] = {
    "A4": (210.0, 297.0),
    "A3": (420.0, 297.0),
    "A2": (594.0, 420.0),
    "A1": (841.0, 594.0),
    "A0": (1189.0, 841.0),
}
"""Width and height: A4 upright, all others lying (ISO 5457)."""
SCALES = (10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002, 0.001)
"""The scales that ISO 5455 recommends, as far as parts need them."""
_LEFT, _ELSEWHERE = 20.0, 10.0
_FIELD = 50.0
_MARK = 5.0
_CLEAR = 5.0
"""How far everything stays off the frame and the title block (mm)."""
BLOCK_WIDTH, BLOCK_HEIGHT = 180.0, 40.0
Projection = Literal["first", "third"]


@dataclass(frozen=True)
class Title:
    """What the title block says."""

    name: str = ""
    number: str = ""
    issue: str = ""
    material: str = ""
    mass: str = ""
    tolerances: str = "ISO 2768-m"
    drawn_by: str = ""
    date: str = ""
    owner: str = ""
    sheet: str = "1 / 1"
    document: str = "part drawing"


def scale_text(scale: float) -> str:
    """A scale as drawings state it."""
    return f"{scale:g} : 1" if scale >= 1.0 else f"1 : {1.0 / scale:g}"


def parse_scale(text: str) -> float:
    """A scale as people write it: "1:2", "2 : 1". Raises BadValue."""
    first, _, second = text.replace(" ", "").partition(":")
    try:
        scale = float(first) / float(second or 1.0)
    except (ValueError, ZeroDivisionError):
        scale = 0.0
    if not 1e-4 <= scale <= 1e3:
        raise BadValue(f"“{text[:20]}” is no scale; type one such as 1:2.")
    return scale


def drawing_area(sheet: str) -> tuple[float, float, float, float]:
    """The inside of the frame: left, bottom, right, top."""
    width, height = SHEETS[sheet]
    return _LEFT, _ELSEWHERE, width - _ELSEWHERE, height - _ELSEWHERE


def frame_of_sheet(sheet: str) -> Ink:
    """Frame, centring marks and the reference grid of a sheet (ISO 5457)."""
    ink = Ink()
    width, height = SHEETS[sheet]
    x0, y0, x1, y1 = drawing_area(sheet)
    for a, b in (((x0, y0), (x1, y0)), ((x1, y0), (x1, y1)), ((x1, y1), (x0, y1)), ((x0, y1), (x0, y0))):
        ink.line(*a, *b, pen="frame")
    for x, y, dx, dy in (
        (width / 2.0, y0, 0.0, -1.0),
        (width / 2.0, y1, 0.0, 1.0),
        (x0, height / 2.0, -1.0, 0.0),
        (x1, height / 2.0, 1.0, 0.0),
    ):
        over_title = y == y0 and x > x1 - BLOCK_WIDTH
        inwards = 0.0 if over_title else _MARK  # a mark ends at the frame where the title block stands
        ink.line(x - inwards * dx, y - inwards * dy, x + _MARK * dx, y + _MARK * dy, pen="frame")
    across, up = max(2, round((x1 - x0) / _FIELD / 2.0) * 2), max(2, round((y1 - y0) / _FIELD / 2.0) * 2)
    for n in range(across):
        left, right = x0 + (x1 - x0) * n / across, x0 + (x1 - x0) * (n + 1) / across
        for y, way in ((y0, -1.0), (y1, 1.0)):
            if n:
                ink.line(left, y, left, y + way * _MARK, pen="grid")
            at = y + (1.2 if way > 0 else -3.7)
            ink.write((left + right) / 2.0, at, str(n + 1), anchor="middle")
    letters = "ABCDEFGHJKLMNPQRSTUVWXYZ"
    for n in range(up):
        low, high = y1 - (y1 - y0) * (n + 1) / up, y1 - (y1 - y0) * n / up
        for x, way in ((x0, -1.0), (x1, 1.0)):
            if n:
                ink.line(x, high, x + way * _MARK, high, pen="grid")
            ink.write(x + way * _MARK / 2.0, (low + high) / 2.0 - 1.25, letters[n], anchor="middle")
    return ink


def title_block(sheet: str, title: Title, scale: float, projection: Projection, language: Language = "en") -> Ink:
    """The title block in the lower right corner of the frame (ISO 7200): 180 mm wide."""
    ink = Ink()
    _, y0, x1, _ = drawing_area(sheet)
    x0, top = x1 - BLOCK_WIDTH, y0 + BLOCK_HEIGHT
    ink.line(x0, y0, x0, top, pen="frame")
    ink.line(x0, top, x1, top, pen="frame")
    for up in (10.0, 20.0, 30.0):
        ink.line(x0, y0 + up, x1, y0 + up, pen="grid")
    fields = (
        (0, 0, 60, "owner", title.owner),
        (0, 60, 60, "document", title.document),
        (0, 120, 25, "issue", title.issue),
        (0, 145, 15, "sheet", title.sheet),
        (0, 160, 20, "format", sheet),
        (1, 0, 60, "drawn by", title.drawn_by),
        (1, 60, 30, "date", title.date),
        (1, 90, 90, "number", title.number),
        (2, 0, 60, "material", title.material),
        (2, 60, 30, "mass", title.mass),
        (2, 90, 90, "title", title.name),
        (3, 0, 60, "general tolerances", title.tolerances),
        (3, 60, 30, "scale", scale_text(scale)),
        (3, 90, 60, "sizes in millimetres", ""),
    )
    for row, left, wide, label, value in fields:
        x, y = x0 + left, y0 + 10.0 * row
        if left:
            ink.line(x, y, x, y + 10.0, pen="grid")
        ink.write(x + 1.2, y + 7.4, told(label, language), height=1.8)
        big = label in ("title", "number")
        ink.write(x + 1.2, y + 1.8, fitting(value, wide - 2.4, 3.5 if big else 2.5), height=3.5 if big else 2.5)
    ink.line(x0 + 150.0, y0 + 30.0, x0 + 150.0, top, pen="grid")
    ink.add(projection_mark(x0 + 165.0, y0 + 35.0, projection))
    return ink


def projection_mark(x: float, y: float, projection: Projection) -> Ink:
    """A cone's two views, as ISO 5456-2 marks the angle of projection, about a point."""
    ink = Ink()
    cone, circle = (x - 5.0, x + 5.0) if projection == "first" else (x + 5.0, x - 5.0)
    narrow, wide = cone - 3.5, cone + 3.5
    big, small = 3.0, 1.5
    ink.line(wide, y - big, wide, y + big, pen="mark")
    ink.line(narrow, y - small, narrow, y + small, pen="mark")
    ink.line(wide, y - big, narrow, y - small, pen="mark")
    ink.line(wide, y + big, narrow, y + small, pen="mark")
    for radius in (1.5, 3.0):
        ink.strokes.append(Stroke(Arc(circle, y, radius, 0.0, TURN), "mark"))
    ink.line(cone - 4.5, y, cone + 4.5, y, pen="centre")
    ink.line(circle - 4.0, y, circle + 4.0, y, pen="centre")
    ink.line(circle, y - 4.0, circle, y + 4.0, pen="centre")
    return ink


def fitting(text: str, wide: float, height: float) -> str:
    """As much of a text as has room, with dots for the rest."""
    text = " ".join(text.split())
    if width_of(text, height) <= wide:
        return text
    count = len(text)
    while count and width_of(text[:count] + "…", height) > wide:
        count -= 1
    return text[:count] + "…"


def page_size(sheet: str) -> tuple[float, float]:
    """Width and height of a sheet; BadValue for one that is not known."""
    if sheet not in SHEETS:
        raise BadValue(f"Sheets are {', '.join(SHEETS)}, not “{sheet[:12]}”.")
    return SHEETS[sheet]


def fits(sheet: str, width: float, height: float, foot: float = BLOCK_HEIGHT) -> bool:
    """Whether a block of views has room on a sheet: over the title block and what stands on it, `foot` high in all, or
    beside it."""
    x0, y0, x1, y1 = drawing_area(sheet)
    width, height = width + 2.0 * _CLEAR, height + 2.0 * _CLEAR
    over = width <= x1 - x0 and height <= y1 - y0 - foot
    beside = width <= x1 - x0 - BLOCK_WIDTH and height <= y1 - y0
    return foot <= y1 - y0 and (over or beside)


def corner_for(sheet: str, width: float, height: float, foot: float = BLOCK_HEIGHT) -> tuple[float, float]:
    """Where the lower left corner of a block of views stands, so that it is in the middle of its room."""
    x0, y0, x1, y1 = drawing_area(sheet)
    if width + 2.0 * _CLEAR <= x1 - x0 and height + 2.0 * _CLEAR <= y1 - y0 - foot:
        y0 += foot
    else:
        x1 -= BLOCK_WIDTH
    return x0 + (x1 - x0 - width) / 2.0, y0 + (y1 - y0 - height) / 2.0


def cap_height(sheet: str) -> float:
    """How high texts stand (mm): 3.5 on the two large sheets, 2.5 on all others (ISO 3098)."""
    return 3.5 if sheet in ("A1", "A0") else 2.5
