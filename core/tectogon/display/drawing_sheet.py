"""The drawing sheet that a card asks for, as plain data for a screen and as a file."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from tectogon.display.blank_out import blank_view
from tectogon.display.part import figures_of
from tectogon.display.parts_list import parts_list
from tectogon.drafting.by_hand import ByHand, Held, held_by, size_of
from tectogon.drafting.cut_views import Cut, Detail
from tectogon.drafting.dimensions import Length, place_of
from tectogon.drafting.drawn_views import DrawnView, Pattern
from tectogon.drafting.item_marks import Listed
from tectogon.drafting.needs import Coordinate
from tectogon.drafting.paper import Title, parse_scale, scale_text
from tectogon.drafting.placing import Placed, ViewOnPaper
from tectogon.drafting.sheet import DrawnSheet, Wishes, sheet_of
from tectogon.errors import BadValue, TectogonError
from tectogon.operations.draw_sheet import DrawSheetParams, HandWish
from tectogon.operations.material import COPPERS, METALS
from tectogon.operations.sheet_metal import blank_of
from tectogon.units import parse_length
from tectogon.views.align import AXES
from tectogon.words import told
from tectogon.workpiece.model import Workpiece

SHEET_FORMATS = ("pdf", "dxf", "svg")
_GRAMS_A_KILOGRAM = 1000.0
_MOST_NAMES = 12


def drawn_sheet(workpiece: Workpiece, params: DrawSheetParams, title: dict[str, str]) -> DrawnSheet:
    """The sheet as a step wants it; `title`: name, number, issue, who drew it, date, owner. Raises what `sheet_of`
    does."""
    figures = figures_of(workpiece)
    x, y, z = (end == "high" for end in params.datum)
    items = _listed(workpiece) if params.parts_list == "with" else ()
    blank, problem = _blank(workpiece) if workpiece.sheet_metal and params.blank == "with" else (None, None)
    document = "assembly drawing" if any(b.item for b in workpiece.bodies) else "part drawing"
    wishes = Wishes(
        projection=params.projection,
        sheet=params.sheet,
        scale=None if params.scale == "auto" else parse_scale(params.scale),
        dimensions=params.dimensions == "all",
        pictorial=params.pictorial == "with",
        title=Title(
            material=told(figures["material"] or "", params.language),
            mass=_mass_told(figures["mass_g"]),
            document=told(document, params.language),
            **title,
        ),
        datum=(x, y, z),
        hands=tuple(_by_hand(wish) for wish in params.by_hand),
        cuts=tuple(Cut(AXES.index(s.axis), parse_length(s.at), frozenset(s.through)) for s in params.sections),
        details=tuple(Detail(d.view, d.at, d.radius, d.times) for d in params.details),
        patterns=tuple(_pattern(workpiece, n) for n in range(len(workpiece.bodies))),
        blank=blank,
        items=items,
        language=params.language,
        art=workpiece.art,
    )
    drawn = sheet_of(workpiece.bodies, wishes)
    return drawn if problem is None else replace(drawn, refused=(*drawn.refused, problem))


def _blank(workpiece: Workpiece) -> tuple[DrawnView | None, str | None]:
    """The flat blank as a view, its bend lines as centre lines with what the brake must know; or why there is none."""
    try:
        blank = blank_of(workpiece)
    except TectogonError as problem:
        return None, f"The blank is not drawn: {problem.sentence}"
    return blank_view(blank), None


def _listed(workpiece: Workpiece) -> tuple[Listed, ...]:
    """The rows of the parts list of a part of several bodies."""
    if len(workpiece.bodies) < 2:
        return ()
    numbers = {b.key: n for n, b in enumerate(workpiece.bodies)}
    return tuple(
        Listed(r.number, r.count, r.name, r.issue, r.size, _mass_told(r.mass), tuple(numbers[k] for k in r.bodies))
        for r in parts_list(workpiece)
    )


def _mass_told(grams: float | None) -> str:
    if grams is None:
        return ""
    return f"{grams / _GRAMS_A_KILOGRAM:.2f} kg" if grams >= _GRAMS_A_KILOGRAM else f"{grams:.1f} g"


def _by_hand(wish: HandWish) -> ByHand:
    axis = None if wish.axis is None else AXES.index(wish.axis)
    held = Held(axis, frozenset(wish.low), frozenset(wish.high), wish.value, wish.view)
    return ByHand(held, wish.state, wish.form, wish.along, wish.away)


def _pattern(workpiece: Workpiece, n: int) -> Pattern:
    """How a body is hatched: as metal, where no material is known."""
    material = workpiece.material_of(workpiece.bodies[n])
    if material is None or material.name in METALS:
        return "metal"
    return "copper" if material.name in COPPERS else "plastic"


def sheet_told(sheet: DrawnSheet) -> dict[str, Any]:
    """A sheet as a picture, and what is to be said of it. Places on the sheet are in mm of paper, from its upper left
    corner."""
    from tectogon.drafting.as_svg import svg_of

    width, height = sheet.size
    return {
        "svg": svg_of(sheet).decode(),
        "size": [width, height],
        "sheet": sheet.sheet,
        "scale": scale_text(sheet.scale),
        "projection": sheet.projection,
        "dimensions": [_placed_told(p, height) for p in sheet.placed],
        "views": [_view_told(v, height) for v in sheet.views],
        "marks": [m for v in sheet.views if not v.view.title for m in _marks(sheet, v, height)],
        "open": [{"text": o.text, "at": list(o.at)} for o in sheet.open],
        "spare": [{"text": f"{d.value:g}", "view": d.view} for d in sheet.spare],
        "lost": len(sheet.lost),
        "refused": list(sheet.refused),
    }


def _placed_told(placed: Placed, height: float) -> dict[str, Any]:
    """A dimension, the corners of its text, and which ways its text goes along and its line away."""
    d = placed.dimension
    held = held_by(d)
    text = placed.ink.texts[0]
    upright = isinstance(d, Length) and abs(text.angle) > 1.0
    return {
        "text": placed.text,
        "kind": d.kind,
        "view": d.view,
        "mm": d.value,
        "box": [[x, height - y] for x, y in text.corners.tolist()],
        "along": [0.0, -1.0] if upright else [1.0, 0.0],
        "away": [-1.0, 0.0] if upright else [0.0, -1.0],
        "in_brackets": isinstance(d, Length) and d.extra,
        "moved": list(d.moved),
        "hand": d.hand,
        "held": {
            "axis": None if held.axis is None else AXES[held.axis],
            "low": _names(held.low),
            "high": _names(held.high),
            "value": held.value,
            "view": held.view,
        },
    }


def _names(names: frozenset[str]) -> list[str]:
    return sorted(names)[:_MOST_NAMES]


def _view_told(one: ViewOnPaper, height: float) -> dict[str, Any]:
    """A view: its box, where the origin of its plane stands, its scale, and how each axis of the part runs in it."""
    x, y = one.at
    wide, high = one.size
    ox, oy = one.on_paper((0.0, 0.0))
    ways = {AXES[axis]: one.view.along(axis) for axis in range(3)}
    return {
        "name": one.view.name,
        "title": one.view.title,
        "box": [x, height - y - high, x + wide, height - y],
        "origin": [ox, height - oy],
        "scale": one.scale,
        "axes": {name: list(way) for name, way in ways.items() if way is not None},
    }


def _marks(sheet: DrawnSheet, one: ViewOnPaper, height: float) -> list[dict[str, Any]]:
    """Where lengths may be taken from in a view: a point for each coordinate that it shows, and round things."""
    out = []
    for c in sheet.needs.coordinates:
        if one.view.along(c.axis) is not None:
            out.append(_mark(one, c, height))
    for r in sheet.needs.rounds:
        if abs(one.view.frame.normal[r.axis]) > 0.5:
            x_dir, y_dir = one.view.frame.x_dir, one.view.frame.y_dir
            flat = [sum(a * b for a, b in zip(r.centre, way, strict=True)) for way in (x_dir, y_dir)]
            x, y = one.on_paper(flat)
            k = r.radius * one.scale * 0.70710678
            names = _names(r.owners)
            at = [x - k, height - y - k]
            out.append(_told(one, None, at, names, size_of(r), "round"))
    return out


def _mark(one: ViewOnPaper, c: Coordinate, height: float) -> dict[str, Any]:
    x, y = one.on_paper(place_of(one.view, c))
    return _told(one, AXES[c.axis], [x, height - y], _names(c.owners), c.value, c.kind)


def _told(
    one: ViewOnPaper, axis: str | None, at: list[float], owners: list[str], mm: float, kind: str
) -> dict[str, Any]:
    return {"view": one.view.name, "axis": axis, "at": at, "owners": owners, "mm": mm, "kind": kind}


def sheet_bytes(sheet: DrawnSheet, kind: str, version: str = "R2010") -> bytes:
    """A sheet as a file. Raises BadValue for a kind that is not written."""
    if kind == "pdf":
        from tectogon.drafting.as_pdf import pdf_of

        return pdf_of(sheet)
    if kind == "dxf":
        from tectogon.drafting.as_dxf import dxf_of

        return dxf_of(sheet, version)
    if kind == "svg":
        from tectogon.drafting.as_svg import svg_of

        return svg_of(sheet)
    raise BadValue(f"A drawing sheet is written as {', '.join(SHEET_FORMATS)}, not “{kind[:12]}”.")
