"""Make a part from a file: a card with one step that reads it."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from tectogon.operations import bringing_in
from tectogon.route.card import Card, Step, card_from

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.parts.actions.keep_source import check_name, head_of, keep_source
from tectogon_server.parts.models import Part, Revision


def make_part(user: User, name: str, file: UploadedFile) -> Part:
    """A new part whose card reads the file. Raises what keep_source raises."""
    title = check_name(name)
    source = keep_source(user, file)
    shown = check_name(file.name or "drawing")
    step = Step(number=10, kind=bringing_in(head_of(file)), params={"source": shown})
    card = Card(steps=(step,), sources={shown: source.sha256})
    return make_part_with_card(user, title, card)


@transaction.atomic
def make_part_with_card(user: User, name: str, card: Card, change: str = "Made the part") -> Part:
    """A new part with a whole card, whose sources are already kept."""
    membership = editor(user)
    card = card_from(card.model_dump(mode="json"))
    part = Part.objects.create(workshop=membership.workshop, name=check_name(name))
    first = Revision.objects.create(
        workshop=membership.workshop,
        part=part,
        number=1,
        parent=None,
        card=card.model_dump(mode="json"),
        change=change[:300],
        author=user,
    )
    part.set_head(first)
    return part
