"""Headers that every answer carries, beside those that Django and its packages set."""

from __future__ import annotations

from collections.abc import Awaitable, Callable

from asgiref.sync import iscoroutinefunction
from django.conf import settings
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.utils.decorators import sync_and_async_middleware

Answer = Callable[[HttpRequest], HttpResponseBase] | Callable[[HttpRequest], Awaitable[HttpResponseBase]]


@sync_and_async_middleware
def headers(get_response: Answer) -> Answer:
    """What no page may ask a browser for; and nothing of the API is kept by anybody on the way, unless it says so."""

    def add(request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        response.headers.setdefault("Permissions-Policy", settings.PERMISSIONS_POLICY)
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response

    if iscoroutinefunction(get_response):

        async def answer_later(request: HttpRequest) -> HttpResponseBase:
            return add(request, await get_response(request))  # type: ignore[misc]

        return answer_later

    def answer(request: HttpRequest) -> HttpResponseBase:
        return add(request, get_response(request))  # type: ignore[arg-type]

    return answer
