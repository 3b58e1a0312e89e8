"""Lay linework on a face of the part, or on a plane of its own: an emblem on a lid, a second drawing on the front."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.errors import PickGone, Unfinished
from tectogon.units import parse_length
from tectogon.views import Plane, frame_of
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import FacePick, Length, Name
from tectogon.workpiece.point_picks import Anchor
from tectogon.workpiece.sentence import Sentence, choice_token, face_token, length_token, name_token, words
from tectogon.workpiece.transforms import PlacingParams, about_tokens, chosen, place_of, what_token

Onto = Literal["face", "top", "front", "right", "left", "bottom", "rear"]
PLANES = {
    "face": "a face",
    **{name: f"the {name} plane" for name in ("top", "front", "right", "left", "bottom", "rear")},
}


class LayParams(PlacingParams):
    """`about` of the linework comes to lie on the middle of the face, or on the origin of the plane, `x` and `y` mm
    from there. `called`: the name of the plane, by which its curves go."""

    onto: Onto = "face"
    face: FacePick | None = None
    about: Anchor = "centre"
    x: Length = 0.0
    y: Length = 0.0
    height: Length = 0.0
    called: Name = ""


def apply(workpiece: Workpiece, params: LayParams, context: Context) -> Workpiece:
    """Lay linework into a plane: on a face of the part, or on one of its own (mm).

    Raises Unfinished where no face is pressed, PickGone where it, or all of the linework, is gone.
    """
    rows = chosen(workpiece, params) & workpiece.drawing.kept
    linework = workpiece.drawing.linework
    curves = frozenset(linework.ids[i] for i in np.flatnonzero(rows).tolist())
    if not curves:
        raise PickGone("All of this linework is left out; take it back first.")
    at = place_of(workpiece, params, rows) - np.array([parse_length(params.x), parse_length(params.y)])
    height = parse_length(params.height)
    if params.onto == "face":
        from tectogon.building.extents import face_of
        from tectogon.building.on_face import frame_at

        if params.face is None:
            raise Unfinished("No face is picked: press a flat face of the part.")
        centre, normal = face_of(workpiece, params.face)
        frame = frame_at(centre + height * normal, normal, at)
    else:
        flat = frame_of(params.onto, (float(at[0]), float(at[1])))
        x, y, z = (np.array(flat.origin) + height * np.array(flat.normal)).tolist()
        frame = replace(flat, origin=(x, y, z))
    box = linework.table.take(rows).extents.tolist()
    views = tuple(v for v in (replace(v, curves=v.curves - curves) for v in workpiece.views) if v.curves)
    planes = tuple(p for p in (replace(p, curves=p.curves - curves) for p in workpiece.planes) if p.curves)
    where = "on a face" if params.onto == "face" else PLANES[params.onto].removeprefix("the ")
    name = params.called or f"{where}, operation {context.number}"
    plane = Plane(name, curves, frame, (box[0], box[1], box[2], box[3]), context.number)
    return replace(workpiece, views=views, planes=(*planes, plane))


def sentence(params: LayParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Lay "), what_token(params, workpiece), words(" on "), choice_token("onto", params.onto, PLANES)]
    if params.onto == "face":
        out += [words(": "), face_token("face", params.face)]
    out += [
        words(", "),
        *about_tokens(params),
        words(f" on its {'middle' if params.onto == 'face' else 'origin'}, off by x "),
        length_token("x", params.x),
    ]
    out += [words(", y "), length_token("y", params.y), words(", height "), length_token("height", params.height)]
    return [*out, words(", called "), name_token("called", params.called, "by its place")]


OPERATION = Operation(
    "lay",
    "arrange",
    "Lay on a face",
    "Linework of its own on a face or a plane",
    LayParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS | BODIES,
    writes=PLACEMENTS,
    serves="lays_on_face",
)
