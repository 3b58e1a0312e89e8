"""Thicknesses that the words on a sheet state: "t = 5", "THK 3.2", "1/8\" thick"."""

from __future__ import annotations

import re
from collections.abc import Iterator

from tectogon.errors import BadValue
from tectogon.linework import Linework
from tectogon.units import mm_per_unit, parse_length
from tectogon.workpiece.model import Workpiece

_NUMBER = r"(\d+(?:[.,]\d+)?(?:/\d+)?)\s*(mm|cm|in|\")?"
_OTHER = r"(?:(?!\b(?:for|of|size|no|für|pour|per|para)\b)[^\d\n]){0,24}?"
_MEASURED = r"(\d+(?:[.,]\d+)?(?:/\d+)?)\s*(mm|in|\")"
_STATED = (
    re.compile(
        rf"(?:\b[ts]\s*[=:]|\b(?:thk|thickness|thick|dicke|dick|stärke|[ée]p(?:aisseur)?|sp(?:essore)?|esp(?:esor)?)\b\.?"
        rf"\s*[=:]?)\s*{_NUMBER}",
        re.IGNORECASE,
    ),
    re.compile(rf"{_NUMBER}\s*(?:thk|thick|dick|stark)\b", re.IGNORECASE),
    re.compile(rf"\b(?:PL|Pl|BL|Bl)\.?\s*{_NUMBER}(?!\s*[-/]?\d)"),
    re.compile(
        rf"\b(?:sheet|plate|platte|(?:stahl|alu)?blech|t[oô]le|lamiera|piastra|chapa|placa)\b{_OTHER}{_MEASURED}",
        re.IGNORECASE,
    ),
)
"""In English, German, French, Italian and Spanish; a plate or sheet with a bare number may be one of several sheets."""
_ALONE = re.compile(rf"\n(?=\s*{_NUMBER}\s*$)", re.MULTILINE | re.IGNORECASE)
"""A number alone on its line belongs to the words over it."""
_UNITS = {'"': "in"}
_MOST_TEXTS, _LONGEST = 2000, 200


def stated_thicknesses(workpiece: Workpiece) -> list[tuple[float, str]]:
    """Each thickness that is stated (mm), once, with the words that state it. A bare number is in the unit of the
    drawing."""
    unit = mm_per_unit(workpiece.sources[0].unit) if workpiece.sources else 1.0
    return thicknesses_in(workpiece.drawing.linework, unit)


def thicknesses_in(linework: Linework, unit: float) -> list[tuple[float, str]]:
    """The same of linework; `unit`: how many mm a bare number counts for."""
    out: dict[float, str] = {}
    for text in linework.texts[:_MOST_TEXTS]:
        for line in _ALONE.sub(" ", text.text[:_LONGEST]).splitlines():
            for value, words in _stated_in(" ".join(line.split()), unit):
                out.setdefault(value, words)
    return list(out.items())


def _stated_in(line: str, unit: float) -> Iterator[tuple[float, str]]:
    """The thicknesses (mm) that a line of text states. The word may stand before the number or after it: with a number
    on either side both are told."""
    before, after, *others = (pattern.search(line) for pattern in _STATED)
    found = [m for m in (before, after) if m is not None] or [m for m in others if m is not None][:1]
    for m in found:
        number, named = m.groups()
        try:
            value = parse_length(f"{number} {_UNITS.get(named, named or 'mm')}") * (1.0 if named else unit)
        except BadValue:
            continue
        if value > 0.0:
            yield value, m.group().strip()
