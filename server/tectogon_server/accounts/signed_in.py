"""Who asks: the person with the membership and the workshop, in one query; every request begins with it."""

from __future__ import annotations

from django.contrib.auth import SESSION_KEY
from django.contrib.auth.backends import BaseBackend
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db

MEMBERS = f"{__name__}.Members"


class SessionStore(db.SessionStore):
    """Sessions in the database, and whose each is: a person's are found without reading everybody's."""

    def save(self, must_create: bool = False) -> None:
        """Keep it, with the person it is of."""
        from tectogon_server.accounts.models import OwnSession

        super().save(must_create)
        user = self.get(SESSION_KEY)
        if user is not None:
            OwnSession.objects.update_or_create(session_id=self.session_key, defaults={"user_id": int(user)})


class Members(BaseBackend):
    """People who are signed in, with their membership and workshop; passwords are looked at by Django's own."""

    def get_user(self, user_id: int) -> User | None:
        return User.objects.select_related("membership__workshop").filter(pk=user_id, is_active=True).first()
