"""A budget of time for work that may never end: what a file makes of it is not known beforehand."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from tectogon.errors import OverLimit


class _OutOfTime(BaseException):
    """Not an Exception, so that no library takes it for one of its own."""


@contextmanager
def within(seconds: float, sentence: str) -> Iterator[None]:
    """Gives up on what is inside after so many seconds, with OverLimit and this sentence.

    Works in the main thread of a process, between two steps of Python; a single call into a compiled library is waited
    for. Elsewhere, and inside another budget, it does nothing: there who asked has a limit of their own.
    """
    if threading.current_thread() is not threading.main_thread() or signal.getitimer(signal.ITIMER_REAL)[0] > 0:
        yield
        return

    def over(*_: object) -> None:
        raise _OutOfTime

    before = signal.signal(signal.SIGALRM, over)
    signal.setitimer(signal.ITIMER_REAL, seconds, 1.0)  # and again, should a library swallow the first
    try:
        yield
    except _OutOfTime:
        raise OverLimit(sentence) from None
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
