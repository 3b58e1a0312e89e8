"""Who has a part open just now."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.utils import timezone

from tectogon_server.news import tell
from tectogon_server.parts.models import Part, Presence

HERE_FOR = timedelta(seconds=30)
"""Who has not been heard of for so long has left."""


def say_here(user: User, part: Part, *, leaving: bool = False) -> list[str]:
    """Note that a person has the part open, or leaves it; the names of all who have, in order. Others are told where
    that changes."""
    now = timezone.now()
    before = _names(part)
    Presence.objects.filter(part=part, seen__lt=now - HERE_FOR).delete()
    if leaving:
        Presence.objects.filter(part=part, user=user).delete()
    else:
        Presence.objects.update_or_create(part=part, user=user, defaults={"seen": now})
    after = _names(part)
    if after != before:
        tell(part.workshop_id, "present", part=part.pk, people=after)
    return after


def _names(part: Part) -> list[str]:
    since = timezone.now() - HERE_FOR
    rows = Presence.objects.filter(part=part, seen__gte=since).select_related("user").order_by("user__username")
    return [row.user.get_full_name() or row.user.username for row in rows]
