"""What a process that reads files of strangers can't do any more."""

from __future__ import annotations

import ctypes
import os
import socket
import sys
from pathlib import Path

import pytest
from tectogon import words
from tectogon.confine import confine
from tectogon.formats.apart import apart

HAS_LANDLOCK = ctypes.CDLL(None).syscall(444, None, 0, 1) >= 4
pytestmark = pytest.mark.skipif(not HAS_LANDLOCK, reason="this system has no such thing")


def tried(work: object) -> str:
    """What becomes of something in a process of its own: "done", or the name of the error."""
    child = os.fork()
    if child == 0:
        try:
            work()  # type: ignore[operator]
        except OSError:
            os._exit(1)
        except BaseException:
            os._exit(2)
        os._exit(0)
    return {0: "done", 1: "refused"}.get(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), "broke")


def test_it_writes_only_where_it_may_and_reads_only_what_it_needs(tmp_path: Path) -> None:
    mine, other = tmp_path / "mine", tmp_path / "other"
    for folder in (mine, other):
        folder.mkdir()
        (folder / "there").write_text("secret")

    def confined(work: object) -> object:
        def run() -> None:
            assert confine([mine])
            work()  # type: ignore[operator]

        def narrow() -> None:
            assert confine([mine], [mine])
            work()  # type: ignore[operator]

        return run, narrow

    for work, free, narrow in (
        (lambda: (mine / "new").write_text("x"), "done", "done"),
        (lambda: (other / "new").write_text("x"), "refused", "refused"),
        (lambda: (other / "there").unlink(), "refused", "refused"),
        (lambda: (other / "there").read_text(), "done", "refused"),
        (lambda: (words.FOLDER / "de.po").read_bytes(), "done", "done"),
        (lambda: Path(sys.executable).stat() and Path(os.__file__).read_text(), "done", "done"),
    ):
        one, two = confined(work)  # type: ignore[misc]
        assert (tried(one), tried(two)) == (free, narrow)
    assert (other / "there").read_text() == "secret"


def test_it_has_no_network(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as listening:
        port = listening.getsockname()[1]

        def connect() -> None:
            with socket.create_connection(("127.0.0.1", port), timeout=5):
                pass

        def confined() -> None:
            assert confine([tmp_path])
            connect()

        assert tried(connect) == "done" and tried(confined) == "refused"

    def send() -> None:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sending:
            sending.sendto(b"x", ("127.0.0.1", 9))

    def send_confined() -> None:
        assert confine([tmp_path])
        send()

    assert tried(send) == "done" and tried(send_confined) == "refused", "nor any other way than by connections"


def test_a_reader_of_a_strangers_file_is_confined(tmp_path: Path) -> None:
    def read() -> str:
        try:
            Path("/var/tmp/tectogon-stray").write_text("x")
        except OSError:
            return "refused"
        return "written"

    assert apart(read, "stranger.pdf", 10) == "refused"
