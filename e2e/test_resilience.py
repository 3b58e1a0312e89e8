"""Computation is apart: children killed, limits reached, worker and database stopped hard. The site answers throughout;
nothing recorded is lost."""

from __future__ import annotations

import contextlib
import json
import math
import os
import signal
import subprocess
import time
from collections.abc import Callable
from typing import Any

import ezdxf
import httpx
import pytest
from running_site import BASE, LIMITS, Client, Site

CHILDREN = int(LIMITS["TECTOGON_COMPUTE_CHILDREN"])


def dxf(draw: Callable[[Any, Any], None]) -> bytes:
    import io

    document = ezdxf.new("R2010", units=4)
    draw(document.modelspace(), document)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode()


def star(space: Any, points: int, radius: float, phase: float = 0.0) -> None:
    corners = [(2 * math.pi * k / points + phase, radius * (1 + 0.07 * (k % 2))) for k in range(points)]
    space.add_lwpolyline([(r * math.cos(a), r * math.sin(a)) for a, r in corners], close=True)


def endless(space: Any, document: Any) -> None:
    """Two outlines of thousands of edges that cross all over: a boolean of minutes."""
    for n in range(5):
        star(space, 2400, 100 + n, n * 0.0006)


def greedy(space: Any, document: Any) -> None:
    """A small file that lays out to 900,000 crossing lines."""
    block = document.blocks.new("B")
    for k in range(9):
        block.add_line((0, k * 0.9), (7.5, 9 - k))
    space.add_blockref(
        "B", (0, 0), dxfattribs={"row_count": 320, "column_count": 312, "row_spacing": 5, "column_spacing": 5}
    )


def processes(site: Site, name: str) -> list[int]:
    """This site's processes of a name."""
    out = subprocess.run(["ps", "-eo", "pgid,pid,stat,comm"], capture_output=True, text=True, check=True).stdout
    groups = {process.pid for process in site.processes.values()}
    found = [line.split() for line in out.splitlines()[1:]]
    return [
        int(pid)
        for group, pid, state, comm, *_ in found
        if int(group) in groups and comm == f"tectogon-{name}" and not state.startswith("Z")
    ]


def so_many(site: Site, name: str, count: int) -> set[int]:
    """This site's processes of a name, as soon as there are so many: those of one that was struck down end too."""
    deadline = time.monotonic() + 30
    while len(found := processes(site, name)) != count:
        assert time.monotonic() < deadline, f"{len(found)} of {count}"
        time.sleep(0.1)
    return set(found)


def children(site: Site) -> list[int]:
    """Its warm children: what its fork servers, which bear the same name, have forked."""
    named = set(processes(site, "child"))
    out = subprocess.run(["ps", "-eo", "pid,ppid"], capture_output=True, text=True, check=True).stdout
    pairs = [[int(word) for word in line.split()] for line in out.splitlines()[1:]]
    return [pid for pid, parent in pairs if pid in named and parent in named]


def simple_card(client: Client) -> tuple[int, dict[str, Any]]:
    part = client.part_named("Guide rail, 250 mm")
    return part["id"], part["card"]


def with_length(card: dict[str, Any], length: float) -> dict[str, Any]:
    changed: dict[str, Any] = json.loads(json.dumps(card))
    next(s for s in changed["steps"] if s["kind"] == "extrude")["params"]["length"] = length
    return changed


def test_what_would_take_for_ever_is_stopped_and_the_site_answers_meanwhile(site: Site) -> None:
    client = site.client()
    part = client.upload("endless.dxf", dxf(endless)).json()
    steps = [*part["card"]["steps"], {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}}}]
    asked = client.call("POST", f"/api/parts/{part['id']}/runs", {"card": {**part["card"], "steps": steps}})
    slowest = 0.0
    for _ in range(20):
        started = time.monotonic()
        client.call("GET", "/api/parts")
        slowest = max(slowest, time.monotonic() - started)
        time.sleep(0.1)
    assert slowest < 3
    ended = client.finished(asked, 120)
    assert (ended["state"], ended["code"]) == ("failed", "too_long")
    assert f"{LIMITS['TECTOGON_COMPUTE_SECONDS']} s" in ended["message"]


def test_what_would_eat_the_memory_is_stopped(site: Site) -> None:
    """Stopped by the limit, or, better, before: its lines are shown, and why no regions are looked for is said."""
    client = site.client()
    part = client.upload("greedy.dxf", dxf(greedy)).json()
    ended = client.run(part["id"], seconds=60)
    if ended["state"] == "done":
        gauges = {g["stage"]: g["words"] for g in ended["report"]["gauges"]}
        assert gauges["close"] == "too many crossings"
    else:
        assert ended["code"] in ("over_limit", "child_died", "too_long")
    part_id, card = simple_card(client)
    assert client.run(part_id, with_length(card, 77.5))["state"] == "done"


