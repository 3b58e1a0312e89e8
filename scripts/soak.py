"""The site under load and under blows, measured: `make soak` writes the figures into docs/OPERATE.md.

python scripts/soak.py [--minutes 4] [--people 50] [--kills 40] [what …]

A site of its own is started with its supervisor, a database of its own and the demo's data, in a folder that is
removed at the end. What can be named: load, one_part, shelf, drop, kills.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import random
import re
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

BASE = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(BASE / "scripts"), str(BASE / "e2e")]

import httpx  # noqa: E402
from running_site import Client  # noqa: E402
from serve import PYTHON, free_port  # noqa: E402

TABLE = BASE / "docs" / "OPERATE.md"
PASSWORD = "river-gauge"
Row = tuple[str, str, str, bool]


class Site:
    """The demo as `make demo` runs it, apart from any other."""

    def __init__(self, var: Path) -> None:
        self.var, self.port = var, free_port(8700)
        self.url = f"http://localhost:{self.port}"
        self.env = {**os.environ, "TECTOGON_VAR": str(var)}
        self.process = subprocess.Popen(
            [PYTHON, str(BASE / "scripts" / "serve.py"), "--demo", "--port", str(self.port)],
            env=self.env, stdout=subprocess.DEVNULL, stderr=(var / "log").open("w"), start_new_session=True,
        )  # fmt: skip

    def wait(self) -> None:
        deadline = time.monotonic() + 240
        while time.monotonic() < deadline:
            with contextlib.suppress(Exception):
                client = Client(self.url, "ines")
                if len(client.call("GET", "/api/parts")) >= 15:
                    return
            time.sleep(0.5)
        raise SystemExit(f"the site did not start: {(self.var / 'log').read_text()[-2000:]}")

    def stop(self) -> None:
        self.process.send_signal(signal.SIGTERM)
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(30)

    def database_env(self) -> dict[str, str]:
        out = subprocess.run(
            [str(BASE / "scripts" / "database.sh"), "env"], env=self.env, check=True, capture_output=True, text=True
        ).stdout
        return {**self.env, **dict(w.split("=", 1) for w in out.split())}

    def manage(self, *words: str, told: str = "") -> str:
        env = {
            **self.database_env(),
            "DJANGO_SETTINGS_MODULE": "tectogon_server.settings",
            "PYTHONPATH": f"{BASE / 'core'}:{BASE / 'server'}",
        }
        done = subprocess.run(
            [PYTHON, str(BASE / "server" / "manage.py"), *words], env=env, input=told, text=True, check=True,
            capture_output=True,
        )  # fmt: skip
        return done.stdout

    def pids(self, *kinds: str) -> list[int]:
        """Processes of this site by what they call themselves, as /proc has it."""
        found = []
        for entry in Path("/proc").iterdir():
            with contextlib.suppress(OSError, ValueError):
                pid = int(entry.name)
                if (entry / "comm").read_text().strip().removeprefix("tectogon-") in kinds and (
                    f"TECTOGON_VAR={self.var}".encode() in (entry / "environ").read_bytes()
                ):
                    found.append(pid)
        return found

    def connections(self) -> int:
        return self._count("pg_stat_activity")

    def rest(self) -> None:
        """Wait until nothing is to be computed any more, as the demo's pictures are after a while."""
        deadline = time.monotonic() + 90
        while self._count("computing_computation where state in ('queued', 'running')") and time.monotonic() < deadline:
            time.sleep(1.0)

    def _count(self, rows: str) -> int:
        env = self.database_env()
        shell = (
            'PGPASSWORD="$TECTOGON_DB_PASSWORD" /usr/lib/postgresql/15/bin/psql -qAt -h 127.0.0.1 -p'
            ' "$TECTOGON_DB_PORT" -U tectogon -d tectogon -c "select count(*) from ROWS"'.replace("ROWS", rows)
        )
        return int(subprocess.run(["bash", "-c", shell], env=env, check=True, capture_output=True, text=True).stdout)

    def memory(self) -> int:
        """Bytes that web process and workers hold, children and all."""
        total = 0
        for pid in self.pids("run", "web", "worker", "stock", "child"):
            with contextlib.suppress(OSError):
                text = Path(f"/proc/{pid}/smaps_rollup").read_text()
                total += int(re.search(r"^Pss:\s+(\d+)", text, re.M).group(1)) * 1024  # type: ignore[union-attr]
        return total


