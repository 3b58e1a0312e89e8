"""Make curves guides: they stay on the sheet and can be snapped to, but never bound a profile."""

from __future__ import annotations

from dataclasses import replace

from tectogon.workpiece.made_curves import picked_rows
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, curves_token, words


class GuideParams(Params):
    curves: tuple[str, ...] = ()


def apply(workpiece: Workpiece, params: GuideParams, context: Context) -> Workpiece:
    """Make curves guides: they help, and bound nothing.

    Raises what `picked_rows` raises.
    """
    rows = picked_rows(workpiece, params.curves, "to be a guide")
    drawing = workpiece.drawing
    fresh = frozenset(drawing.linework.ids[r] for r in rows.tolist())
    return replace(workpiece, drawing=replace(drawing, guides=drawing.guides | fresh))


def sentence(params: GuideParams, workpiece: Workpiece | None) -> Sentence:
    return [words("Make "), curves_token(params.curves), words(" a guide" if len(params.curves) == 1 else " guides")]


OPERATION = Operation(
    "guide",
    "tidy",
    "Make a guide",
    "Curves that help, and bound nothing",
    GuideParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
