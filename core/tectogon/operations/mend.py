"""Mend the linework: everything certain, everything of some kinds, or single findings; within a distance that nothing
moves beyond."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import field_validator

from tectogon.errors import BadValue, Note, NothingToBuild, PickGone, Unfinished
from tectogon.findings.finding import FINDING_KINDS
from tectogon.findings.mending import mend
from tectogon.findings.search import find_all, mend_certain
from tectogon.linework.edit import replaced
from tectogon.units import parse_length, show_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import PROPOSED, Params, ProposedLength
from tectogon.workpiece.sentence import Sentence, Token, choice_token, count_of, length_token, words

What = Literal["certain", "kinds", "picked"]
WHATS = {"certain": "everything that is certain", "kinds": "findings of some kinds", "picked": "single findings"}
MENDABLE = ("gap", "undershoot", "overshoot", "double", "short")


class MendParams(Params):
    """`picked` are keys of findings."""

    what: What = "certain"
    kinds: tuple[Literal["gap", "undershoot", "overshoot", "double", "short"], ...] = ()
    picked: tuple[str, ...] = ()
    distance: ProposedLength = PROPOSED

    @field_validator("distance")
    @classmethod
    def _some(cls, value: str | float) -> str | float:
        if value != PROPOSED and parse_length(value) <= 0:
            raise ValueError("The distance must be more than nothing; “proposed” takes the one worked out")
        return value


def apply(workpiece: Workpiece, params: MendParams, context: Context) -> Workpiece:
    """Mend what is certain, or what was picked, within a joining distance (mm).

    Raises Unfinished where nothing is chosen, NothingToBuild where nothing can be mended, BadValue, PickGone.
    """
    drawing = workpiece.drawing
    rows = drawing.bounding
    if not len(rows):
        raise NothingToBuild("There is no linework to mend.")
    table = drawing.linework.table.take(rows)
    distance = 0.0 if params.distance == PROPOSED else parse_length(params.distance)
    if params.distance != PROPOSED and not 0.0 < distance <= drawing.linework.size:
        raise BadValue(
            "The distance must be more than nothing and at most the size of the drawing; “proposed” takes the one"
            " worked out."
        )
    if params.what == "certain":
        done, used = mend_certain(table, within=distance or None, aside=drawing.set_aside)
        asked = done.done
    else:
        found = drawing.findings if params.what == "picked" else find_all(table, within=distance or None, offers=False)
        used = distance or max(found.joining.proposed, 0.0)
        if params.what == "kinds":
            chosen = [
                f
                for f in found.faults
                if f.kind in params.kinds and f.size <= (used if f.kind not in ("double", "short") else np.inf)
            ]
        else:
            by_key = {f.key(drawing.bounding_ids): f for f in found.faults}
            gone = [key for key in params.picked if key not in by_key]
            if gone:
                raise PickGone(
                    f"{count_of(len(gone), 'finding')} picked to be mended can't be found any more; look at the list"
                    " again."
                )
            chosen = [by_key[key] for key in params.picked]
            used = distance or max(
                [used, *(f.size * 1.0001 for f in chosen if f.kind in ("gap", "undershoot", "overshoot"))]
            )
        if not chosen:
            raise Unfinished(
                "Nothing is chosen to be mended: take everything that is certain, or press findings in the list."
            )
        asked = len(chosen)
        done = mend(table, chosen, within=used)
    if not done.done and asked:
        raise NothingToBuild(f"None of this can be mended within {show_length(used)}.")
    if (
        done.done
        and len(done.table) == len(table)
        and np.array_equal(done.table.data, table.data)
        and done.moved == 0.0
    ):
        raise NothingToBuild(
            "This would change nothing: what is left can't be settled by moving ends. Bridge it by hand."
        )
    linework = replaced(drawing.linework, rows, done.table, done.source, done.number)
    note = Note(
        "mended",
        f"{count_of(done.done, 'finding')} mended within {show_length(used)}; nothing moved by more than"
        f" {show_length(done.moved)}.",
    )
    return replace(workpiece, drawing=replace(drawing, linework=linework)).with_notes(note)


def sentence(params: MendParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Mend "), choice_token("what", params.what, WHATS)]
    if params.what == "kinds":
        shown = ", ".join(FINDING_KINDS[k][0].lower() for k in params.kinds) or "choose kinds"
        out += [
            words(": "),
            Token(shown, "kinds", {"type": "names", "value": list(params.kinds), "options": list(MENDABLE)}),
        ]
    elif params.what == "picked":
        shown = count_of(len(params.picked), "finding") if params.picked else "press them in the list"
        out += [words(": "), Token(shown, "picked", {"type": "findings", "value": list(params.picked)})]
    return [*out, words(" within "), length_token("distance", params.distance)]


OPERATION = Operation(
    "mend",
    "tidy",
    "Mend",
    "Pull ends together, extend, trim, drop doubles: all that is certain, or what you pick",
    MendParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