PEOPLE = """
from django.contrib.auth.models import User
from tectogon_server.accounts.models import Membership, Workshop
for w in range(5):
    shop, _ = Workshop.objects.get_or_create(name=f"Soak {w}")
    for n in range(%d):
        user, fresh = User.objects.get_or_create(username=f"soak{w}x{n}")
        if fresh:
            user.set_password("river-gauge"); user.save()
            Membership.objects.create(user=user, workshop=shop, role="editor")
"""
SHELF = """
import json
from django.contrib.auth.models import User
from tectogon_server.parts.models import Part, Revision
user = User.objects.get(username="soak4x0")
shop = user.membership.workshop
figures = {"bounds": [0,0,0,100,50,10], "bodies": 1, "mass_g": 12.0, "material": "steel"}
parts = [Part(workshop=shop, name=f"Shelf part {n}", figures=figures) for n in range(2000)]
Part.objects.bulk_create(parts)
rows = [Revision(workshop=shop, part=p, number=1, card={"version": 4, "steps": [], "sources": {}}) for p in parts]
Revision.objects.bulk_create(rows)
for part, row in zip(parts, rows):
    part.head = row
Part.objects.bulk_update(parts, ["head"], batch_size=500)
"""


def plate(wide: float) -> bytes:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}mm" height="40mm" viewBox="0 0 {wide} 40">'
        f'<path d="M0 0H{wide}V40H0Z"/><circle cx="15" cy="20" r="6"/></svg>'
    ).encode()


