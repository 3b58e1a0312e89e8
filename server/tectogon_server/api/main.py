"""The API: thin. Routes find rows through `of(user)`, call an action or ask for a computation, and answer; no rule of
the job lives here."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import logout
from django.contrib.auth.models import User
from django.core.exceptions import ObjectDoesNotExist
from django.db import DatabaseError, DataError
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import File, Form, NinjaAPI, Query, UploadedFile
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.security import django_auth
from ninja.utils import check_csrf
from pydantic_core import PydanticUndefined
from tectogon.errors import BadValue, TectogonError
from tectogon.operations import OPERATIONS, bringing_in
from tectogon.route.card import Card, card_from, params_of
from tectogon.route.replace import NEWER, THEN
from tectogon.route.run import tokens_of

from tectogon_server.accounts.actions import passwords, sessions
from tectogon_server.accounts.actions.second_factor import check, has_second_factor
from tectogon_server.accounts.models import membership_of
from tectogon_server.api import shapes
from tectogon_server.api.computed import MIME, state_of, title_of
from tectogon_server.api.computed import router as computed
from tectogon_server.api.cutting import router as cutting
from tectogon_server.api.library import router as library
from tectogon_server.api.people import called, described, person
from tectogon_server.api.people import router as people
from tectogon_server.api.strict import StrictParser
from tectogon_server.api.typed import REFUSED, Millimetres, Numbers, Plain
from tectogon_server.computing import requests, results
from tectogon_server.computing.models import Computation
from tectogon_server.errors import BadName
from tectogon_server.news import signed_out
from tectogon_server.parts import on_shelf
from tectogon_server.parts.actions import keep_on_shelf as shelf
from tectogon_server.parts.actions import keep_source as keeping
from tectogon_server.parts.actions import make_part as making
from tectogon_server.parts.actions import place_part as placing
from tectogon_server.parts.actions import presence
from tectogon_server.parts.actions import save_card as saving
from tectogon_server.parts.actions import undo as undoing
from tectogon_server.parts.models import Part
from tectogon_server.words import language

api = NinjaAPI(title="Tectogon", version="1", auth=django_auth, docs_url=None, parser=StrictParser())

_STATUS = {"clash": 409, "not_allowed": 403, "over_limit": 413, "nothing_there": 404, "too_many": 429}


# one wording for each fault ------------------------------------------------------------


@api.exception_handler(TectogonError)
def _refused(request: HttpRequest, problem: TectogonError) -> HttpResponse:
    return api.create_response(request, problem.as_json(), status=_STATUS.get(problem.code, 422))


@api.exception_handler(ObjectDoesNotExist)
def _not_there(request: HttpRequest, problem: ObjectDoesNotExist) -> HttpResponse:
    return api.create_response(
        request, {"code": "not_found", "text": "There is no such thing in your workshop."}, status=404
    )


@api.exception_handler(ValidationError)
def _not_understood(request: HttpRequest, problem: ValidationError) -> HttpResponse:
    first: dict[str, Any] = dict(problem.errors[0]) if problem.errors else {}
    if first.get("type") == REFUSED:
        return api.create_response(request, {"code": BadValue.code, "text": first["msg"][:400]}, status=422)
    where = " → ".join(str(part) for part in first.get("loc", ()) if part not in ("body", "payload"))
    text = f"The request can't be understood: {where}: {first.get('msg', 'wrong shape')}."
    return api.create_response(request, {"code": "not_understood", "text": text[:400]}, status=422)


@api.exception_handler(AuthenticationError)
def _stranger(request: HttpRequest, problem: AuthenticationError) -> HttpResponse:
    return api.create_response(request, {"code": "sign_in", "text": "Sign in first."}, status=401)


@api.exception_handler(HttpError)
def _other(request: HttpRequest, problem: HttpError) -> HttpResponse:
    told = (
        problem.__cause__ if isinstance(problem.__cause__, HttpError) else problem
    )  # what the parser of bodies said is wrapped
    return api.create_response(request, {"code": "refused", "text": str(told)}, status=told.status_code)


@api.exception_handler(DataError)
def _not_kept(request: HttpRequest, problem: DataError) -> HttpResponse:
    return api.create_response(
        request,
        {"code": "not_understood", "text": "The request holds a value that can't be kept: a number out of all range."},
        status=422,
    )


@api.exception_handler(DatabaseError)
def _no_database(request: HttpRequest, problem: DatabaseError) -> HttpResponse:
    text = "The database does not answer just now. What is on record is safe; try again in a moment."
    return api.create_response(request, {"code": "away", "text": text}, status=503)


# people --------------------------------------------------------------------------------


@api.get("/health", auth=None, response=dict[str, bool])
def health(request: HttpRequest) -> dict[str, bool]:
    """Whether this process answers at all; asks nothing of the database."""
    return {"answers": True}


@api.post("/sign-in", auth=None, response=shapes.Person)
def sign_in(request: HttpRequest, given: shapes.SignIn) -> shapes.Person | HttpResponse:
    """Wrong passwords are counted for a name at an address and for an address; after some, nobody gets in from there
    for a while."""
    if check_csrf(request) is not None:
        raise HttpError(403, "Load the page anew and sign in again: it carries no token against forgery.")
    try:
        user = passwords.signed_in_by(request, given.username, given.password)
    except BadName as wrong:
        raise HttpError(403, wrong.sentence) from None
    if has_second_factor(user) and not check(user, given.code):
        told = "That code is not right, or was used; wait for the next one." if given.code else "Type the code of now."
        return api.create_response(request, {"code": "second_factor", "text": told}, status=403)
    sessions.begin(request, user)
    return described(user)


@api.post("/sign-out", response={204: None})
def sign_out(request: HttpRequest) -> tuple[int, None]:
    membership = membership_of(person(request))
    session = request.session.session_key
    logout(request)
    if membership and session:
        signed_out(membership.workshop_id, session)
    return 204, None


api.add_router("", people)
api.add_router("", computed)
api.add_router("", library)
api.add_router("", cutting)


# parts ---------------------------------------------------------------------------------


@api.get("/parts", response=list[shapes.PartOnShelf])
def parts(request: HttpRequest, skip: int = 0, count: int = 5000, ids: Numbers | None = None) -> HttpResponse:
    """The parts of the workshop, those removed too, the newest first: `count` of them after `skip`. `ids`: only those
    of these numbers, parted by commas."""
    rows = Part.objects.of(person(request)).filter(desk=False).order_by("-pk")
    if ids is not None:
        rows = rows.filter(pk__in=ids[:500])
    return JsonResponse(on_shelf.told(rows[max(0, skip) : max(0, skip) + max(1, min(count, 5000))]), safe=False)


@api.get("/shelf", response=shapes.ShelfPage)
def shelf_page(
    request: HttpRequest,
    words: str = Query("", max_length=200),
    label: list[str] = Query([], max_length=12),  # noqa: B008
    removed: bool = False,
    order: on_shelf.Order = "changed",
    skip: int = Query(0, ge=0, le=1_000_000),
    count: int = Query(60, ge=1, le=500),
) -> HttpResponse:
    """A page of the shelf: `count` of the parts that are wanted after `skip`, how many there are in all, the labels to
    narrow by with how many parts have each, and how many parts there are at hand and removed."""
    user = person(request)
    rows = on_shelf.found(user, on_shelf.Wanted(words, tuple(label), removed, order))
    all_of = Part.objects.of(user).filter(desk=False)
    away = all_of.filter(archived__isnull=False).count()
    page = {
        "parts": on_shelf.told(rows[skip : skip + count]),
        "count": rows.count(),
        "labels": on_shelf.labels_of(user, removed=removed),
        "at_hand": all_of.count() - away,
        "removed": away,
    }
    return JsonResponse(page)


@api.post("/parts", response=shapes.PartOpen)
def make_part(
    request: HttpRequest,
    file: UploadedFile = File(...),  # noqa: B008
    name: str = Form(...),
    more: list[UploadedFile] = File([]),  # noqa: B008
) -> shapes.PartOpen:
    """A part that reads a file, or the files of one board (`more`: its other layers)."""
    return _after_change(request, making.make_part(person(request), name, file, *more[:_MOST_LAYERS]))


@api.get("/parts/{part_id}", response=shapes.PartOpen)
def open_part(request: HttpRequest, part_id: int) -> shapes.PartOpen:
    return _open(_part(request, part_id))


@api.patch("/parts/{part_id}", response=shapes.PartOpen)
def describe_part(request: HttpRequest, part_id: int, given: shapes.Described) -> shapes.PartOpen:
    part = _part(request, part_id)
    shelf.describe(
        person(request),
        part,
        name=given.name,
        number=given.number,
        labels=given.labels,
        archived=given.archived,
        released=given.released,
    )
    return _open(_part(request, part_id))


@api.post("/parts/{part_id}/copy", response=shapes.PartOpen)
def copy_part(request: HttpRequest, part_id: int, next_issue: bool = False) -> shapes.PartOpen:
    """A copy of a part, or its next issue."""
    made = shelf.copy(person(request), _part(request, part_id), next_issue=next_issue)
    return _after_change(request, made)


@api.post("/parts/{part_id}/presence", response=list[str])
def say_here(request: HttpRequest, part_id: int, given: shapes.Here) -> list[str]:
    """The names of all who have the part open."""
    return presence.say_here(person(request), _part(request, part_id), leaving=given.leaving)


@api.get("/parts/{part_id}/picture", response={200: None})
def picture(request: HttpRequest, part_id: int) -> HttpResponse:
    part = _part(request, part_id)
    requests.hurry_picture(part)
    if part.picture is None:
        raise Part.DoesNotExist
    response = HttpResponse(bytes(part.picture), content_type="image/png")
    response["Cache-Control"] = "private, max-age=60"
    return response


@api.post("/parts/{part_id}/sources", response=shapes.SourceOut)
def bring_in(request: HttpRequest, part_id: int, file: UploadedFile = File(...)) -> shapes.SourceOut:  # noqa: B008
    _part(request, part_id)
    source = keeping.keep_source(person(request), file)
    return shapes.SourceOut(
        name=keeping.check_name(file.name or "drawing"),
        sha256=source.sha256,
        size=source.size,
        brought_in_by=bringing_in(keeping.head_of(file)),
    )


@api.post("/parts/{part_id}/issues", response=shapes.ComputationState)
def hold_issues(
    request: HttpRequest,
    part_id: int,
    file: UploadedFile = File(...),  # noqa: B008
    old: str = Form(...),
    revision: int = Form(...),
) -> shapes.ComputationState:
    """A newer issue of a source, held against the older one in the card of a revision; nothing is recorded by that."""
    part = _part(request, part_id)
    source = keeping.keep_source(person(request), file)
    card = card_from(part.revisions.get(number=revision).card)
    if old not in card.sources:
        raise BadValue(f"The file “{old[:80]}” is not among the sources of this part.")
    both = card.model_copy(update={"sources": {**card.sources, NEWER: source.sha256}})
    options = {"kind": "json", "old": old, "new": keeping.check_name(file.name or "drawing")}
    return state_of(requests.ask_export(person(request), part, both, options, kind="issues"))


@api.post("/parts/{part_id}/placings/{other_id}", response=shapes.ComputationState)
def write_for_placing(request: HttpRequest, part_id: int, other_id: int) -> shapes.ComputationState:
    """The solid of another part, written so that it can stand in this one."""
    part, other = _part(request, part_id), _part(request, other_id)
    placing.check_placing(person(request), part, other)
    if other.head is None:
        raise Part.DoesNotExist
    options = {"kind": "step", "name": other.name, "revision": other.head.number}
    return state_of(requests.ask_export(person(request), other, card_from(other.head.card), options))


@api.post("/parts/{part_id}/placed", response=shapes.UseOut)
def place(request: HttpRequest, part_id: int, given: shapes.PlaceIn) -> shapes.UseOut:
    """Keep the solid that was written among this part's files."""
    part = _part(request, part_id)
    found = Computation.objects.of(person(request)).select_related("part").get(pk=given.computation)
    path = results.found(found.key, "file")
    if found.kind != "export" or "revision" not in found.options or not path.exists():
        raise Computation.DoesNotExist
    values = placing.put_into(
        person(request), part, given.revision, found.part, found.options["revision"], path.read_bytes()
    )
    return shapes.UseOut(source=values["source"], values=values)


