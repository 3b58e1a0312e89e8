"""Every route of the API, walked as a stranger and as a member of another workshop: there is no way in."""

from __future__ import annotations

import json
import re
from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.test import Client
from django.utils import timezone
from people import make_person, signed_in
from tectogon_server.accounts.models import Invitation, Membership, Workshop
from tectogon_server.api.events import Listening, _not_any_more
from tectogon_server.api.main import api
from tectogon_server.computing.models import Computation
from tectogon_server.parts.models import LibrarySection, Part, Source

OPEN = {
    "/api/sign-in": 403,
    "/api/health": 200,
    "/api/join/{secret}": 404,
    "/api/reset": 204,
    "/api/reset/password": 404,
}
"""Open to strangers, and what they get for a wrong password and a made-up invitation."""
OWN = {
    "/api/me",
    "/api/me/password",
    "/api/me/sign-out-everywhere",
    "/api/me/sessions",
    "/api/me/second-factor",
    "/api/me/second-factor/off",
    "/api/me/file",
    "/api/me/leave",
    "/api/workshop",
    "/api/workshop/deeds",
    "/api/workshop/invitations",
    "/api/sign-out",
    "/api/operations",
    "/api/operations/sentence",
    "/api/parts",
    "/api/shelf",
    "/api/library",
    "/api/library/file",
    "/api/supplier",
    "/api/supplier/table",
    "/api/supplier/{number}",
    "/api/supplier/{number}/picture",
}
"""About the one who asks."""
SENT = {
    "name": "x",
    "based_on": 1,
    "card": {"steps": [], "sources": {}},
    "kind": "step",
    "username": "x",
    "password": "y",
    "step": {"number": 10, "kind": "read"},
    "role": "viewer",
    "old": "x",
    "new": "y",
    "facts": {"notes": "x"},
    "away": True,
    "part": 1,
    "revision": 1,
    "code": "000000",
    "user": "MQ",
    "token": "made-up",
    "computation": "00000000-0000-0000-0000-000000000000",
}


def routes() -> list[tuple[str, str]]:
    return [(method.upper(), path) for path, methods in api.get_openapi_schema()["paths"].items() for method in methods]


def ask(client: Client, method: str, path: str, part: Part, computation: Computation) -> Any:
    address = path.replace("{part_id}", str(part.pk)).replace("{computation_id}", str(computation.pk))
    section = LibrarySection.objects.filter(workshop=part.workshop).first() or LibrarySection.objects.create(
        workshop=part.workshop, number="KR-1", issue=1, figures={}, outline=[],
        facts={"number": "Plate", "insertion_mm": [0, 0]},
        drawing=Source.objects.filter(workshop=part.workshop).first(),
    )  # fmt: skip
    address = (
        address.replace("{section_id}", str(section.pk))
        .replace("/numbers/{number}", "/numbers/KR-1")
        .replace("{number}", "1")
    )
    address = address.replace("{key}", "0" * 64)
    address = address.replace("{other_id}", str(part.pk))
    address = address.replace("{secret}", "made-up").replace("{invitation_id}", "1").replace("{member_id}", "1")
    if path.startswith("/api/cut-list"):
        address += f"?parts={part.pk}"
    assert "{" not in address, f"the walk does not know how to fill {path}"
    return client.generic(method, address, json.dumps(SENT), content_type="application/json")


@pytest.fixture
def computation(part: Part, ines: User) -> Computation:
    return Computation.objects.filter(part=part).first() or Computation.objects.create(
        workshop=part.workshop, part=part, user=ines, card={}, key="k"
    )


@pytest.mark.parametrize(("method", "path"), routes())
def test_a_stranger_finds_no_way_in(method: str, path: str, part: Part, computation: Computation) -> None:
    answer = ask(Client(), method, path, part, computation)
    if path in OPEN:
        assert answer.status_code == OPEN[path]
        return
    assert answer.status_code == 401
    assert json.loads(answer.content)["text"] == "Sign in first."


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if r[1] not in OPEN.keys() | OWN])
def test_another_workshop_finds_nothing(
    method: str, path: str, part: Part, computation: Computation, rival: User
) -> None:
    before = (Part.objects.get(pk=part.pk).head_id, Part.objects.get(pk=part.pk).name)
    answer = ask(signed_in(rival), method, path, part, computation)
    # 422 where a file is wanted before anything is looked up, 403 where only an owner may
    assert answer.status_code in (403, 404, 422), answer.content
    assert "Plate" not in answer.content.decode()
    assert (Part.objects.get(pk=part.pk).head_id, Part.objects.get(pk=part.pk).name) == before


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if r[0] != "GET" and r[1] not in OPEN])
def test_a_viewer_changes_nothing_of_the_workshop(
    method: str, path: str, part: Part, computation: Computation, ines: User
) -> None:
    vera = make_person("vera", "Fernmoor", "viewer")
    before = _state(part)
    answer = ask(signed_in(vera), method, path, part, computation)
    assert answer.status_code in (200, 204, 403, 404, 422), answer.content
    assert _state(part) == before
    ines.refresh_from_db()
    assert ines.is_active and ines.membership.role == "editor"


