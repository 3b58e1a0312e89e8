"""Requests in threads that last."""

from __future__ import annotations

import asyncio
import contextlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from asgiref.sync import sync_to_async
from django.core.handlers.asgi import ASGIHandler
from django.core.signals import request_finished, request_started
from django.db import close_old_connections, reset_queries
from django.http import HttpRequest
from django.http.response import HttpResponseBase

_STIR_SECONDS = 2.0


class Threaded(ASGIHandler):
    """Django with all of its middleware and the view in one thread, of a pool: a request changes threads once, and
    finds a connection to the database open. Bodies are taken in and answers sent by the event loop, so that nobody who
    is slow holds a thread."""

    def __init__(self, threads: int) -> None:
        super().__init__()
        self._threads = ThreadPoolExecutor(threads, "request")
        for signal in (request_started, request_finished):
            signal.disconnect(close_old_connections)  # they would be those of other threads
        request_started.disconnect(reset_queries)

    async def stir(self, beat: Path) -> None:
        """Touch a file every so often for as long as the event loop turns and a thread is free now and then."""
        while True:
            with contextlib.suppress(OSError):
                await asyncio.get_running_loop().run_in_executor(self._threads, beat.touch)
            await asyncio.sleep(_STIR_SECONDS)

    def load_middleware(self, is_async: bool = False) -> None:
        super().load_middleware(is_async=False)

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        await self.handle(scope, receive, send)

    async def get_response_async(self, request: HttpRequest) -> HttpResponseBase:
        return await sync_to_async(self._answer, thread_sensitive=False, executor=self._threads)(request)

    def _answer(self, request: HttpRequest) -> HttpResponseBase:
        close_old_connections()
        try:
            return self.get_response(request)
        finally:
            close_old_connections()
