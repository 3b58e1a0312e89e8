"""Make it sheet: the body is found to be of one thickness, its sharp corners get a bend radius, and from then on its
blank can be laid flat."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from tectogon.errors import Note, NothingToBuild, PickGone
from tectogon.units import parse_length, parse_number, show_length, show_number
from tectogon.workpiece.model import SheetMetal, Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, BodyPick, FacePick, Length, Number, OwnLength, Params
from tectogon.workpiece.sentence import (
    Sentence,
    body_tokens,
    choice_token,
    count_of,
    face_token,
    length_token,
    number_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.bending.recognise import SheetPart
    from tectogon.bending.unfold import Blank
    from tectogon.solids.body import Body
    from tectogon.workpiece.bend_allowance import Rule

RULES = {
    "din": "K by DIN 6935",
    "k": "K",
    "table": "K by the workshop's table",
    "allowance": "bend allowance",
    "deduction": "bend deduction",
}
CORNERS = {"as_drawn": "corners as they are", "parted": "corners parted by a gap of"}
_MOST_NAMED = 3


class BendRuleParams(Params):
    """How bends are allowed for: `rule` says which of the other values holds. `table`: radius / thickness and K, as the
    workshop kept them when the step was written; `taken`: what each bend takes of the flat, or saves of the lengths
    outside."""

    rule: Literal["din", "k", "table", "allowance", "deduction"] = "din"
    k: Number = "0.44"
    table: tuple[tuple[float, float], ...] = ()
    taken: Length = 2.0


class SheetMetalParams(BendRuleParams):
    """`body`: which body, where there are several; `face`: the one that stays where it is, the largest where none is
    picked; `radius`: the inner radius that sharp corners get, the thickness where none is given; `corners`, `gap`: what
    becomes of walls that meet in a corner."""

    body: BodyPick = None
    face: FacePick | None = None
    radius: OwnLength = OWN
    corners: Literal["as_drawn", "parted"] = "as_drawn"
    gap: Length = 0.2


def apply(workpiece: Workpiece, params: SheetMetalParams, context: Context) -> Workpiece:
    """Rounds the sharp corners of one body, inner and outer, and keeps how it unfolds. Raises PickGone without a body,
    and what finding and unfolding a sheet part raise."""
    from tectogon.bending.recognise import sheet_part

    body = _body(workpiece, params)
    radius = None if params.radius == OWN else parse_length(params.radius)
    gap = parse_length(params.gap) if params.corners == "parted" else None
    fixed = _face(workpiece, body, params.face)
    part = sheet_part(body, fixed=fixed, radius=radius, corner_gap=gap, step=context.number)
    return as_sheet(workpiece, body.key, part, rule_of(params), radius)


def as_sheet(workpiece: Workpiece, key: str, part: SheetPart, rule: Rule, radius: float | None) -> Workpiece:
    """The workpiece with one body as the sheet part that was found on it. Raises NothingToBuild where its blank would
    lie over itself."""
    from tectogon.bending.unfold import unfold
    from tectogon.solids.body import Body

    unfold(part, rule)
    made = Body.of(key, part.body.name, part.body.named)
    x, y, z = part.stays.tolist()
    bent = tuple(b.inner for b in part.bends)
    told = f"A sheet of {show_length(part.thickness)} with {count_of(len(bent), 'bend')}."
    marks = workpiece.sheet_metal.marks if workpiece.sheet_metal else ()
    return replace(
        workpiece,
        bodies=tuple(made if b.key == key else b for b in workpiece.bodies),
        sheet_metal=SheetMetal(key, rule, radius, (x, y, z), part.thickness, bent, marks),
    ).with_notes(Note("sheet_metal", told, good=True))


def found_again(workpiece: Workpiece) -> SheetPart:
    """The sheet part as it is now. Raises NothingToBuild where none is, PickGone where the body is gone, and what
    finding a sheet part raises."""
    import numpy as np

    from tectogon.bending.recognise import sheet_part

    how = workpiece.sheet_metal
    if how is None:
        raise NothingToBuild("The part is no sheet yet: use Sheet metal first.")
    return sheet_part(sheet_body(workpiece), at=np.array(how.stays), radius=how.radius)


def blank_of(workpiece: Workpiece, *, at_origin: bool = True) -> Blank:
    """The blank of the body that is sheet, as it is now. Raises what `found_again` raises, and NothingToBuild where it
    lies over itself."""
    from tectogon.bending.unfold import unfold

    part = found_again(workpiece)
    assert workpiece.sheet_metal is not None
    return unfold(part, workpiece.sheet_metal.rule, at_origin=at_origin)


def sheet_body(workpiece: Workpiece) -> Body:
    """The body that is sheet. Raises PickGone."""
    from tectogon.solids.body_keys import body_called

    return body_called(workpiece.bodies, workpiece.sheet_metal.body if workpiece.sheet_metal else "")


def rule_of(params: BendRuleParams) -> Rule:
    """How bends are allowed for. Raises BadValue for values that can't be."""
    from tectogon.workpiece.bend_allowance import Rule

    if params.rule == "k":
        return Rule(parse_number(params.k))
    if params.rule == "table":
        return Rule(table=params.table)
    if params.rule == "allowance":
        return Rule(stated=parse_length(params.taken))
    return Rule(deduction=parse_length(params.taken)) if params.rule == "deduction" else Rule()


