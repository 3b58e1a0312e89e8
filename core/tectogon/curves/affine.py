"""Affine maps of the sheet as arrays of shape (2, 3): [x', y'] = A[:, :2] @ [x, y] + A[:, 2]."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from tectogon.tolerances import ROUNDING

FloatArray = npt.NDArray[np.float64]

IDENTITY: FloatArray = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


def moved(dx: float, dy: float) -> FloatArray:
    """A shift by dx, dy (mm), as a matrix (2, 3)."""
    return np.array([[1.0, 0.0, dx], [0.0, 1.0, dy]])


def scaled(sx: float, sy: float | None = None) -> FloatArray:
    """A scaling about the origin by sx, sy (sy as sx where it is not given), as a matrix (2, 3)."""
    return np.array([[sx, 0.0, 0.0], [0.0, sx if sy is None else sy, 0.0]])


def turned(angle: float) -> FloatArray:
    """A turn about the origin, counter-clockwise, in radians."""
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, -s, 0.0], [s, c, 0.0]])


def about_point(point: tuple[float, float], scale: float, angle: float) -> FloatArray:
    """A scaling and a turn (radians, counter-clockwise) about a point, as a matrix (2, 3)."""
    return after(moved(*point), after(turned(angle), after(scaled(scale), moved(-point[0], -point[1]))))


def after(outer: FloatArray, inner: FloatArray) -> FloatArray:
    """The map that does `inner` first, then `outer`."""
    linear = outer[:, :2] @ inner[:, :2]
    return np.column_stack([linear, outer[:, :2] @ inner[:, 2] + outer[:, 2]])


def apply(matrix: FloatArray, points: FloatArray) -> FloatArray:
    """Points of shape (..., 2) mapped."""
    return np.asarray(points @ matrix[:, :2].T + matrix[:, 2])


def is_similarity(matrix: FloatArray, tol: float = ROUNDING) -> bool:
    """Whether circles stay circles: turn, mirror, move and one scale."""
    a, b = matrix[:, 0], matrix[:, 1]
    size = float(a @ a + b @ b)
    return abs(float(a @ b)) <= tol * size and abs(float(a @ a - b @ b)) <= tol * size


def scale_of(matrix: FloatArray) -> float:
    """The mean length scale: square root of the area scale."""
    return math.sqrt(abs(float(np.linalg.det(matrix[:, :2]))))


def mirrors(matrix: FloatArray) -> bool:
    """Whether a matrix (2, 3) turns the sense of rotation round: its determinant is negative."""
    return float(np.linalg.det(matrix[:, :2])) < 0.0
