"""Thicknesses that the words on a sheet state: "t = 5", "THK 3.2", "1/8\" thick"."""

from __future__ import annotations

import re

from tectogon.errors import BadValue
from tectogon.units import mm_per_unit, parse_length
from tectogon.workpiece.model import Workpiece

_NUMBER = r"(\d+(?:[.,]\d+)?(?:/\d+)?)\s*(mm|cm|in|\")?"
_STATED = (
    re.compile(rf"(?:\bt\s*[=:]|\b(?:thk|thickness|thick)\b\.?\s*[=:]?)\s*{_NUMBER}", re.IGNORECASE),
    re.compile(rf"{_NUMBER}\s*(?:thk|thick)\b", re.IGNORECASE),
)
_UNITS = {'"': "in"}
_MOST_TEXTS, _LONGEST = 2000, 200


def stated_thicknesses(workpiece: Workpiece) -> list[tuple[float, str]]:
    """Each thickness that is stated (mm), once, with the words that state it. A bare number is in the unit of the
    drawing."""
    unit = mm_per_unit(workpiece.sources[0].unit) if workpiece.sources else 1.0
    out: dict[float, str] = {}
    for text in workpiece.drawing.linework.texts[:_MOST_TEXTS]:
        words = " ".join(text.text[:_LONGEST].split())
        found = next((m for pattern in _STATED if (m := pattern.search(words))), None)
        if found is None:
            continue
        number, named = found.groups()
        try:
            value = parse_length(f"{number} {_UNITS.get(named, named or 'mm')}") * (1.0 if named else unit)
        except BadValue:
            continue
        if value > 0.0:
            out.setdefault(value, found.group().strip())
    return list(out.items())
