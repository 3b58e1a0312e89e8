"""Draw the part: how its drawing sheet is to look. The sheet itself is drawn when it is looked at or handed over."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from tectogon.errors import PickGone
from tectogon.units import parse_length, show_length
from tectogon.words import Language
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Length, Params
from tectogon.workpiece.sentence import Sentence, choice_token, count_of, words

SheetName = Literal["auto", "A4", "A3", "A2", "A1", "A0"]
ScaleName = Literal["auto", "10:1", "5:1", "2:1", "1:1", "1:2", "1:5", "1:10", "1:20", "1:50", "1:100"]
SHEETS = {"auto": "a sheet that suits", **{name: name for name in ("A4", "A3", "A2", "A1", "A0")}}
SCALES = {
    "auto": "in a scale that suits",
    **{f"{a}:{b}": f"{a} : {b}" for a, b in ((10, 1), (5, 1), (2, 1), (1, 1), (1, 2), (1, 5), (1, 10))},
    **{f"1:{b}": f"1 : {b}" for b in (20, 50, 100)},
}
ANGLES = {"first": "in first angle", "third": "in third angle"}
SIZES = {"all": "with all dimensions", "none": "without dimensions"}
BLANKS = {"with": "with its flat blank", "without": "without its blank"}
LISTS = {"with": "with its parts list", "without": "without a parts list"}
PICTORIALS = {"with": "with a pictorial view", "without": "without a pictorial view"}
LANGUAGES = {"en": "labelled in English", "de": "labelled in German"}
Axis = Literal["x", "y", "z"]
End = Literal["low", "high"]
Paper = Annotated[float, Field(ge=-2000.0, le=2000.0)]
Place = Annotated[float, Field(ge=-1e6, le=1e6)]
Names = Annotated[tuple[Annotated[str, Field(max_length=400)], ...], Field(max_length=12)]
MOST_CUTS, MOST_BY_HAND = 8, 400


class SectionWish(Params):
    """A section square to an axis, at a length along it; through the middle of what the faces `through` have, where
    they are named."""

    axis: Axis
    at: Length
    through: Names = ()


class DetailWish(Params):
    """A round place of a view, by its middle and radius in the view's plane (mm), drawn so many times larger."""

    view: Annotated[str, Field(max_length=12)]
    at: tuple[Place, Place]
    radius: Annotated[float, Field(gt=0.0, le=1e5)]
    times: Annotated[float, Field(gt=1.0, le=20.0)] = 2.0


class HandWish(Params):
    """What a hand has changed at one dimension of the sheet: `axis`: of a length (none: something round), `low`,
    `high`: the faces at its ends, `value` (mm) and `view` tell it from others; `along`, `away`: how far it was moved
    (mm of paper)."""

    axis: Axis | None = None
    low: Names
    high: Names
    value: Place
    view: Annotated[str, Field(max_length=12)] = ""
    state: Literal["placed", "dropped", "added"] = "placed"
    form: Literal["", "diameter", "radius", "brackets", "plain"] = ""
    along: Paper = 0.0
    away: Paper = 0.0


class DrawSheetParams(Params):
    """`datum`: for each axis the end of the part that lengths are taken from; `blank`: of a sheet part;
    `parts_list`: of a part of several bodies."""

    sheet: SheetName = "auto"
    scale: ScaleName = "auto"
    projection: Literal["first", "third"] = "first"
    dimensions: Literal["all", "none"] = "all"
    pictorial: Literal["with", "without"] = "with"
    blank: Literal["with", "without"] = "with"
    parts_list: Literal["with", "without"] = "with"
    language: Language = "en"
    datum: tuple[End, End, End] = ("low", "low", "low")
    sections: Annotated[tuple[SectionWish, ...], Field(max_length=MOST_CUTS)] = ()
    details: Annotated[tuple[DetailWish, ...], Field(max_length=MOST_CUTS)] = ()
    by_hand: Annotated[tuple[HandWish, ...], Field(max_length=MOST_BY_HAND)] = ()


def apply(workpiece: Workpiece, params: DrawSheetParams, context: Context) -> Workpiece:
    """Changes nothing of the part. Raises PickGone where there is no body to draw."""
    if not workpiece.bodies:
        raise PickGone("There is no body to draw yet; build one first.")
    return workpiece


def sentence(params: DrawSheetParams, workpiece: Workpiece | None) -> Sentence:
    more = []
    if params.sections:
        places = [f"{s.axis} {show_length(parse_length(s.at))}" for s in params.sections]
        more.append(f"with {'a section' if len(places) == 1 else 'sections'} at {' and '.join(places)}")
    if params.details:
        more.append(f"with {count_of(len(params.details), 'detail')}")
    if "high" in params.datum:
        more.append(
            "from the far end in " + " and ".join(a for a, e in zip("xyz", params.datum, strict=True) if e == "high")
        )
    if params.by_hand:
        more.append(f"{count_of(len(params.by_hand), 'dimension')} as set by hand")
    return [
        words("Draw the part on "),
        choice_token("sheet", params.sheet, SHEETS),
        words(", "),
        choice_token("scale", params.scale, SCALES),
        words(", "),
        choice_token("projection", params.projection, ANGLES),
        words(", "),
        choice_token("dimensions", params.dimensions, SIZES),
        words(", "),
        choice_token("pictorial", params.pictorial, PICTORIALS),
        *([words(", "), choice_token("blank", params.blank, BLANKS)] if workpiece and workpiece.sheet_metal else ()),
        *([words(", "), choice_token("parts_list", params.parts_list, LISTS)] if _is_several(workpiece) else ()),
        words(", "),
        choice_token("language", params.language, LANGUAGES),
        *(words(f", {text}") for text in more),
    ]


def _is_several(workpiece: Workpiece | None) -> bool:
    return workpiece is not None and len(workpiece.bodies) > 1


OPERATION = Operation(
    "draw_sheet",
    "hand_over",
    "Draw the sheet",
    "Views, sections, dimensions, frame and title block",
    DrawSheetParams,
    apply,
    sentence,
    reads=BODIES,
    writes=frozenset(),
    wants="body",
    serves="draws_sheet",
)
