"""How much room a workshop takes, and how some of it is let go."""

from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Sum
from tectogon.errors import OverLimit

from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.actions.permission import owner
from tectogon_server.accounts.models import Workshop
from tectogon_server.parts.models import LibrarySection, Part, Revision, Source


@dataclass(frozen=True)
class Sizes:
    """Bytes of the files, and how many there may be; numbers of parts, of those put away and what they alone need, of
    revisions, of sections."""

    files: int
    most: int
    parts: int
    put_away: int
    put_away_bytes: int
    revisions: int
    sections: int


def most_of(workshop: Workshop) -> int:
    """How many bytes a workshop's files may take."""
    return workshop.most_bytes or settings.WORKSHOP_BYTES


def check_room(workshop: Workshop, more: int) -> None:
    """Raises OverLimit where so many bytes more would be too much."""
    taken = _bytes(Source.objects.filter(workshop=workshop))
    if taken + more > most_of(workshop):
        raise OverLimit(
            f"The workshop's files take {taken / 1e6:.0f} MB of {most_of(workshop) / 1e6:.0f} MB: there is no room for"
            f" {more / 1e6:.1f} MB more. An owner can delete the parts that were removed."
        )


def sizes_of(user: User) -> Sizes:
    """What the workshop takes. Raises NotAllowed for all but owners."""
    workshop = owner(user).workshop
    parts = Part.objects.filter(workshop=workshop, desk=False)
    return Sizes(
        _bytes(Source.objects.filter(workshop=workshop)),
        most_of(workshop),
        parts.count(),
        parts.exclude(archived=None).count(),
        _bytes(Source.objects.filter(workshop=workshop, sha256__in=_only_put_away(workshop))),
        Revision.objects.filter(workshop=workshop).count(),
        LibrarySection.objects.filter(workshop=workshop).count(),
    )


@transaction.atomic
def let_go(user: User) -> int:
    """Delete the parts that were put away, with their revisions, and the files that only they needed. Returns how many
    parts. Raises NotAllowed for all but owners."""
    workshop = owner(user).workshop
    files = _only_put_away(workshop)
    gone = Part.objects.select_for_update(of=("self",)).filter(workshop=workshop, desk=False).exclude(archived=None)
    count = len(gone)
    Part.objects.filter(pk__in=[p.pk for p in gone]).update(head=None)
    Revision.objects.filter(part__in=gone).update(parent=None)
    for part in gone:
        part.delete()
    Source.objects.filter(workshop=workshop, sha256__in=files).delete()
    record(user, f"Deleted {count} parts that were removed")
    return count


def _only_put_away(workshop: Workshop) -> set[str]:
    """Hashes of the files that revisions of parts put away name, and none of another part, nor a section."""
    put_away, wanted = set[str](), set[str]()
    rows = Revision.objects.filter(workshop=workshop).values_list("part__archived", "part__desk", "card__sources")
    for archived, desk, sources in rows.iterator():
        (put_away if archived is not None and not desk else wanted).update((sources or {}).values())
    wanted |= set(LibrarySection.objects.filter(workshop=workshop).values_list("drawing__sha256", flat=True))
    return put_away - wanted


def _bytes(rows: object) -> int:
    return int(rows.aggregate(total=Sum("size"))["total"] or 0)  # type: ignore[attr-defined]
