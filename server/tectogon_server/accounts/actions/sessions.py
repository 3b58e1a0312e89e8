"""Where a person is signed in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from django.contrib.auth import login
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from tectogon_server.accounts.models import Membership
from tectogon_server.accounts.signed_in import MEMBERS
from tectogon_server.errors import NothingThere
from tectogon_server.news import hash_of, signed_out
from tectogon_server.operating.addresses import address_of

_BEGUN = "begun"


@dataclass(frozen=True)
class SignedIn:
    """A place where somebody is signed in. `key`: a hash, which gives nobody the session."""

    key: str
    at: datetime | None
    browser: str
    address: str


def begin(request: HttpRequest, user: User) -> None:
    """Sign a person in here, and keep when, from where and with what browser that was."""
    login(request, user, backend=MEMBERS)
    request.session[_BEGUN] = {
        "at": timezone.now().isoformat(),
        "browser": request.headers.get("User-Agent", "")[:200],
        "address": address_of(request),
    }


def sessions_of(user: User) -> list[SignedIn]:
    """Where a person is signed in, the latest first."""
    found = []
    for session in _rows(user):
        begun = session.get_decoded().get(_BEGUN, {})
        at = datetime.fromisoformat(begun["at"]) if "at" in begun else None
        found.append(SignedIn(hash_of(session.session_key), at, begun.get("browser", ""), begun.get("address", "")))
    return sorted(found, key=lambda s: s.at.timestamp() if s.at else 0.0, reverse=True)


def end_session(user: User, key: str) -> None:
    """Sign a person out at one place. Raises NothingThere."""
    for session in _rows(user):
        if hash_of(session.session_key) == key:
            _end(user, session)
            return
    raise NothingThere("You are not signed in there any more.")


def end_sessions(user: User, but: str | None = None) -> None:
    """Sign a person out wherever they are signed in, and end the streams of news there. `but`: the key of a session
    that goes on."""
    for session in _rows(user):
        if session.session_key != but:
            _end(user, session)


def _rows(user: User) -> Iterator[Session]:
    yield from Session.objects.filter(own__user=user, expire_date__gt=timezone.now())


def _end(user: User, session: Session) -> None:
    membership = Membership.objects.filter(user=user).first()
    if membership:
        signed_out(membership.workshop_id, session.session_key)
    session.delete()
