"""Engrave in the flat: curves on the blank's sheet are marked on the sheet by the laser, and take no material away."""

from __future__ import annotations

from dataclasses import replace

from tectogon.errors import NothingToBuild, Place, Unfinished
from tectogon.workpiece.made_curves import picked_rows
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, curves_token, words

_CHORD = 1e-3


class EngraveFlatParams(Params):
    curves: tuple[str, ...] = ()


def apply(workpiece: Workpiece, params: EngraveFlatParams, context: Context) -> Workpiece:
    """Keeps the curves with the blank. Raises what `blank_of` raises, Unfinished while none is picked, NothingToBuild
    for one that leaves the blank."""
    import shapely

    from tectogon.bending.pieces import pieces_of
    from tectogon.operations.sheet_metal import blank_of

    blank = blank_of(workpiece, at_origin=False)
    how = workpiece.sheet_metal
    assert how is not None
    if not params.curves:
        raise Unfinished("Pick the curves on the blank's sheet.")
    rows = picked_rows(workpiece, params.curves, "to be engraved")
    linework = workpiece.drawing.linework
    table = linework.table.take(rows)
    whole = pieces_of(blank).whole
    points, starts = table.flatten(_CHORD * max(table.size, 1.0))
    for n, row in enumerate(rows.tolist()):
        line = points[starts[n] : starts[n + 1]]
        if not whole.covers(shapely.LineString(line)):
            x, y = line[0].tolist()
            raise NothingToBuild(
                f"The curve at x {x:.2f}, y {y:.2f} mm leaves the blank; what is engraved must lie on it.",
                Place(curves=(linework.ids[row],), point=(x, y)),
            )
    return replace(workpiece, sheet_metal=replace(how, marks=(*how.marks, *table.curves())))


def sentence(params: EngraveFlatParams, workpiece: Workpiece | None) -> Sentence:
    return [words("Engrave "), curves_token(params.curves), words(" in the flat, marked and not cut")]


OPERATION = Operation(
    "engrave_flat",
    "build",
    "Engrave in the flat",
    "Curves on the blank that the laser marks",
    EngraveFlatParams,
    apply,
    sentence,
    reads=LINEWORK | BODIES,
    writes=BODIES,
    wants="sheet_metal",
)
