"""Join bodies, cut one by another, or keep what they have in common."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from tectogon.errors import NothingToBuild, PickGone, Place
from tectogon.tolerances import TOUCHING
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import BodyPick, Params
from tectogon.workpiece.sentence import Sentence, body_token, choice_token, words

if TYPE_CHECKING:
    from tectogon.solids.body import Body
    from tectogon.solids.features import Feature

HOWS = {"join": "Join", "cut": "Cut", "common": "Keep what is common of"}
WITH = {"join": " with ", "cut": " by ", "common": " and "}
STAYS = {"goes": "which goes", "stays": "which stays"}


class CombineBodiesParams(Params):
    """The first body with all others, where none are chosen. `other`: whether what it is combined with stays."""

    how: Literal["join", "cut", "common"] = "join"
    body: BodyPick = None
    with_body: BodyPick = None
    other: Literal["goes", "stays"] = "goes"


def apply(workpiece: Workpiece, params: CombineBodiesParams, context: Context) -> Workpiece:
    """One body combined with another, or with all others.

    Raises PickGone where there are not two bodies, or the chosen one is gone; NothingToBuild where they don't meet.
    """
    from tectogon.solids import measure, proof
    from tectogon.solids.body_keys import body_called
    from tectogon.solids.features import with_features
    from tectogon.solids.told_apart import within_and_without

    bodies = workpiece.bodies
    if len(bodies) < 2:
        raise PickGone("There is only one body; this takes two.")
    body = body_called(bodies, params.body) if params.body else bodies[0]
    others = [b for b in bodies if b.key != body.key]
    if params.with_body:
        others = [body_called(bodies, params.with_body)]
        if others[0].key == body.key:
            raise PickGone(f"{body.name} can't be combined with itself; choose another body.")
    if all(measure.distance(body.shape, other.shape)[0] > TOUCHING for other in others):
        raise NothingToBuild(f"{body.name} meets none of the others, so that nothing would change. Move it first.")
    if params.how == "join":
        made = with_features((body,), [_feature(other) for other in others], "join", None, context.number)
        if len(made) == 1 and len(others) == 1:
            shared = sum(s.volume for s in within_and_without([body.named], [others[0].named])[0])
            proof.check_volume(made[0].volume, body.volume + others[0].volume - shared, Place())
    else:
        made = tuple(_parted(body, others, params.how, context.number))
    gone = {b.key for b in others} if params.other == "goes" else set()
    out: list[Body] = []
    for one in bodies:
        out += made if one.key == body.key else [] if one.key in gone else [one]
    return replace(workpiece, bodies=tuple(out))


def _parted(body: Body, others: list[Body], how: Literal["cut", "common"], step: int) -> list[Body]:
    """What of a body lies without others, or within: each piece told by a point inside it."""
    from tectogon.solids import proof
    from tectogon.solids.body_keys import parted_body
    from tectogon.solids.told_apart import within_and_without

    within, without = within_and_without([body.named], [o.named for o in others])
    if how == "cut" and not within:
        raise NothingToBuild("The cut takes nothing away there: the bodies only touch.")
    left = without if how == "cut" else within
    if not left:
        told = "they lie within each other" if how == "cut" else "the bodies only touch"
        raise NothingToBuild(f"Nothing of {body.name} would be left: {told}.")
    for piece in left:
        proof.check_valid(piece, Place())
    return parted_body(body, left, step)


def _feature(body: Body) -> Feature:
    """A body as a feature: its volume was proven when it was made."""
    from tectogon.solids.body import NamedShape
    from tectogon.solids.features import Feature
    from tectogon.solids.mesh import point_inside
    from tectogon.solids.proof import Witness

    inside = Witness(point_inside(body.shape), True, ())
    return Feature(NamedShape(body.shape, body.names), body.volume, (inside,), Place(point=inside.point))


def sentence(params: CombineBodiesParams, workpiece: Workpiece | None) -> Sentence:
    return [
        choice_token("how", params.how, HOWS),
        words(" "),
        body_token("body", params.body, workpiece, "the first body"),
        words(WITH[params.how]),
        body_token("with_body", params.with_body, workpiece, "every other body"),
        words(", "),
        choice_token("other", params.other, STAYS),
    ]


OPERATION = Operation(
    "combine_bodies",
    "build",
    "Combine",
    "Join, cut one by another, keep what is common",
    CombineBodiesParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="bodies",
    serves="joins_bodies",
)
