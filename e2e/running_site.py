"""The real site as a thing to start, break and ask: its own database, web process and worker."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import httpx
from playwright.sync_api import Browser, BrowserContext, Page

BASE = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(BASE / "scripts"))

import serve  # noqa: E402

BROWSER_ARGS = [
    "--no-sandbox",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
]
LIMITS = {"TECTOGON_COMPUTE_SECONDS": "40", "TECTOGON_COMPUTE_MEMORY": "2600000000", "TECTOGON_COMPUTE_CHILDREN": "4"}


class Site:
    """Web process and worker on a free port, a database of their own for each process of tests."""

    def __init__(self, var: Path) -> None:
        runner = os.environ.get("PYTEST_XDIST_WORKER", "gw0")
        self.database = f"tectogon_site_{runner}"
        self.env = {**serve.environment(), **LIMITS, "TECTOGON_DB_NAME": self.database, "TECTOGON_WORKERS": "1"}
        self.env["TECTOGON_RESULTS"] = str(var / "results")
        self.port = serve.free_port(8400 + 100 * int(runner.removeprefix("gw")))
        self.url = f"http://localhost:{self.port}"
        self.processes: dict[str, subprocess.Popen[bytes]] = {}

    def make_database(self) -> None:
        shell = (
            'PGPASSWORD="$TECTOGON_DB_PASSWORD" /usr/lib/postgresql/15/bin/psql -q -h 127.0.0.1 -p "$TECTOGON_DB_PORT"'
            " -U tectogon -d postgres -c"
        )
        for sql in (f"DROP DATABASE IF EXISTS {self.database} WITH (FORCE)", f"CREATE DATABASE {self.database}"):
            subprocess.run(["bash", "-c", f"{shell} '{sql}'"], check=True, env=self.env)
        serve.manage(self.env, "migrate", "-v", "0")
        serve.manage(self.env, "load_demo")

    def start(self, *names: str) -> None:
        for name in names or ("web", "worker 1"):
            one = {"port": self.port} if name == "web" else {"workers": (name.split()[1],)}
            self.processes[name] = serve.start(serve.command(**one), self.env)
        deadline = time.monotonic() + 40
        while not serve.answers(self.port):
            assert time.monotonic() < deadline, "the web process does not answer"
            time.sleep(0.1)

    def kill(self, name: str) -> None:
        """As a crash would: the process and all its children, at once."""
        os.killpg(self.processes[name].pid, signal.SIGKILL)
        self.processes[name].wait()

    def stop(self) -> None:
        for process in self.processes.values():
            serve.stop(process)

    def client(self, username: str = "ines") -> Client:
        return Client(self.url, username)


class Client:
    """A person at the API."""

    def __init__(self, url: str, username: str | None) -> None:
        self.http = httpx.Client(
            base_url=url, headers={"Referer": url}, timeout=30, event_hooks={"request": [self._with_cookies]}
        )
        self.http.get("/")
        if username:
            self.call("POST", "/api/sign-in", {"username": username, "password": "river-gauge"})

    def _with_cookies(self, request: httpx.Request) -> None:
        """Secure cookies go to localhost over plain HTTP too, as browsers send them."""
        request.headers["Cookie"] = "; ".join(f"{name}={value}" for name, value in self.http.cookies.items())

    def send(self, method: str, path: str, body: Any = None, **more: Any) -> httpx.Response:
        headers = {"X-CSRFToken": self.http.cookies.get("csrftoken", "")}
        return (
            self.http.request(method, path, json=body, headers=headers, **more)
            if body is not None
            else self.http.request(method, path, headers=headers, **more)
        )

    def call(self, method: str, path: str, body: Any = None, **more: Any) -> Any:
        answer = self.send(method, path, body, **more)
        assert answer.status_code < 300, answer.text
        return answer.json()

    def upload(self, name: str, data: bytes) -> httpx.Response:
        return self.send("POST", "/api/parts", files={"file": (name, data)}, data={"name": name[:100]})

    def finished(self, computation: dict[str, Any], seconds: float = 60) -> dict[str, Any]:
        deadline = time.monotonic() + seconds
        while computation["state"] in ("queued", "running"):
            assert time.monotonic() < deadline, computation
            time.sleep(0.05)
            computation = self.call("GET", f"/api/computations/{computation['id']}")
        return computation

    def run(self, part: int, card: dict[str, Any] | None = None, seconds: float = 60) -> dict[str, Any]:
        return self.finished(self.call("POST", f"/api/parts/{part}/runs", {"card": card}), seconds)

    def part_named(self, name: str) -> dict[str, Any]:
        found = next(p for p in self.call("GET", "/api/parts") if p["name"] == name)
        return dict(self.call("GET", f"/api/parts/{found['id']}"))


def new_context(browser: Browser) -> BrowserContext:
    """A window of its own, past the first steps."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True, reduced_motion="reduce"
    )
    context.set_default_timeout(60_000)
    context.add_init_script("localStorage.getItem('first steps') ?? localStorage.setItem('first steps', 'done')")
    return context


def open_from_shelf(page: Page, name: str) -> None:
    """Find a part on the shelf, of several of the name the one that was changed first, and open it."""
    page.get_by_label("Find parts").fill(name)
    page.get_by_role("button", name=f"Open {name}", exact=True).last.click()
    page.wait_for_url("**/parts/*")