@api.put("/parts/{part_id}/card", response=shapes.PartOpen)
def save_card(request: HttpRequest, part_id: int, given: shapes.SaveCard) -> shapes.PartOpen:
    card = given.card.model_dump(mode="json")
    return _after_change(request, saving.save_card(person(request), part_id, given.based_on, card, given.change))


@api.post("/parts/{part_id}/undo", response=shapes.PartOpen)
def undo(request: HttpRequest, part_id: int, given: shapes.Move) -> shapes.PartOpen:
    return _after_change(request, undoing.undo(person(request), part_id, given.based_on))


@api.post("/parts/{part_id}/redo", response=shapes.PartOpen)
def redo(request: HttpRequest, part_id: int, given: shapes.Move) -> shapes.PartOpen:
    return _after_change(request, undoing.redo(person(request), part_id, given.based_on))


@api.get("/parts/{part_id}/revisions", response=list[shapes.RevisionOut])
def revisions(request: HttpRequest, part_id: int) -> list[shapes.RevisionOut]:
    """What the part was, the newest first."""
    part = _part(request, part_id)
    rows = part.revisions.select_related("author").order_by("-number")[:_MOST_REVISIONS]
    return [
        shapes.RevisionOut(
            number=r.number,
            change=r.change,
            who=(r.author.first_name or r.author.username) if r.author else "",
            made=r.made,
            now=r.pk == part.head_id,
        )
        for r in rows
    ]


