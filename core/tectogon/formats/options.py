"""How a file is to be read, where its format leaves a choice: each option is described once, here. The command
line, the sentence of the step that reads, and the panel of the screen are made of these descriptions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

Editor = Literal["choice", "switch", "number", "colour", "part"]
"""How an option is set on a screen: one of several, one of two, typed, pressed on the picture, or drawn round."""


@dataclass(frozen=True)
class Described:
    """An option in words.

    label: before its value.  help: what the command line says of it.  words: each code as people say it; of a switch
    for "false" and "true".  editor: how it is set.  empty: what stands where no value is given.  sentence: how the
    sentence of a step says a value that is not the usual one, with {} for it; none says it not at all.
    needs: another option and the value it must have ("" for any) for this one to matter.  flag: whether the command
    line has it.
    """

    label: str
    help: str
    editor: Editor = "number"
    words: Mapping[str, str] = field(default_factory=dict)
    empty: str = ""
    sentence: str = ""
    needs: tuple[str, str] | None = None
    flag: bool = True


class ReadOptions(BaseModel):
    """How a file is to be read. Each format heeds the options that concern it (see `FileFormat.options`).

    region: x, y, width and height of the part to take, polygon: its corners; in file units (PDF) or in pixels from the
    lower left (pictures).
    drawing_scale: size on the part over size on the page; 2 for a drawing at 1 : 2.
    deviation_mm: how far a fitted spline may pass from the points.
    contrast: how far grey values are spread about the middle.  threshold: grey value 0..255 that parts dark from light.
    colour: "#rrggbb", with tolerance 0..255 a channel.  speckle: area of the smallest spot kept, in pixels.
    smooth: largest deviation of the fitted outline, in pixels.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    strokes: Annotated[
        Literal["centre", "outline"],
        Described(
            "",
            "strokes with no fill: centre lines or inked outline",
            "choice",
            {"centre": "strokes as centre lines", "outline": "strokes with their width"},
        ),
    ] = "centre"
    edge: Annotated[
        Literal["auto", "centre", "inked"],
        Described(
            "",
            "what is drawn with a pen: an edge as its centre line, or all as inked",
            "choice",
            {
                "auto": "an edge as its centre line",
                "centre": "draws as centre lines",
                "inked": "draws with their width",
            },
        ),
    ] = "auto"
    page: Annotated[int, Field(ge=1, le=10_000), Described("page", "page, from 1", sentence="page {}")] = 1
    region: Annotated[
        tuple[float, float, float, float] | None,
        Described("part", "a part of it", "part", sentence="a part of it", flag=False),
    ] = None
    polygon: Annotated[
        tuple[tuple[float, float], ...],
        Field(max_length=4000),
        Described("part", "a part of it", "part", sentence="a part of it", flag=False),
    ] = ()
    drawing_scale: Annotated[
        float,
        Field(gt=1e-6, lt=1e6),
        Described(
            "drawn at 1 :", "size on the part over size on the page; 2 for a drawing at 1:2", sentence="drawn at 1 : {}"
        ),
    ] = 1.0
    ends: Annotated[
        Literal["auto", "sharp", "blunt", "open"],
        Described(
            "",
            "how a run of points that ends near where it began is closed",
            "choice",
            {
                "auto": "closed as it seems",
                "sharp": "closed with a sharp edge",
                "blunt": "closed with a blunt edge",
                "open": "left open",
            },
        ),
    ] = "auto"
    curve: Annotated[
        Literal["spline", "polyline", "fitted"],
        Described(
            "",
            "what goes through points",
            "choice",
            {
                "spline": "a spline through the points",
                "polyline": "straight from point to point",
                "fitted": "a spline near the points",
            },
        ),
    ] = "spline"
    deviation_mm: Annotated[
        float,
        Field(gt=0.0, le=100.0),
        Described(
            "no more off than (mm)",
            "how far a fitted spline may pass from the points, mm",
            sentence="no more off than {} mm",
            needs=("curve", "fitted"),
        ),
    ] = 0.02
    invert: Annotated[
        bool,
        Described(
            "material is", "light is material", "switch", {"false": "dark", "true": "light"}, sentence="what is {}"
        ),
    ] = False
    threshold: Annotated[
        int | None,
        Field(ge=0, le=255),
        Described(
            "dark below grey (0 to 255)",
            "grey value that parts dark from light",
            empty="found",
            sentence="dark below grey {}",
        ),
    ] = None
    contrast: Annotated[
        float,
        Field(ge=0.1, le=10.0),
        Described("contrast", "how far grey values are spread about the middle", sentence="contrast {}"),
    ] = 1.0
    speckle: Annotated[
        int,
        Field(ge=0, le=1_000_000),
        Described("smallest spot (pixels)", "area of the smallest spot kept, pixels", sentence="spots from {} pixels"),
    ] = 8
    smooth: Annotated[
        float,
        Field(gt=0.0, le=50.0),
        Described(
            "followed within (pixels)",
            "largest deviation of the fitted outline, pixels",
            sentence="followed within {} pixels",
        ),
    ] = 0.5
    colour: Annotated[
        str | None,
        Field(pattern="^#[0-9a-fA-F]{6}$"),
        Described("colour", "colour that is material", "colour", empty="any", sentence="what is {}", flag=False),
    ] = None
    tolerance: Annotated[
        int,
        Field(ge=0, le=255),
        Described("within (0 to 255)", "how far colours may differ", needs=("colour", ""), flag=False),
    ] = 40


@dataclass(frozen=True)
class Option:
    """One option: the name of its field, its description, its usual value, and the type of a value."""

    name: str
    described: Described
    usual: Any
    type: type

    @property
    def choices(self) -> tuple[str, ...]:
        """Its codes, where it is one of several."""
        return tuple(self.described.words)

    def sentence(self, value: Any) -> tuple[str, str] | None:
        """What the sentence of a step says before and after a value; none for the usual one."""
        if value == self.usual or not self.described.sentence:
            return None
        before, _, after = self.described.sentence.partition("{}")
        return before, after

    def as_json(self) -> dict[str, Any]:
        d = self.described
        return {
            "field": self.name,
            "label": d.label,
            "editor": d.editor,
            "words": dict(d.words),
            "empty": d.empty,
            "usual": self.usual,
            "needs": list(d.needs) if d.needs else None,
        }


def _option(name: str) -> Option:
    info = ReadOptions.model_fields[name]
    described = next(m for m in info.metadata if isinstance(m, Described))
    plain = next((t for t in (*get_args(info.annotation), info.annotation) if t in (int, float, bool)), str)
    return Option(name, described, info.default, plain)


OPTIONS: dict[str, Option] = {name: _option(name) for name in ReadOptions.model_fields}
