"""Lengths and angles as people type them, and the units files are drawn in. The core works in millimetres.

>>> parse_length("12")
12.0
>>> round(parse_length("3/8 in + 2 mm"), 4)
11.525
>>> show_length(12.5)
'12.5 mm'
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable

from tectogon.errors import BadValue

MM_PER_UNIT: dict[str, float] = {
    "um": 0.001,
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "in": 25.4,
    "ft": 304.8,
    "mil": 0.0254,
    "px": 25.4 / 96.0,
    "pt": 25.4 / 72.0,
}
"""Length of one unit in millimetres."""

UNIT_WORDS: dict[str, str] = {
    "um": "micrometres",
    "mm": "millimetres",
    "cm": "centimetres",
    "m": "metres",
    "in": "inches",
    "ft": "feet",
    "mil": "thousandths of an inch",
    "px": "pixels at 96 to the inch",
    "pt": "points",
}

_ALIASES = {
    "µm": "um", "micron": "um", "millimetre": "mm", "millimeter": "mm", "centimetre": "cm", "metre": "m", "meter": "m",
    "inch": "in", "inches": "in", '"': "in", "″": "in", "foot": "ft", "feet": "ft", "'": "ft", "′": "ft", "thou": "mil",
}  # fmt: skip

_BINARY: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}

_TOKEN = re.compile(r"\s*(?:(?P<number>\d+(?:[.,]\d*)?(?:e[+-]?\d+)?|[.,]\d+)|(?P<unit>[a-zµ]+|[\"'″′])|(?P<sign>[-+*/()]))", re.IGNORECASE)


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
            raise BadValue(f"“{shown}” is not a unit known here; use one of {', '.join(MM_PER_UNIT)} or a number of mm.") from None
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

    A bare number takes the unit that another term of the sum states last, else `default_unit`. Raises BadValue with a sentence.
    """
    value = float(text) if isinstance(text, (int, float)) else _evaluate(text, default_unit)
    if not math.isfinite(value):
        raise BadValue(f"“{text}” has no finite value.")
    return value


def parse_number(text: str | float) -> float:
    """A typed number without a unit: sums, fractions and ratios ("1/2", "25,4", "1 : 2"). Raises BadValue with a sentence.

    >>> parse_number("1 : 4")
    0.25
    """
    value = parse_length(text.replace(":", "/").replace("°", "") if isinstance(text, str) else text)
    if isinstance(text, str) and re.search(r"[a-zµ\"'″′]", text, re.IGNORECASE) and not re.fullmatch(r"[\s\d.,+*/():e°-]+", text, re.IGNORECASE):
        raise BadValue(f"“{text.strip()[:60]}” has a unit, but a plain number is wanted here.")
    return value


def _evaluate(text: str, default_unit: str) -> float:
    shown = text.strip()[:60]
    if not shown:
        raise BadValue("A length is missing; type a number, with a unit if it is not mm.")
    if len(text) > 200:
        raise BadValue(f"“{shown}…” is too long for a length.")
    words = _tokens(text, shown)
    python = _as_expression(words, default_unit, shown)
    try:
        return _compute(ast.parse(python, mode="eval").body)
    except ZeroDivisionError:
        raise BadValue(f"“{shown}” divides by zero.") from None
    except (SyntaxError, KeyError, ValueError, RecursionError, OverflowError, MemoryError):
        raise BadValue(f"“{shown}” can't be read as a length; try “12”, “3/8 in” or “10 mm + 0.5”.") from None


def _tokens(text: str, shown: str) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    at = 0
    text = text.rstrip()
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None or match.lastgroup is None:
            raise BadValue(f"“{shown}” can't be read as a length: “{text[at:].strip()[:12]}” is not a number or a unit.")
        found.append((match.lastgroup, match.group(match.lastgroup)))
        at = match.end()
    return found


def _as_expression(words: list[tuple[str, str]], default_unit: str, shown: str) -> str:
    """The tokens as a Python expression; each term of a sum is multiplied by its own unit, or by the default."""
    parts: list[str] = []
    term_has_unit = False
    depth = 0

    def close_term() -> None:
        nonlocal term_has_unit
        if parts and parts[-1] not in "(+-" and not term_has_unit:
            parts.append(f"*{MM_PER_UNIT[default_unit]!r}")
        term_has_unit = False

    for kind, word in words:
        if kind == "number":
            parts.append(f"{float(word.replace(',', '.'))!r}")
        elif kind == "unit":
            name = _ALIASES.get(word.lower(), word.lower())
            if name not in MM_PER_UNIT:
                raise BadValue(f"“{word}” in “{shown}” is not a unit known here; use one of {', '.join(MM_PER_UNIT)}.")
            parts.append(f"*{MM_PER_UNIT[name]!r}")
            term_has_unit = True
        else:
            depth += {"(": 1, ")": -1}.get(word, 0)
            if word in "+-" and depth == 0:
                close_term()
            parts.append(word)
    close_term()
    return "".join(parts)


def _compute(node: ast.expr) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, float):
        return node.value
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.USub, ast.UAdd)):
        value = _compute(node.operand)
        return -value if isinstance(node.op, ast.USub) else value
    if isinstance(node, ast.BinOp):
        return _BINARY[type(node.op)](_compute(node.left), _compute(node.right))
    raise ValueError("not a sum")


def show_number(value: float, digits: int = 4) -> str:
    """A number with at most `digits` decimals and no trailing zeros."""
    text = f"{value:.{digits}f}".rstrip("0").rstrip(".") if "." in f"{value:.{digits}f}" else f"{value:.{digits}f}"
    return "0" if text in ("-0", "") else text


def show_length(value_mm: float) -> str:
    """A length as people read it."""
    return f"{show_number(value_mm)} mm"
