"""A part of the shelf stands in another: its solid, as it is now, becomes one of the other's files."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import User

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.errors import BadName
from tectogon_server.parts.actions.keep_source import in_chunks, kept
from tectogon_server.parts.actions.save_card import save_card
from tectogon_server.parts.models import Part

_MOST = 10_000


def check_placing(user: User, into: Part, other: Part) -> None:
    """Raises BadName where a part would stand in itself, by whatever detour."""
    if into.pk == other.pk:
        raise BadName("A part can't stand in itself.")
    if into.pk in set(_within(user, other)):
        raise BadName(f"“{into.name}” stands in “{other.name}” already; one can't stand in the other both ways.")


def _within(user: User, part: Part) -> Iterator[int]:
    """The parts that stand in a part, and those that stand in them."""
    todo, seen = [part.pk], set[int]()
    while todo and len(seen) < _MOST:
        heads = Part.objects.of(user).filter(pk__in=todo).values_list("head__card", flat=True)
        steps = [s for card in heads for s in (card or {}).get("steps", []) if s.get("kind") == "place_part"]
        found = {there for s in steps if isinstance(there := (s.get("params") or {}).get("part"), int)}
        todo = sorted(found - seen)
        seen |= found
        yield from todo


def put_into(user: User, into: Part, based_on: int, other: Part, revision: int, solid: bytes) -> dict[str, Any]:
    """Keep the solid of a revision of another part among the files of a part. Returns values of the step that places
    it. Raises what `check_placing` and `save_card` raise."""
    check_placing(user, into, other)
    workshop = editor(user).workshop
    source = kept(workshop, lambda: in_chunks(solid))
    name = f"{other.name[:80].replace('/', '-')} revision {revision}.step"
    assert into.head is not None
    sources = into.head.card.get("sources", {})
    if sources.get(name) != source.sha256:
        card = {**into.head.card, "sources": {**sources, name: source.sha256}}
        save_card(user, into.pk, based_on, card, f"Brought in “{other.name[:100]}”, revision {revision}")
    made_of, density = other.figures.get("material"), other.figures.get("density")
    material = {"material": made_of[:60], "density": density} if made_of and density else {}
    return {"part": other.pk, "name": other.name[:60], "revision": revision, "source": name, **material}
