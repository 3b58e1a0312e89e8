"""Linework as SVG in millimetres, y turned downwards: lines, arcs and Béziers; splines become cubic Béziers within a
stated distance."""

from __future__ import annotations

import math
from xml.sax.saxutils import quoteattr

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, Line, Spline
from tectogon.errors import NothingToBuild
from tectogon.linework import Linework
from tectogon.profiles.chains import Chain, find_chains
from tectogon.tolerances import resolution

_CLOSE = 1e-3
_MARGIN = 1.0


def linework_as_svg(linework: Linework) -> bytes:
    """All curves, a group for each layer, closed paths where they close. Raises NothingToBuild on an empty drawing.

    Splines of degree 3 or less are written exactly where they are not rational; others within 0.001 mm.
    """
    if not len(linework):
        raise NothingToBuild("There is no linework to write.")
    x0, y0, x1, y1 = linework.extents.tolist()
    wide, high = x1 - x0 + 2 * _MARGIN, y1 - y0 + 2 * _MARGIN
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        (
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.9g}mm" height="{high:.9g}mm" viewBox="0 0'
            f' {wide:.9g} {high:.9g}">'
        ),
        (
            f'<g transform="translate({_MARGIN - x0:.12g} {y1 + _MARGIN:.12g}) scale(1 -1)" fill="none"'
            ' stroke="#000000" stroke-width="0.25">'
        ),
    ]
    for number in np.unique(linework.layer_of).tolist():
        table = linework.table.take(linework.layer_of == number)
        out.append(f"<g id={quoteattr(linework.layers[number].name)}>")
        for chain in find_chains(table, join_tol=resolution(linework.size)):
            out.append(f'<path d="{_path(table, chain)}"/>')
        out.append("</g>")
    return "\n".join([*out, "</g>", "</svg>", ""]).encode()


def _path(table: CurveTable, chain: Chain) -> str:
    words: list[str] = []
    for row, against in zip(chain.rows.tolist(), chain.against.tolist(), strict=True):
        curve = table.curve(row)
        ends = np.asarray(curve.points(np.array([1.0, 0.0] if against else [0.0, 1.0])))
        if not words:
            words.append(f"M {_xy(ends[0])}")
        words += _segments(curve, against, ends)
    return " ".join([*words, "Z"] if chain.closed else words)


def _segments(curve: Curve, against: bool, ends: np.ndarray) -> list[str]:
    if isinstance(curve, Line):
        return [f"L {_xy(ends[1])}"]
    if isinstance(curve, Spline):
        return [f"C {_xy(b)} {_xy(c)} {_xy(d)}" for b, c, d in _cubics(curve, against)]
    sweep = -curve.sweep if against else curve.sweep
    if isinstance(curve, Arc):
        rx = ry = curve.radius
        tilt = 0.0
    else:
        rx, tilt = math.hypot(curve.mx, curve.my), math.degrees(math.atan2(curve.my, curve.mx))
        ry = rx * curve.ratio
    parts = max(1, math.ceil(abs(sweep) / (0.7 * math.pi)))  # half turns would leave the centre to rounding
    points = np.asarray(curve.points(np.linspace(1.0, 0.0, parts + 1) if against else np.linspace(0.0, 1.0, parts + 1)))
    large = int(abs(sweep) / parts > math.pi)
    return [f"A {rx:.12g} {ry:.12g} {tilt:.12g} {large} {int(sweep > 0)} {_xy(p)}" for p in points[1:]]


def _cubics(spline: Spline, against: bool) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    """Cubic Béziers: the spans themselves where they are cubic or less, else Hermite pieces halved until they are close
    enough."""
    if against:
        spline = spline.reversed()
    out = []
    for a, b in zip(spline.spans[:-1].tolist(), spline.spans[1:].tolist(), strict=True):
        if spline.weights is None and spline.degree <= 3:
            p = spline.part(a, b).poles
            while len(p) < 4:
                n = len(p)
                share = np.arange(1, n)[:, None] / n
                p = np.concatenate([p[:1], share * p[:-1] + (1 - share) * p[1:], p[-1:]])
            out.append((p[1], p[2], p[3]))
        else:
            out += _hermite(spline, a, b, 0)
    return out


def _hermite(spline: Spline, a: float, b: float, depth: int) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    (p, q), (dp, dq) = spline.points(np.array([a, b])), spline.derivatives(np.array([a, b]))
    third = (b - a) / 3.0
    c, d = p + third * dp, q - third * dq
    t = np.array([0.25, 0.5, 0.75])[:, None]
    cubic = (1 - t) ** 3 * p + 3 * t * (1 - t) ** 2 * c + 3 * t * t * (1 - t) * d + t**3 * q
    off = np.hypot(*(cubic - spline.points(a + (b - a) * t[:, 0])).T).max()
    if off <= _CLOSE or depth >= 12:
        return [(c, d, q)]
    middle = (a + b) / 2.0
    return _hermite(spline, a, middle, depth + 1) + _hermite(spline, middle, b, depth + 1)


def _xy(p: np.ndarray) -> str:
    return f"{p[0]:.12g} {p[1]:.12g}"
