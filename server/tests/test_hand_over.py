"""What goes out: the drawing sheet, the report, the bundle and the print check, asked for and computed; and solids that
come in."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import ezdxf
import pypdfium2
import pytest
from asgiref.sync import async_to_sync
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from figures import Figure
from people import make_person, signed_in
from tectogon.display.bundle import file_stem
from tectogon.errors import NothingToBuild
from tectogon.route.card import Step, card_from
from tectogon.solids import exchange
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon_server.computing import functions, queue, results
from tectogon_server.computing.models import Computation
from tectogon_server.parts.actions.make_part import make_part
from tectogon_server.parts.actions.save_card import save_card
from tectogon_server.parts.models import Part


@pytest.fixture(autouse=True)
def no_tickets(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(queue, "wake", lambda: None)


@pytest.fixture
def step_file() -> bytes:
    regions = Figure().rectangle(0, 0, 60, 40).circle(20, 15, 5).regions()
    body = Body.of("1:a", "Plate", prism(regions, regions.profiles[0], frame_of("top"), 0, 10, 1))
    return exchange.step_bytes([body], "Plate")


@pytest.fixture
def solid(ines: User, step_file: bytes) -> Part:
    part = make_part(ines, "Träger", SimpleUploadedFile("plate.step", step_file))
    part.number = "FM-0012"
    part.save(update_fields=["number"])
    return part


def asked(user: User, part: Part, path: str, body: dict[str, Any], status: int = 200) -> Any:
    client = signed_in(user)
    answer = client.post(path.format(part=part.pk), json.dumps(body), content_type="application/json")
    assert answer.status_code == status, answer.content
    return answer.json()


def computed(told: dict[str, Any]) -> tuple[dict[str, Any], bytes]:
    """A computation done here and now, as a child would: what it tells, and its file."""
    row = Computation.objects.get(pk=told["id"])
    files = results.source_files(row.workshop_id, row.card["sources"])
    work = getattr(functions, row.kind)
    folder, scope = str(settings.RESULTS), results.scope_of(row.workshop_id)
    report = work(row.card, files, folder, scope, row.key, row.options)
    return report, results.path_of(row.key, "file").read_bytes()


def run_of(user: User, part: Part) -> str:
    assert part.head is not None
    return str(asked(user, part, "/api/parts/{part}/runs", {"card": part.head.card})["id"])


def test_a_step_file_becomes_a_part_with_its_body(ines: User, solid: Part) -> None:
    assert solid.head is not None
    card = card_from(solid.head.card)
    assert [(s.kind, s.params) for s in card.steps] == [("bring_solid", {"source": "plate.step"})]
    files = results.source_files(solid.workshop_id, card.sources)
    progress = str(results.path_of("p", "progress"))
    report = functions.run(card.model_dump(mode="json"), files, str(settings.RESULTS), "w", progress)
    assert report["figures"]["bodies"] == 1
    assert report["figures"]["volume_mm3"] == pytest.approx(60 * 40 * 10 - 25 * 3.141592653589793 * 10)
    assert report["steps"][0]["status"] == "ok"


def test_files_say_which_operation_brings_them_in(ines: User, part: Part, step_file: bytes, plate_dxf: bytes) -> None:
    client = signed_in(ines)
    for name, data, wanted in (("lid.step", step_file, "bring_solid"), ("plate.dxf", plate_dxf, "read")):
        answer = client.post(f"/api/parts/{part.pk}/sources", {"file": SimpleUploadedFile(name, data)})
        assert answer.json()["brought_in_by"] == wanted


def test_the_sheet_is_drawn_as_the_card_wants_it(ines: User, solid: Part) -> None:
    assert solid.head is not None
    run = run_of(ines, solid)
    _, data = computed(asked(ines, solid, f"/api/computations/{run}/drawings", {}))
    usual = json.loads(data)
    assert usual["open"] == [] and {d["text"] for d in usual["dimensions"]} == {"20", "60", "15", "40", "10", "⌀10"}
    assert "Träger" in usual["svg"] and "FM-0012" in usual["svg"] and "Fernmoor" in usual["svg"]
    card = card_from(solid.head.card)
    step = Step(number=20, kind="draw_sheet", params={"sheet": "A2", "scale": "1:2", "dimensions": "none"})
    save_card(ines, solid.pk, 1, card.model_copy(update={"steps": (*card.steps, step)}).model_dump(mode="json"), "Drew")
    solid.refresh_from_db()
    _, data = computed(asked(ines, solid, f"/api/computations/{run_of(ines, solid)}/drawings", {}))
    wanted = json.loads(data)
    assert (wanted["sheet"], wanted["scale"], wanted["dimensions"]) == ("A2", "1 : 2", [])


def test_the_sheet_goes_out_in_three_kinds(ines: User, solid: Part) -> None:
    for kind, mark in (("pdf", b"%PDF"), ("svg", b"<?xml"), ("dxf", b"  0\nSECTION")):
        report, data = computed(asked(ines, solid, "/api/parts/{part}/exports", {"kind": kind, "what": "drawing"}))
        assert data.startswith(mark) and report["bytes"] == len(data)
    asked(ines, solid, "/api/parts/{part}/exports", {"kind": "pdf"}, 422)


def test_the_bundle_holds_everything_named_by_number_and_issue(ines: User, solid: Part) -> None:
    report, data = computed(asked(ines, solid, "/api/parts/{part}/exports", {"kind": "zip"}))
    archive = zipfile.ZipFile(io.BytesIO(data))
    stem = "FM-0012 issue 1.1"
    names = {n.removeprefix(f"{stem}/") for n in archive.namelist()}
    assert names == {f"{stem}.step", f"{stem} drawing.pdf", f"{stem} drawing.dxf", f"{stem} card.json"}
    assert report["missing"] == [] and archive.testzip() is None
    drawing = ezdxf.read(io.StringIO(archive.read(f"{stem}/{stem} drawing.dxf").decode()))
    assert len(drawing.modelspace().query("DIMENSION")) == 6
    assert json.loads(archive.read(f"{stem}/{stem} card.json"))["steps"][0]["kind"] == "bring_solid"
    page = pypdfium2.PdfDocument(archive.read(f"{stem}/{stem} drawing.pdf"))[0]
    assert "FM-0012" in page.get_textpage().get_text_range()


def test_files_are_called_so_that_every_system_takes_them() -> None:
    assert file_stem({"number": "", "name": 'a/b:c*"d', "issue": "3"}) == "a-b-c--d issue 3"
    assert file_stem({"number": "", "name": "..", "issue": ""}) == "part"
    assert len(file_stem({"number": "x" * 300, "name": "", "issue": "1"})) == 100


def test_whether_it_can_be_printed(ines: User, solid: Part) -> None:
    run = run_of(ines, solid)
    wanted = {"wall": 11.0, "tool": 0.0, "bed": [50, 50, 50]}
    _, data = computed(asked(ines, solid, f"/api/computations/{run}/prints", wanted))
    found = json.loads(data)
    assert found["pieces"] == 1 and found["watertight"] and found["too_large"] == "10 mm too long in x"
    assert found["thinnest"]["width"] == pytest.approx(10, rel=1e-3) and found["thin"]
    for bad in ({"wall": 0}, {"bed": [1, 2]}, {"bed": [0, 1, 1]}):
        asked(ines, solid, f"/api/computations/{run}/prints", bad, 422)


def whole(answer: Any) -> bytes:
    async def read() -> bytes:
        return b"".join([chunk async for chunk in answer.streaming_content])

    return async_to_sync(read)()


def test_several_bundles_go_out_as_one(ines: User, solid: Part, step_file: bytes, rival: User) -> None:
    other = make_part(ines, "Other", SimpleUploadedFile("other.step", step_file))
    other.number = "FM-0012"
    other.save(update_fields=["number"])
    asked_for = [asked(ines, p, "/api/parts/{part}/exports", {"kind": "zip"}) for p in (solid, other)]
    of = ",".join(a["id"] for a in asked_for)
    client = signed_in(ines)
    assert client.get(f"/api/bundles?of={of}").status_code == 404, "not written yet"
    for one in asked_for:
        computed(one)
    answer = client.get(f"/api/bundles?of={of}")
    archive = zipfile.ZipFile(io.BytesIO(whole(answer)))
    assert {n.partition("/")[0] for n in archive.namelist()} == {"FM-0012 issue 1.1", "FM-0012 issue 1.1 (2)"}
    assert archive.testzip() is None and len(archive.namelist()) == 8
    assert signed_in(rival).get(f"/api/bundles?of={of}").status_code == 404
    step = asked(ines, solid, "/api/parts/{part}/exports", {"kind": "step"})
    assert client.get(f"/api/bundles?of={step['id']}").status_code == 422
    assert client.get("/api/bundles?of=nothing").status_code == 404


def test_the_bed_is_the_workshops(ines: User, rival: User) -> None:
    viewer = make_person("vera", "Fernmoor", "viewer")
    client = signed_in(ines)

    def put(user: User, bed: str) -> int:
        return signed_in(user).put("/api/workshop/bed", {"bed": bed}, content_type="application/json").status_code

    assert put(ines, " 220 × 220 × 250 ") == 204
    assert client.get("/api/workshop").json()["bed"] == "220 × 220 × 250"
    assert signed_in(rival).get("/api/workshop").json()["bed"] == ""
    assert put(viewer, "1 x 1 x 1") == 403
    for wrong in ("220 × 220", "0 x 1 x 1", "wide"):
        assert put(ines, wrong) == 422, wrong
    assert put(ines, "") == 204


def test_the_blank_is_of_the_part_that_the_card_makes_sheet(ines: User, solid: Part) -> None:
    assert solid.head is not None
    with pytest.raises(NothingToBuild, match="no sheet yet"):
        computed(asked(ines, solid, f"/api/computations/{run_of(ines, solid)}/blanks", {}))
    card = card_from(solid.head.card)
    step = Step(number=20, kind="sheet_metal", params={"rule": "k", "k": "0.4"})
    save_card(ines, solid.pk, 1, card.model_copy(update={"steps": (*card.steps, step)}).model_dump(mode="json"), "Bent")
    solid.refresh_from_db()
    _, data = computed(asked(ines, solid, f"/api/computations/{run_of(ines, solid)}/blanks", {}))
    found = json.loads(data)
    assert found["thickness"] == pytest.approx(10) and found["bends"] == [] and found["figures"]["holes"] == 1
    _, data = computed(asked(ines, solid, "/api/parts/{part}/exports", {"kind": "dxf", "what": "blank"}))
    assert len(ezdxf.read(io.StringIO(data.decode())).modelspace().query("*[layer=='CUT']")) == 2
    asked(ines, solid, "/api/parts/{part}/exports", {"kind": "pdf", "what": "blank"}, 422)


def test_what_it_weighs(ines: User, solid: Part) -> None:
    _, data = computed(asked(ines, solid, f"/api/computations/{run_of(ines, solid)}/weights", {}))
    found = json.loads(data)
    assert found["unknown"] == 1 and found["mass_g"] == pytest.approx((60 * 40 - 25 * 3.14159265) * 10 / 1000)


def test_another_workshop_reaches_none_of_it(rival: User, ines: User, solid: Part) -> None:
    run = run_of(ines, solid)
    for path in ("drawings", "prints", "weights", "blanks"):
        asked(rival, solid, f"/api/computations/{run}/{path}", {}, 404)
    asked(rival, solid, "/api/parts/{part}/exports", {"kind": "zip"}, 404)
