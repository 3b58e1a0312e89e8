"""Every route of the API with values that nobody means: it answers, and never with an error of its own.

A part of the values in each run; all of them with NASTY=all (`make fuzz`).
"""

from __future__ import annotations

import json
import os
import random
from typing import Any
from urllib.parse import quote

import pytest
from django.contrib.auth.models import User
from django.db import transaction
from django.test import Client
from people import signed_in
from tectogon_server.api.main import api
from tectogon_server.parts.actions.save_card import save_card
from tectogon_server.parts.models import Part
from test_access import SENT

NESTED: Any = []
for _ in range(400):
    NESTED = [NESTED]
VALUES: list[Any] = [
    "",
    " ",
    "²",
    "٣",
    "-1",
    "0",
    "9" * 5000,
    "1e308",
    "nan",
    "inf",
    "-inf",
    "abc",
    "a" * 20_000,
    "1,000",
    "'; --",
    "%00",
    "../../etc/passwd",
    "\u202e\u0000x",
    "00000000-0000-0000-0000-00000000000g",
    "{}",
    "null",
    None,
    True,
    -1,
    2**63,
    1e308,
    [],
    {},
    [[]],
    NESTED,
    {"a": NESTED},
    ["x"] * 1000,
]
STEPS = [
    {"number": 20, "kind": "place_part", "params": {"part": "abc"}, "on": True, "sheet": ""},
    {"number": 20, "kind": "extrude", "params": {"profiles": NESTED}, "on": True, "sheet": ""},
    {"number": 20, "kind": "extrude", "params": {"length": "9" * 300}, "on": True, "sheet": ""},
    {"number": 20, "kind": "no_such", "params": {}, "on": True, "sheet": ""},
]
KEPT_AWAY = {"/api/sign-out", "/api/me/sign-out-everywhere", "/api/me/leave", "/api/events", "/api/me/password"}
"""Routes that end the session, or the person, that asks."""


def routes() -> list[tuple[str, str, dict[str, Any]]]:
    paths = api.get_openapi_schema()["paths"]
    return [
        (method.upper(), path, facts)
        for path, methods in paths.items()
        if path not in KEPT_AWAY
        for method, facts in methods.items()
    ]


def text_of(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value)


def cases() -> list[tuple[str, str, str | None]]:
    """Method, address and body of every request."""
    out: list[tuple[str, str, str | None]] = []
    for method, path, facts in routes():
        given = facts.get("parameters", [])
        in_path = [p["name"] for p in given if p["in"] == "path"]
        queries = [p["name"] for p in given if p["in"] == "query"]
        plain = dict.fromkeys(in_path, "1")
        body = json.dumps(SENT) if method != "GET" else None
        for value in VALUES:
            shown = quote(text_of(value)[:6000], safe="")
            for name in in_path:
                out.append((method, path.format(**{**plain, name: shown or "%20"}), body))
            for name in queries:
                out.append((method, f"{path.format(**plain)}?{name}={shown}", body))
        if method != "GET":
            for name in SENT:
                for value in VALUES:
                    out.append((method, path.format(**plain), json.dumps({**SENT, name: value})))
            out += [(method, path.format(**plain), json.dumps(value)) for value in VALUES]
            for step in STEPS:
                card = {"version": 5, "steps": [step], "sources": {}}
                out.append((method, path.format(**plain), json.dumps({**SENT, "step": step, "card": card})))
    return out


@pytest.mark.timeout(3600 if os.environ.get("NASTY") == "all" else 300)
def test_no_value_is_an_error_of_our_own(part: Part, ines: User) -> None:
    every = cases()
    chosen = every if os.environ.get("NASTY") == "all" else random.Random(7).sample(every, min(len(every), 2500))
    here = signed_in(ines)
    here.raise_request_exception = False
    faults = []
    for method, path, body in chosen:
        with transaction.atomic():  # a value that the database refuses would end the test's own transaction
            answer = here.generic(method, path.replace("/1/", f"/{part.pk}/", 1), body or "", "application/json")
            transaction.set_rollback(True)
        if answer.status_code >= 500:
            faults.append((answer.status_code, method, path[:120], (body or "")[:160]))
    assert not faults, f"{len(faults)} of {len(chosen)}: {faults[:12]}"


@pytest.mark.parametrize("step", STEPS, ids=lambda s: s["kind"])
def test_odd_steps_on_record_break_no_list(step: dict[str, Any], part: Part, ines: User, client: Client) -> None:
    assert part.head is not None
    here = signed_in(ines)
    here.raise_request_exception = False
    card = {**part.head.card, "steps": [*part.head.card["steps"], step]}
    try:
        save_card(ines, part.pk, part.head.number, card, "odd")
    except Exception as refused:
        assert type(refused).__name__ in ("CardUnreadable", "BadValue")
        return
    for path in ("/api/parts", f"/api/parts/{part.pk}", f"/api/cut-list?parts={part.pk}", "/api/library"):
        assert here.get(path).status_code == 200, path
    assert here.post(f"/api/parts/{part.pk}/placings/{part.pk}").status_code < 500
