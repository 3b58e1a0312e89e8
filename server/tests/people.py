"""People to test with."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.test import Client
from tectogon_server.accounts.models import Membership, Workshop
from tectogon_server.accounts.signed_in import MEMBERS


def make_person(name: str, workshop: str | None, role: str = "editor") -> User:
    user = User.objects.create_user(name, password="river-gauge")
    if workshop:
        Membership.objects.create(user=user, workshop=Workshop.objects.get_or_create(name=workshop)[0], role=role)
    return user


def signed_in(user: User) -> Client:
    client = Client()
    client.force_login(user, MEMBERS)
    return client
