"""Start the site: database, migrations, web process and worker; whatever dies is started again; Ctrl-C stops all of it.

python scripts/serve.py [--port 8000] [--demo]
"""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

BASE = Path(__file__).resolve().parents[1]
PYTHON = str(BASE / ".venv" / "bin" / "python")


def database(verb: str) -> str:
    done = subprocess.run([str(BASE / "scripts" / "database.sh"), verb], check=True, capture_output=True, text=True)
    return done.stdout


def environment() -> dict[str, str]:
    database("start")
    pairs = dict(word.split("=", 1) for word in database("env").split())
    return {**os.environ, **pairs, "DJANGO_SETTINGS_MODULE": "tectogon_server.settings", "PYTHONPATH": f"{BASE / 'core'}:{BASE / 'server'}"}


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
        "web": ["env", "TECTOGON_DB_POOL=1", PYTHON, "-m", "uvicorn", "tectogon_server.asgi:application", "--host", "127.0.0.1", "--port", str(port), "--log-level", "warning",
                "--timeout-graceful-shutdown", "2", "--lifespan", "off"],
        "worker": [PYTHON, str(BASE / "server" / "manage.py"), "work"],
    }  # fmt: skip


def start(command: list[str], env: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(command, env=env, cwd=BASE / "server", start_new_session=True, stdout=subprocess.DEVNULL)


def stop(process: subprocess.Popen[bytes]) -> None:
    if process.poll() is None:
        process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(6)
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)


def answers(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(0.5)
        return probe.connect_ex(("127.0.0.1", port)) == 0


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--demo", action="store_true", help="load the demo company first")
    options = parser.parse_args()
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    running: dict[str, subprocess.Popen[bytes]] = {}
    try:
        env = environment()
        manage(env, "migrate", "-v", "0")
        port = free_port(options.port)
        wanted = commands(port)
        running = {name: start(command, env) for name, command in wanted.items()}
        if options.demo:
            manage(env, "load_demo")
        while not answers(port):
            time.sleep(0.2)
        greet(port, options.demo)
        while True:
            time.sleep(1.0)
            for name, process in running.items():
                if process.poll() is not None:
                    print(f"{name} stopped; starting it again", file=sys.stderr)
                    stop(process)
                    running[name] = start(wanted[name], env)
    except KeyboardInterrupt:
        pass
    finally:
        for process in running.values():
            stop(process)
        database("stop")


def greet(port: int, demo: bool) -> None:
    print(f"\n  Tectogon   http://localhost:{port}\n")
    if demo:
        print("  sign in    ines  /  river-gauge")
        print("  try first  open “Plate of three thicknesses”, press 12 mm on the route card, type 15 mm, Enter;")
        print("             or drop demo/files/clamp-bracket.dxf on the shelf and write “Extrude”.\n")
    print("  Ctrl-C stops everything.\n", flush=True)


if __name__ == "__main__":
    main()
