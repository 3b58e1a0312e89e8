"""The site's processes on this machine: web processes, workers, or both, forked from one that has loaded everything,
and watched over: whatever ends, no longer answers or no longer stirs is there again at once.

python -m tectogon_server.operating.run [--web PORT] [--host ADDRESS] [--webs 2] [--worker NAME …]
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import gc
import logging
import os
import signal
import socket
import sys
import tempfile
import time
import traceback
import types
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from tectogon_server.computing.stock import Stock
from tectogon_server.operating.processes import call_it, die_with_parent

_LOOK_SECONDS, _STOP_SECONDS = 0.25, 5.0
_STILL_SECONDS = {"web": 15.0, "worker": 40.0}
"""Who has not stirred for so long is started again."""
_ASLEEP_SECONDS = 5.0
"""Where this process itself did not look for so long, the machine slept or was choked: all have their time anew."""
_LEAST_LIFE = 1.0
"""Nothing is started more often than this."""
_TURN_SECONDS = 0.0005
"""How long a thread of the web process may go on while another waits: the event loop's turns are short and many."""
_SIGNALS = {signal.SIGCHLD, signal.SIGTERM, signal.SIGINT}
_log = logging.getLogger("tectogon.run")


@dataclass
class Process:
    """One of the site's processes. `work` does not return before it is to end."""

    name: str
    work: Callable[[], None]
    beat: Path
    """A file that it touches as long as it is well."""
    pid: int = 0
    began: float = 0.0

    @property
    def kind(self) -> str:
        return self.name.split()[0]

    def is_still(self) -> bool:
        """Whether it has not stirred for too long."""
        stirred = self.began
        with contextlib.suppress(OSError):
            stirred = max(stirred, self.beat.stat().st_mtime)
        return time.time() - stirred > _STILL_SECONDS[self.kind]


class Site:
    """What runs here."""

    def __init__(self, port: int | None, host: str, webs: int, workers: list[str]) -> None:
        self.stock = Stock() if workers else None
        self.door = _door(host, port) if port is not None else None
        _load(web=port is not None, worker=bool(workers))
        gc.freeze()
        from django.conf import settings

        kept = Path(settings.VAR)
        kept.mkdir(parents=True, exist_ok=True)
        self.all: list[Process] = []
        if self.door is not None:
            for n in range(webs):
                beat = kept / f"web-beat-{port}-{n}"
                self.all.append(Process(f"web {n + 1}", partial(_web, self.door, beat), beat))
        for name in workers:
            beat = kept / f"worker-beat-{settings.DATABASES['default']['NAME']}-{name}"
            self.all.append(Process(f"worker {name}", partial(_worker, beat), beat))

    def start(self, process: Process) -> None:
        children = self.stock.fork_server() if self.stock and process.kind == "worker" else None
        process.began = time.time()
        parent = os.getpid()
        process.pid = os.fork()
        if process.pid == 0:
            code = 1
            try:
                _be(process.kind, parent)
                if self.stock:
                    self.stock.let_go()
                if self.door and process.kind == "worker":
                    self.door.close()
                if children:
                    children.use()
                process.work()
                code = 0
            except BaseException as problem:
                if not isinstance(problem, (SystemExit, KeyboardInterrupt)):
                    traceback.print_exc()
            finally:
                sys.stderr.flush()
                os._exit(code)
        if children:
            children.let_go()

    def run(self) -> None:
        """Until told to stop."""
        signal.pthread_sigmask(signal.SIG_BLOCK, _SIGNALS)
        for process in self.all:
            self.start(process)
        looked = time.time()
        while True:
            told = signal.sigtimedwait(_SIGNALS, _LOOK_SECONDS)
            if told is not None and told.si_signo != signal.SIGCHLD:
                return
            if time.time() - looked > _ASLEEP_SECONDS:
                for process in self.all:
                    process.began = time.time()
            looked = time.time()
            self.look()

    def look(self) -> None:
        """Start again whatever is gone or ails."""
        gone = _ended()
        for process in self.all:
            if process.pid in gone:
                _log.warning("%s stopped; starting it again", process.name)
                _forget(process.pid)
                process.pid = 0
            if not process.pid:
                if time.time() - process.began >= _LEAST_LIFE:
                    self.start(process)
            elif process.is_still():
                _log.warning("%s does not stir; starting it again", process.name)
                os.kill(process.pid, signal.SIGKILL)
        if self.stock:
            self.stock.look()

    def stop(self) -> None:
        """Have all end, and wait for it."""
        left, until = {process.pid for process in self.all if process.pid}, time.monotonic() + _STOP_SECONDS
        for pid in left:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGTERM)
        while left and time.monotonic() < until:
            signal.sigtimedwait({signal.SIGCHLD}, 0.1)
            left -= _ended()
        for pid in left:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)


