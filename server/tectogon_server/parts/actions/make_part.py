"""Make a part from a file, or from the files of one board: a card with a step that reads each."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from tectogon.operations import bringing_in
from tectogon.route.card import Card, Step, card_from

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.parts.actions.keep_source import check_name, head_of, keep_source
from tectogon_server.parts.models import Part, Revision


def make_part(user: User, name: str, *files: UploadedFile) -> Part:
    """A new part whose card reads the files, the layers of one board on each other. Raises what keep_source raises."""
    title = check_name(name)
    steps: list[Step] = []
    sources: dict[str, str] = {}
    for n, file in enumerate(files):
        source = keep_source(user, file)
        shown = check_name(file.name or "drawing")
        if shown in sources:
            shown = check_name(f"{n + 1} {shown}")
        sources[shown] = source.sha256
        place = {"place": "auto"} if n else {}
        step = Step(number=10 * (n + 1), kind=bringing_in(head_of(file)), params={"source": shown, **place})
        steps.append(step)
    return make_part_with_card(user, title, Card(steps=tuple(steps), sources=sources))


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
