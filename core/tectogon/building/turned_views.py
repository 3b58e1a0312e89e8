"""A turned part out of a lengthwise view and an end view: its profile turned about the centre line, then what breaks
the turned shape, cut as the views show it.

The profile is the hatched half where one is drawn, else the half of the outline, with the strips put back that holes
along the axis take out of a section: those are cut afterwards, where the end view has them.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from tectogon.building.cuts import Reach, cut
from tectogon.building.flats import Flats, flats_of
from tectogon.building.revolution import revolution
from tectogon.building.turned_profile import Lengthwise, height_of, is_cut, material_of, views_of_turned
from tectogon.curves.table import ARC
from tectogon.errors import Note, TectogonError
from tectogon.profiles import Region
from tectogon.reconstruction.depths import Seen, sides_seen
from tectogon.reconstruction.part_from_views import turned_whole
from tectogon.reconstruction.straight_on import differing, seen_straight_on
from tectogon.solids.body import Body
from tectogon.solids.features import with_features
from tectogon.solids.turned import Axis
from tectogon.tolerances import LEAST_SIZE
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import ProfileChoice
from tectogon.workpiece.profile_picks import pick_of

_TURN = 2.0 * np.pi
_WELL = 99.5
"""A part counts that explains so much of the views (per cent)."""
_MOST_IN_VAIN = 12
"""So many cuts that explain nothing are tried."""
_Step = tuple[str, dict[str, Any]]
"""An ordinary operation: its kind and its values."""
_Way = Literal["turned", "as_seen", "through"]
_Candidate = tuple[list[Region], tuple[_Way, ...]]
"""What may be cut, and how: turned about the axis, as deep as it is seen, or through."""


@dataclass(frozen=True)
class TurnedPart:
    """The workpiece with the part, the ordinary operations that it is made by (kind and values), and how much of the
    end view it explains (per cent)."""

    workpiece: Workpiece
    steps: list[_Step]
    explained: float
    notes: tuple[Note, ...]


def turned_from_views(workpiece: Workpiece, number: int) -> TurnedPart | None:
    """The turned part that an end view and a lengthwise view show; None where the views are not those of one, or it can
    not be made."""
    seen = sides_seen(workpiece)
    found = views_of_turned(workpiece, seen) if len(seen) > 1 else None
    if found is None or turned_whole(workpiece):
        return None
    end, long = found
    regions, material = workpiece.drawing.regions, material_of(workpiece, workpiece.drawing.regions, end, long)
    if not material:  # of what is solid up to the axis the half is bounded by the centre line
        regions, material = workpiece.drawing.parted, material_of(workpiece, workpiece.drawing.parted, end, long)
    if not material:
        return None
    way = np.array([1.0, 0.0]) if long.column == 0 else np.array([0.0, 1.0])
    point = np.array([0.0, long.middle]) if long.column == 0 else np.array([long.middle, 0.0])
    axis = Axis(point, way)
    axis = replace(axis, height=height_of(end, long))
    picks = [pick_of(regions, r).model_dump(mode="json") for r in material]
    turn = {"profiles": {"rule": "picked", "picks": picks}, **_about(axis, long.seen)}
    views = [end] if is_cut(workpiece, long.seen) else [end, long.seen]
    best: tuple[float, Workpiece, list[_Step]] | None = None
    flats = list(flats_of(end, long))
    for some in ([], flats) if flats else ([],):
        try:
            core, steps = _core(workpiece, material, axis, turn, some, number)
        except TectogonError:
            continue
        off = differing(views, core.bodies)
        if best is None or off < best[0]:
            best = off, core, steps
    if best is None:
        return None
    _, core, steps = best
    made, more = _cut_out(core, end, long, axis, views, number)
    explained = min(seen_straight_on(s, made.bodies).percent for s in views)
    if explained < _WELL:
        return None
    note = Note(
        "part_revolved",
        "It is turned about the centre line, and cut where the end view is not round. What neither view shows was taken"
        " as turned.",
    )
    return TurnedPart(made, steps + more, explained, (note,))


def _about(axis: Axis, s: Seen) -> dict[str, Any]:
    """The values of a revolve by which it turns about an axis."""
    ends = (axis.point, axis.point + s.table.size * axis.way)
    return {"axis": "points", "points": [{"at": p.tolist()} for p in ends], "plane": "lifted", "lift": axis.height}


def _core(
    workpiece: Workpiece, material: list[Region], axis: Axis, turn: dict[str, Any], flats: list[Flats], number: int
) -> tuple[Workpiece, list[_Step]]:
    """The turned profile, with flats where there are some, and the steps that make it. Raises TectogonError."""
    steps: list[_Step] = []
    core = workpiece
    for one in flats:
        core, more = one.round(core, number, first=not steps)
        steps += more
    how: Literal["new", "join"] = "join" if flats else "new"
    features = [f for r in material for f in revolution(workpiece, r, axis, (-np.pi, np.pi), number)]
    core = replace(core, bodies=with_features(core.bodies, features, how, None, number))
    steps.append(("revolve", {**turn, "result": how}))
    for one in flats:
        core, more = one.off(core, number)
        steps += more
    return core, steps


def _cut_out(
    workpiece: Workpiece, end: Seen, long: Lengthwise, axis: Axis, views: list[Seen], number: int
) -> tuple[Workpiece, list[_Step]]:
    """The turned shape with what breaks it cut, as far as each cut explains more of the views; and the steps: holes in
    its ends, pockets and cross holes of the lengthwise view, holes along the axis, what breaks a bore."""
    steps: list[_Step] = []
    best, vain = differing(views, workpiece.bodies), 0
    for regions, ways in _candidates(workpiece, end, long):
        if best <= LEAST_SIZE or vain >= _MOST_IN_VAIN:
            break
        picks = tuple(pick_of(workpiece.drawing.regions_of(r), r) for r in regions)
        picked = ProfileChoice(rule="picked", picks=picks)
        found: tuple[float, tuple[Body, ...], _Step] | None = None
        for way in ways:
            try:
                bodies, step = _with(workpiece, regions, picked, way, axis, long, number)
            except TectogonError:
                continue
            worse = differing(views, bodies)
            if worse < (found[0] if found else best) - LEAST_SIZE:
                found = worse, bodies, step
                if way != "through":
                    break
        if found:
            best, workpiece = found[0], replace(workpiece, bodies=found[1])
            steps.append(found[2])
        vain += found is None
    return workpiece, steps


def _with(
    workpiece: Workpiece,
    regions: list[Region],
    picked: ProfileChoice,
    way: _Way,
    axis: Axis,
    long: Lengthwise,
    number: int,
) -> tuple[tuple[Body, ...], _Step]:
    """The bodies after regions were put to them in a way, and the operation that does it. Raises TectogonError."""
    profiles = picked.model_dump(mode="json")
    if way == "turned":
        features = [f for r in regions for f in revolution(workpiece, r, axis, (-np.pi, np.pi), number)]
        bodies = with_features(workpiece.bodies, features, "cut", None, number)
        return bodies, ("revolve", {"profiles": profiles, **_about(axis, long.seen), "result": "cut"})
    bodies = cut(workpiece, picked, Reach(way, 1.0, "away", 0.0), "inside", None, number)
    return bodies, ("cut", {"profiles": profiles, "depth": way})


def _candidates(workpiece: Workpiece, end: Seen, long: Lengthwise) -> list[_Candidate]:
    """What may be cut, each shape once, what is likelier first: of the lengthwise view the dashed holes about the axis
    and what else lies about it within the outline, of the end view what is not turned."""
    holes: list[Region] = []
    inside: list[_Candidate] = []
    across: dict[bool, list[_Candidate]] = {True: [], False: []}
    x0, y0, x1, y1 = end.table.extents.tolist()
    centre = np.array([x0 + x1, y0 + y1]) / 2.0
    dashed = {s.ids[n] for s in (end, long.seen) for n in s.hidden.tolist()}
    known: set[object] = set()
    for regions in workpiece.drawing.all_regions:
        for region in regions.regions:
            shape = (*np.round(region.bounds, 4).tolist(), round(region.area, 4))
            mine = set(regions.curves_of(region.outer))
            if shape in known:
                continue
            known.add(shape)
            pieces = regions.pieces.take(region.outer.rows)
            arcs = pieces.kind == ARC
            if mine <= set(end.ids):
                turned = arcs.all() and (np.hypot(*(pieces.data[:, :2] - centre).T) <= long.near).all()
                if not turned and region.area < 0.5 * (x1 - x0) * (y1 - y0):
                    across[not mine & dashed].append(([region], ("as_seen", "through")))
            elif mine <= set(long.seen.ids) and abs(sum(long.off(region))) <= long.near:
                if mine & dashed and _is_hole(workpiece, long, region, mine & dashed):
                    holes.append(region)
                elif not mine & dashed and arcs.any() and region.level:
                    inside.append(([region], ("through", "as_seen") if arcs.all() else ("as_seen",)))
    chains: list[_Candidate] = [(chain, ("turned",)) for chain in _chained(holes, long)]
    return [*chains, *inside, *across[True], *across[False]]


def _is_hole(workpiece: Workpiece, long: Lengthwise, region: Region, dashed: set[str]) -> bool:
    """Whether dashed lines along the axis bound a region where it is widest."""
    linework = workpiece.drawing.linework
    ends = linework.table.ends[[linework.row_of[key] for key in dashed]][:, :, 1 - long.column] - long.middle
    widest = max(map(abs, long.off(region)))
    return bool((np.abs(np.abs(ends) - widest) <= long.near).all(axis=1).any())


def _chained(regions: list[Region], long: Lengthwise) -> list[list[Region]]:
    """Regions that follow each other along the axis, as chains: a hole that edges of the outside cross is in pieces."""
    k = long.column
    out: list[list[Region]] = []
    for region in sorted(regions, key=lambda r: r.bounds[k]):
        if out and abs(out[-1][-1].bounds[k + 2] - region.bounds[k]) <= long.near:
            out[-1].append(region)
        else:
            out.append([region])
    return out
