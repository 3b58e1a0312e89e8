"""What no format may give: curves whose numbers are not finite or leave no digits for a part, and curves of no
length."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import numpy as np

from tectogon.curves.table import LINE, SPLINE
from tectogon.errors import Note, Place
from tectogon.linework import Linework

_FARTHEST = 1e10


def sensible(linework: Linework) -> Linework:
    """Without curves whose numbers are not finite or leave no digits for a part, and without those of no length."""
    table = linework.table
    if not len(table):
        return linework
    with np.errstate(all="ignore"):
        fine = np.asarray((np.abs(table.data) < _FARTHEST).all(axis=1))
        for row in table.rows_of(SPLINE):
            fine[row] = bool((np.abs(table.splines[int(table.data[row, 0])].poles) < _FARTHEST).all())
        point = (
            fine
            & (table.kind == LINE)
            & (table.data[:, 0] == table.data[:, 2])
            & (table.data[:, 1] == table.data[:, 3])
        )
    wild = ~fine
    if not wild.any() and not point.any():
        return linework
    kept = linework.take(fine & ~point)
    skipped = Counter(dict(linework.skipped))
    notes = list(linework.notes)
    if point.any():
        skipped["without length"] += int(point.sum())
    if wild.any():
        skipped["coordinates out of range"] += int(wild.sum())
        first = tuple(linework.ids[int(i)] for i in np.flatnonzero(wild)[:20])
        notes.append(
            Note(
                "out_of_range",
                f"{int(wild.sum())} curves have coordinates that are not numbers or beyond 10,000,000,000 and were left"
                f" out; the first is entity {first[0]}.",
                Place(first),
            )
        )
    return replace(kept, skipped=tuple(sorted(skipped.items())), notes=tuple(notes))
