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
    with connection.cursor() as cursor:
        cursor.execute("SELECT EXISTS (SELECT FROM computing_computation WHERE state = 'queued')")
        if not cursor.fetchone()[0]:
            return None
        with transaction.atomic():
            cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_TURN_LOCK])
            children = settings.COMPUTE_CHILDREN
            most = {"workshop": max(1, children - 1), "person": max(1, children - 2)}
            return next(iter(Computation.objects.raw(_TAKE, {"questions": list(_QUESTIONS), **most})), None)


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


_TAKE = """
WITH running AS (
    SELECT workshop_id, user_id, key, kind FROM computing_computation WHERE state = 'running'
), waiting AS (
    SELECT id, asked, kind, purpose,
        (SELECT count(*) FROM running WHERE running.workshop_id = c.workshop_id) AS of_workshop,
        (SELECT count(*) FROM running WHERE running.user_id = c.user_id) AS of_person
    FROM computing_computation c
    WHERE state = 'queued' AND (kind <> 'picture' OR asked <= clock_timestamp())
        AND NOT EXISTS (SELECT FROM running WHERE running.key = c.key AND running.kind = c.kind)
), due AS (
    SELECT id FROM waiting
    WHERE of_workshop < %(workshop)s AND of_person < %(person)s
    ORDER BY of_workshop, of_person,
        CASE WHEN purpose = 'preview' OR kind = ANY(%(questions)s) THEN 0
            WHEN purpose = 'saved' THEN 1 WHEN kind = 'picture' THEN 3 ELSE 2 END,
        asked
    LIMIT 1
)
UPDATE computing_computation c SET state = 'running', beat = clock_timestamp(), attempts = attempts + 1
FROM due WHERE c.id = due.id
RETURNING c.*
"""
"""Written out: putting it together anew each time took a fifth of a worker's time."""


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
