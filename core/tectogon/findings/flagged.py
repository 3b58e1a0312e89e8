"""What the file says of single curves and their shape on the sheet does not show: out of its plane, closed by its flag
alone."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tectogon.curves import CurveTable
from tectogon.findings.finding import Finding

_WORDS = {
    "off_plane": "rises {size:.4g} mm out of the sheet's plane; it is shown as seen from the top",
    "closed_flag": "is marked as closed, and its ends are {size:.4g} mm apart",
    "open_flag": "closes on itself and is not marked as closed; it is taken as closed",
}


def find_marked(table: CurveTable, marks: Sequence[tuple[int, str, float]]) -> list[Finding]:
    """A finding for each mark: the row it is of, its kind, its size in mm."""
    if not marks:
        return []
    middle = table.points(np.array([row for row, _, _ in marks]), np.full(len(marks), 0.5)).tolist()
    return [
        Finding(kind, size, (x, y), (row,), False, _WORDS[kind].format(size=size))
        for (row, kind, size), (x, y) in zip(marks, middle, strict=True)
    ]