_MOST_LAYERS = 40
_MOST_REVISIONS = 1000


@api.get("/parts/{part_id}/revisions/{number}", response=Card)
def revision(request: HttpRequest, part_id: int, number: int) -> Card:
    """The card of a revision, as cards are now."""
    return card_from(_part(request, part_id).revisions.get(number=number).card)


@api.post("/parts/{part_id}/revisions/{number}/pictures", response=shapes.ComputationState)
def revision_picture(request: HttpRequest, part_id: int, number: int) -> shapes.ComputationState:
    """A small picture of the part as it was."""
    part = _part(request, part_id)
    card = card_from(part.revisions.get(number=number).card)
    return state_of(requests.ask_export(person(request), part, card, {"kind": "png", "what": "picture", "name": ""}))


@api.post("/parts/{part_id}/revisions/{number}/solids", response=shapes.ComputationState)
def revision_solids(request: HttpRequest, part_id: int, number: int) -> shapes.ComputationState:
    """The part as it was and as it is now, as two solids held against each other."""
    part = _part(request, part_id)
    if part.head is None:
        raise Part.DoesNotExist
    now, then = card_from(part.head.card), card_from(part.revisions.get(number=number).card)
    earlier = {f"{THEN}{name}": sha for name, sha in then.sources.items()}
    both = now.model_copy(update={"sources": {**now.sources, **earlier}})
    options = {"kind": "parcel", "then": then.model_dump(mode="json")}
    return state_of(requests.ask_export(person(request), part, both, options, kind="solids"))


