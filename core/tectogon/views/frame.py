"""Planes in space for the six named views. X to the right of the front view, Y away from its viewer, Z up."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tectogon.curves.affine import FloatArray

_DIRECTIONS: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "front": ((1, 0, 0), (0, 0, 1)),
    "rear": ((-1, 0, 0), (0, 0, 1)),
    "right": ((0, 1, 0), (0, 0, 1)),
    "left": ((0, -1, 0), (0, 0, 1)),
    "top": ((1, 0, 0), (0, 1, 0)),
    "bottom": ((1, 0, 0), (0, -1, 0)),
}

VIEW_NAMES = tuple(_DIRECTIONS)


@dataclass(frozen=True)
class Frame:
    """Sheet point (x, y) lies at origin + x · x_dir + y · y_dir; heights are measured along the normal, towards the
    viewer. mm."""

    origin: tuple[float, float, float]
    x_dir: tuple[float, float, float]
    y_dir: tuple[float, float, float]

    @cached_property
    def normal(self) -> tuple[float, float, float]:
        """The direction towards the viewer, of length 1."""
        (a, b, c), (d, e, f) = self.x_dir, self.y_dir
        return (b * f - c * e, c * d - a * f, a * e - b * d)

    @cached_property
    def _basis(self) -> FloatArray:
        return np.array([self.x_dir, self.y_dir], float)

    def at(self, x: float, y: float, height: float = 0.0) -> tuple[float, float, float]:
        """One sheet point in space; `place` for many."""
        (ox, oy, oz), (ax, ay, az), (bx, by, bz), (nx, ny, nz) = self.origin, self.x_dir, self.y_dir, self.normal
        return (
            ox + x * ax + y * bx + height * nx,
            oy + x * ay + y * by + height * ny,
            oz + x * az + y * bz + height * nz,
        )

    def place(self, points: FloatArray, height: float = 0.0) -> FloatArray:
        """Sheet points (..., 2) in space (..., 3), `height` mm towards the viewer."""
        base = np.asarray(self.origin) + height * np.asarray(self.normal)
        return np.asarray(base + points @ self._basis)


def frame_of(view: str, sheet_origin: tuple[float, float] = (0.0, 0.0)) -> Frame:
    """The frame of a named view whose sheet point `sheet_origin` falls on the origin of space."""
    x_dir, y_dir = _DIRECTIONS[view]
    o = -sheet_origin[0] * np.array(x_dir, float) - sheet_origin[1] * np.array(y_dir, float)
    return Frame((float(o[0]), float(o[1]), float(o[2])), x_dir, y_dir)
