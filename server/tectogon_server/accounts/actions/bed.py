"""The bed of the workshop's printer."""

from __future__ import annotations

import re

from django.contrib.auth.models import User

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.errors import BadName

_NUMBER = re.compile(r"\d+(?:[.,]\d+)?")
_MOST = 60


def keep_bed(user: User, text: str) -> None:
    """Keep the bed as typed: three sizes in mm, or nothing. Raises NotAllowed, BadName."""
    mine = editor(user)
    sizes = [float(n.replace(",", ".")) for n in _NUMBER.findall(text)]
    if text.strip() and (len(sizes) != 3 or min(sizes) <= 0.0 or len(text) > _MOST):
        raise BadName("A bed has three sizes, each more than nothing, such as 220 × 220 × 250.")
    mine.workshop.bed = text.strip()
    mine.workshop.save(update_fields=["bed"])
