"""Who asks: the person with the membership and the workshop, in one query; every request begins with it."""

from __future__ import annotations

from django.contrib.auth.backends import BaseBackend
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db

MEMBERS = f"{__name__}.Members"


class SessionStore(db.SessionStore):
    """Sessions in the database."""


class Members(BaseBackend):
    """People who are signed in, with their membership and workshop; passwords are looked at by Django's own."""

    def get_user(self, user_id: int) -> User | None:
        return User.objects.select_related("membership__workshop").filter(pk=user_id, is_active=True).first()
