"""Checking passwords, within bounds: a hash takes a third of a second of a core, so only a few are made at once, and
guesses are counted by name and address, and by address alone."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

from axes.handlers.proxy import AxesProxyHandler
from axes.models import AccessAttempt
from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.db.models import Sum
from django.http import HttpRequest
from django.utils import timezone

from tectogon_server.errors import BadName, TooMany
from tectogon_server.operating.addresses import address_of

_AT_ONCE, _WAIT_SECONDS = 2, 0.2
"""So many passwords are hashed at once in a web process, and so long another waits for its turn."""
_MOST_FROM_AN_ADDRESS, _WITHIN = 60, timedelta(minutes=15)
_turns = threading.BoundedSemaphore(_AT_ONCE)
_TOO_MANY_GUESSES = "Too many wrong passwords. Wait a quarter of an hour, then try again."


@contextmanager
def hashing() -> Iterator[None]:
    """A turn at hashing a password. Raises TooMany where others have all of them."""
    if not _turns.acquire(timeout=_WAIT_SECONDS):
        raise TooMany("Many people sign in just now. Try again in a moment.")
    try:
        yield
    finally:
        _turns.release()


def signed_in_by(request: HttpRequest, username: str, password: str) -> User:
    """Who signs in by a name and a password. Raises TooMany, BadName."""
    credentials = {"username": username, "password": password}
    _allowed(request, credentials)
    with hashing():
        user = authenticate(request, **credentials)
    if isinstance(user, User):
        return user
    _allowed(request, credentials)
    raise BadName("The name or the password is not right.")


def confirm(request: HttpRequest, user: User, password: str) -> None:
    """That the person who is signed in knows the password; guesses count as those at signing in do. Raises TooMany,
    BadName."""
    credentials = {"username": user.get_username(), "password": password}
    _allowed(request, credentials)
    with hashing():
        right = user.check_password(password)
    if not right:
        AxesProxyHandler.user_login_failed(__name__, credentials, request)
        raise BadName("The current password is not right.")


def _allowed(request: HttpRequest, credentials: dict[str, str]) -> None:
    if not AxesProxyHandler.is_allowed(request, credentials):
        raise TooMany(_TOO_MANY_GUESSES)
    rows = AccessAttempt.objects.filter(ip_address=address_of(request), attempt_time__gt=timezone.now() - _WITHIN)
    if (rows.aggregate(all=Sum("failures_since_start"))["all"] or 0) >= _MOST_FROM_AN_ADDRESS:
        raise TooMany(_TOO_MANY_GUESSES)
