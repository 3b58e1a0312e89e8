"""Invite people by a link that works once and expires, and join by one."""

from __future__ import annotations

import hashlib
import re
import secrets
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from tectogon_server.accounts.actions.account import check_password
from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.actions.permission import owner
from tectogon_server.accounts.models import Invitation, Membership
from tectogon_server.errors import BadName, NothingThere
from tectogon_server.names import visible

_LASTS = timedelta(days=7)
_USERNAME = re.compile(r"[A-Za-z0-9._@+-]{2,60}")
_MOST_OPEN = 50


@transaction.atomic
def invite(user: User, role: str) -> tuple[str, Invitation]:
    """A secret that lets one person join with a role, and the invitation. Raises NotAllowed, BadName."""
    mine = owner(user)
    if role not in Membership.Role.values:
        raise BadName("A role is one of owner, editor and viewer.")
    if Invitation.objects.filter(workshop=mine.workshop, used=None, expires__gt=timezone.now()).count() >= _MOST_OPEN:
        raise BadName(f"{_MOST_OPEN} invitations are open already; take some back first.")
    secret = secrets.token_urlsafe(24)
    made = Invitation.objects.create(
        workshop=mine.workshop, hash=_hash(secret), role=role, made_by=user, expires=timezone.now() + _LASTS
    )
    record(user, f"Invited somebody as {role}")
    return secret, made


def take_back(user: User, invitation_id: int) -> None:
    """The link works no longer. Raises NotAllowed."""
    mine = owner(user)
    Invitation.objects.filter(workshop=mine.workshop, pk=invitation_id, used=None).delete()


def invitation_of(secret: str, *, locked: bool = False) -> Invitation:
    """The invitation that a secret stands for. Raises NothingThere where it is used, expired or unknown."""
    rows = Invitation.objects.select_related("workshop")
    found = (rows.select_for_update(of=("self",)) if locked else rows).filter(hash=_hash(secret)).first()
    if found is None or found.used is not None or found.expires <= timezone.now():
        raise NothingThere("This invitation is used, or too old; ask the workshop's owner for another one.")
    return found


@transaction.atomic
def join(secret: str, username: str, name: str, password: str) -> User:
    """A new person in the workshop that invited. Raises NothingThere, BadName."""
    invitation = invitation_of(secret, locked=True)
    if not _USERNAME.fullmatch(username):
        raise BadName("A name to sign in with has 2 to 60 letters, digits or . _ @ + -.")
    if User.objects.filter(username__iexact=username).exists():
        raise BadName(f"Somebody signs in as “{username}” already; choose another name.")
    user = User(username=username)
    set_name(user, name)
    check_password(password, user)
    user.set_password(password)
    user.save()
    Membership.objects.create(workshop=invitation.workshop, user=user, role=invitation.role)
    invitation.used = timezone.now()
    invitation.save(update_fields=["used"])
    record(user, f"Joined as {invitation.role}")
    return user


def set_name(user: User, name: str) -> None:
    """A person's own name, as others see it. Raises BadName."""
    words = visible(name).split()
    if not words or len(name) > 100:
        raise BadName("Your name has 1 to 100 characters.")
    user.first_name, user.last_name = words[0], " ".join(words[1:])


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
