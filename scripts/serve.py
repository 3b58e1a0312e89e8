"""Start the site: database, migrations, web process and two workers; whatever dies or no longer answers is started
again; Ctrl-C stops all of it.

python scripts/serve.py [--port 8000] [--demo]

Two processes watch: the one that was started only sees to it that the other, which sees to everything else, is there.
What they start dies with them.
Started a second time, it says where the site is already, and changes nothing.
"""

from __future__ import annotations

import argparse
import contextlib
import ctypes
import fcntl
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import IO

BASE = Path(__file__).resolve().parents[1]
PYTHON = str(BASE / ".venv" / "bin" / "python")
VAR = Path(os.environ.get("TECTOGON_VAR", BASE / "var"))
LOOK_SECONDS, HEALTH_SECONDS, ANSWER_SECONDS, DEAF_LOOKS, WORKER_SECONDS = 0.25, 2.0, 5.0, 3, 40.0
"""Whether something died is looked at very often, whether the web process answers now and then: one that does not
answer within so long, so many times in a row, is started again; a worker that has not stirred for so long too."""
WORKERS = ("worker 1", "worker 2")
"""Two, so that one goes on at once where the other dies."""
_PR_SET_PDEATHSIG = 1


def database(verb: str) -> str:
    done = subprocess.run([str(BASE / "scripts" / "database.sh"), verb], check=True, capture_output=True, text=True)
    return done.stdout


def environment() -> dict[str, str]:
    database("start")
    pairs = dict(word.split("=", 1) for word in database("env").split())
    return {
        **os.environ,
        **pairs,
        "DJANGO_SETTINGS_MODULE": "tectogon_server.settings",
        "TECTOGON_WORKERS": str(len(WORKERS)),
        "PYTHONPATH": f"{BASE / 'core'}:{BASE / 'server'}",
    }


def manage(env: dict[str, str], *words: str) -> None:
    subprocess.run([PYTHON, str(BASE / "server" / "manage.py"), *words], check=True, env=env)


def free_port(wanted: int) -> int:
    for port in (wanted, *range(wanted + 1, wanted + 20), 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise SystemExit("no free port")


def commands(port: int) -> dict[str, list[str]]:
    return {
        "web": [
            PYTHON,
            "-m",
            "uvicorn",
            "tectogon_server.asgi:application",
            "--host",
            "127.0.0.1",
            "--port",
            str(port),
            "--log-level",
            "warning",
            "--timeout-graceful-shutdown",
            "2",
            "--lifespan",
            "off",
            "--http",
            "tectogon_server.api.intake:PatientProtocol",
        ],
        **{
            f"worker {n}": ["env", f"TECTOGON_WORKER_NAME={n}", PYTHON, str(BASE / "server" / "manage.py"), "work"]
            for n in (1, 2)
        },
    }


def _die_with_parent() -> None:
    ctypes.CDLL("libc.so.6", use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def start(command: list[str], env: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        command,
        env=env,
        cwd=BASE / "server",
        start_new_session=True,
        stdout=subprocess.DEVNULL,
        preexec_fn=_die_with_parent,
    )


def stop(process: subprocess.Popen[bytes]) -> None:
    if process.poll() is None:
        process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(6)
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)


def answers(port: int, seconds: float = ANSWER_SECONDS) -> bool:
    """Whether the web process answers, and not only takes the connection."""
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=seconds) as answer:
            return bool(answer.status == 200)
    except OSError:
        return False


def listens(port: int) -> bool:
    """Whether something takes connections at a port."""
    with socket.socket() as probe:
        probe.settimeout(2.0)
        return probe.connect_ex(("127.0.0.1", port)) == 0


# watching over the site ----------------------------------------------------------------------------


