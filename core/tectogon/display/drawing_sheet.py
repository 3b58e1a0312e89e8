"""The drawing sheet that a card asks for, as plain data for a screen and as a file."""

from __future__ import annotations

from typing import Any

from tectogon.display.part import figures_of
from tectogon.drafting.paper import Title, parse_scale, scale_text
from tectogon.drafting.sheet import DrawnSheet, Wishes, sheet_of
from tectogon.errors import BadValue
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.workpiece.model import Workpiece

SHEET_FORMATS = ("pdf", "dxf", "svg")
_GRAMS_A_KILOGRAM = 1000.0


def drawn_sheet(workpiece: Workpiece, params: DrawSheetParams, title: dict[str, str]) -> DrawnSheet:
    """The sheet as a step wants it; `title`: name, number, issue, who drew it, date, owner. Raises what `sheet_of`
    does."""
    figures = figures_of(workpiece)
    mass = figures["mass_g"]
    told = "" if mass is None else f"{mass / _GRAMS_A_KILOGRAM:.2f} kg" if mass >= 1000.0 else f"{mass:.1f} g"
    wishes = Wishes(
        projection=params.projection,
        sheet=params.sheet,
        scale=None if params.scale == "auto" else parse_scale(params.scale),
        dimensions=params.dimensions == "all",
        pictorial=params.pictorial == "with",
        title=Title(material=figures["material"] or "", mass=told, **title),
    )
    return sheet_of(workpiece.bodies, wishes)


def sheet_told(sheet: DrawnSheet) -> dict[str, Any]:
    """A sheet as a picture, and what is to be said of it."""
    from tectogon.drafting.as_svg import svg_of

    width, height = sheet.size
    return {
        "svg": svg_of(sheet).decode(),
        "size": [width, height],
        "sheet": sheet.sheet,
        "scale": scale_text(sheet.scale),
        "projection": sheet.projection,
        "dimensions": [
            {"text": p.text, "kind": p.dimension.kind, "view": p.dimension.view, "mm": p.dimension.value}
            for p in sheet.placed
        ],
        "open": [{"text": o.text, "at": list(o.at)} for o in sheet.open],
        "spare": [{"text": f"{d.value:g}", "view": d.view} for d in sheet.spare],
    }


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
