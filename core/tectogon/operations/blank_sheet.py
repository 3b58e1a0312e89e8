"""Lay the blank of a sheet part out on a sheet, to be drawn on and cut in the flat."""

from __future__ import annotations

from dataclasses import replace

from tectogon.curves import CurveTable
from tectogon.workpiece.made_curves import with_drawn
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, words


class BlankSheetParams(Params):
    pass


def apply(workpiece: Workpiece, params: BlankSheetParams, context: Context) -> Workpiece:
    """Adds outline and holes of the blank as it is now, and its bend lines as guides. Raises what `blank_of` raises."""
    from tectogon.operations.sheet_metal import blank_of

    blank = blank_of(workpiece, at_origin=False)
    lines = [zone.line for zone in blank.zones]
    made = with_drawn(workpiece, CurveTable.of([*blank.curves, *lines]), context.number)
    ids = made.drawing.linework.ids
    guides = frozenset(ids[len(ids) - len(lines) :]) if lines else frozenset()
    return replace(made, drawing=replace(made.drawing, guides=made.drawing.guides | guides))


def sentence(params: BlankSheetParams, workpiece: Workpiece | None) -> Sentence:
    return [words("Lay the flat blank out on this sheet")]


OPERATION = Operation(
    "blank_sheet",
    "build",
    "Lay the blank out",
    "The flat blank on a sheet of its own, to be cut in the flat",
    BlankSheetParams,
    apply,
    sentence,
    reads=LINEWORK | BODIES,
    writes=LINEWORK,
    begins_sheet=True,
    offered=False,
    serves="lays_blank",
)
