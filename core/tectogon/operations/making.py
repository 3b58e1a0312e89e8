"""What operations that make linework share: which curves are meant, and putting the made ones in the place of the old."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import IntArray
from tectogon.errors import PickGone, Unfinished
from tectogon.operations.edits import added
from tectogon.operations.fields import Token, count_of
from tectogon.operations.workpiece import Workpiece
from tectogon.tolerances import resolution


def picked_rows(workpiece: Workpiece, curves: tuple[str, ...], what: str) -> IntArray:
    """Rows of picked curves that are still there. Raises BadValue where none are picked, PickGone where none is left."""
    if not curves:
        raise Unfinished(f"Nothing is picked {what}: press curves on the sheet, or drag a box round them.")
    linework = workpiece.drawing.linework
    rows = np.array([linework.row_of[key] for key in curves if key in linework.row_of], np.int64)
    if not len(rows):
        raise PickGone(f"None of the {count_of(len(curves), 'curve')} picked is in the drawing any more. Pick again.")
    return rows


def fineness(workpiece: Workpiece) -> float:
    """What counts as one point in this drawing (mm)."""
    return resolution(max(workpiece.drawing.linework.size, 1.0))


def with_made(workpiece: Workpiece, made: CurveTable, number: int, *, like: int | None, gone: IntArray | None = None) -> Workpiece:
    """The workpiece with curves made by step `number`, in the style of the curve `like`; rows `gone` are left out."""
    drawing = workpiece.drawing
    linework = added(drawing.linework, made, f"m{number}", like=like)
    left_out = drawing.left_out
    if gone is not None:
        left_out = left_out | {drawing.linework.ids[r] for r in gone.tolist()}
    return replace(workpiece, drawing=replace(drawing, linework=linework, left_out=left_out))


def curves_token(curves: tuple[str, ...]) -> Token:
    text = count_of(len(curves), "curve") if curves else "curves: pick them on the sheet"
    return Token(text, "curves", {"type": "curves", "value": list(curves)})