def with_length(card: dict[str, Any], length: float) -> dict[str, Any]:
    rest = [s for s in card["steps"] if s["kind"] != "extrude"]
    step = {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": length}}
    return {**card, "steps": [*rest, step]}


class Figures:
    """Times (s) and faults that many people gather at once."""

    def __init__(self) -> None:
        self.saves: list[float] = []
        self.results: list[float] = []
        self.faults: list[str] = []
        self.lock = threading.Lock()

    def fault(self, text: str) -> None:
        with self.lock:
            self.faults.append(text[:200])

    def p95(self, times: list[float]) -> float:
        return statistics.quantiles(times, n=20)[-1] if len(times) > 1 else 0.0


class Person:
    """Somebody signed in, told of what is computed as a page is: by news, asked only where they are late."""

    def __init__(self, site: Site, name: str) -> None:
        self.name, self.chance = name, random.Random(name)
        self.client = Client(site.url, name)
        self.ended: set[str] = set()
        self.heard = threading.Condition()
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        while True:
            with (
                contextlib.suppress(httpx.HTTPError),
                self.client.http.stream("GET", "/api/events", timeout=httpx.Timeout(10.0, read=60.0)) as stream,
            ):
                for line in stream.iter_lines():
                    news = json.loads(line[6:]) if line.startswith("data: {") else {}
                    if news.get("what") == "computation":
                        with self.heard:
                            self.ended.add(news["computation"])
                            self.heard.notify_all()
            time.sleep(0.5)

    def result(self, done: dict[str, Any]) -> dict[str, Any]:
        """What comes of a card on record, whose computation was told with it."""
        deadline = time.monotonic() + 120
        asked = str(done["id"])
        while done["state"] in ("queued", "running"):
            assert time.monotonic() < deadline, "no result within two minutes"
            with self.heard:
                self.heard.wait_for(lambda: asked in self.ended, timeout=5.0)
            done = self.client.call("GET", f"/api/computations/{asked}")
        return done

    def work(self, until: float, figures: Figures, pause: tuple[float, float], part: int = 0) -> None:
        """Open a part, change it, wait for what comes of it, look at the shelf."""
        try:
            opened = (
                self.client.call("GET", f"/api/parts/{part}")
                if part
                else self.client.upload(f"{self.name}.svg", plate(60)).json()
            )
        except Exception as problem:
            figures.fault(f"{self.name}: {problem!r}")
            return
        while time.monotonic() < until:
            time.sleep(self.chance.uniform(*pause))
            try:
                opened = self._change(opened, figures)
            except Exception as problem:
                figures.fault(f"{self.name}: {problem!r}")

    def _change(self, opened: dict[str, Any], figures: Figures) -> dict[str, Any]:
        began = time.monotonic()
        card = with_length(opened["card"], round(self.chance.uniform(5, 80), 3))
        body = {"based_on": opened["revision"], "card": card, "change": "Soak"}
        answer = self.client.send("PUT", f"/api/parts/{opened['id']}/card", body)
        if answer.status_code == 409:  # somebody else was first: take theirs up
            return dict(self.client.call("GET", f"/api/parts/{opened['id']}"))
        assert answer.status_code == 200, answer.text
        saved = time.monotonic() - began
        done = self.result(answer.json()["run"])
        took = time.monotonic() - began - saved
        assert done["state"] == "done", done["message"]
        if self.chance.random() < 0.2:
            self.client.call("GET", "/api/parts")
        with figures.lock:
            figures.saves.append(saved)
            figures.results.append(took)
        return dict(answer.json())


def together(works: list[Callable[[], None]], every: float = 0.02) -> None:
    """All at work at once; one comes after the other, every so many seconds."""
    threads = [threading.Thread(target=work, daemon=True) for work in works]
    for thread in threads:
        thread.start()
        time.sleep(every)
    for thread in threads:
        thread.join()


def soak_load(site: Site, people: int, minutes: float) -> Iterator[Row]:
    all_of_them = [Person(site, f"soak{n % 5}x{n // 5}") for n in range(people)]
    time.sleep(2.0)
    alone = Figures()
    for seconds, figures in ((10, Figures()), (40, alone)):  # the first are of a site just started
        all_of_them[0].work(time.monotonic() + seconds, figures, (0.3, 0.6))
    one = alone.p95(alone.results)
    figures = Figures()
    before = (site.memory(), site.connections())
    until = time.monotonic() + 60.0 * minutes
    held: list[tuple[int, int]] = []

    def watch() -> None:
        while time.monotonic() < until:
            time.sleep(15)
            held.append((site.memory(), site.connections()))

    pause = (people / 10.0, people / 5.0)
    together([watch, *[lambda p=p: p.work(until, figures, pause) for p in all_of_them]], every=0.3)  # type: ignore[misc]
    p95 = figures.p95(figures.saves)
    yield (f"{people} people, {len(figures.saves):,} saves in {minutes:g} min: p95 of a save", f"{p95 * 1e3:.0f} ms",
           "300 ms", p95 <= 0.3)  # fmt: skip
    mid, result = statistics.median(figures.results), figures.p95(figures.results)
    beside = f"one person {statistics.median(alone.results):.2f} s, {one:.2f} s"
    yield ("the same, until the result is there: median, p95", f"{mid:.2f} s, {result:.2f} s ({beside})",
           "p95 2 × one person's", result <= 2.0 * one)  # fmt: skip
    yield "the same, faults", str(len(figures.faults)), "0", not figures.faults
    third = max(1, len(held) // 3)
    early, late = (max(m for m, _ in some) for some in (held[:third], held[-third:]))
    yield (
        "the same, memory of web and workers: first third, last third",
        f"{early / 1e6:.0f} MB, {late / 1e6:.0f} MB (at rest {before[0] / 1e6:.0f} MB)",
        "steady within 20 %",
        late <= 1.2 * early,
    )
    most = max(c for _, c in held)
    yield "the same, connections to the database, most", f"{most} (at rest {before[1]})", "60", most <= 60
    for fault in figures.faults[:5]:
        print("  ", fault)


def soak_one_part(site: Site) -> Iterator[Row]:
    first = Client(site.url, "soak0x1")
    part = first.upload("shared.svg", plate(70)).json()["id"]
    figures = Figures()
    until = time.monotonic() + 30
    five = [Person(site, f"soak0x{n}") for n in range(1, 6)]
    together([lambda p=p: p.work(until, figures, (0.5, 1.5), part) for p in five])  # type: ignore[misc]
    revisions = first.call("GET", f"/api/parts/{part}/revisions")
    lost = len(figures.saves) - (len(revisions) - 1)
    yield (f"5 people on one part for 30 s: {len(figures.saves)} saves, lost", str(max(lost, 0)), "0",
           lost <= 0 and not figures.faults)  # fmt: skip


def soak_shelf(site: Site) -> Iterator[Row]:
    site.manage("shell", told=SHELF)
    client = Client(site.url, "soak4x0")
    times = []
    for _ in range(20):
        began = time.monotonic()
        assert len(client.call("GET", "/api/parts?count=500")) == 500
        times.append(time.monotonic() - began)
    p95 = statistics.quantiles(times, n=20)[-1]
    yield "shelf of 2,000 parts, a page of 500, p95", f"{p95 * 1e3:.0f} ms", "200 ms", p95 <= 0.2


def soak_drop(site: Site) -> Iterator[Row]:
    """200 files at once from one person, while one of another workshop works."""
    alone, beside = Figures(), Figures()
    somebody = Person(site, "soak1x0")
    somebody.work(time.monotonic() + 10, alone, (0.1, 0.2))
    dropping = Client(site.url, "soak2x0")
    stop = threading.Event()

    def drop() -> None:
        for n in range(200):
            dropping.upload(f"dropped {n}.svg", plate(50 + n / 10))
        stop.set()

    thread = threading.Thread(target=drop, daemon=True)
    thread.start()
    while not stop.is_set():
        somebody.work(time.monotonic() + 3, beside, (0.2, 0.4))
    thread.join()
    a, b = statistics.median(alone.results), statistics.median(beside.results)
    yield ("200 files dropped at once, a result of somebody else meanwhile", f"{b:.2f} s (alone {a:.2f} s)",
           "2 s", b <= 2.0 and not beside.faults)  # fmt: skip


def soak_kills(site: Site, kills: int, operations: int = 500) -> Iterator[Row]:
    """Blows at web, workers, children and database while somebody works; whatever was acknowledged must be there."""
    chance = random.Random(7)
    client = Client(site.url, "soak3x0")
    opened = client.upload("struck.svg", plate(60)).json()
    part, acknowledged, lost = opened["id"], 0, 0
    waits: dict[str, list[float]] = {"child": [], "worker": [], "web": [], "database": []}
    blows = [name for name in waits for _ in range(kills // len(waits))]
    chance.shuffle(blows)
    every = operations // max(len(blows), 1)
    while acknowledged < operations:
        blow = blows.pop() if blows and acknowledged % every == every - 1 else None
        length = round(chance.uniform(5, 80), 3)
        body = {"based_on": opened["revision"], "card": with_length(opened["card"], length), "change": f"to {length}"}
        with contextlib.suppress(httpx.HTTPError):
            answer = client.send("PUT", f"/api/parts/{part}/card", body)
            if answer.status_code == 200:
                acknowledged += 1
                opened = answer.json()
                if blow is None:
                    continue
        if blow:
            struck = time.monotonic()
            strike(site, blow, chance)
            waits[blow].append(next_result(client, part, length + 100, struck))
            print(f"   {blow}: {waits[blow][-1]:.1f} s", flush=True)
        again = settled(client, part)
        if again["revision"] < opened["revision"]:
            lost += 1
        opened = again
    revisions = client.call("GET", f"/api/parts/{part}/revisions")
    lost += max(0, acknowledged - (len(revisions) - 1))
    yield f"{acknowledged} acknowledged saves, {kills} kills: lost", str(lost), "0", lost == 0
    waits["run"] = []
    for n in range(kills // 8):
        struck = time.monotonic()
        strike(site, "run", chance)
        waits["run"].append(next_result(client, part, 300.0 + n, struck))
    for name, times in waits.items():
        worst, goal = max(times, default=0.0), 10.0 if name == "run" else 5.0
        what = "the process they are forked from" if name == "run" else name
        yield (f"{what} killed ({len(times)} times): next result, median, worst",
               f"{statistics.median(times or [0.0]):.1f} s, {worst:.1f} s", f"{goal:.0f} s", worst <= goal)  # fmt: skip


def strike(site: Site, what: str, chance: random.Random) -> None:
    if what == "database":
        subprocess.run([str(BASE / "scripts" / "database.sh"), "kill"], env=site.env, check=False)
        return
    found = site.pids(*{"child": ("child", "stock")}.get(what, (what,)))
    if found:
        with contextlib.suppress(ProcessLookupError):
            os.kill(chance.choice(found), signal.SIGKILL)


def settled(client: Client, part: int) -> dict[str, Any]:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        with contextlib.suppress(httpx.HTTPError, AssertionError):
            return dict(client.call("GET", f"/api/parts/{part}"))
        time.sleep(0.1)
    raise SystemExit("the site did not come back within a minute")


def next_result(client: Client, part: int, length: float, since: float) -> float:
    """Seconds until a part that was never computed before is."""
    deadline = since + 90
    while time.monotonic() < deadline:
        with contextlib.suppress(httpx.HTTPError, AssertionError, KeyError):
            opened = client.call("GET", f"/api/parts/{part}")
            done = client.run(part, with_length(opened["card"], length), seconds=30)
            if done["state"] == "done":
                return time.monotonic() - since
        time.sleep(0.05)
    return time.monotonic() - since


def write(rows: list[Row]) -> None:
    lines = ["| what | measured | goal |  |", "| --- | --- | --- | --- |"]
    lines += [f"| {what} | {found} | {goal} | {'met' if met else '**missed**'} |" for what, found, goal, met in rows]
    text = TABLE.read_text()
    start, end = "<!-- soak -->", "<!-- end of soak -->"
    kept = text.partition(start)[0] + start + "\n" + "\n".join(lines) + "\n" + end + text.partition(end)[2]
    TABLE.write_text(kept)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=4.0)
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--kills", type=int, default=40)
    parser.add_argument("what", nargs="*")
    options = parser.parse_args()
    wanted = options.what or ["shelf", "one_part", "drop", "load", "kills"]
    var = Path(tempfile.mkdtemp(prefix="tectogon-soak-"))
    var.chmod(0o755)
    site = Site(var)
    rows: list[Row] = []
    try:
        site.wait()
        site.manage("shell", told=PEOPLE % (options.people // 5 + 6))
        site.rest()
        for name in wanted:
            made = {
                "load": lambda: soak_load(site, options.people, options.minutes),
                "one_part": lambda: soak_one_part(site),
                "shelf": lambda: soak_shelf(site),
                "drop": lambda: soak_drop(site),
                "kills": lambda: soak_kills(site, options.kills),
            }[name]()
            for row in made:
                rows.append(row)
                print(f"{row[0]}\n    {row[1]}   goal {row[2]}   {'met' if row[3] else 'MISSED'}", flush=True)
    finally:
        site.stop()
        shutil.rmtree(var, ignore_errors=True)
    if not options.what:
        write(rows)
    print(json.dumps({"missed": sum(not met for *_, met in rows)}))


if __name__ == "__main__":
    main()
