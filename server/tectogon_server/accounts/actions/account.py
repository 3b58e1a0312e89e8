"""A person's own account: the password, a link for a new one, and what is kept of a person."""

from __future__ import annotations

import logging
from datetime import timedelta

from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.tokens import default_token_generator
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.utils import timezone
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.actions.mail import notify, send
from tectogon_server.accounts.actions.members import locked_workshop
from tectogon_server.accounts.actions.passwords import hashing
from tectogon_server.accounts.actions.sessions import end_sessions
from tectogon_server.accounts.models import Membership
from tectogon_server.errors import BadName, NotAllowed, NothingThere
from tectogon_server.words import told

_log = logging.getLogger(__name__)
_MAIL_EVERY = timedelta(minutes=5)


def check_password(password: str, user: User) -> None:
    """Raises BadName, saying why a password will not do."""
    try:
        validate_password(password, user)
    except ValidationError as problem:
        raise BadName(" ".join(problem.messages)) from None


def change_password(user: User, new: str) -> None:
    """A new password; everywhere else the person is signed out. Raises BadName, TooMany."""
    check_password(new, user)
    with hashing():
        user.set_password(new)
    user.save(update_fields=["password"])
    record(user, "Changed the password")
    notify(user, "Your password was changed just now.")


def set_address(user: User, address: str) -> None:
    """Where mail reaches a person; nothing: nowhere. Raises BadName."""
    address = address.strip()
    if address:
        try:
            validate_email(address)
        except ValidationError:
            raise BadName("That is no mail address.") from None
    before, user.email = user.email, address
    user.save(update_fields=["email"])
    if before and before != address:
        notify(user, "Mail for this account goes to another address from now on.", before)


def send_reset(whom: str, origin: str) -> None:
    """Mail a link for a new password to whoever signs in by this name or is reached at this address. Says nobody
    whether there is anybody; one person is sent one in five minutes at most."""
    rows = User.objects.filter(is_active=True).exclude(email="")
    for user in [*rows.filter(username__iexact=whom), *rows.filter(email__iexact=whom)][:3]:
        since = timezone.now() - _MAIL_EVERY
        free = Membership.objects.filter(user=user).exclude(reset_asked__gt=since)
        if not free.update(reset_asked=timezone.now()):
            continue
        name = urlsafe_base64_encode(force_bytes(user.pk))
        link = f"{settings.ORIGIN or origin}/reset/{name}/{default_token_generator.make_token(user)}"
        _sent_or_logged(
            user.email,
            told("A new password for Tectogon"),
            told("You sign in as {0}.", user.username),
            told("Choose a new password within the hour:"),
            link,
            told("If you did not ask for this, do nothing: your password stays as it is."),
        )


def _sent_or_logged(*mail: str) -> None:
    """A mail that can't be sent is for whoever runs the site to know: an answer that differs would tell strangers who
    is here."""
    try:
        send(*mail)
    except Exception:
        _log.exception("a link for a new password could not be mailed")


def reset_password(name: str, token: str, new: str) -> User:
    """A new password by a link that was mailed; the person is signed out everywhere. Raises NothingThere, BadName."""
    try:
        user = User.objects.filter(pk=urlsafe_base64_decode(name).decode(), is_active=True).first()
    except (ValueError, UnicodeDecodeError, OverflowError):
        user = None
    if user is None or not default_token_generator.check_token(user, token):
        raise NothingThere("This link was used, or is too old; ask for another one.")
    check_password(new, user)
    with hashing():
        user.set_password(new)
    user.save(update_fields=["password"])
    end_sessions(user)
    record(user, "Took a new password by a link")
    notify(user, "Your password was changed just now, by a link that was mailed to you.")
    return user


@transaction.atomic
def leave(user: User) -> None:
    """Delete an account: the person is gone, what was recorded stays as somebody's who has left. Raises NotAllowed for
    a workshop's last owner while others are left in it."""
    locked_workshop(user)
    mine = Membership.objects.select_for_update(of=("self",)).filter(user=user).first()
    if mine is not None and mine.role == Membership.Role.OWNER:
        others = Membership.objects.filter(workshop=mine.workshop).exclude(pk=mine.pk)
        if others.exists() and not others.filter(role=Membership.Role.OWNER).exists():
            raise NotAllowed("You are the workshop's last owner; make somebody else an owner first.")
    record(user, "Left, and deleted the account")
    end_sessions(user)
    user.delete()
