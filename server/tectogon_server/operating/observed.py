"""Every request gets a number, which is in its answer and in whatever is logged on its way; how many there were, and
how long they took, is counted for whoever watches the site."""

from __future__ import annotations

import logging
import re
import secrets
import time
from collections.abc import Awaitable, Callable, MutableMapping
from contextvars import ContextVar
from typing import Any

from prometheus_client import Counter, Gauge, Histogram

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]

REQUESTS = Counter("tectogon_requests", "Requests answered", ("method", "route", "status"))
SECONDS = Histogram(
    "tectogon_request_seconds",
    "Seconds until a request was answered",
    ("route",),
    buckets=(0.005, 0.01, 0.025, 0.05, 0.1, 0.2, 0.3, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0),
)
STREAMS = Gauge("tectogon_event_streams", "Browsers that listen for news", multiprocess_mode="livesum")
EVENTS = "/api/events"
_request: ContextVar[str] = ContextVar("request", default="")
_NUMBER = re.compile(r"/(?:\d+|[0-9a-f]{8}-[0-9a-f-]{27})(?=/|$)")
_log = logging.getLogger("tectogon.requests")


class RequestNumber(logging.Filter):
    """Puts the number of the request under way into what is logged."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request = _request.get()
        return True


class Observed:
    """An application whose requests are numbered, counted and logged."""

    def __init__(self, app: App) -> None:
        self.app = app

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        number = secrets.token_hex(8)
        _request.set(number)
        began = time.monotonic()
        status = 500
        path, method = str(scope["path"]), str(scope["method"])
        listens = path == EVENTS

        async def numbered(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = int(message["status"])
                message = {**message, "headers": [*message.get("headers", ()), (b"x-request-id", number.encode())]}
            await send(message)

        if listens:
            STREAMS.inc()
        try:
            await self.app(scope, receive, numbered)
        finally:
            took = time.monotonic() - began
            if listens:
                STREAMS.dec()
            else:
                route = route_of(path)
                SECONDS.labels(route).observe(took)
                REQUESTS.labels(method, route, status).inc()
                told = {"method": method, "path": path, "status": status, "ms": round(1000.0 * took, 1)}
                _log.info("%s %s %s", method, path, status, extra=told)


def route_of(path: str) -> str:
    """A path without the numbers in it, so that there are few; one name for all that is no part of the API."""
    if not path.startswith("/api/"):
        return "/metrics" if path == "/metrics" else "page"
    parts = _NUMBER.sub("/:id", path).split("/")
    return "/".join(parts[:3] if parts[2:3] in (["join"], ["supplier"], ["library"], ["reset"]) else parts[:6])
