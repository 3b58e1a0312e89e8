"""The workshop's library of sections."""

from __future__ import annotations

import json
import tempfile
from functools import lru_cache
from pathlib import Path
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router
from ninja.files import UploadedFile
from tectogon.formats import ReadOptions, read_drawing
from tectogon.formats.svg_out import linework_as_svg
from tectogon.library.archive import write_library
from tectogon.library.section import LibrarySection as CoreSection
from tectogon.library.section import SectionFacts, section_from
from tectogon.operations.material import DENSITIES

from tectogon_server.api import shapes
from tectogon_server.api.computed import state_of
from tectogon_server.api.people import person
from tectogon_server.api.typed import Numbers
from tectogon_server.computing import requests, results
from tectogon_server.computing.models import Computation
from tectogon_server.parts.actions import library as actions
from tectogon_server.parts.actions.keep_source import chunks_of_source
from tectogon_server.parts.actions.save_card import save_card
from tectogon_server.parts.actions.supplier import catalogue, drawing_of, row_of, table_of_sizes, taken
from tectogon_server.parts.models import LibrarySection, Part

router = Router()
_ALL: list[int] = []


@router.get("/library", response=shapes.LibraryOut)
def sections(request: HttpRequest) -> shapes.LibraryOut:
    """The sections in force, those put away too, and the materials that they may be of."""
    rows = LibrarySection.objects.of(person(request)).filter(current=True).select_related("author")
    return shapes.LibraryOut(sections=[_told(s) for s in rows], materials=[n.replace("_", " ") for n in DENSITIES])


@router.get("/library/numbers/{number}", response=list[shapes.SectionOut])
def issues(request: HttpRequest, number: str) -> list[shapes.SectionOut]:
    """Every issue of a section, the newest first."""
    found = [_told(s) for s in LibrarySection.objects.of(person(request)).filter(number=number)]
    if not found:
        raise LibrarySection.DoesNotExist
    return found


@router.post("/library/drawings", response=shapes.ComputationState)
def clean(request: HttpRequest, file: UploadedFile = File(...), family: str = Form("")) -> shapes.ComputationState:  # noqa: B008
    """A supplier's drawing, to be cleaned."""
    user = person(request)
    card = actions.drawing_given(user, file)
    return _on_desk(request, "clean", card, {"family": family[:200]})


@router.post("/library/files", response=shapes.ComputationState)
def bring_in(request: HttpRequest, file: UploadedFile = File(...)) -> shapes.ComputationState:  # noqa: B008
    """A library that another workshop handed over, to be read."""
    return _on_desk(request, "library", actions.library_given(person(request), file), {})


@router.get("/supplier", response=shapes.SupplierOut)
def supplier(request: HttpRequest) -> shapes.SupplierOut:
    """The supplier's catalogue, and which of it the library holds."""
    mine = LibrarySection.objects.of(person(request)).filter(current=True).values_list("number", flat=True)
    here = {n.lower() for n in mine}
    rows = [shapes.SupplierRow(**row, here=row["number"].lower() in here) for row in catalogue()["sections"]]
    return shapes.SupplierOut(name=catalogue()["name"], sections=rows)


@router.get("/supplier/table", response={200: None})
def supplier_table(request: HttpRequest) -> HttpResponse:
    """The supplier's table of sizes, as he prints it."""
    response = HttpResponse(table_of_sizes().read_bytes(), content_type="application/pdf")
    response["Content-Disposition"] = 'attachment; filename="sizes.pdf"'
    return response


@router.get("/supplier/{number}/picture", response={200: None})
def supplier_picture(request: HttpRequest, number: str) -> HttpResponse:
    """A section's drawing as the supplier drew it, as a picture."""
    response = HttpResponse(_picture_of(number), content_type="image/svg+xml")
    response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
    response["Cache-Control"] = "private, max-age=3600"
    return response


@lru_cache(maxsize=256)
def _picture_of(number: str) -> bytes:
    found = read_drawing(drawing_of(number), ReadOptions(), called=number)
    return linework_as_svg(found.linework)


@router.post("/supplier/{number}", response=shapes.ComputationState)
def take_from_supplier(request: HttpRequest, number: str) -> shapes.ComputationState:
    """A section of the supplier, to be cleaned; the sizes of its table are held against the drawing."""
    row = row_of(number)
    card = taken(person(request), number)
    sizes = {k: row[k] for k in ("wide_mm", "high_mm", "thickness_mm")}
    options = {"family": row["family"], "number": number, "sizes": sizes}
    return _on_desk(request, "clean", card, options)


