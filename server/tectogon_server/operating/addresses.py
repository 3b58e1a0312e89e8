"""Where a request comes from."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest


def address_of(request: HttpRequest) -> str:
    """The address of whoever asks. Behind a proxy it is the last that the proxy itself wrote down: what stands before
    it anybody may have written."""
    if settings.BEHIND_PROXY:
        told = request.headers.get("X-Forwarded-For", "").rpartition(",")[2].strip()
        if told:
            return told
    return str(request.META.get("REMOTE_ADDR", ""))
