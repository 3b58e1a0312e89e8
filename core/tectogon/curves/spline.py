"""B-splines of the sheet, rational or not, clamped, with knots from 0 to 1.

Source of the formulas: knot insertion after Boehm (1980), as in The NURBS Book, chapter 5; evaluation by scipy's
B-splines on homogeneous coordinates.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, cached_property
from typing import TYPE_CHECKING

import numpy as np

from tectogon.curves.affine import FloatArray, apply
from tectogon.tolerances import ROUNDING, SAME_SHARE

if TYPE_CHECKING:
    from scipy.interpolate import BSpline


@dataclass(frozen=True, eq=False)
class Spline:
    """A clamped B-spline: degree, knots (m,), poles (n, 2), weights (n,) or None when not rational. t is the knot
    parameter, 0 to 1."""

    degree: int
    knots: FloatArray
    poles: FloatArray
    weights: FloatArray | None = None

    @staticmethod
    def of(degree: int, knots: FloatArray, poles: FloatArray, weights: FloatArray | None = None) -> Spline:
        """A spline from any valid knots (clamped or not); equal weights are dropped.

        Raises ValueError where the numbers of knots, poles and degree don't fit, knots go backwards, or a weight is not
        positive.
        """
        knots = np.asarray(knots, float)
        poles = np.asarray(poles, float)[:, :2]
        n = len(poles)
        if not 1 <= degree <= 25 or n < degree + 1 or len(knots) != n + degree + 1:
            raise ValueError("knots, poles and degree of the spline do not fit together")
        if np.any(np.diff(knots) < 0) or not knots[n] > knots[degree]:
            raise ValueError("the knots of the spline do not rise")
        if weights is not None:
            weights = np.asarray(weights, float)
            if len(weights) != n or np.any(weights <= 0):
                raise ValueError("a weight of the spline is not positive")
            if np.ptp(weights) <= ROUNDING * weights.max():
                weights = None
        homogeneous = poles if weights is None else np.column_stack([poles * weights[:, None], weights])
        low, high = knots[degree], knots[n]
        knots, homogeneous = _cut(degree, knots, homogeneous, low, high)
        return _from_homogeneous(degree, (knots - low) / (high - low), homogeneous, weights is not None)

    @staticmethod
    def bezier(poles: FloatArray) -> Spline:
        """A Bézier curve of any degree as a spline."""
        return Spline(len(poles) - 1, _bezier_knots(len(poles)), np.asarray(poles, float))

    @cached_property
    def _homogeneous(self) -> FloatArray:
        return (
            self.poles if self.weights is None else np.column_stack([self.poles * self.weights[:, None], self.weights])
        )

    @cached_property
    def _base(self) -> BSpline:
        from scipy.interpolate import BSpline  # a third of a second to load, and most drawings have no splines

        return BSpline(self.knots, self._homogeneous, self.degree)

    @cached_property
    def _slope(self) -> BSpline:
        return self._base.derivative()

    @cached_property
    def _bend(self) -> BSpline:
        return self._base.derivative(2)

    def points(self, t: FloatArray) -> FloatArray:
        """Points (k, 2) at parameters (k,)."""
        values = np.asarray(self._base(np.clip(t, 0.0, 1.0)))
        return values if self.weights is None else values[..., :2] / values[..., 2:]

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives (k, 2) by t at parameters (k,)."""
        t = np.clip(t, 0.0, 1.0)
        slope = np.asarray(self._slope(t))
        if self.weights is None:
            return slope
        values = np.asarray(self._base(t))
        w = values[..., 2:]
        return (slope[..., :2] * w - values[..., :2] * slope[..., 2:]) / (w * w)

    def second_derivatives(self, t: FloatArray) -> FloatArray:
        """Second derivatives (k, 2); of rational splines by differences of the first."""
        t = np.clip(np.asarray(t, float), 0.0, 1.0)
        if self.weights is None and self.degree >= 2:
            return np.asarray(self._bend(t))
        low, high = np.clip(t - 1e-5, 0, 1), np.clip(t + 1e-5, 0, 1)
        return (self.derivatives(high) - self.derivatives(low)) / (high - low)[..., None]

    @cached_property
    def spans(self) -> FloatArray:
        """The distinct knots, 0 to 1: between two of them the curve is one polynomial."""
        return np.unique(self.knots)

    @property
    def start(self) -> FloatArray:
        """The first point (2,), mm."""
        return self.poles[0]

    @property
    def end(self) -> FloatArray:
        """The last point (2,), mm."""
        return self.poles[-1]

    @property
    def meets_itself(self) -> bool:
        """Whether its ends are one point, to a millionth of its poles' extents."""
        return bool(np.hypot(*(self.end - self.start)) <= SAME_SHARE * np.ptp(self.poles, axis=0).max())

    @cached_property
    def length(self) -> float:
        """Length by Gauss quadrature on panels, each halved until it settles: a cusp inside a span wants many, and its
        neighbours none."""
        low, high = self.spans[:-1], self.spans[1:]
        before = self._panels(low, high)
        least, total = 1e-11 * float(before.sum()), 0.0
        for _ in range(12):
            middle = (low + high) / 2.0
            first, second = self._panels(low, middle), self._panels(middle, high)
            open_ones = np.abs(first + second - before) > least
            total += float((first + second)[~open_ones].sum())
            low, high = (
                np.concatenate(v) for v in ((low[open_ones], middle[open_ones]), (middle[open_ones], high[open_ones]))
            )
            before = np.concatenate([first[open_ones], second[open_ones]])
            if not len(before):
                break
        return total + float(before.sum())

    def _panels(self, low: FloatArray, high: FloatArray) -> FloatArray:
        """The length (n,) between each two parameters, by Gauss quadrature."""
        x, w = gauss_nodes(16)
        t = (low + high)[:, None] / 2.0 + (high - low)[:, None] / 2.0 * x
        speed = np.hypot(*self.derivatives(t.ravel()).T).reshape(t.shape)
        return np.asarray((high - low) / 2.0 * (speed @ w))

    def part(self, t0: float, t1: float) -> Spline:
        """The piece from t0 to t1 (t0 < t1), exactly."""
        knots, homogeneous = _cut(self.degree, self.knots, self._homogeneous, t0, t1)
        return _from_homogeneous(self.degree, (knots - t0) / (t1 - t0), homogeneous, self.weights is not None)

    def reversed(self) -> Spline:
        """The same spline from its end to its start: control points, weights and knots turned round."""
        return Spline(
            self.degree,
            1.0 - self.knots[::-1],
            self.poles[::-1].copy(),
            None if self.weights is None else self.weights[::-1].copy(),
        )

    def transformed(self, matrix: FloatArray) -> Spline:
        """The spline with its control points mapped by a matrix (2, 3); exact, as B-splines are affinely invariant."""
        return Spline(self.degree, self.knots, apply(matrix, self.poles), self.weights)

    def samples(self, chord_tol: float) -> FloatArray:
        """Parameters (k,) so close that straight pieces between them stay within `chord_tol`.

        The deviation of a chord over a step h is at most h² |C''| / 8; each span is divided by its own largest |C''|.
        """
        spans = self.spans
        wide = np.diff(spans)
        if self.degree == 1:
            return spans
        probes = spans[:-1, None] + wide[:, None] * np.linspace(0.0, 1.0, 9)
        bend = np.hypot(*self.second_derivatives(probes.ravel()).T).reshape(-1, 9).max(axis=1)
        counts = np.clip(np.ceil(wide * np.sqrt(bend / (8.0 * chord_tol))), 2, 2000).astype(np.int64)
        index = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
        return np.append(np.repeat(spans[:-1], counts) + index * np.repeat(wide / counts, counts), 1.0)