def _forget(pid: int) -> None:
    """What a web process that ended has counted as being under way."""
    from prometheus_client.multiprocess import mark_process_dead

    mark_process_dead(pid)  # type: ignore[no-untyped-call]


def _ended() -> set[int]:
    """The processes that have ended since this was asked last; the stock's own end is seen by the stock."""
    found = set()
    with contextlib.suppress(ChildProcessError):
        while pid := os.waitpid(-1, os.WNOHANG)[0]:
            found.add(pid)
    return found


def _be(kind: str, parent: int) -> None:
    """Of a process just forked: its own signals, name and main module; and no life without its parent."""
    signal.pthread_sigmask(signal.SIG_UNBLOCK, _SIGNALS)
    die_with_parent()
    if os.getppid() != parent:
        sys.exit(1)
    call_it(f"tectogon-{kind}")
    sys.modules["__main__"] = types.ModuleType("__main__")  # children are to load what they need, not this


def _load(*, web: bool, worker: bool) -> None:
    """Everything that the processes will need, so that they have it from their first moment; no connection, no
    thread."""
    import django

    django.setup()
    if web:
        import uvicorn.server  # noqa: F401
        import uvloop  # noqa: F401
        from django.urls import get_resolver

        import tectogon_server.api.intake
        import tectogon_server.asgi

        assert get_resolver().url_patterns
    if worker:
        import tectogon_server.computing.worker  # noqa: F401


def _door(host: str, port: int) -> socket.socket:
    """The socket at which all web processes take requests; whoever comes while all of them are gone waits there."""
    kind = socket.AF_INET6 if ":" in host else socket.AF_INET
    door = socket.socket(kind, socket.SOCK_STREAM, socket.IPPROTO_TCP)  # said, or asyncio leaves Nagle's algorithm on
    door.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    door.bind((host, port))
    door.listen(2048)
    return door


def _web(door: socket.socket, beat: Path) -> None:
    import uvicorn
    import uvloop

    from tectogon_server.api.intake import PatientProtocol
    from tectogon_server.asgi import answered, application

    config = uvicorn.Config(
        application,  # type: ignore[arg-type]
        log_level="warning",
        timeout_graceful_shutdown=2,
        lifespan="off",
        http=PatientProtocol,
    )

    async def serve() -> None:
        stirring = asyncio.get_running_loop().create_task(answered.stir(beat))
        await uvicorn.Server(config).serve(sockets=[door])
        stirring.cancel()

    sys.setswitchinterval(_TURN_SECONDS)
    uvloop.run(serve())


def _worker(beat: Path) -> None:
    from tectogon_server.computing.worker import work

    work(beat)


def main(words: Any = None) -> None:
    """As the command line says."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--web", type=int, metavar="PORT", help="answer pages here")
    parser.add_argument("--host", default="127.0.0.1", metavar="ADDRESS")
    parser.add_argument("--webs", type=int, default=2, metavar="COUNT", help="so many processes answer (2)")
    parser.add_argument("--worker", action="append", default=[], metavar="NAME", help="a worker; as many as you like")
    options = parser.parse_args(words)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tectogon_server.settings")
    die_with_parent()
    call_it("tectogon-run")
    with tempfile.TemporaryDirectory(prefix="tectogon-metrics-") as counted:
        os.environ["PROMETHEUS_MULTIPROC_DIR"] = counted
        site = Site(options.web, options.host, options.webs, options.worker)
        try:
            site.run()
        finally:
            site.stop()


if __name__ == "__main__":
    main()
