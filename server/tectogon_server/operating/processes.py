"""What a process says of itself to the system. No Django here."""

from __future__ import annotations

import ctypes
import signal

_PR_SET_PDEATHSIG, _PR_SET_NAME = 1, 15
_libc = ctypes.CDLL("libc.so.6", use_errno=True)


def die_with_parent() -> None:
    """Be told to end when the parent ends, however that happens."""
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def call_it(name: str) -> None:
    """Set the name by which the system lists this process: 15 letters at most."""
    _libc.prctl(_PR_SET_NAME, name.encode()[:15])
