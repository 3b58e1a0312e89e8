"""Values of the command line as people type them."""

from __future__ import annotations

import argparse
import math

from tectogon.errors import BadValue, TectogonError
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import mm_per_unit, parse_length, parse_number

_MAYBE_NEGATIVE = ("--axis", "--taper", "--at", "--scale", "--twist")


def bound(argv: list[str]) -> list[str]:
    """The arguments, values that begin with a minus bound to their words: they are no options of their own."""
    out = list(argv)
    for n in range(len(out) - 2, -1, -1):
        if out[n] in _MAYBE_NEGATIVE and out[n + 1][:1] == "-":
            out[n : n + 2] = [f"{out[n]}={out[n + 1]}"]
    return out


def unit(text: str) -> float:
    try:
        return mm_per_unit(text)
    except TectogonError as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None


def axis(text: str) -> tuple[float, float, float, float]:
    named = {"x": (0.0, 0.0, 1.0, 0.0), "y": (0.0, 0.0, 0.0, 1.0)}.get(text.strip().lower())
    if named:
        return named
    try:
        x0, y0, x1, y1 = (parse_length(part) for part in text.split(","))
    except (BadValue, ValueError):
        raise argparse.ArgumentTypeError(f"“{text}” is no axis; write x, y, or two points as X0,Y0,X1,Y1") from None
    if math.hypot(x1 - x0, y1 - y0) < KERNEL_TOL:
        raise argparse.ArgumentTypeError("the two points of the axis lie on top of each other")
    return x0, y0, x1, y1


def angle(text: str) -> float:
    try:
        value = parse_number(text)
    except BadValue as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None
    if not 0.0 < abs(value) <= 360.0:
        raise argparse.ArgumentTypeError("the angle must be more than 0° and no more than 360°")
    return value


def numbers(text: str) -> tuple[float, ...]:
    try:
        return tuple(parse_number(part) for part in text.split(","))
    except BadValue as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None


def taper(text: str) -> float:
    try:
        value = parse_number(text)
    except BadValue as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None
    if abs(value) > 85.0:
        raise argparse.ArgumentTypeError("sides lean by no more than 85°")
    return value


def length(text: str) -> float:
    try:
        value = parse_length(text)
    except TectogonError as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None
    if not 1e-6 <= value <= 1e6:
        raise argparse.ArgumentTypeError("must lie between 0.000001 and 1,000,000 mm")
    return value


def tolerance(text: str) -> float | None:
    return None if text == "auto" else length(text)


def bed(text: str) -> tuple[float, ...]:
    """The three sizes of a printer's bed (mm)."""
    sizes = numbers(text)
    if len(sizes) != 3 or min(sizes) <= 0.0:
        raise argparse.ArgumentTypeError("a bed has three sizes, each more than nothing, such as 220,220,250")
    return sizes
