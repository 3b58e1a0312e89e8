"""What is done with a part as a whole: its name, number and labels, copying it, putting it away, bringing it back."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from tectogon.route.card import card_from

from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.actions.permission import editor
from tectogon_server.errors import BadName, NotAllowed
from tectogon_server.news import tell
from tectogon_server.parts.actions.keep_source import check_name
from tectogon_server.parts.actions.make_part import make_part_with_card
from tectogon_server.parts.models import Part

_MOST_LABELS, _LONGEST_NUMBER, _LONGEST_LABEL = 12, 40, 40


@transaction.atomic
def describe(
    user: User,
    part: Part,
    *,
    name: str | None = None,
    number: str | None = None,
    labels: list[str] | None = None,
    archived: bool | None = None,
    released: bool = False,
) -> None:
    """Change what is given. What is released keeps its name and number. Raises NotAllowed, BadName."""
    editor(user)
    if part.released is not None and (name not in (None, part.name) or number not in (None, part.number)):
        raise NotAllowed(f"Issue {part.issue} of “{part.name}” is released: its name and number stay.")
    if name is not None and (fresh := check_name(name)) != part.name:
        record(user, f"Renamed “{part.name}” to “{fresh}”")
        part.name = fresh
    if number is not None:
        part.number = _checked(number, _LONGEST_NUMBER, "number", empty=True)
    if labels is not None:
        if len(labels) > _MOST_LABELS:
            raise BadName(f"A part has {_MOST_LABELS} labels at most.")
        part.labels = list(dict.fromkeys(_checked(label, _LONGEST_LABEL, "label") for label in labels))
    if archived is not None and archived != (part.archived is not None):
        part.archived = timezone.now() if archived else None
        record(user, f"{'Removed' if archived else 'Brought back'} “{part.name}”")
    # the date of the last change stays: it is that of the card
    Part.objects.filter(pk=part.pk).update(
        name=part.name, number=part.number, labels=part.labels, archived=part.archived
    )
    tell(part.workshop_id, "shelf", part=part.pk)
    if released and part.released is None:
        Part.objects.filter(pk=part.pk).update(released=timezone.now())
        record(user, f"Released issue {part.issue} of “{part.name}”")


def copy(user: User, part: Part, *, next_issue: bool = False) -> Part:
    """Another part with the same card: a copy, or its next issue, in work. Raises NotAllowed."""
    editor(user)
    if part.head is None:
        raise Part.DoesNotExist
    name = part.name if next_issue else f"{part.name[:110]} (copy)"
    words = f"Issue {part.issue + 1}, from issue {part.issue}" if next_issue else f"Copied from “{part.name}”"
    made = make_part_with_card(user, name, card_from(part.head.card), words)
    Part.objects.filter(pk=made.pk).update(
        labels=part.labels, picture=part.picture, figures=part.figures, gauges=part.gauges,
        number=part.number if next_issue else "", issue=part.issue + 1 if next_issue else 1,
    )  # fmt: skip
    made.refresh_from_db()
    return made


def _checked(text: str, longest: int, what: str, *, empty: bool = False) -> str:
    text = " ".join(text.split())
    if "\0" in text or len(text) > longest or not (text or empty):
        raise BadName(f"A {what} has 1 to {longest} characters.")
    return text
