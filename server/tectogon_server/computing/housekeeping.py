"""What keeps the site from growing and stalling, done by every worker in a thread of its own: never behind other work
in the queue.

Lost computations are taken up every few seconds; results are kept within their budget, rows and jobs that ended
removed.
"""

from __future__ import annotations

import logging
import threading
import time
from datetime import timedelta
from pathlib import Path

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.sessions.models import Session
from django.db import DatabaseError, close_old_connections, connection
from django.utils import timezone

from tectogon_server.computing import queue, results
from tectogon_server.computing.models import Computation, Handover
from tectogon_server.database import forget_used_tickets

_log = logging.getLogger(__name__)
_EVERY, _ROOM_EVERY, _TIDY_EVERY = 0.5, 10.0, 60.0
_ATTEMPTS_KEPT = timedelta(days=1)
_HANDED_OVER_KEPT = timedelta(minutes=10)
_FULL = 0.8
"""Room is made from this share of the budget on, so that what is written until the next look still fits."""
_OPEN = (Computation.State.QUEUED, Computation.State.RUNNING)


def start(stopping: threading.Event, beat: Path) -> threading.Thread:
    """Keep house until `stopping` is set. The file `beat` is touched as long as this goes on."""
    thread = threading.Thread(target=_keep_house, args=(stopping, beat), daemon=True, name="housekeeping")
    thread.start()
    return thread


def _keep_house(stopping: threading.Event, beat: Path) -> None:
    made_room = tidied = -_TIDY_EVERY
    while not stopping.wait(_EVERY):
        try:
            close_old_connections()
            beat.touch()
            queue.take_up_lost()
            if time.monotonic() - made_room >= _ROOM_EVERY:
                made_room = time.monotonic()
                results.make_room(int(_FULL * settings.RESULTS_BUDGET))
            if time.monotonic() - tidied >= _TIDY_EVERY:
                tidied = time.monotonic()
                tidy()
        except (DatabaseError, OSError):
            _log.warning("housekeeping has to wait", exc_info=False)
    connection.close()


def tidy() -> None:
    """Remove rows that nobody will ask for any more."""
    old = timezone.now() - timedelta(days=settings.COMPUTATIONS_KEPT_DAYS)
    Computation.objects.filter(asked__lt=old).exclude(state__in=_OPEN).delete()
    Session.objects.filter(expire_date__lt=timezone.now()).delete()
    AccessAttempt.objects.filter(attempt_time__lt=timezone.now() - _ATTEMPTS_KEPT).delete()
    Handover.objects.filter(made__lt=timezone.now() - _HANDED_OVER_KEPT).delete()
    forget_jobs()


def forget_jobs() -> None:
    """Tickets that are used up, or whose worker is gone: what they were for stands in the computations, so none of them
    is missed."""
    forget_used_tickets()