def _body(workpiece: Workpiece, params: SheetMetalParams) -> Body:
    from tectogon.solids.body_keys import body_called

    if not workpiece.bodies:
        raise PickGone("There is no body to make sheet of yet; build one first.")
    if params.body is not None:
        return body_called(workpiece.bodies, params.body)
    if params.face is not None and params.face.body is not None:
        return body_called(workpiece.bodies, params.face.body)
    if len(workpiece.bodies) > 1:
        raise NothingToBuild(f"There are {len(workpiece.bodies)} bodies; say which one is sheet.")
    return workpiece.bodies[0]


def _face(workpiece: Workpiece, body: Body, pick: FacePick | None) -> int | None:
    from tectogon.solids import measure
    from tectogon.solids.picking import find_face

    if pick is None:
        return None
    face = find_face([body], pick.name, body=pick.body, beside=pick.beside, normal=pick.normal, point=pick.point)
    if measure.plane_of(face.body.faces[face.number]) is None:
        raise NothingToBuild("The face that stays where it is must be flat; press another.")
    return face.number


def sentence(params: SheetMetalParams, workpiece: Workpiece | None) -> Sentence:
    how = workpiece.sheet_metal if workpiece else None
    made = how is not None and how.radius == (None if params.radius == OWN else parse_length(params.radius))
    told = _found(how) if how is not None and made else ("Sheet metal", "sharp corners bent by")
    out = [
        words(told[0]),
        words(": "),
        face_token("face", params.face, "the largest face"),
        words(" fixed, "),
        words(told[1]),
        words(" "),
        length_token("radius", params.radius, "its thickness"),
        words(" inside, "),
        *bend_rule_tokens(params),
        words(", "),
        choice_token("corners", params.corners, CORNERS),
    ]
    gap = [words(" "), length_token("gap", params.gap)] if params.corners == "parted" else []
    return [*out, *gap, *body_tokens(", of ", params.body, workpiece)]


def _found(how: SheetMetal) -> tuple[str, str]:
    """The thickness and the bends that were found, in words."""
    sizes = sorted({round(r, 4) for r in how.bent})
    radii = f" of {' and '.join(show_number(r, 3) for r in sizes)} mm inside" if len(sizes) <= _MOST_NAMED else ""
    bends = f"{count_of(len(how.bent), 'bend')}{radii if sizes else ''}"
    return f"Sheet metal, {show_length(how.thickness)}", f"{bends}; sharp corners bent by"


def bend_rule_tokens(params: BendRuleParams) -> Sentence:
    """How bends are allowed for, in words."""
    out = [choice_token("rule", params.rule, RULES)]
    if params.rule == "k":
        out += [words(" "), number_token("k", params.k)]
    elif params.rule == "table":
        out += [words(f" of {count_of(len(params.table), 'row')}")]
    elif params.rule in ("allowance", "deduction"):
        out += [words(" "), length_token("taken", params.taken)]
    return out


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
