"""The card on record: saving, clashes, undo and redo without limit, names, wrong files."""

from __future__ import annotations

import json
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from people import make_person, signed_in
from tectogon_server.errors import BadName
from tectogon_server.parts.actions.keep_source import check_name
from tectogon_server.parts.models import Part, Revision


class Desk:
    """A person at a part."""

    def __init__(self, user: User, part: Part) -> None:
        self.client, self.part = signed_in(user), part

    def get(self) -> dict[str, Any]:
        return dict(self.client.get(f"/api/parts/{self.part.pk}").json())

    def post(self, what: str, body: dict[str, Any], method: str = "post") -> Any:
        return getattr(self.client, method)(
            f"/api/parts/{self.part.pk}/{what}", json.dumps(body), content_type="application/json"
        )

    def save(self, length: float, based_on: int | None = None) -> Any:
        now = self.get()
        steps = [s for s in now["card"]["steps"] if s["number"] < 20]
        card = {**now["card"], "steps": [*steps, {"number": 20, "kind": "extrude", "params": {"length": length}}]}
        return self.post(
            "card",
            {"based_on": now["revision"] if based_on is None else based_on, "card": card, "change": f"{length}"},
            "put",
        )

    def length(self) -> float | None:
        steps = self.get()["card"]["steps"]
        return float(steps[1]["params"]["length"]) if len(steps) > 1 else None


@pytest.fixture
def desk(ines: User, part: Part) -> Desk:
    return Desk(ines, part)


def test_undo_and_redo_walk_the_whole_way(desk: Desk) -> None:
    for n in range(1, 31):
        assert desk.save(n).status_code == 200
    for n in range(29, 0, -1):
        assert desk.post("undo", {"based_on": desk.get()["revision"]}).status_code == 200
        assert desk.length() == n
    desk.post("undo", {"based_on": desk.get()["revision"]})
    assert desk.length() is None
    answer = desk.post("undo", {"based_on": 1})
    assert (answer.status_code, answer.json()["text"]) == (404, "There is nothing to undo.")
    for n in range(1, 31):
        desk.post("redo", {"based_on": desk.get()["revision"]})
        assert desk.length() == n
    assert desk.get()["redo"] is None


def test_a_change_after_undo_keeps_the_other_branch(desk: Desk, part: Part) -> None:
    desk.save(1)
    desk.save(2)
    desk.post("undo", {"based_on": 3})
    desk.save(5)
    assert desk.get()["redo"] is None
    assert {r.card["steps"][1]["params"]["length"] for r in Revision.objects.filter(part=part, number__gt=1)} == {
        1,
        2,
        5,
    }


def test_a_save_based_on_an_old_revision_is_told_and_loses_nothing(desk: Desk, part: Part) -> None:
    tomas = Desk(make_person("tomas", "Fernmoor"), part)
    assert tomas.save(7).status_code == 200
    answer = desk.save(9, based_on=1)
    assert answer.status_code == 409
    assert "tomas" in answer.json()["text"]
    assert desk.length() == 7
    assert desk.save(9).status_code == 200
    assert desk.length() == 9


@pytest.mark.parametrize(
    ("card", "word"),
    [
        ({"steps": [{"number": 0, "kind": "read"}]}, "number"),
        ({"steps": [{"number": 10, "kind": "read"}, {"number": 10, "kind": "cut"}]}, "same number"),
        ({"steps": [], "sources": {"x.dxf": "0" * 64}}, "never brought in"),
        ("nonsense", "card"),
        ({"steps": [{"number": n, "kind": "cut"} for n in range(1, 700)]}, "500"),
    ],
)
def test_cards_that_are_none_are_refused(desk: Desk, card: Any, word: str) -> None:
    answer = desk.post("card", {"based_on": 1, "card": card}, "put")
    assert answer.status_code == 422
    assert word in answer.json()["text"]
    assert desk.get()["revision"] == 1


@pytest.mark.parametrize("name", ["<script>alert(1)</script>", "Klemmbock 🦢 №7", "a/b\\c", "x" * 120])
def test_odd_names_are_kept_as_they_are(ines: User, part: Part, name: str) -> None:
    answer = signed_in(ines).patch(f"/api/parts/{part.pk}", json.dumps({"name": name}), content_type="application/json")
    assert answer.json()["name"] == name


