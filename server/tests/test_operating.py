"""Running the site for others: what it wants to be told, how it says that it is well, results that go through the
database."""

from __future__ import annotations

import asyncio
import json
import logging
import os
import signal
import subprocess
import sys
import time
from datetime import timedelta
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.test import Client
from django.utils import timezone
from people import signed_in
from tectogon_server.computing import housekeeping, queue, results
from tectogon_server.computing.models import Computation, Handover
from tectogon_server.operating import run
from tectogon_server.operating.observed import Observed, RequestNumber, route_of
from tectogon_server.operating.production import is_production, lacks
from tectogon_server.parts.models import Part

WHOLE = {
    "TECTOGON_MODE": "production",
    "TECTOGON_SECRET": "k" * 50,
    "TECTOGON_HOSTS": "tectogon.example.com",
    "TECTOGON_ORIGIN": "https://tectogon.example.com",
    "TECTOGON_DB_PASSWORD": "p",
    "TECTOGON_MAIL_HOST": "mail.example.com",
}


def test_whatever_ends_or_no_longer_stirs_is_started_again(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setitem(run._STILL_SECONDS, "web", 1.5)
    monkeypatch.setenv("PROMETHEUS_MULTIPROC_DIR", str(tmp_path))

    def stir(beat: Path) -> None:
        while True:
            beat.touch()
            time.sleep(0.1)

    beats = [tmp_path / name for name in "ab"]
    site = run.Site(None, "127.0.0.1", 0, [])
    site.all = [run.Process(f"web {beat.name}", partial(stir, beat), beat) for beat in beats]
    well, ailing = site.all
    try:
        for process in site.all:
            site.start(process)
        first = well.pid
        for blow in (signal.SIGSTOP, signal.SIGKILL):
            struck = ailing.pid
            os.kill(struck, blow)
            until = time.monotonic() + 10
            while ailing.pid in (0, struck) and time.monotonic() < until:
                site.look()
                time.sleep(0.1)
            assert ailing.pid not in (0, struck)
            os.kill(ailing.pid, 0)
        assert well.pid == first and not well.is_still()
    finally:
        site.stop()
    for process in site.all:
        with pytest.raises(ProcessLookupError):
            os.kill(process.pid, 0)


def test_production_starts_on_no_default() -> None:
    assert is_production(WHOLE) and not is_production({}) and lacks(WHOLE) == []
    for name in WHOLE:
        if name != "TECTOGON_MODE":
            (why,) = lacks({k: v for k, v in WHOLE.items() if k != name})
            assert why.startswith(name)
    for name, value in (
        ("TECTOGON_SECRET", "short"),
        ("TECTOGON_HOSTS", "localhost,*"),
        ("TECTOGON_HOSTS", "tectogon.example.com,*"),
        ("TECTOGON_ORIGIN", "http://tectogon.example.com"),
        ("TECTOGON_DEBUG", "1"),
        ("TECTOGON_PLAIN_HTTP", "1"),
    ):
        assert [w for w in lacks({**WHOLE, name: value}) if w.startswith(name)], (name, value)


def test_it_says_whether_it_is_ready_and_what_is_wrong(db: None, monkeypatch: pytest.MonkeyPatch) -> None:
    assert Client().get("/api/ready").json() == {"ready": True, "wrong": []}
    monkeypatch.setattr(settings, "LEAST_ROOM", 1 << 60)
    answer = Client().get("/api/ready")
    assert answer.status_code == 503 and "almost full" in answer.json()["wrong"][0]


def test_figures_are_for_those_who_watch(db: None, part: Part, ines: User, monkeypatch: pytest.MonkeyPatch) -> None:
    Computation.objects.create(workshop=part.workshop, part=part, user=ines, card={}, key="k")
    text = Client().get("/metrics").content.decode()
    assert 'tectogon_computations{state="queued"} ' in text and "tectogon_oldest_waiting_seconds" in text
    assert Client(REMOTE_ADDR="203.0.113.9").get("/metrics").status_code == 403
    monkeypatch.setattr(settings, "BEHIND_PROXY", True)
    forged = Client(HTTP_X_FORWARDED_FOR="127.0.0.1, 203.0.113.9")
    assert forged.get("/metrics").status_code == 403, "only what the proxy wrote last counts"
    monkeypatch.setattr(settings, "METRICS_TOKEN", "watcher")
    assert Client().get("/metrics").status_code == 403
    assert Client(HTTP_AUTHORIZATION="Bearer watcher").get("/metrics").status_code == 200


def test_requests_are_numbered_and_counted_by_route(caplog: pytest.LogCaptureFixture) -> None:
    async def app(scope: Any, receive: Any, send: Any) -> None:
        logging.getLogger("tectogon").warning("on the way")
        await send({"type": "http.response.start", "status": 204, "headers": []})

    sent: list[Any] = []

    async def keep(message: Any) -> None:
        sent.append(message)

    caplog.handler.addFilter(RequestNumber())
    scope = {"type": "http", "path": "/api/parts/17/card", "method": "PUT"}
    asyncio.run(Observed(app)(scope, None, keep))  # type: ignore[arg-type]
    number = dict(sent[0]["headers"])[b"x-request-id"].decode()
    assert len(number) == 16 and caplog.records[0].request == number  # type: ignore[attr-defined]
    assert route_of("/api/parts/17/card") == route_of("/api/parts/3/card") == "/api/parts/:id/card"
    assert route_of("/api/join/abc") == "/api/join" and route_of("/parts/3") == "page"


def test_the_web_process_never_loads_the_kernel() -> None:
    """It would take seconds to start, and what crashes the kernel would take the site along."""
    look = (
        "import sys, tectogon_server.asgi; from django.urls import resolve; resolve('/api/parts');"
        "sys.exit('OCP' in sys.modules or 'cv2' in sys.modules)"
    )
    assert subprocess.run([sys.executable, "-c", look], env={**os.environ}, timeout=60).returncode == 0


@pytest.fixture
def ticketless(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(queue, "wake", lambda: None)


def test_results_go_through_the_database_where_machines_are_apart(
    part: Part, ines: User, tmp_path: Any, monkeypatch: pytest.MonkeyPatch, ticketless: None
) -> None:
    monkeypatch.setattr(settings, "RESULTS_APART", True)
    client = signed_in(ines)
    asked = client.post(f"/api/parts/{part.pk}/runs", "{}", content_type="application/json").json()
    here = settings.RESULTS
    monkeypatch.setattr(settings, "RESULTS", tmp_path / "of the worker")
    row = Computation.objects.get(pk=asked["id"])
    report = _made(row)
    results.hand_over_report(report)
    Computation.objects.filter(pk=row.pk).update(state=Computation.State.DONE)
    monkeypatch.setattr(settings, "RESULTS", here)
    assert not results.path_of(row.key, "report").exists()
    told = client.get(f"/api/computations/{row.pk}").json()
    assert told["state"] == "done" and told["report"]["keys"]["whole"] == row.key
    assert client.get(f"/api/computations/{row.pk}/part").content == b"part"
    Handover.objects.update(made="2020-01-01T00:00:00Z")
    housekeeping.tidy()
    assert not Handover.objects.exists()
    assert client.get(f"/api/computations/{row.pk}/part").content == b"part", "brought here, it stays here"


def test_nothing_grows_in_a_week_of_use(part: Part, ines: User, monkeypatch: pytest.MonkeyPatch) -> None:
    """A week of previews, hand-overs, sessions, wrong passwords and results, with what the worker's housekeeping does
    once an hour of it: what is left is of three days, and within its budget."""
    now = timezone.now()
    begin = now - timedelta(days=7)
    monkeypatch.setattr(settings, "RESULTS_BUDGET", 200_000)
    settings.RESULTS.mkdir(parents=True)
    counts = []
    for hour in range(7 * 24):
        at = begin + timedelta(hours=hour)
        monkeypatch.setattr(timezone, "now", lambda at=at: at)
        rows = [
            Computation(
                workshop=part.workshop, part=part, user=ines, card={}, key=f"{hour} {n}", state="done", asked=at
            )
            for n in range(20)
        ]
        Computation.objects.bulk_create(rows)
        Handover.objects.bulk_create([Handover(key=r.key, what="part", data=b"x" * 100) for r in rows])
        Session.objects.create(session_key=f"s{hour}", session_data="", expire_date=at + timedelta(days=2))
        AccessAttempt.objects.create(username=f"u{hour}", failures_since_start=1)
        for r in rows:
            path = settings.RESULTS / f"{r.key}.part"
            path.write_bytes(b"x" * 1000)
            os.utime(path, (at.timestamp(), at.timestamp()))
        housekeeping.tidy()
        results.make_room(int(0.8 * settings.RESULTS_BUDGET))
        bytes_there = sum(p.stat().st_size for p in settings.RESULTS.iterdir())
        counts.append((Computation.objects.count(), Handover.objects.count(), Session.objects.count(), bytes_there))
    computations, handovers, sessions, there = (max(c[k] for c in counts) for k in range(4))
    assert computations <= 3 * 24 * 20 + 40 and handovers <= 40 and sessions <= 50 and there <= 200_000
    assert counts[-1][0] <= counts[4 * 24][0] + 20, "the last days are as the fourth was"
    assert AccessAttempt.objects.count() <= 26


def _made(row: Computation) -> dict[str, Any]:
    """Files of a report as a worker leaves them."""
    report = {"keys": {"whole": row.key, "sheets": [{"linework": "l", "regions": "r", "placements": "p"}]}}
    settings.RESULTS.mkdir(parents=True)
    for name, data in ((f"{row.key}.part", b"part"), ("l.lines", b"l"), ("r.regions", b"r"), ("p.placements", b"p")):
        (settings.RESULTS / name).write_bytes(data)
    (settings.RESULTS / f"{row.key}.report").write_text(json.dumps(report))
    return report
