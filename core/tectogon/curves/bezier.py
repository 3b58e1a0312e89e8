"""Many Bézier curves of one degree at once: splines of a single span, which is what SVG and PDF hold, worked as arrays.

Poles have shape (k, degree + 1, 2), one curve a row; t has shape (k,) or (k, m). Source of the formulas: de Casteljau's
algorithm; chord deviation after Wang (1984): a curve of degree n split into m equal steps strays from its chords by at
most n (n - 1) / 8 · max |second difference of the poles| / m².
"""

from __future__ import annotations

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.spline import gauss_nodes


def points(poles: FloatArray, t: FloatArray) -> FloatArray:
    """Points (k, 2) at t (k,), or (k, m, 2) at t (k, m)."""
    many = t.ndim == 2
    if poles.shape[1] == 1:  # the slope of a straight one
        return np.broadcast_to(poles if many else poles[:, 0], (*t.shape, 2))
    work = poles[:, None] if many else poles
    s = t[..., None, None]
    for _ in range(poles.shape[1] - 1):
        work = work[..., :-1, :] + s * (work[..., 1:, :] - work[..., :-1, :])
    return np.asarray(work[..., 0, :])


def hodograph(poles: FloatArray) -> FloatArray:
    """The poles of the first derivative by t."""
    return (poles.shape[1] - 1) * np.diff(poles, axis=1)


def steps_for(poles: FloatArray, chord_tol: float) -> FloatArray:
    """How many equal steps of t keep chords within `chord_tol` (k,), at least 2 for a curve that bends."""
    degree = poles.shape[1] - 1
    if degree < 2:
        return np.ones(len(poles), np.int64)
    bend = np.hypot(*np.diff(poles, n=2, axis=1).transpose(2, 0, 1)).max(axis=1)
    return np.maximum(2, np.ceil(np.sqrt(degree * (degree - 1) / 8.0 * bend / chord_tol)))


def part(poles: FloatArray, t0: FloatArray, t1: FloatArray) -> FloatArray:
    """Poles of the pieces from t0 (k,) to t1 (k,): the blossom of each curve at every mix of the two."""
    degree = poles.shape[1] - 1
    out = np.empty_like(poles)
    a, b = t0[:, None, None], t1[:, None, None]
    for late in range(degree + 1):
        work = poles
        for k in range(degree):
            work = work[:, :-1] + (b if k < late else a) * (work[:, 1:] - work[:, :-1])
        out[:, late] = work[:, 0]
    return out


def lengths(poles: FloatArray) -> FloatArray:
    """Lengths (k,) by Gauss quadrature; NaN where panels of a sixteenth do not settle it to 1e-10 (a cusp inside)."""
    slope = hodograph(poles)
    nodes, weights = gauss_nodes(16)
    out = np.full(len(poles), np.nan)
    left = np.arange(len(poles))
    before = np.full(len(poles), -1.0)
    for panels in (1, 2, 4, 8, 16):
        t = (np.arange(panels)[:, None] + (nodes + 1.0) / 2.0).ravel() / panels
        speed = points(slope[left], np.broadcast_to(t, (len(left), len(t))))
        now = np.hypot(speed[..., 0], speed[..., 1]) @ np.tile(weights / (2.0 * panels), panels)
        settled = np.abs(now - before) <= 1e-10 * now
        out[left[settled]] = now[settled]
        left, before = left[~settled], now[~settled]
        if not len(left):
            break
    return out


def area_moments(poles: FloatArray) -> FloatArray:
    """What each curve adds to area and first moments (k, 3), as in moments.py; exact for polynomials."""
    nodes, weights = gauss_nodes(2 * poles.shape[1])
    t = np.broadcast_to((nodes + 1.0) / 2.0, (len(poles), len(nodes)))
    (x, y), (dx, dy) = points(poles, t).transpose(2, 0, 1), points(hodograph(poles), t).transpose(2, 0, 1)
    w = weights / 2.0
    return np.column_stack([(x * dy - y * dx) @ w / 2.0, (x * x * dy) @ w / 2.0, -((y * y * dx) @ w) / 2.0])
