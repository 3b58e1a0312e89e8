"""Start the site: database, migrations, web process and two workers; whatever dies or no longer answers is started
again; Ctrl-C stops all of it.

python scripts/serve.py [--port 8000] [--demo]

Two processes watch: this one sees to the database and to the other, tectogon_server.operating.run, which sees to web
process and workers. What they start dies with them.
Started a second time, it says where the site is already, and changes nothing.
"""

from __future__ import annotations

import argparse
import contextlib
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
sys.path.insert(0, str(BASE / "server"))

from tectogon_server.operating.processes import die_with_parent  # noqa: E402

PYTHON = str(BASE / ".venv" / "bin" / "python")
VAR = Path(os.environ.get("TECTOGON_VAR", BASE / "var"))
LOOK_SECONDS, ANSWER_SECONDS = 0.25, 5.0
WORKERS = ("1", "2")
"""Two, so that one goes on at once where the other dies."""


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


def command(*, port: int | None = None, workers: tuple[str, ...] = ()) -> list[str]:
    """What starts a web process at a port, workers by their names, or both."""
    web = ["--web", str(port)] if port else []
    return [PYTHON, "-m", "tectogon_server.operating.run", *web, *(w for name in workers for w in ("--worker", name))]


def start(command: list[str], env: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        command,
        env=env,
        cwd=BASE / "server",
        start_new_session=True,
        stdout=subprocess.DEVNULL,
        preexec_fn=die_with_parent,
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


def serve(port: int, demo: bool) -> None:
    """Run the site until told to stop."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    site = None
    try:
        env = environment()
        manage(env, "migrate", "-v", "0")
        site = start(command(port=port, workers=WORKERS), env)
        if demo:
            manage(env, "load_demo")
        while not answers(port):
            site = there(site, env, port)
            time.sleep(0.2)
        greet(port, demo)
        while True:
            time.sleep(LOOK_SECONDS)
            site = there(site, env, port)
    except KeyboardInterrupt:
        pass
    finally:
        if site:
            stop(site)
        database("stop")


def there(site: subprocess.Popen[bytes], env: dict[str, str], port: int) -> subprocess.Popen[bytes]:
    """The site, started again if it is gone; and the database."""
    if site.poll() is not None:
        print("the site stopped; starting it again", file=sys.stderr, flush=True)
        stop(site)
        site = start(command(port=port, workers=WORKERS), env)
    if not listens(int(env["TECTOGON_DB_PORT"])):
        with contextlib.suppress(subprocess.CalledProcessError):
            database("start")
    return site


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
    options = parser.parse_args()
    lock = alone()
    if lock is None:
        greet(int((VAR / "serving").read_text() or options.port), options.demo)
        print("  It is running already.\n")
        return
    port = free_port(options.port)
    lock.truncate(0)
    lock.write(str(port))
    lock.flush()
    serve(port, options.demo)


def greet(port: int, demo: bool) -> None:
    print(f"\n  Tectogon   http://localhost:{port}\n")
    if demo:
        print("  sign in    ines  /  river-gauge")
        print("  try first  open “Plate of three thicknesses”, press 12 mm on the route card, type 15 mm, Enter;")
        print("             or drop demo/files/clamp-bracket.dxf on the shelf and write “Extrude”.\n")
    print("  Ctrl-C stops everything.\n", flush=True)


if __name__ == "__main__":
    main()