def test_a_computation_can_be_stopped(site: Site) -> None:
    client = site.client()
    part = client.upload("endless.dxf", dxf(endless)).json()
    steps = [
        *part["card"]["steps"],
        {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": 3}},
    ]
    asked = client.call("POST", f"/api/parts/{part['id']}/runs", {"card": {**part["card"], "steps": steps}})
    time.sleep(0.8)
    client.call("POST", f"/api/computations/{asked['id']}/stop", {})
    assert client.finished(asked, 5)["state"] == "stopped"
    part_id, card = simple_card(client)
    assert client.run(part_id, with_length(card, 99.5), seconds=15)["state"] == "done"


def test_a_newer_preview_takes_the_place_of_an_older(site: Site) -> None:
    client = site.client()
    part_id, card = simple_card(client)
    asked = [
        client.call("POST", f"/api/parts/{part_id}/runs", {"card": with_length(card, 40 + n / 7)}) for n in range(6)
    ]
    states = [client.finished(a)["state"] for a in asked]
    assert states[-1] == "done"
    assert set(states) <= {"done", "stopped"}


def test_worker_and_database_stopped_hard_lose_nothing(site: Site) -> None:
    client = site.client()
    part_id, card = simple_card(client)
    revision = client.part_named("Guide rail, 250 mm")["revision"]
    saved = client.call(
        "PUT", f"/api/parts/{part_id}/card", {"based_on": revision, "card": with_length(card, 260), "change": "Longer"}
    )
    site.kill("worker 1")
    subprocess.run([str(BASE / "scripts" / "database.sh"), "kill"], check=True, env=site.env)
    away = client.send("GET", "/api/parts")
    assert (away.status_code, away.json()["code"]) == (503, "away")
    subprocess.run([str(BASE / "scripts" / "database.sh"), "start"], check=True, env=site.env)
    site.start("worker 1")
    deadline = time.monotonic() + 20
    while client.send("GET", "/api/me").status_code != 200 and time.monotonic() < deadline:
        time.sleep(0.2)
    again = client.part_named("Guide rail, 250 mm")
    assert again["revision"] == saved["revision"]
    assert again["card"] == saved["card"]
    done = client.run(part_id)
    assert done["state"] == "done", done
    assert done["report"]["figures"]["bounds"][5] == pytest.approx(260)
    undone = client.call("POST", f"/api/parts/{part_id}/undo", {"based_on": again["revision"]})
    assert undone["card"] == card


@pytest.mark.parametrize(("name", "count"), [("web", 2), ("stock", 1), ("worker", 1), ("child", 1 + CHILDREN)])
def test_whatever_ends_is_there_again(name: str, count: int, site: Site) -> None:
    client = site.client()
    part_id, card = simple_card(client)
    length = 270.0 + len(name) + time.time() % 1  # nothing that was computed before
    assert client.run(part_id, with_length(card, length))["state"] == "done"
    before = so_many(site, name, count)
    for pid in before:
        os.kill(pid, signal.SIGKILL)
    length += 5
    deadline = time.monotonic() + 60
    done: dict[str, Any] = {}
    while done.get("state") != "done" and time.monotonic() < deadline:
        with contextlib.suppress(httpx.HTTPError, AssertionError):
            done = client.run(part_id, with_length(card, length))
    assert done["report"]["figures"]["bounds"][5] == pytest.approx(length)
    assert not so_many(site, name, count) & before
    assert all(process.poll() is None for process in site.processes.values())


def test_a_child_killed_in_the_middle_costs_one_computation(site: Site) -> None:
    client = site.client()
    part = client.upload("endless.dxf", dxf(endless)).json()
    asked = client.call(
        "POST",
        f"/api/parts/{part['id']}/runs",
        {
            "card": {
                **part["card"],
                "steps": [
                    *part["card"]["steps"],
                    {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}}},
                ],
            }
        },
    )
    deadline = time.monotonic() + 40
    while client.call("GET", f"/api/computations/{asked['id']}")["state"] == "queued" and time.monotonic() < deadline:
        time.sleep(0.05)
    time.sleep(1.5)
    for pid in children(site):
        os.kill(pid, signal.SIGKILL)
    ended = client.finished(asked)
    assert ended["state"] == "failed"
    assert "Nothing recorded is lost" in ended["message"] or ended["code"] == "child_died"
    part_id, card = simple_card(client)
    assert client.run(part_id, with_length(card, 123.25))["state"] == "done"


def test_news_reach_those_who_listen_and_no_one_else(site: Site) -> None:
    client, stranger = site.client(), Client(site.url, None)
    assert stranger.send("GET", "/api/events").status_code == 401
    part_id, card = simple_card(client)
    with client.http.stream("GET", "/api/events", timeout=20) as stream:
        lines = stream.iter_lines()
        assert next(lines).startswith("retry")
        asked = site.client().call("POST", f"/api/parts/{part_id}/runs", {"card": with_length(card, 31.125)})
        for line in lines:
            if line.startswith("data:") and asked["id"] in line and '"done"' in line:
                break
        else:
            raise AssertionError("no news came")