def _on_desk(request: HttpRequest, kind: str, card: Any, options: dict[str, Any]) -> shapes.ComputationState:
    user = person(request)
    desk = actions.desk_of(user.membership.workshop)
    return state_of(requests.ask_export(user, desk, card, {"kind": "json", **options}, kind=kind))


@router.post("/library/kept", response=shapes.KeptOut)
def keep(request: HttpRequest, given: shapes.KeepIn) -> shapes.KeptOut:
    """Keep what a computation found, with facts that were written by hand."""
    found = Computation.objects.of(person(request)).get(pk=given.computation)
    path = results.found(found.key, "file")
    if found.kind not in ("clean", "library", "section") or not path.exists():
        raise Computation.DoesNotExist
    told = json.loads(path.read_bytes())
    every = told["sections"] if found.kind == "library" else [told]
    kept = actions.keep_sections(person(request), every, given.facts if found.kind != "library" else {})
    return shapes.KeptOut(sections=[_told(s) for s in kept], problems=told.get("problems", []))


@router.patch("/library/sections/{section_id}", response=shapes.SectionOut)
def change(request: HttpRequest, section_id: int, given: shapes.FactsIn) -> shapes.SectionOut:
    """Other facts: the next issue."""
    return _told(actions.change_section(person(request), section_id, given.facts))


@router.put("/library/sections/{section_id}/away", response={204: None})
def put_away(request: HttpRequest, section_id: int, given: shapes.AwayIn) -> tuple[int, None]:
    actions.put_away(person(request), section_id, away=given.away)
    return 204, None


@router.post("/library/sections/{section_id}/parts", response=shapes.MadeOut)
def make_bar(request: HttpRequest, section_id: int, given: shapes.BarIn) -> shapes.MadeOut:
    """A part that is one bar of a section."""
    return shapes.MadeOut(part=actions.make_bar(person(request), section_id, given.length).pk)


@router.post("/library/sections/{section_id}/uses", response=shapes.UseOut)
def use(request: HttpRequest, section_id: int, given: shapes.UseIn) -> shapes.UseOut:
    """Bring a section into a part: its drawing becomes one of the part's files. `card`: with what to go on."""
    user = person(request)
    section = LibrarySection.objects.of(user).select_related("drawing").get(pk=section_id)
    part = Part.objects.of(user).select_related("head").get(pk=given.part)
    if part.head is None:
        raise Part.DoesNotExist
    name, sha, values = actions.bar_of(section)
    card = {**part.head.card, "sources": {**part.head.card.get("sources", {}), name: sha}}
    if card["sources"] != part.head.card.get("sources"):
        save_card(user, part.pk, given.revision, card, f"Brought in section {section.number} issue {section.issue}")
    return shapes.UseOut(source=name, values=values)


@router.get("/library/file", response={200: None})
def take(request: HttpRequest, ids: Numbers = _ALL) -> HttpResponse:
    """The library, or the sections that are named, as one file."""
    rows = LibrarySection.objects.of(person(request)).filter(current=True, away=False).select_related("drawing")
    wanted = set(ids)
    some = [s for s in rows if not wanted or s.pk in wanted]
    response = HttpResponse(write_library([_core(s) for s in some]), content_type="application/zip")
    response["Content-Disposition"] = 'attachment; filename="sections.zip"'
    return response


def _core(section: LibrarySection) -> CoreSection:
    """A section of our own making: its drawing was written here."""
    with tempfile.NamedTemporaryFile(suffix=".dxf") as file:
        Path(file.name).write_bytes(b"".join(chunks_of_source(section.drawing)))
        found = read_drawing(Path(file.name), ReadOptions(), called=section.number)
    return section_from(found.linework.table, SectionFacts.model_validate(section.facts))


def _told(section: LibrarySection) -> shapes.SectionOut:
    return shapes.SectionOut(
        id=section.pk,
        number=section.number,
        issue=section.issue,
        facts=section.facts,
        figures=section.figures,
        outline=section.outline,
        away=section.away,
        made=section.made,
        who=section.author.first_name or section.author.username if section.author else "",
    )
