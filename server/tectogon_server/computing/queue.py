"""Whose turn it is. The queue's jobs are tickets without a content: whoever holds one takes the computation that is
due, one after another.

Due is, first, what belongs to the workshop and then to the person with the least at work; then previews and what a
person waits for before what is on record, and that before files and pictures, which wait for their time; then the
oldest. One workshop never has all children at work, nor one person all of their workshop's, so that somebody who brings
in a hostile file keeps nobody else waiting. A computation whose key is at work already waits for that.
"""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db import connection, transaction
from django.db.models import Case, Count, Exists, F, IntegerField, OuterRef, Q, QuerySet, Subquery, Value, When
from django.db.models.functions import Coalesce
from django.utils import timezone
from procrastinate.contrib.django import app

from tectogon_server.computing.models import Computation

State = Computation.State
_LOST_AFTER = timedelta(seconds=3)
"""A computation under way says so four times a second."""
_MOST_ATTEMPTS = 4
_TURN_LOCK = 7_302_118
"""Number of the database's lock under which turns are given, so that two workers don't both give a workshop its last
one."""


def wake() -> None:
    """Put a ticket into the queue, when the transaction is through."""
    app.configure_task("work_off", queue="compute").defer()


def take_next() -> Computation | None:
    """The computation that is due, marked as running; None where nothing is, or nobody who waits may have more at
    work."""
    if not Computation.objects.filter(state=State.QUEUED).exists():
        return None
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_TURN_LOCK])
        found = _due().first()
        if found is None:
            return None
        found.state, found.beat, found.attempts = State.RUNNING, timezone.now(), found.attempts + 1
        found.save(update_fields=["state", "beat", "attempts"])
    return Computation.objects.select_related("part").get(pk=found.pk)


_QUESTIONS = (
    "check",
    "depths",
    "steps",
    "distance",
    "drawing",
    "printing",
    "weights",
    "blank",
    "clean",
    "library",
    "section",
    "issues",
    "solids",
)
"""Kinds of computation that somebody waits for before a screen."""


def _due() -> QuerySet[Computation]:
    running = Computation.objects.filter(state=State.RUNNING)
    children = settings.COMPUTE_CHILDREN
    rows: QuerySet[Computation] = Computation.objects.filter(state=State.QUEUED)
    return (
        rows.annotate(
            of_workshop=_number(running.filter(workshop=OuterRef("workshop")), "workshop"),
            of_person=_number(running.filter(user=OuterRef("user")), "user"),
            rank=Case(
                When(purpose="preview", then=Value(0)),
                When(kind__in=_QUESTIONS, then=Value(0)),
                When(purpose="saved", then=Value(1)),
                When(kind="picture", then=Value(3)),
                default=Value(2),
                output_field=IntegerField(),
            ),
        )
        .filter(Q(asked__lte=timezone.now()) | ~Q(kind="picture"))
        .filter(~Exists(running.filter(key=OuterRef("key"), kind=OuterRef("kind"))))
        .filter(of_workshop__lt=max(1, children - 1), of_person__lt=max(1, children - 2))
        .order_by(F("of_workshop").asc(), F("of_person").asc(), "rank", "asked")
    )


def _number(rows: QuerySet[Computation], by: str) -> Coalesce:
    return Coalesce(
        Subquery(rows.order_by().values(by).annotate(n=Count("pk")).values("n")[:1], output_field=IntegerField()),
        Value(0),
    )


def take_up_lost() -> int:
    """Put computations whose worker died back into the queue, and see to it that there is a ticket for whatever waits;
    returns how many were lost.

    One that was lost so often has probably been the death of its workers: it is given up, with a sentence.
    """
    lost = Computation.objects.filter(state=State.RUNNING, beat__lt=timezone.now() - _LOST_AFTER)
    given_up = lost.filter(attempts__gte=_MOST_ATTEMPTS).update(
        state=State.FAILED,
        code="lost",
        message="This broke off several times and was given up. Nothing recorded is lost; change the last step.",
    )
    count = lost.filter(attempts__lt=_MOST_ATTEMPTS).update(state=State.QUEUED)
    waiting = Computation.objects.filter(state=State.QUEUED, asked__lt=timezone.now() - timedelta(seconds=2)).exists()
    if count or waiting:
        wake()
    return count + given_up