def _part(request: HttpRequest, part_id: int) -> Part:
    part: Part = Part.objects.of(person(request)).select_related("head").get(pk=part_id)
    return part


def _after_change(request: HttpRequest, part: Part) -> shapes.PartOpen:
    return _open(part, _run(person(request), part))


def _run(user: User, part: Part) -> Computation:
    """The card on record, computed."""
    if part.head is None:
        raise Part.DoesNotExist
    return requests.ask_run(user, part, card_from(part.head.card), "saved")


def _open(part: Part, run: Computation | None = None) -> shapes.PartOpen:
    head = part.head
    if head is None:
        raise Part.DoesNotExist
    after = undoing.later(part)
    return shapes.PartOpen(
        id=part.pk,
        name=part.name,
        number=part.number,
        revision=head.number,
        change=head.change,
        who=called(head.author) if head.author else None,
        card=card_from(head.card),
        issue=part.issue,
        released=part.released is not None,
        undo=head.change if head.parent_id is not None else None,
        redo=after.change if after else None,
        run=state_of(run) if run else None,
    )


# computing -----------------------------------------------------------------------------


@api.post("/parts/{part_id}/runs", response=shapes.ComputationState)
def run_card(request: HttpRequest, part_id: int, given: shapes.AskRun) -> shapes.ComputationState:
    """Run the part's own card, or one that is being written."""
    part = _part(request, part_id)
    if given.card is None:
        return state_of(_run(person(request), part))
    return state_of(requests.ask_run(person(request), part, given.card, "preview"))


