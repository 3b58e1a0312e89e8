"""What a reader gives back, and the limits it keeps."""

from __future__ import annotations

from dataclasses import dataclass

from tectogon.linework import Linework


@dataclass(frozen=True, kw_only=True)
class ReadLimits:
    """Limits that are checked before anything is expanded or parsed."""

    max_bytes: int = 160_000_000
    max_entities: int = 600_000
    max_curves: int = 1_000_000


@dataclass(frozen=True, kw_only=True)
class ReadResult:
    """A file as read: the linework in file units, the format's name and version, and the unit its header declares, if any."""

    linework: Linework
    format: str
    version: str
    declared_unit: str | None
