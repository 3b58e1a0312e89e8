"""Split curves where others cross or touch them, so that each piece is a curve of its own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tectogon.errors import NothingToBuild
from tectogon.linework.edit import replaced
from tectogon.profiles.network import build_network
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, curves_token, words


class SplitParams(Params):
    """All curves that can bound a profile where none are picked."""

    curves: tuple[str, ...] = ()


def apply(workpiece: Workpiece, params: SplitParams, context: Context) -> Workpiece:
    """Curves become pieces where others cross or touch them, within the joining distance (mm).

    Raises NothingToBuild where none does.
    """
    drawing = workpiece.drawing
    rows = drawing.bounding
    wanted = (
        np.isin(rows, [drawing.linework.row_of[key] for key in params.curves if key in drawing.linework.row_of])
        if params.curves
        else np.ones(len(rows), bool)
    )
    net = build_network(drawing.linework.table.take(rows), join_tol=drawing.tolerance)
    pieces = np.flatnonzero(net.cut & wanted[net.source])
    if not len(pieces):
        raise NothingToBuild("Nothing crosses or touches these curves between their ends.")
    gone = np.unique(net.source[pieces])
    source = np.searchsorted(gone, net.source[pieces])
    linework = replaced(drawing.linework, rows[gone], net.table.take(pieces), source, net.number[pieces] + 1)
    return replace(workpiece, drawing=replace(drawing, linework=linework))


def sentence(params: SplitParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Split "),
        curves_token(params.curves) if params.curves else words("every curve"),
        words(" where others cross or touch"),
    ]


OPERATION = Operation(
    "split",
    "tidy",
    "Split",
    "Curves become pieces where others cross or touch them",
    SplitParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
