"""The results folder: what was computed, by content, within a budget. It may be emptied at any time.

Keys hold the workshop (see `tectogon.route.keys`), and the bytes of sources lie in a folder for each workshop, so that
nobody gets at what another brought in by knowing its hash.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone
from tectogon.errors import UnreadableFile
from tectogon.route.cache import write_chunks, write_whole

from tectogon_server.computing.models import Computation, Handover
from tectogon_server.parts.actions.keep_source import chunks_of_source
from tectogon_server.parts.models import Source

FACET_OF = {"lines": "linework", "regions": "regions", "placements": "placements"}
"""Parcels of a sheet, and whose key they go by."""
_STRAY_SECONDS = 600.0
_TELL_SECONDS = 0.5


class SourceMissing(UnreadableFile):
    """A card names a file that is not among the workshop's."""

    code = "source_missing"


def scope_of(workshop_id: int) -> str:
    """Whose results these are, as keys have it."""
    return f"workshop {workshop_id}"


def path_of(key: str, what: str) -> Path:
    return Path(settings.RESULTS) / f"{key}.{what}"


def found(key: str, what: str) -> Path:
    """The place of a file of a result; where web and worker stand on different machines, it is brought here first."""
    path = path_of(key, what)
    if settings.RESULTS_APART and not path.exists():
        row = Handover.objects.filter(key=key, what=what).only("data").first()
        if row is not None:
            write_whole(path, bytes(row.data))
    return path


def hand_over(key: str, what: str, *, anew: bool = False) -> None:
    """Lay a file of a result ready for other machines; does nothing where all share a disk. `anew`: what was laid ready
    before has changed."""
    if not settings.RESULTS_APART:
        return
    there = Handover.objects.filter(key=key, what=what)
    if anew:
        there.delete()
    elif there.update(made=timezone.now()):
        return
    path = path_of(key, what)
    if written_at(path):
        row = Handover(key=key, what=what, data=path.read_bytes())
        Handover.objects.bulk_create([row], ignore_conflicts=True)


def hand_over_report(report: dict[str, Any]) -> None:
    """Lay all that belongs to a report ready for other machines."""
    for key, what in _files_of(report["keys"]["whole"], report):
        hand_over(key, what)


def _files_of(key: str, report: dict[str, Any]) -> list[tuple[str, str]]:
    of_sheets = [(sheet[facet], what) for sheet in report["keys"]["sheets"] for what, facet in FACET_OF.items()]
    return [(key, "part"), *of_sheets, (key, "report")]


def report_of(key: str) -> dict[str, Any] | None:
    """The report of a card that was computed before, if all that goes with it is still there."""
    try:
        report: dict[str, Any] = json.loads(found(key, "report").read_bytes())
        for name, what in _files_of(key, report):
            os.utime(found(name, what))  # of use just now, for those who make room
    except (OSError, ValueError, KeyError):
        return None
    return report


def progress_of(computation: Computation) -> dict[str, Any]:
    """What the child has said of a computation that is at work: the step, and the linework's key once its lines can be
    shown."""
    try:
        facts: dict[str, Any] = json.loads(_progress_bytes(str(computation.pk)))
    except (OSError, ValueError):
        return {}
    return facts


def _progress_bytes(key: str) -> bytes:
    path = path_of(key, "progress")
    if settings.RESULTS_APART and not path.exists():
        row = Handover.objects.filter(key=key, what="progress").only("data").first()
        return bytes(row.data) if row else b""
    return path.read_bytes()


def written_at(path: Path) -> int:
    """When a file was written last, in ns; 0 while it is not there."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0


def source_files(
    workshop_id: int, sources: Mapping[str, str], tell: Callable[[], object] = lambda: None
) -> dict[str, str]:
    """The sources of a card as files, written from the database where they are not there yet; `tell` is called as they
    are. Raises SourceMissing for one that the workshop has not."""
    kept = {s.sha256: s for s in Source.objects.filter(workshop_id=workshop_id, sha256__in=sources.values())}
    out: dict[str, str] = {}
    for name, sha in sources.items():
        source = kept.get(sha)
        if source is None:
            raise SourceMissing(f"The file “{name[:80]}” is not among the files of this workshop; bring it in again.")
        path = Path(settings.RESULTS) / "sources" / str(workshop_id) / source.sha256
        if written_at(path) and path.stat().st_size == source.size:
            os.utime(path)
        else:
            write_chunks(path, _telling(chunks_of_source(source), tell))
        out[name] = str(path)
    return out


def _telling(chunks: Iterator[bytes], tell: Callable[[], object]) -> Iterator[bytes]:
    told = time.monotonic()
    for chunk in chunks:
        if time.monotonic() - told > _TELL_SECONDS:
            told = time.monotonic()
            tell()
        yield chunk


def make_room(budget: int) -> int:
    """Remove what was of no use for longest until the folder takes 80 % of `budget` bytes, if it takes more than that;
    and temporary files that were left behind. Returns the bytes that are there now."""
    found: list[tuple[float, int, Path]] = []
    total = 0
    now = time.time()
    for folder, _, names in os.walk(settings.RESULTS):
        for name in names:
            path = Path(folder) / name
            try:
                facts = path.stat()
            except OSError:
                continue
            if name.startswith("tmp-") and now - facts.st_mtime > _STRAY_SECONDS:
                path.unlink(missing_ok=True)
                continue
            if not name.endswith(".progress"):
                found.append((facts.st_mtime, facts.st_size, path))
            total += facts.st_size
    if total <= budget:
        return total
    for _, size, path in sorted(found):
        path.unlink(missing_ok=True)
        total -= size
        if total <= 0.8 * budget:
            break
    return total
