"""The corners of a tray whose walls meet: parted, so that it unfolds. One wall goes through to the corner, the other
ends a gap before it, and a square is taken out where their bends would meet."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tectogon.bending.faces import SMOOTH, SheetFaces, triple
from tectogon.building.outlines import outline_of, polygon, raised
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild, Place
from tectogon.solids import measure
from tectogon.solids.features import Feature
from tectogon.views import Frame

_SQUARE = 1e-6


@dataclass(frozen=True)
class _Inner:
    """An inner edge between two faces of the sheet that stand square to each other: its number, the faces, its ends (2,
    3)."""

    edge: int
    faces: tuple[int, int]
    ends: FloatArray


def corner_cuts(faces: SheetFaces, fixed: int, thick: float, radius: float, gap: float, step: int) -> list[Feature]:
    """What is cut away so that walls that meet in a corner part, for a sheet of a thickness with an inner radius and a
    gap (mm). None where no three faces meet. Raises BadValue for a gap of nothing, NothingToBuild where walls do not
    meet square."""
    if gap <= 0.0:
        raise BadValue("The gap between the walls of a corner must be more than nothing; type 0.2 mm or so.")
    base = {n for n in (fixed, faces.mate(fixed, thick)) if n is not None}
    edges = list(_inner_edges(faces, thick))
    out: list[Feature] = []
    for one in edges:
        if base & set(one.faces):
            continue
        for k in (0, 1):
            floor = _floor_at(faces, one.ends[k], one, edges)
            if floor is not None:
                out += _cuts(faces, one, k, floor, (thick, radius, gap), step, 100 * len(out))
                break
    return out


def _inner_edges(faces: SheetFaces, thick: float) -> Iterator[_Inner]:
    for e, found in enumerate(faces.edges):
        if found is None or found.angle <= math.pi + SMOOTH:
            continue
        if measure.edge_facts(faces.body.edges[e])["kind"] != "straight":
            continue
        a, b = faces.along[e]
        if all(faces.facts[f]["kind"] == "flat" and faces.mate(f, thick) is not None for f in (a, b)):
            yield _Inner(e, (a, b), measure.edge_ends(faces.body.edges[e]))


def _floor_at(faces: SheetFaces, point: FloatArray, wall: _Inner, edges: list[_Inner]) -> int | None:
    """The face that both walls of an edge stand on at one end of it."""
    beside = [
        set(e.faces)
        for e in edges
        if e.edge != wall.edge and np.linalg.norm(e.ends - point, axis=1).min() <= 10.0 * faces.near
    ]
    shared = [
        {*a} & {*b} - {*wall.faces}
        for n, a in enumerate(beside)
        for b in beside[n + 1 :]
        if a & {*wall.faces} and b & {*wall.faces} and a & {*wall.faces} != b & {*wall.faces}
    ]
    return next((min(s) for s in shared if s), None)


def _cuts(
    faces: SheetFaces, wall: _Inner, end: int, floor: int, sizes: tuple[float, float, float], step: int, first: int
) -> list[Feature]:
    thick, radius, gap = sizes
    a, b, up = (faces.normal(f) for f in (*wall.faces, floor))
    corner, far = wall.ends[end], wall.ends[1 - end]
    if max(abs(float(p @ q)) for p, q in ((a, b), (b, up), (a, up))) > _SQUARE:
        x, y, z = corner.tolist()
        raise NothingToBuild(
            f"The walls at x {x:.2f}, y {y:.2f}, z {z:.2f} mm do not meet square: part this corner by a cut of your"
            " own.",
            Place(point=triple(corner)),
        )
    if float(np.cross(a, b) @ up) < 0.0:
        a, b = b, a
    frame = Frame(triple(corner), triple(a), triple(b))
    high, reach = float((far - corner) @ up), max(radius, gap)
    place = Place(point=triple(corner))
    square = outline_of(
        polygon((-2 * thick, -2 * thick), (reach, -2 * thick), (reach, reach), (-2 * thick, reach)), step, first
    )
    slot = outline_of(polygon((0.0, -2 * thick), (gap, -2 * thick), (gap, 0.0), (0.0, 0.0)), step, first + 10)
    return [
        raised(square, frame, -2.0 * thick, reach, step, place),
        raised(slot, frame, reach, high + thick, step, place),
    ]
