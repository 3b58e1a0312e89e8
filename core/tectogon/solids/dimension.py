"""What a dimension on the part measures: a length, a diameter or an angle of one thing, a distance or an angle between
two.

Flat faces count as their planes, round edges as the axis through their centre, straight edges as lines. Between what is
parallel the distance is taken square to it; between what is not, the angle, unless two lines pass each other: then how
far. Free edges and faces have the least distance.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.errors import BadValue
from tectogon.solids import measure
from tectogon.solids.kernel import Shape
from tectogon.tolerances import HAIR
from tectogon.views.align import AXES

_PARALLEL = 1e-7
_PIECES = 1e-6
_MEETS = 1e-6
"""Two lines meet where they pass no further from each other than this share of how long they are."""


@dataclass(frozen=True)
class Thing:
    """A face or an edge as a dimension sees it: a plane by a point (3,) and its normal, a line or an axis by a point
    and its direction, of length 1; `size`: the length of an edge, or the radius of a round one (mm); `shape`:
    itself; `whole`: of a round one, whether it goes all round, alone or with its other pieces."""

    kind: Literal["plane", "line", "axis", "free"]
    point: FloatArray
    way: FloatArray
    size: float
    shape: Shape
    whole: bool = False


@dataclass(frozen=True)
class Measured:
    """What was measured: a length, a diameter or a radius in mm, an angle in degrees; and the two places (mm) it is
    drawn between."""

    kind: Literal["length", "diameter", "radius", "distance", "angle"]
    value: float
    start: tuple[float, float, float]
    end: tuple[float, float, float]


def face_thing(face: Shape) -> Thing:
    """A face as a dimension sees it."""
    plane = measure.plane_of(face)
    if plane is None:
        return Thing("free", np.array(measure.middle_of(face)), np.zeros(3), 0.0, face)
    return Thing("plane", *plane, 0.0, face)


def edge_thing(edge: Shape, among: Sequence[Shape] = ()) -> Thing:
    """An edge as a dimension sees it; `among`: all edges of its body, in which a circle may lie in pieces."""
    facts = measure.edge_facts(edge)
    ends = measure.edge_ends(edge)
    if facts["kind"] == "round":
        whole = _turned(facts, among or [edge]) >= TURN - _PIECES
        return Thing("axis", np.array(facts["point"]), np.array(facts["direction"]), facts["radius"], edge, whole)
    if facts["kind"] == "straight":
        return Thing("line", ends.mean(axis=0), np.array(facts["direction"]), facts["length"], edge)
    return Thing("free", ends.mean(axis=0), np.zeros(3), facts["length"], edge)


def _turned(facts: dict[str, Any], among: Sequence[Shape]) -> float:
    """How far round the edges go that lie on the same circle (radians)."""
    near = _MEETS * max(facts["radius"], 1.0)
    total = 0.0
    for edge in among:
        if measure.is_degenerate(edge):
            continue
        one: dict[str, Any] = measure.edge_facts(edge)
        if one["kind"] != "round" or abs(one["radius"] - facts["radius"]) > near:
            continue
        if float(np.abs(np.array(one["point"]) - facts["point"]).max()) <= near:
            total += one["length"] / one["radius"]
    return total


def measured(things: list[Thing], along: int | None = None) -> Measured:
    """What one thing measures, or what lies between two; `along`: only along that axis (0 x, 1 y, 2 z). Raises BadValue
    for a plane alone, two that coincide, or what has no place of its own along the axis."""
    if along is not None:
        return _along(things, along)
    if len(things) == 1:
        return _of_one(things[0])
    a, b = things
    if "free" in (a.kind, b.kind):
        apart, start, end = measure.distance(a.shape, b.shape)
        return _distance(apart, np.array(start), np.array(end))
    parallel = _parallel(a, b)
    if a.kind == "plane" or b.kind == "plane":
        plane, other = (a, b) if a.kind == "plane" else (b, a)
        if not parallel:
            return _angle(plane, other)
        off = float((other.point - plane.point) @ plane.way)
        return _distance(abs(off), other.point, other.point - off * plane.way)
    off_line = b.point - a.point
    if parallel:
        square = off_line - (off_line @ a.way) * a.way
        return _distance(float(np.linalg.norm(square)), a.point, a.point + square)
    across = np.cross(a.way, b.way)
    across /= np.linalg.norm(across)
    gap = float(off_line @ across)
    if abs(gap) <= _MEETS * max(float(np.linalg.norm(off_line)), a.size, b.size):
        return _angle(a, b)
    matrix = np.column_stack([a.way, -b.way, across])
    along, _, _ = np.linalg.solve(matrix, off_line)
    foot = a.point + along * a.way
    return _distance(abs(gap), foot, foot + gap * across)


def _of_one(thing: Thing) -> Measured:
    if thing.kind == "axis":
        x = np.cross(thing.way, [1.0, 0.0, 0.0] if abs(thing.way[0]) < 0.9 else [0.0, 1.0, 0.0])
        reach = thing.size * x / np.linalg.norm(x)
        if not thing.whole:
            ends = measure.edge_ends(thing.shape)
            return Measured("radius", thing.size, _triple(thing.point), _triple(ends[0]))
        return Measured("diameter", 2.0 * thing.size, _triple(thing.point - reach), _triple(thing.point + reach))
    if thing.kind == "plane" or thing.size <= HAIR:
        raise BadValue("A face alone has no length; press a second face or edge, or an edge of its own.")
    ends = measure.edge_ends(thing.shape)
    return Measured("length", thing.size, _triple(ends[0]), _triple(ends[1]))


def _along(things: list[Thing], axis: int) -> Measured:
    """How far apart two things are along an axis, or the ends of one edge."""
    if len(things) == 1:
        if things[0].kind == "plane":
            raise BadValue("A face alone has no length; press a second face or edge, or an edge of its own.")
        start, end = measure.edge_ends(things[0].shape)
    else:
        for thing in things:
            off = np.delete(thing.way, axis) if thing.kind == "plane" else thing.way[axis : axis + 1]
            if thing.kind == "free" or float(np.linalg.norm(off)) > _MEETS:
                raise BadValue(f"What was pressed has no one place along {AXES[axis]}: it runs aslant to it.")
        start, end = (t.point for t in things)
    # the dimension line starts at the first thing, and the second is reached square to it
    end = start + (end - start)[axis] * np.eye(3)[axis]
    return _distance(float(abs(end - start)[axis]), start, end)


def _parallel(a: Thing, b: Thing) -> bool:
    """Whether the distance between two things makes sense: planes or lines that run alike, or a line along a plane."""
    cosine = abs(float(a.way @ b.way))
    mixed = (a.kind == "plane") != (b.kind == "plane")
    return cosine <= _PARALLEL if mixed else float(np.linalg.norm(np.cross(a.way, b.way))) <= _PARALLEL


def _angle(a: Thing, b: Thing) -> Measured:
    """The smaller angle between two planes, two lines, or a line and a plane."""
    cosine = min(1.0, abs(float(a.way @ b.way)))
    angle = math.degrees(math.acos(cosine))
    if (a.kind == "plane") != (b.kind == "plane"):
        angle = 90.0 - angle
    return Measured("angle", angle, _triple(a.point), _triple(b.point))


def _distance(value: float, start: FloatArray, end: FloatArray) -> Measured:
    if value <= _MEETS:
        raise BadValue("These two lie on each other: there is nothing between them to dimension.")
    return Measured("distance", value, _triple(start), _triple(end))


def _triple(point: FloatArray) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in point)
    return x, y, z
