"""The symbols that tell the angle of projection: a cut cone beside its circles, where other things are drawn larger."""

from __future__ import annotations

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import IntArray
from tectogon.views.projection import symbols_of

_BEYOND = 0.35
"""The centre lines of a symbol reach no further beyond it than this share of its height."""
_LARGER = 2.0
"""What else is drawn is so many times larger: two views of a small cone are no symbol."""


def find_projection_symbols(table: CurveTable, rows: IntArray) -> IntArray:
    """Which of `rows` (k,) belong to a symbol on the sheet; none where nothing larger is among them."""
    bounds = table.bounds[rows]
    inside = np.zeros(len(rows), bool)
    widest = 0.0
    for symbol in symbols_of(table):
        x0, y0, x1, y1 = symbol.box
        out = _BEYOND * (y1 - y0)
        inside |= np.all(bounds[:, :2] >= (x0 - out, y0 - out), axis=1) & np.all(
            bounds[:, 2:] <= (x1 + out, y1 + out), axis=1
        )
        widest = max(widest, x1 - x0, y1 - y0)
    rest = rows[~inside]
    return rows[inside] if len(rest) and table.take(rest).size >= _LARGER * widest else rows[:0]
