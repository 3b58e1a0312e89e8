"""One view: its name, its curves and its frame."""

from __future__ import annotations

from dataclasses import dataclass

from tectogon.views.frame import Frame


@dataclass(frozen=True)
class View:
    """A named view: the ids of its curves, the frame it stands in, its box on the sheet (mm), and the operation that folded it."""

    name: str
    curves: frozenset[str]
    frame: Frame
    box: tuple[float, float, float, float]
    operation: int
