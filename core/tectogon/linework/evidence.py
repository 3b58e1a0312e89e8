"""What speaks for a file's unit: its header, its stated dimensions held against the drawn lengths, its extents."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import Note, Place
from tectogon.linework.model import Linework, StatedSize
from tectogon.linework.unit_signs import CANDIDATES, Sign, signs_of
from tectogon.tolerances import LEAST_SIZE
from tectogon.units import MM_PER_UNIT, UNIT_WORDS, mm_per_unit, show_count, show_number, unit_words

_SNUG = 0.01
_FEWEST_WRITTEN, _MOST_WRITTEN = 4, 0.7
"""So many sizes that are only written are to agree at least, and this share of them."""
_WRITTEN_OUT = 2.0
"""Signs that weigh so much more for another unit speak louder than a header."""


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


def weigh_unit(
    linework: Linework,
    declared: str | None,
    says: str = "",
    *,
    certain: bool = True,
    written: Sequence[StatedSize] = (),
) -> UnitEvidence:
    """Evidence for the unit of linework that is still in file units. Without any, millimetres are proposed and called
    unsure.

    `declared` is a unit's name or a number of mm as text; `says` is what the format itself has to say of it. Pixels are
    never sure, nor is a unit that is not `certain`: the dots per inch of a picture.
    `written` are sizes that stand as plain text at lines that were dimensions once: they count where the file has no
    true ones, and where most of several agree.
    Two or more stated sizes that differ from the drawn lengths by one factor decide: it is another unit, or the scale
    of the drawing. Where what is seen on the sheet (`unit_signs`) speaks against the header, it is not sure; where it
    speaks clearly more for another unit, that is proposed.
    """
    facts: list[Fact] = []
    proposed = declared or "mm"
    firm = declared is not None and declared != "px" and certain
    scale = _stated_scale(linework.stated) or _written_scale(written)
    read = _reading(scale[0], declared) if scale is not None else None
    overruled = read is not None and read.unit != proposed and scale is not None and (not declared or scale[1] >= 2)
    if says:
        facts.append(Fact(says, "header", firm and not overruled))
    elif declared:
        facts.append(Fact(f"The file says {unit_words(declared)}", "header", firm and not overruled))
    else:
        facts.append(Fact("The file does not say its unit", "header", False))
    if scale is not None and read is not None:
        ratio, agreeing, total = scale
        words = (
            "equal the drawn lengths"
            if abs(ratio - 1.0) < _SNUG
            else f"are {show_number(ratio, 4)} times the drawn lengths"
        )
        facts.append(
            Fact(f"{agreeing} of {total} stated sizes {words}{read.words}", read.rests_on, read.unit == proposed)
        )
        proposed = read.unit if overruled else proposed
    elif scale is not None:
        ratio, agreeing, total = scale
        facts.append(
            Fact(
                f"{agreeing} of {total} stated sizes are {show_number(ratio, 4)} times the drawn lengths, which no unit"
                " or scale explains",
                "sizes",
                False,
            )
        )
    signs = signs_of(linework, scale[0] if scale is not None and scale[1] >= 2 else 1.0)
    instead = None if overruled else _instead(signs, proposed)
    if instead is not None:
        facts = [replace(f, agrees=False) for f in facts]
        proposed, firm = instead, False
    against = sum(s.weight for s in signs if proposed not in s.units) if proposed in CANDIDATES else 0.0
    facts += [
        Fact(_sign_words(s, proposed), s.rests_on, proposed in s.units)
        for s in signs
        if proposed in CANDIDATES and (s.weight >= 1.0 or (instead and proposed in s.units) or against >= 1.0)
    ]
    said = any(s.weight >= _WRITTEN_OUT and proposed in s.units for s in signs)
    firm = firm or (declared is None and said and against < 1.0)
    size = _size_fact(linework, proposed)
    if size:
        facts.append(size)
    if any(note.code == "extents_absurd" for note in doubts(linework.scaled(mm_per_unit(proposed)))):
        firm = False
    sure = firm and all(f.agrees or (f.rests_on == "header" and declared is None) for f in facts)
    return UnitEvidence(declared, proposed, sure, tuple(facts))


def _furthest(at: FloatArray) -> str:
    return f"; the curve furthest out lies near x {at[0]:.4g}, y {at[1]:.4g} mm"


def _instead(signs: Sequence[Sign], proposed: str) -> str | None:
    """Another unit that the signs speak for clearly more than for the proposed one."""
    if proposed not in CANDIDATES:
        return None
    weights = {unit: sum(s.weight for s in signs if unit in s.units) for unit in CANDIDATES}
    best = max(CANDIDATES, key=lambda unit: weights[unit])
    return best if weights[best] >= weights[proposed] + _WRITTEN_OUT else None


def _sign_words(sign: Sign, proposed: str) -> str:
    """What a sign says, with figures in the unit that is proposed."""
    return sign.text if sign.rests_on == "notes" else f"{sign.text} {proposed}"


LARGEST_MM, SMALLEST_MM = 1e5, 0.02
"""A drawing of a part is hardly larger than a hundred metres, or smaller than a hair."""
_FAR_OUT = 1e4


def doubts(linework: Linework) -> list[Note]:
    """What is hard to believe of linework in millimetres, with its place: extents out of all proportion, and single
    curves far from all others."""
    if not len(linework):
        return []
    size = linework.size
    out = []
    b = linework.table.bounds
    middles = (b[:, :2] + b[:, 2:]) / 2.0
    usual = np.median(middles, axis=0)
    away = np.abs(middles - usual).max(axis=1) + np.ptp(b.reshape(-1, 2, 2), axis=1).max(axis=1)
    common = float(np.median(away))
    far = (
        np.flatnonzero(away > _FAR_OUT * max(common, LEAST_SIZE)) if len(linework) >= _FEWEST else np.zeros(0, np.int64)
    )
    if size > LARGEST_MM or 0 < size < SMALLEST_MM:
        words = (
            f"{size / 1e6:,.4g} km" if size >= 1e6 else f"{size / 1000:,.4g} m" if size >= 1000 else f"{size:.3g} mm"
        )
        where = _furthest(middles[int(away.argmax())]) if size > LARGEST_MM else ""
        out.append(
            Note(
                "extents_absurd",
                f"The drawing would measure {words}: its unit, or some of its numbers, can hardly be right{where}.",
                Place((linework.ids[int(away.argmax())],)),
            )
        )
    elif len(far):
        keys = tuple(linework.ids[int(n)] for n in far[:20])
        out.append(
            Note(
                "far_away",
                f"{len(far)} {'curve lies' if len(far) == 1 else 'curves lie'} more than {show_count(_FAR_OUT)}"
                " times further"
                f" out than most; the first is {keys[0]}.",
                Place(keys),
            )
        )
    return out


_FEWEST = 8


@dataclass(frozen=True)
class _Reading:
    """What a factor from drawn to stated lengths means: the length of one unit of the file, why, and in short."""

    unit: str
    words: str
    rests_on: str


_SCALES = (2.0, 2.5, 4.0, 5.0, 8.0, 10.0, 15.0, 20.0, 25.0, 40.0, 50.0, 75.0, 100.0, 200.0, 500.0, 1000.0)
_STATED_IN = ("mm", "in", "m", "ft")


def _reading(ratio: float, declared: str | None) -> _Reading | None:
    """The likeliest meaning of stated / drawn: the same; sizes in another unit than the file; the file in another unit
    than it says; a scale."""
    unit = declared or "mm"
    if abs(ratio - 1.0) < _SNUG:
        return _Reading(unit, "", "1 : 1")
    here = mm_per_unit(unit)
    if declared:
        for other in _STATED_IN:
            if abs(ratio * MM_PER_UNIT[other] / here - 1.0) < _SNUG:
                return _Reading(unit, f": they are stated in {UNIT_WORDS[other]}", f"in {other}")
    for other in _STATED_IN:
        if abs(ratio * here / MM_PER_UNIT[other] - 1.0) < _SNUG and MM_PER_UNIT[other] != here:
            return _Reading(
                other,
                f": the numbers are {UNIT_WORDS[other]}, sizes stated in {UNIT_WORDS.get(unit, unit)}",
                f"in {other}",
            )
    for scale in _SCALES:
        for factor, words in ((scale, f"1 : {show_number(scale, 1)}"), (1.0 / scale, f"{show_number(scale, 1)} : 1")):
            if abs(ratio / factor - 1.0) < _SNUG:
                return _Reading(show_number(factor * here, 9), f": it is drawn at {words}", words)
    return None


def _stated_scale(sizes: Sequence[StatedSize]) -> tuple[float, int, int] | None:
    """The factor from drawn to stated lengths that most dimensions share: (factor, how many agree, how many there
    are)."""
    pairs = [(s.stated, s.drawn_mm) for s in sizes if s.stated and s.drawn_mm and s.stated > 0 and s.drawn_mm > 0]
    if not pairs:
        return None
    ratios = np.sort(np.array([stated / drawn for stated, drawn in pairs]))
    agreeing = np.array([(np.abs(ratios / r - 1.0) < _SNUG).sum() for r in ratios])
    best = int(agreeing.argmax())
    close = ratios[np.abs(ratios / ratios[best] - 1.0) < _SNUG]
    middle = float(np.median(close))
    return (
        (middle, len(close), len(ratios))
        if len(close) * 2 > len(ratios)
        else (float(np.median(ratios)), len(close), len(ratios))
    )


def _written_scale(sizes: Sequence[StatedSize]) -> tuple[float, int, int] | None:
    """The same of sizes that are only written: a text may stand at a line that it says nothing of."""
    found = _stated_scale(sizes)
    return found if found is not None and found[1] >= _FEWEST_WRITTEN and found[1] >= _MOST_WRITTEN * found[2] else None


def _size_fact(linework: Linework, unit: str) -> Fact | None:
    if not len(linework):
        return None
    x0, y0, x1, y1 = (linework.extents * mm_per_unit(unit)).tolist()
    wide, high = x1 - x0, y1 - y0
    likely = 3.0 <= max(wide, high) <= 3000.0
    words = f"A sheet of {show_number(wide, 1)} × {show_number(high, 1)} mm is {'likely' if likely else 'unlikely'}"
    return Fact(words, "extents", likely)


@dataclass(frozen=True)
class Contradiction:
    """A size that the drawing states and does not have: the text, what it states and what is drawn (both in mm of the
    drawing), and where."""

    text: str
    stated: float
    drawn: float
    at: tuple[float, float] | None


def stated_in_mm(linework: Linework, also: Sequence[StatedSize] = ()) -> list[tuple[StatedSize, float, float]]:
    """Each stated size with what it states in the drawing's millimetres, and how far that may be off by its own digits;
    `also`: sizes that stand as plain text.

    The scale between what is stated and what is drawn is the one that most sizes have.
    """
    every = [*linework.stated, *also]
    found = _stated_scale(every)
    scale = 1.0 / found[0] if found is not None and found[1] >= 2 else 1.0
    out = []
    for size in every:
        if size.stated and (size.drawn_mm or size in also):
            decimals = len(f"{size.stated:.6f}".rstrip("0").partition(".")[2])
            out.append((size, size.stated * scale, 0.51 * 10.0**-decimals * scale))
    return out


def contradictions(linework: Linework) -> list[Contradiction]:
    """Stated sizes that are off from the drawn ones by more than their own rounding and half a per cent."""
    out = []
    for size, meant, within in stated_in_mm(linework):
        drawn = size.drawn_mm or 0.0
        if abs(meant - drawn) > max(0.005 * drawn, within):
            points = np.array(size.points)
            out.append(
                Contradiction(
                    size.text,
                    meant,
                    drawn,
                    (float(points[:, 0].mean()), float(points[:, 1].mean())) if len(points) else None,
                )
            )
    return out
