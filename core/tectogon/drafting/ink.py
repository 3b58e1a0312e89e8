"""What stands on the paper: strokes with a pen, filled arrows, texts. Millimetres, the origin at the sheet's lower left
corner."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np

from tectogon.curves import Curve, Line

Pen = Literal["outline", "hidden", "centre", "thin", "hatch", "hatch dashed", "frame", "grid", "mark", "pictorial"]
WIDTHS: dict[str, float] = {
    "outline": 0.5,
    "hidden": 0.25,
    "centre": 0.25,
    "thin": 0.25,
    "hatch": 0.18,
    "hatch dashed": 0.18,
    "frame": 0.7,
    "grid": 0.25,
    "mark": 0.35,
    "pictorial": 0.35,
}
"""Line widths in mm (ISO 128-2, group 0.5)."""
DASHES: dict[str, tuple[float, ...]] = {
    "hidden": (3.0, 1.0),
    "centre": (9.0, 1.5, 0.5, 1.5),
    "hatch dashed": (2.0, 1.0),
}
"""Dashes and gaps in mm; all other pens draw through (ISO 128-2)."""
FONT = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
_CAPITAL = 0.729
"""The height of capitals as a share of the font's size."""
_USUAL_WIDTH = 0.64
Anchor = Literal["start", "middle", "end"]


@dataclass(frozen=True)
class Stroke:
    """A curve drawn with a pen."""

    curve: Curve
    pen: Pen


@dataclass(frozen=True)
class Arrow:
    """A filled arrow head: its tip and the direction (radians) it points in."""

    x: float
    y: float
    angle: float
    length: float = 2.5

    @property
    def corners(self) -> list[tuple[float, float]]:
        """Its three corners, the tip first (15° on each side of its axis would be wide: ISO 129-1 asks for 30° in
        all; the narrow one of 20° is used)."""
        half = math.radians(10.0)
        out = [(self.x, self.y)]
        for side in (-half, half):
            away = self.length / math.cos(half)
            a = self.angle + math.pi + side
            out.append((self.x + away * math.cos(a), self.y + away * math.sin(a)))
        return out


@dataclass(frozen=True)
class Text:
    """A line of text: where its foot begins, has its middle or ends, how high its capitals are (mm), and how it is
    turned (radians)."""

    x: float
    y: float
    text: str
    height: float = 2.5
    angle: float = 0.0
    anchor: Anchor = "start"

    @property
    def width(self) -> float:
        """How long it is (mm)."""
        return width_of(self.text, self.height)

    @property
    def corners(self) -> np.ndarray[Any, Any]:
        """The four corners (4, 2) of the box that it fills, without what hangs below its foot."""
        shift = {"start": 0.0, "middle": -0.5, "end": -1.0}[self.anchor] * self.width
        ends = (shift, shift + self.width)
        flat = np.array([[x, y] for y, xs in ((0.0, ends), (self.height, ends[::-1])) for x in xs])
        c, s = math.cos(self.angle), math.sin(self.angle)
        return np.asarray(flat @ np.array([[c, s], [-s, c]]) + np.array([self.x, self.y]))


@dataclass
class Ink:
    """Everything that stands on a sheet, or in one dimension."""

    strokes: list[Stroke] = field(default_factory=list)
    arrows: list[Arrow] = field(default_factory=list)
    texts: list[Text] = field(default_factory=list)

    def line(self, x0: float, y0: float, x1: float, y1: float, pen: Pen = "thin") -> None:
        """Add a straight stroke; nothing where it has no length."""
        if math.hypot(x1 - x0, y1 - y0) > 1e-9:
            self.strokes.append(Stroke(Line(x0, y0, x1, y1), pen))

    def write(self, x: float, y: float, text: str, **more: Any) -> Text:
        """Add a text."""
        made = Text(x, y, text, **more)
        self.texts.append(made)
        return made

    def add(self, other: Ink) -> None:
        """Add all of another."""
        self.strokes += other.strokes
        self.arrows += other.arrows
        self.texts += other.texts


def width_of(text: str, height: float) -> float:
    """How long a text is (mm) whose capitals are so high."""
    size = height / _CAPITAL
    known = _advances()
    return size * sum(known.get(ord(c), _USUAL_WIDTH) for c in text)


def font_size(height: float) -> float:
    """The font's size (mm) at which capitals are so high."""
    return height / _CAPITAL


@lru_cache(maxsize=1)
def _advances() -> dict[int, float]:
    """How wide each sign of the font is, as a share of its size; empty where the font is not installed."""
    if not FONT.is_file():
        return {}
    from fontTools.ttLib import TTFont

    font = TTFont(str(FONT), lazy=True)
    widths, unit = font["hmtx"].metrics, font["head"].unitsPerEm
    return {code: widths[name][0] / unit for code, name in font.getBestCmap().items()}