@cache
def _bezier_knots(order: int) -> FloatArray:
    return np.repeat([0.0, 1.0], order)


@cache
def gauss_nodes(order: int) -> tuple[FloatArray, FloatArray]:
    """Gauss–Legendre nodes and weights on -1..1; finding them takes longer than using them."""
    return np.polynomial.legendre.leggauss(order)


def gauss_on_spans(spans: FloatArray, order: int) -> tuple[FloatArray, FloatArray]:
    """Gauss–Legendre nodes and weights over consecutive spans."""
    nodes, weights = gauss_nodes(order)
    half = np.diff(spans) / 2.0
    middle = (spans[:-1] + spans[1:]) / 2.0
    return (middle[:, None] + half[:, None] * nodes).ravel(), (half[:, None] * weights).ravel()


def _from_homogeneous(degree: int, knots: FloatArray, homogeneous: FloatArray, rational: bool) -> Spline:
    if not rational:
        return Spline(degree, knots, homogeneous)
    return Spline(degree, knots, homogeneous[:, :2] / homogeneous[:, 2:], homogeneous[:, 2].copy())


def _cut(degree: int, knots: FloatArray, poles: FloatArray, low: float, high: float) -> tuple[FloatArray, FloatArray]:
    """Knots and poles of the piece between two knot values, clamped at both ends."""
    spacing = ROUNDING * (knots[-1] - knots[0])
    for value in (low, high):
        near = knots[np.abs(knots - value) <= spacing]
        at = float(near[0]) if len(near) else value
        if len(near) < degree:
            knots, poles = _with_knot(degree, knots, poles, at, degree - len(near))
    first = int(np.searchsorted(knots, low + spacing, side="right")) - 1
    last = int(np.searchsorted(knots, high - spacing, side="left"))
    inner = knots[first + 1 : last]
    ends = np.ones(degree + 1)
    return (
        np.concatenate([ends * low, inner, ends * high]),
        poles[first - degree : first - degree + len(inner) + degree + 1],
    )


def _with_knot(
    degree: int, knots: FloatArray, poles: FloatArray, value: float, times: int
) -> tuple[FloatArray, FloatArray]:
    """So many knots more at `value`, the curve unchanged (Piegl and Tiller, The NURBS Book, A5.1). Of so few numbers
    lists are much quicker than arrays."""
    span = min(max(int(np.searchsorted(knots, value, side="right")) - 1, degree), len(poles) - 1)
    there = max(0, span + 1 - int(np.searchsorted(knots, value, side="left")))
    near: list[float] = knots[span - degree + 1 : span + degree + 1].tolist()
    row: list[list[float]] = poles[span - degree : span - there + 1].tolist()
    first, last = [], []
    for j in range(times):
        for i in range(degree - j - there):
            share = (value - near[i + j]) / (near[i + degree] - near[i + j])
            row[i] = [share * b + (1.0 - share) * a for a, b in zip(row[i], row[i + 1], strict=True)]
        left = degree - j - 1 - there
        first.append(row[0])
        last.append(row[left])
    fresh = [*first, *(row[1:left] if left else []), *reversed(last if left else last[:-1])]
    return (
        np.concatenate([knots[: span + 1], np.full(times, value), knots[span + 1 :]]),
        np.concatenate([poles[: span - degree + 1], fresh, poles[span - there :]]),
    )
