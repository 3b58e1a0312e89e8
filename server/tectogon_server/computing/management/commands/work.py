"""The worker: takes computations from the queue and has them done in warm children. Start as many as there are machines."""

from __future__ import annotations

import logging
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

    def _serve(self) -> None:
        connector = app.connector
        assert isinstance(connector, DjangoConnector)
        with app.replace_connector(connector.get_worker_connector()) as running:
            running.run_worker(queues=["compute"], concurrency=settings.COMPUTE_CHILDREN, install_signal_handlers=True, fetch_job_polling_interval=1.0, delete_jobs="always")


def _leave(stopping: threading.Event) -> None:
    stopping.set()
    raise KeyboardInterrupt
