"""Read a source into the sheet: its linework in millimetres."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import AfterValidator

from tectogon.curves import CurveTable
from tectogon.errors import BadValue, NothingToBuild
from tectogon.formats import ReadOptions, read_drawing
from tectogon.linework import Linework
from tectogon.linework.evidence import weigh_unit
from tectogon.operations.fields import Params, Sentence, Token, choice_token, count_of, words
from tectogon.operations.kind import Context, Kind
from tectogon.operations.workpiece import Drawing, Source, Workpiece
from tectogon.units import UNIT_WORDS, mm_per_unit


def _known(unit: str) -> str:
    try:
        if unit != "auto":
            mm_per_unit(unit)
    except BadValue as bad:
        raise ValueError(bad.sentence) from None
    return unit


class ReadParams(ReadOptions, Params):
    """`unit` is the length of one unit of the file: a name, a number of mm, or auto for the one proposed."""

    source: str
    unit: Annotated[str, AfterValidator(_known)] = "auto"


def apply(workpiece: Workpiece, params: ReadParams, context: Context) -> Workpiece:
    file = context.source(params.source)
    result = read_drawing(file.path, params, called=params.source)
    evidence = weigh_unit(result.linework, result.declared_unit, result.kind_says)
    unit = evidence.proposed if params.unit == "auto" else params.unit
    linework = result.linework.scaled(mm_per_unit(unit))
    if not len(linework):
        skipped = ", ".join(f"{n} {kind.lower()}" for kind, n in linework.skipped) or "nothing at all"
        raise NothingToBuild(f"{params.source} holds no lines, arcs or curves to work with; found: {skipped}.")
    source = Source(params.source, file.sha256, result.format, result.version, unit, evidence)
    number = len(workpiece.sources) + 1
    linework = replace(linework, ids=tuple(f"s{number}:{key}" for key in linework.ids))
    drawing = Drawing(_beside(workpiece.drawing.linework, linework), workpiece.drawing.left_out, workpiece.drawing.join_tol)
    return replace(workpiece, drawing=drawing, sources=(*workpiece.sources, source)).with_notes(*linework.notes)


def _beside(first: Linework, second: Linework) -> Linework:
    """A second source joins the first on one sheet, its layers kept apart."""
    if not len(first):
        return second
    return Linework(
        table=CurveTable.join([first.table, second.table]),
        ids=first.ids + second.ids,
        layer_of=np.concatenate([first.layer_of, second.layer_of + len(first.layers)]),
        linetype_of=np.concatenate([first.linetype_of, second.linetype_of + len(first.linetypes)]),
        colour_of=np.concatenate([first.colour_of, second.colour_of + len(first.colours)]),
        layers=first.layers + second.layers,
        linetypes=first.linetypes + second.linetypes,
        colours=first.colours + second.colours,
        blocks=first.blocks + second.blocks,
        texts=first.texts + second.texts,
        stated=first.stated + second.stated,
        entities=first.entities + second.entities,
        skipped=first.skipped + second.skipped,
        notes=first.notes + second.notes,
    )


def sentence(params: ReadParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Read "), Token(params.source, "source", {"type": "source", "value": params.source}), words(" in ")]
    source = next((s for s in workpiece.sources if s.name == params.source), None) if workpiece else None
    auto = f"{source.evidence.proposed}" if source else "its own unit"
    options = {"auto": f"{auto} (as proposed)", **{u: f"{u}, {UNIT_WORDS[u]}" for u in UNIT_WORDS}}
    token = choice_token("unit", params.unit, options)
    out.append(replace(token, text=auto if params.unit == "auto" else params.unit))
    if source and workpiece:
        out.append(words(f", {count_of(len(workpiece.drawing.linework), 'curve')}"))
    return out


KIND = Kind("read", "bring_in", "Add a source", "Bring in another drawing file", ReadParams, apply, sentence, draws=True)