@api.post("/parts/{part_id}/exports", response=shapes.ComputationState)
def export(request: HttpRequest, part_id: int, given: shapes.AskExport) -> shapes.ComputationState:
    part = _part(request, part_id)
    if given.kind not in MIME:
        raise HttpError(422, f"“{given.kind[:20]}” is not written; use {', '.join(MIME)}.")
    if not 1e-4 <= given.chord_mm <= 100.0 or not 0.5 <= given.angle_deg <= 90.0:
        raise HttpError(422, "The chord tolerance must lie between 0.0001 and 100 mm, the angle between 0.5° and 90°.")
    if part.head is None:
        raise Part.DoesNotExist
    options: dict[str, Any] = {"kind": given.kind, "name": part.name}
    if given.kind == "zip":
        options |= {"title": title_of(request, part), "profiles": given.profiles, "language": language()}
    elif given.what in ("drawing", "report"):
        options |= {"what": given.what, "version": given.version, "title": title_of(request, part)}
        if given.what == "report":
            options["language"] = language()
    elif given.kind == "csv" and given.what == "parts_list":
        options |= {"what": given.what}
    elif given.kind == "csv" and given.what != "blank":
        raise HttpError(422, "Only a parts list and the bend table of a blank are written as CSV.")
    elif given.what == "blank" and given.kind in ("dxf", "csv"):
        options |= {"what": given.what, "version": given.version}
    elif given.kind == "pdf":
        raise HttpError(422, "Only the drawing sheet and the report are written as PDF.")
    elif given.kind in ("dxf", "svg", "dat"):
        options |= {
            "what": given.what,
            "version": given.version,
            "profiles": given.profiles,
            "chord_mm": given.chord_mm,
            "sheet": given.sheet,
        }
    elif given.kind != "step":
        options |= {"chord_mm": given.chord_mm, "angle_rad": given.angle_deg * 0.017453292519943295}
    return state_of(requests.ask_export(person(request), part, card_from(part.head.card), options))


# operations ----------------------------------------------------------------------------


@api.get("/operations", response=list[shapes.KindOut])
def operations(request: HttpRequest) -> list[shapes.KindOut]:
    """Every kind of operation with its defaults: what the action row and the writing line are made of."""
    out = []
    for kind in OPERATIONS.values():
        defaults = {
            name: field.get_default(call_default_factory=True)
            for name, field in kind.params.model_fields.items()
            if field.get_default(call_default_factory=True) is not PydanticUndefined
        }
        plain = {k: v.model_dump(mode="json") if hasattr(v, "model_dump") else v for k, v in defaults.items()}
        out.append(
            shapes.KindOut(
                name=kind.name,
                stage=kind.stage,
                label=kind.label,
                help=kind.help,
                defaults=plain,
                beside_bodies=dict(kind.beside_bodies),
                becomes_steps=kind.becomes_steps,
                begins_sheet=kind.begins_sheet,
                offered=kind.offered,
                wants=kind.wants,
                serves=kind.serves,
                typed=dict(kind.typed),
            )
        )
    return out


@api.get("/lengths", response=shapes.LengthOut)
def length(request: HttpRequest, text: Millimetres) -> shapes.LengthOut:
    """A length as typed, in mm."""
    return shapes.LengthOut(mm=text)


@api.get("/numbers", response=shapes.NumberOut)
def number(request: HttpRequest, text: Plain) -> shapes.NumberOut:
    """A plain number as typed."""
    return shapes.NumberOut(value=text)


@api.post("/operations/sentence", response=shapes.TokensOut)
def sentence(request: HttpRequest, given: shapes.TokensIn) -> shapes.TokensOut:
    """The sentence of a step that is being written, or why it can't be one."""
    problem = None
    try:
        params_of(given.step)
    except TectogonError as bad:
        problem = bad.sentence
    return shapes.TokensOut(tokens=[t.as_json() for t in tokens_of(given.step, None)], problem=problem)
