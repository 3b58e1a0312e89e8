"""The supplier whose catalogue ships with the product: made up, its drawings and its table of sizes in a folder."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from tectogon.route.card import Card, Step

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.parts.actions.keep_source import in_chunks, kept
from tectogon_server.parts.models import LibrarySection


@lru_cache(maxsize=1)
def catalogue() -> dict[str, Any]:
    """Its name, and its sections with the sizes that its table states (mm, kg/m)."""
    found: dict[str, Any] = json.loads((_folder() / "catalogue.json").read_text())
    return found


def drawing_of(number: str) -> Path:
    """The drawing of a section. Raises LibrarySection.DoesNotExist for a number that is not in the catalogue."""
    return _folder() / str(row_of(number)["file"])


def table_of_sizes() -> Path:
    """The supplier's own table of sizes, a PDF."""
    return _folder() / "sizes.pdf"


def row_of(number: str) -> dict[str, Any]:
    """What the table states of a section. Raises LibrarySection.DoesNotExist."""
    found = next((s for s in catalogue()["sections"] if s["number"] == number), None)
    if found is None:
        raise LibrarySection.DoesNotExist
    return dict(found)


def taken(user: User, number: str) -> Card:
    """A section's drawing, kept as a source of the workshop, as a card that reads it. Raises NotAllowed."""
    workshop = editor(user).workshop
    path = drawing_of(number)
    source = kept(workshop, lambda: in_chunks(path.read_bytes()))
    step = Step(number=10, kind="read", params={"source": path.name})
    return Card(steps=(step,), sources={path.name: source.sha256})


def _folder() -> Path:
    return settings.BASE / "demo" / "supplier"
