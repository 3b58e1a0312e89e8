"""The worker: takes computations from the queue and has them done in warm children."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import signal
import threading
from pathlib import Path

import uvloop
from django.conf import settings
from django.db import DatabaseError, connection
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector
from psycopg_pool.base import AttemptWithBackoff

from tectogon_server.computing import housekeeping, pool

_log = logging.getLogger(__name__)
_ASK_SECONDS = 0.2


def work(beat: Path) -> None:
    """Take computations from the queue until told to stop, touching the file `beat` meanwhile; does not return."""
    settings.RESULTS.mkdir(parents=True, exist_ok=True)
    AttemptWithBackoff.INITIAL_DELAY, AttemptWithBackoff.DELAY_BACKOFF = _ASK_SECONDS, 1.0
    stopping = threading.Event()
    signal.signal(signal.SIGTERM, lambda *_: _leave(stopping))
    pool.warm_up()
    housekeeping.start(stopping, beat)
    while not stopping.is_set():
        try:
            _serve()
            break
        except KeyboardInterrupt:
            break
        except Exception:
            _log.warning("the database went away", exc_info=False)
            with contextlib.suppress(KeyboardInterrupt):
                _until_it_is_back(stopping)
    pool.close()
    os._exit(0)  # not waiting for calls that were given up; what they were for is taken up by the next worker


def _serve() -> None:
    connector = app.connector
    assert isinstance(connector, DjangoConnector)
    asyncio.set_event_loop_policy(uvloop.EventLoopPolicy())
    with app.replace_connector(connector.get_worker_connector()) as running:
        running.run_worker(
            queues=["compute"],
            concurrency=settings.CHILDREN_HERE,
            install_signal_handlers=True,
            fetch_job_polling_interval=1.0,
            shutdown_graceful_timeout=2.0,
            delete_jobs="always",
        )


def _until_it_is_back(stopping: threading.Event) -> None:
    """Ask for the database at short intervals, as the queue's pool of connections does."""
    while not stopping.wait(_ASK_SECONDS):
        with contextlib.suppress(DatabaseError):
            connection.close()
            connection.ensure_connection()
            return


def _leave(stopping: threading.Event) -> None:
    stopping.set()
    raise KeyboardInterrupt
