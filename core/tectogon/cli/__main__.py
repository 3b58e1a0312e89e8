"""The command as a process of its own: `tectogon`, or `python -m tectogon.cli`."""

import os
import sys
from contextlib import suppress
from typing import NoReturn

from tectogon.cli.main import main


def run() -> NoReturn:
    """Run the command and leave at once: to take the kernel's classes apart one by one would cost a quarter of a
    second."""
    status = main()
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError):  # whoever read it has gone
            stream.flush()
    os._exit(status)


if __name__ == "__main__":
    run()
