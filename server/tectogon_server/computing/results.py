"""The results folder: what was computed, by content. It may be emptied at any time."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from tectogon.route.cache import write_whole

from tectogon_server.computing.models import Computation
from tectogon_server.parts.models import Source


def path_of(key: str, what: str) -> Path:
    return Path(settings.RESULTS) / f"{key}.{what}"


def report_of(key: str) -> dict[str, Any] | None:
    """The report of a card that was computed before, if all that goes with it is still there."""
    try:
        report: dict[str, Any] = json.loads(path_of(key, "report").read_bytes())
    except (OSError, ValueError):
        return None
    if not path_of(key, "part").exists() or not all(path_of(report["drawing_key"], what).exists() for what in ("lines", "regions")):
        return None
    return report


def progress_of(computation: Computation) -> dict[str, Any]:
    """What the child has said of a computation that is at work: the step, and the drawing's key once its lines can be shown."""
    try:
        facts: dict[str, Any] = json.loads(path_of(str(computation.pk), "progress").read_bytes())
    except (OSError, ValueError):
        return {}
    return facts


def written_at(path: Path) -> int:
    """When a file was written last, in ns; 0 while it is not there."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0


def source_files(workshop_id: int, sources: dict[str, str]) -> dict[str, str]:
    """The sources of a card as files, written from the database where they are not there yet. A missing one is left out."""
    out: dict[str, str] = {}
    for name, sha in sources.items():
        path = path_of(sha, "source")
        if not path.exists():
            data = Source.objects.filter(workshop_id=workshop_id, sha256=sha).values_list("data", flat=True).first()
            if data is None:
                continue
            write_whole(path, bytes(data))
        out[name] = str(path)
    return out
