"""Read a source into the sheet: its linework in millimetres."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import AfterValidator

from tectogon.curves import affine
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild
from tectogon.formats import OPTIONS, ReadOptions, read_drawing
from tectogon.formats.options import Option
from tectogon.formats.result import BOARD_FORMATS
from tectogon.formats.unit import unit_evidence
from tectogon.linework import Linework, identity
from tectogon.linework.evidence import doubts
from tectogon.units import UNIT_WORDS, mm_per_unit, short_unit
from tectogon.workpiece.model import Source, Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, Token, choice_token, count_of, number_token, words


def _known(unit: str) -> str:
    try:
        if unit != "auto":
            mm_per_unit(unit)
    except BadValue as bad:
        raise ValueError(bad.sentence) from None
    return unit


class ReadParams(ReadOptions, Params):
    """`unit` is the length of one unit of the file: a name, a number of mm, or auto for the one proposed.

    `place`: at the file's own coordinates, or to the right of what is there.
    """

    source: str
    unit: Annotated[str, AfterValidator(_known)] = "auto"
    place: Literal["own", "beside", "auto"] = "own"
    """Where it comes to lie. auto: beside what is there, and layers of one board on each other."""


def apply(workpiece: Workpiece, params: ReadParams, context: Context) -> Workpiece:
    """Read a source: its linework in mm, ids from this step.

    Raises what `read_drawing` raises, NothingToBuild for a file without curves.
    """
    file = context.source(params.source)
    result = read_drawing(file.path, params, called=params.source)
    evidence = unit_evidence(result)
    unit = evidence.proposed if params.unit == "auto" else params.unit
    linework = result.linework.scaled(mm_per_unit(unit))
    if not len(linework):
        skipped = ", ".join(f"{n} {kind.lower()}" for kind, n in linework.skipped) or "nothing at all"
        raise NothingToBuild(f"{params.source} holds no lines, arcs or curves to work with; found: {skipped}.")
    source = Source(
        params.source,
        file.sha256,
        result.format,
        result.version,
        unit,
        evidence,
        context.number,
        params.unit != "auto",
        result.curve_sets,
        result.pages,
        result.options,
    )
    marked = identity.of_source(context.number, tuple(m.curve for m in linework.marks))
    linework = replace(
        linework,
        ids=identity.of_source(context.number, linework.ids),
        marks=tuple(replace(m, curve=key) for m, key in zip(linework.marks, marked, strict=True)),
        pictures=tuple(replace(p, name=params.source) for p in linework.pictures),
    )
    if _stands_beside(params, workpiece, source) and len(workpiece.drawing.linework):
        linework = linework.transformed(_beside(workpiece.drawing.linework.extents, linework.extents))
    drawing = replace(workpiece.drawing, linework=Linework.beside(workpiece.drawing.linework, linework))
    return replace(workpiece, drawing=drawing, sources=(*workpiece.sources, source)).with_notes(
        *linework.notes, *doubts(linework)
    )


def _stands_beside(params: ReadParams, workpiece: Workpiece, source: Source) -> bool:
    layered = source.format in BOARD_FORMATS and any(s.format in BOARD_FORMATS for s in workpiece.sources)
    return params.place == "beside" or (params.place == "auto" and not layered)


def _beside(there: FloatArray, new: FloatArray) -> FloatArray:
    """To the right of what is there, a tenth of its width away, feet level."""
    gap = 0.1 * max(float(there[2] - there[0]), float(there[3] - there[1]), 1.0)
    return affine.moved(float(there[2] + gap - new[0]), float(there[1] - new[1]))


def sentence(params: ReadParams, workpiece: Workpiece | None) -> Sentence:
    source = next((s for s in workpiece.sources if s.name == params.source), None) if workpiece else None
    out = [
        words("Read "),
        Token(params.source, "source", {"type": "source", "value": params.source}),
        words(" in " if source is None or source.unit in UNIT_WORDS else " at "),
    ]
    auto = short_unit(source.evidence.proposed) if source else "its own unit"
    options = {"auto": f"{auto} (as proposed)", **{u: f"{u}, {UNIT_WORDS[u]}" for u in UNIT_WORDS}}
    if params.unit != "auto":
        options.setdefault(params.unit, short_unit(params.unit))
    token = choice_token("unit", params.unit, options)
    out.append(replace(token, text=auto if params.unit == "auto" else short_unit(params.unit)))
    if params.place != "own" and not (params.place == "auto" and workpiece and len(workpiece.sources) < 2):
        out += [words(", "), choice_token("place", params.place, _PLACES)]
    for option in OPTIONS.values():
        out += _option_tokens(option, getattr(params, option.name))
    if source and workpiece:
        ids = workpiece.drawing.linework.ids
        mine = len(ids) if len(workpiece.sources) == 1 else sum(identity.is_of_source(key, source.step) for key in ids)
        out.append(words(f", {count_of(mine, 'curve')}"))
    return out


_PLACES = {
    "own": "at its own coordinates",
    "beside": "beside what is there",
    "auto": "beside what is there, a board's layers on each other",
}


def _option_tokens(option: Option, value: Any) -> list[Token]:
    """What the sentence says of an option of reading: nothing where it has its usual value."""
    if value == option.usual:
        return []
    if option.described.editor == "choice":
        return [words(", "), choice_token(option.name, value, dict(option.described.words))]
    said = option.sentence(value)
    if said is None:
        return []
    before, after = said
    if option.described.editor == "number":
        return [words(f", {before}"), number_token(option.name, value), words(after)]
    shown = option.described.words.get(str(value).lower(), value) if "{}" in option.described.sentence else ""
    return [words(f", {before}{shown}{after}")]


OPERATION = Operation(
    "read",
    "bring_in",
    "Add a source",
    "Bring in another drawing file",
    ReadParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
    begins_sheet=True,
    offered=False,
    serves="reads_file",
)
