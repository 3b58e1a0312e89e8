"""Part boundaries where they touch themselves in a point: by a gap of a stated width, or joined by a neck of one."""

from __future__ import annotations

from typing import Literal

import numpy as np

from tectogon.errors import BadValue, NothingToBuild, Place
from tectogon.profiles.pinch import parted_at, touching_at
from tectogon.tolerances import LEAST_SIZE
from tectogon.units import parse_length
from tectogon.workpiece.made_curves import bounding_rows, fineness, with_made
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Length, Params, PointPick
from tectogon.workpiece.point_picks import point_of
from tectogon.workpiece.sentence import Sentence, Token, choice_token, count_of, length_token, words

HOWS = {"gap": "by a gap", "neck": "by a neck that joins them"}


class PartParams(Params):
    """`points`: places where a boundary touches itself or another; every such place where none is picked."""

    how: Literal["gap", "neck"] = "gap"
    width: Length = 0.4
    points: tuple[PointPick, ...] = ()


def apply(workpiece: Workpiece, params: PartParams, context: Context) -> Workpiece:
    """Part profiles where they touch in a point, by a gap or a neck of a width (mm).

    Raises BadValue for a width that makes no sense, NothingToBuild where nothing touches.
    """
    drawing = workpiece.drawing
    width = parse_length(params.width)
    if not 0.0 < width <= max(drawing.linework.size, LEAST_SIZE):
        raise BadValue("The width must be more than nothing and less than the drawing is large.")
    places = drawing.regions.pinches
    if not len(places):
        raise NothingToBuild("No boundary touches itself or another in a point: there is nothing to part.")
    if params.points:
        places = np.array([_nearest(places, point_of(drawing.linework, p), width) for p in params.points])
    regions = touching_at(drawing.regions, places)
    if not regions:
        raise NothingToBuild("No profile touches itself or another there; void that touches is left as it is.")
    made = parted_at(
        drawing.regions, regions, places, width, params.how, join_tol=max(drawing.tolerance, fineness(workpiece))
    )
    if not len(made):
        raise NothingToBuild("Nothing is left of the profiles: the width is larger than they are.")
    rows = bounding_rows(workpiece, regions)
    return with_made(workpiece, made, context.number, of=rows, leave=True)


def _nearest(places: np.ndarray, point: np.ndarray, width: float) -> np.ndarray:
    """The touching place that was meant. Raises BadValue where none is near."""
    away = np.hypot(*(places - point).T)
    k = int(away.argmin())
    if away[k] > max(2.0 * width, 1.0):
        raise BadValue(
            f"No boundary touches itself near x {point[0]:.2f}, y {point[1]:.2f} mm.",
            Place((), (float(point[0]), float(point[1]))),
        )
    return np.asarray(places[k])


def sentence(params: PartParams, workpiece: Workpiece | None) -> Sentence:
    picked = [p.model_dump(mode="json") for p in params.points]
    where = Token(
        count_of(len(picked), "place") if picked else "everywhere",
        "points",
        {"type": "points", "value": picked, "wanted": 40},
    )
    out = [
        words("Separate profiles where they touch in a point, "),
        where,
        words(", "),
        choice_token("how", params.how, HOWS),
        words(" "),
    ]
    return [*out, length_token("width", params.width), words(" wide")]


OPERATION = Operation(
    "separate",
    "close",
    "Separate",
    "Where a boundary touches itself in a point: a gap, or a neck of a width",
    PartParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
