"""The jobs in the queue. A job takes ids, may run twice, and leaves what it found in the row it was asked by."""

from __future__ import annotations

import logging
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import close_old_connections
from django.utils import timezone
from procrastinate.contrib.django import app
from tectogon.errors import TectogonError

from tectogon_server.computing import pool, results
from tectogon_server.computing.events import tell
from tectogon_server.computing.models import Computation
from tectogon_server.computing.shelf import keep_on_shelf
from tectogon_server.parts.models import Part

State = Computation.State
_log = logging.getLogger(__name__)
_LOST_AFTER = timedelta(seconds=20)


def put_in_queue(computation: Computation) -> None:
    compute.configure(priority=5 if computation.purpose == "preview" else 3).defer(computation_id=str(computation.pk))


@app.task(name="compute", queue="compute")
def compute(computation_id: str) -> None:
    """Do one computation and say how it went."""
    close_old_connections()
    taken = Computation.objects.filter(pk=computation_id, state__in=(State.QUEUED, State.RUNNING)).update(state=State.RUNNING, beat=timezone.now())
    if not taken:
        return
    computation = Computation.objects.select_related("part").get(pk=computation_id)
    try:
        _do(computation)
    except TectogonError as problem:
        _finish(computation, State.STOPPED if isinstance(problem, pool.Stopped) else State.FAILED, problem.sentence, problem.code)
    except Exception:
        _log.exception("computation %s", computation_id)
        _finish(computation, State.FAILED, "An error of our own broke this computation off. Nothing recorded is lost.", "internal_error")
    else:
        _finish(computation, State.DONE, "", "")
        if computation.purpose == "saved":
            _draw(computation.part_id)


def _do(computation: Computation) -> None:
    files = results.source_files(computation.workshop_id, computation.card.get("sources", {}))
    folder = str(settings.RESULTS)
    if computation.kind != "run":
        _call(computation, computation.kind, computation.card, files, folder, computation.key, computation.options)
        return
    progress = results.path_of(str(computation.pk), "progress")
    try:
        report = _call(computation, "run", computation.card, files, folder, str(progress), progress=progress)
    finally:
        progress.unlink(missing_ok=True)
    if computation.purpose == "saved":
        keep_on_shelf(computation.part, report)


def _call(computation: Computation, name: str, *args: Any, progress: Path | None = None) -> Any:
    told = drawn = ""
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
        changes: dict[str, Any] = {"beat": timezone.now()}
        if facts.get("drawn", "") != drawn:
            drawn = facts["drawn"]
            tell(computation.workshop_id, "drawn", computation=str(computation.pk), part=computation.part_id)
        if text and text != told:
            told = changes["progress"] = text
            tell(computation.workshop_id, "progress", computation=str(computation.pk), part=computation.part_id, text=text)
        return bool(Computation.objects.filter(pk=computation.pk, state=State.RUNNING).update(**changes))

    return pool.compute(name, *args, seconds=settings.COMPUTE_SECONDS, wanted=wanted, news=news)


def _finish(computation: Computation, state: str, message: str, code: str) -> None:
    open_states = (State.RUNNING, State.STOPPED) if state == State.STOPPED else (State.RUNNING,)
    Computation.objects.filter(pk=computation.pk, state__in=open_states).update(state=state, message=message[:1000], code=code)
    tell(computation.workshop_id, "computation", computation=str(computation.pk), part=computation.part_id, state=state)


@app.task(name="draw_picture", queue="compute")
def draw_picture(part_id: int) -> None:
    """The small picture on the shelf, after the part itself is on the screen."""
    close_old_connections()
    _draw(part_id)


def _draw(part_id: int) -> None:
    part = Part.objects.select_related("head").filter(pk=part_id).first()
    if part is None or part.head is None:
        return
    files = results.source_files(part.workshop_id, part.head.card.get("sources", {}))
    try:
        data = pool.compute("picture", part.head.card, files, str(settings.RESULTS), seconds=60)
    except TectogonError:
        return
    Part.objects.filter(pk=part_id).update(picture=data)
    tell(part.workshop_id, "picture", part=part_id)


def take_up_lost() -> int:
    """Put computations whose worker died back into the queue; returns how many."""
    lost = Computation.objects.filter(state=State.RUNNING, beat__lt=timezone.now() - _LOST_AFTER)
    count = 0
    for computation in lost:
        if Computation.objects.filter(pk=computation.pk, state=State.RUNNING, beat=computation.beat).update(state=State.QUEUED):
            put_in_queue(computation)
            count += 1
    return count


@app.periodic(cron="* * * * * */10")
@app.task(name="take_up_lost", queue="compute", queueing_lock="take_up_lost", pass_context=False)
def look_for_lost(timestamp: int) -> None:
    """Every ten seconds: computations of workers that died are done by another."""
    close_old_connections()
    take_up_lost()
