"""Who asks: the session, and the person with the membership, in two statements that are written out. Every request
begins with them, and putting queries together took as long as most of what is asked."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.backends import BaseBackend
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.db import connection, models
from django.utils import timezone

from tectogon_server.accounts.models import Membership, Workshop

MEMBERS = f"{__name__}.Members"


class SessionStore(db.SessionStore):
    """Sessions in the database."""

    def _get_session_from_db(self) -> Session | None:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT session_data, expire_date FROM django_session WHERE session_key = %s AND expire_date > %s",
                [self.session_key, timezone.now()],
            )
            row = cursor.fetchone()
        if row is None:
            self._session_key = None
            return None
        return Session(session_key=str(self.session_key), session_data=row[0], expire_date=row[1])


class Members(BaseBackend):
    """People who are signed in, with their membership and workshop; passwords are looked at by Django's own."""

    def get_user(self, user_id: int) -> User | None:
        with connection.cursor() as cursor:
            cursor.execute(_PERSON, [user_id])
            row = cursor.fetchone()
        if row is None:
            return None
        user, member, workshop = (_made(model, row, start) for model, start in _PARTS)
        assert isinstance(user, User)
        if isinstance(member, Membership):
            member.user, member.workshop = user, workshop
        return user if user.is_active else None


def _columns(model: type[models.Model]) -> list[str]:
    return [str(field.column) for field in model._meta.concrete_fields]


def _made(model: type[models.Model], row: tuple[Any, ...], start: int) -> Any:
    """A row's part as a model; None where the join found none."""
    names = [field.attname for field in model._meta.concrete_fields]
    values = row[start : start + len(names)]
    return None if values[0] is None else model.from_db(connection.alias, names, values)


_MODELS = ((User, "u"), (Membership, "m"), (Workshop, "w"))
_PARTS = [(model, sum(len(_columns(m)) for m, _ in _MODELS[:n])) for n, (model, _) in enumerate(_MODELS)]
_PERSON = (
    f"SELECT {', '.join(f'{short}.{column}' for model, short in _MODELS for column in _columns(model))}"
    " FROM auth_user u LEFT JOIN accounts_membership m ON m.user_id = u.id"
    " LEFT JOIN accounts_workshop w ON w.id = m.workshop_id WHERE u.id = %s"
)
