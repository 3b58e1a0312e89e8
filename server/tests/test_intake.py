"""What comes in over the wire: signing in is braked, odd values are refused in words, large bodies are refused before
they are taken in."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from people import make_person, signed_in
from tectogon_server.api.intake import Intake
from tectogon_server.parts.actions.keep_source import chunks_of_source, keep_source
from tectogon_server.parts.models import Part, SourceChunk


def sign_in(client: Client, password: str, name: str = "ines") -> Any:
    return client.post(
        "/api/sign-in", json.dumps({"username": name, "password": password}), content_type="application/json"
    )


def test_wrong_passwords_are_braked_and_the_right_one_with_them(ines: User) -> None:
    make_person("tomas", "Fernmoor")
    client = Client()
    answers = [sign_in(client, f"guess {n}").status_code for n in range(settings.AXES_FAILURE_LIMIT + 3)]
    assert answers[0] == 403
    assert answers[-1] == 429
    assert sign_in(client, "river-gauge").status_code == 429
    assert sign_in(client, "river-gauge", "tomas").status_code == 200


def test_signing_in_wants_the_token_against_forgery(ines: User) -> None:
    client = Client(enforce_csrf_checks=True)
    assert sign_in(client, "river-gauge").status_code == 403
    client.get("/")
    token = client.cookies["csrftoken"].value
    answer = client.post(
        "/api/sign-in",
        json.dumps({"username": "ines", "password": "river-gauge"}),
        content_type="application/json",
        headers={"X-CSRFToken": token, "Referer": "http://testserver/"},
    )
    assert answer.status_code == 200


def test_cookies_are_secure_and_pages_say_what_they_may_load(ines: User) -> None:
    client = Client()
    page = client.get("/")
    sign_in(client, "river-gauge")
    assert all(client.cookies[name]["secure"] for name in ("csrftoken", "sessionid"))
    assert client.cookies["sessionid"]["httponly"]
    policy = page.headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "frame-ancestors 'none'" in policy
    assert "script-src" not in policy or "unsafe" not in policy.partition("script-src")[2].partition(";")[0]


@pytest.mark.parametrize(
    "body",
    [
        '{"name": "a\\u0000b"}',
        '{"name": "half \\ud800"}',
        '{"name": 1e999}',
        '{"name": NaN}',
        '{"name": ' + "9" * 30 + "}",
        '{"na\\u0000me": "x"}',
        "{",
        "[" * 5000,
    ],
)
def test_values_that_can_not_be_kept_are_refused_in_words(body: str, part: Part, ines: User) -> None:
    answer = signed_in(ines).patch(f"/api/parts/{part.pk}", body, content_type="application/json")
    assert answer.status_code in (400, 422), answer.content
    assert answer.json()["text"]
    part.refresh_from_db()
    assert part.name == "Plate"


def test_a_number_beyond_all_range_in_a_card_is_not_kept_as_nothing(part: Part, ines: User) -> None:
    card = (
        '{"based_on": 1, "card": {"steps": [{"number": 10, "kind": "extrude", "params": {"length": 1e999}}], "sources":'
        " {}}}"
    )
    answer = signed_in(ines).put(f"/api/parts/{part.pk}/card", card, content_type="application/json")
    assert answer.status_code == 422
    assert "larger than any number" in answer.json()["text"]


@pytest.mark.parametrize("number", [2**31, 2**63 - 1, 2**70])
def test_numbers_of_parts_may_be_any(number: int, ines: User) -> None:
    assert signed_in(ines).get(f"/api/parts/{number}").status_code in (404, 422)


def test_a_file_is_kept_in_chunks(ines: User, plate_dxf: bytes) -> None:
    data = plate_dxf + b"999\ncomment\n" * 300_000
    source = keep_source(ines, SimpleUploadedFile("large.dxf", data))
    assert SourceChunk.objects.filter(source=source).count() == 4
    assert b"".join(chunks_of_source(source)) == data
    assert keep_source(ines, SimpleUploadedFile("large.dxf", data)).pk == source.pk


# in front of Django
# --------------------------------


def taken(headers: Iterable[tuple[bytes, bytes]], messages: list[Any]) -> tuple[int, int]:
    """The status that a request is answered with, and how many bytes of it were taken in."""
    sent: list[Any] = []
    got = 0

    async def receive() -> Any:
        if not messages:
            await asyncio.sleep(60)
        return messages.pop(0)

    async def send(message: Any) -> None:
        sent.append(message)

    async def app(scope: Any, inner_receive: Any, inner_send: Any) -> None:
        nonlocal got
        more = True
        while more:
            message = await inner_receive()
            got += len(message.get("body", b""))
            more = message.get("more_body", False)
        await inner_send({"type": "http.response.start", "status": 200, "headers": []})

    scope = {"type": "http", "method": "POST", "path": "/api/parts", "headers": list(headers)}
    asyncio.run(Intake(app)(scope, receive, send))
    return sent[0]["status"], got


def session_of(user: User) -> list[tuple[bytes, bytes]]:
    client = signed_in(user)
    return [(b"cookie", f"sessionid={client.cookies['sessionid'].value}".encode())]


FORM = (b"content-type", b"multipart/form-data; boundary=x")


@pytest.mark.django_db(transaction=True)
def test_a_strangers_upload_is_refused_before_a_byte_of_it_is_taken() -> None:
    assert (
        taken(
            [FORM, (b"content-length", b"400000000")],
            [{"type": "http.request", "body": b"x" * 1000, "more_body": True}],
        )[1]
        == 0
    )
    assert taken([FORM, (b"content-length", b"50000000")], [])[0] == 401
    assert taken([FORM], [])[0] == 401  # of a length that is not told


@pytest.mark.django_db(transaction=True)
def test_an_upload_is_limited_by_what_arrives_whatever_it_says() -> None:
    ines, vera = make_person("ines", "Fernmoor"), make_person("vera", "Fernmoor", "viewer")
    own = session_of(ines)
    assert taken([FORM, (b"content-length", b"161000000"), *own], [])[0] == 413
    settings.MAX_UPLOAD_BYTES = 1_000_000
    try:
        endless = [{"type": "http.request", "body": b"x" * 300_000, "more_body": True} for _ in range(40)]
        status, got = taken([FORM, *own], endless)
        assert (status, got) == (413, 900_000)
    finally:
        settings.MAX_UPLOAD_BYTES = 160_000_000
    assert taken([FORM, (b"content-length", b"500000"), *session_of(vera)], [])[0] == 403
    assert taken(
        [FORM, (b"content-length", b"500000"), *own],
        [{"type": "http.request", "body": b"x" * 500_000, "more_body": False}],
    ) == (200, 500_000)


@pytest.mark.django_db(transaction=True)
def test_who_stalls_is_let_go(monkeypatch: pytest.MonkeyPatch) -> None:
    from tectogon_server.api import intake

    monkeypatch.setattr(intake, "_STALL_SECONDS", 0.1)
    assert (
        taken([(b"content-length", b"100")], [{"type": "http.request", "body": b"half", "more_body": True}])[0] == 408
    )
