"""Parameters of operations: what a step keeps, in stable codes. A parameter is written once, here; API and interface
take their shape from it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, StringConstraints, model_validator

from tectogon.errors import BadValue
from tectogon.units import parse_length, parse_number


class Params(BaseModel):
    """The base of all parameters: unknown names are refused, values can't be changed."""

    model_config = ConfigDict(extra="forbid", frozen=True)


def _readable(text: str | float) -> str | float:
    try:
        parse_length(text)
    except BadValue as bad:
        raise ValueError(bad.sentence) from None
    return text


Length = Annotated[str | float, AfterValidator(_readable)]
"""A length as typed ("3/8 in + 2 mm") or in mm; kept as typed, so that the card shows what was meant."""


def _proposed_or_length(text: str | float) -> str | float:
    return text if text == PROPOSED else _readable(text)


PROPOSED = "proposed"
ProposedLength = Annotated[str | float, AfterValidator(_proposed_or_length)]
"""A length as typed, or "proposed" for the one that is worked out."""


def _own_or_length(text: str | float) -> str | float:
    return OWN if isinstance(text, str) and not text.strip() else _readable(text)


OWN = ""
OwnLength = Annotated[str | float, AfterValidator(_own_or_length)]
"""A length as typed, or nothing for the one that the thing has by itself."""


def _countable(text: str | float) -> str | float:
    try:
        parse_number(text)
    except BadValue as bad:
        raise ValueError(bad.sentence) from None
    return text


Number = Annotated[str | float, AfterValidator(_countable)]
"""A plain number as typed ("1/2", "1 : 2", "25.4") or given; kept as typed."""

Name = Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)]
"""A name given by hand; empty for the one that the thing has by itself."""

Angle = Number
"""An angle in degrees, counter-clockwise, as typed."""


class PointPick(Params):
    """A point of the drawing: a free place, or one that a curve by id has; `at` (mm) is where it was when picked.

    crossing: where the curve meets the `other`.  tangent, perpendicular: where a line from the point before touches the
    curve, or meets it square. Of several such places the one nearest to `at` is meant.
    """

    at: tuple[float, float]
    curve: str | None = None
    kind: Literal["free", "start", "end", "middle", "centre", "crossing", "tangent", "perpendicular"] = "free"
    other: str | None = None


class FacePick(Params):
    """A face by its name, with the body it was on, the names of the faces beside it, its outward normal, and the point
    that was pressed (mm), which tell it from others of that name."""

    name: str
    body: str | None = None
    beside: tuple[str, ...] = ()
    normal: tuple[float, float, float] | None = None
    point: tuple[float, float, float] | None = None


def _or_none(key: str | None) -> str | None:
    return key or None


BodyPick = Annotated[str | None, AfterValidator(_or_none)]
"""A body by its key, or by the number of the step that made it alone; none for every body that is reached."""


class EdgePick(Params):
    """An edge of a body, or a corner at its end: by the names of the faces that meet along it, and the place where it
    was pressed (mm)."""

    faces: tuple[str, ...]
    point: tuple[float, float, float]


class EndPick(Params):
    """Where a solid begins or ends: one of a point of another view, a face, or an edge of the part."""

    point: PointPick | None = None
    face: FacePick | None = None
    edge: EdgePick | None = None

    @model_validator(mode="after")
    def _one(self) -> EndPick:
        if sum(v is not None for v in (self.point, self.face, self.edge)) != 1:
            raise ValueError("An end is one of a point, a face or an edge")
        return self


MOST_CURVES = 40
"""A pick keeps so many curves of a region's boundary at most."""


class ProfilePick(Params):
    """A region by id, with the curves along its outer boundary, a point inside it (mm) and its area (mm²) to find it
    again by."""

    id: str
    curves: tuple[str, ...] = ()
    at: tuple[float, float] | None = None
    area: float | None = None


class ProfileChoice(Params):
    """Regions picked one by one, or by rule: all material (every outer profile with its holes, islands too)."""

    rule: Literal["picked", "material"] = "picked"
    picks: tuple[ProfilePick, ...] = ()


Side = Literal["towards", "away"]
SIDES = {"towards": "towards you", "away": "away from you"}
