"""Save a changed card as a new revision, if nobody else has saved in between."""

from __future__ import annotations

import re
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from tectogon.errors import CardUnreadable
from tectogon.route.card import Card, card_from

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.errors import Clash, NotAllowed
from tectogon_server.news import tell
from tectogon_server.parts.models import Part, Revision, Source

_SHA256 = re.compile(r"[0-9a-f]{64}")


def check_sources(user: User, card: Card, head: Revision | None = None) -> None:
    """Raises CardUnreadable where the card names a file that is not among those of the person's workshop. What `head`
    names was looked up when that was recorded."""
    if head and card.sources.items() <= head.card.get("sources", {}).items():
        return
    odd = next((name for name, sha in card.sources.items() if not _SHA256.fullmatch(sha)), None)
    if odd is not None:
        raise CardUnreadable(f"The card names the file “{odd[:80]}” by something that is no hash of a file.")
    known = set(Source.objects.of(user).filter(sha256__in=card.sources.values()).values_list("sha256", flat=True))
    missing = next((name for name, sha in card.sources.items() if sha not in known), None)
    if missing is not None:
        raise CardUnreadable(f"The file “{missing[:80]}” was never brought in.")


def locked_part(user: User, part_id: int, based_on: int) -> Part:
    """The part, locked for this transaction. Raises Clash when its head is no longer the revision that the change is
    based on, NotAllowed where the part is released."""
    part = Part.objects.of(user).select_for_update(of=("self",)).get(pk=part_id)
    if part.released is not None:
        raise NotAllowed(f"Issue {part.issue} of “{part.name}” is released: it stays as it is. Make its next issue.")
    part.head = head = Revision.objects.get(pk=part.head_id)
    if head.number != based_on:
        who = (
            head.author.get_full_name() or head.author.username
            if head.author and head.author != user
            else "you, in another window"
        )
        raise Clash(
            f"This part was changed meanwhile by {who} (“{head.change}”). Your change is still here, unsaved: look at"
            " the newer card, then record it again."
        )
    return part


def tell_changed(part: Part, user: User, change: str) -> None:
    """Tell everybody of the workshop that a part has another card now."""
    assert part.head is not None
    who = user.get_full_name() or user.username
    tell(part.workshop_id, "part", part=part.pk, revision=part.head.number, who=who, change=change[:200])


@transaction.atomic
def save_card(user: User, part_id: int, based_on: int, card: dict[str, Any], change: str) -> Part:
    """The part with this card as its new revision. Raises Clash, CardUnreadable, NotAllowed."""
    editor(user)
    part = locked_part(user, part_id, based_on)
    checked = card_from(card)
    check_sources(user, checked, part.head)
    last = Revision.objects.filter(part=part).order_by("-number").values_list("number", flat=True).first() or 0
    revision = Revision.objects.create(
        workshop_id=part.workshop_id,
        part=part,
        number=last + 1,
        parent_id=part.head_id,
        card=checked.model_dump(mode="json"),
        change=change[:300],
        author=user,
    )
    part.set_head(revision)
    tell_changed(part, user, change)
    return part
