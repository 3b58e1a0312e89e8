"""Profiles that a step names, found on the drawing as it is now."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import shapely
from scipy.spatial import cKDTree

from tectogon.errors import Note, NothingToBuild, OutOfTime, PickGone, Place, Unfinished
from tectogon.profiles import Region, Regions
from tectogon.tolerances import LEAST_SIZE, SAME_SHARE, TINY
from tectogon.units import show_number, show_small
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import MOST_CURVES, ProfileChoice, ProfilePick
from tectogon.workpiece.sentence import count_of

_LEAST_LIKE = 1.5
"""What differs more, by the logarithm of the ratio of areas and the way in sizes of the drawing, is nothing like it."""


def chosen_regions(workpiece: Workpiece, choice: ProfileChoice) -> list[Region]:
    """The regions that a choice names. Raises PickGone naming what can't be found, NothingToBuild where no region is
    closed, Unfinished where none is picked, OutOfTime where there is too much to look at."""
    regions = workpiece.drawing.regions
    if workpiece.drawing.too_much:
        raise OutOfTime(workpiece.drawing.too_much)
    if not regions.regions:
        raise NothingToBuild(
            f"No region of the drawing is closed{_nearest_gap(workpiece)}. Close it first, or raise the joining"
            " distance."
        )
    if choice.rule == "material":
        return list(regions.profiles)
    if not choice.picks:
        raise Unfinished("No profile is picked: point at a closed region on the sheet and press.")
    found = [_find(workpiece, pick) for pick in choice.picks]
    return list({r.id: r for r in found}.values())


def left_out_open(workpiece: Workpiece) -> list[Note]:
    """What is to be said where all material is taken, and curves close nothing: they are not in it."""
    drawing, regions = workpiece.drawing, workpiece.drawing.regions
    if not len(regions.open_rows):
        return []
    rows = regions.open_rows
    x, y = (regions.open_ends[0] if len(regions.open_ends) else regions.net.table.ends[0, 0]).tolist()
    return [
        Note(
            "not_closed",
            f"{count_of(len(rows), 'curve')} of {count_of(len(drawing.bounding), 'curve')} bound"
            f"{'s' if len(rows) == 1 else ''} no profile and {'is' if len(rows) == 1 else 'are'} not part of the body:"
            f" open near x {x:.2f}, y {y:.2f} mm.",
            Place(tuple(regions.curve_ids[r] for r in rows[:200].tolist()), (x, y)),
        )
    ]


def _nearest_gap(workpiece: Workpiece) -> str:
    ends = workpiece.drawing.regions.open_ends
    if len(ends) < 2:
        return ""
    gap = np.asarray(cKDTree(ends).query(ends, k=2)[0])
    nearest = int(np.argmin(gap[:, 1]))
    x, y = ends[nearest].tolist()
    wide = show_small(float(gap[nearest, 1]), 4)
    return f": {len(ends)} ends are open, the smallest gap is {wide} mm at x {x:.2f}, y {y:.2f} mm"


def _find(workpiece: Workpiece, pick: ProfilePick) -> Region:
    drawing = workpiece.drawing
    named = []
    for regions in drawing.all_regions:
        region = regions.with_id(pick.id)
        if region is not None and _off(region, pick) <= SAME_SHARE:
            return region
        named += [] if region is None else [region]
    if named:
        return min(named, key=lambda region: _off(region, pick))
    curves = frozenset(pick.curves)
    for regions in sorted(drawing.all_regions, key=lambda some: -len(curves & frozenset(some.curve_ids))):
        like = _of_curves(regions, pick) or _like(regions, pick)
        if like is not None:
            return like
    if drawing.guides and pick.id in replace(drawing, guides=frozenset()).regions.by_id:
        raise PickGone(
            "The profile this stands on lost its boundary: a curve of it is a guide now. Take the guide back, or pick"
            " another profile.",
            Place(point=pick.at),
        )
    where = f" near x {pick.at[0]:.2f}, y {pick.at[1]:.2f} mm" if pick.at else ""
    raise PickGone(
        f"A profile picked here{where} is no longer closed, or is gone. Pick it again.", Place(point=pick.at)
    )


def likeliest(workpiece: Workpiece, choice: ProfileChoice) -> tuple[ProfileChoice, str] | None:
    """For picks that are gone, the profiles that are most like what was picked, in place and in size, and in words
    which these are; none where nothing is at all like one of them, or nothing is gone."""
    if choice.rule != "picked" or workpiece.drawing.too_much:
        return None
    kept, lost, taken = list[ProfilePick](), list[ProfilePick](), set[str]()
    for pick in choice.picks:
        try:
            taken.add(_find(workpiece, pick).id)
            kept.append(pick)
        except PickGone:
            lost.append(pick)
    regions = workpiece.drawing.regions
    size = max(workpiece.drawing.linework.size, LEAST_SIZE)
    told = []
    for pick in lost:
        if pick.at is None or not pick.area:
            return None
        costs = {r.id: _unlike(r, pick.at, pick.area, size) for r in regions.regions if r.id not in taken}
        best = min(costs, key=costs.__getitem__, default=None)
        if best is None or costs[best] > _LEAST_LIKE:
            return None
        region = regions.regions[regions.by_id[best]]
        taken.add(best)
        kept.append(pick_of(regions, region))
        told.append(f"{show_number(region.area, 2)} mm² near x {region.inside[0]:.2f}, y {region.inside[1]:.2f} mm")
    if not told:
        return None
    text = ("the profile of " if len(told) == 1 else "the profiles of ") + " and ".join(told)
    return choice.model_copy(update={"picks": tuple(kept)}), text


def _unlike(region: Region, at: tuple[float, float], area: float, size: float) -> float:
    """How unlike a region is to what was picked: by the ratio of their areas, and by how far it is off."""
    x, y = region.inside
    return abs(math.log(max(region.area, TINY) / area)) + math.hypot(x - at[0], y - at[1]) / size


def _off(region: Region, pick: ProfilePick) -> float:
    """How far a region's area is from what it was when picked, as a share: one outer boundary may stand for several
    regions, with other holes where dashed lines count as well."""
    return abs(region.area / pick.area - 1.0) if pick.area else 0.0


def _of_curves(regions: Regions, pick: ProfilePick) -> Region | None:
    """The one region that runs along clearly more of the curves of a pick than any other, and along most of them: its
    boundary was split or mended."""
    wanted = frozenset(pick.curves) & frozenset(regions.curve_ids)
    if len(wanted) < max(2, 0.6 * len(pick.curves)):
        return None
    shares = []
    for region in regions.regions:
        along = frozenset(regions.curves_of(region.outer))
        shares.append(len(along & wanted) / len(along | frozenset(pick.curves)))
    best = sorted(range(len(shares)), key=lambda n: -shares[n])[:2]
    if not best or shares[best[0]] < 0.6 or (len(best) > 1 and shares[best[1]] > 0.5 * shares[best[0]]):
        return None
    return regions.regions[best[0]]


def _like(regions: Regions, pick: ProfilePick) -> Region | None:
    """The region that holds the point of a pick and is most like it in size; one that runs along none of its curves
    only where all of those are gone."""
    if pick.at is None or not pick.area:
        return None
    known = frozenset(pick.curves) & frozenset(regions.curve_ids)
    x, y = pick.at
    around = [
        r
        for r in regions.regions
        if r.bounds[0] <= x <= r.bounds[2] and r.bounds[1] <= y <= r.bounds[3] and abs(r.area / pick.area - 1.0) <= 0.25
    ]
    for region in sorted(around, key=lambda r: abs(r.area - (pick.area or 0.0))):
        chord = max(math.sqrt(region.area) * 1e-3, 1e-6)
        shape = regions.polygon(region, chord)
        if shapely.contains_xy(shape, x, y) and (not known or known & frozenset(regions.curves_of(region.outer))):
            return region
    return None


def pick_of(regions: Regions, region: Region) -> ProfilePick:
    """A region as a pick."""
    return ProfilePick(
        id=region.id, curves=regions.curves_of(region.outer)[:MOST_CURVES], at=region.inside, area=region.area
    )
