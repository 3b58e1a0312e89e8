"""Readers that hand a file to somebody else's library, run in a process of their own: what the library eats or breaks
costs that process alone. So are solids of others read, on which the kernel can crash.

A file of a few bytes can make a library take all memory there is, or never come back, before any limit of ours is
asked. So the reader is forked off with a limit on its memory and its time, and what it read comes back through a pipe.
Tried first and dropped: counting beforehand what a PDF will unfold to, which means reading it by a second library that
has traps of its own.
"""

from __future__ import annotations

import contextlib
import ctypes
import faulthandler
import os
import pickle
import resource
import select
import signal
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from tectogon.budget import time_decided
from tectogon.confine import confine
from tectogon.errors import OutOfTime, OverLimit, TectogonError, UnreadableFile

T = TypeVar("T")
MEMORY = 1_700_000_000
"""Bytes that a reader may take beside what is there already."""
SECONDS, SECONDS_A_MEGABYTE = 25.0, 1.5
"""Time that a reader may take: so much, and more for a large file."""
_PR_SET_PDEATHSIG = 1
_BROKEN = (signal.SIGSEGV, signal.SIGABRT, signal.SIGBUS, signal.SIGFPE, signal.SIGILL)
_BROKE_DOWN = (
    "{name} holds something that its reader can't make sense of; it is damaged, or uses something very rare. Ask for it"
    " once more."
)


def apart(read: Callable[[], T], name: str, size: int) -> T:
    """What `read` gives, read in a process of its own. `name` and `size` (bytes) are the file's.

    Raises what `read` raises of our own errors, OverLimit for what takes too much time or memory, UnreadableFile where
    the library breaks down.
    """
    if threading.current_thread() is not threading.main_thread():
        return read()
    receiving, sending = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(receiving)
        _in_child(read, sending)
    os.close(sending)
    limit = SECONDS + SECONDS_A_MEGABYTE * size / 1e6
    status, data = 0, None
    try:
        data = _received(receiving, limit)
    finally:
        os.close(receiving)
        if data is None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(child, signal.SIGKILL)
        _, status = os.waitpid(child, 0)
    if data is None:
        time_decided()
        raise OutOfTime(
            f"{name} takes longer than {limit:.0f} s to read: it unfolds to far more than it looks. Save the part that"
            " matters as a file of its own."
        )
    if not data and os.WIFSIGNALED(status) and os.WTERMSIG(status) in _BROKEN:
        raise UnreadableFile(_BROKE_DOWN.format(name=name))
    return _outcome(data, name)


def _in_child(read: Callable[[], Any], sending: int) -> None:
    """Read, send what came of it, and end. Never returns."""
    try:
        with contextlib.suppress(OSError):
            ctypes.CDLL("libc.so.6").prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
        signal.setitimer(signal.ITIMER_REAL, 0)
        faulthandler.disable()
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, 1)
        os.dup2(nowhere, 2)  # what a library says when it breaks down is no word of ours
        _limit_memory()
        confine([Path(tempfile.gettempdir())])
        try:
            told: tuple[str, Any] = ("read", read())
        except TectogonError as problem:
            told = ("refused", problem)
        except MemoryError:
            told = ("memory", None)
        except BaseException as fault:
            told = ("fault", f"{type(fault).__name__}: {fault}"[:500])
        with os.fdopen(sending, "wb") as stream:
            pickle.dump(told, stream, 5)
    finally:
        os._exit(0)


def _limit_memory() -> None:
    with open("/proc/self/statm") as facts:  # noqa: PTH123
        now = int(facts.read().split()[0]) * resource.getpagesize()
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    limit = now + MEMORY
    resource.setrlimit(resource.RLIMIT_AS, (limit if hard == resource.RLIM_INFINITY else min(limit, hard), hard))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _received(receiving: int, seconds: float) -> bytes | None:
    """All that comes until the other side closes; None where that takes too long."""
    chunks: list[bytes] = []
    deadline = time.monotonic() + seconds
    while (left := deadline - time.monotonic()) > 0:
        ready, _, _ = select.select([receiving], [], [], left)
        if ready:
            chunk = os.read(receiving, 1 << 20)
            if not chunk:
                return b"".join(chunks)
            chunks.append(chunk)
    return None


def _outcome(data: bytes, name: str) -> Any:
    try:
        kind, told = pickle.loads(data)  # noqa: S301  (from a process of our own)
    except (pickle.UnpicklingError, EOFError, MemoryError):
        kind, told = "memory", None  # it ended without a word: killed by its limit
    if kind == "read":
        return told
    if kind == "refused":
        raise told
    if kind == "memory":
        raise OverLimit(
            f"{name} needs more than {MEMORY / 1e9:.1f} GB of memory to read: it unfolds to far more than it looks."
            " Save the part that matters as a file of its own."
        )
    if os.environ.get("TECTOGON_STRICT"):
        raise RuntimeError(told)
    raise UnreadableFile(_BROKE_DOWN.format(name=name))
