"""Draw the part: how its drawing sheet is to look. The sheet itself is drawn when it is looked at or handed over."""

from __future__ import annotations

from typing import Literal

from tectogon.errors import PickGone
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, choice_token, words

SheetName = Literal["auto", "A4", "A3", "A2", "A1", "A0"]
ScaleName = Literal["auto", "10:1", "5:1", "2:1", "1:1", "1:2", "1:5", "1:10", "1:20", "1:50", "1:100"]
SHEETS = {"auto": "a sheet that suits", **{name: name for name in ("A4", "A3", "A2", "A1", "A0")}}
SCALES = {
    "auto": "in a scale that suits",
    **{f"{a}:{b}": f"{a} : {b}" for a, b in ((10, 1), (5, 1), (2, 1), (1, 1), (1, 2), (1, 5), (1, 10))},
    **{f"1:{b}": f"1 : {b}" for b in (20, 50, 100)},
}
ANGLES = {"first": "in first angle", "third": "in third angle"}
SIZES = {"all": "with all dimensions", "none": "without dimensions"}
PICTORIALS = {"with": "with a pictorial view", "without": "without a pictorial view"}


class DrawSheetParams(Params):
    sheet: SheetName = "auto"
    scale: ScaleName = "auto"
    projection: Literal["first", "third"] = "first"
    dimensions: Literal["all", "none"] = "all"
    pictorial: Literal["with", "without"] = "with"


def apply(workpiece: Workpiece, params: DrawSheetParams, context: Context) -> Workpiece:
    """Changes nothing of the part. Raises PickGone where there is no body to draw."""
    if not workpiece.bodies:
        raise PickGone("There is no body to draw yet; build one first.")
    return workpiece


def sentence(params: DrawSheetParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Draw the part on "),
        choice_token("sheet", params.sheet, SHEETS),
        words(", "),
        choice_token("scale", params.scale, SCALES),
        words(", "),
        choice_token("projection", params.projection, ANGLES),
        words(", "),
        choice_token("dimensions", params.dimensions, SIZES),
        words(", "),
        choice_token("pictorial", params.pictorial, PICTORIALS),
    ]


OPERATION = Operation(
    "draw_sheet",
    "hand_over",
    "Draw the sheet",
    "Views, dimensions, frame and title block",
    DrawSheetParams,
    apply,
    sentence,
    reads=BODIES,
    writes=frozenset(),
    wants="body",
    serves="draws_sheet",
)
