"""A newer issue of a drawing in the place of an older one: the card stays, its steps refer to the new file."""

from __future__ import annotations

from typing import Any

from tectogon.errors import BadValue
from tectogon.route.card import Card

NEWER = "newer issue"
"""The name under which a newer issue stands among the sources of a card while it is held against the older one."""

THEN = "then: "
"""How the names of an earlier revision's sources begin while it is held against the part as it is now."""


def replace_source(card: Card, old: str, new: str, sha256: str) -> Card:
    """The card with the source `old` taken by the file `new` of this hash; whatever named the old one names the new
    one.

    Raises BadValue where `old` is not among the card's sources, or `new` is another one of them.
    """
    if old not in card.sources:
        raise BadValue(f"The file “{old[:80]}” is not among the sources of this part.")
    if new != old and new in card.sources:
        raise BadValue(f"“{new[:80]}” is another source of this part already; give the newer file a name of its own.")
    sources = {new if name == old else name: sha256 if name == old else sha for name, sha in card.sources.items()}

    def renamed(params: dict[str, Any]) -> dict[str, Any]:
        return {**params, "source": new} if params.get("source") == old else params

    return card.model_copy(
        update={
            "sources": sources,
            "steps": tuple(s.model_copy(update={"params": renamed(s.params)}) for s in card.steps),
        }
    )
