"""Running a card: workpiece = run(card, sources). A step that can't be done says why, changes nothing, and the others
go on."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Mapping, Set
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

from tectogon.budget import watching
from tectogon.errors import InternalError, Note, PickGone, Place, TectogonError
from tectogon.operations import OPERATIONS, operation_named
from tectogon.route.cache import MemoryStore, Store
from tectogon.route.card import Card, Step, params_but_for, params_of
from tectogon.route.keys import Keys, first_keys, next_keys
from tectogon.workpiece.folded_views import followed, with_planes_apart
from tectogon.workpiece.model import FIRST_SHEET, Drawing, Workpiece
from tectogon.workpiece.operation import FACETS, Context, Facet, SourceFile
from tectogon.workpiece.parameters import Params, ProfileChoice
from tectogon.workpiece.profile_picks import likeliest
from tectogon.workpiece.sentence import Sentence, Token, plain

_log = logging.getLogger(__name__)
_FAULT = (
    "Step {step} met a fault of our own ({fault}) and was left out. Nothing recorded is lost: change a value of it, or"
    " switch it off."
)
Status = Literal["ok", "failed", "off"]
Progress = Callable[[int, int, str], None]
Drawn = Callable[[Workpiece, Keys], None]


_FIELDS: tuple[tuple[Facet, tuple[str, ...]], ...] = (
    ("linework", ("drawing", "sources")),
    ("placements", ("views", "planes")),
    ("bodies", ("bodies", "material", "materials", "sheet_metal", "art")),
)
"""Where each facet of a workpiece lies."""


@dataclass(frozen=True)
class StepReport:
    """What a step says and how it went."""

    number: int
    kind: str
    status: Status
    sentence: Sentence
    message: str = ""
    code: str = ""
    exit_status: int = 0
    place: Place = field(default_factory=Place)
    notes: tuple[Note, ...] = ()
    likely: Mapping[str, Any] | None = None
    """Where a pick is gone, the likeliest new one: the step's `field`, its `value`, and in `text` which it is."""

    def as_json(self) -> dict[str, Any]:
        return {
            "number": self.number,
            "kind": self.kind,
            "status": self.status,
            "sentence": plain(self.sentence),
            "tokens": [t.as_json() for t in self.sentence],
            "message": self.message,
            "code": self.code,
            "where": self.place.as_json(),
            "notes": [note.as_json() for note in self.notes],
            "likely": self.likely,
        }


@dataclass(frozen=True)
class Run:
    """The outcome of a card: a report for each step, the workpiece after the last, and its keys."""

    steps: tuple[StepReport, ...]
    workpiece: Workpiece
    keys: Keys
    settled: bool = True
    """Whether it came out as it did whatever the time it took: else nothing of it is kept."""

    @property
    def failed(self) -> StepReport | None:
        """The first step that failed, if any did."""
        return next((s for s in self.steps if s.status == "failed"), None)


def run_card(
    card: Card,
    sources: dict[str, Path],
    *,
    scope: str = "",
    store: Store | None = None,
    progress: Progress | None = None,
    drawn: Drawn | None = None,
) -> Run:
    """Run a card on source files given by name. Never raises for what a card or a file can cause; see each step's
    report.

    Results are shared within a `scope` only.  `drawn` is called with the workpiece and its keys as soon as the last
    step that changes the linework of a sheet is done, with that sheet in hand, before anything is kept. The workpiece
    that comes back has its first sheet in hand.
    """
    store = store or MemoryStore()
    files = {name: SourceFile(name, path, card.sources.get(name, "")) for name, path in sources.items()}
    hashes = {name: file.sha256 for name, file in files.items()}
    keys = first_keys(scope)
    workpiece = Workpiece()
    reports: list[StepReport] = []
    settled = True
    last = {step.sheet: step.number for step in card.steps if step.on and _writes_linework(step)}
    for n, step in enumerate(card.steps):
        if progress:
            progress(n, len(card.steps), sentence_of(step))
        keys = next_keys(keys, step, hashes)
        told = drawn if last.get(step.sheet) == step.number else None
        context = Context(step.number, files)
        if progress:
            context = replace(context, tell=_teller(progress, n, len(card.steps), sentence_of(step)))
        with watching() as clock:
            workpiece, report, fresh = _one(step, workpiece, context, keys, store)
            settled = settled and not clock.mattered
        if fresh and settled:
            if told:
                told(workpiece, keys)
            store.put(keys, workpiece)
        reports.append(report)
    store.trim()
    return Run(tuple(reports), workpiece.on_sheet(FIRST_SHEET), keys, settled)


def _teller(progress: Progress, n: int, steps: int, sentence: str) -> Callable[[str], None]:
    """How a step says how far it has come."""

    def tell(words: str) -> None:
        progress(n, steps, f"{words}, {sentence}")

    return tell


def _writes_linework(step: Step) -> bool:
    return step.kind in OPERATIONS and "linework" in OPERATIONS[step.kind].writes


