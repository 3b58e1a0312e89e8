"""A part out of its views: outlines of all views extruded through each other and what is common kept, then all taken
away that stands in front of the faces they show."""

from __future__ import annotations

from typing import Any

import numpy as np

from tectogon.errors import KernelRefused, NothingToBuild, Place
from tectogon.reconstruction.clearings import Clearing, cleared
from tectogon.reconstruction.depths import Box, Seen, depth_of, part_box, sides_seen, unclosed
from tectogon.solids import proof
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.body_keys import made_bodies
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.profile_picks import pick_of


def build_from_views(workpiece: Workpiece, number: int) -> tuple[Body, ...]:
    """Bodies from the folded views of a workpiece. Raises NothingToBuild where there are fewer than two, or where they
    share nothing."""
    seen, box = _views(workpiece)
    solid = _common(seen, box, number)
    cut, clearings = cleared(seen, box, solid, number)
    parts = cut.solids()
    if not parts:
        raise NothingToBuild(
            "Nothing would be left: the holes that the views show take the whole part away. Check which view is which."
        )
    _prove(solid, cut, clearings, box, number)
    return tuple(made_bodies(parts, number, before=len(workpiece.bodies)))


def closed_views(workpiece: Workpiece) -> None:
    """Raises NothingToBuild naming a place where the outline of a view does not close."""
    for s in sides_seen(workpiece):
        if fault := unclosed(s):
            raise NothingToBuild(*fault)


def _views(workpiece: Workpiece) -> tuple[list[Seen], Box]:
    seen = sides_seen(workpiece)
    if len(seen) < 2:
        raise NothingToBuild(
            "Two views or more are wanted to build a part from; fold another one, or extrude a profile by a length."
        )
    return seen, part_box(seen)


def _common(seen: list[Seen], box: Box, number: int) -> NamedShape:
    """What the outlines of all views, each extruded through the part, have in common."""
    solid: NamedShape | None = None
    for s in seen:
        tool = outline_of(s, box, number)
        solid = tool if solid is None else combine("common", [solid], [tool])
    assert solid is not None
    if not solid.solids():
        raise NothingToBuild("The views have nothing in common; check which is which, and how they are lined up.")
    return solid


def outline_of(s: Seen, box: Box, number: int) -> NamedShape:
    """The outline of a view extruded through the whole part, and a little over. Raises NothingToBuild where it does not
    close."""
    low, high = depth_of(s.view, box)
    tools = [prism(s.outline, r, s.view.frame, low, high, number) for r in s.outline.profiles]
    if not tools:
        raise NothingToBuild(f"The outline of the {s.view.name} view does not close; mend it first.")
    return tools[0] if len(tools) == 1 else combine("join", [tools[0]], tools[1:])


def _prove(solid: NamedShape, cut: NamedShape, clearings: list[Clearing], box: Box, number: int) -> None:
    """Sound, no smaller than the outlines less all that is cleared, no larger than the outlines, and empty in front of
    each face. Raises KernelRefused."""
    proof.check_valid(cut, Place())
    least, most = solid.volume - sum(c.tool(box, number).volume for c in clearings), solid.volume
    slack = 1e-7 * most
    if not least - slack <= cut.volume <= most + slack:
        raise KernelRefused(
            f"The part would have {cut.volume:.3f} mm³, outside of what its views allow ({least:.3f} to {most:.3f}"
            " mm³); it was not kept."
        )
    witnesses = []
    for clearing in clearings:
        if clearing.outside:
            continue
        low, high = clearing.span(box)
        x, y, z = clearing.seen.view.frame.place(np.array(clearing.region.inside), (low + high) / 2.0).tolist()
        witnesses.append(proof.Witness((x, y, z), True, (clearing.region.id,)))
    proof.check_witnesses(None, cut.shape, witnesses, lambda before, tool: not tool)


def steps_from_views(workpiece: Workpiece) -> list[tuple[str, dict[str, Any]]]:
    """The same part as ordinary operations: the outline of each view through the others, then cuts down to the faces
    that each view shows.

    Kind and values of each. Raises NothingToBuild as `build_from_views` does.
    """
    seen, box = _views(workpiece)
    out: list[tuple[str, dict[str, Any]]] = [
        ("outline", {"view": s.view.name, "result": "common" if n else "new"}) for n, s in enumerate(seen)
    ]
    together: dict[tuple[str, float | None, bool, str], list[Clearing]] = {}
    for clearing in cleared(seen, box, _common(seen, box, 0), 0)[1]:
        alone = clearing.region.id if clearing.outside else ""
        key = (clearing.seen.view.name, clearing.height, clearing.behind, alone)
        together.setdefault(key, []).append(clearing)
    for some in together.values():
        picks = [pick_of(c.regions, c.region).model_dump(mode="json") for c in some]
        takes = {"takes": "outside"} if some[0].outside else {}
        out.append(("cut", {"profiles": {"rule": "picked", "picks": picks}, **takes, **_depth(some[0], box)}))
    return out


def _depth(clearing: Clearing, box: Box) -> dict[str, Any]:
    """How deep a cut clears: to points of other views, so that it follows them; else to lengths."""
    if clearing.height is None:
        return {"depth": "through"}
    if len(clearing.ends) == (2 if clearing.behind else 1):
        return {"depth": "picked", "ends": [{"point": end.model_dump(mode="json")} for end in clearing.ends]}
    low, high = clearing.span(box)
    return {"depth": "depth", "start": high, "length": high - low, "side": "away"}
