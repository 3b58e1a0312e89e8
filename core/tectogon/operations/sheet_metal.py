"""Make it sheet: the body is found to be of one thickness, its sharp corners get a bend radius, and from then on its
blank can be laid flat."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from tectogon.errors import Note, NothingToBuild, PickGone
from tectogon.units import parse_length, parse_number, show_length
from tectogon.workpiece.model import SheetMetal, Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, BodyPick, Number, OwnLength, Params
from tectogon.workpiece.sentence import Sentence, choice_token, count_of, length_token, number_token, words

if TYPE_CHECKING:
    from tectogon.bending.allowance import Rule
    from tectogon.bending.unfold import Blank
    from tectogon.solids.body import Body

RULES = {"din": "K by DIN 6935", "k": "K"}


class SheetMetalParams(Params):
    """`body`: which body, where there are several; `radius`: the inner radius that sharp corners get, the thickness
    where none is given; `rule`, `k`: how much of the flat a bend takes."""

    body: BodyPick = None
    radius: OwnLength = OWN
    rule: Literal["din", "k"] = "din"
    k: Number = "0.44"


def apply(workpiece: Workpiece, params: SheetMetalParams, context: Context) -> Workpiece:
    """Rounds the sharp corners of one body, inner and outer, and keeps how it unfolds. Raises PickGone without a body,
    and what finding and unfolding a sheet part raise."""
    from tectogon.bending.recognise import sheet_part
    from tectogon.bending.unfold import unfold
    from tectogon.solids.body import Body

    body = _body(workpiece, params)
    radius = None if params.radius == OWN else parse_length(params.radius)
    part = sheet_part(body, radius=radius)
    k = parse_number(params.k) if params.rule == "k" else None
    unfold(part, _rule(k))
    made = Body.of(body.key, body.name, part.body.named)
    x, y, z = part.stays.tolist()
    told = f"A sheet of {show_length(part.thickness)} with {count_of(len(part.bends), 'bend')}."
    return replace(
        workpiece,
        bodies=tuple(made if b.key == body.key else b for b in workpiece.bodies),
        sheet_metal=SheetMetal(body.key, k, radius, (x, y, z)),
    ).with_notes(Note("sheet_metal", told, good=True))


def blank_of(workpiece: Workpiece, *, at_origin: bool = True) -> Blank:
    """The blank of the body that is sheet, as it is now. Raises NothingToBuild where none is, or it lies over itself,
    PickGone where the body is gone, and what finding a sheet part raises."""
    import numpy as np

    from tectogon.bending.recognise import sheet_part
    from tectogon.bending.unfold import unfold

    how = workpiece.sheet_metal
    if how is None:
        raise NothingToBuild("The part is no sheet yet: use Sheet metal first.")
    part = sheet_part(sheet_body(workpiece), at=np.array(how.stays), radius=how.radius)
    return unfold(part, _rule(how.k), at_origin=at_origin)


def sheet_body(workpiece: Workpiece) -> Body:
    """The body that is sheet. Raises PickGone."""
    from tectogon.solids.body_keys import body_called

    return body_called(workpiece.bodies, workpiece.sheet_metal.body if workpiece.sheet_metal else "")


def _rule(k: float | None) -> Rule:
    from tectogon.bending.allowance import Rule

    return Rule() if k is None else Rule(k)


def _body(workpiece: Workpiece, params: SheetMetalParams) -> Body:
    from tectogon.solids.body_keys import body_called

    if not workpiece.bodies:
        raise PickGone("There is no body to make sheet of yet; build one first.")
    if params.body is not None:
        return body_called(workpiece.bodies, params.body)
    if len(workpiece.bodies) > 1:
        raise NothingToBuild(f"There are {len(workpiece.bodies)} bodies; say which one is sheet.")
    return workpiece.bodies[0]


def sentence(params: SheetMetalParams, workpiece: Workpiece | None) -> Sentence:
    radius = length_token("radius", params.radius)
    if params.radius == OWN:
        radius = replace(radius, text="its thickness")
    out = [
        words("Make it sheet, sharp corners bent by "),
        radius,
        words(" inside, "),
        choice_token("rule", params.rule, RULES),
    ]
    return [*out, words(" "), number_token("k", params.k)] if params.rule == "k" else out


OPERATION = Operation(
    "sheet_metal",
    "build",
    "Sheet metal",
    "Bends found or made, the blank laid flat",
    SheetMetalParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="body",
    serves="makes_sheet",
)
