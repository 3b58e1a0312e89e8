"""Features: whatever makes a solid gives one, and the bodies are changed by features alone.

A feature brings its own proof: the volume it must have, found without the kernel, and witnesses, points of which is
known whether it holds them. So a new way of making a solid is a function that returns features; that they are proven,
meet the bodies and name what comes of it is done here, once.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tectogon.errors import KernelRefused, NothingToBuild, PickGone, Place
from tectogon.linework import identity
from tectogon.solids import kernel, measure, proof
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.body_keys import body_called, made_bodies, parted_body
from tectogon.solids.combine import combine, unified
from tectogon.solids.mesh import point_inside
from tectogon.solids.sunk import sunk
from tectogon.views import Frame

Result = Literal["new", "each", "join", "cut", "common"]
_RULES: dict[str, Callable[[bool, bool], bool]] = {
    "join": lambda b, t: b or t,
    "cut": lambda b, t: b and not t,
    "common": lambda b, t: b and t,
}


@dataclass(frozen=True, eq=False)
class Feature:
    """One solid on its way to the bodies.

    named: the solid with names for its faces.  expected: its volume (mm³) by a way that does not ask the kernel.
    witnesses: points known to lie in it, or not.  place: where on the sheet it comes from.  frame: the plane it stands
    on, where it stands on one: features of one plane never overlap.  sound: made so that it is as sound as its profile.
    """

    named: NamedShape
    expected: float
    witnesses: tuple[proof.Witness, ...]
    place: Place
    frame: Frame | None = None
    sound: bool = False

    def proven(self) -> Feature:
        """Itself, if it is sound and has the volume it must have. A prism is as sound as its profile, which was found
        to be simple, and so is what runs along a path that has room for it; what comes of either is looked at when it
        has met the bodies. Raises KernelRefused."""
        if self.frame is None and not self.sound:
            proof.check_valid(self.named, self.place)
        proof.check_volume(self.named.volume, self.expected, self.place)
        return self


def with_features(
    bodies: Sequence[Body],
    features: Sequence[Feature],
    result: Result,
    wanted: str | None,
    step: int,
    parts: Mapping[str, str] | None = None,
) -> tuple[Body, ...]:
    """The bodies after features of step `step` were put to them: as new bodies (those that touch as one, or `each`
    profile as its own), or joined to, cut from or made common with those they reach, or with the one that is `wanted`
    by its key. Bodies that are not reached stay as they are (common drops them). `parts`: profiles that belong to
    another, by their ids, so that both make one body.

    Raises PickGone where there is no body, NothingToBuild where nothing would change or nothing be left, KernelRefused
    on a wrong result.
    """
    if result == "new":
        return _new(bodies, features, step)
    if result == "each":
        for some in _by_profile(features, parts or {}):
            bodies = _new(bodies, some, step)
        return tuple(bodies)
    return _changed(bodies, features, result, wanted, step)


def _by_profile(features: Sequence[Feature], parts: Mapping[str, str]) -> list[list[Feature]]:
    """Features that one profile made, or that belong together: a profile that pinches to a point makes several."""
    out: dict[str | None, list[Feature]] = {}
    for feature in features:
        profile = next((name.profile for name in feature.named.names if name.profile), None)
        while profile is not None and profile in parts:
            profile = parts[profile]
        out.setdefault(profile, []).append(feature)
    return list(out.values())


def _new(bodies: Sequence[Body], features: Sequence[Feature], step: int) -> tuple[Body, ...]:
    """Features that touch become one body; the others each their own."""
    place = features[0].place
    named = [f.named for f in features]
    joined = NamedShape.all_of(named)
    if len(named) > 1 and _any_touch(named):
        joined = combine("join", [named[0]], named[1:])
        total, most = sum(f.expected for f in features), max(f.expected for f in features)
        apart = features[0].frame is not None and all(f.frame == features[0].frame for f in features)
        proof.check_volume(joined.volume, total if apart else float(np.clip(joined.volume, most, total)), place)
    elif any(identity.is_piece(name.curve or "") for each in named for name in each.names):
        joined = unified(joined)
    parts = joined.solids()
    for part in parts:
        proof.check_valid(part, place)
        proof.check_volume(part.volume, abs(part.volume), place)
    proof.check_witnesses(None, joined.shape, _witnesses(features), lambda before, tool: tool)
    return (*bodies, *made_bodies(parts, step, before=len(bodies)))


def _changed(
    bodies: Sequence[Body],
    features: Sequence[Feature],
    how: Literal["join", "cut", "common"],
    wanted: str | None,
    step: int,
) -> tuple[Body, ...]:
    tools = [f.named for f in features]
    reached = _reached(bodies, how, tools, wanted)
    done, apart = _sunk(reached, features, how) or _combined(reached, tools, how)
    parts = [p for some in done.values() for p in some] + apart
    before, after = kernel.compound_of(b.shape for b in reached), kernel.compound_of(p.shape for p in parts)
    proof.check_witnesses(before, after, _witnesses(features), _RULES[how])
    out: list[Body] = []
    for body in bodies:
        if body.key in done:
            out += parted_body(body, done[body.key], step)
        elif not any(body is b for b in reached) and (how != "common" or wanted):
            out.append(body)
    out += made_bodies(apart, step, before=len(out))
    if not out:
        raise NothingToBuild(
            "Nothing would be left: this takes away every body. Turn the side, or take the other side of the profile."
        )
    return tuple(out)


_Changed = tuple[dict[str, list[NamedShape]], list[NamedShape]]
"""What became of each body, by its key, and features that touch none of them."""


def _sunk(bodies: Sequence[Body], features: Sequence[Feature], how: str) -> _Changed | None:
    """Prisms put into, or onto, one flat face of one body without intersecting; proven by the volume that this must
    give. None where they don't lie so."""
    frame = features[0].frame
    if len(bodies) != 1 or frame is None or any(f.frame != frame for f in features) or how not in ("cut", "join"):
        return None
    made = sunk(bodies[0].named, [f.named for f in features], "cut" if how == "cut" else "join", frame)
    if made is None:
        return None
    moved = sum(f.expected for f in features) * (-1.0 if how == "cut" else 1.0)
    proof.check_volume(made.volume, bodies[0].volume + moved, features[0].place)
    return {bodies[0].key: [made]}, []


