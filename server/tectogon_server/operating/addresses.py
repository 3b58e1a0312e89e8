"""Where a request comes from."""

from __future__ import annotations

from ipaddress import ip_address

from django.conf import settings
from django.http import HttpRequest


def address_of(request: HttpRequest) -> str:
    """The address of whoever asks. Where a proxy that was named passes a request on, it is the last that this wrote
    down: what stands before it anybody may have written."""
    if settings.BEHIND_PROXY and _is_proxy(str(request.META.get("REMOTE_ADDR", ""))):
        told = request.headers.get("X-Forwarded-For", "").rpartition(",")[2].strip()
        if told:
            return told
    return str(request.META.get("REMOTE_ADDR", ""))


def _is_proxy(address: str) -> bool:
    try:
        here = ip_address(address)
    except ValueError:
        return not address  # a socket of this machine
    return any(here in network for network in settings.PROXIES)
