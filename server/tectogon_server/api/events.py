"""The event stream: one listener on the database for each web process, handed on to every browser of the workshop."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from collections import Counter
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Any, TypeVar

import psycopg
from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import Error, connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils import timezone

from tectogon_server.accounts.models import Membership
from tectogon_server.database import listening_to
from tectogon_server.news import CHANNEL, hash_of

_log = logging.getLogger(__name__)
_KEEP_ALIVE_SECONDS = 15.0
MOST_OF_A_SESSION = 24
"""So many streams at most has one session open in one process: a browser needs one, for all its tabs."""
_MOST_ASKED_AT_ONCE = 4
Given = TypeVar("Given")
Found = TypeVar("Found")


@dataclass(frozen=True, eq=False)
class Listening:
    """One browser that waits for news."""

    workshop: int
    user: int
    session: str
    news: asyncio.Queue[tuple[str, dict[str, Any]] | None] = field(default_factory=partial(asyncio.Queue, maxsize=1000))
    """News as they are sent, and what they say; None where it may hear no more."""

    def tell(self, payload: str, news: dict[str, Any]) -> None:
        with contextlib.suppress(asyncio.QueueFull):
            self.news.put_nowait((payload, news))

    def send_away(self) -> None:
        while True:
            try:
                return self.news.put_nowait(None)
            except asyncio.QueueFull:
                self.news.get_nowait()


class _Board:
    """Hands news of a workshop to those who wait for it, as long as they may."""

    def __init__(self) -> None:
        self.waiting: dict[int, set[Listening]] = {}
        self.coming: Counter[str] = Counter()
        """How many streams each session is about to open."""
        self.tasks: list[asyncio.Task[None]] = []

    def join(self, listening: Listening) -> None:
        self.waiting.setdefault(listening.workshop, set()).add(listening)
        if not self.tasks or any(task.done() for task in self.tasks):
            for task in self.tasks:
                task.cancel()
            loop = asyncio.get_running_loop()
            wanted = connection.get_connection_params()
            self.tasks = [loop.create_task(self._listen(wanted)), loop.create_task(self._watch())]

    def leave(self, listening: Listening) -> None:
        self.waiting.get(listening.workshop, set()).discard(listening)

    def has_enough(self, session: str) -> bool:
        """Whether a session has as many streams as it may have."""
        there = sum(one.session == session for group in self.waiting.values() for one in group)
        return there + self.coming[session] >= MOST_OF_A_SESSION

    async def _watch(self) -> None:
        """Keep the streams alive, and send those away whose session is over or who are not of the workshop any more:
        all are asked about at once."""
        while True:
            await asyncio.sleep(_KEEP_ALIVE_SECONDS)
            everyone = [listening for group in self.waiting.values() for listening in group]
            for listening in everyone:
                listening.tell("", {})
            if everyone:
                for listening in await sync_to_async(_asked, thread_sensitive=False)(_not_any_more, everyone):
                    listening.send_away()

    async def _listen(self, params: dict[str, Any]) -> None:
        """Listen for ever; a lost database is tried again every second."""
        wanted = {k: v for k, v in params.items() if k in ("dbname", "user", "password", "host", "port")}
        while True:
            with contextlib.suppress(psycopg.Error):
                async with await psycopg.AsyncConnection.connect(autocommit=True, **wanted) as listening:
                    await listening.execute(listening_to(CHANNEL))
                    self._hand_out('{"what": "again"}')
                    async for note in listening.notifies():
                        self._hand_out(note.payload)
            await asyncio.sleep(1.0)

    def _hand_out(self, payload: str) -> None:
        try:
            news = json.loads(payload)
            workshop = news.get("workshop")
        except (ValueError, AttributeError):
            _log.error("news that nobody can read: %.200s", payload)
            return
        for key, group in self.waiting.items():
            if workshop in (None, key):
                for listening in group:
                    listening.tell(payload, news)


_board = _Board()
_asking = asyncio.Semaphore(_MOST_ASKED_AT_ONCE)


async def events(request: HttpRequest) -> HttpResponseBase:
    """Server-sent events of the person's workshop; 401 for a stranger, 429 for too many of one session. The stream
    ends with the session, and with the membership."""
    session = request.COOKIES.get(settings.SESSION_COOKIE_NAME, "")
    if _board.has_enough(session):
        return HttpResponse(
            '{"code": "too_many", "text": "This browser listens for news too often; close some of its windows."}',
            status=429,
            content_type="application/json",
        )
    _board.coming[session] += 1
    try:
        async with _asking:
            listening = await sync_to_async(_asked, thread_sensitive=False)(_who_listens, request)
    finally:
        _board.coming -= Counter({session: 1})
    if listening is None:
        return HttpResponse(
            '{"code": "sign_in", "text": "Sign in first."}', status=401, content_type="application/json"
        )
    response = StreamingHttpResponse(_stream(listening), content_type="text/event-stream")
    response["Cache-Control"] = "no-cache"
    response["X-Accel-Buffering"] = "no"
    return response


def _asked(ask: Callable[[Given], Found], given: Given) -> Found:
    """What the database says to a question, in a thread of the moment, which keeps no connection."""
    try:
        return ask(given)
    finally:
        connection.close()


def _who_listens(request: HttpRequest) -> Listening | None:
    if not isinstance(request.user, User):
        return None
    workshop = Membership.objects.filter(user=request.user).values_list("workshop_id", flat=True).first()
    return Listening(workshop, request.user.pk, request.session.session_key or "") if workshop else None


def _not_any_more(everyone: list[Listening]) -> list[Listening]:
    """Those whose session is over, or who are not of the workshop. A database that is away decides nothing."""
    try:
        sessions = Session.objects.filter(
            session_key__in={one.session for one in everyone}, expire_date__gt=timezone.now()
        )
        members = Membership.objects.filter(user__in={one.user for one in everyone}, user__is_active=True)
        open_still = set(sessions.values_list("session_key", flat=True))
        members_still = set(members.values_list("user_id", "workshop_id"))
        return [
            one for one in everyone if one.session not in open_still or (one.user, one.workshop) not in members_still
        ]
    except Error:
        return []


async def _stream(listening: Listening) -> AsyncIterator[str]:
    _board.join(listening)
    own = hash_of(listening.session)
    try:
        yield "retry: 1000\n\n"
        while (told := await listening.news.get()) is not None:
            payload, news = told
            if news.get("what") != "signed_out":
                yield f"data: {payload}\n\n" if payload else ": still here\n\n"
            elif news.get("session") == own:
                return
    finally:
        _board.leave(listening)
