"""What operations that make linework share: which curves are meant, and putting the made ones in the place of the
old."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.nearest import nearest_curves
from tectogon.curves.table import IntArray
from tectogon.errors import PickGone, Unfinished
from tectogon.linework import identity
from tectogon.linework.edit import added
from tectogon.profiles import Region
from tectogon.tolerances import resolution
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.sentence import count_of


def picked_rows(workpiece: Workpiece, curves: tuple[str, ...], what: str) -> IntArray:
    """Rows of picked curves that are still there. Raises BadValue where none are picked, PickGone where none is
    left. Raises Unfinished where nothing is picked, PickGone where nothing of it is left."""
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


def with_drawn(workpiece: Workpiece, drawn: CurveTable, number: int) -> Workpiece:
    """The workpiece with curves drawn by step `number`, on a layer of their own."""
    ids = tuple(identity.drawn(number, n + 1) for n in range(len(drawn)))
    return replace(
        workpiece, drawing=replace(workpiece.drawing, linework=added(workpiece.drawing.linework, drawn, ids))
    )


def with_made(
    workpiece: Workpiece,
    made: CurveTable,
    number: int,
    *,
    of: IntArray,
    parent: IntArray | None = None,
    leave: bool = False,
) -> Workpiece:
    """The workpiece with curves that step `number` made from the rows `of`, in the style of the first of them.

    parent: which of those rows each made curve comes from (k,); where it is not given, the one it runs nearest to.
    leave: the rows are left out.
    """
    drawing = workpiece.drawing
    ids = drawing.linework.ids
    if parent is None:
        parent = of[nearest_curves(drawing.linework.table.take(of), made)]
    linework = added(drawing.linework, made, made_ids(number, [ids[r] for r in parent.tolist()]), like=int(of[0]))
    left_out = drawing.left_out | {ids[r] for r in of.tolist()} if leave else drawing.left_out
    return replace(workpiece, drawing=replace(drawing, linework=linework, left_out=left_out))


def made_ids(number: int, parents: Sequence[str]) -> tuple[str, ...]:
    """Ids of curves that step `number` made, each from one of `parents`."""
    seen: Counter[str] = Counter()
    out = []
    for key in parents:
        seen[key] += 1
        out.append(identity.made(number, key, seen[key]))
    return tuple(out)


def bounding_rows(workpiece: Workpiece, regions: Sequence[Region]) -> IntArray:
    """Rows of the curves that bound these regions."""
    found = workpiece.drawing.regions
    pieces = np.concatenate([ring.rows for r in regions for ring in (r.outer, *r.holes)])
    return np.unique(workpiece.drawing.bounding[found.piece_source[pieces]])
