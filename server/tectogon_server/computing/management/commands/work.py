"""The worker: takes computations from the queue and has them done in warm children. Start as many as there are
machines."""

from __future__ import annotations

import logging
import os
import signal
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector

from tectogon_server.computing import housekeeping, pool

_log = logging.getLogger(__name__)


class Command(BaseCommand):
    help = "Take computations from the queue until stopped."
    requires_system_checks = ()  # of the pages; they take longer than the start itself

    def handle(self, *args: Any, **options: Any) -> None:
        settings.RESULTS.mkdir(parents=True, exist_ok=True)
        stopping = threading.Event()
        signal.signal(signal.SIGTERM, lambda *_: _leave(stopping))
        pool.warm_up()
        housekeeping.start(stopping)
        self.stdout.write("worker ready")
        self.stdout.flush()
        while not stopping.is_set():
            try:
                self._serve()
                break
            except KeyboardInterrupt:
                break
            except Exception:
                _log.warning("the database went away; trying again", exc_info=False)
                time.sleep(1.0)
        pool.close()
        self.stdout.flush()
        os._exit(0)  # not waiting for calls that were given up; what they were for is taken up by the next worker

    def _serve(self) -> None:
        connector = app.connector
        assert isinstance(connector, DjangoConnector)
        with app.replace_connector(connector.get_worker_connector()) as running:
            running.run_worker(
                queues=["compute"],
                concurrency=settings.CHILDREN_HERE,
                install_signal_handlers=True,
                fetch_job_polling_interval=1.0,
                shutdown_graceful_timeout=2.0,
                delete_jobs="always",
            )


def _leave(stopping: threading.Event) -> None:
    stopping.set()
    raise KeyboardInterrupt
