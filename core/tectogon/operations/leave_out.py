"""Leave curves out of the work: whole layers, or curves picked one by one. They stay in the file and can come back."""

from __future__ import annotations

from dataclasses import replace

from tectogon.errors import BadValue, PickGone
from tectogon.operations.fields import Params, Sentence, Token, count_of, words
from tectogon.operations.kind import Context, Kind
from tectogon.operations.workpiece import Workpiece


class LeaveOutParams(Params):
    layers: tuple[str, ...] = ()
    curves: tuple[str, ...] = ()


def apply(workpiece: Workpiece, params: LeaveOutParams, context: Context) -> Workpiece:
    if not params.layers and not params.curves:
        raise BadValue("Nothing is picked to leave out: pick curves on the sheet, or a layer.")
    linework = workpiece.drawing.linework
    names = {layer.name: n for n, layer in enumerate(linework.layers)}
    for name in params.layers:
        if name not in names:
            raise PickGone(f"The layer “{name[:80]}” is not in the drawing.")
    gone = [key for key in params.curves if key not in linework.row_of]
    if gone:
        raise PickGone(f"{count_of(len(gone), 'curve')} picked to be left out can't be found in the drawing any more; the first is {gone[0]}.")
    rows = {names[name] for name in params.layers}
    out = {linework.ids[i] for i, layer in enumerate(linework.layer_of.tolist()) if layer in rows} if rows else set()
    drawing = replace(workpiece.drawing, left_out=workpiece.drawing.left_out | out | set(params.curves))
    return replace(workpiece, drawing=drawing)


def sentence(params: LeaveOutParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Leave out ")]
    options = [layer.name for layer in workpiece.drawing.linework.layers] if workpiece else list(params.layers)
    layers = f"layer {params.layers[0]}" if len(params.layers) == 1 else count_of(len(params.layers), "layer")
    if params.layers or not params.curves:
        shown = layers if params.layers else "layers: choose"
        out.append(Token(shown, "layers", {"type": "names", "value": list(params.layers), "options": options}))
    if params.layers and params.curves:
        out.append(words(" and "))
    if params.curves:
        out.append(Token(count_of(len(params.curves), "curve"), "curves", {"type": "curves", "value": list(params.curves)}))
    return out


KIND = Kind(
    "leave_out", "bring_in", "Leave out", "Leave layers or picked curves out of the work; they stay in the file", LeaveOutParams, apply, sentence, draws=True
)
