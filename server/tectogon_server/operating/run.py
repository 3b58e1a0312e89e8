"""The site's processes on this machine: a web process, workers, or both, forked from one that has loaded everything,
and watched over: whatever ends, no longer answers or no longer stirs is there again at once.

python -m tectogon_server.operating.run [--web PORT] [--host ADDRESS] [--worker NAME …]
"""

from __future__ import annotations

import argparse
import contextlib
import gc
import logging
import os
import signal
import socket
import sys
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
_ASK_SECONDS, _ANSWER_SECONDS, _DEAF = 2.0, 5.0, 3
"""Whether the web process answers is asked every so often; one that does not within so long, so many times in a row, is
started again."""
_STILL_SECONDS = 40.0
"""So is a worker that has not stirred for so long."""
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
    well: Callable[[float], str]
    """Asked with the time of its start: what ails it, or nothing."""
    pid: int = 0
    began: float = 0.0


class Site:
    """What runs here."""

    def __init__(self, port: int | None, host: str, workers: list[str]) -> None:
        self.stock = Stock() if workers else None
        _load(web=port is not None)
        gc.freeze()
        self.all: list[Process] = []
        if port is not None:
            self.all.append(Process("web", partial(_web, host, port), Asked(host, port).well))
        self.all += [Process(f"worker {name}", partial(_worker, name), partial(_stirs, name)) for name in workers]

    def start(self, process: Process) -> None:
        children = self.stock.fork_server() if self.stock and process.name != "web" else None
        process.began = time.time()
        parent = os.getpid()
        process.pid = os.fork()
        if process.pid == 0:
            code = 1
            try:
                _be(process.name, parent)
                if self.stock:
                    self.stock.let_go()
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
        while True:
            told = signal.sigtimedwait(_SIGNALS, _LOOK_SECONDS)
            if told is not None and told.si_signo != signal.SIGCHLD:
                return
            self.look()

    def look(self) -> None:
        """Start again whatever is gone or ails."""
        gone = _ended()
        for process in self.all:
            if process.pid in gone:
                _log.warning("%s stopped; starting it again", process.name)
                process.pid = 0
            if not process.pid:
                if time.time() - process.began >= _LEAST_LIFE:
                    self.start(process)
            elif ailment := process.well(process.began):
                _log.warning("%s %s; starting it again", process.name, ailment)
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


def _ended() -> set[int]:
    """The processes that have ended since this was asked last; the stock's own end is seen by the stock."""
    found = set()
    with contextlib.suppress(ChildProcessError):
        while pid := os.waitpid(-1, os.WNOHANG)[0]:
            found.add(pid)
    return found


def _be(name: str, parent: int) -> None:
    """Of a process just forked: its own signals, name and main module; and no life without its parent."""
    signal.pthread_sigmask(signal.SIG_UNBLOCK, _SIGNALS)
    die_with_parent()
    if os.getppid() != parent:
        sys.exit(1)
    call_it(f"tectogon-{name.split()[0]}")
    sys.modules["__main__"] = types.ModuleType("__main__")  # children are to load what they need, not this


def _load(*, web: bool) -> None:
    """Everything that the processes will need, so that they have it from their first moment; no connection, no
    thread."""
    import django

    django.setup()
    if web:
        import uvicorn.server  # noqa: F401
        from django.urls import get_resolver

        import tectogon_server.api.intake
        import tectogon_server.asgi

        assert get_resolver().url_patterns
    else:
        import tectogon_server.computing.worker  # noqa: F401


def _web(host: str, port: int) -> None:
    import uvicorn

    from tectogon_server.api.intake import PatientProtocol
    from tectogon_server.asgi import application

    sys.setswitchinterval(_TURN_SECONDS)
    uvicorn.run(
        application,  # type: ignore[arg-type]
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=2,
        lifespan="off",
        http=PatientProtocol,
    )


def _worker(name: str) -> None:
    from django.conf import settings

    from tectogon_server.computing.worker import work

    settings.WORKER_NAME = name
    work()


# whether they are well ------------------------------------------------------------------------------


class Asked:
    """Whether the web process answers, and not only takes the connection; asked without waiting for it."""

    def __init__(self, host: str, port: int) -> None:
        self.to = (host, port)
        self.line: socket.socket | None = None
        self.to_say = b""
        self.since = self.began = 0.0
        self.deaf = 0

    def well(self, began: float) -> str:
        """What ails it, or nothing."""
        if began != self.began:
            self.began, self.deaf = began, 0
            self._hang_up()
        elapsed = time.monotonic() - self.since
        if self.line is None:
            if elapsed >= _ASK_SECONDS:
                self._ask()
        elif self._answered():
            self.deaf = 0
            self._hang_up()
        elif elapsed >= _ANSWER_SECONDS:
            self.deaf += 1
            self._hang_up()
        return "does not answer" if self.deaf >= _DEAF else ""

    def _ask(self) -> None:
        self.since = time.monotonic()
        self.line = socket.socket()
        self.line.setblocking(False)
        self.to_say = b"GET /api/health HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n"
        with contextlib.suppress(OSError):
            self.line.connect(self.to)

    def _answered(self) -> bool:
        assert self.line is not None
        try:
            if self.to_say:
                self.to_say = self.to_say[self.line.send(self.to_say) :]
            return self.line.recv(64).startswith(b"HTTP/")
        except OSError:  # not yet, or not at all
            return False

    def _hang_up(self) -> None:
        if self.line is not None:
            self.line.close()
        self.line, self.since = None, time.monotonic()


def _stirs(name: str, began: float) -> str:
    from django.conf import settings

    with contextlib.suppress(OSError):
        began = max(began, (Path(settings.VAR) / f"worker-beat-{name}").stat().st_mtime)
    return "does not stir" if time.time() - began > _STILL_SECONDS else ""


def main(words: Any = None) -> None:
    """As the command line says."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--web", type=int, metavar="PORT", help="answer pages here")
    parser.add_argument("--host", default="127.0.0.1", metavar="ADDRESS")
    parser.add_argument("--worker", action="append", default=[], metavar="NAME", help="a worker; as many as you like")
    options = parser.parse_args(words)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tectogon_server.settings")
    die_with_parent()
    call_it("tectogon-run")
    site = Site(options.web, options.host, options.worker)
    try:
        site.run()
    finally:
        site.stop()


if __name__ == "__main__":
    main()
