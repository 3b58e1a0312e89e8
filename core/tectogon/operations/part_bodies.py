"""Part bodies: by a plane, or by a profile that goes through them."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.errors import BadValue, NothingToBuild, PickGone, Unfinished
from tectogon.units import parse_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import BodyPick, FacePick, Length, Params, ProfileChoice
from tectogon.workpiece.profile_picks import chosen_regions
from tectogon.workpiece.sentence import (
    Sentence,
    body_tokens,
    choice_token,
    face_token,
    length_token,
    profiles_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.solids.body import Body, NamedShape

BY = {
    "z": "level, at a height of",
    "x": "across, at x",
    "y": "across, at y",
    "face": "along a face:",
    "profile": "by profiles:",
}
_AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


class PartBodiesParams(Params):
    by: Literal["z", "x", "y", "face", "profile"] = "z"
    at: Length = 0.0
    face: FacePick | None = None
    profiles: ProfileChoice = ProfileChoice()
    body: BodyPick = None


def apply(workpiece: Workpiece, params: PartBodiesParams, context: Context) -> Workpiece:
    """Bodies parted by a plane (mm) or by profiles that go through them.

    Raises Unfinished, PickGone, NothingToBuild where no body is met, KernelRefused.
    """
    from tectogon.solids.body_keys import body_called, parted_body
    from tectogon.solids.parting import parted_by

    if not workpiece.bodies:
        raise PickGone("There is no body to part yet; build one first.")
    tools = _tools(workpiece, params, context.number)
    wanted = None if params.body is None else body_called(workpiece.bodies, params.body).key
    out: list[Body] = []
    met = False
    for body in workpiece.bodies:
        pieces = parted_by(body, tools) if wanted in (None, body.key) else []
        met = met or len(pieces) > 1
        out += parted_body(body, pieces, context.number) if len(pieces) > 1 else [body]
    if not met:
        raise NothingToBuild("No body is parted there: the plane or the profile meets none. Move it.")
    return replace(workpiece, bodies=tuple(out))


def _tools(workpiece: Workpiece, params: PartBodiesParams, number: int) -> list[NamedShape]:
    """What lies on one side of the plane, or inside of the profiles."""
    from tectogon.building.extents import face_of
    from tectogon.building.extrusion import extrusions
    from tectogon.solids import measure
    from tectogon.solids.parting import half_space

    if params.by == "profile":
        regions = chosen_regions(workpiece, params.profiles)
        reach = 4.0 * max(abs(v) for v in measure.joint_bounds([b.shape for b in workpiece.bodies])) + 1e3
        return [f.named for f in extrusions(workpiece, regions, [(-reach, reach)] * len(regions), number)]
    shapes = [b.shape for b in workpiece.bodies]
    if params.by == "face":
        if params.face is None:
            raise Unfinished("Press the face along whose plane the bodies are parted.")
        point, normal = face_of(workpiece, params.face)
        return [half_space(shapes, point, normal, number)]
    height = parse_length(params.at)
    if abs(height) > 1e6:
        raise BadValue("The plane lies over a kilometre away; check its unit.")
    way = np.array(_AXES[params.by])
    return [half_space(shapes, height * way, way, number)]


def sentence(params: PartBodiesParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("Divide "), choice_token("by", params.by, BY), words(" ")]
    if params.by == "profile":
        out += [profiles_token("profiles", params.profiles)]
    elif params.by == "face":
        out += [face_token("face", params.face)]
    else:
        out += [length_token("at", params.at)]
    return [*out, *body_tokens(", in ", params.body, workpiece)]


OPERATION = Operation(
    "part_bodies",
    "build",
    "Divide",
    "By a plane, or by a profile",
    PartBodiesParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS | BODIES,
    writes=BODIES,
    wants="body",
)
