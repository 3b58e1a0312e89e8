"""Surfaces through curves that follow one another: ruled between two, smooth through more.

Source of the formulas: The NURBS Book, chapter 10 (skinned surfaces): the curves are brought to one basis, and their
poles are interpolated across.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline

from tectogon.curves import Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.spline import gauss_on_spans
from tectogon.tolerances import ROUNDING, TINY
from tectogon.views import Frame


@dataclass(frozen=True, eq=False)
class SurfacePatch:
    """A B-spline surface: u along the curves, v across them, both 0 to 1; poles (nu, nv, 4) times their weights, and
    the weights."""

    degrees: tuple[int, int]
    knots: tuple[FloatArray, FloatArray]
    poles: FloatArray

    def flux(self, base: FloatArray) -> float:
        """∫ (r - base) · n dA over the surface, its normal along du × dv (mm³)."""
        rational = bool(np.ptp(self.poles[..., 3]) > ROUNDING)
        orders = [(14 if rational else 3 * d + 1) for d in self.degrees]
        u, wu = gauss_on_spans(np.unique(self.knots[0]), orders[0])
        v, wv = gauss_on_spans(np.unique(self.knots[1]), orders[1])
        at, du, dv = self._grid(u, v)
        return float(np.einsum("i,j,ijk,ijk->", wu, wv, at - base, np.cross(du, dv)))

    def points(self, u: FloatArray, v: FloatArray) -> FloatArray:
        """Points (nu, nv, 3) over a grid of parameters, mm."""
        return self._grid(u, v)[0]

    def across(self, u: FloatArray, v: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Points (nu, nv, 3) over a grid of parameters, mm, and how fast they run there as v goes from 0 to 1."""
        at, _, dv = self._grid(u, v)
        return at, dv

    def _grid(self, u: FloatArray, v: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Points and first derivatives (nu, nv, 3) over a grid."""
        across = BSpline(self.knots[1], np.moveaxis(self.poles, 1, 0), self.degrees[1])
        out = []
        for dv in (0, 1):
            some = np.moveaxis(np.asarray(across(v, nu=dv)), 0, 1)
            along = BSpline(self.knots[0], some, self.degrees[0])
            out += [np.asarray(along(u, nu=du)) for du in ((0, 1) if dv == 0 else (0,))]
        h, hu, hv = out
        w = h[..., 3:]
        at = h[..., :3] / w
        return at, (hu[..., :3] - at * hu[..., 3:]) / w, (hv[..., :3] - at * hv[..., 3:]) / w


def surface_through(
    curves: Sequence[Spline], frames: Sequence[Frame], heights: FloatArray | None = None, square: float = 0.0
) -> SurfacePatch:
    """The surface through curves that lie in planes of their own: ruled between two, cubic across more. `heights`: the
    parameters (k,) of the curves across, 0 to 1, where they are given. `square`: how fast (mm) it leaves the first
    plane and meets the last, square to them; 0 for no matter how."""
    degree, knots, flat = in_one_basis(curves)
    poles = []
    for some, frame in zip(flat, frames, strict=True):
        w = some[:, 2:]
        poles.append(np.column_stack([frame.place(some[:, :2] / w) * w, w]))
    stack = np.array(poles)
    count = len(curves)
    if square:
        v = heights if heights is not None else heights_of(stack)
        ways = [np.pad(stack[k, :, 3:] * square * np.array(frames[k].normal), ((0, 0), (0, 1))) for k in (0, -1)]
        bounds: Any = ([(1, ways[0])], [(1, ways[1])])
        made = make_interp_spline(v, stack, k=3, bc_type=bounds)
        return _across(made, stack, 3, degree, knots)
    if count == 2:
        return SurfacePatch((degree, 1), (knots, np.array([0.0, 0.0, 1.0, 1.0])), np.moveaxis(stack, 0, 1))
    v = heights if heights is not None else heights_of(stack)
    across = min(3, count - 1)
    return _across(make_interp_spline(v, stack, k=across), stack, across, degree, knots)


def _across(made: BSpline, stack: FloatArray, across: int, degree: int, knots: FloatArray) -> SurfacePatch:
    """The surface of curves over one basis whose poles were interpolated across."""
    knots_across = np.asarray(made.t, float)
    knots_across[: across + 1], knots_across[-across - 1 :] = 0.0, 1.0
    inner = np.asarray(made.c, float)
    inner[0], inner[-1] = stack[0], stack[-1]
    return SurfacePatch((degree, across), (knots, knots_across), np.moveaxis(inner, 0, 1))


def heights_of(places: FloatArray) -> FloatArray:
    """Parameters (k,) across curves by the mean way between their points (k, n, 3 or more), 0 to 1."""
    steps = np.linalg.norm(np.diff(places[..., :3], axis=0), axis=-1).mean(axis=1)
    sums = np.concatenate([[0.0], np.cumsum(np.maximum(steps, TINY))])
    return np.asarray(sums / sums[-1])


def in_one_basis(curves: Sequence[Spline]) -> tuple[int, FloatArray, list[FloatArray]]:
    """Curves as poles times weights, and weights (n, 3), over one basis: its degree and knots. Exact: the basis holds
    them all, and poles are found by interpolation at its Greville abscissae."""
    degree = max(curve.degree for curve in curves)
    marks: dict[float, int] = {}
    for curve in curves:
        values, counts = np.unique(np.round(curve.knots, 12), return_counts=True)
        for value, count in zip(values.tolist(), counts.tolist(), strict=True):
            wanted = degree + 1 if value in (0.0, 1.0) else min(degree, count + degree - curve.degree)
            marks[value] = max(marks.get(value, 0), wanted)
    knots = np.repeat(sorted(marks), [marks[key] for key in sorted(marks)])
    count = len(knots) - degree - 1
    greville = np.array([float(knots[k + 1 : k + degree + 1].mean()) for k in range(count)])
    same = all(
        c.degree == degree and len(c.knots) == len(knots) and np.abs(c.knots - knots).max() <= ROUNDING for c in curves
    )
    basis = None if same else BSpline.design_matrix(np.clip(greville, 0.0, 1.0 - 1e-15), knots, degree).toarray()
    out = []
    for curve in curves:
        weights: FloatArray = np.ones(len(curve.poles)) if curve.weights is None else curve.weights
        own = np.column_stack([curve.poles * weights[:, None], weights])
        if basis is not None:
            own = np.asarray(np.linalg.solve(basis, np.asarray(BSpline(curve.knots, own, curve.degree)(greville))))
        out.append(own)
    return degree, knots, out
