"""Sheet from a line: a section drawn as one bent line gets a thickness and a width, its corners a bend radius, and is a
sheet part at once."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import BadValue, NothingToBuild
from tectogon.operations import thicken
from tectogon.operations.sheet_metal import BendRuleParams, as_sheet, bend_rule_tokens, rule_of
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import OWN, Length, OwnLength
from tectogon.workpiece.sentence import Sentence, choice_token, curves_token, length_token, words

EXTENTS = {"one": "to one side", "both": "half to each side"}


class SheetFromLineParams(BendRuleParams):
    """The one open line where no curves are picked; `side`: on which side of the line the material lies; `radius`: the
    inner radius of sharp corners, the thickness where none is given."""

    curves: tuple[str, ...] = ()
    thickness: Length = 1.5
    side: Literal["left", "right", "both"] = "left"
    width: Length = 50.0
    extent: Literal["one", "both"] = "both"
    radius: OwnLength = OWN


def apply(workpiece: Workpiece, params: SheetFromLineParams, context: Context) -> Workpiece:
    """A new body, the section raised by a width (mm), with its bends. Raises what giving a line thickness and finding a
    sheet part raise, BadValue for a width of nothing, NothingToBuild for more than one line."""
    from tectogon.bending.recognise import sheet_part
    from tectogon.building.extrusion import extrusions
    from tectogon.solids.features import with_features

    width = parse_length(params.width)
    if width < 10 * KERNEL_TOL:
        raise BadValue("The width must be more than nothing; type a width such as 50 mm.")
    thickened = thicken.apply(
        workpiece,
        thicken.ThickenParams(curves=params.curves, thickness=params.thickness, side=params.side, corners="miter"),
        context,
    )
    before = {r.id for r in workpiece.drawing.regions.regions}
    sections = [r for r in thickened.drawing.regions.profiles if r.id not in before]
    if len(sections) != 1:
        raise NothingToBuild(
            f"{len(sections)} sections come of these lines; pick the curves of the one that is to be sheet."
        )
    low = -width / 2.0 if params.extent == "both" else 0.0
    features = extrusions(thickened, sections, [(low, low + width)], context.number)
    bodies = with_features(workpiece.bodies, features, "new", None, context.number)
    body = bodies[-1]
    radius = None if params.radius == OWN else parse_length(params.radius)
    part = sheet_part(body, radius=radius)
    return as_sheet(replace(thickened, bodies=bodies, sheet_metal=None), body.key, part, rule_of(params), radius)


def sentence(params: SheetFromLineParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Sheet of "),
        length_token("thickness", params.thickness),
        words(" from "),
        curves_token(params.curves) if params.curves else words("the open line"),
        words(", "),
        choice_token("side", params.side, thicken.SIDES),
        words(", "),
        length_token("width", params.width),
        words(" wide, "),
        choice_token("extent", params.extent, EXTENTS),
        words(", corners bent by "),
        length_token("radius", params.radius, "its thickness"),
        words(" inside, "),
        *bend_rule_tokens(params),
    ]


OPERATION = Operation(
    "sheet_from_line",
    "build",
    "Sheet from a line",
    "A bent line becomes a sheet part: thickness, width, bend radius",
    SheetFromLineParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS | BODIES,
    writes=LINEWORK | BODIES,
    serves="makes_sheet",
)
