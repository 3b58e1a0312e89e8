"""Mail to a person, in the language of the request it comes from."""

from __future__ import annotations

import logging
from smtplib import SMTPException

from django.contrib.auth.models import User
from django.core.mail import send_mail

from tectogon_server.words import told

_log = logging.getLogger(__name__)
NOTICE = "If this was not you, ask for a new password at once, and tell the owner of your workshop."


def send(address: str, subject: str, *paragraphs: str) -> None:
    """Mail that somebody waits for; what it says is translated already."""
    send_mail(subject, "\n\n".join(paragraphs) + "\n", None, [address])


def notify(user: User, what: str, address: str | None = None) -> None:
    """Tell a person that the way into the account was changed; where no mail can go, nobody is told, and the change
    stands all the same."""
    to = user.email if address is None else address
    if not to:
        return
    try:
        send(to, told("Your account at Tectogon"), told("You sign in as {0}.", user.username), told(what), told(NOTICE))
    except (OSError, SMTPException):
        _log.warning("a notice could not be mailed", exc_info=True)