@pytest.mark.parametrize(("name", "word"), [("", "missing"), ("   ", "missing"), ("x" * 10_000, "10\u202f000")])
def test_names_that_won_t_do(ines: User, plate_dxf: bytes, name: str, word: str) -> None:
    answer = signed_in(ines).post("/api/parts", {"name": name, "file": SimpleUploadedFile("a.dxf", plate_dxf)})
    assert answer.status_code == 422
    assert word in answer.json()["text"]


@pytest.mark.parametrize(
    ("content", "status", "word"),
    [
        (b"", 422, "empty"),
        (b"hello", 422, "not a drawing"),
        (b"\x00" * 100, 422, "not a drawing"),
        (b"x" * 200_000, 413, "MB"),
    ],
)
def test_wrong_files_make_no_part(ines: User, settings: Any, content: bytes, status: int, word: str) -> None:
    settings.MAX_UPLOAD_BYTES = 100_000
    answer = signed_in(ines).post("/api/parts", {"name": "a", "file": SimpleUploadedFile("a.dxf", content)})
    assert answer.status_code == status
    assert word in answer.json()["text"]
    assert not Part.objects.exists()


def test_the_same_bytes_are_kept_once(ines: User, part: Part, plate_dxf: bytes) -> None:
    from tectogon_server.parts.actions.keep_source import chunks_of_source
    from tectogon_server.parts.models import Source

    signed_in(ines).post("/api/parts", {"name": "b", "file": SimpleUploadedFile("other.dxf", plate_dxf)})
    assert Source.objects.count() == 1
    assert b"".join(chunks_of_source(Source.objects.get())) == plate_dxf


def test_the_sentence_of_a_step_needs_no_worker(ines: User) -> None:
    client = signed_in(ines)

    def told(params: dict[str, Any]) -> dict[str, Any]:
        body = {"step": {"number": 20, "kind": "extrude", "params": params}}
        return dict(client.post("/api/operations/sentence", json.dumps(body), content_type="application/json").json())

    good = told({"length": "3/8 in + 2 mm", "extent": "half_each_side"})
    assert good["problem"] is None
    assert [t["text"] for t in good["tokens"] if t["field"]] == [
        "profiles: point at them",
        "3/8 in + 2 mm",
        "half to each side",
        "0 mm",
        "its sides upright",
        "each as a new body",
    ]
    assert "not a unit" in told({"length": "3 parsecs"})["problem"]


def test_a_released_part_stays_as_it_is_and_goes_on_as_its_next_issue(ines: User, part: Part) -> None:
    client = signed_in(ines)
    card = {"version": 4, "steps": [], "sources": {}}

    def put(path: str, body: dict[str, Any], method: str = "post") -> Any:
        return getattr(client, method)(f"/api/parts/{part.pk}{path}", json.dumps(body), content_type="application/json")

    assert put("", {"released": True, "number": "FH-1"}, "patch").json()["released"]
    saved = put("/card", {"based_on": 1, "card": card, "change": "x"}, "put")
    assert saved.status_code == 403 and "released" in saved.json()["text"]
    assert put("/undo", {"based_on": 1}).status_code == 403
    assert put("", {"name": "Other"}, "patch").status_code == 403
    assert put("", {"labels": ["kept"]}, "patch").status_code == 200, "labels are not the part's own"
    made = put("/copy?next_issue=true", {}).json()
    assert (made["name"], made["number"], made["issue"], made["released"]) == (part.name, "FH-1", 2, False)
    on_shelf = {p["id"]: p for p in client.get("/api/parts").json()}
    assert on_shelf[part.pk]["released"] and not on_shelf[made["id"]]["released"]
    told = client.get(f"/api/parts/{part.pk}/revisions").json()
    assert [r["number"] for r in told] == [1] and told[0]["now"]
    assert client.get(f"/api/parts/{part.pk}/revisions/1").json()["steps"]


@pytest.mark.parametrize(
    ("typed", "kept"),
    [
        ("bracket\u202etxt.exe", "brackettxt.exe"),
        ("\u200bclamp\u200b", "clamp"),
        ("Träger  für\tΣ", "Träger für Σ"),
        ("4471-02 iss A", "4471-02 iss A"),
    ],
)
def test_what_nobody_sees_is_no_part_of_a_name(typed: str, kept: str) -> None:
    assert check_name(typed) == kept


def test_a_name_of_nothing_that_is_seen_is_none() -> None:
    with pytest.raises(BadName):
        check_name("\u200b\u202e\u2066")
