"""The event stream: one listener on the database for each web process, handed on to every browser of the workshop."""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
from collections.abc import AsyncIterator
from typing import Any, TypeAlias

import psycopg
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

from tectogon_server.accounts.models import Membership
from tectogon_server.news import CHANNEL, hash_of

_KEEP_ALIVE_SECONDS = 15.0


Listening: TypeAlias = asyncio.Queue[tuple[str, dict[str, Any]]]
"""News as they are sent, and what they say."""


class _Board:
    """Hands news of a workshop to those who wait for it."""

    def __init__(self) -> None:
        self.waiting: dict[int, set[Listening]] = {}
        self.listener: asyncio.Task[None] | None = None

    def join(self, workshop: int) -> Listening:
        queue: Listening = asyncio.Queue(maxsize=1000)
        self.waiting.setdefault(workshop, set()).add(queue)
        if self.listener is None or self.listener.done():
            self.listener = asyncio.get_running_loop().create_task(self._listen(connection.get_connection_params()))
        return queue

    def leave(self, workshop: int, queue: Listening) -> None:
        self.waiting.get(workshop, set()).discard(queue)

    async def _listen(self, params: dict[str, Any]) -> None:
        """Listen for ever; a lost database is tried again every second."""
        wanted = {k: v for k, v in params.items() if k in ("dbname", "user", "password", "host", "port")}
        while True:
            with contextlib.suppress(psycopg.Error):
                async with await psycopg.AsyncConnection.connect(autocommit=True, **wanted) as listening:
                    await listening.execute(f"LISTEN {CHANNEL}")
                    self._hand_out('{"what": "again"}')
                    async for note in listening.notifies():
                        self._hand_out(note.payload)
            await asyncio.sleep(1.0)

    def _hand_out(self, payload: str) -> None:
        news = json.loads(payload)
        workshop = news.get("workshop")
        for key, queues in self.waiting.items():
            if workshop in (None, key):
                for queue in queues:
                    with contextlib.suppress(asyncio.QueueFull):
                        queue.put_nowait((payload, news))


_board = _Board()


async def events(request: HttpRequest) -> HttpResponseBase:
    """Server-sent events of the person's workshop; 401 for a stranger. The stream ends with the session, and with the
    membership."""
    workshop = await sync_to_async(_workshop_of)(request)
    if workshop is None:
        return HttpResponse(
            '{"code": "sign_in", "text": "Sign in first."}', status=401, content_type="application/json"
        )
    response = StreamingHttpResponse(_stream(request, workshop), content_type="text/event-stream")
    response["Cache-Control"] = "no-cache"
    response["X-Accel-Buffering"] = "no"
    return response


def _workshop_of(request: HttpRequest) -> int | None:
    try:
        if not isinstance(request.user, User):
            return None
        return Membership.objects.filter(user=request.user).values_list("workshop_id", flat=True).first()
    finally:
        connection.close()


def _still_of(request: HttpRequest, workshop: int) -> bool:
    """Whether the session is still there and its person still of the workshop. A database that is away decides
    nothing."""
    try:
        if not request.session.exists(request.session.session_key or ""):
            return False
        return Membership.objects.filter(
            user__pk=request.user.pk or 0, user__is_active=True, workshop_id=workshop
        ).exists()
    except DatabaseError:
        return True
    finally:
        connection.close()


async def _stream(request: HttpRequest, workshop: int) -> AsyncIterator[str]:
    queue = _board.join(workshop)
    own = hash_of(request.session.session_key or "")
    asked = time.monotonic()
    try:
        yield "retry: 1000\n\n"
        while True:
            try:
                payload, news = await asyncio.wait_for(queue.get(), _KEEP_ALIVE_SECONDS)
            except TimeoutError:
                payload, news = "", {}
            if news.get("what") == "signed_out":
                if news.get("session") == own:
                    return
                continue
            if time.monotonic() - asked >= _KEEP_ALIVE_SECONDS:
                asked = time.monotonic()
                if not await sync_to_async(_still_of)(request, workshop):
                    return
            yield f"data: {payload}\n\n" if payload else ": still here\n\n"
    finally:
        _board.leave(workshop, queue)
