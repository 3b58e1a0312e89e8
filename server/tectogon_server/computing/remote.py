"""The door into the child: names go through, so that the worker itself never loads the kernel."""

from __future__ import annotations

import importlib
from typing import Any


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
    return importlib.import_module("tectogon_server.computing.functions")
