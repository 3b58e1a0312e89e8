"""The warm children of a worker: a process pool with a time and a memory limit. A crash costs one computation, never
the worker."""

from __future__ import annotations

import contextlib
import errno
import multiprocessing
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, wait
from concurrent.futures import TimeoutError as NotYet
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from django.conf import settings
from pebble import ProcessExpired, ProcessPool
from tectogon.errors import KernelRefused, OverLimit, TectogonError

from tectogon_server.computing import remote


class Stopped(TectogonError):
    """The person asked for the computation to be stopped, or a newer one took its place."""

    code = "stopped"


class TookTooLong(TectogonError):
    """The time limit was reached."""

    code = "too_long"


class ChildDied(KernelRefused):
    """The child process ended in the middle of the computation."""

    code = "child_died"


_TASKS = 400
"""After so many calls a child is replaced by a fresh one, whatever it has gathered."""
_AT_ONCE = 0.3
_SHORT = 0.2
"""Of what is done within so many seconds nothing is said on the way."""
_lock = threading.Lock()
_pool: ProcessPool | None = None


def pool() -> ProcessPool:
    """The pool, made when first asked for."""
    global _pool
    with _lock:
        if _pool is None or not _pool.active:
            remote.prepare()
            _pool = ProcessPool(
                max_workers=settings.CHILDREN_HERE,
                context=multiprocessing.get_context("forkserver"),
                initializer=remote.start,
                initargs=(settings.COMPUTE_MEMORY, str(settings.RESULTS), str(settings.BASE / "server")),
                max_tasks=_TASKS,
            )
        return _pool


def warm_up() -> None:
    """Have every child ready before the first person waits for it."""
    futures = [pool().schedule(remote.named, args=("warm",)) for _ in range(settings.CHILDREN_HERE)]
    for future in futures:
        future.result()


def has_answer(meanwhile: Callable[[], None]) -> None:
    """Wait until a child answers. `meanwhile` is called first where none does at once: their fork server was struck
    down, and the next one loads the kernel for seconds."""
    future = pool().schedule(remote.named, args=("warm",))
    if not wait([future], timeout=_AT_ONCE).done:
        meanwhile()
    with contextlib.suppress(ProcessExpired, BrokenProcessPool):
        future.result()


def close() -> None:
    """Stop the children."""
    global _pool
    with _lock:
        if _pool is not None:
            _pool.stop()
            _pool.join()
            _pool = None


def compute(
    name: str,
    *args: Any,
    seconds: float,
    wanted: Callable[[], bool] = lambda: True,
    news: Callable[[], bool] = lambda: False,
    at_work: Callable[[], str] = str,
    every: float = 0.25,
) -> Any:
    """Run a function of the child by name. `wanted` is asked every so often, and at once when there is `news`; when it
    says no, the child is killed.
    `at_work` says in words what the child was doing, for the sentence when it breaks off.

    Raises what the function raises of our own errors, and Stopped, TookTooLong, OverLimit (memory, disk) or ChildDied.
    """
    future = pool().schedule(remote.named, args=(name, *args), timeout=seconds)
    asked = began = time.monotonic()
    while True:
        done, _ = wait([future], timeout=0.05)
        if done:
            return _landed(future, seconds, at_work)
        if (time.monotonic() - began > _SHORT and news()) or time.monotonic() - asked > every:
            asked = time.monotonic()
            if not wanted():
                future.cancel()
                raise Stopped("Stopped.")


def _landed(future: Future[Any], seconds: float, at_work: Callable[[], str]) -> Any:
    """The result of a call that has ended, or why it has none: a time-out is the call's own here, never that of waiting
    for it."""
    try:
        return future.result(timeout=0)
    except NotYet:
        raise TookTooLong(
            f"This takes longer than {seconds:.0f} s and was stopped{_during(at_work)}. Simplify the drawing, or work"
            " on fewer profiles at once."
        ) from None
    except (ProcessExpired, BrokenProcessPool):
        raise ChildDied(
            f"The computation broke off{_during(at_work)}: its process ended. Nothing recorded is lost; change that"
            " step, or try once more."
        ) from None
    except MemoryError:
        raise OverLimit(
            f"This needs more than the {settings.COMPUTE_MEMORY / 1e9:.1f} GB of memory that one computation may"
            f" have{_during(at_work)}. Split the drawing."
        ) from None
    except OSError as problem:
        if problem.errno != errno.ENOSPC:
            raise
        raise OverLimit(
            "The server has no room left on its disk for results. Nothing recorded is lost; its owner has to make room."
        ) from None


def _during(at_work: Callable[[], str]) -> str:
    doing = at_work()
    return f" at {doing}" if doing else ""
