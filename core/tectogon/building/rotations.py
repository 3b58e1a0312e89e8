"""Rotations of space."""

from __future__ import annotations

import math

import numpy as np

from tectogon.curves.affine import FloatArray

_LEVEL = 1e-9


def rotation(a: FloatArray, b: FloatArray) -> FloatArray:
    """The least rotation (3, 3) that brings one direction into another (Rodrigues)."""
    a, b = a / np.linalg.norm(a), b / np.linalg.norm(b)
    axis = np.cross(a, b)
    sine, cosine = float(np.linalg.norm(axis)), float(a @ b)
    if sine < _LEVEL:
        if cosine > 0.0:
            return np.eye(3)
        axis = np.cross(a, np.eye(3)[int(np.abs(a).argmin())])
        return about(axis / np.linalg.norm(axis), math.pi)
    return about(axis / sine, math.atan2(sine, cosine))


def about(axis: FloatArray, angle: float) -> FloatArray:
    """The rotation (3, 3) about a direction (unit vector) by an angle (radians)."""
    x, y, z = axis.tolist()
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    return np.asarray(np.eye(3) + math.sin(angle) * cross + (1.0 - math.cos(angle)) * cross @ cross)
