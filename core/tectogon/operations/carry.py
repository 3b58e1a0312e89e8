"""Carry a profile along a path: handles, tubes, frames, seals, grooves."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.errors import BadValue, NothingToBuild, NotPossible, Unfinished
from tectogon.profiles import Region
from tectogon.profiles.paths import Path, path_of, rounded, way_at
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length, parse_number
from tectogon.views import Frame
from tectogon.workpiece.made_curves import picked_rows
from tectogon.workpiece.making import Result, result_tokens
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Angle, BodyPick, Length, Params, PointPick, ProfileChoice
from tectogon.workpiece.point_picks import points_of
from tectogon.workpiece.profile_picks import chosen_regions
from tectogon.workpiece.sentence import (
    Sentence,
    choice_token,
    curves_token,
    length_token,
    number_token,
    points_token,
    profiles_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.building.along import Carried

HELD = {"centroid": "held at its centroid", "point": "held at", "placed": "from where it lies in space"}
STANDS = {"square": "square to it", "parallel": "kept parallel to itself"}
CORNERS = {"mitred": "corners mitred", "rounded": "corners rounded by"}
_SQUARE = 1e-6


class CarryParams(Params):
    """The open line of the drawing where no curves are picked. `stands`: square to the path everywhere, or as it
    stands where that begins. `held`: which point of the profile goes along the path;
    placed: the profile stays where its view or plane has it, at the start of the path."""

    profiles: ProfileChoice = ProfileChoice()
    curves: tuple[str, ...] = ()
    held: Literal["centroid", "point", "placed"] = "centroid"
    at: tuple[PointPick, ...] = ()
    turned: Angle = 0.0
    stands: Literal["square", "parallel"] = "square"
    corners: Literal["mitred", "rounded"] = "mitred"
    radius: Length = 10.0
    result: Result = "new"
    body: BodyPick = None


def apply(workpiece: Workpiece, params: CarryParams, context: Context) -> Workpiece:
    """Carry profiles along a path, square to it everywhere and without twist, and put them to the bodies.

    Raises BadValue naming the place where the path has a gap, a cusp, or too tight a bend; NothingToBuild without a
    path; Unfinished; and what `chosen_regions` and `with_features` raise.
    """
    from tectogon.building.along import swept_along  # the kernel takes 2 s to load: only where it is needed
    from tectogon.solids.features import with_features

    regions = chosen_regions(workpiece, params.profiles)
    path, plane = _path(workpiece, params)
    features = [
        swept_along(
            _held(workpiece, params, region, path, plane),
            path,
            step=context.number,
            plane=plane,
            parallel=params.stands == "parallel",
        )
        for region in regions
    ]
    return replace(
        workpiece, bodies=with_features(workpiece.bodies, features, params.result, params.body, context.number)
    )


def _path(workpiece: Workpiece, params: CarryParams) -> tuple[Path, Frame]:
    drawing = workpiece.drawing
    rows = (
        picked_rows(workpiece, params.curves, "to go along")
        if params.curves
        else drawing.bounding[drawing.regions.open_rows]
    )
    if not len(rows):
        raise NothingToBuild("No line is open to go along; pick the curves of the path.")
    rows = np.sort(rows)
    ids = tuple(drawing.linework.ids[r] for r in rows.tolist())
    path = path_of(drawing.linework.table.take(rows), drawing.tolerance, ids)
    if params.corners == "rounded":
        radius = parse_length(params.radius)
        if radius <= KERNEL_TOL:
            raise BadValue("The radius of the corners must be more than nothing; type one such as 10 mm.")
        path = rounded(path, radius)
    return path, workpiece.frame_of_curves(ids)


def _held(workpiece: Workpiece, params: CarryParams, region: Region, path: Path, plane: Frame) -> Carried:
    from tectogon.building.along import carried

    drawing, frame = workpiece.drawing.regions_of(region), workpiece.frame_of(region)
    angle = math.radians(parse_number(params.turned))
    if params.held == "centroid":
        return carried(drawing, region, region.centroid, angle)
    if params.held == "point":
        if not params.at:
            raise Unfinished("Press the point of the profile that is to go along the path.")
        x, y = points_of(workpiece.drawing.linework, params.at[:1])[0].tolist()
        return carried(drawing, region, (x, y), angle)
    return _where_it_lies(workpiece, region, frame, path, plane)


def _where_it_lies(workpiece: Workpiece, region: Region, frame: Frame, path: Path, plane: Frame) -> Carried:
    """A profile that stands in its own plane at the start of the path. Raises BadValue where that is not square to
    it."""
    from tectogon.building.along import carried

    way = way_at(path.curves[0], 0.0)
    start = np.asarray(path.curves[0].points(np.array([0.0])))[0]
    base = plane.place(np.zeros(2))
    tangent = plane.place(way) - base
    normal = np.array(frame.normal)
    if abs(float(tangent @ normal)) < 1.0 - _SQUARE:
        angle = math.degrees(math.acos(min(abs(float(tangent @ normal)), 1.0)))
        raise NotPossible(
            f"The profile's plane stands {angle:.1f}° off square to the path where that begins; choose “held at its"
            " centroid”, or fold its view where the path starts."
        )
    x = plane.place(np.array([-way[1], way[0]])) - base
    y = np.array(plane.normal)
    off = np.array(frame.at(0.0, 0.0)) - plane.place(start)
    linear = np.array([[v @ np.array(a) for a in (frame.x_dir, frame.y_dir)] for v in (x, y)])
    change = np.column_stack([linear, [off @ x, off @ y]])
    return carried(workpiece.drawing.regions_of(region), region, change=change)


def sentence(params: CarryParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Sweep "), profiles_token("profiles", params.profiles), words(" along ")]
    out += [curves_token(params.curves, "the open line"), words(", ")]
    out += [choice_token("held", params.held, HELD)]
    if params.held == "point":
        out += [words(" "), points_token("at", params.at, 1)]
    if params.held != "placed":
        out += [words(", turned "), number_token("turned", params.turned, "°")]
    out += [words(", "), choice_token("stands", params.stands, STANDS)]
    out += [words(", "), choice_token("corners", params.corners, CORNERS)]
    if params.corners == "rounded":
        out += [words(" "), length_token("radius", params.radius)]
    return [*out, *result_tokens(params.result, params.body, workpiece)]


OPERATION = Operation(
    "carry",
    "build",
    "Sweep",
    "A profile along a path: handles, tubes, frames",
    CarryParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    beside_bodies={"result": "join"},
)
