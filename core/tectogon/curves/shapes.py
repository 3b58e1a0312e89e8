"""The four kinds of curve, one at a time. Immutable; t runs from 0 at the start to 1 at the end; lengths in mm, angles
in radians."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.spline import Spline, gauss_nodes
from tectogon.tolerances import ANGLE_TOL, ROUNDING

TURN = 2.0 * math.pi


@dataclass(frozen=True, slots=True)
class Line:
    """A straight piece from (x0, y0) to (x1, y1)."""

    x0: float
    y0: float
    x1: float
    y1: float

    def points(self, t: FloatArray) -> FloatArray:
        """Points (n, 2), mm, at parameters t (n,) from 0 at the start to 1 at the end."""
        t = np.asarray(t, float)
        return np.stack([self.x0 + t * (self.x1 - self.x0), self.y0 + t * (self.y1 - self.y0)], axis=-1)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """Derivatives by t (n, 2), mm."""
        return np.broadcast_to(np.array([self.x1 - self.x0, self.y1 - self.y0]), (*np.shape(t), 2))

    def reversed(self) -> Line:
        """The same line from its end to its start."""
        return Line(self.x1, self.y1, self.x0, self.y0)

    @property
    def length(self) -> float:
        """Length, mm."""
        return math.hypot(self.x1 - self.x0, self.y1 - self.y0)


@dataclass(frozen=True, slots=True)
class Arc:
    """Part of a circle, or all of it: centre, radius, start angle, and the signed angle swept (±2π for a full
    circle)."""

    cx: float
    cy: float
    radius: float
    start_angle: float
    sweep: float

    def points(self, t: FloatArray) -> FloatArray:
        """Points (n, 2), mm, at parameters t (n,) from 0 at the start to 1 at the end."""
        a = self.start_angle + np.asarray(t, float) * self.sweep
        return np.stack([self.cx + self.radius * np.cos(a), self.cy + self.radius * np.sin(a)], axis=-1)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """Derivatives by t (n, 2), mm."""
        a = self.start_angle + np.asarray(t, float) * self.sweep
        return np.asarray(self.radius * self.sweep * np.stack([-np.sin(a), np.cos(a)], axis=-1))

    def reversed(self) -> Arc:
        """The same arc from its end to its start."""
        return Arc(self.cx, self.cy, self.radius, self.start_angle + self.sweep, -self.sweep)

    @property
    def length(self) -> float:
        """Length, mm: radius × sweep."""
        return abs(self.radius * self.sweep)

    @property
    def full(self) -> bool:
        """Whether it is a full circle."""
        return abs(self.sweep) >= TURN - ANGLE_TOL


@dataclass(frozen=True, slots=True)
class EllipticArc:
    """Part of an ellipse: centre, major half-axis (mx, my), minor/major ratio, start parameter and signed parameter
    swept.

    The minor half-axis is the major one turned by +90° and scaled by the ratio: point(u) = centre + cos(u)·major +
    sin(u)·minor.
    """

    cx: float
    cy: float
    mx: float
    my: float
    ratio: float
    start_param: float
    sweep: float

    def points(self, t: FloatArray) -> FloatArray:
        """Points (n, 2), mm, at parameters t (n,) from 0 at the start to 1 at the end, even in the eccentric angle."""
        u = self.start_param + np.asarray(t, float) * self.sweep
        c, s = np.cos(u), self.ratio * np.sin(u)
        return np.stack([self.cx + c * self.mx - s * self.my, self.cy + c * self.my + s * self.mx], axis=-1)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """Derivatives by t (n, 2), mm."""
        u = self.start_param + np.asarray(t, float) * self.sweep
        c, s = self.ratio * np.cos(u), -np.sin(u)
        return np.asarray(self.sweep * np.stack([s * self.mx - c * self.my, s * self.my + c * self.mx], axis=-1))

    def reversed(self) -> EllipticArc:
        """The same arc from its end to its start."""
        return EllipticArc(self.cx, self.cy, self.mx, self.my, self.ratio, self.start_param + self.sweep, -self.sweep)

    @property
    def length(self) -> float:
        """Length, mm, by Gauss-Legendre quadrature of the speed."""
        panels = np.linspace(0.0, 1.0, max(2, math.ceil(abs(self.sweep) / 0.4)) + 1)
        nodes, weights = gauss_nodes(20)
        half = np.diff(panels)[:, None] / 2
        t = (panels[:-1, None] + half + half * nodes).ravel()
        return float((half * weights).ravel() @ np.hypot(*self.derivatives(t).T))

    @property
    def full(self) -> bool:
        """Whether it is a full ellipse."""
        return abs(self.sweep) >= TURN - ANGLE_TOL


Curve: TypeAlias = Line | Arc | EllipticArc | Spline


def arc_through_bulge(p0: tuple[float, float], p1: tuple[float, float], bulge: float) -> Curve:
    """The arc between two points with this bulge (tangent of a quarter of the swept angle, positive to the left); a
    line for 0."""
    (x0, y0), (x1, y1) = p0, p1
    chord = math.hypot(x1 - x0, y1 - y0)
    if abs(bulge) < ROUNDING or chord == 0.0:
        return Line(x0, y0, x1, y1)
    sweep = 4.0 * math.atan(bulge)
    offset = (1.0 / bulge - bulge) / 4.0
    cx = (x0 + x1) / 2.0 - offset * (y1 - y0)
    cy = (y0 + y1) / 2.0 + offset * (x1 - x0)
    return Arc(cx, cy, math.hypot(x0 - cx, y0 - cy), math.atan2(y0 - cy, x0 - cx), sweep)
