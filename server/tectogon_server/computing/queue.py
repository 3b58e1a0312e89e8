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
from django.db import transaction
from django.db.models import Case, Count, Exists, F, OuterRef, Q, QuerySet, Subquery, Value, When
from django.db.models.functions import Coalesce, Now
from procrastinate.contrib.django import app

from tectogon_server.computing.models import Computation
from tectogon_server.database import have_to_oneself

State = Computation.State
_LOST_AFTER = timedelta(seconds=2)
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
        have_to_oneself(_TURN_LOCK)
        due = _due().first()
        if due is None:
            return None
        Computation.objects.filter(pk=due.pk).update(state=State.RUNNING, beat=Now(), attempts=F("attempts") + 1)
        due.state, due.attempts = State.RUNNING, due.attempts + 1
        return due


def _due() -> QuerySet[Computation]:
    """What may be taken up now, in the order of its turns."""
    children = settings.COMPUTE_CHILDREN
    running = Computation.objects.filter(state=State.RUNNING)
    free = Q(of_workshop__lt=max(1, children - 1), of_person__lt=max(1, children - 2))
    return (
        Computation.objects.filter(~Q(kind="picture") | Q(asked__lte=Now()), state=State.QUEUED)
        .exclude(Exists(running.filter(key=OuterRef("key"), kind=OuterRef("kind"))))
        .annotate(of_workshop=_count_of(running, "workshop"), of_person=_count_of(running, "user"), turn=_TURN)
        .filter(free)
        .order_by("of_workshop", "of_person", "turn", "asked")
    )


def _count_of(running: QuerySet[Computation], whose: str) -> Coalesce:
    """How many computations are at work for the same workshop, or person, as that of a row."""
    mine = running.filter(**{whose: OuterRef(whose)}).order_by().values(whose).annotate(n=Count("pk")).values("n")
    return Coalesce(Subquery(mine), 0)


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


_TURN = Case(
    When(Q(purpose="preview") | Q(kind__in=_QUESTIONS), then=Value(0)),
    When(purpose="saved", then=Value(1)),
    When(kind="picture", then=Value(3)),
    default=Value(2),
)
"""What is looked at first, then what is on record, then files, then pictures."""


def take_up_lost() -> int:
    """Put computations whose worker died back into the queue, and see to it that there is a ticket for whatever waits;
    returns how many were lost.

    One that was lost so often has probably been the death of its workers: it is given up, with a sentence.
    """
    lost = Computation.objects.filter(state=State.RUNNING, beat__lt=Now() - _LOST_AFTER)
    given_up = lost.filter(attempts__gte=_MOST_ATTEMPTS).update(
        state=State.FAILED,
        code="lost",
        message="This broke off several times and was given up. Nothing recorded is lost; change the last step.",
    )
    count = lost.filter(attempts__lt=_MOST_ATTEMPTS).update(state=State.QUEUED)
    waiting = Computation.objects.filter(state=State.QUEUED, asked__lt=Now() - timedelta(seconds=2)).exists()
    if count or waiting:
        wake()
    return count + given_up
