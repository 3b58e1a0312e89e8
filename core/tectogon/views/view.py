"""One view: its name, its curves and its frame; and a view as it is found on a sheet."""

from __future__ import annotations

from dataclasses import dataclass

from tectogon.curves.table import IntArray
from tectogon.views.frame import Frame, frame_of

Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class View:
    """A named view: the ids of its curves, the frame it stands in, its box on the sheet (mm), and the operation that
    folded it."""

    name: str
    curves: frozenset[str]
    frame: Frame
    box: Box
    operation: int


@dataclass(frozen=True)
class Plane:
    """A named plane that linework lies in without being a view of the part: on a face, or free in space. Its curves'
    ids, the frame they stand in, their box on the sheet (mm), and the operation that laid them there.

    It explains nothing of the part and agrees with no view.
    """

    name: str
    curves: frozenset[str]
    frame: Frame
    box: Box
    operation: int


@dataclass(frozen=True)
class FoundView:
    """A view on the sheet: its name, the side of the part that it shows, its rows, its box (mm), and the sheet point on
    the part's origin.

    turn: by how many degrees counter-clockwise it is to be turned to stand upright.  scale: what its lengths are to be
    multiplied by.
    """

    name: str
    side: str
    rows: IntArray
    box: Box
    origin: tuple[float, float]
    turn: float = 0.0
    scale: float = 1.0
    aslant: Frame | None = None
    """The frame of an auxiliary view, which shows no side of the box."""

    @property
    def frame(self) -> Frame:
        """Where it stands in space, mm."""
        return self.aslant or frame_of(self.side, self.origin)
