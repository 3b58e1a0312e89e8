"""What comes in, before anything of it is kept: too much is refused, strangers send nothing large, and whoever stalls
is let go.

Django spools a whole request to disk before any code of ours sees it; so these questions are asked in front of it, on
the bare connection.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.db import close_old_connections
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from tectogon_server.accounts.models import Membership

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]

_SMALL = 200_000
"""A request of up to so many bytes is taken from anybody: signing in is one."""
_FORM_AROUND = 100_000
"""What a form may hold beside its file (bytes)."""
_STALL_SECONDS = 20.0


class _Refused(Exception):
    def __init__(self, status: int, code: str, text: str) -> None:
        super().__init__(text)
        self.status, self.code, self.text = status, code, text


class Intake:
    """The application behind its questions."""

    def __init__(self, app: App) -> None:
        self.app = app

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] in ("GET", "HEAD", "OPTIONS"):
            await self.app(scope, receive, send)
            return
        headers = {name.lower(): value for name, value in scope["headers"]}
        started = False

        async def watched_send(message: Message) -> None:
            nonlocal started
            started = True
            await send(message)

        try:
            most = await _most(headers)
            await self.app(scope, _counted(receive, most), watched_send)
        except _Refused as refusal:
            if not started:
                await _answer(send, refusal)


async def _most(headers: dict[bytes, bytes]) -> int:
    """How many bytes this request may have. Raises _Refused for one that says it has more, or that is large and
    nobody's."""
    is_form = headers.get(b"content-type", b"").startswith(b"multipart/")
    most = settings.MAX_UPLOAD_BYTES + _FORM_AROUND if is_form else settings.DATA_UPLOAD_MAX_MEMORY_SIZE
    told = headers.get(b"content-length", b"")
    length = int(told) if told.isdigit() and len(told) < 19 else None
    if length is not None and length > most:
        raise _Refused(413, "over_limit", f"This is larger than the {most / 1e6:.0f} MB that are taken at once.")
    if length is None or length > _SMALL:
        role = await sync_to_async(_role_of)(headers.get(b"cookie", b"").decode("latin-1"))
        if role is None:
            raise _Refused(401, "sign_in", "Sign in first.")
        if is_form and role == Membership.Role.VIEWER:
            raise _Refused(403, "not_allowed", "You may look at the parts of this workshop, but not change them.")
    return most


def _role_of(cookies: str) -> str | None:
    """The role of whoever's session this is; None for nobody. The request itself is looked at in full later: this only
    saves taking it in."""
    try:
        found = SimpleCookie(cookies).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return None
    if found is None:
        return None
    try:
        session = import_module(settings.SESSION_ENGINE).SessionStore(found.value)
        user = session.get(SESSION_KEY)
        return (
            Membership.objects.filter(user__pk=user, user__is_active=True).values_list("role", flat=True).first()
            if user
            else None
        )
    finally:
        close_old_connections()


def _counted(receive: Receive, most: int) -> Receive:
    """What arrives, as long as it is no more than said and does not stall."""
    total, complete = 0, False

    async def next_message() -> Message:
        nonlocal total, complete
        if complete:
            return await receive()  # waiting for the other side to leave
        try:
            message = await asyncio.wait_for(receive(), _STALL_SECONDS)
        except TimeoutError:
            raise _Refused(408, "stalled", f"Nothing has arrived for {_STALL_SECONDS:.0f} s; send it again.") from None
        if message["type"] == "http.request":
            total += len(message.get("body", b""))
            complete = not message.get("more_body", False)
            if total > most:
                raise _Refused(
                    413, "over_limit", f"This is larger than the {most / 1e6:.0f} MB that are taken at once."
                )
        return message

    return next_message


async def _answer(send: Send, refusal: _Refused) -> None:
    body = json.dumps({"code": refusal.code, "text": refusal.text}).encode()
    headers = [
        (b"content-type", b"application/json"),
        (b"content-length", str(len(body)).encode()),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": refusal.status, "headers": headers})
    await send({"type": "http.response.body", "body": body})


class PatientProtocol(HttpToolsProtocol):
    """The web server's protocol, with an end to its patience: a connection whose request does not get through its head
    in time is closed."""

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._patience: asyncio.TimerHandle | None = None
        self._begin_waiting()

    def data_received(self, data: bytes) -> None:
        if self._patience is None and (self.cycle is None or self.cycle.response_complete):
            self._begin_waiting()
        super().data_received(data)

    def on_headers_complete(self) -> None:
        self._stop_waiting()
        super().on_headers_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        super().connection_lost(exc)

    def _begin_waiting(self) -> None:
        self._patience = self.loop.call_later(_STALL_SECONDS, self._give_up)

    def _stop_waiting(self) -> None:
        if self._patience is not None:
            self._patience.cancel()
            self._patience = None

    def _give_up(self) -> None:
        self._patience = None
        if not self.transport.is_closing():
            self.transport.close()
