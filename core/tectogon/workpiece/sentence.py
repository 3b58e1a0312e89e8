"""The sentence of a step: plain words, and values with the parameter they stand for and how they are edited.

The card, the writing line, the command line and the record of changes all show the same tokens.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from tectogon.tolerances import LEVEL_TOL
from tectogon.units import parse_length, show_length, show_number
from tectogon.workpiece.parameters import OWN, PROPOSED, EndPick, FacePick, PointPick, ProfileChoice


@dataclass(frozen=True)
class Token:
    """A bit of a sentence: plain words, or a value with the parameter it stands for and how it is edited."""

    text: str
    field: str | None = None
    editor: dict[str, Any] | None = None

    def as_json(self) -> dict[str, Any]:
        return {"text": self.text, "field": self.field, "editor": self.editor}


Sentence = Sequence[Token]
_ITS_OWN = "its own"
MOST_POINTS = 1000
"""So many points are picked at most where any number is wanted."""


def words(text: str) -> Token:
    """Plain words of a sentence."""
    return Token(text)


def length_token(field: str, value: str | float, own: str = _ITS_OWN) -> Token:
    """A length as typed, or in mm where a number was given; `own` is shown where none is."""
    if value == OWN:
        return Token(own, field, {"type": "length", "value": value, "empty": own})
    if value == PROPOSED:
        return Token("the distance proposed", field, {"type": "length", "value": value})
    shown = value if isinstance(value, str) and not _is_plain(value) else show_length(parse_length(value))
    return Token(str(shown), field, {"type": "length", "value": value})


def number_token(field: str, value: str | float, unit: str = "") -> Token:
    """A plain number with the unit that stands behind it."""
    shown = value if isinstance(value, str) else show_number(float(value), 6)
    return Token(f"{shown}{unit}", field, {"type": "number", "value": value})


def name_token(field: str, value: str, empty: str) -> Token:
    """A name given by hand; `empty` is shown where none is."""
    return Token(f"“{value}”" if value else empty, field, {"type": "text", "value": value, "empty": empty})


def _called(pick: PointPick) -> str:
    """What kind of point it is, in a word: both ends of a curve are ends."""
    return {"free": "point", "start": "end", "perpendicular": "foot"}.get(pick.kind, pick.kind)


def _at_words(pick: PointPick) -> str:
    return f"{_called(pick)} at x {show_number(pick.at[0], 2)}, y {show_number(pick.at[1], 2)}"


def face_words(pick: FacePick) -> str:
    """A face as people call it: its role, the step that made it, and where it stands, if that is square to an axis."""
    role, _, rest = pick.name.partition("/")
    step = rest.partition("/")[0]
    called = f"{role} face of operation {step}" if step.isdigit() else pick.name
    if pick.normal is None or pick.point is None:
        return called
    axis = max(range(3), key=lambda k: abs(pick.normal[k]) if pick.normal else 0.0)
    square = abs(pick.normal[axis]) > 1.0 - LEVEL_TOL
    return f"{called} at {('x', 'y', 'z')[axis]} {show_number(pick.point[axis], 2)}" if square else called


def points_token(field: str, picks: Sequence[PointPick], wanted: int = MOST_POINTS, *, drawn: bool = False) -> Token:
    """Points picked on the sheet, as many as are wanted, or any number. `drawn`: a line is drawn from one to the
    next."""
    if wanted == MOST_POINTS:
        text = " and ".join(map(_at_words, picks)) or "press them on the sheet"
        return Token(text, field, _points_editor(picks, wanted, drawn=drawn))
    if not picks:
        shown = "a point: press one" if wanted == 1 else f"{wanted} points: press them"
    else:
        names = [_at_words(p) for p in picks]
        shown = " and ".join(names) + (" and another: press it" if len(picks) < wanted else "")
    return Token(shown, field, _points_editor(picks, wanted, drawn=drawn))


def _points_editor(picks: Sequence[PointPick], wanted: int, *, drawn: bool) -> dict[str, Any]:
    return {"type": "points", "value": [p.model_dump(mode="json") for p in picks], "wanted": wanted, "drawn": drawn}


def ends_token(field: str, picks: Sequence[EndPick]) -> Token:
    """One or two ends picked in another view or on the part: how far, and from where."""
    names = []
    for pick in picks:
        if pick.point is not None:
            names.append(_at_words(pick.point))
        else:
            names.append(f"the {face_words(pick.face)}" if pick.face is not None else "an edge")
    shown = " from ".join(names) if names else "press a point of another view, a face or an edge"
    return Token(shown, field, {"type": "ends", "value": [p.model_dump(mode="json") for p in picks], "wanted": 2})


def pieces_token(field: str, picks: Sequence[EndPick]) -> Token:
    """Edges and faces picked on the part."""
    edges, faces = sum(p.edge is not None for p in picks), sum(p.face is not None for p in picks)
    told = [count_of(edges, "edge")] if edges else []
    told += ["all of a face" if faces == 1 else f"all of {faces} faces"] if faces else []
    shown = " and ".join(told) or "press them on the part"
    return Token(shown, field, {"type": "pieces", "value": [p.model_dump(mode="json") for p in picks]})


def _is_plain(text: str) -> bool:
    try:
        float(text.replace(",", "."))
    except ValueError:
        return False
    return True


def choice_token(field: str, value: str, options: dict[str, str]) -> Token:
    """One of several codes, each with its words."""
    return Token(
        options.get(value, value),
        field,
        {"type": "choice", "value": value, "options": [{"value": k, "label": v} for k, v in options.items()]},
    )


def count_of(number: int, one: str, many: str | None = None) -> str:
    """A number with the right form of its noun."""
    return f"{number} {one if number == 1 else many or one + 's'}"


def profiles_token(field: str, choice: ProfileChoice) -> Token:
    """Profiles as picked."""
    text = (
        "all material"
        if choice.rule == "material"
        else count_of(len(choice.picks), "profile")
        if choice.picks
        else "profiles: point at them"
    )
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
    return [words(before), body_token("body", wanted, workpiece, "every body it reaches")]


def body_token(field: str, wanted: str | None, workpiece: _Bodied | None, none: str) -> Token:
    """A body by its name; `none` is shown where none is chosen."""
    bodies = workpiece.bodies if workpiece else ()
    options = {"": none, **{b.key: b.name for b in bodies}}
    if wanted and wanted not in options:
        of_step = [b.name for b in bodies if b.key.partition(":")[0] == wanted]
        options[wanted] = of_step[0] if len(of_step) == 1 else "a body that is gone"
    return choice_token(field, wanted or "", options)


def file_token(field: str, name: str) -> Token:
    """A file of the part."""
    return Token(name or "a file: choose one", field, {"type": "file", "value": name})


def face_token(field: str, face: FacePick | None, none: str = "press one on the part") -> Token:
    """A face as picked; `none` is shown where none is."""
    shown = f"the {face_words(face)}" if face else none
    return Token(shown, field, {"type": "face", "value": face.model_dump(mode="json") if face else None})


def plain(sentence: Sentence) -> str:
    """The sentence as text."""
    return "".join(token.text for token in sentence)


def curves_token(curves: tuple[str, ...], none: str = "curves: pick them on the sheet") -> Token:
    """Curves as picked; `none` is shown where none are."""
    text = count_of(len(curves), "curve") if curves else none
    return Token(text, "curves", {"type": "curves", "value": list(curves)})
