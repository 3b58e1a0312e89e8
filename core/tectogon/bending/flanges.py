"""A flange on an edge of a sheet part: a bend that begins there, or a little before so that it stands flush, and a flat
piece."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tectogon.bending.faces import SheetFaces, triple
from tectogon.building.outlines import outline_of, polygon, raised
from tectogon.curves import Arc, Line
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild, Place
from tectogon.solids import measure
from tectogon.solids.features import Feature
from tectogon.views import Frame

_LEAST = 1e-3
_SQUARE = 1e-6
_NAMES = 20


@dataclass(frozen=True)
class Flange:
    """Its length outside (mm), from where the outer faces would meet (beyond 90° from the outermost point of the bend);
    the angle turned through (radians), the inner radius, how far it stays off both ends of the edge (mm), and whether
    its outside is flush with the edge instead of standing beyond it."""

    length: float
    angle: float
    radius: float
    insets: tuple[float, float]
    flush: bool

    def flat(self, thick: float) -> float:
        """The length of its flat piece (mm)."""
        return self.length - self.setback(thick)

    def setback(self, thick: float) -> float:
        """From the beginning of the bend to the outside (mm)."""
        return (self.radius + thick) * math.tan(min(self.angle, math.pi / 2.0) / 2.0)


def flange_on(
    faces: SheetFaces, edge: int, thick: float, flange: Flange, step: int, count: int
) -> tuple[Feature | None, Feature]:
    """What is cut away for a flange on an edge of a sheet (by its number), if anything, and the flange itself; `count`
    tells flanges of one step apart.

    Raises NothingToBuild where the edge is no rim of the sheet, BadValue for values that leave nothing.
    """
    a, b = _ends(faces, edge)
    up, out = _sides(faces, edge, thick)
    along = b - a
    size = float(np.linalg.norm(along))
    along = along / size
    place = Place(point=triple((a + b) / 2.0))
    _check(flange, thick, size, place)
    if float(np.cross(out, up) @ along) < 0.0:
        a, along = b, -along
    frame = Frame(triple(a), triple(out), triple(up))
    low, high = flange.insets[0], size - flange.insets[1]
    start = -flange.setback(thick) if flange.flush else 0.0
    first = _NAMES * count
    tool = raised(outline_of(_section(flange, thick, start), step, first), frame, low, high, step, place)
    if not flange.flush:
        return None, tool
    away = polygon((start, -thick), (thick, -thick), (thick, 0.0), (start, 0.0))
    return raised(outline_of(away, step, first + _NAMES // 2), frame, low, high, step, place), tool


def _ends(faces: SheetFaces, edge: int) -> tuple[FloatArray, FloatArray]:
    facts = measure.edge_facts(faces.body.edges[edge])
    ends = measure.edge_ends(faces.body.edges[edge])
    if facts["kind"] != "straight":
        raise NothingToBuild(
            "A flange stands on a straight edge; this one is curved.", Place(point=triple(ends.mean(axis=0)))
        )
    return ends[0], ends[1]


def _sides(faces: SheetFaces, edge: int, thick: float) -> tuple[FloatArray, FloatArray]:
    """The outward normals of the sheet's face along an edge and of its rim there."""
    flat = [f for f in faces.along[edge] if faces.facts[f]["kind"] == "flat"]
    sheet = [f for f in flat if faces.mate(f, thick) is not None]
    rim = [f for f in flat if f not in sheet]
    place = Place(point=triple(measure.edge_ends(faces.body.edges[edge]).mean(axis=0)))
    if len(sheet) != 1 or len(rim) != 1:
        raise NothingToBuild(
            "This edge is no rim of the sheet: a flange stands on an edge between one of its sides and the rim.", place
        )
    up, out = faces.normal(sheet[0]), faces.normal(rim[0])
    if abs(float(up @ out)) > _SQUARE:
        raise NothingToBuild("The rim is not square to the sheet here; no flange can stand on it.", place)
    return up, out


def _check(flange: Flange, thick: float, size: float, place: Place) -> None:
    if not 0.0 < flange.angle < math.pi - 1e-6:
        raise BadValue("A flange turns through more than 0° and less than 180°.", place)
    if flange.radius <= 0.0:
        raise BadValue("A bend needs an inner radius above 0 mm: the sheet would break.", place)
    if flange.flat(thick) < _LEAST:
        raise BadValue(
            f"The flange is all bend: make it longer than {flange.setback(thick):.4g} mm, or its radius smaller.", place
        )
    if min(flange.insets) < 0.0 or sum(flange.insets) > size - _LEAST:
        raise BadValue(
            f"Nothing is left of the flange: the edge is {size:.4g} mm long, what it stays off its ends must be less.",
            place,
        )


def _section(flange: Flange, thick: float, start: float) -> list[Arc | Line]:
    """The flange across: x outwards from the edge, y up from the sheet's side."""
    r, a = flange.radius, flange.angle
    way = np.array([math.cos(a), math.sin(a)])
    inner = np.array([start + r * math.sin(a), r - r * math.cos(a)])
    outer = np.array([start + (r + thick) * math.sin(a), r - (r + thick) * math.cos(a)])
    far = flange.flat(thick) * way
    return [
        Arc(start, r, r, -math.pi / 2.0, a),
        Line(*map(float, (*inner, *(inner + far)))),
        Line(*map(float, (*(inner + far), *(outer + far)))),
        Line(*map(float, (*(outer + far), *outer))),
        Arc(start, r, r + thick, -math.pi / 2.0 + a, -a),
        Line(start, -thick, start, 0.0),
    ]
