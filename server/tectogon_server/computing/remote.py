"""The door into the child: names go through, so that the worker itself never loads the kernel."""

from __future__ import annotations

import importlib
import multiprocessing
import os
from multiprocessing import forkserver, resource_tracker
from typing import Any

CHILD = "tectogon_server.computing.functions"


class ForkServer(forkserver.ForkServer):
    """A fork server that was made for this process by another. Where it is gone, the process ends, and comes back with
    a new one: so it must have somebody who starts it again."""

    def __init__(self, address: str, alive: int) -> None:
        super().__init__()
        self._forkserver_address, self._forkserver_alive_fd = address, alive

    def ensure_running(self) -> None:
        """Only what goes with it: it was there before this process."""
        resource_tracker.ensure_running()

    def connect_to_new_process(self, fds: Any) -> Any:
        """A child's pipes, as the library has them."""
        try:
            return super().connect_to_new_process(fds)
        except OSError:
            os._exit(1)

    def use(self) -> None:
        """Have all children of this process come from it."""
        forkserver.ensure_running = self.ensure_running
        forkserver.connect_to_new_process = self.connect_to_new_process

    def let_go(self) -> None:
        """Of the process that only handed it on."""
        os.close(self._forkserver_alive_fd)


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


def prepare() -> None:
    """Have children come from a process that has the kernel loaded; nothing changes where that is so."""
    multiprocessing.get_context("forkserver").set_forkserver_preload([CHILD])
    forkserver.ensure_running()


def _child() -> Any:
    return importlib.import_module(CHILD)
