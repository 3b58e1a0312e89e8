"""What a reader is asked for, what it gives back, and the limits it keeps."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from tectogon.linework import Linework


@dataclass(frozen=True, kw_only=True)
class ReadLimits:
    """Limits that are checked before anything is expanded or parsed."""

    max_bytes: int = 160_000_000
    max_entities: int = 600_000
    max_curves: int = 1_000_000
    max_pixels: int = 120_000_000
    keep_pictures: bool = True
    """Whether a traced picture is kept beside its outline, to be shown under it."""


class ReadOptions(BaseModel):
    """How a file is to be read, where its format leaves a choice. Each format heeds those that concern it.

    strokes: what a stroked shape with no fill gives, its centre line or its inked outline (SVG, PDF).
    page: the page, from 1 (PDF, TIFF).  region: x, y, width and height of the part to take, in file units (PDF) or
    pixels (pictures).
    polygon: corners (x, y) of the part to take, in pixels from the lower left (pictures).
    drawing_scale: size on the part over size on the page; 2 for a drawing at 1:2 (PDF).
    ends: how a run of points that ends near where it began is closed; curve: what goes through points; deviation_mm:
    how far a fitted spline may pass from them (coordinate tables).
    invert: light is material; contrast: how far grey values are spread about the middle; threshold: grey value 0..255
    that parts dark from light, or none to have it found; colour: "#rrggbb" that is material, with tolerance 0..255;
    speckle: smallest spot kept, in pixels; smooth: largest deviation of the fitted outline, in pixels.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    strokes: Literal["centre", "outline"] = "centre"
    page: Annotated[int, Field(ge=1, le=10_000)] = 1
    region: tuple[float, float, float, float] | None = None
    polygon: Annotated[tuple[tuple[float, float], ...], Field(max_length=4000)] = ()
    drawing_scale: Annotated[float, Field(gt=1e-6, lt=1e6)] = 1.0
    ends: Literal["auto", "sharp", "blunt", "open"] = "auto"
    curve: Literal["spline", "polyline", "fitted"] = "spline"
    deviation_mm: Annotated[float, Field(gt=0.0, le=100.0)] = 0.02
    invert: bool = False
    contrast: Annotated[float, Field(ge=0.1, le=10.0)] = 1.0
    threshold: Annotated[int | None, Field(ge=0, le=255)] = None
    colour: Annotated[str | None, Field(pattern="^#[0-9a-fA-F]{6}$")] = None
    tolerance: Annotated[int, Field(ge=0, le=255)] = 40
    speckle: Annotated[int, Field(ge=0, le=1_000_000)] = 8
    smooth: Annotated[float, Field(gt=0.0, le=50.0)] = 0.5


@dataclass(frozen=True, kw_only=True)
class CurveSet:
    """A run of points of a coordinate table as it was understood. trailing_edge: sharp, blunt or open; dropped: lines
    not taken."""

    name: str
    points: int
    closed: bool
    trailing_edge: str
    dropped: int
    chord: float = 0.0
    rows: tuple[tuple[int, float, float], ...] = ()
    """Line number, x and y of the first points, as many as a table can show."""


@dataclass(frozen=True, kw_only=True)
class ReadResult:
    """A file as read: the linework in file units, the format's name and version, and what the file says of its unit.

    declared_unit: a name, or a number of mm as text, or None.  kind_says: a remark of the format itself on its unit,
    for the evidence.
    curve_sets: what a coordinate table holds.  pages: how many pages there are to choose from.
    """

    linework: Linework
    format: str
    version: str
    declared_unit: str | None
    kind_says: str = ""
    curve_sets: tuple[CurveSet, ...] = ()
    pages: int = 1
