"""What goes over the wire: the shapes of questions and answers."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from ninja import Field, Schema
from tectogon.route.card import Card, Step

from tectogon_server.api.typed import Millimetres, Plain, RunId, Sizes


class Refusal(Schema):
    code: str
    text: str
    where: dict[str, Any] | None = None


class Person(Schema):
    name: str
    username: str
    workshop: str
    role: str
    inches: bool = False
    mail: str = ""
    second_factor: bool = False


class BeginSecondFactor(Schema):
    password: str = ""
    """The current one; wanted where another second factor is confirmed."""


class ChangeMe(Schema):
    name: str | None = None
    inches: bool | None = None
    password: str = ""
    """The current one; wanted for a new mail address."""
    mail: str | None = None


class SignedIn(Schema):
    key: str
    at: datetime | None
    browser: str
    address: str
    here: bool


class SecondFactorBegun(Schema):
    secret: str
    picture: str
    """An SVG that the application reads."""


class Code(Schema):
    code: str


class OwnPassword(Schema):
    password: str


class AskReset(Schema):
    name: str


class Reset(Schema):
    user: str
    token: str
    password: str


class SizesOut(Schema):
    """What a workshop takes, in bytes, and what of it may be let go."""

    files: int
    most: int
    parts: int
    put_away: int
    """Parts that were put away."""
    put_away_bytes: int
    """What would be free without them."""
    revisions: int
    sections: int


class NewPassword(Schema):
    old: str
    new: str


class Role(Schema):
    role: str


class MemberOut(Schema):
    second_factor: bool = False
    id: int
    name: str
    username: str
    role: str
    me: bool


class InvitationOut(Schema):
    id: int
    role: str
    expires: datetime
    secret: str | None
    """What the link ends in; told once, when it is made."""


class InvitationTold(Schema):
    workshop: str
    role: str


class Join(Schema):
    username: str
    name: str
    password: str


class WorkshopOut(Schema):
    name: str
    bed: str
    bend_table: str
    bend_rows: list[tuple[float, float]]
    members: list[MemberOut]
    invitations: list[InvitationOut]


class Bed(Schema):
    bed: str


class BendTable(Schema):
    table: str


class DeedOut(Schema):
    at: datetime
    who: str
    words: str
    part: int | None
    part_name: str


class SignIn(Schema):
    username: str
    password: str
    code: str = ""


class PartOnShelf(Schema):
    id: int
    name: str
    number: str
    labels: list[str]
    archived: bool
    files: list[str]
    issue: int
    revision: int
    released: bool
    changed: datetime
    figures: dict[str, Any]
    stands: dict[str, str] | None
    """The gauge that says best where it stands: `stage`, `state`, `figure` and `words`."""
    has_picture: bool
    steps: int


class ShelfPage(Schema):
    """Some of the parts that are wanted, and what all of them are."""

    parts: list[PartOnShelf]
    count: int
    labels: list[tuple[str, int]]
    """Each label and how many parts have it, the commonest first."""
    at_hand: int
    removed: int


class ComputationState(Schema):
    id: str
    state: str
    kind: str
    progress: str
    message: str
    code: str
    report: dict[str, Any] | None = None


class PartOpen(Schema):
    id: int
    name: str
    number: str
    revision: int
    change: str
    who: str | None
    """Who made this revision."""
    card: Card
    issue: int
    released: bool
    undo: str | None
    redo: str | None
    run: ComputationState | None = None
    """Of an answer to a change: how far the computation of the card on record is."""


class Described(Schema):
    name: str | None = None
    number: str | None = None
    labels: list[str] | None = None
    archived: bool | None = None
    released: bool = False


class Here(Schema):
    leaving: bool = False


class SaveCard(Schema):
    based_on: int
    card: Card
    change: str = ""


class Move(Schema):
    based_on: int


class AskRun(Schema):
    card: Card | None = None


class AskDistance(Schema):
    a: tuple[Literal["face", "edge"], int]
    b: tuple[Literal["face", "edge"], int]


class AskDepths(Schema):
    profile: str
    sheet: str = ""


class AskExport(Schema):
    kind: str
    chord_mm: Millimetres = 0.05
    angle_deg: Plain = 20.0
    what: Literal["profiles", "linework", "drawing", "report", "blank", "parts_list"] = "profiles"
    version: str = "R2010"
    profiles: list[str] = []
    sheet: str = ""


class AskPrintCheck(Schema):
    """Walls thinner than `wall`, and gaps narrower than `tool` where that is more than nothing, are told (mm); the bed
    by its three sizes, or none."""

    wall: Millimetres = Field(0.8, gt=0.0, le=100.0)
    tool: Millimetres = Field(0.0, ge=0.0, le=100.0)
    bed: Sizes = Field([], max_length=3)


class KindOut(Schema):
    name: str
    stage: str
    label: str
    help: str
    defaults: dict[str, Any]
    beside_bodies: dict[str, Any]
    becomes_steps: bool
    begins_sheet: bool
    offered: bool
    wants: str
    serves: str | None
    typed: dict[str, Any]


class TokensIn(Schema):
    step: Step


class TokensOut(Schema):
    tokens: list[dict[str, Any]]
    problem: str | None


class SourceOut(Schema):
    name: str
    sha256: str
    size: int
    brought_in_by: str
    """The operation that brings it in."""


class RevisionOut(Schema):
    """A revision of a part: what was changed, by whom and when, and whether it is the one in force."""

    number: int
    change: str
    who: str
    made: datetime
    now: bool


class SectionOut(Schema):
    """An issue of a section of the library: its facts, figures (mm, mm², mm⁴, kg/m) and rings as polygons (mm)."""

    id: int
    number: str
    issue: int
    facts: dict[str, Any]
    figures: dict[str, Any]
    outline: list[list[tuple[float, float]]]
    away: bool
    made: datetime
    who: str


class LibraryOut(Schema):
    sections: list[SectionOut]
    materials: list[str]


class KeepIn(Schema):
    computation: RunId
    facts: dict[str, Any] = {}


class KeptOut(Schema):
    sections: list[SectionOut]
    problems: list[str]


class FactsIn(Schema):
    facts: dict[str, Any]


class AwayIn(Schema):
    away: bool


class BarIn(Schema):
    length: str = Field("1000 mm", max_length=60)


class MadeOut(Schema):
    part: int


class UseIn(Schema):
    part: int
    revision: int


class UseOut(Schema):
    source: str
    values: dict[str, Any]


class AskSection(Schema):
    profile: str = Field(max_length=80)
    sheet: str = ""
    name: str = Field("", max_length=60)


class CutOut(Schema):
    name: str
    length_mm: float
    """Overall."""
    angles: tuple[float, float]
    """By how much the ends lean from square."""
    saw: tuple[float, float]
    """The angles between the bar and the saw's blade."""
    count: int


class StockOut(Schema):
    cuts: list[float]
    left_mm: float
    count: int


class SectionCuts(Schema):
    """The bars of one section and the stock lengths that they are cut from; `waste`: the share left over; `best`:
    whether fewer stock lengths can't do; `problem`: why they can't be packed."""

    section: str
    cuts: list[CutOut]
    total_mm: float
    kg: float | None
    stocks: list[StockOut] = []
    count: int = 0
    waste: float = 0.0
    best: bool = True
    problem: str = ""


class LengthOut(Schema):
    mm: float


class NumberOut(Schema):
    value: float


class CutListOut(Schema):
    stock_mm: float
    sections: list[SectionCuts]


class SupplierRow(Schema):
    """What a supplier's table states of a section, and whether the library holds it."""

    number: str
    family: str
    wide_mm: float
    high_mm: float
    thickness_mm: float | None
    kg_per_m: float
    here: bool


class SupplierOut(Schema):
    name: str
    sections: list[SupplierRow]


class PlaceIn(Schema):
    """The computation that wrote the solid, and the revision of the part that it comes into."""

    computation: RunId
    revision: int
