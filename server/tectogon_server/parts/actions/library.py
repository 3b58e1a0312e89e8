"""The workshop's library of sections: sections kept, changed by a new issue, put away, handed on, made into parts."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.utils import timezone
from pydantic import ValidationError
from tectogon.errors import OverLimit, UnreadableFile
from tectogon.library.archive import MOST_BYTES, MOST_SECTIONS
from tectogon.library.section import SectionFacts
from tectogon.route.card import Card, Step

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.accounts.models import Workshop
from tectogon_server.errors import BadName
from tectogon_server.parts.actions.keep_source import check_name, in_chunks, keep_source, kept
from tectogon_server.parts.actions.make_part import make_part_with_card
from tectogon_server.parts.models import LibrarySection, Part, Source


def desk_of(workshop: Workshop) -> Part:
    """Where drawings for the library are worked on; it stands on no shelf."""
    desk, _ = Part.objects.get_or_create(
        workshop=workshop, desk=True, defaults={"name": "Library", "archived": timezone.now()}
    )
    return desk


def drawing_given(user: User, file: UploadedFile) -> Card:
    """A supplier's drawing, kept, as a card that reads it. Raises what `keep_source` raises."""
    source = keep_source(user, file)
    return _reading(check_name(file.name or "drawing"), source)


def library_given(user: User, file: UploadedFile) -> Card:
    """A library from another workshop, kept. Raises NotAllowed, OverLimit, UnreadableFile."""
    workshop = editor(user).workshop
    if (file.size or 0) > MOST_BYTES // 4:
        raise OverLimit(f"{file.name} is larger than a library may be ({MOST_BYTES // 4_000_000} MB).")
    data = file.read()
    if not data.startswith(b"PK"):
        raise UnreadableFile(f"{file.name} is no library of sections.")
    return _reading("library.zip", kept(workshop, lambda: in_chunks(data)))


def _reading(name: str, source: Source) -> Card:
    step = Step(number=10, kind="read", params={"source": name})
    return Card(steps=(step,), sources={name: source.sha256})


def keep_sections(user: User, told: Iterable[dict[str, Any]], changes: dict[str, Any]) -> list[LibrarySection]:
    """Keep sections as a computation left them, with facts that were written by hand. One that is there already, and is
    the same, stays; else it becomes the next issue of its number. Raises NotAllowed, BadName, OverLimit."""
    mine = editor(user)
    return [_keep(user, mine.workshop, one, changes) for one in told]


@transaction.atomic
def _keep(user: User, workshop: Workshop, told: dict[str, Any], changes: dict[str, Any]) -> LibrarySection:
    facts = checked({**told["facts"], **changes})
    data = told["dxf"].encode()
    newest = _newest(workshop, facts.number)
    if newest is not None and _alike(newest, facts, told) and not newest.away:
        return newest
    drawing = kept(workshop, lambda: in_chunks(data))
    if newest is None and LibrarySection.objects.filter(workshop=workshop, current=True).count() >= MOST_SECTIONS:
        raise OverLimit(f"The library holds {MOST_SECTIONS} sections already; put some away first.")
    return _issued(user, workshop, newest, facts, drawing, told["figures"], told["outline"])


def change_section(user: User, section_id: int, changes: dict[str, Any]) -> LibrarySection:
    """The next issue of a section, with other facts. Raises NotAllowed, BadName; a number that another section has is
    refused."""
    mine = editor(user)
    with transaction.atomic():
        found: LibrarySection = LibrarySection.objects.of(user).select_for_update(of=("self",)).get(pk=section_id)
        facts = checked({**found.facts, **changes})
        if facts.number != found.number and _newest(mine.workshop, facts.number) is not None:
            raise BadName(f"There is a section {facts.number} already; two can't have one number.")
        if facts.number != found.number:
            LibrarySection.objects.filter(workshop=mine.workshop, number=found.number).update(current=False, away=True)
        figures = {**found.figures, "kg_per_m": _mass(facts, found.figures["area"])}
        return _issued(user, mine.workshop, _newest(mine.workshop, facts.number), facts, found.drawing, figures,
                       found.outline)  # fmt: skip


def put_away(user: User, section_id: int, *, away: bool) -> None:
    """Put a section away, or bring it back. Raises NotAllowed."""
    editor(user)
    found = LibrarySection.objects.of(user).get(pk=section_id)
    LibrarySection.objects.filter(pk=found.pk).update(away=away)


def bar_of(section: LibrarySection) -> tuple[str, str, dict[str, Any]]:
    """What a bar of a section is made with: the name and hash of its drawing, and values of the step."""
    name = f"{section.number.replace('/', '-')} issue {section.issue}.dxf"
    values = {
        "section": section.number,
        "issue": section.issue,
        "source": name,
        "at": section.facts["insertion_mm"],
        "pitch": section.facts.get("pitch_mm") or "",
    }
    return name, section.drawing.sha256, values


def make_bar(user: User, section_id: int, length: str) -> Part:
    """A part that is one bar of a section. Raises NotAllowed."""
    section = LibrarySection.objects.of(user).select_related("drawing").get(pk=section_id)
    name, sha, values = bar_of(section)
    steps = [Step(number=10, kind="bar", params={**values, "length": length})]
    if section.facts.get("material"):
        material = section.facts["material"].replace(" ", "_")
        steps.append(Step(number=20, kind="material", params={"material": material}))
    card = Card(steps=tuple(steps), sources={name: sha})
    title = f"{section.number} {section.facts.get('name', '')}"[:100].strip()
    return make_part_with_card(user, title, card, "Made a bar of the library")


def checked(values: dict[str, Any]) -> SectionFacts:
    """Facts that can be kept. Raises BadName naming the value."""
    try:
        return SectionFacts.model_validate(values)
    except ValidationError as problem:
        error = problem.errors()[0]
        where = str(error["loc"][0]).replace("_mm", "").replace("_", " ") if error["loc"] else "it"
        raise BadName(f"The section's {where} can't be that: {error['msg'].lower()}.") from None


def _issued(
    user: User,
    workshop: Workshop,
    newest: LibrarySection | None,
    facts: SectionFacts,
    drawing: Source,
    figures: dict[str, Any],
    outline: Any,
) -> LibrarySection:
    issue = 1 if newest is None else newest.issue + 1
    LibrarySection.objects.filter(workshop=workshop, number=facts.number).update(current=False)
    made: LibrarySection = LibrarySection.objects.create(
        workshop=workshop,
        number=facts.number,
        issue=issue,
        facts={**facts.model_dump(mode="json"), "issue": issue},
        figures={**figures, "kg_per_m": _mass(facts, figures["area"])},
        outline=outline,
        drawing=drawing,
        author=user,
    )
    return made


def _newest(workshop: Workshop, number: str) -> LibrarySection | None:
    found: LibrarySection | None = LibrarySection.objects.filter(workshop=workshop, number=number).first()
    return found


def _alike(newest: LibrarySection, facts: SectionFacts, told: dict[str, Any]) -> bool:
    """Whether a section is the newest issue once more: the bytes of its drawing carry a date, its outline none."""

    def plain(values: dict[str, Any], outline: Any) -> str:
        said = {k: v for k, v in values.items() if k != "issue"}
        return json.dumps([said, outline], sort_keys=True)

    return plain(facts.model_dump(mode="json"), told["outline"]) == plain(newest.facts, newest.outline)


def _mass(facts: SectionFacts, area: float) -> float | None:
    """kg per metre."""
    from tectogon.operations.material import DENSITIES

    density = DENSITIES.get(facts.material.replace(" ", "_"))
    return None if density is None else area * density / 1000.0
