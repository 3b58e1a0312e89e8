"""What is computed of a part: how far it is, what it found, files, and what is asked of a part that was computed. The
answer to a question is the file of the computation that it starts."""

from __future__ import annotations

import asyncio
import re
import urllib.parse
from collections.abc import AsyncIterator
from typing import IO, Any, NoReturn

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils import timezone
from ninja import Router
from ninja.errors import HttpError
from tectogon.display.bundles import put_together
from tectogon.route.card import card_from

from tectogon_server.api import shapes
from tectogon_server.api.people import person
from tectogon_server.computing import requests, results
from tectogon_server.computing.models import Computation
from tectogon_server.parts.models import Part

router = Router()
MOST_BUNDLED = 200
_CHUNK = 1 << 20
MIME = {
    "step": "model/step",
    "stl": "model/stl",
    "3mf": "model/3mf",
    "glb": "model/gltf-binary",
    "dxf": "image/vnd.dxf",
    "svg": "image/svg+xml",
    "dat": "text/plain",
    "pdf": "application/pdf",
    "zip": "application/zip",
    "csv": "text/csv",
}
_ASKED = {"json": "application/json", "png": "image/png"}
"""What is asked of a part and goes out as no file of it."""


@router.post("/computations/{computation_id}/distances", response=shapes.ComputationState)
def distance(request: HttpRequest, computation_id: str, given: shapes.AskDistance) -> shapes.ComputationState:
    """The least distance between two pieces of the part that was computed."""
    return _asked(request, _computation(request, computation_id), "distance", {"a": given.a, "b": given.b})


@router.post("/computations/{computation_id}/checks", response=shapes.ComputationState)
def check(request: HttpRequest, computation_id: str) -> shapes.ComputationState:
    """The views of the part that was computed against the part itself."""
    return _asked(request, _computation(request, computation_id), "check")


@router.post("/computations/{computation_id}/depths", response=shapes.ComputationState)
def depths(request: HttpRequest, computation_id: str, given: shapes.AskDepths) -> shapes.ComputationState:
    """The depths that other views propose for a profile."""
    options = {"profile": given.profile, "sheet": given.sheet}
    return _asked(request, _computation(request, computation_id), "depths", options)


@router.post("/computations/{computation_id}/steps", response=shapes.ComputationState)
def steps(request: HttpRequest, computation_id: str, sheet: str = "") -> shapes.ComputationState:
    """The part from its views as ordinary operations."""
    return _asked(request, _computation(request, computation_id), "steps", {"sheet": sheet})


@router.post("/computations/{computation_id}/drawings", response=shapes.ComputationState)
def drawing(request: HttpRequest, computation_id: str) -> shapes.ComputationState:
    """The drawing sheet of the part that was computed."""
    found = _computation(request, computation_id)
    return _asked(request, found, "drawing", {"title": title_of(request, found.part)})


@router.post("/computations/{computation_id}/prints", response=shapes.ComputationState)
def printing(request: HttpRequest, computation_id: str, given: shapes.AskPrintCheck) -> shapes.ComputationState:
    """Whether the part that was computed can be printed."""
    if given.bed and (len(given.bed) != 3 or min(given.bed) <= 0.0):
        raise HttpError(422, "A bed has three sizes, each more than nothing, such as 220, 220, 250.")
    options = {"wall": given.wall, "tool": given.tool, "bed": given.bed}
    return _asked(request, _computation(request, computation_id), "printing", options)


@router.post("/computations/{computation_id}/weights", response=shapes.ComputationState)
def weights(request: HttpRequest, computation_id: str) -> shapes.ComputationState:
    """Mass, centroid and moments of inertia of the part that was computed."""
    return _asked(request, _computation(request, computation_id), "weights")


@router.post("/computations/{computation_id}/blanks", response=shapes.ComputationState)
def blank(request: HttpRequest, computation_id: str) -> shapes.ComputationState:
    """The flat blank of the part that was computed."""
    return _asked(request, _computation(request, computation_id), "blank")


@router.post("/computations/{computation_id}/sections", response=shapes.ComputationState)
def section(request: HttpRequest, computation_id: str, given: shapes.AskSection) -> shapes.ComputationState:
    """A picked profile as a section of the library."""
    options = {"profile": given.profile, "sheet": given.sheet, "name": given.name}
    return _asked(request, _computation(request, computation_id), "section", options)


def _asked(
    request: HttpRequest, found: Computation, kind: str, options: dict[str, Any] | None = None
) -> shapes.ComputationState:
    """Something asked of a part that was computed; the answer is the new computation's file."""
    asked = {"kind": "json", "what": kind, **(options or {})}
    return state_of(requests.ask_export(person(request), found.part, card_from(found.card), asked, kind=kind))


@router.get("/computations/{computation_id}", response=shapes.ComputationState)
def computation(request: HttpRequest, computation_id: str) -> shapes.ComputationState:
    return state_of(_computation(request, computation_id))


@router.post("/computations/{computation_id}/stop", response=shapes.ComputationState)
def stop(request: HttpRequest, computation_id: str) -> shapes.ComputationState:
    requests.stop(person(request), _computation(request, computation_id))
    return state_of(_computation(request, computation_id))


