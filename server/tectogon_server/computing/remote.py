"""The door into the child: names go through, so that the worker itself never loads the kernel."""

from __future__ import annotations

import importlib
import multiprocessing
from multiprocessing import forkserver
from typing import Any

_CHILD = "tectogon_server.computing.functions"


def prepare() -> None:
    """Start the process that children are forked from; it loads the kernel while the worker itself gets ready."""
    multiprocessing.get_context("forkserver").set_forkserver_preload([_CHILD])
    forkserver.ensure_running()


def start(memory: int, results: str, program: str) -> None:
    _child().start(memory, results, program)


def named(name: str, *args: Any) -> Any:
    """Call a function of the child module. What it gathered is let go of when it has too much, or had too little."""
    child = _child()
    try:
        return getattr(child, name)(*args)
    except MemoryError:
        child.let_go()
        raise
    finally:
        child.keep_within()


def _child() -> Any:
    return importlib.import_module(_CHILD)
