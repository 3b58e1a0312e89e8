"""What people did that no revision tells of, and the list of all they did."""

from __future__ import annotations

from django.contrib.auth.models import User

from tectogon_server.accounts.models import Deed, membership_of


def record(user: User, words: str) -> None:
    """Keep what a person did, in words."""
    membership = membership_of(user)
    if membership:
        Deed.objects.create(workshop_id=membership.workshop_id, who=user, words=words[:300])