@router.get("/computations/{computation_id}/lines", response={200: None})
def lines(request: HttpRequest, computation_id: str, sheet: str = "") -> HttpResponseBase:
    """The linework of a sheet, which may be there before the computation is done."""
    found = _computation(request, computation_id)
    if results.report_of(found.key) is not None:
        return _of_sheet(request, computation_id, "lines", sheet)
    key = results.progress_of(found).get("drawn", {}).get(sheet)
    if key is None:
        raise Computation.DoesNotExist
    return _parcel(key, "lines")


@router.get("/computations/{computation_id}/regions", response={200: None})
def regions(request: HttpRequest, computation_id: str, sheet: str = "") -> HttpResponseBase:
    """What was found in the linework of a sheet."""
    return _of_sheet(request, computation_id, "regions", sheet)


@router.get("/computations/{computation_id}/placements", response={200: None})
def placements(request: HttpRequest, computation_id: str, sheet: str = "") -> HttpResponseBase:
    """The views and planes that the linework of a sheet lies in."""
    return _of_sheet(request, computation_id, "placements", sheet)


def _of_sheet(request: HttpRequest, computation_id: str, what: str, name: str) -> HttpResponseBase:
    report = results.report_of(_computation(request, computation_id).key)
    sheets = {sheet["name"]: sheet for sheet in report["keys"]["sheets"]} if report else {}
    if name not in sheets:
        raise Computation.DoesNotExist
    return _parcel(sheets[name][results.FACET_OF[what]], what)


@router.get("/computations/{computation_id}/part", response={200: None})
def part_shape(request: HttpRequest, computation_id: str) -> HttpResponseBase:
    return _parcel(_computation(request, computation_id).key, "part")


@router.get("/computations/{computation_id}/file", response={200: None})
def file(request: HttpRequest, computation_id: str) -> HttpResponseBase:
    found = _computation(request, computation_id)
    response = _parcel(found.key, "file")
    kind = found.options.get("kind", "step")
    response["Content-Type"] = {**MIME, **_ASKED}.get(kind, "application/octet-stream")
    response["Content-Disposition"] = f"attachment; filename*=UTF-8''{urllib.parse.quote(_file_name(found, kind))}"
    return response


_UNSAFE = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|]|^\.+|[. ]+$')
_CALLED = ("drawing", "report", "blank", "parts_list")


def _file_name(found: Computation, kind: str) -> str:
    """What a file of a part is called: as the part, but for what no file system takes, and what of it it is."""
    name = _UNSAFE.sub("_", found.part.name).strip() or "part"
    what = str(found.options.get("what", ""))
    return f"{name} {what.replace('_', ' ')}.{kind}" if what in _CALLED else f"{name}.{kind}"


def _computation(request: HttpRequest, computation_id: str) -> Computation:
    try:
        found: Computation = Computation.objects.of(person(request)).get(pk=computation_id)
    except (ValueError, TypeError):
        _gone()
    except Exception as problem:
        if isinstance(problem, Computation.DoesNotExist) or type(problem).__name__ == "ValidationError":
            _gone()
        raise
    return found


def _gone() -> NoReturn:
    raise Computation.DoesNotExist


def _parcel(key: str, what: str) -> HttpResponseBase:
    path = results.found(key, what)
    if not path.exists():
        raise Computation.DoesNotExist
    response = HttpResponse(path.read_bytes(), content_type="application/octet-stream")
    response["Cache-Control"] = "private, max-age=3600"
    return response


@router.get("/bundles", response={200: None})
def bundles(request: HttpRequest, of: str) -> HttpResponseBase:
    """The bundles of several parts, by their computations with commas between, as one zip."""
    found = [_computation(request, one) for one in of.split(",")[:MOST_BUNDLED]]
    if any(one.options.get("kind") != "zip" for one in found):
        raise HttpError(422, "Only bundles are put together; ask for one of each part first.")
    files = [results.found(one.key, "file") for one in found]
    if not all(path.exists() for path in files):
        _gone()
    response = StreamingHttpResponse(_chunks(put_together(files)), content_type=MIME["zip"])
    response["Content-Disposition"] = f'attachment; filename="{len(found)} parts.zip"'
    return response


async def _chunks(file: IO[bytes]) -> AsyncIterator[bytes]:
    """A file piece by piece, closed at its end."""
    with file:
        while data := await asyncio.to_thread(file.read, _CHUNK):
            yield data


def title_of(request: HttpRequest, part: Part) -> dict[str, str]:
    """What the title block of a part's drawing says, beside what is known of the part itself."""
    user = person(request)
    return {
        "name": part.name,
        "number": part.number,
        "issue": f"{part.issue}.{part.head.number}" if part.head else str(part.issue),
        "drawn_by": user.get_full_name() or user.get_username(),
        "date": timezone.localdate().isoformat(),
        "owner": part.workshop.name,
    }


def state_of(found: Computation) -> shapes.ComputationState:
    report = results.report_of(found.key) if found.kind == "run" and found.state == Computation.State.DONE else None
    if found.state == Computation.State.DONE and found.kind == "run" and report is None:
        return shapes.ComputationState(
            id=str(found.pk),
            state="failed",
            kind=found.kind,
            progress="",
            message="The result was cleared away; ask again.",
            code="cleared",
        )
    return shapes.ComputationState(
        id=str(found.pk),
        state=found.state,
        kind=found.kind,
        progress=found.progress,
        message=found.message,
        code=found.code,
        report=report,
    )
