"""Signs of a sheet's unit beside what its file says: what is written on it, how high its texts are, which paper it
fills, how large its holes are. Each sign leaves some units possible and others not."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from tectogon.curves.table import ARC
from tectogon.linework.model import Linework
from tectogon.units import MM_PER_UNIT, UNIT_WORDS, show_number

CANDIDATES = ("mm", "in", "cm", "m", "ft")
"""Units that parts are drawn in."""


@dataclass(frozen=True)
class Sign:
    """One sign: the units it leaves possible, what to say of it, what it rests on, and how much it weighs: 2 for what
    is written out, 1 for what is usual, less for what counts only beside another."""

    units: frozenset[str]
    text: str
    rests_on: str
    weight: float = 1.0


_OF_SIZES = (
    r"dimensions?|dims?\b\.?|units?|sizes|ma(?:ß|ss)e|masze|abmessungen|bema(?:ß|ss)ung|einheit(?:en)?|cotes?|cotations?"
    r"|unit[ée]s?|quote|dimensioni|misure|unit[àa]|cotas?|medidas|dimensiones|unidad(?:es)?"
)
_NAMES = {
    "mm": r"mm|millimet(?:er|re)s?|millim[èe]tres?|millimetri|mil[ií]metros",
    "in": r"in(?=$|[.)\]])|inch(?:es)?|zoll|pouces?|pollici|pulgadas?",
    "cm": r"cm|centimet(?:er|re)s?|zentimeter|centim[èe]tres?|centimetri|cent[ií]metros",
    "m": r"m|met(?:er|re)s?|m[èe]tres?|metri|metros",
    "ft": r"ft|feet|fu(?:ß|ss)|pieds?|piedi|pies",
}
_WRITTEN = re.compile(
    rf"\b(?:{_OF_SIZES})\b[^\d;]{{0,30}}?(?:\b(?:in|en|are|is|sind|sont|sono|son)\b|[:=(\[])\s*"
    r"(?:" + "|".join(rf"(?P<{unit}>{names})" for unit, names in _NAMES.items()) + r")(?!\w)",
    re.IGNORECASE,
)
_FRACTION = re.compile(
    r"(?<![\d/.:,])(?:\d{1,2}[- ])?\d{1,2}/(?:2|4|8|16|32|64)(?![\d/])\s*"
    r"(?:\"|″|in\b|plate|thk|thick|dia|drill|ream|rad|deep|wide|long|sheet metal|bar|stock)",
    re.IGNORECASE,
)
_LOWEST_TEXT, _HIGHEST_TEXT = 0.9, 60.0
"""Texts that are lower can't be read on paper; higher ones are found only where a large thing is drawn at full size
(mm)."""
_SMALLEST_HOLE, _LARGEST_HOLE, _FEWEST_HOLES = 0.7, 200.0, 3
"""The usual hole of a part (diameter, mm)."""
_ISO_SHEETS = ((297.0, 210.0), (420.0, 297.0), (594.0, 420.0), (841.0, 594.0), (1189.0, 841.0))
_INCH_SHEETS = ((11.0, 8.5), (14.0, 8.5), (17.0, 11.0), (22.0, 17.0), (34.0, 22.0), (44.0, 34.0))
_MARGIN = 45.0
"""What a frame stands in from the edges of its paper, both sides together, at most (mm)."""


def signs_of(linework: Linework, ratio: float = 1.0) -> list[Sign]:
    """The signs of linework in file units. `ratio`: how many times its drawn length a stated size is; what is written
    of sizes holds for the numbers of the file divided by it."""
    found = [*_written(linework, ratio), _text_height(linework), _paper(linework), _holes(linework)]
    return [sign for sign in found if sign is not None]


def written_unit(texts: Iterable[str]) -> str | None:
    """The unit that sizes are in by what is written out; None where nothing is, or more than one.

    >>> written_unit(["ALL DIMENSIONS IN INCHES"]), written_unit(["Alle Maße in mm"]), written_unit(["SECTION A-A"])
    ('in', 'mm', None)
    """
    named = {match.lastgroup for text in texts for match in [_WRITTEN.search(text)] if match is not None}
    return named.pop() if len(named) == 1 else None


def _written(linework: Linework, ratio: float) -> Iterable[Sign]:
    texts = [t.text for t in linework.texts]
    unit = written_unit(texts)
    if unit is not None:
        yield Sign(_of_file(unit, ratio), f"It is written that sizes are in {UNIT_WORDS[unit]}", "notes", 2)
    fraction = next((m[0].strip() for t in texts for m in [_FRACTION.search(t)] if m is not None), None)
    if fraction is not None and unit is None:
        yield Sign(_of_file("in", ratio), f"“{fraction}” is a size in inches", "notes")


def _of_file(unit: str, ratio: float) -> frozenset[str]:
    """The unit of the file's numbers, as a name where it has one, for sizes that are stated in a unit."""
    mm = MM_PER_UNIT[unit] * ratio
    return frozenset(name for name in CANDIDATES if abs(MM_PER_UNIT[name] / mm - 1.0) < 0.01)


def _possible(low: float, value: float, high: float) -> frozenset[str]:
    return frozenset(unit for unit in CANDIDATES if low <= value * MM_PER_UNIT[unit] <= high)


def _text_height(linework: Linework) -> Sign | None:
    heights = [t.height for t in linework.texts if t.text.strip() and t.height > 0.0]
    if not heights:
        return None
    height = float(np.median(heights))
    fits = _possible(_LOWEST_TEXT, height, _HIGHEST_TEXT)
    return Sign(fits, f"Its texts have a height of {show_number(height, 3)}", "texts") if fits else None


def _paper(linework: Linework) -> Sign | None:
    """The paper that a sheet with texts fills; it speaks for a unit, and against none where it fits no paper."""
    if not linework.texts or not len(linework):
        return None
    x0, y0, x1, y1 = linework.extents.tolist()
    long, short = max(x1 - x0, y1 - y0), min(x1 - x0, y1 - y0)
    sheets = [*_ISO_SHEETS, *((25.4 * w, 25.4 * h) for w, h in _INCH_SHEETS)]
    fits = frozenset(
        unit
        for unit in CANDIDATES
        if any(
            -_MARGIN <= long * MM_PER_UNIT[unit] - w <= 3.0 and -_MARGIN <= short * MM_PER_UNIT[unit] - h <= 3.0
            for w, h in sheets
        )
    )
    words = f"It has the size of a sheet of paper, {show_number(long, 1)} × {show_number(short, 1)}"
    return Sign(fits, words, "paper", 0.5) if fits else None


def _holes(linework: Linework) -> Sign | None:
    """How large holes are, on a sheet with texts."""
    if not linework.texts:
        return None
    arcs = linework.table.rows_of(ARC)
    circles = arcs[linework.table.closed[arcs]]
    if len(circles) < _FEWEST_HOLES:
        return None
    usual = float(np.median(2.0 * linework.table.data[circles, 2]))
    fits = _possible(_SMALLEST_HOLE, usual, _LARGEST_HOLE)
    return Sign(fits, f"Its circles have diameters about {show_number(usual, 3)}", "holes", 0.5) if fits else None
