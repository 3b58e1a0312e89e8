"""What extrude and cut share: finding picked regions, making prisms, putting them to the bodies, proving the result."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from tectogon.errors import KernelRefused, NothingToBuild, PickGone, Place
from tectogon.linework import identity
from tectogon.operations.workpiece import Workpiece
from tectogon.profiles import Region
from tectogon.profiles.pinch import parted
from tectogon.solids import kernel, measure, proof
from tectogon.solids.bodies import body_called, made_bodies, parted_body
from tectogon.solids.body import Body, Named
from tectogon.solids.combine import combine, unified
from tectogon.solids.mesh import point_inside
from tectogon.solids.prism import prism
from tectogon.views import Frame


@dataclass(frozen=True)
class Tool:
    """A prism with the region it stands on and how high it reaches (mm along its frame's normal)."""

    named: Named
    region: Region
    frame: Frame
    low: float
    high: float


def make_tools(workpiece: Workpiece, regions: list[Region], spans: list[tuple[float, float]], number: int) -> list[Tool]:
    """A proven prism for each region between its own two heights; several where a region pinches to a point.

    Raises KernelRefused naming the curves.
    """
    out = []
    for region, (start, end) in zip(regions, spans, strict=True):
        frame, drawing = workpiece.frame_of(region), workpiece.drawing.regions_of(region)
        place = Place(drawing.curves_of(region.outer), region.centroid)
        simple, parts = parted(drawing, region)
        proof.check_volume(sum(p.area for p in parts), region.area, place)
        for part in parts:
            with kernel.refusals("The solid kernel refuses this profile; look at its boundary.", place):
                named = prism(simple, part, frame, start, end, number, profile=region.id)
                proof.check_prism(named, part.area, abs(end - start), place)
            out.append(Tool(named, part, frame, min(start, end), max(start, end)))
    return out


def witnesses_of(tools: list[Tool]) -> list[proof.Witness]:
    """Points inside each profile at three depths, known to lie in the tool."""
    out = []
    for tool in tools:
        for height in proof.depths(tool.low, tool.high).tolist():
            x, y, z = tool.frame.place(np.array(tool.region.inside), height).tolist()
            out.append(proof.Witness((x, y, z), True, (tool.region.id,)))
    return out


def new_bodies(workpiece: Workpiece, tools: list[Tool], number: int) -> tuple[Body, ...]:
    """Prisms that touch become one body; the others each their own."""
    place = Place(point=tools[0].region.centroid)
    joined = Named.all_of([t.named for t in tools])
    if len(tools) > 1 and _any_touch([t.named for t in tools]):
        joined = combine("join", [tools[0].named], [t.named for t in tools[1:]])
        same_frame = all(t.frame == tools[0].frame for t in tools)
        if same_frame:
            proof.check_volume(joined.volume, sum(t.region.area * (t.high - t.low) for t in tools), place)
        proof.check_valid(joined, place)
    elif _was_cut(tools):
        joined = unified(joined)
    proof.check_witnesses(None, joined.shape, witnesses_of(tools), lambda before, tool: tool)
    return (*workpiece.bodies, *made_bodies(joined.solids(), number, before=len(workpiece.bodies)))


def _was_cut(tools: list[Tool]) -> bool:
    return any(identity.is_piece(name.curve or "") for tool in tools for name in tool.named.names)


def _any_touch(parts: list[Named]) -> bool:
    boxes = np.array([measure.bounds(p.shape) for p in parts])
    low, high = boxes[:, :3] - 1e-6, boxes[:, 3:] + 1e-6
    order = np.argsort(low[:, 0])
    for n, i in enumerate(order.tolist()):
        rest = order[n + 1 :]
        rest = rest[low[rest, 0] <= high[i, 0]]
        if ((low[rest] <= high[i]) & (high[rest] >= low[i])).all(axis=1).any():
            return True
    return False


def change_bodies(
    workpiece: Workpiece, kind: Literal["join", "cut", "common"], tools: list[Named], witnesses: list[proof.Witness], wanted: str | None, number: int
) -> tuple[Body, ...]:
    """The bodies with tools joined, cut or made common by step `number`; those the tools do not reach stay as they are (common drops them).

    Raises PickGone where there is no body, NothingToBuild where nothing would change or nothing be left, KernelRefused on a wrong result.
    """
    bodies = _reachable(workpiece, kind, tools, wanted)
    done, apart = _joined(bodies, tools) if kind == "join" else (_pared(bodies, kind, tools), [])
    changed = {body.key for body in bodies}
    parts = [p for some in done.values() for p in some] + apart
    before = kernel.compound_of(b.shape for b in bodies)
    after = kernel.compound_of(p.shape for p in parts)
    _check_volumes(kind, sum(b.volume for b in bodies), parts, tools)
    rules = {"join": lambda b, t: b or t, "cut": lambda b, t: b and not t, "common": lambda b, t: b and t}
    proof.check_witnesses(before, after, witnesses, rules[kind])
    out: list[Body] = []
    for body in workpiece.bodies:
        if body.key not in changed:
            if kind != "common" or wanted:
                out.append(body)
            continue
        out += parted_body(body, done.get(body.key, []), number)
    out += made_bodies(apart, number, before=len(out))
    if not out:
        raise NothingToBuild("Nothing would be left: this takes away every body. Turn the side, or take the other side of the profile.")
    return tuple(out)


def _reachable(workpiece: Workpiece, kind: str, tools: list[Named], wanted: str | None) -> list[Body]:
    if not workpiece.bodies:
        raise PickGone(f"There is no body to {'join to' if kind == 'join' else 'cut'} yet; extrude a profile as a new body first.")
    bodies = list(workpiece.bodies) if wanted is None else [body_called(workpiece.bodies, wanted)]
    boxes = np.array([measure.bounds(t.shape) for t in tools])
    near = [
        b
        for b in bodies
        if ((np.array(measure.bounds(b.shape)[:3]) <= boxes[:, 3:] + 1e-6) & (np.array(measure.bounds(b.shape)[3:]) >= boxes[:, :3] - 1e-6)).all(axis=1).any()
    ]
    if not near:
        raise NothingToBuild("The profile does not reach any body there: nothing would change. Turn the side, or change the depth or the start.")
    return near


def _joined(bodies: list[Body], tools: list[Named]) -> tuple[dict[str, list[Named]], list[Named]]:
    """What became of each body, by its key, and tools that touch none of them."""
    whole = combine("join", [Named(b.shape, b.names) for b in bodies], tools)
    parts = whole.solids()
    out: dict[str, list[Named]] = {}
    left = list(parts)
    for body in bodies:
        x, y, z = _point_in(body)
        mine = next((p for p in left if proof.Inside(p.shape)((x, y, z))), None)
        if mine is not None:
            left.remove(mine)
            out[body.key] = [mine]
    return out, left


def _point_in(body: Body) -> tuple[float, float, float]:
    """A point inside a body: halfway between the first two skins that a line through its mesh meets."""
    return point_inside(body.shape)


def _pared(bodies: list[Body], kind: Literal["cut", "common"], tools: list[Named]) -> dict[str, list[Named]]:
    return {b.key: combine(kind, [Named(b.shape, b.names)], tools).solids() for b in bodies}


def _check_volumes(kind: str, was: float, after: list[Named], tools: list[Named]) -> None:
    now, tool = sum(p.volume for p in after), sum(t.volume for t in tools)
    slack = 1e-7 * max(was, tool)
    if kind == "cut" and now >= was - slack:
        raise NothingToBuild("The cut takes nothing away there. Turn the side, or change the depth or the start.")
    if kind == "join" and now <= was + slack:
        raise NothingToBuild("Joining adds nothing there: the body already holds all of it.")
    low, high = {"cut": (was - tool, was), "join": (max(was, 0.0), was + tool), "common": (0.0, min(was, tool))}[kind]
    if not low - slack <= now <= high + slack:
        raise KernelRefused(f"The body would have {now:.3f} mm³, outside of what is possible ({low:.3f} to {high:.3f} mm³); it was not kept.")
    for part in after:
        proof.check_valid(part, Place())
