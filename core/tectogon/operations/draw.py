"""Draw what is missing: a line, a rectangle, a circle, an arc through three points or about a centre, a spline through
points."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.fit import spline_through
from tectogon.curves.shapes import TURN
from tectogon.errors import BadValue, Unfinished
from tectogon.tolerances import HAIR, ROUNDING, TINY
from tectogon.units import parse_length
from tectogon.workpiece.made_curves import with_drawn
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import OWN, OwnLength, Params, PointPick
from tectogon.workpiece.point_picks import points_of
from tectogon.workpiece.sentence import Sentence, choice_token, length_token, points_token, words

Shape = Literal["line", "chain", "rectangle", "circle", "arc_through", "arc_about", "arc_of_radius", "spline"]
SHAPES = {
    "line": "a line",
    "chain": "a chain of lines",
    "rectangle": "a rectangle",
    "circle": "a circle",
    "arc_through": "an arc through three points",
    "arc_about": "an arc about a centre",
    "arc_of_radius": "an arc of a radius between two points",
    "spline": "a smooth curve through points",
}
_WANTED = {
    "line": 2,
    "chain": 40,
    "rectangle": 2,
    "circle": 1,
    "arc_through": 3,
    "arc_about": 3,
    "arc_of_radius": 2,
    "spline": 40,
}


class DrawParams(Params):
    """`length`: of a line along its direction, or the radius; none, or 0, takes it from the points."""

    shape: Shape = "line"
    points: tuple[PointPick, ...] = ()
    length: OwnLength = OWN


def _typed(params: DrawParams) -> float:
    """The length or radius that was typed, mm; 0 for none."""
    return 0.0 if params.length == OWN else parse_length(params.length)


def curves_of(shape: str, p: FloatArray, length: float) -> list[Curve]:
    """The curves of a shape through points (k, 2). Raises BadValue where they make none."""
    if shape in ("line", "chain"):
        if shape == "line" and length > 0:
            way = (p[1] - p[0]) / max(float(np.hypot(*(p[1] - p[0]))), TINY)
            p = np.array([p[0], p[0] + length * way])
        return [Line(*a, *b) for a, b in zip(p[:-1].tolist(), p[1:].tolist(), strict=True)]
    if shape == "rectangle":
        (x0, y0), (x1, y1) = p[:2].tolist()
        corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
        return [Line(*a, *b) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]
    if shape == "circle":
        radius = length if length > 0 else float(np.hypot(*(p[1] - p[0]))) if len(p) > 1 else 0.0
        if radius <= 0:
            raise BadValue("Type the radius of the circle, or press a second point on it.")
        return [Arc(float(p[0, 0]), float(p[0, 1]), radius, 0.0, TURN)]
    if shape == "arc_through":
        return [_through(*p[:3])]
    if shape == "arc_about":
        return [_about(*p[:3])]
    if shape == "arc_of_radius":
        return [_of_radius(p[0], p[1], length)]
    return [spline_through(p)]


def _through(a: FloatArray, b: FloatArray, c: FloatArray) -> Arc:
    """The arc from a through b to c."""
    u, v = b - a, c - a
    cross = float(u[0] * v[1] - u[1] * v[0])
    if abs(cross) <= HAIR * float(np.hypot(*u) * np.hypot(*v)):
        raise BadValue("The three points lie on one line; no arc goes through them.")
    uu, vv = float(u @ u), float(v @ v)
    centre = a + np.array([v[1] * uu - u[1] * vv, u[0] * vv - v[0] * uu]) / (2.0 * cross)
    angles = [math.atan2(q[1] - centre[1], q[0] - centre[0]) for q in (a, b, c)]
    sweep = (angles[2] - angles[0]) % TURN
    if (angles[1] - angles[0]) % TURN > sweep:
        sweep -= TURN
    return Arc(float(centre[0]), float(centre[1]), float(np.hypot(*(a - centre))), angles[0], sweep)


def _about(centre: FloatArray, start: FloatArray, end: FloatArray) -> Arc:
    """The arc about a centre from a point, counter-clockwise to the direction of another."""
    first, last = (math.atan2(q[1] - centre[1], q[0] - centre[0]) for q in (start, end))
    radius = float(np.hypot(*(start - centre)))
    if radius <= 0:
        raise BadValue("The arc starts at its own centre.")
    return Arc(float(centre[0]), float(centre[1]), radius, first, (last - first) % TURN or TURN)


def _of_radius(a: FloatArray, b: FloatArray, radius: float) -> Arc:
    """The lesser arc of a radius from a to b, its centre on the left of the way from a to b."""
    chord = float(np.hypot(*(b - a)))
    if radius <= 0 or chord > 2.0 * radius * (1 + ROUNDING) or chord == 0:
        raise BadValue(f"The radius must be half the distance of the points or more ({chord / 2.0:.4g} mm).")
    rise = math.sqrt(max(radius * radius - chord * chord / 4.0, 0.0))
    left = np.array([-(b - a)[1], (b - a)[0]]) / chord
    centre = (a + b) / 2.0 + rise * left
    first, last = (math.atan2(q[1] - centre[1], q[0] - centre[0]) for q in (a, b))
    return Arc(float(centre[0]), float(centre[1]), radius, first, (last - first) % TURN)


def apply(workpiece: Workpiece, params: DrawParams, context: Context) -> Workpiece:
    """Add the drawn curves (mm) on a layer of their own.

    Raises Unfinished for too few points, BadValue where they give no curve.
    """
    least = {"chain": 2, "spline": 2}.get(params.shape, _WANTED[params.shape])
    if len(params.points) < least:
        raise Unfinished(
            f"Press {least - len(params.points)} more {'point' if least - len(params.points) == 1 else 'points'} on the"
            " sheet."
        )
    points = points_of(workpiece.drawing.linework, params.points)
    points = (
        points[np.concatenate([[True], np.hypot(*np.diff(points, axis=0).T) > 1e-9])] if len(points) > 1 else points
    )
    if len(points) < min(least, 2) and params.shape != "circle":
        raise BadValue("The points lie on top of each other.")
    made = CurveTable.of(curves_of(params.shape, points, _typed(params)))
    return with_drawn(workpiece, made, context.number)


def sentence(params: DrawParams, workpiece: Workpiece | None) -> Sentence:
    wanted = 2 if params.shape == "circle" and _typed(params) == 0 else _WANTED[params.shape]
    out = [
        words("Draw "),
        choice_token("shape", params.shape, SHAPES),
        words(": "),
        points_token("points", params.points, wanted, drawn=True),
    ]
    shown = params.length if _typed(params) else OWN
    if params.shape in ("circle", "arc_of_radius"):
        out += [words(", radius "), length_token("length", shown, "by its points")]
    elif params.shape == "line":
        out += [words(", length "), length_token("length", shown, "by its points")]
    return out


OPERATION = Operation(
    "draw",
    "tidy",
    "Draw",
    "A line, arc, circle or curve that is missing",
    DrawParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
    begins_sheet=True,
)