def _state(part: Part) -> Any:
    mine = part.workshop
    return (
        list(Part.objects.filter(workshop=mine, desk=False).order_by("pk").values("pk", "name", "head", "archived")),
        list(LibrarySection.objects.filter(workshop=mine).exclude(number="KR-1").values("number", "issue")),
        Source.objects.filter(workshop=mine).count(),
        list(Workshop.objects.filter(pk=mine.pk).values()),
        Invitation.objects.filter(workshop=mine).count(),
    )


@pytest.mark.parametrize("role", ["viewer", "editor"])
def test_what_owners_do_only_owners_do(role: str, part: Part, computation: Computation) -> None:
    client = signed_in(make_person("vera", "Fernmoor", role))
    for method, path in routes():
        owners = {"/workshop/sizes", "/workshop/let-go", "/workshop/deeds/file", "/workshop/invitations"}
        if any(path.endswith(end) for end in owners) or "/workshop/members/" in path:
            assert ask(client, method, path, part, computation).status_code == 403, path


def test_an_expired_session_opens_nothing(part: Part, computation: Computation, ines: User) -> None:
    client = signed_in(ines)
    Session.objects.update(expire_date=timezone.now() - timedelta(seconds=1))
    for method, path in routes():
        if path not in OPEN:
            assert ask(client, method, path, part, computation).status_code == 401, path


def test_lists_hold_the_own_workshop_only(part: Part, ines: User, rival: User) -> None:
    assert [p["name"] for p in signed_in(ines).get("/api/parts").json()] == ["Plate"]
    assert signed_in(rival).get("/api/parts").json() == []


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("PATCH", "/api/parts/{part_id}"),
        ("PUT", "/api/parts/{part_id}/card"),
        ("POST", "/api/parts/{part_id}/undo"),
        ("POST", "/api/parts/{part_id}/copy"),
        ("POST", "/api/parts/{part_id}/redo"),
    ],
)
def test_viewers_may_look_but_not_change(
    method: str, path: str, part: Part, computation: Computation, ines: User
) -> None:
    viewer = make_person("vera", "Fernmoor", "viewer")
    answer = ask(signed_in(viewer), method, path, part, computation)
    assert answer.status_code == 403
    assert "not change" in answer.json()["text"]
    assert signed_in(viewer).get(f"/api/parts/{part.pk}").status_code == 200


def test_changes_want_the_token_against_forgery(part: Part, ines: User) -> None:
    client = Client(enforce_csrf_checks=True)
    client.force_login(ines)
    answer = client.post(f"/api/parts/{part.pk}/undo", json.dumps({"based_on": 1}), content_type="application/json")
    assert answer.status_code == 403


def test_no_model_is_read_but_through_the_filter() -> None:
    """Routes reach rows through `of(user)`: no `objects.get` or `.filter` on an owned model in the API's own code."""
    from pathlib import Path

    import tectogon_server.api.main as main

    text = Path(main.__file__).read_text()
    text += Path(main.__file__).with_name("people.py").read_text()
    assert not re.findall(r"(Part|Source|Revision|Computation|Deed)\.objects\.(?!of\()", text)


def test_who_may_hear_no_more_is_sent_away(ines: User, rival: User) -> None:
    """Whose session is over or gone, who has left the workshop, who is not active any more."""
    people = [make_person(f"listener{n}", "Fernmoor") for n in range(4)]
    everyone = [ines, rival, *people]
    sessions = [str(signed_in(user).session.session_key) for user in everyone]
    streams = [
        Listening(Membership.objects.get(user=user).workshop_id, user.pk, session)
        for user, session in zip(everyone, sessions, strict=True)
    ]
    assert _not_any_more(streams) == []
    Session.objects.filter(session_key=sessions[2]).delete()
    Session.objects.filter(session_key=sessions[3]).update(expire_date=timezone.now() - timedelta(seconds=1))
    Membership.objects.filter(user=people[2]).update(workshop=Workshop.objects.get(name="Elsewhere"))
    User.objects.filter(pk=people[3].pk).update(is_active=False)
    assert _not_any_more(streams) == streams[2:]
    streams[2].send_away()
    assert streams[2].news.get_nowait() is None
