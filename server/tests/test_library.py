"""The workshop's library: drawings cleaned and kept, issues, hand-over to another workshop, bars."""

from __future__ import annotations

import io
import json
from typing import Any

import ezdxf
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from people import make_person, signed_in
from tectogon.display.packing import unpack
from tectogon.library.archive import read_library
from tectogon_server.computing import functions, queue, results
from tectogon_server.computing.models import Computation
from tectogon_server.parts.models import LibrarySection, Part


@pytest.fixture(autouse=True)
def no_tickets(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(queue, "wake", lambda: None)


def tray(wide: float = 60.0, number: str = "KR-12") -> bytes:
    document = ezdxf.new("R2010", units=4)
    document.modelspace().add_lwpolyline([(0, 30), (0, 0), (wide, 0), (wide, 30)])
    document.modelspace().add_text(f"{number} t = 1.2 mm steel", height=3).set_placement((0, 40))
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def given(user: User, path: str, name: str, data: bytes, status: int = 200, **more: str) -> Any:
    file = SimpleUploadedFile(name, data)
    answer = signed_in(user).post(f"/api/library/{path}", {"file": file, **more})
    assert answer.status_code == status, answer.content
    return answer.json()


def done(told: dict[str, Any]) -> str:
    """The computation done, as a worker does it."""
    row = Computation.objects.get(pk=told["id"])
    files = results.source_files(row.workshop_id, row.card["sources"])
    do = getattr(functions, row.kind)
    settings.RESULTS.mkdir(parents=True, exist_ok=True)
    do(row.card, files, str(settings.RESULTS), results.scope_of(row.workshop_id), row.key, row.options)
    return str(row.pk)


def sent(user: User, method: str, path: str, body: dict[str, Any], status: int = 200) -> Any:
    answer = getattr(signed_in(user), method)(path, json.dumps(body), content_type="application/json")
    assert answer.status_code == status, answer.content
    return answer.json() if answer.content and status < 300 else None


def kept(user: User, data: bytes = b"", facts: dict[str, Any] | None = None) -> dict[str, Any]:
    computation = done(given(user, "drawings", "kr-12.dxf", data or tray(), family="Trays"))
    out = sent(user, "post", "/api/library/kept", {"computation": computation, "facts": facts or {}})
    return dict(out["sections"][0])


def test_a_drawing_is_cleaned_and_kept_and_stands_on_no_shelf(ines: User, rival: User) -> None:
    section = kept(ines)
    assert (section["number"], section["issue"], section["facts"]["family"]) == ("KR-12", 1, "Trays")
    assert section["facts"]["thickness_mm"] == 1.2 and section["facts"]["material"] == "steel"
    assert section["figures"]["kg_per_m"] == pytest.approx(section["figures"]["area"] * 7.85e-3)
    assert len(section["outline"]) == 1 and len(section["outline"][0]) == 8
    assert signed_in(ines).get("/api/parts").json() == [] and Part.objects.filter(desk=True).count() == 1
    assert signed_in(rival).get("/api/library").json()["sections"] == []
    for method, path, body in (
        ("patch", f"/api/library/sections/{section['id']}", {"facts": {"notes": "x"}}),
        ("put", f"/api/library/sections/{section['id']}/away", {"away": True}),
        ("post", f"/api/library/sections/{section['id']}/parts", {"length": "1 m"}),
    ):
        sent(rival, method, path, body, 404)
        viewer = User.objects.filter(username="vera").first() or make_person("vera", "Fernmoor", "viewer")
        sent(viewer, method, path, body, 403)


def test_the_same_again_is_no_new_issue_and_what_is_edited_is(ines: User) -> None:
    first = kept(ines)
    assert kept(ines)["id"] == first["id"]
    wider = kept(ines, tray(62.0))
    assert (wider["issue"], wider["figures"]["bbox_mm"][2]) == (2, 62.0)
    changed = sent(
        ines, "patch", f"/api/library/sections/{wider['id']}", {"facts": {"pitch_mm": 58, "material": "aluminium"}}
    )
    assert (changed["issue"], changed["facts"]["pitch_mm"]) == (3, 58)
    assert changed["figures"]["kg_per_m"] == pytest.approx(changed["figures"]["area"] * 2.7e-3)
    assert [s["issue"] for s in signed_in(ines).get("/api/library").json()["sections"]] == [3]
    assert [s["issue"] for s in signed_in(ines).get("/api/library/numbers/KR-12").json()] == [3, 2, 1]
    kept(ines, tray(40.0, "KR-9"), {"number": "KR-9"})
    sent(ines, "patch", f"/api/library/sections/{changed['id']}", {"facts": {"number": "KR-9"}}, 422)
    sent(ines, "patch", f"/api/library/sections/{changed['id']}", {"facts": {"thickness_mm": -1}}, 422)
    sent(ines, "put", f"/api/library/sections/{changed['id']}/away", {"away": True}, 204)
    assert LibrarySection.objects.get(pk=changed["id"]).away


def test_a_library_is_handed_to_another_workshop(ines: User, rival: User) -> None:
    kept(ines)
    kept(ines, tray(40.0), {"number": "KR-9"})
    data = signed_in(ines).get("/api/library/file").content
    assert {s.facts.number for s in read_library(data)[0]} == {"KR-12", "KR-9"}
    out = sent(rival, "post", "/api/library/kept", {"computation": done(given(rival, "files", "lib.zip", data))})
    assert {s["number"] for s in out["sections"]} == {"KR-12", "KR-9"} and out["problems"] == []
    again = sent(rival, "post", "/api/library/kept", {"computation": done(given(rival, "files", "lib.zip", data))})
    assert all(s["issue"] == 1 for s in again["sections"]), "the same once more is no new issue"
    given(rival, "files", "lib.zip", b"no zip", 422)


def test_a_section_becomes_a_bar_and_goes_into_a_part(ines: User, part: Part) -> None:
    section = kept(ines)
    made = Part.objects.get(
        pk=sent(ines, "post", f"/api/library/sections/{section['id']}/parts", {"length": "1250 mm"})["part"]
    )
    assert made.head is not None and [s["kind"] for s in made.head.card["steps"]] == ["bar", "material"]
    bar = made.head.card["steps"][0]["params"]
    assert (bar["section"], bar["issue"], bar["length"], bar["pitch"]) == ("KR-12", 1, "1250 mm", 60.0)
    body = {"part": part.pk, "revision": part.head.number if part.head else 0}
    used = sent(ines, "post", f"/api/library/sections/{section['id']}/uses", body)
    part.refresh_from_db()
    assert part.head is not None and used["source"] in part.head.card["sources"]
    assert used["values"]["section"] == "KR-12"


def test_the_bars_of_parts_are_packed_into_stock(ines: User, rival: User) -> None:
    section = kept(ines)
    made = [
        sent(ines, "post", f"/api/library/sections/{section['id']}/parts", {"length": v})["part"]
        for v in ("2500 mm", "2500 mm", "1.9 m")
    ]
    query = f"parts={','.join(map(str, made))}"
    (told,) = signed_in(ines).get(f"/api/cut-list?{query}&stock=6000&kerf=3").json()["sections"]
    assert (told["section"], told["count"], told["best"], told["total_mm"]) == ("KR-12", 2, True, 6900.0)
    assert told["kg"] == pytest.approx(6.9 * section["figures"]["kg_per_m"])
    (short,) = signed_in(ines).get(f"/api/cut-list?{query}&stock=2000").json()["sections"]
    assert "longer than the stock" in short["problem"]
    text = signed_in(ines).get(f"/api/cut-list/file?{query}").content.decode().splitlines()
    assert text[1].startswith("KR-12,") and text[1].endswith(",2500.0,0.0,0.0,90.0,90.0,2")
    assert signed_in(rival).get(f"/api/cut-list?{query}").status_code == 404


def test_a_section_of_the_supplier_is_taken_and_held_against_its_table(ines: User) -> None:
    client = signed_in(ines)
    told = client.get("/api/supplier").json()
    assert len(told["sections"]) == 40 and not any(s["here"] for s in told["sections"])
    number = told["sections"][0]["number"]
    assert client.get(f"/api/supplier/{number}/picture").content.startswith(b"<")
    computation = done(client.post(f"/api/supplier/{number}").json())
    section = sent(ines, "post", "/api/library/kept", {"computation": computation})["sections"][0]
    row = told["sections"][0]
    assert section["figures"]["kg_per_m"] == pytest.approx(row["kg_per_m"], abs=1e-3)
    assert section["facts"]["family"] == row["family"]
    assert client.get("/api/supplier").json()["sections"][0]["here"]
    assert client.get("/api/supplier/table").content.startswith(b"%PDF")
    assert client.get("/api/supplier/../passwd/picture").status_code == 404


def test_a_part_stands_in_another_and_never_in_itself(ines: User, part: Part) -> None:
    section = kept(ines)
    bar = Part.objects.get(pk=sent(ines, "post", f"/api/library/sections/{section['id']}/parts", {})["part"])
    told = sent(ines, "post", f"/api/parts/{part.pk}/placings/{bar.pk}", {})
    row = Computation.objects.get(pk=told["id"])
    path = results.path_of(row.key, "file")
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(b"ISO-10303-21;")
    used = sent(ines, "post", f"/api/parts/{part.pk}/placed", {"computation": told["id"], "revision": 1})
    assert used["values"] | {"source": ""} == {"part": bar.pk, "name": bar.name, "revision": 1, "source": ""}
    part.refresh_from_db()
    assert part.head is not None and used["source"] in part.head.card["sources"] and part.head.number == 2
    card = dict(part.head.card)
    card["steps"] = [*card["steps"], {"number": 50, "kind": "place_part", "params": used["values"]}]
    sent(ines, "put", f"/api/parts/{part.pk}/card", {"based_on": 2, "card": card, "change": "Placed it"})
    assert "in itself" in sent_refused(ines, f"/api/parts/{part.pk}/placings/{part.pk}")
    assert "both ways" in sent_refused(ines, f"/api/parts/{bar.pk}/placings/{part.pk}")


_RAISED: dict[str, Any] = {"profiles": {"rule": "material"}}


def test_an_earlier_revision_is_held_against_now_as_solids_and_has_a_picture(
    ines: User, rival: User, part: Part
) -> None:
    for revision, length in ((1, 10), (2, 12)):
        card = dict(Part.objects.get(pk=part.pk).head.card)  # type: ignore[union-attr]
        steps = [s for s in card["steps"] if s["number"] < 20]
        card["steps"] = [*steps, {"number": 20, "kind": "extrude", "params": _RAISED | {"length": length}}]
        sent(ines, "put", f"/api/parts/{part.pk}/card", {"based_on": revision, "card": card, "change": f"{length}"})
    client = signed_in(ines)
    computation = done(client.post(f"/api/parts/{part.pk}/revisions/2/solids").json())
    facts = unpack(client.get(f"/api/computations/{computation}/file").content)[0]
    volumes = {b["name"]: b["volume_mm3"] for b in facts["bodies"]}
    assert set(volumes) == {"in both", "only now"}
    assert volumes["only now"] == pytest.approx(volumes["in both"] * 0.2)
    told = client.post(f"/api/parts/{part.pk}/revisions/2/pictures").json()
    row = Computation.objects.get(pk=told["id"])
    files = results.source_files(row.workshop_id, row.card["sources"])
    scope = results.scope_of(row.workshop_id)
    functions.export(row.card, files, str(settings.RESULTS), scope, row.key, row.options)
    picture = client.get(f"/api/computations/{told['id']}/file")
    assert picture.content.startswith(b"\x89PNG") and picture["Content-Type"] == "image/png"
    for what in ("solids", "pictures"):
        assert signed_in(rival).post(f"/api/parts/{part.pk}/revisions/2/{what}").status_code == 404


def test_a_parts_list_goes_out_as_a_table(ines: User, part: Part) -> None:
    section = kept(ines)
    body = {"length": "300 mm"}
    bar = sent(ines, "post", f"/api/library/sections/{section['id']}/parts", body)["part"]
    told = sent(ines, "post", f"/api/parts/{bar}/exports", {"kind": "csv", "what": "parts_list"})
    row = Computation.objects.get(pk=told["id"])
    files = results.source_files(row.workshop_id, row.card["sources"])
    settings.RESULTS.mkdir(parents=True, exist_ok=True)
    functions.export(row.card, files, str(settings.RESULTS), results.scope_of(row.workshop_id), row.key, row.options)
    lines = results.path_of(row.key, "file").read_bytes().decode("utf-8-sig").splitlines()
    assert lines[1].startswith("1,1,KR-12,issue 1,300 mm,steel,")
    grams = float(lines[1].split(",")[-1])
    assert grams == pytest.approx(section["figures"]["kg_per_m"] * 300, rel=1e-3)


def sent_refused(user: User, path: str) -> str:
    answer = signed_in(user).post(path, "{}", content_type="application/json")
    assert answer.status_code == 422, answer.content
    return str(answer.json()["text"])
