"""A process that reads files of strangers has no network, writes only where it is told, and reads only what it needs:
the system sees to it (Landlock, Linux 5.13; TCP from 6.7 on, and all of the network where it may leave it for an empty
one of its own).

Once taken, nothing gives it back, also not to what the process starts.
"""

from __future__ import annotations

import ctypes
import os
import sys
from collections.abc import Iterable
from pathlib import Path

from tectogon import words

_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_VERSION_FLAG = 1
_PATH_BENEATH = 1
_NO_NEW_PRIVILEGES = 38
_EXECUTE, _WRITE_FILE, _READ_FILE, _READ_DIR = 1, 2, 4, 8
_READS = _EXECUTE | _READ_FILE | _READ_DIR
_ACCESS_BY_VERSION = {1: (1 << 13) - 1, 2: (1 << 14) - 1, 3: (1 << 15) - 1}
"""All that can be forbidden to be done with files, by version: linking between folders came with 2, truncating with
3."""
_NETWORK_FROM, _TCP = 4, 0b11
"""Binding and connecting."""
_NEW_NETWORK, _NEW_PEOPLE = 0x40000000, 0x10000000
"""Flags of unshare: a network that holds nothing; a table of people in which one may have it."""


class _Ruleset(ctypes.Structure):
    _fields_ = [("files", ctypes.c_uint64), ("network", ctypes.c_uint64)]


class _Beneath(ctypes.Structure):
    _pack_ = 1
    _fields_ = [("access", ctypes.c_uint64), ("folder", ctypes.c_int32)]


def confine(writes: Iterable[Path], reads: Iterable[Path] | None = None) -> bool:
    """Take from this process all but reading what it needs and writing beneath some folders. `reads`: beside the system
    and this program; None: everything. Returns whether that could be done for files: an old kernel has no such thing,
    and then nothing of them is taken."""
    libc = ctypes.CDLL(None, use_errno=True)
    if libc.unshare(_NEW_NETWORK) != 0:
        libc.unshare(_NEW_PEOPLE | _NEW_NETWORK)  # where one is not the administrator
    version = libc.syscall(_CREATE_RULESET, None, 0, _VERSION_FLAG)
    if version < 1:
        return False
    every = _ACCESS_BY_VERSION[min(version, 3)]
    ruleset = _Ruleset(every, _TCP if version >= _NETWORK_FROM else 0)
    size = ctypes.sizeof(ruleset) if version >= _NETWORK_FROM else 8
    handle = libc.syscall(_CREATE_RULESET, ctypes.byref(ruleset), size, 0)
    if handle < 0:
        return False
    try:
        for folder in [Path("/")] if reads is None else [*_needed(), *reads]:
            _allow(libc, handle, folder, _READS)
        for folder in writes:
            _allow(libc, handle, folder, every & ~_EXECUTE)
        _allow(libc, handle, Path("/dev/null"), _READ_FILE | _WRITE_FILE)
        done = libc.prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0) == 0 and libc.syscall(_RESTRICT_SELF, handle, 0) == 0
    finally:
        os.close(handle)
    return bool(done)


def _needed() -> list[Path]:
    """This program and what the system lends it."""
    system = [Path(p) for p in ("/usr", "/lib", "/lib64", "/bin", "/etc", "/proc", "/sys", "/dev", "/opt")]
    return [*system, Path(__file__).parent, words.FOLDER, Path(sys.prefix), Path(sys.base_prefix)]


def _allow(libc: ctypes.CDLL, ruleset: int, path: Path, access: int) -> None:
    try:
        handle = os.open(path, os.O_PATH | os.O_CLOEXEC)
    except OSError:
        return
    try:
        rule = _Beneath(access if path.is_dir() else access & (_EXECUTE | _WRITE_FILE | _READ_FILE), handle)
        libc.syscall(_ADD_RULE, ruleset, _PATH_BENEATH, ctypes.byref(rule), 0)
    finally:
        os.close(handle)
