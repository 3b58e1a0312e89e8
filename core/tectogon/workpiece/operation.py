"""The one shape of an operation."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from tectogon.errors import BadValue
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence

Facet = Literal["linework", "placements", "bodies"]
"""What a workpiece consists of: the drawing; the views and planes that parts of it lie in; the bodies with their
material."""
FACETS: tuple[Facet, ...] = ("linework", "placements", "bodies")
LINEWORK: frozenset[Facet] = frozenset({"linework"})
PLACEMENTS: frozenset[Facet] = frozenset({"placements"})
BODIES: frozenset[Facet] = frozenset({"bodies"})

Purpose = Literal[
    "reads_file",
    "reads_solid",
    "leaves_out",
    "lays_on_face",
    "engraves",
    "joins_bodies",
    "names_body",
    "says_material",
    "draws_sheet",
    "measures",
    "makes_sheet",
    "takes_section",
    "places_part",
    "lays_blank",
]
Stage = Literal["bring_in", "tidy", "close", "arrange", "build", "check", "hand_over"]


@dataclass(frozen=True)
class SourceFile:
    """A source as the card names it, where its bytes lie, and their hash."""

    name: str
    path: Path
    sha256: str


def untold(words: str) -> None:
    """Nobody listens."""


@dataclass(frozen=True)
class Context:
    """What an operation may know besides its parameters: its number on the card, and the sources. `tell`: how far it
    has come, in words, for whoever waits."""

    number: int = 0
    sources: dict[str, SourceFile] = field(default_factory=dict)
    tell: Callable[[str], None] = untold

    def source(self, name: str) -> SourceFile:
        """The source of this name. Raises BadValue where the card has none."""
        if name not in self.sources:
            raise BadValue(f"The file “{name[:80]}” is not among the sources of this part.")
        return self.sources[name]


@dataclass(frozen=True)
class Operation:
    """One operation: what it is called, where it belongs, its parameters, what it does, and how it reads."""

    name: str
    stage: Stage
    label: str
    help: str
    params: type[Params]
    apply: Callable[[Workpiece, Any, Context], Workpiece]
    sentence: Callable[[Any, Workpiece | None], Sentence]
    reads: frozenset[Facet]
    """What its outcome depends on beside its own parameters; what it writes counts as read."""
    writes: frozenset[Facet]
    """What it may change."""
    beside_bodies: Mapping[str, Any] = field(default_factory=dict)
    """Values that it begins with where there are bodies already, instead of its defaults."""
    begins_sheet: bool = False
    """Whether it may be the first step on a sheet."""
    wants: Literal["", "body", "bodies", "views", "sheet_metal", "board"] = ""
    """What must be there before it is offered: a body, several, folded views, a body that was made sheet, or the layers
    of a circuit board."""
    offered: bool = True
    """Whether it is offered among the actions of its stage; else something else begins it, such as a file brought
    in."""
    typed: Mapping[str, Any] = field(default_factory=dict)
    """What a number means that is typed while its sentence shows none: other values that then hold, so that it does."""
    serves: Purpose | None = None
    """What the interface uses it for beside the actions of its stage."""
    becomes_steps: bool = False
    """Whether it goes on record as the ordinary operations that it stands for."""
