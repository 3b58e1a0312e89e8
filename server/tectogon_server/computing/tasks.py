"""Doing computations. The queue's job is a ticket (see queue.py); what is found is left in the row it was asked by, and
doing it twice does no harm."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import InterfaceError, OperationalError, close_old_connections, transaction
from django.db.models.functions import Now
from procrastinate import JobContext
from procrastinate.contrib.django import app
from tectogon.errors import TectogonError

from tectogon_server.computing import pool, queue, results
from tectogon_server.computing.models import Computation
from tectogon_server.computing.requests import ask_picture
from tectogon_server.computing.shelf import keep_failure, keep_on_shelf, keep_picture
from tectogon_server.news import tell

State = Computation.State
_log = logging.getLogger(__name__)
_PICTURE_SECONDS = 60.0
_OPEN_MESH = (
    "The mesh that was written is not closed everywhere; a printer may refuse it. Take a finer chord tolerance, or"
    " STEP."
)


@app.task(name="work_off", queue="compute", pass_context=True)
def work_off(context: JobContext) -> None:
    """Do what is due until nothing is, or the worker is to stop. A worker whose children are away for the moment leaves
    it to another, if there is one."""
    close_old_connections()
    pool.has_answer(meanwhile=queue.wake)
    while not context.should_abort() and (computation := queue.take_next()) is not None:
        compute(computation)


def compute(computation: Computation) -> None:
    """Do one computation and say how it went."""
    try:
        _do(computation)
    except TectogonError as problem:
        _finish(
            computation,
            State.STOPPED if isinstance(problem, pool.Stopped) else State.FAILED,
            problem.sentence,
            problem.code,
        )
    except (OperationalError, InterfaceError):
        raise  # the database is away: it is taken up again as lost
    except Exception:
        _log.exception("computation %s", computation.pk)
        _finish(
            computation,
            State.FAILED,
            "An error of our own broke this computation off. Nothing recorded is lost.",
            "internal_error",
        )


def _do(computation: Computation) -> None:
    if computation.kind == "picture":
        _picture(computation)
        _finish(computation, State.DONE)
        return
    files, folder, scope = _given(computation)
    if computation.kind != "run":
        found = _call(
            computation, computation.kind, computation.card, files, folder, scope, computation.key, computation.options
        )
        results.hand_over(found["key"], "file", anew=True)
        _finish(computation, State.DONE, _OPEN_MESH if found.get("watertight") is False else "", key=found["key"])
        return
    report = results.report_of(computation.key)
    if report is None:
        progress = results.path_of(str(computation.pk), "progress")
        try:
            report = _call(computation, "run", computation.card, files, folder, scope, str(progress), progress=progress)
        finally:
            progress.unlink(missing_ok=True)
    results.hand_over_report(report)
    _finish_run(computation, report)


def _finish_run(computation: Computation, report: dict[str, Any]) -> None:
    """A preview has ended, if it did not become the one on record meanwhile; the one on record goes on the shelf."""
    key = report["keys"]["whole"]
    if computation.purpose == "preview" and _finish(computation, State.DONE, key=key, still={"purpose": "preview"}):
        return
    with transaction.atomic():
        if keep_on_shelf(computation.part_id, report):
            ask_picture(computation)
            tell(computation.workshop_id, "shelf", part=computation.part_id)
        _finish(computation, State.DONE, key=key)


def _given(computation: Computation) -> tuple[dict[str, str], str, str]:
    """The sources as files, the folder for results, and whose they are."""
    sources = computation.card.get("sources", {})
    files = results.source_files(computation.workshop_id, sources, partial(_beat, computation))
    return files, str(settings.RESULTS), results.scope_of(computation.workshop_id)


def _call(computation: Computation, name: str, *args: Any, progress: Path | None = None) -> Any:
    told = ""
    drawn: dict[str, str] = {}
    written = 0

    def news() -> bool:
        """Whether the child has said something since this was asked last."""
        nonlocal written
        before, written = written, results.written_at(progress) if progress else 0
        return written != before

    def wanted() -> bool:
        nonlocal told, drawn
        facts = results.progress_of(computation) if progress else {}
        text = f"{facts['step']} of {facts['steps']}: {facts['text']}"[:300] if facts.get("text") else ""
        changes: dict[str, Any] = {}
        if facts.get("drawn", {}) != drawn:
            drawn = facts["drawn"]
            for key in drawn.values():
                results.hand_over(key, "lines")
            results.hand_over(str(computation.pk), "progress", anew=True)
            computation.tell("drawn")
        if text and text != told:
            told = changes["progress"] = text
            computation.tell("progress", text=text)
        return _beat(computation, **changes)

    def at_work() -> str:
        facts = results.progress_of(computation) if progress else {}
        return f"operation {facts['step']} of {facts['steps']}, {facts['text'][:120]}" if facts.get("text") else ""

    return pool.compute(name, *args, seconds=settings.COMPUTE_SECONDS, wanted=wanted, news=news, at_work=at_work)


def _beat(computation: Computation, **changes: Any) -> bool:
    """Say that a computation is under way; whether it still is wanted."""
    return bool(Computation.objects.filter(pk=computation.pk, state=State.RUNNING).update(beat=Now(), **changes))


def _finish(
    computation: Computation,
    state: str,
    message: str = "",
    code: str = "",
    *,
    key: str = "",
    still: Mapping[str, str] | None = None,
) -> bool:
    """Say how it went, and under which `key` its results lie; nothing is done where it no longer is what it is to be
    `still`."""
    open_states = (State.RUNNING, State.STOPPED) if state == State.STOPPED else (State.RUNNING,)
    ended = Computation.objects.filter(pk=computation.pk, state__in=open_states, **(still or {})).update(
        state=state, message=message[:1000], code=code, key=key or computation.key
    )
    if (
        ended
        and state == State.FAILED
        and computation.kind == "run"
        and keep_failure(computation.part_id, computation.key)
    ):
        tell(computation.workshop_id, "shelf", part=computation.part_id)
    if ended or not still:
        computation.tell("computation", state=state)
    return bool(ended)


def _picture(computation: Computation) -> None:
    """The small picture on the shelf, after the part itself is on the screen."""
    try:
        files, folder, scope = _given(computation)
        beat = partial(_beat, computation)
        data = pool.compute("picture", computation.card, files, folder, scope, seconds=_PICTURE_SECONDS, wanted=beat)
    except TectogonError:
        return
    if keep_picture(computation.part_id, computation.key, data):
        tell(computation.workshop_id, "shelf", part=computation.part_id)
