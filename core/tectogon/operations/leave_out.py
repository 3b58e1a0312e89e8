"""Leave curves out of the work: what is proposed, whole layers, kinds, line types, colours or blocks, a box, or curves
picked one by one.

They stay in the file and in the picture of the sheet, and can come back.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.curves.table import KIND_NAMES, BoolArray
from tectogon.errors import NothingToBuild, PickGone, Unfinished
from tectogon.findings.not_geometry import ASIDES
from tectogon.linework import Linework
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, Token, count_of, words

Proposal = Literal[
    "layer_off",
    "guides",
    "hidden",
    "layer",
    "border",
    "detail_circles",
    "item_numbers",
    "dimensions",
    "centre_marks",
    "hatching",
    "pictorial",
]
_HIDDEN = "hidden"
"""Dashed lines are no longer proposed; cards that leave them out still do."""
_WORDS = {**ASIDES, _HIDDEN: "dashed lines"}
CurveKind = Literal["line", "arc", "circle", "ellipse", "spline"]


class LeaveOutParams(Params):
    """Everything named is left out together. `inside` is a box on the sheet (mm); `only` turns it round: all but what
    is named goes."""

    proposals: tuple[Proposal, ...] = ()
    layers: tuple[str, ...] = ()
    kinds: tuple[CurveKind, ...] = ()
    linetypes: tuple[str, ...] = ()
    colours: tuple[str, ...] = ()
    blocks: tuple[str, ...] = ()
    inside: tuple[float, float, float, float] | None = None
    curves: tuple[str, ...] = ()
    only: bool = False


def kind_names(linework: Linework) -> list[str]:
    """What each curve is: line, arc, circle, ellipse or spline."""
    names = np.array(["line", "arc", "ellipse", "spline"], object)[linework.table.kind]
    names[linework.table.closed & (linework.table.kind == KIND_NAMES.index("arc"))] = "circle"
    return list(names)


def named(workpiece: Workpiece, params: LeaveOutParams) -> BoolArray:
    """Which curves the parameters name (n,). Raises PickGone for a name or a curve that is not in the drawing."""
    linework = workpiece.drawing.linework
    out = np.zeros(len(linework), bool)
    if params.proposals:
        known = dict(workpiece.drawing.asides)
        for kind in params.proposals:
            out[known.get(kind, np.zeros(0, np.int64))] = True
        if _HIDDEN in params.proposals:
            out |= linework.behind(~out)
    columns = (
        ("layer", params.layers, [layer.name for layer in linework.layers], linework.layer_of),
        ("line type", params.linetypes, [t.name for t in linework.linetypes], linework.linetype_of),
        ("colour", params.colours, list(linework.colours), linework.colour_of),
        ("block", params.blocks, list(linework.blocks), linework.block_of),
    )
    for what, names, known_names, column in columns:
        for name in names:
            numbers = [n for n, known_name in enumerate(known_names) if known_name == name]
            if not numbers:
                raise PickGone(f"The {what} “{name[:80]}” is not in the drawing.")
            out |= np.isin(column, numbers)
    if params.kinds:
        out |= np.isin(kind_names(linework), params.kinds)
    if params.inside:
        x0, y0, x1, y1 = params.inside
        b = linework.table.bounds
        out |= (b[:, 0] >= x0) & (b[:, 1] >= y0) & (b[:, 2] <= x1) & (b[:, 3] <= y1)
    gone = [key for key in params.curves if key not in linework.row_of]
    if gone and len(gone) == len(params.curves):
        raise PickGone(f"{count_of(len(gone), 'curve')} picked to be left out can't be found in the drawing any more.")
    out[[linework.row_of[key] for key in params.curves if key in linework.row_of]] = True
    return out


def apply(workpiece: Workpiece, params: LeaveOutParams, context: Context) -> Workpiece:
    """Leave curves out of the work; they stay in the drawing.

    Raises Unfinished where nothing is named, NothingToBuild where nothing would be left, and what `named` raises.
    """
    if params == LeaveOutParams() or params == LeaveOutParams(only=True):
        raise Unfinished("Nothing is picked to leave out: pick curves on the sheet, a layer, or what is proposed.")
    linework = workpiece.drawing.linework
    rows = named(workpiece, params)
    if params.only:
        rows = ~rows
    if rows.all() and len(rows):
        raise NothingToBuild("This would leave out everything there is in the drawing.")
    fresh = frozenset(linework.ids[i] for i in np.flatnonzero(rows).tolist())
    return replace(workpiece, drawing=replace(workpiece.drawing, left_out=workpiece.drawing.left_out | fresh))


def sentence(params: LeaveOutParams, workpiece: Workpiece | None) -> Sentence:
    linework = workpiece.drawing.linework if workpiece else Linework()
    parts: list[Token] = []

    def names(field: str, value: tuple[str, ...], one: str, options: list[str], shown: str | None = None) -> None:
        if value:
            text = shown or (f"{one} {value[0]}" if len(value) == 1 else count_of(len(value), one))
            parts.append(
                Token(
                    text,
                    field,
                    {"type": "names", "value": list(value), "options": list(dict.fromkeys([*options, *value]))},
                )
            )

    found: list[str] = [kind for kind, _ in workpiece.drawing.asides] if workpiece else [*params.proposals]
    names("proposals", params.proposals, "proposal", found, ", ".join(_WORDS[p] for p in params.proposals))
    names("layers", params.layers, "layer", [layer.name for layer in linework.layers])
    names(
        "kinds",
        params.kinds,
        "kind of curve",
        ["line", "arc", "circle", "ellipse", "spline"],
        " and ".join(f"every {k}" for k in params.kinds),
    )
    names("linetypes", params.linetypes, "line type", [t.name for t in linework.linetypes])
    names("colours", params.colours, "colour", list(linework.colours))
    names("blocks", params.blocks, "block", list(linework.blocks))
    if params.inside:
        parts.append(Token("everything inside a box", "inside", {"type": "box", "value": list(params.inside)}))
    if params.curves:
        parts.append(
            Token(count_of(len(params.curves), "curve"), "curves", {"type": "curves", "value": list(params.curves)})
        )
    if not parts:
        names(
            "layers",
            ("",),
            "layer",
            [layer.name for layer in linework.layers],
            "layers: choose, or pick curves on the sheet",
        )
        parts[0] = replace(parts[0], editor={**(parts[0].editor or {}), "value": []})
    out = [words("Leave out all but " if params.only else "Leave out ")]
    for n, part in enumerate(parts):
        out += [words(" and " if n == len(parts) - 1 else ", ")] if n else []
        out.append(part)
    return out


OPERATION = Operation(
    "leave_out",
    "bring_in",
    "Leave out",
    "Leave layers, kinds, blocks, a box or picked curves out of the work; they stay in the file",
    LeaveOutParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
    serves="leaves_out",
)
