"""Parameters of operations, and sentences made of them. A parameter is written once, here; API and interface take their shape from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal, Protocol

from pydantic import AfterValidator, BaseModel, ConfigDict, model_validator

from tectogon.errors import BadValue
from tectogon.units import parse_length, parse_number, show_length, show_number


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


def _countable(text: str | float) -> str | float:
    try:
        parse_number(text)
    except BadValue as bad:
        raise ValueError(bad.sentence) from None
    return text


Number = Annotated[str | float, AfterValidator(_countable)]
"""A plain number as typed ("1/2", "1 : 2", "25.4") or given; kept as typed."""

Angle = Number
"""An angle in degrees, counter-clockwise, as typed."""


class PointPick(Params):
    """A point of the drawing: a free place, or one that a curve by id has; `at` (mm) is where it was when picked.

    crossing: where the curve meets the `other`.  tangent, perpendicular: where a line from the point before touches the curve, or meets it
    square. Of several such places the one nearest to `at` is meant.
    """

    at: tuple[float, float]
    curve: str | None = None
    kind: Literal["free", "start", "end", "middle", "centre", "crossing", "tangent", "perpendicular"] = "free"
    other: str | None = None


class FacePick(Params):
    """A face by its name, with the body it was on, the names of the faces beside it, its outward normal, and the point that was pressed (mm), which
    tell it from others of that name."""

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
    """An edge of a body, or a corner at its end: by the names of the faces that meet along it, and the place where it was pressed (mm)."""

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
    """A region by id, with the curves along its outer boundary, a point inside it (mm) and its area (mm²) to find it again by."""

    id: str
    curves: tuple[str, ...] = ()
    at: tuple[float, float] | None = None
    area: float | None = None


class ProfileChoice(Params):
    """Regions picked one by one, or by rule: all material (every outer profile with its holes, islands too)."""

    rule: Literal["picked", "material"] = "picked"
    picks: tuple[ProfilePick, ...] = ()


@dataclass(frozen=True)
class Token:
    """A bit of a sentence: plain words, or a value with the parameter it stands for and how it is edited."""

    text: str
    field: str | None = None
    editor: dict[str, Any] | None = None

    def as_json(self) -> dict[str, Any]:
        return {"text": self.text, "field": self.field, "editor": self.editor}


Side = Literal["towards", "away"]
SIDES = {"towards": "towards you", "away": "away from you"}

Sentence = Sequence[Token]


def words(text: str) -> Token:
    return Token(text)


def length_token(field: str, value: str | float) -> Token:
    if value == PROPOSED:
        return Token("the distance proposed", field, {"type": "length", "value": value})
    shown = value if isinstance(value, str) and not _is_plain(value) else show_length(parse_length(value))
    return Token(str(shown), field, {"type": "length", "value": value})


def number_token(field: str, value: str | float, unit: str = "") -> Token:
    shown = value if isinstance(value, str) else show_number(float(value), 6)
    return Token(f"{shown}{unit}", field, {"type": "number", "value": value})


def _called(pick: PointPick) -> str:
    """What kind of point it is, in a word: both ends of a curve are ends."""
    return {"free": "point", "start": "end", "perpendicular": "foot"}.get(pick.kind, pick.kind)


def points_token(field: str, picks: Sequence[PointPick], wanted: int) -> Token:
    """Points picked on the sheet, as many as are wanted."""
    if not picks:
        shown = "a point: press one" if wanted == 1 else f"{wanted} points: press them"
    else:
        names = [f"{_called(p)} at {show_number(p.at[0], 2)} / {show_number(p.at[1], 2)}" for p in picks]
        shown = " and ".join(names) + (" and another: press it" if len(picks) < wanted else "")
    return Token(shown, field, {"type": "points", "value": [p.model_dump(mode="json") for p in picks], "wanted": wanted})


def ends_token(field: str, picks: Sequence[EndPick]) -> Token:
    """One or two ends picked in another view or on the part: how far, and from where."""
    names = []
    for pick in picks:
        if pick.point is not None:
            names.append(f"{_called(pick.point)} at {show_number(pick.point.at[0], 2)} / {show_number(pick.point.at[1], 2)}")
        else:
            names.append("face" if pick.face is not None else "edge")
    shown = " from ".join(names) if names else "press a point of another view, a face or an edge"
    return Token(shown, field, {"type": "ends", "value": [p.model_dump(mode="json") for p in picks], "wanted": 2})


def _is_plain(text: str) -> bool:
    try:
        float(text.replace(",", "."))
    except ValueError:
        return False
    return True


def choice_token(field: str, value: str, options: dict[str, str]) -> Token:
    return Token(options.get(value, value), field, {"type": "choice", "value": value, "options": [{"value": k, "label": v} for k, v in options.items()]})


def count_of(number: int, one: str, many: str | None = None) -> str:
    return f"{number} {one if number == 1 else many or one + 's'}"


def profiles_token(field: str, choice: ProfileChoice) -> Token:
    text = "all material" if choice.rule == "material" else count_of(len(choice.picks), "profile") if choice.picks else "profiles: point at them"
    return Token(text, field, {"type": "profiles", "value": choice.model_dump(mode="json")})


class _Bodied(Protocol):
    """What has bodies with keys and names: a workpiece."""

    @property
    def bodies(self) -> Sequence[Any]: ...


def body_tokens(before: str, wanted: str | None, workpiece: _Bodied | None) -> list[Token]:
    """The body that an operation works on, where there is a choice."""
    bodies = workpiece.bodies if workpiece else ()
    if wanted is None and len(bodies) < 2:
        return []
    options = {"": "every body it reaches", **{b.key: b.name for b in bodies}}
    if wanted and wanted not in options:
        of_step = [b.name for b in bodies if b.key.partition(":")[0] == wanted]
        options[wanted] = of_step[0] if len(of_step) == 1 else "a body that is gone"
    return [words(before), choice_token("body", wanted or "", options)]


def plain(sentence: Sentence) -> str:
    """The sentence as text."""
    return "".join(token.text for token in sentence)