def _one(
    step: Step, before: Workpiece, context: Context, keys: Keys, store: Store
) -> tuple[Workpiece, StepReport, bool]:
    """The workpiece after a step, how it went, and whether it was made just now."""
    if not step.on:
        return before, StepReport(step.number, step.kind, "off", tokens_of(step, before)), False
    after = store.get(keys.whole)
    if after is not None:
        return after, _done(step, before, after), False
    try:
        before = replace(_sheet_taken(before, step), as_steps=())
        after = _applied(step.kind, before, params_of(step), context)
        return after, _done(step, before, after), True
    except TectogonError as problem:
        likely = _likely(step, before) if isinstance(problem, PickGone) else None
        shown = problem.so_far if isinstance(problem.so_far, Workpiece) else before
        return shown, _failed(step, before, problem, likely), False
    except MemoryError:
        raise
    except Exception as fault:
        if os.environ.get("TECTOGON_STRICT"):
            raise
        _log.exception("step %s, %s", step.number, step.kind)
        return (
            before,
            _failed(step, before, InternalError(_FAULT.format(step=step.number, fault=type(fault).__name__))),
            False,
        )


def _failed(
    step: Step, before: Workpiece, problem: TectogonError, likely: Mapping[str, Any] | None = None
) -> StepReport:
    return StepReport(
        step.number,
        step.kind,
        "failed",
        tokens_of(step, before),
        problem.sentence,
        problem.code,
        problem.exit_status,
        problem.place,
        likely=likely,
    )


def _likely(step: Step, before: Workpiece) -> dict[str, Any] | None:
    params = params_of(step)
    for name in type(params).model_fields:
        value = getattr(params, name)
        found = likeliest(before, value) if isinstance(value, ProfileChoice) else None
        if found is not None:
            return {"field": name, "value": found[0].model_dump(mode="json"), "text": found[1]}
    return None


def _done(step: Step, before: Workpiece, after: Workpiece) -> StepReport:
    return StepReport(step.number, step.kind, "ok", tokens_of(step, after), notes=after.notes[len(before.notes) :])


def _sheet_taken(workpiece: Workpiece, step: Step) -> Workpiece:
    """The workpiece with the step's sheet in hand. Raises PickGone where there is none of the name and the step does
    not begin one."""
    if step.sheet not in workpiece.sheet_names and not operation_named(step.kind).begins_sheet:
        raise PickGone(f"The sheet “{step.sheet}” is gone: no step before this one draws anything on it.")
    return workpiece.on_sheet(step.sheet)


def _applied(name: str, before: Workpiece, params: Params, context: Context) -> Workpiece:
    """The workpiece after a step. What its kind does not declare to read it does not see, and what it does not declare
    to write it must leave alone: keys are made from that."""
    kind = operation_named(name)
    unseen = frozenset(FACETS) - kind.reads - kind.writes
    seen = replace(before, **_facets_of(Workpiece(), unseen))
    try:
        after = kind.apply(seen, params, context)
    except TectogonError as problem:
        if isinstance(problem.so_far, Workpiece):
            problem.so_far = replace(problem.so_far, **_facets_of(before, unseen))
        raise
    undeclared = [facet for facet in FACETS if facet not in kind.writes and _differ(seen, after, facet)]
    assert not undeclared, f"{name} changes {undeclared} and does not say so"
    after = replace(after, **_facets_of(before, unseen))
    return with_planes_apart(followed(before, after))


def _facets_of(workpiece: Workpiece, facets: Set[Facet]) -> dict[str, Any]:
    return {name: getattr(workpiece, name) for facet, names in _FIELDS if facet in facets for name in names}


def _differ(one: Workpiece, other: Workpiece, facet: Facet) -> bool:
    """Whether a facet was changed; a drawing by being another one, for it is large."""
    before, after = _facets_of(one, {facet}), _facets_of(other, {facet})
    pairs = ((before[name], after[name]) for name in before)
    return any(a is not b and (isinstance(a, Drawing) or a != b) for a, b in pairs)


def tokens_of(step: Step, workpiece: Workpiece | None) -> Sentence:
    """The sentence of a step, with its sheet where that is not the first; for a step that can't be understood, its kind
    in words."""
    where = [Token(f"On “{step.sheet}”: ")] if step.sheet else []
    try:
        known = workpiece is not None and step.sheet in workpiece.sheet_names
        own = workpiece.on_sheet(step.sheet) if workpiece is not None and known else None
        params, refused = params_but_for(step)
        told = operation_named(step.kind).sentence(params, own)
        return [*where, *(_as_typed(t, step) if t.field in refused else t for t in told)]
    except TectogonError:
        return [*where, Token(step.kind.replace("_", " ").capitalize())]


def _as_typed(token: Token, step: Step) -> Token:
    """A value that can't be read stays in its sentence as it was typed."""
    typed = step.params.get(token.field or "")
    if not isinstance(typed, str | int | float) or token.editor is None:
        return token
    return Token(str(typed), token.field, {**token.editor, "value": typed, "refused": True})


def sentence_of(step: Step) -> str:
    """The sentence of a step as plain text, before it is run."""
    return plain(tokens_of(step, None))
