"""Cut lists: the bars of parts, packed into stock lengths."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from django.http import HttpRequest, HttpResponse
from ninja import Router
from ninja.errors import HttpError
from tectogon.display.table_cells import plain_cell
from tectogon.errors import BadValue
from tectogon.library.bars_wanted import bars_wanted
from tectogon.library.cut_list import Cut, packed
from tectogon.route.card import card_from

from tectogon_server.api import shapes
from tectogon_server.api.people import person
from tectogon_server.api.typed import Millimetres, Numbers
from tectogon_server.parts.models import LibrarySection, Part

router = Router()
_MOST_PARTS, _MOST_BARS = 200, 5000


@router.get("/cut-list", response=shapes.CutListOut)
def cut_list(
    request: HttpRequest, parts: Numbers, stock: Millimetres = 6000.0, kerf: Millimetres = 3.0
) -> shapes.CutListOut:
    """The bars of parts (their numbers, with commas), and how stock lengths (mm) are cut for them."""
    mine = (
        Part.objects.of(person(request))
        .filter(pk__in=parts[:_MOST_PARTS], desk=False)
        .select_related("head")
        .order_by("pk")
    )
    cards = [(p.name, card_from(p.head.card)) for p in mine if p.head is not None]
    if not cards:
        raise Part.DoesNotExist
    sections = LibrarySection.objects.of(person(request)).filter(current=True).order_by("issue")
    known = {s.number: s.figures for s in sections}
    wanted = bars_wanted(cards, {s.number: s.outline for s in sections})
    if sum(c.count for cuts in wanted.values() for c in cuts) > _MOST_BARS:
        raise HttpError(422, f"These parts have more than {_MOST_BARS} bars; take fewer parts at once.")
    return shapes.CutListOut(
        stock_mm=stock,
        sections=[_told(s, cuts, known.get(s, {}).get("kg_per_m"), stock, kerf) for s, cuts in wanted.items()],
    )


def _told(section: str, cuts: Sequence[Cut], kg_per_m: float | None, stock: float, kerf: float) -> shapes.SectionCuts:
    rows = [
        shapes.CutOut(
            name=c.name,
            length_mm=c.length,
            angles=c.angles,
            saw=(90.0 - abs(c.angles[0]), 90.0 - abs(c.angles[1])),
            count=c.count,
        )
        for c in cuts
    ]
    total = sum(c.length * c.count for c in cuts)
    told = shapes.SectionCuts(
        section=section, cuts=rows, total_mm=total, kg=None if kg_per_m is None else total / 1000.0 * kg_per_m
    )
    try:
        found = packed([c.length for c in cuts for _ in range(c.count)], stock, kerf)
    except BadValue as problem:
        told.problem = problem.sentence
        return told
    told.stocks = [shapes.StockOut(cuts=list(s.cuts), left_mm=s.left, count=s.count) for s in found.stocks]
    told.count, told.waste, told.best = found.count, found.waste, found.best
    return told


@router.get("/cut-list/file", response={200: None})
def cut_list_file(
    request: HttpRequest, parts: Numbers, stock: Millimetres = 6000.0, kerf: Millimetres = 3.0
) -> HttpResponse:
    """The cut list as comma-separated values."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["section", "part", "overall_mm", "start_deg", "end_deg", "start_saw_deg", "end_saw_deg", "count"])
    for one in cut_list(request, parts, stock, kerf).sections:
        for cut in one.cuts:
            named = plain_cell(one.section), plain_cell(cut.name)
            writer.writerow([*named, round(cut.length_mm, 3), *cut.angles, *cut.saw, cut.count])
    response = HttpResponse(out.getvalue(), content_type="text/csv")
    response["Content-Disposition"] = 'attachment; filename="cut list.csv"'
    return response
