"""What a reader gives back, and the limits it keeps."""

from __future__ import annotations

from dataclasses import dataclass

from tectogon.linework import Linework

GERBER, DRILL = "Gerber", "drill"
BOARD_FORMATS = frozenset({GERBER, DRILL})
UNNAMED = "image"
"""The layer of a board file that does not say which it is."""
"""Formats of a circuit board's layers, which have one origin in common."""


@dataclass(frozen=True, kw_only=True)
class ReadLimits:
    """Limits that are checked before anything is expanded or parsed."""

    max_bytes: int = 160_000_000
    max_entities: int = 600_000
    max_curves: int = 1_000_000
    max_pixels: int = 120_000_000
    keep_pictures: bool = True
    """Whether a traced picture is kept beside its outline, to be shown under it."""


@dataclass(frozen=True, kw_only=True)
class CurveSet:
    """A run of points of a coordinate table as it was understood. trailing_edge: sharp, blunt or open; dropped: lines
    not taken."""

    name: str
    points: int
    closed: bool
    trailing_edge: str
    dropped: int
    chord: float = 0.0
    rows: tuple[tuple[int, float, float], ...] = ()
    """Line number, x and y of the first points, as many as a table can show."""


@dataclass(frozen=True, kw_only=True)
class ReadResult:
    """A file as read: the linework in file units, the format's name and version, and what the file says of its unit.

    declared_unit: a name, or a number of mm as text, or None.  unit_certain: false where what is declared is of how the
    file was made, and not of what it shows: the dots per inch of a scan.  kind_says: a remark of the format itself on
    its unit, for the evidence.
    curve_sets: what a coordinate table holds.  pages: how many pages there are to choose from.  options: the fields of
    `ReadOptions` that could have made a difference.
    """

    linework: Linework
    format: str
    version: str
    declared_unit: str | None
    kind_says: str = ""
    unit_certain: bool = True
    curve_sets: tuple[CurveSet, ...] = ()
    pages: int = 1
    options: tuple[str, ...] = ()
