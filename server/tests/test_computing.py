"""Computing for many: nobody reaches another workshop's linework, one run per key, a fair share for everybody, nothing
late overwrites what is newer."""

from __future__ import annotations

import json
import os
import time
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from django.test import Client
from people import make_person, signed_in
from tectogon.errors import CardUnreadable
from tectogon.route.card import Card, card_from
from tectogon.route.keys import key_of
from tectogon_server.computing import functions, housekeeping, pool, queue, requests, results, shelf, tasks
from tectogon_server.computing.models import Computation
from tectogon_server.parts.actions.make_part import make_part
from tectogon_server.parts.actions.save_card import save_card
from tectogon_server.parts.models import Part

State = Computation.State


@pytest.fixture(autouse=True)
def no_tickets(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(queue, "wake", lambda: None)


def card_of(part: Part) -> Card:
    assert part.head is not None
    return card_from(part.head.card)


def do(computation: Computation) -> dict[str, Any]:
    """Compute a row here and now, as a child would."""
    files = results.source_files(computation.workshop_id, computation.card["sources"])
    progress = str(results.path_of(str(computation.pk), "progress"))
    return functions.run(
        computation.card, files, str(settings.RESULTS), results.scope_of(computation.workshop_id), progress
    )


def rival_card(part: Part) -> dict[str, Any]:
    """A card over somebody else's file, whose hash is known."""
    return card_of(part).model_dump(mode="json")


def test_a_hash_is_no_way_to_another_workshops_linework(part: Part, ines: User, rival: User, plate_dxf: bytes) -> None:
    done = do(requests.ask_run(ines, part, card_of(part), "saved"))
    own = make_part(rival, "Mine", SimpleUploadedFile("mine.dxf", plate_dxf.replace(b"5.0", b"6.0")))
    client = signed_in(rival)
    answer = client.post(
        f"/api/parts/{own.pk}/runs", json.dumps({"card": rival_card(part)}), content_type="application/json"
    )
    assert answer.status_code == 422
    assert "never brought in" in answer.json()["text"]
    with pytest.raises(CardUnreadable):
        save_card(rival, own.pk, 1, rival_card(part), "taken")
    with pytest.raises(results.SourceMissing):
        results.source_files(own.workshop_id, card_of(part).sources)
    same = make_part(rival, "The same bytes", SimpleUploadedFile("plate.dxf", plate_dxf))
    asked = requests.ask_run(rival, same, card_of(same), "saved")
    assert asked.state == State.QUEUED  # "done" at once would tell that somebody has this file
    assert asked.key != done["keys"]["whole"]


@pytest.mark.parametrize("sha", ["../../../etc/passwd", "A" * 64, "", "x", "0" * 63])
def test_a_source_is_named_by_a_hash_and_nothing_else(sha: str, part: Part, ines: User) -> None:
    card = card_of(part).model_copy(update={"sources": {"plate.dxf": sha}})
    with pytest.raises(CardUnreadable):
        requests.ask_run(ines, part, card, "preview")
    with pytest.raises(results.SourceMissing):
        results.source_files(part.workshop_id, card.sources)


def test_a_run_without_its_source_does_not_pass_for_one_with_it(part: Part, tmp_path: Path) -> None:
    card, folder = card_of(part), str(tmp_path / "folder")
    without = functions.run(card.model_dump(mode="json"), {}, folder, "workshop 1", str(tmp_path / "progress"))
    assert without["steps"][0]["status"] == "failed"
    files = results.source_files(part.workshop_id, card.sources)
    whole = functions.run(card.model_dump(mode="json"), files, folder, "workshop 1", str(tmp_path / "progress"))
    assert whole["steps"][0]["status"] == "ok"
    assert whole["keys"]["sheets"] != without["keys"]["sheets"]
    assert whole["drawing"]["curves"] == 1


def test_one_run_per_key_whoever_asks(part: Part, ines: User) -> None:
    client, card = signed_in(ines), card_of(part)
    saved = client.put(
        f"/api/parts/{part.pk}/card",
        json.dumps({"based_on": 1, "card": card.model_dump(mode="json"), "change": "again"}),
        content_type="application/json",
    )
    assert saved.status_code == 200
    client.post(f"/api/parts/{part.pk}/runs", json.dumps({"card": None}), content_type="application/json")
    requests.ask_run(ines, part, card, "preview")
    assert Computation.objects.filter(part=part, kind="run").count() == 1
    preview = card.model_copy(
        update={"steps": (*card.steps, card.steps[0].model_copy(update={"number": 20, "kind": "mend", "params": {}}))}
    )
    first = requests.ask_run(ines, part, preview, "preview")
    second = requests.ask_run(ines, part, preview, "saved")
    assert (first.pk, second.purpose) == (second.pk, "saved")
    requests.ask_run(ines, part, card, "preview")
    assert (
        Computation.objects.get(pk=first.pk).state == State.QUEUED
    )  # what is on record is not superseded by a preview


def test_a_newer_preview_takes_the_place_of_an_older_one(part: Part, ines: User) -> None:
    card = card_of(part)
    older = requests.ask_run(ines, part, card.model_copy(update={"steps": ()}), "preview")
    requests.ask_run(ines, part, card, "preview")
    assert Computation.objects.get(pk=older.pk).code == "superseded"


def test_a_picture_waits_till_its_part_was_left_alone_or_is_looked_at(part: Part, ines: User, client: Client) -> None:
    card = card_of(part)
    run = requests.ask_run(ines, part, card, "saved")
    Computation.objects.filter(pk=run.pk).update(state=State.DONE)
    for key in ("k", "newer"):
        Computation.objects.filter(pk=run.pk).update(key=key)
        run.refresh_from_db()
        requests.ask_picture(run)
    (waiting,) = Computation.objects.filter(part=part, kind="picture")
    assert waiting.key == "newer" and queue.take_next() is None
    client.force_login(ines)
    client.get(f"/api/parts/{part.pk}/picture")
    assert (queue.take_next() or part).pk == waiting.pk


def test_a_newer_record_takes_the_place_of_an_older_one_that_is_still_computed(part: Part, ines: User) -> None:
    card = card_of(part)
    longer = card.model_copy(update={"steps": (*card.steps, card.steps[0].model_copy(update={"number": 20}))})
    older = requests.ask_run(ines, part, longer, "saved")
    preview = requests.ask_run(ines, part, card.model_copy(update={"steps": ()}), "preview")
    requests.ask_run(make_person("tomas", "Fernmoor"), part, card, "saved")
    assert Computation.objects.get(pk=older.pk).code == "superseded"
    assert Computation.objects.get(pk=preview.pk).state == State.QUEUED


def test_a_preview_that_becomes_the_record_while_it_is_computed_goes_on_the_shelf(
    part: Part, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = requests.ask_run(ines, part, card_of(part), "preview")

    def meanwhile(row: Computation, *_: Any, **__: Any) -> dict[str, Any]:
        assert requests.ask_run(ines, part, card_of(part), "saved").pk == row.pk == asked.pk
        return do(row)

    monkeypatch.setattr(tasks, "_call", meanwhile)
    tasks.compute(queue.take_next() or asked)
    part.refresh_from_db()
    assert part.computed_key == asked.key and part.figures
    assert Computation.objects.filter(part=part, kind="picture", key=asked.key, state=State.QUEUED).count() == 1
    assert Computation.objects.get(pk=asked.pk).state == State.DONE


def test_what_ends_while_the_database_is_away_is_taken_up_again(
    part: Part, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    row = queued(part, ines, "k", kind="check")

    def gone(*_: Any) -> None:
        raise OperationalError("the connection is closed")

    monkeypatch.setattr(tasks, "_do", gone)
    with pytest.raises(OperationalError):
        tasks.compute(queue.take_next() or row)
    Computation.objects.filter(pk=row.pk).update(beat="2020-01-01T00:00:00Z")
    assert queue.take_up_lost() == 1
    row.refresh_from_db()
    assert row.state == State.QUEUED


def queued(part: Part, user: User, key: str, purpose: str = "preview", kind: str = "run") -> Computation:
    row: Computation = Computation.objects.create(
        workshop=part.workshop, part=part, user=user, kind=kind, purpose=purpose, card={}, key=key
    )
    return row


def test_nobody_waits_for_what_another_workshop_does(part: Part, ines: User, rival: User, plate_dxf: bytes) -> None:
    settings.COMPUTE_CHILDREN = 4
    tomas = make_person("tomas", "Fernmoor")
    theirs = make_part(rival, "Theirs", SimpleUploadedFile("t.dxf", plate_dxf))
    for n in range(9):
        queued(part, ines, f"slow {n}")
    quick = queued(theirs, rival, "quick")
    taken = [queue.take_next() for _ in range(4)]
    assert [c and c.key for c in taken] == ["slow 0", "quick", "slow 1", None]  # one person has two of four at most
    colleague = queued(part, tomas, "colleague")
    assert (queue.take_next() or quick).pk == colleague.pk
    assert queue.take_next() is None  # and a workshop three
    Computation.objects.filter(key="slow 0").update(state=State.DONE)
    assert queue.take_next().key == "slow 2"  # type: ignore[union-attr]


def test_what_a_person_waits_for_comes_before_files(part: Part, ines: User) -> None:
    settings.COMPUTE_CHILDREN = 6
    queued(part, ines, "file", purpose="export", kind="export")
    queued(part, ines, "record", purpose="saved")
    queued(part, ines, "preview")
    assert [queue.take_next().key for _ in range(3)] == ["preview", "record", "file"]  # type: ignore[union-attr]


def test_what_is_at_work_already_is_not_done_twice(part: Part, ines: User) -> None:
    queued(part, ines, "one"), queued(part, ines, "one")
    assert queue.take_next() is not None
    assert queue.take_next() is None


def test_lost_computations_are_taken_up_and_given_up_in_the_end(part: Part, ines: User) -> None:
    from datetime import timedelta

    from django.utils import timezone

    row = queued(part, ines, "deadly")
    for _ in range(4):
        assert queue.take_next() is not None
        Computation.objects.filter(pk=row.pk).update(beat=timezone.now() - timedelta(minutes=1))
        assert queue.take_up_lost() == 1
    row.refresh_from_db()
    assert (row.state, row.code) == (State.FAILED, "lost")


def test_a_late_result_does_not_overwrite_what_is_on_record(part: Part, ines: User) -> None:
    card = card_of(part)
    report = do(requests.ask_run(ines, part, card, "saved"))
    longer = card.model_dump(mode="json")
    longer["steps"].append({"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}}})
    save_card(ines, part.pk, 1, longer, "Extruded")
    assert not shelf.keep_on_shelf(part.pk, report)
    assert not shelf.keep_picture(part.pk, report["keys"]["whole"], b"old")
    part.refresh_from_db()
    assert (part.figures, part.picture) == ({}, None)
    newer = do(requests.ask_run(ines, part, card_of(part), "saved"))
    assert shelf.keep_on_shelf(part.pk, newer)


def test_a_result_at_the_very_end_of_the_time_is_a_result() -> None:
    from concurrent.futures import Future

    landed: Future[int] = Future()
    landed.set_result(7)
    assert pool._landed(landed, 1.0, str) == 7
    late: Future[int] = Future()
    late.set_exception(TimeoutError())
    with pytest.raises(pool.TookTooLong, match="at operation 2 of 3, Extrude"):
        pool._landed(late, 1.0, lambda: "operation 2 of 3, Extrude")


def test_only_who_asked_or_an_editor_stops_a_computation(part: Part, ines: User, computation: Computation) -> None:
    viewer = make_person("vera", "Fernmoor", "viewer")
    answer = signed_in(viewer).post(f"/api/computations/{computation.pk}/stop")
    assert answer.status_code == 403
    assert Computation.objects.get(pk=computation.pk).state == State.QUEUED
    own = queued(part, viewer, "own")
    assert signed_in(viewer).post(f"/api/computations/{own.pk}/stop").json()["state"] == "stopped"
    assert signed_in(ines).post(f"/api/computations/{computation.pk}/stop").json()["state"] == "stopped"


@pytest.fixture
def computation(part: Part, ines: User) -> Computation:
    return queued(part, ines, "k")


def test_results_keep_within_their_budget_the_oldest_goes_first(part: Part, ines: User) -> None:
    folder = Path(settings.RESULTS)
    folder.mkdir(parents=True)
    for n in range(10):
        (folder / f"{n}.part").write_bytes(b"x" * 1000)
        os.utime(folder / f"{n}.part", (n, n))
    stray = folder / "tmp-left"
    stray.write_bytes(b"x" * 100)
    os.utime(stray, (1, 1))
    assert results.make_room(20_000) == 10_000
    assert not stray.exists()
    assert results.make_room(5_000) <= 5_000
    assert sorted(p.name for p in folder.iterdir()) == ["6.part", "7.part", "8.part", "9.part"]


def test_rows_that_ended_are_forgotten_and_those_that_wait_are_not(part: Part, ines: User) -> None:
    from datetime import timedelta

    from django.utils import timezone

    old, waiting, fresh = queued(part, ines, "a"), queued(part, ines, "b"), queued(part, ines, "c")
    Computation.objects.filter(pk=old.pk).update(state=State.DONE)
    Computation.objects.filter(pk__in=(old.pk, waiting.pk)).update(asked=timezone.now() - timedelta(days=30))
    housekeeping.tidy()
    assert set(Computation.objects.values_list("pk", flat=True)) >= {waiting.pk, fresh.pk}
    assert not Computation.objects.filter(pk=old.pk).exists()


def test_keys_hold_whose_they_are_and_the_code(part: Part, monkeypatch: pytest.MonkeyPatch) -> None:
    from tectogon.route import keys

    card = card_of(part)
    before = key_of(card, "workshop 1")
    assert before != key_of(card, "workshop 2")
    monkeypatch.setattr(keys, "code_fingerprint", lambda: "another program")
    assert before != key_of(card, "workshop 1")


def test_a_full_disk_fails_one_computation_and_leaves_nothing_behind(
    part: Part, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    import errno

    from tectogon.route import cache

    def full(*_: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    computation = requests.ask_run(ines, part, card_of(part), "saved")
    results.source_files(part.workshop_id, computation.card["sources"])
    with monkeypatch.context() as patch:
        patch.setattr(cache.Path, "replace", full)
        with pytest.raises(OSError, match="No space"):
            do(computation)
    assert not list(Path(settings.RESULTS).glob("tmp-*"))
    assert do(computation)["drawing"]["curves"] == 1


def test_a_stranger_to_health_learns_nothing(db: None) -> None:
    started = time.monotonic()
    assert Client().get("/api/health").json() == {"answers": True}
    assert time.monotonic() - started < 5


def test_what_ran_out_of_time_is_shown_and_never_found_again(
    part: Part, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tectogon.workpiece import model

    monkeypatch.setattr(tasks, "_call", lambda row, *_, **__: do(row))
    first = requests.ask_run(ines, part, card_of(part), "saved")
    with monkeypatch.context() as choked:
        choked.setattr(model, "_SECONDS", 0.0)
        choked.setattr(model, "_SECONDS_A_CURVE", 0.0)
        tasks.compute(queue.take_next() or first)
    first.refresh_from_db()
    assert first.state == State.DONE
    shown = results.report_of(first.key)
    assert shown is not None and shown["drawing"]["curves"] == 1
    assert all(results.found(key, what).exists() for key, what in results._files_of(first.key, shown))
    part.refresh_from_db()
    assert not part.computed_key
    second = requests.ask_run(ines, part, card_of(part), "saved")
    assert second.state == State.QUEUED
    tasks.compute(queue.take_next() or second)
    second.refresh_from_db()
    report = results.report_of(second.key)
    assert report is not None and second.key == report["keys"]["whole"] != first.key
    part.refresh_from_db()
    assert part.computed_key == second.key


def test_a_file_that_cannot_be_read_makes_no_part_of_the_shelf_until_it_has_another_card(
    part: Part, ines: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tasks, "_call", lambda row, *_, **__: do(row))
    damaged = make_part(ines, "Cut off", SimpleUploadedFile("cut.pdf", b"%PDF-1.7\n1 0 obj\n<< /Type /Cat"))
    requests.ask_run(ines, damaged, card_of(damaged), "saved")
    tasks.compute(queue.take_next())  # type: ignore[arg-type]

    def shelved(**query: str) -> list[str]:
        page = signed_in(ines).get("/api/shelf", query).json()
        return [row["name"] for row in page["parts"]]

    assert shelved() == ["Plate"] and shelved(removed="true") == ["Cut off"]
    (row,) = signed_in(ines).get("/api/parts", {"ids": damaged.pk}).json()
    assert "cut.pdf" in row["figures"]["refused"]
    damaged.refresh_from_db()
    save_card(ines, damaged.pk, damaged.head.number, rival_card(part), "Another drawing")  # type: ignore[union-attr]
    assert sorted(shelved()) == ["Cut off", "Plate"]
