"""Undo and redo: move the part's head to the revision before, or to the newest one made from it. Nothing is deleted."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.errors import NothingThere
from tectogon_server.parts.actions.save_card import locked_part, tell_changed
from tectogon_server.parts.models import Part, Revision


def earlier(part: Part) -> Revision | None:
    """What undo leads to."""
    return part.head.parent if part.head else None


def later(part: Part) -> Revision | None:
    """What redo leads to."""
    return Revision.objects.filter(parent=part.head_id).order_by("-number").first()


@transaction.atomic
def undo(user: User, part_id: int, based_on: int) -> Part:
    return _move(user, part_id, based_on, "undo")


@transaction.atomic
def redo(user: User, part_id: int, based_on: int) -> Part:
    return _move(user, part_id, based_on, "redo")


def _move(user: User, part_id: int, based_on: int, way: str) -> Part:
    editor(user)
    part = locked_part(user, part_id, based_on)
    target = earlier(part) if way == "undo" else later(part)
    if target is None:
        raise NothingThere(f"There is nothing to {way}.")
    part.set_head(target)
    tell_changed(part, user, f"{way}: {target.change}")
    return part
