"""Where copies of bodies stand: maps of space, the first of which leaves everything where it is."""

from __future__ import annotations

import itertools
import math

import numpy as np

from tectogon.building.rotations import about
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue
from tectogon.tolerances import ANGLE_TOL
from tectogon.units import parse_number, show_count

MOST_COPIES = 500


def whole(value: str | float, what: str) -> int:
    """How many of something, as it was typed. Raises BadValue where that is no whole number from 1 to 500."""
    number = parse_number(value)
    if number != int(number) or not 1 <= number <= MOST_COPIES:
        raise BadValue(f"The number of {what} must be a whole one between 1 and {MOST_COPIES}.")
    return int(number)


def in_row(count: int, step: FloatArray) -> list[FloatArray]:
    """Maps (3, 4) of a row, each off the one before by `step` (3,), mm."""
    return [shift(n * step) for n in range(count)]


def in_grid(count: int, step: FloatArray, rows: int, rise: FloatArray) -> list[FloatArray]:
    """Maps (3, 4) of rows of `count`, each row off the one before by `rise` (3,), mm. Raises BadValue for too many."""
    if count * rows > MOST_COPIES:
        raise BadValue(f"That would be {show_count(count * rows)} copies; up to {MOST_COPIES} are made.")
    return [shift(c * step + r * rise) for r, c in itertools.product(range(rows), range(count))]


def in_circle(count: int, degrees: float, axis: FloatArray, middle: FloatArray) -> list[FloatArray]:
    """Maps (3, 4) of a circle about an axis (3,) through a point (3,): all round, or from the first to the last over an
    angle. Raises BadValue for no angle."""
    full = math.radians(degrees)
    if abs(full) <= ANGLE_TOL:
        raise BadValue("The angle of the circle must be more than nothing; type 360° for all round.")
    step = full / count if abs(abs(full) - 2 * math.pi) < ANGLE_TOL else full / max(count - 1, 1)
    return [about_point(middle, about(axis, n * step)) for n in range(count)]


def shift(by: FloatArray) -> FloatArray:
    """The map (3, 4) that moves by a vector."""
    return np.column_stack([np.eye(3), by])


def about_point(point: FloatArray, linear: FloatArray) -> FloatArray:
    """The map (3, 4) that does something linear about a point."""
    return np.column_stack([linear, point - linear @ point])


def after(outer: FloatArray, inner: FloatArray) -> FloatArray:
    """The map (3, 4) of one after another."""
    return np.column_stack([outer[:, :3] @ inner[:, :3], outer[:, :3] @ inner[:, 3] + outer[:, 3]])
