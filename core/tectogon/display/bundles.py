"""Bundles of several parts put together into one."""

from __future__ import annotations

import itertools
import tempfile
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import IO


def put_together(bundles: Sequence[Path]) -> IO[bytes]:
    """Several bundles as one, at its beginning; each keeps its folder, and one that is there already gets a number."""
    out = tempfile.TemporaryFile()  # noqa: SIM115
    taken: set[str] = set()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in bundles:
            with zipfile.ZipFile(path) as one:
                folder = next(iter(one.namelist())).partition("/")[0]
                names = itertools.chain([folder], (f"{folder} ({k})" for k in itertools.count(2)))
                name = next(n for n in names if n not in taken)
                taken.add(name)
                for entry in one.namelist():
                    archive.writestr(f"{name}/{entry.partition('/')[2]}", one.read(entry))
    out.seek(0)
    return out
