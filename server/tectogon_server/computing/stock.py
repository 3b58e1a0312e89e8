"""A process with the kernel loaded, kept in stock: whoever starts workers asks it for fork servers, each of which is
there at once and belongs to one worker. No Django here, and no word of what the site knows.

python -m tectogon_server.computing.stock SOCKET (by operating.run)
"""

from __future__ import annotations

import contextlib
import gc
import os
import pkgutil
import signal
import socket
import subprocess
import sys
from multiprocessing import connection, forkserver

import tectogon

from tectogon_server.computing.remote import CHILD, ForkServer
from tectogon_server.operating.processes import call_it, die_with_parent


class Stock:
    """The process as its parent knows it. One that ended is started again when it is asked, or looked at."""

    def __init__(self) -> None:
        self._start()

    def _start(self) -> None:
        self._ours, theirs = socket.socketpair()
        with theirs:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "tectogon_server.computing.stock", str(theirs.fileno())],
                pass_fds=[theirs.fileno()],
                preexec_fn=die_with_parent,
            )

    def look(self) -> None:
        """Start it again if it is gone."""
        if self.process.poll() is not None:
            self._ours.close()
            self._start()

    def fork_server(self) -> ForkServer:
        """A fork server, of use as soon as the kernel is loaded; it ends with the process that holds it."""
        self.look()
        address = connection.arbitrary_address("AF_UNIX")  # type: ignore[attr-defined]
        alive, ours = os.pipe()
        with socket.socket(socket.AF_UNIX) as listener:
            listener.bind(address)
            listener.listen()
            try:
                socket.send_fds(self._ours, [b"f"], [listener.fileno(), alive])
            except OSError:  # it ended at this moment
                self._ours.close()
                self._start()
                socket.send_fds(self._ours, [b"f"], [listener.fileno(), alive])
        os.close(alive)
        return ForkServer(address, ours)

    def let_go(self) -> None:
        """Of a forked process: forget the stock, which is its parent's."""
        self._ours.close()


def main(number: int) -> None:
    """Load the kernel and all else that a child may come to need, then fork a fork server for each that is asked for,
    until the asker is gone."""
    call_it("tectogon-stock")
    signal.pthread_sigmask(signal.SIG_SETMASK, ())  # its parent blocks what a fork server has to hear of
    __import__(CHILD)
    for module in pkgutil.walk_packages(tectogon.__path__, "tectogon."):
        if not module.name.startswith("tectogon.cli"):
            __import__(module.name)
    gc.freeze()
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    with socket.socket(fileno=number) as asked:
        while True:
            word, handles, _, _ = socket.recv_fds(asked, 1, 2)
            if not word:
                return
            if os.fork() == 0:
                asked.close()
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                call_it("tectogon-child")
                with contextlib.suppress(SystemExit):
                    forkserver.main(handles[0], handles[1], [])
                os._exit(0)
            for handle in handles:
                os.close(handle)


if __name__ == "__main__":
    main(int(sys.argv[1]))
