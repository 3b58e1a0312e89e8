"""What speaks for a file's unit: its header, its stated dimensions held against the drawn lengths, its extents."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tectogon.linework.model import Linework
from tectogon.units import MM_PER_UNIT, mm_per_unit, show_number, unit_words

_SNUG = 0.01


@dataclass(frozen=True)
class Fact:
    """One piece of evidence: a sentence, what it rests on, and whether it agrees with the unit proposed."""

    text: str
    rests_on: str
    agrees: bool


@dataclass(frozen=True)
class UnitEvidence:
    """The unit a file's numbers are in: declared (or None), proposed, how sure, and why."""

    declared: str | None
    proposed: str
    sure: bool
    facts: tuple[Fact, ...]


def weigh_unit(linework: Linework, declared: str | None, says: str = "") -> UnitEvidence:
    """Evidence for the unit of linework that is still in file units. Without any, millimetres are proposed and called unsure.

    `declared` is a unit's name or a number of mm as text; `says` is what the format itself has to say of it. Pixels are never sure.
    """
    facts: list[Fact] = []
    proposed = declared or "mm"
    firm = declared is not None and declared != "px"
    if says:
        facts.append(Fact(says, "header", firm))
    elif declared:
        facts.append(Fact(f"The file says {unit_words(declared)}", "header", firm))
    else:
        facts.append(Fact("The file does not say its unit", "header", False))
    scale = _stated_scale(linework)
    if scale is not None:
        ratio, agreeing, total = scale
        fits = abs(ratio - 1.0) < _SNUG
        words = "equal the drawn lengths" if fits else f"are {show_number(ratio, 3)} times the drawn lengths"
        facts.append(Fact(f"{agreeing} of {total} stated sizes {words}", f"1 : {show_number(1 / ratio, 3)}", fits))
        if not declared and not fits:
            named = next((u for u, mm in MM_PER_UNIT.items() if abs(ratio / mm - 1.0) < _SNUG), None)
            proposed = named or proposed
    size = _size_fact(linework, proposed)
    if size:
        facts.append(size)
    return UnitEvidence(declared, proposed, firm and all(f.agrees for f in facts), tuple(facts))


def _stated_scale(linework: Linework) -> tuple[float, int, int] | None:
    """The factor from drawn to stated lengths that most dimensions share: (factor, how many agree, how many there are)."""
    pairs = [(s.stated, s.drawn_mm) for s in linework.stated if s.stated and s.drawn_mm and s.stated > 0 and s.drawn_mm > 0]
    if not pairs:
        return None
    ratios = np.array([stated / drawn for stated, drawn in pairs])
    middle = float(np.median(ratios))
    return middle, int((np.abs(ratios / middle - 1.0) < _SNUG).sum()), len(ratios)


def _size_fact(linework: Linework, unit: str) -> Fact | None:
    if not len(linework):
        return None
    x0, y0, x1, y1 = (linework.extents * mm_per_unit(unit)).tolist()
    wide, high = x1 - x0, y1 - y0
    likely = 1.0 <= max(wide, high) <= 3000.0
    words = f"A sheet of {show_number(wide, 1)} × {show_number(high, 1)} mm is {'likely' if likely else 'unlikely'}"
    return Fact(words, "extents", likely)
