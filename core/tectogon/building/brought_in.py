"""Solids out of files of others, read in a process of their own: on a damaged file the kernel may crash or hang."""

from __future__ import annotations

from pathlib import Path

from tectogon.errors import Note
from tectogon.formats.apart import apart
from tectogon.solids.body import Body
from tectogon.solids.step_in import bodies_of_step


def brought_in(path: Path, step: int = 10, *, called: str = "") -> tuple[tuple[Body, ...], list[Note]]:
    """The solids of a STEP file (mm), as brought in by step `step`, and what is to be said of them. `called`: what the
    file is called, where that is not its name. Raises what `bodies_of_step` and `apart` raise."""
    size = path.stat().st_size if path.is_file() else 0
    return apart(lambda: bodies_of_step(path, step, called=called), called or path.name, size)
