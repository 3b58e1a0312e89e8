"""Replace a source of a part by a newer issue of the file: the card is kept and replayed on it."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from tectogon.route.card import card_from
from tectogon.route.replace import replace_source as replaced

from tectogon_server.parts.actions.keep_source import check_name, keep_source
from tectogon_server.parts.actions.save_card import save_card
from tectogon_server.parts.models import Part, Revision


def replace_source(user: User, part_id: int, based_on: int, old: str, file: UploadedFile) -> Revision:
    """A new revision of the card on the newer file. Raises what keep_source and save_card raise, BadValue for a source
    that is not there."""
    part = Part.objects.of(user).select_related("head").get(pk=part_id)
    if part.head is None:
        raise Part.DoesNotExist
    new = check_name(file.name or "drawing")
    source = keep_source(user, file)
    card = replaced(card_from(part.head.card), old, new, source.sha256)
    return save_card(user, part_id, based_on, card.model_dump(mode="json"), f"Replaced {old[:100]} by {new[:100]}")
