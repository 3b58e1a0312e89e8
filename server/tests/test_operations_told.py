"""What can be done to a part, as the page is told of it: every kind with its sentence; art that is a file of the part
without being on its sheet."""

from __future__ import annotations

import json
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from people import make_person, signed_in
from tectogon.operations import OPERATIONS
from tectogon.route.card import Card, card_from
from tectogon.route.keys import key_of
from tectogon_server.computing import queue, requests
from tectogon_server.parts.models import Part
from test_computing import card_of, do

ART = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9"><path d="M0 0h9v9h-9z"/></svg>'
)


@pytest.fixture(autouse=True)
def no_tickets(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(queue, "wake", lambda: None)


def kinds(user: User) -> dict[str, dict[str, Any]]:
    return {k["name"]: k for k in signed_in(user).get("/api/operations").json()}


def test_every_kind_is_told_with_what_it_wants_and_serves(ines: User) -> None:
    told = kinds(ines)
    assert list(told) == list(OPERATIONS)
    assert {name for name, k in told.items() if k["wants"] == "body"} >= {"round_edges", "engrave", "place_bodies"}
    assert told["combine_bodies"]["wants"] == "bodies" and told["from_views"]["wants"] == "views"
    for serves in (
        "reads_file",
        "reads_solid",
        "leaves_out",
        "lays_on_face",
        "engraves",
        "joins_bodies",
        "names_body",
        "says_material",
        "draws_sheet",
    ):
        assert sum(k["serves"] == serves for k in told.values()) == 1, serves
    first = [k["label"] for k in told.values() if k["stage"] == "build" and k["offered"]][:3]
    assert first == ["Extrude", "Cut", "Revolve"], "digits that hands know stay what they are"


@pytest.mark.parametrize("kind", [name for name, k in OPERATIONS.items() if k.offered])
def test_the_defaults_of_every_kind_are_a_sentence(kind: str, ines: User) -> None:
    defaults = kinds(ines)[kind]["defaults"]
    step = {"number": 20, "kind": kind, "params": defaults}
    answer = signed_in(ines).post(
        "/api/operations/sentence", json.dumps({"step": step}), content_type="application/json"
    )
    told = answer.json()
    assert answer.status_code == 200 and told["problem"] is None and told["tokens"], told
    fields = [t["field"] for t in told["tokens"] if t["field"]]
    assert set(fields) <= set(defaults), "each value of a sentence is a value of the step"


def test_art_is_a_file_of_the_part_and_its_bytes_make_the_key(ines: User, part: Part) -> None:
    client = signed_in(ines)
    sent = client.post(f"/api/parts/{part.pk}/sources", {"file": SimpleUploadedFile("square.svg", ART)}).json()
    card = card_of(part)
    steps = [s.model_dump(mode="json") for s in card.steps]
    raised = {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": 4}}

    def with_art(sha: str, *more: dict[str, Any]) -> Card:
        sources = {**card.sources, "square.svg": sha}
        return card_from({"version": card.version, "steps": [*steps, raised, *more], "sources": sources})

    plain = do(requests.ask_run(ines, part, with_art(sent["sha256"]), "preview"))
    assert plain["figures"]["bodies"] >= 1
    engraved = {"source": "square.svg", "face": {"name": "end/20//"}, "depth": 1, "width": 2}
    step = {"number": 30, "kind": "engrave", "params": engraved}
    asked = with_art(sent["sha256"], step)
    told = do(requests.ask_run(ines, part, asked, "preview"))["steps"][-1]
    assert told["code"] in ("", "pick_gone") and told["kind"] == "engrave"
    assert key_of(asked) != key_of(with_art("0" * 64, step))


def test_who_may_only_look_brings_no_art_in(ines: User, part: Part) -> None:
    viewer = signed_in(make_person("otto", part.workshop.name, "viewer"))
    answer = viewer.post(f"/api/parts/{part.pk}/sources", {"file": SimpleUploadedFile("square.svg", ART)})
    assert answer.status_code == 403, answer.content
