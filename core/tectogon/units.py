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
import unicodedata
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
    "''": "in",
    "'": "ft",
    "′": "ft",
    "thou": "mil",
}

_SPACES = "\u0020\u00a0\u2009\u202f"
"""Spaces that may stand between groups of digits."""
_GROUPED = rf"\d{{1,3}}(?:[{_SPACES}]\d{{3}})+(?!\d|\s*/)"
_TOKEN = re.compile(
    rf"\s*(?:(?P<mixed>\d+\s+\d+\s*/\s*\d+(?![\d.,])|\d*\s*[¼-¾⅐-⅞])"
    rf"|(?P<number>(?:(?:{_GROUPED}|\d+)(?:[.,]\d+)*[.,]?|[.,]\d+)(?:e[+-]?\d+)?)"
    r"|(?P<unit>[a-zµ]+|''|[\"'″′])|(?P<sign>[-+*/()]))",
    re.IGNORECASE,
)
_EITHER_WAY = re.compile(r"[1-9]\d{0,2},\d{3}")
_HYPHENED = re.compile(r"(\d+)-(\d+\s*/\s*\d+)")
_COMMAS, _POINTS = re.compile(r"\d{1,3}(?:,\d{3})+"), re.compile(r"\d{1,3}(?:\.\d{3})+")


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
    return unit if unit in MM_PER_UNIT else f"{show_small(mm_per_unit(unit), 4)} mm a unit"


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


def read_number(text: str) -> float:
    """A number as people write it: with a point or a comma before its decimals, with spaces, commas or points between
    groups of three digits.

    Raises BadValue for a comma that could be either, ValueError for what is no number.

    >>> read_number("1 234,5"), read_number("1,234.5"), read_number("0,125"), read_number("1,234,000")
    (1234.5, 1234.5, 0.125, 1234000.0)
    """
    bare = re.sub(rf"[{_SPACES}]", "", text)
    if _EITHER_WAY.fullmatch(text.strip()):
        whole, rest = text.strip().split(",")
        raise BadValue(
            f"“{text.strip()}” can mean {whole}.{rest} or {whole}{rest}: type “{whole}.{rest}” or “{whole}{rest}”."
        )
    body, _, power = bare.lower().partition("e")
    commas, points = body.count(","), body.count(".")
    if commas and points:
        groups, decimals = (body.rsplit(".", 1)) if body.rfind(".") > body.rfind(",") else body.rsplit(",", 1)
        if not (_COMMAS if "," in groups else _POINTS).fullmatch(groups):
            raise ValueError(text)
        body = f"{re.sub('[.,]', '', groups)}.{decimals}"
    elif commas > 1 or points > 1:
        if not (_COMMAS if commas else _POINTS).fullmatch(body):
            raise ValueError(text)
        body = re.sub("[.,]", "", body)
    else:
        body = body.replace(",", ".")
    return float(f"{body}e{power}" if power else body)


def parse_sizes(text: str) -> tuple[float, ...]:
    """Several typed lengths in mm, with ×, x, ; or spaces between them. A unit behind the last counts for those that
    have none. Empty for an empty text. Raises BadValue.

    >>> parse_sizes("10 x 8 x 12 in")[2]
    304.79999999999995
    >>> parse_sizes("220 × 220 × 250")
    (220.0, 220.0, 250.0)
    """
    parts = re.split(r"[×;]|,\s|(?<![a-zµ])x(?![a-zµ])", text.strip(), flags=re.IGNORECASE)
    if len(parts) == 1 and re.fullmatch(r"[\d.,]+(\s+[\d.,]+)+", text.strip()):
        parts = text.split()
    if not text.strip():
        return ()
    last = re.search(r"[a-zµ\"'″′]+\s*$", parts[-1], re.IGNORECASE)
    return tuple(
        parse_length(part if last is None or re.search(r"[a-zµ\"'″′]\s*$", part, re.IGNORECASE) else part + last[0])
        for part in parts
    )


def _evaluate(text: str, default_unit: str) -> float:
    text = text.strip().removeprefix("≈")
    shown = text.strip()[:60]
    if not shown:
        raise BadValue("A length is missing; type a number, with a unit if it is not mm.")
    if len(text) > 200:
        raise BadValue(f"“{shown}…” is too long for a length.")
    either = _HYPHENED.search(text)
    if either is not None:
        whole, part = either.groups()
        raise BadValue(
            f"“{either[0]}” can mean {whole} and {part}, or {whole} less {part}: type “{whole} {part}” or"
            f" “{whole} - {part}”."
        )
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


def _mixed(text: str) -> float:
    """A whole number and a fraction: "3 1/2", "3½"."""
    sign = re.search(r"[¼-¾⅐-⅞]", text)
    if sign is not None:
        return float(text[: sign.start()].strip() or 0) + unicodedata.numeric(sign[0])
    whole, above, below = re.findall(r"\d+", text)
    return int(whole) + int(above) / int(below)


class _Sum:
    """Reads a sum by descent: sums of terms, terms of factors. A value is a number of mm and whether it is a length; a
    plain number that stands in a sum beside lengths, or alone, is in the default unit. A term holds one length at most:
    "5 in in", "10 in / 2 in" and "2 in * 3 mm" are none. A length may go on in a smaller unit ("2 ft 3 in"); behind
    feet a plain number is in inches ("5'6").
    """

    def __init__(self, words: list[tuple[str, str]], default_unit: str, shown: str) -> None:
        self.words, self.at, self.default, self.shown = words, 0, MM_PER_UNIT[default_unit], shown
        self.units: set[float] = set()

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
        if self.units - {self.default} and not all(is_length for _, is_length in terms):
            raise BadValue(f"“{self.shown}” has a number without a unit beside another unit; give each its unit.")
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
                unit = self.unit()
                value, is_length = value * unit + math.copysign(self.rest(unit), value), True
            else:
                return way * value, is_length

    def rest(self, unit: float) -> float:
        """What goes on in a smaller unit (mm)."""
        if not self.next_is_number():
            return 0.0
        thousands = re.fullmatch(r"\d{3,}", self.words[self.at][1])
        value = self.number()
        named = self.at < len(self.words) and self.words[self.at][0] == "unit"
        if not named and (thousands or unit != MM_PER_UNIT["ft"]):
            raise self.unreadable()
        smaller = self.unit() if named else MM_PER_UNIT["in"]
        if not smaller < unit or not value * smaller < unit:
            raise self.unreadable()
        return value * smaller + self.rest(smaller)

    def next_is_number(self) -> bool:
        return self.at < len(self.words) and self.words[self.at][0] in ("number", "mixed")

    def number(self) -> float:
        if not self.next_is_number():
            raise self.unreadable()
        return (_mixed if self.words[self.at][0] == "mixed" else read_number)(self.taken())

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
        return self.number(), False

    def unit(self) -> float:
        word = self.taken()
        name = _ALIASES.get(word.lower(), word.lower())
        if name not in MM_PER_UNIT:
            raise BadValue(f"“{word}” in “{self.shown}” is not a unit known here; use one of {', '.join(MM_PER_UNIT)}.")
        self.units.add(MM_PER_UNIT[name])
        return MM_PER_UNIT[name]


def show_count(count: float) -> str:
    """A whole number with its digits in groups of three, as `read_number` reads it.

    >>> show_count(250000)
    '250\u202f000'
    """
    return f"{count:,.0f}".replace(",", "\u202f")


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
