"""What can go wrong, as classes: a stable code, a sentence a designer acts on, and a place.

The sentence says what happened, where, and what to do next. A place is a list of curve ids, a point on the sheet (mm),
or both.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field


@dataclass(frozen=True)
class Place:
    """Where on the sheet or the part something is: curve ids, and a point (x, y) or (x, y, z) in mm when one is
    known."""

    curves: tuple[str, ...] = ()
    point: tuple[float, ...] | None = None

    def as_json(self) -> dict[str, object]:
        return {"curves": list(self.curves[:200]), "point": list(self.point) if self.point else None}


class TectogonError(Exception):
    """The base of all errors this package raises on purpose."""

    code = "error"
    exit_status = 6

    def __init__(self, sentence: str, place: Place | None = None) -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.place = place or Place()
        self.so_far: object = None
        """What a step has made before it could go no further, where that is worth seeing while it is written."""

    def __reduce__(self) -> tuple[object, ...]:
        return (type(self), (self.sentence, self.place))

    def as_json(self) -> dict[str, object]:
        return {"code": self.code, "text": self.sentence, "where": self.place.as_json()}


class UnreadableFile(TectogonError):
    """The file can't be read as what it claims to be."""

    code = "unreadable"
    exit_status = 3


class UnsupportedFile(TectogonError):
    """The file is of a kind that is not read."""

    code = "unsupported"
    exit_status = 3


class OverLimit(TectogonError):
    """The file or the drawing is larger than what is worked on; the sentence names the limit."""

    code = "over_limit"
    exit_status = 3


class OutOfTime(OverLimit):
    """The time that was given to this work ran out. It says nothing of the work itself: with more time, or on a machine
    with less to do, it may be done."""

    code = "out_of_time"


class NothingToBuild(TectogonError):
    """The file was read well, but holds nothing that a part could be made from."""

    code = "nothing_to_build"
    exit_status = 4


class BadValue(TectogonError):
    """A typed value can't be understood or can't be used."""

    code = "bad_value"
    exit_status = 2


class Unfinished(BadValue):
    """An operation still wants something to be picked: while it is written no fault, and the sentence says what to do
    next."""

    code = "unfinished"


class NotPossible(BadValue):
    """The values are understood, but no solid is as they ask: a profile that closes up on its way, a path that bends
    more tightly than its section."""

    code = "not_possible"
    exit_status = 4


class PickGone(TectogonError):
    """What an operation was told to use is no longer there."""

    code = "pick_gone"
    exit_status = 4


class KernelRefused(TectogonError):
    """The solid kernel gave no result, or one that did not prove sound."""

    code = "kernel_refused"
    exit_status = 5


class InternalError(TectogonError):
    """A fault of our own."""

    code = "internal_error"
    exit_status = 6


class CardUnreadable(TectogonError):
    """A route card can't be understood."""

    code = "card_unreadable"
    exit_status = 3


@dataclass(frozen=True)
class Change:
    """What a note offers to do about it: other values for the step of this number, in words."""

    step: int
    words: str
    values: dict[str, object]


@dataclass(frozen=True)
class Note:
    """Something worth saying that is not an error: a stable code, a sentence, a place. `good`: it makes a result surer,
    and asks for nothing. `drawn`: what a screen may draw with it, so that it can be taken in the hand."""

    code: str
    text: str
    where: Place = field(default_factory=Place)
    change: Change | None = None
    good: bool = False
    drawn: Mapping[str, object] | None = None

    def as_json(self) -> dict[str, object]:
        told: dict[str, object] = {
            "code": self.code,
            "text": self.text,
            "where": self.where.as_json(),
            "good": self.good,
        }
        if self.drawn:
            told["drawn"] = dict(self.drawn)
        return told | {"change": asdict(self.change)} if self.change else told