def _combined(bodies: Sequence[Body], tools: Sequence[NamedShape], how: Literal["join", "cut", "common"]) -> _Changed:
    """The kernel's own joining, cutting and common part, checked."""
    if how == "join":
        done, apart = _joined(bodies, tools)
    else:
        done, apart = {b.key: combine(how, [b.named], list(tools)).solids() for b in bodies}, []
    _check_volumes(how, sum(b.volume for b in bodies), [p for some in done.values() for p in some] + apart, tools)
    return done, apart


def _witnesses(features: Sequence[Feature]) -> list[proof.Witness]:
    return [w for f in features for w in f.witnesses]


def _any_touch(parts: Sequence[NamedShape]) -> bool:
    boxes = np.array([measure.bounds(p.shape) for p in parts])
    low, high = boxes[:, :3] - 1e-6, boxes[:, 3:] + 1e-6
    order = np.argsort(low[:, 0])
    for n, i in enumerate(order.tolist()):
        rest = order[n + 1 :]
        rest = rest[low[rest, 0] <= high[i, 0]]
        if ((low[rest] <= high[i]) & (high[rest] >= low[i])).all(axis=1).any():
            return True
    return False


def _reached(bodies: Sequence[Body], how: str, tools: Sequence[NamedShape], wanted: str | None) -> list[Body]:
    if not bodies:
        raise PickGone(
            f"There is no body to {'join to' if how == 'join' else 'cut'} yet; extrude a profile as a new body first."
        )
    asked = list(bodies) if wanted is None else [body_called(bodies, wanted)]
    boxes = np.array([measure.bounds(t.shape) for t in tools])
    near = [
        b
        for b in asked
        if (
            (np.array(measure.bounds(b.shape)[:3]) <= boxes[:, 3:] + 1e-6)
            & (np.array(measure.bounds(b.shape)[3:]) >= boxes[:, :3] - 1e-6)
        )
        .all(axis=1)
        .any()
    ]
    if not near:
        raise NothingToBuild(
            "The profile does not reach any body there: nothing would change. Turn the side, or change the depth or the"
            " start."
        )
    return near


def _joined(bodies: Sequence[Body], tools: Sequence[NamedShape]) -> _Changed:
    """Bodies and tools joined; a body that another took in is gone."""
    left = combine("join", [NamedShape(b.shape, b.names) for b in bodies], list(tools)).solids()
    out: dict[str, list[NamedShape]] = {}
    for body in bodies:
        inside = point_inside(body.shape)
        mine = next((p for p in left if proof.Inside(p.shape)(inside)), None)
        if mine is not None:
            left.remove(mine)
            out[body.key] = [mine]
    return out, left


def _check_volumes(how: str, was: float, after: Sequence[NamedShape], tools: Sequence[NamedShape]) -> None:
    now, tool = sum(p.volume for p in after), sum(t.volume for t in tools)
    slack = 1e-7 * max(was, tool)
    if how == "cut" and now >= was - slack:
        raise NothingToBuild("The cut takes nothing away there. Turn the side, or change the depth or the start.")
    if how == "join" and now <= was + slack:
        raise NothingToBuild("Joining adds nothing there: the body already holds all of it.")
    low, high = {"cut": (was - tool, was), "join": (max(was, 0.0), was + tool), "common": (0.0, min(was, tool))}[how]
    if not low - slack <= now <= high + slack:
        raise KernelRefused(
            f"The body would have {now:.3f} mm³, outside of what is possible ({low:.3f} to {high:.3f} mm³); it was not"
            " kept."
        )
    for part in after:
        proof.check_valid(part, Place())
