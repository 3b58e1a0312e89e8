"""Load the made-up company: its people, its files, its finished parts. Run again, it changes nothing that is there."""

from __future__ import annotations

import hashlib
import json
from functools import partial
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand
from tectogon.library.cleaning import cleaned
from tectogon.library.told import cleaned_told
from tectogon.route.card import Card, Step, card_from

from tectogon_server.accounts.models import Membership, Workshop
from tectogon_server.computing.requests import ask_run
from tectogon_server.parts.actions.keep_source import in_chunks, kept
from tectogon_server.parts.actions.library import bar_of, keep_sections
from tectogon_server.parts.actions.make_part import make_part_with_card
from tectogon_server.parts.models import LibrarySection, Part

PASSWORD = "river-gauge"
PEOPLE = (
    ("ines", "Ines", "Brandt", "owner"),
    ("tomas", "Tomas", "Reuter", "editor"),
    ("visitor", "Vera", "Lund", "viewer"),
)


SECTIONS: dict[str, dict[str, Any]] = {
    "cable-tray.dxf": {"number": "FH-310", "name": "Cable tray", "family": "Trays", "material": "steel"},
    "guide-rail.dxf": {"number": "FH-2203", "name": "Guide rail", "family": "Rails", "material": "aluminium"},
    "trim-strip.dxf": {"number": "FH-480", "name": "Trim strip", "family": "Trims", "material": "aluminium"},
}
SECTIONS_BY_NUMBER = {facts["number"]: facts for facts in SECTIONS.values()}
BARS: dict[str, list[tuple[str, dict[str, Any]]]] = {
    "Tray deck": [("FH-310", {"length": "1250 mm", "count": 3})],
    "Mast bracket": [
        ("FH-2203", {"length": "400 mm", "end": 45, "insertion": "corner"}),
        ("FH-2203", {"length": "300 mm", "along": "z", "x": "-40 mm", "insertion": "corner"}),
    ],
}


class Command(BaseCommand):
    help = "Load the demo company Fernmoor Hydrographics."

    def handle(self, *args: Any, **options: Any) -> None:
        workshop, _ = Workshop.objects.get_or_create(name="Fernmoor Hydrographics")
        for username, first, last, role in PEOPLE:
            user, fresh = User.objects.get_or_create(
                username=username, defaults={"first_name": first, "last_name": last}
            )
            if fresh:
                user.set_password(PASSWORD)
                user.save()
            Membership.objects.get_or_create(user=user, defaults={"workshop": workshop, "role": role})
        owner = User.objects.get(username="ines")
        for path in sorted((settings.BASE / "demo" / "cards").glob("*.json")):
            data = json.loads(path.read_text())
            part = Part.objects.of(owner).filter(name=data["name"]).first() or self._make(
                owner, workshop, data["name"], card_from(data)
            )
            if part.head is not None and (not part.computed_key or part.picture is None):
                ask_run(owner, part, card_from(part.head.card), "saved")
        if not LibrarySection.objects.of(owner).exists():
            self._library(owner)

    def _library(self, owner: User) -> None:
        """The company's sections, and two parts of bars of them."""
        folder = settings.BASE / "demo" / "files"
        for file, facts in SECTIONS.items():
            keep_sections(owner, [cleaned_told(cleaned(folder / file, family=str(facts["family"])))], facts)
        for name, bars in BARS.items():
            steps: list[Step] = []
            sources: dict[str, str] = {}
            for number, values in bars:
                section = LibrarySection.objects.of(owner).select_related("drawing").get(number=number, current=True)
                source, sha, usual = bar_of(section)
                sources[source] = sha
                steps.append(Step(number=10 * len(steps) + 10, kind="bar", params={**usual, **values}))
            material = SECTIONS_BY_NUMBER[bars[0][0]]["material"]
            steps.append(Step(number=10 * len(steps) + 10, kind="material", params={"material": material}))
            part = make_part_with_card(owner, name, Card(steps=tuple(steps), sources=sources))
            assert part.head is not None
            ask_run(owner, part, card_from(part.head.card), "saved")

    def _make(self, owner: User, workshop: Workshop, name: str, card: Card) -> Part:
        for file, sha in card.sources.items():
            content = (settings.BASE / "demo" / "files" / file).read_bytes()
            if hashlib.sha256(content).hexdigest() != sha:
                raise SystemExit(
                    f"demo/files/{file} is not the file that its card was made from; run python demo/make.py"
                )
            kept(workshop, partial(in_chunks, content))
        return make_part_with_card(owner, name, card)
