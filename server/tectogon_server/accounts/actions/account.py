"""A person's own account: password, and the places where they are signed in."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.utils import timezone

from tectogon_server.accounts.models import Membership
from tectogon_server.errors import BadName
from tectogon_server.news import signed_out


def check_password(password: str, user: User) -> None:
    """Raises BadName, saying why a password will not do."""
    try:
        validate_password(password, user)
    except ValidationError as problem:
        raise BadName(" ".join(problem.messages)) from None


def change_password(user: User, old: str, new: str) -> None:
    """A new password; everywhere else the person is signed out. Raises BadName."""
    if not user.check_password(old):
        raise BadName("The password in force is another one.")
    check_password(new, user)
    user.set_password(new)
    user.save(update_fields=["password"])


def end_sessions(user: User) -> None:
    """Sign a person out wherever they are signed in, and end the streams of news there."""
    membership = Membership.objects.filter(user=user).first()
    for session in Session.objects.filter(expire_date__gt=timezone.now()).iterator():
        if session.get_decoded().get("_auth_user_id") == str(user.pk):
            if membership:
                signed_out(membership.workshop_id, session.session_key)
            session.delete()