class Site:
    """Everything that runs, and how long it has been silent."""

    def __init__(self, port: int, env: dict[str, str]) -> None:
        self.port, self.env = port, env
        self.running: dict[str, subprocess.Popen[bytes]] = {}
        self.deaf = 0
        self.asked = time.monotonic()
        self.began: dict[str, float] = {}

    def start(self, *names: str) -> None:
        for name in names or ("web", *WORKERS):
            self.running[name] = start(commands(self.port)[name], self.env)
            self.began[name] = time.time()
            self.deaf = 0

    def restart(self, name: str, why: str) -> None:
        print(f"{name} {why}; starting it again", file=sys.stderr, flush=True)
        stop(self.running[name])
        self.start(name)

    def look(self) -> None:
        """Start again whatever is gone or does not answer."""
        for name, process in list(self.running.items()):
            if process.poll() is not None:
                self.restart(name, "stopped")
        if not listens(int(self.env["TECTOGON_DB_PORT"])):
            with contextlib.suppress(subprocess.CalledProcessError):
                database("start")
        if time.monotonic() - self.asked < HEALTH_SECONDS:
            return
        self.asked = time.monotonic()
        self.deaf = 0 if answers(self.port) else self.deaf + 1
        if self.deaf >= DEAF_LOOKS:
            self.restart("web", "does not answer")
        for name in WORKERS:
            stirred = self.began[name]
            with contextlib.suppress(OSError):
                stirred = max(stirred, (VAR / f"worker-beat-{name.split()[1]}").stat().st_mtime)
            if time.time() - stirred > WORKER_SECONDS:
                self.restart(name, "does not stir")

    def stop(self) -> None:
        for process in self.running.values():
            stop(process)


def supervise(port: int, demo: bool) -> None:
    """Run the site until told to stop."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    site = None
    try:
        env = environment()
        manage(env, "migrate", "-v", "0")
        site = Site(port, env)
        site.start()
        if demo:
            manage(env, "load_demo")
        while not answers(port):
            time.sleep(0.2)
        greet(port, demo)
        while True:
            time.sleep(LOOK_SECONDS)
            site.look()
    except KeyboardInterrupt:
        pass
    finally:
        if site:
            site.stop()
        database("stop")


def guard(port: int, demo: bool) -> None:
    """See to it that the supervisor is there, until it ends of its own accord or is told to."""
    told = False
    child: subprocess.Popen[bytes] | None = None

    def end(*_: object) -> None:
        nonlocal told
        told = True
        if child is not None and child.poll() is None:
            child.terminate()

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    first = True
    while not told:
        words = [PYTHON, __file__, "--supervise", "--port", str(port), *(["--demo"] if demo and first else [])]
        child = subprocess.Popen(words, start_new_session=True, preexec_fn=_die_with_parent)
        code = child.wait()
        if told or (first and code > 0):
            sys.exit(0 if told else code)
        first = False
        print("the supervisor stopped; starting it again", file=sys.stderr, flush=True)
        time.sleep(1.0)


def alone() -> IO[str] | None:
    """A lock that only one site of this checkout holds; None where another has it."""
    VAR.mkdir(parents=True, exist_ok=True)
    lock = (VAR / "serving").open("a+")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        return None
    return lock


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--demo", action="store_true", help="load the demo company first")
    parser.add_argument("--supervise", action="store_true", help=argparse.SUPPRESS)
    options = parser.parse_args()
    if options.supervise:
        supervise(options.port, options.demo)
        return
    lock = alone()
    if lock is None:
        greet(int((VAR / "serving").read_text() or options.port), options.demo)
        print("  It is running already.\n")
        return
    port = free_port(options.port)
    lock.truncate(0)
    lock.write(str(port))
    lock.flush()
    guard(port, options.demo)


def greet(port: int, demo: bool) -> None:
    print(f"\n  Tectogon   http://localhost:{port}\n")
    if demo:
        print("  sign in    ines  /  river-gauge")
        print("  try first  open “Plate of three thicknesses”, press 12 mm on the route card, type 15 mm, Enter;")
        print("             or drop demo/files/clamp-bracket.dxf on the shelf and write “Extrude”.\n")
    print("  Ctrl-C stops everything.\n", flush=True)


if __name__ == "__main__":
    main()
