"""Whether the site can do its work, and its figures in the format that Prometheus reads."""

from __future__ import annotations

import hmac
import os
from collections.abc import Iterator

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, CollectorRegistry, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.registry import Collector

from tectogon_server.computing.models import Computation
from tectogon_server.operating.addresses import address_of

_LOCAL = ("127.0.0.1", "::1")


def ready(request: HttpRequest) -> JsonResponse:
    """Whether this process can serve: its database is there and of this version, and there is room for results. 503
    and what is wrong where not."""
    wrong = list(_wrong())
    return JsonResponse({"ready": not wrong, "wrong": wrong}, status=503 if wrong else 200)


def _wrong() -> Iterator[str]:
    try:
        executor = MigrationExecutor(connection)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            yield "The database is of another version: run the migrations."
    except DatabaseError:
        yield "The database does not answer."
    try:
        settings.RESULTS.mkdir(parents=True, exist_ok=True)
        facts = os.statvfs(settings.RESULTS)
        if facts.f_bavail * facts.f_frsize < settings.LEAST_ROOM:
            yield "The disk for results is almost full."
        if not os.access(settings.RESULTS, os.W_OK):
            yield "The folder for results can't be written to."
    except OSError:
        yield "The folder for results is not there."


def metrics(request: HttpRequest) -> HttpResponse:
    """The figures: with the token of those who watch, or from the machine itself."""
    token = settings.METRICS_TOKEN
    told = request.headers.get("Authorization", "").removeprefix("Bearer ")
    allowed = hmac.compare_digest(told, token) if token else address_of(request) in _LOCAL
    if not allowed:
        return HttpResponse("Not for you.\n", status=403, content_type="text/plain")
    return HttpResponse(generate_latest(_registry()), content_type=CONTENT_TYPE_LATEST)


def _registry() -> CollectorRegistry:
    """What this process has counted; all web processes of this machine where they are several."""
    if "PROMETHEUS_MULTIPROC_DIR" not in os.environ:
        return REGISTRY
    registry = CollectorRegistry()
    MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    registry.register(_OfTheDatabase())
    return registry


class _OfTheDatabase(Collector):
    """What stands in the database, asked for when somebody looks."""

    def collect(self) -> Iterator[GaugeMetricFamily]:
        states = GaugeMetricFamily("tectogon_computations", "Computations kept, by state", labels=("state",))
        oldest = GaugeMetricFamily("tectogon_oldest_waiting_seconds", "How long the oldest that waits has waited")
        try:
            for row in Computation.objects.values("state").annotate(n=Count("pk")):
                states.add_metric((row["state"],), row["n"])
            waiting = Computation.objects.filter(state=Computation.State.QUEUED).aggregate(first=Min("asked"))["first"]
        except DatabaseError:
            return
        seconds = (timezone.now() - waiting).total_seconds() if waiting else 0.0
        oldest.add_metric((), max(0.0, seconds))  # a picture waits for a moment that is to come
        yield states
        yield oldest

    def describe(self) -> Iterator[GaugeMetricFamily]:
        return iter(())


REGISTRY.register(_OfTheDatabase())
