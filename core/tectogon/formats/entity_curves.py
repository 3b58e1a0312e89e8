"""The curves of each kind of entity, as DXF and DWG know them: true lines, arcs, ellipses and splines in the sheet's
plane."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from ezdxf.math import fit_points_to_cad_cv

from tectogon.curves import Arc, Curve, EllipticArc, Line, Spline
from tectogon.curves.shapes import TURN, arc_through_bulge
from tectogon.tolerances import ANGLE_TOL, HAIR, TINY

# curves of each entity kind: (curves, whether to mirror them from the entity's own frame), or None where not parallel
# to the sheet

Made = tuple[list[Curve], bool] | None

_LEVEL = 1e-5
"""A frame tilted by less than this (radians) is the sheet's: what is drawn in it is off by less than a ten-billionth of
its size."""


def _facing(dxf: Any) -> int:
    """+1 or -1 where the entity's own frame is the sheet or the sheet seen from behind, else 0."""
    extrusion = vars(dxf).get("extrusion")
    if extrusion is None:
        return 1
    x, y, z = extrusion
    if max(abs(x), abs(y)) > _LEVEL * abs(z):
        return 0
    return 1 if z > 0 else -1


def _line(entity: Any) -> Made:
    a, b = entity.dxf.start, entity.dxf.end
    return [Line(a.x, a.y, b.x, b.y)], False


def _arc(entity: Any) -> Made:
    dxf = entity.dxf
    facing = _facing(dxf)
    if not facing:
        return None
    c, r = dxf.center, abs(dxf.radius)
    if r == 0:
        return [], False
    start = math.radians(dxf.start_angle)
    sweep = math.radians((dxf.end_angle - dxf.start_angle) % 360.0) or TURN
    return [Arc(c.x, c.y, r, start, sweep)], facing < 0


def _circle(entity: Any) -> Made:
    dxf = entity.dxf
    facing = _facing(dxf)
    if not facing:
        return None
    c, r = dxf.center, abs(dxf.radius)
    return ([Arc(c.x, c.y, r, 0.0, TURN)] if r else []), facing < 0


def _ellipse(entity: Any) -> Made:
    dxf = entity.dxf
    facing = _facing(dxf)
    if not facing or abs(dxf.major_axis.z) > HAIR * dxf.major_axis.magnitude:
        return None
    c, m = dxf.center, dxf.major_axis
    sweep = (dxf.end_param - dxf.start_param) % TURN or TURN
    if TURN - sweep < ANGLE_TOL:
        sweep = TURN
    return [EllipticArc(c.x, c.y, m.x, m.y, dxf.ratio, facing * dxf.start_param, facing * sweep)], False


def _spline(entity: Any) -> Made:
    poles = np.array(entity.control_points, float).reshape(-1, 3)
    if not len(poles):
        fit = np.array(entity.fit_points, float).reshape(-1, 3)
        if len(fit) < 2:
            return [], False
        made = fit_points_to_cad_cv(fit.tolist())
        poles, knots, weights, degree = (
            np.array([tuple(p) for p in made.control_points]),
            np.array(made.knots()),
            None,
            made.degree,
        )
    else:
        knots, degree = np.array(entity.knots, float), int(entity.dxf.degree)
        weights = np.array(entity.weights, float) if len(entity.weights) else None
    return [Spline.of(degree, knots, poles[:, :2], weights)], False


def polyline_curves(points: list[list[float]], closed: bool) -> list[Curve]:
    """Curves through vertices: x, y, bulge each."""
    out: list[Curve] = []
    following = [*points[1:], points[0]] if closed and points else points[1:]
    for (x0, y0, bulge), (x1, y1, _) in zip(points, following, strict=False):
        if x0 != x1 or y0 != y1:
            out.append(Line(x0, y0, x1, y1) if bulge == 0.0 else arc_through_bulge((x0, y0), (x1, y1), bulge))
    return out


def _lwpolyline(entity: Any) -> Made:
    facing = _facing(entity.dxf)
    if not facing:
        return None
    values = np.asarray(entity.lwpoints.values, float).ravel().tolist()
    return (
        polyline_curves(
            [[values[i], values[i + 1], values[i + 4]] for i in range(0, len(values), 5)], bool(entity.closed)
        ),
        facing < 0,
    )


def _polyline(entity: Any) -> Made:
    if entity.is_poly_face_mesh or entity.is_polygon_mesh:
        return None
    corners = [v for v in entity.vertices if not v.dxf.get("flags", 0) & 16]
    points = np.array([(*v.dxf.location, v.dxf.get("bulge", 0.0)) for v in corners], float).reshape(-1, 4)
    if entity.is_3d_polyline:
        facing = 1
    else:
        facing = _facing(entity.dxf)
        if not facing:
            return None
    return polyline_curves(points[:, [0, 1, 3]].tolist(), bool(entity.is_closed)), facing < 0


RISING = ("LINE", "SPLINE", "POLYLINE")
"""Kinds of entity that can rise out of the sheet's plane."""


def rise_of(entity: Any, kind: str) -> float:
    """How far a line, spline or polyline in space rises out of the sheet's plane, in file units; 0 where that is no
    more than rounding.

    Such curves are given as seen from the top.
    """
    if kind == "LINE":
        a, b = entity.dxf.start, entity.dxf.end
        rise = abs(a.z - b.z)
        return rise if rise > HAIR * max(abs(b.x - a.x), abs(b.y - a.y), TINY) else 0.0
    if kind == "SPLINE":
        places = np.array(entity.control_points if len(entity.control_points) else entity.fit_points, float).reshape(
            -1, 3
        )
    elif kind == "POLYLINE" and entity.is_3d_polyline:
        places = np.array([tuple(v.dxf.location) for v in entity.vertices], float).reshape(-1, 3)
    else:
        return 0.0
    if not len(places):
        return 0.0
    rise = float(np.ptp(places[:, 2]))
    return rise if rise > HAIR * max(float(np.ptp(places[:, :2], axis=0).max()), TINY) else 0.0


CURVES: dict[str, Callable[[Any], Made]] = {
    "LINE": _line,
    "ARC": _arc,
    "CIRCLE": _circle,
    "ELLIPSE": _ellipse,
    "SPLINE": _spline,
    "LWPOLYLINE": _lwpolyline,
    "POLYLINE": _polyline,
}
