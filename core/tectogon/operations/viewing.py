"""A part out of its views: outlines of all views extruded through each other and what is common kept, then holes and steps by the depths read."""

from __future__ import annotations

from typing import Any

import numpy as np

from tectogon.curves import CurveTable
from tectogon.errors import KernelRefused, NothingToBuild, Place
from tectogon.operations.reading import Seen, depth_of, outer_of, part_box, read_depth, sides_seen
from tectogon.operations.workpiece import Workpiece
from tectogon.profiles import Region, find_regions
from tectogon.profiles.shapes import boundary, combined
from tectogon.solids import proof
from tectogon.solids.body import Body, Named
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism


def build_from_views(workpiece: Workpiece, number: int) -> tuple[Body, ...]:
    """Bodies from the folded views of a workpiece. Raises NothingToBuild where there are fewer than two, or where they share nothing."""
    seen = sides_seen(workpiece)
    if len(seen) < 2:
        raise NothingToBuild("Two views or more are wanted to build a part from; fold another one, or extrude a profile by a length.")
    box = part_box(seen)
    solid: Named | None = None
    for s in seen:
        tool = outline_of(s, box, number)
        solid = tool if solid is None else combine("common", [solid], [tool])
    assert solid is not None
    if not solid.solids():
        raise NothingToBuild("The views have nothing in common; check which is which, and how they are lined up.")
    holes: list[Named] = []
    steps: list[tuple[Seen, Region, float, float]] = []
    witnesses: list[proof.Witness] = []
    for s in seen:
        for region in s.regions.regions:
            if region.level != 1:
                continue
            kind, low, high = read_depth(s, region, seen, box)
            if kind == "hole":
                holes.append(prism(s.regions, region, s.view.frame, low, high, number))
                x, y, z = s.view.frame.place(np.array(region.inside), (low + high) / 2.0).tolist()
                witnesses.append(proof.Witness((x, y, z), True, (region.id,)))
            elif kind == "step":
                steps.append((s, region, low, high))
    for s, region, low, high in steps:
        around = combined(CurveTable.join([boundary(s.outline, r) for r in s.outline.profiles]), [outer_of(s.regions, region)], "subtract", join_tol=s.tol)
        rest = find_regions(around, tuple(f"{s.view.name}{n}" for n in range(len(around))), join_tol=s.tol)
        holes += [prism(rest, r, s.view.frame, low, high, number) for r in rest.profiles]
    cut = combine("cut", [solid], holes) if holes else solid
    parts = cut.solids()
    if not parts:
        raise NothingToBuild("Nothing would be left: the holes that the views show take the whole part away. Check which view is which.")
    _prove(solid, cut, holes, witnesses)
    first = len(workpiece.bodies) + 1
    return tuple(Body.of(f"{number}" if len(parts) == 1 else f"{number}.{n + 1}", f"Body {first + n}", p) for n, p in enumerate(parts))


def outline_of(s: Seen, box: dict[int, tuple[float, float]], number: int) -> Named:
    """The outline of a view extruded through the whole part, and a little over. Raises NothingToBuild where it does not close."""
    low, high = depth_of(s.view, box)
    tools = [prism(s.outline, r, s.view.frame, low, high, number) for r in s.outline.profiles]
    if not tools:
        raise NothingToBuild(f"The outline of the {s.view.name} view does not close; mend it first.")
    return tools[0] if len(tools) == 1 else combine("join", [tools[0]], tools[1:])


def _prove(solid: Named, cut: Named, holes: list[Named], witnesses: list[proof.Witness]) -> None:
    """Sound, no smaller than the outlines less every hole, no larger than the outlines, and empty in the middle of each hole. Raises KernelRefused."""
    proof.check_valid(cut, Place())
    least, most = solid.volume - sum(h.volume for h in holes), solid.volume
    slack = 1e-7 * most
    if not least - slack <= cut.volume <= most + slack:
        raise KernelRefused(f"The part would have {cut.volume:.3f} mm³, outside of what its views allow ({least:.3f} to {most:.3f} mm³); it was not kept.")
    proof.check_witnesses(None, cut.shape, witnesses, lambda before, tool: not tool)


def steps_from_views(workpiece: Workpiece) -> list[tuple[str, dict[str, Any]]]:
    """The same part as ordinary operations: the outline of each view through the others, then the holes of each view, then its steps.

    Kind and values of each. Raises NothingToBuild as `build_from_views` does.
    """
    seen = sides_seen(workpiece)
    if len(seen) < 2:
        raise NothingToBuild("Two views or more are wanted to build a part from; fold another one, or extrude a profile by a length.")
    box = part_box(seen)
    out: list[tuple[str, dict[str, Any]]] = [("outline", {"view": s.view.name, "result": "common" if n else "new"}) for n, s in enumerate(seen)]
    for s in seen:
        holes: list[dict[str, Any]] = []
        steps: list[dict[str, Any]] = []
        for region in s.regions.regions:
            if region.level == 1:
                pick = {"id": region.id, "at": region.inside, "area": region.area}
                (steps if read_depth(s, region, seen, box)[0] == "step" else holes).append(pick)
        if holes:
            out.append(("cut", {"profiles": {"rule": "picked", "picks": holes}, "depth": "as seen"}))
        out += [("cut", {"profiles": {"rule": "picked", "picks": [pick]}, "depth": "as seen", "takes": "outside"}) for pick in steps]
    return out
