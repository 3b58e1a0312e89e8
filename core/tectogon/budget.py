"""A budget of time for work that may never end: what a file makes of it is not known beforehand.

`within` bounds the time of a piece of work, in whichever thread. The clock is no input: what it decided is told to all
who are `watching`, and must not be kept as a result.
"""

from __future__ import annotations

import ctypes
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import Any, TypeVar

from tectogon.errors import OutOfTime

T = TypeVar("T")
_AGAIN = 0.5
"""So often (s) is the exception raised again, should a library swallow it."""


class _Over(BaseException):
    """Not an Exception, so that no library takes it for one of its own."""


@dataclass(eq=False)
class Clock:
    """Whether time decided something while this was watching."""

    mattered: bool = False
    around: Clock | None = None
    memory: dict[int, Any] = field(default_factory=dict)
    """What gave up meanwhile, by the id of what it was about, kept so that it is not tried again at once."""


_WATCHING: ContextVar[Clock | None] = ContextVar("watching", default=None)


@contextmanager
def watching() -> Iterator[Clock]:
    """Learn whether a result that is made inside depends on the clock."""
    clock = Clock(around=_WATCHING.get())
    token = _WATCHING.set(clock)
    try:
        yield clock
    finally:
        _WATCHING.reset(token)


def outermost() -> Clock | None:
    """The clock of the whole piece of work that is under way; None where nobody watches."""
    clock = _WATCHING.get()
    while clock is not None and clock.around is not None:
        clock = clock.around
    return clock


def time_decided() -> None:
    """Say that something came out as it did because time ran out."""
    clock = _WATCHING.get()
    while clock is not None:
        clock.mattered = True
        clock = clock.around


@dataclass(frozen=True)
class Deadline:
    """A moment by which work has to be done."""

    at: float
    """As `time.monotonic` has it (s)."""

    @classmethod
    def after(cls, seconds: float) -> Deadline:
        """So many seconds from now."""
        return cls(time.monotonic() + seconds)

    @property
    def left(self) -> float:
        """Seconds that are left; 0 once it has passed."""
        return max(0.0, self.at - time.monotonic())


class _Watch:
    """Raises in a thread when a deadline passes, between two steps of Python."""

    def __init__(self, deadline: Deadline, error: type[_Over]) -> None:
        self.thread, self.error = threading.get_ident(), error
        self.armed, self.lock, self.ended = False, threading.Lock(), threading.Event()
        threading.Thread(target=self._wait, args=(deadline,), daemon=True, name="deadline").start()

    def _wait(self, deadline: Deadline) -> None:
        left = deadline.left
        while not self.ended.wait(left):
            with self.lock:
                if self.armed:
                    _raise_in(self.thread, ctypes.py_object(self.error))
            left = _AGAIN

    def end(self) -> None:
        """No exception comes after this, not even one that is on its way."""
        while not self.ended.is_set():
            try:
                with self.lock:
                    self.armed = False
                    _raise_in(self.thread, None)
                self.ended.set()
            except self.error:
                continue


def _raise_in(thread: int, error: object) -> None:
    ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread), error)


def within(deadline: Deadline | float, sentence: str, work: Callable[[], T]) -> T:
    """What `work` returns, if it does so by a deadline, or within so many seconds. Of one budget inside another the
    earlier one counts. A single call into a compiled library is waited for.

    A function and no `with` block: an exception from another thread may arrive while such a block is entered or left.

    Raises OutOfTime with this sentence.
    """
    until = deadline if isinstance(deadline, Deadline) else Deadline.after(deadline)
    error: type[_Over] = type("_Over", (_Over,), {})
    if until.left > 0.0:
        watch = _Watch(until, error)
        try:
            try:
                watch.armed = True
                return work()
            finally:
                watch.end()
        except error:
            watch.end()
    time_decided()
    raise OutOfTime(sentence)
