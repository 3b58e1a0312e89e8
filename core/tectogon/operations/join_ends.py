"""Set the joining distance: ends that lie within it count as met, and are brought together where regions are built."""

from __future__ import annotations

from dataclasses import replace

from tectogon.errors import BadValue
from tectogon.units import parse_length, show_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Length, Params
from tectogon.workpiece.sentence import Sentence, length_token, words


class JoinEndsParams(Params):
    distance: Length = 0.1


def apply(workpiece: Workpiece, params: JoinEndsParams, context: Context) -> Workpiece:
    """Set the joining distance (mm): ends closer than it count as met.

    Raises BadValue for one of nothing, or of more than a twentieth of the drawing.
    """
    distance = parse_length(params.distance)
    size = workpiece.drawing.linework.size
    if not 0.0 < distance <= max(size / 20.0, 1e-6):
        raise BadValue(
            f"A joining distance of {show_length(distance)} makes no sense for a drawing of {show_length(size)}; take"
            " more than 0 and at most a twentieth of it."
        )
    return replace(workpiece, drawing=replace(workpiece.drawing, join_tol=distance))


def sentence(params: JoinEndsParams, workpiece: Workpiece | None) -> Sentence:
    return [words("Join ends that lie within "), length_token("distance", params.distance)]


OPERATION = Operation(
    "join_ends",
    "close",
    "Join ends",
    "Ends closer than this distance count as met",
    JoinEndsParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
