"""Lengths and angles as people type them, and the units files are drawn in. The core works in millimetres.

>>> parse_length("12")
12.0
>>> round(parse_length("3/8 in + 2 mm"), 4)
11.525
>>> show_length(12.5)
'12.5 mm'
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable

from tectogon.errors import BadValue

MM_PER_UNIT: dict[str, float] = {
    "um": 0.001,
    "mm": 1.0,
    "cm": 10.0,
    "dm": 100.0,
    "m": 1000.0,
    "km": 1_000_000.0,
    "in": 25.4,
    "ft": 304.8,
    "yd": 914.4,
    "mil": 0.0254,
    "px": 25.4 / 96.0,
    "pt": 25.4 / 72.0,
}
"""Length of one unit in millimetres."""

UNIT_WORDS: dict[str, str] = {
    "um": "micrometres",
    "mm": "millimetres",
    "cm": "centimetres",
    "dm": "decimetres",
    "m": "metres",
    "km": "kilometres",
    "in": "inches",
    "ft": "feet",
    "yd": "yards",
    "mil": "thousandths of an inch",
    "px": "pixels at 96 to the inch",
    "pt": "points",
}

_ALIASES = {
    "µm": "um",
    "micron": "um",
    "millimetre": "mm",
    "millimeter": "mm",
    "centimetre": "cm",
    "metre": "m",
    "meter": "m",
    "inch": "in",
    "inches": "in",
    '"': "in",
    "″": "in",
    "foot": "ft",
    "feet": "ft",
    "'": "ft",
    "′": "ft",
    "thou": "mil",
}

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:[.,]\d*)?(?:e[+-]?\d+)?|[.,]\d+)|(?P<unit>[a-zµ]+|[\"'″′])|(?P<sign>[-+*/()]))",
    re.IGNORECASE,
)


def mm_per_unit(unit: str | float) -> float:
    """Length in mm of one unit, given by name or as a number of mm.

    Raises BadValue for an unknown name, or a number that is not positive and finite.
    """
    if isinstance(unit, str):
        name = _ALIASES.get(unit.lower(), unit.lower())
        if name in MM_PER_UNIT:
            return MM_PER_UNIT[name]
        shown = unit[:40]
        try:
            unit = float(unit)
        except ValueError:
            raise BadValue(
                f"“{shown}” is not a unit known here; use one of {', '.join(MM_PER_UNIT)} or a number of mm."
            ) from None
    if not math.isfinite(unit) or not 1e-9 <= unit <= 1e9:
        raise BadValue(f"One unit of the file can't be {unit:g} mm; give a positive length.")
    return float(unit)


def unit_words(unit: str) -> str:
    """A unit in words, for a name or a number of mm."""
    return UNIT_WORDS.get(unit) or f"one unit is {show_number(mm_per_unit(unit), 6)} mm"


def short_unit(unit: str) -> str:
    """A unit in short: its name, or the length of one unit of the file.

    >>> short_unit("mm"), short_unit("180")
    ('mm', '180 mm a unit')
    """
    return unit if unit in MM_PER_UNIT else f"{show_number(mm_per_unit(unit), 6)} mm a unit"


def parse_length(text: str | float, *, default_unit: str = "mm") -> float:
    """A typed length in mm: numbers with units, sums, fractions and brackets ("3/8 in + 2 mm", "1,5 cm").

    A bare number is in `default_unit`. Raises BadValue with a sentence, also for two units where one length is meant.
    """
    value = float(text) if isinstance(text, (int, float)) else _evaluate(text, default_unit)
    if not math.isfinite(value):
        raise BadValue(f"“{text}” has no finite value.")
    return value


def parse_number(text: str | float) -> float:
    """A typed number without a unit: sums, fractions and ratios ("1/2", "25,4", "1 : 2"). Raises BadValue with a
    sentence.

    >>> parse_number("1 : 4")
    0.25
    """
    value = parse_length(text.replace(":", "/").replace("°", "") if isinstance(text, str) else text)
    if (
        isinstance(text, str)
        and re.search(r"[a-zµ\"'″′]", text, re.IGNORECASE)
        and not re.fullmatch(r"[\s\d.,+*/():e°-]+", text, re.IGNORECASE)
    ):
        raise BadValue(f"“{text.strip()[:60]}” has a unit, but a plain number is wanted here.")
    return value


def _evaluate(text: str, default_unit: str) -> float:
    shown = text.strip()[:60]
    if not shown:
        raise BadValue("A length is missing; type a number, with a unit if it is not mm.")
    if len(text) > 200:
        raise BadValue(f"“{shown}…” is too long for a length.")
    reader = _Sum(_tokens(text, shown), default_unit, shown)
    try:
        return reader.length()
    except ZeroDivisionError:
        raise BadValue(f"“{shown}” divides by zero.") from None
    except (ValueError, RecursionError, OverflowError):
        raise reader.unreadable() from None


def _tokens(text: str, shown: str) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    at = 0
    text = text.rstrip()
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None or match.lastgroup is None:
            raise BadValue(
                f"“{shown}” can't be read as a length: “{text[at:].strip()[:12]}” is not a number or a unit."
            )
        found.append((match.lastgroup, match.group(match.lastgroup)))
        at = match.end()
    return found


class _Sum:
    """Reads a sum by descent: sums of terms, terms of factors. A value is a number of mm and whether it is a length; a
    plain number that stands in a sum beside lengths, or alone, is in the default unit. A term holds one length at most:
    "5 in in", "10 in / 2 in" and "2 in * 3 mm" are none.
    """

    def __init__(self, words: list[tuple[str, str]], default_unit: str, shown: str) -> None:
        self.words, self.at, self.default, self.shown = words, 0, MM_PER_UNIT[default_unit], shown

    def length(self) -> float:
        value, is_length = self.sum()
        if self.at < len(self.words):
            raise self.unreadable()
        return value if is_length else value * self.default

    def unreadable(self) -> BadValue:
        return BadValue(f"“{self.shown}” can't be read as a length; try “12”, “3/8 in” or “10 mm + 0.5”.")

    def next_is(self, *signs: str) -> bool:
        return self.at < len(self.words) and self.words[self.at][1] in signs and self.words[self.at][0] == "sign"

    def taken(self) -> str:
        self.at += 1
        return self.words[self.at - 1][1]

    def sum(self) -> tuple[float, bool]:
        terms = [self.term(1.0)]
        while self.next_is("+", "-"):
            terms.append(self.term(1.0 if self.taken() == "+" else -1.0))
        if not any(is_length for _, is_length in terms):
            return sum(value for value, _ in terms), False
        return sum(value if is_length else value * self.default for value, is_length in terms), True

    def term(self, way: float) -> tuple[float, bool]:
        value, is_length = self.factor()
        while True:
            if self.next_is("*", "/"):
                times = self.taken() == "*"
                other, also = self.factor()
                if also and (is_length or not times):
                    raise BadValue(
                        f"“{self.shown}” {'multiplies' if times else 'divides by'} a length, which gives none; one unit"
                        " is enough."
                    )
                value, is_length = (value * other if times else value / other), is_length or also
            elif self.at < len(self.words) and self.words[self.at][0] == "unit":
                if is_length:
                    raise BadValue(f"“{self.shown}” has two units for one length; give one.")
                value, is_length = value * self.unit(), True
            else:
                return way * value, is_length

    def factor(self) -> tuple[float, bool]:
        if self.next_is("+", "-"):
            way = 1.0 if self.taken() == "+" else -1.0
            value, is_length = self.factor()
            return way * value, is_length
        if self.next_is("("):
            self.at += 1
            inner = self.sum()
            if not self.next_is(")"):
                raise self.unreadable()
            self.at += 1
            return inner
        if self.at >= len(self.words) or self.words[self.at][0] != "number":
            raise self.unreadable()
        return float(self.taken().replace(",", ".")), False

    def unit(self) -> float:
        word = self.taken()
        name = _ALIASES.get(word.lower(), word.lower())
        if name not in MM_PER_UNIT:
            raise BadValue(f"“{word}” in “{self.shown}” is not a unit known here; use one of {', '.join(MM_PER_UNIT)}.")
        return MM_PER_UNIT[name]


def show_number(value: float, digits: int = 4) -> str:
    """A number with at most `digits` decimals and no trailing zeros."""
    text = f"{value:.{digits}f}".rstrip("0").rstrip(".") if "." in f"{value:.{digits}f}" else f"{value:.{digits}f}"
    return "0" if text in ("-0", "") else text


_LEAST_SHOWN = 1e-6


def show_small(value: float, digits: int = 3) -> str:
    """A length that may be far below a millimetre, to so many digits and never as a power of ten; what is left of
    rounding is under a millionth."""
    if abs(value) < _LEAST_SHOWN:
        return "0" if value == 0.0 else f"under {_LEAST_SHOWN:.6f}"
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    return show_number(round(value, decimals), decimals)


def show_sizes(values_mm: Iterable[float]) -> str:
    """Sizes along the axes as people read them."""
    return " × ".join(show_number(v) for v in values_mm) + " mm"


def show_length(value_mm: float) -> str:
    """A length as people read it."""
    return f"{show_number(value_mm)} mm"
