"""Where a solid begins and ends, when that is pointed at and not typed: heights over the plane of a profile."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue, NothingToBuild, PickGone, Place, Unfinished
from tectogon.profiles import Region
from tectogon.solids import kernel, measure
from tectogon.solids.picking import find_edge_end, find_face
from tectogon.solids.proof import Inside
from tectogon.tolerances import KERNEL_TOL, LEAST_AREA, LEVEL_TOL
from tectogon.views import Frame
from tectogon.workpiece.folded_views import on_part
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import EdgePick, EndPick, FacePick, PointPick

_LEVEL = 1e-7
_MOST_PROBED = 12


def picked_spans(
    workpiece: Workpiece, regions: Sequence[Region], picks: Sequence[EndPick]
) -> list[tuple[float, float]]:
    """From which to which height each region reaches: to the first pick, from the second or from its own plane. Raises
    Unfinished, BadValue, PickGone."""
    if not picks:
        raise Unfinished(
            "Press how far it goes: a point or an edge in another view, a face or an edge of the part; a second press"
            " says where it starts."
        )
    out = []
    for region in regions:
        heights = [_height(workpiece, region, pick) for pick in picks[:2]]
        start = heights[1] if len(heights) > 1 else 0.0
        if abs(heights[0] - start) < 10 * KERNEL_TOL:
            raise BadValue("Both ends lie in one plane, so that nothing is left between them; press another point.")
        out.append((start, heights[0]))
    return out


def picked_height(workpiece: Workpiece, region: Region, picks: Sequence[EndPick]) -> float:
    """The height over a region's plane (mm) of what is picked in another view or on the part. Raises Unfinished,
    BadValue, PickGone."""
    if not picks:
        raise Unfinished("Press a point of another view, a face or an edge of the part: at its height the axis lies.")
    return _height(workpiece, region, picks[0])


def _height(workpiece: Workpiece, region: Region, pick: EndPick) -> float:
    frame = workpiece.frame_of(region)
    if pick.point is not None:
        return _of_point(workpiece, region, frame, pick.point)
    if pick.face is not None:
        return _of_face(workpiece, frame, pick.face)
    assert pick.edge is not None
    return _of_edge(workpiece, frame, pick.edge)


def _over(frame: Frame, place: FloatArray) -> float:
    return float((place - np.array(frame.origin)) @ np.array(frame.normal))


def _of_point(workpiece: Workpiece, region: Region, frame: Frame, pick: PointPick) -> float:
    if not workpiece.views:
        raise BadValue(
            "A point gives a depth only where another view is folded; find the views first, or type a length."
        )
    view, coordinates = on_part(workpiece, pick)
    normal = np.array(frame.normal)
    axis = int(np.abs(normal).argmax())
    if abs(abs(normal[axis]) - 1.0) > _LEVEL:
        raise BadValue("This profile stands aslant, so that no other view shows its depth in true size; type a length.")
    if axis not in coordinates:
        own = workpiece.view_of(region)
        which = "the profile's own view" if own is view else f"the {view.name} view, which looks the same way"
        raise BadValue(
            f"The point at x {pick.at[0]:.2f}, y {pick.at[1]:.2f} mm lies in {which}; it shows no depth. Press one in a"
            " view from another side.",
            Place((), pick.at),
        )
    return float((coordinates[axis] - frame.origin[axis]) * normal[axis])


def face_of(workpiece: Workpiece, pick: FacePick) -> tuple[FloatArray, FloatArray]:
    """Middle (3,) and outward normal (3,) of the picked flat face, mm. Raises PickGone where there is none of that
    name, or it is not flat."""
    found = find_face(
        workpiece.bodies, pick.name, body=pick.body, beside=pick.beside, normal=pick.normal, point=pick.point
    )
    plane = measure.plane_of(found.body.faces[found.number])
    assert plane is not None
    return plane


def _of_face(workpiece: Workpiece, frame: Frame, pick: FacePick) -> float:
    middle, normal = face_of(workpiece, pick)
    if abs(abs(float(normal @ np.array(frame.normal))) - 1.0) > _LEVEL:
        raise BadValue("This face is not parallel to the profile; press one that is, or type a length.")
    return _over(frame, middle)


def _of_edge(workpiece: Workpiece, frame: Frame, pick: EdgePick) -> float:
    """The height of the end of an edge that is nearest to where it was pressed."""
    return _over(frame, find_edge_end(workpiece.bodies, pick.faces, pick.point))


def next_spans(
    workpiece: Workpiece, regions: Sequence[Region], *, towards: bool, start: float, through_wall: bool
) -> list[tuple[float, float]]:
    """From `start` (mm over each region's plane) to the next face of the bodies on one side: the first that is met, or,
    `through_wall`, the one where the next wall ends, however many lie behind.

    Raises PickGone without bodies, NothingToBuild where nothing is met, BadValue where the face is not one flat face
    across the profile.
    """
    if not workpiece.bodies:
        raise PickGone("There is no body whose next face could be meant; type a length.")
    inside = Inside(kernel.compound_of(b.shape for b in workpiece.bodies))
    way = 1.0 if towards else -1.0
    out = []
    for region in regions:
        frame = workpiece.frame_of(region)
        found = [
            _next_along(workpiece, inside, frame, at, way, start, through_wall=through_wall)
            for at in _probes(workpiece, region)
        ]
        met = [h for h in found if h is not None]
        if len(met) < len(found):
            raise NothingToBuild(
                f"From this profile {'towards you' if towards else 'away from you'} no face is met; turn the side, or"
                " type a length."
            )
        if max(met) - min(met) > LEVEL_TOL * max(max(met), 1.0):
            raise BadValue(
                "The next face is not one flat face across the whole profile; press the face that is meant, or type a"
                " length."
            )
        out.append((start, start + way * met[0]))
    return out


def _next_along(
    workpiece: Workpiece,
    inside: Inside,
    frame: Frame,
    at: tuple[float, float],
    way: float,
    start: float,
    *,
    through_wall: bool,
) -> float | None:
    """How far from `start` the next face, or the end of the next wall, lies along one line (mm); None where there is
    none."""
    hits = sorted(
        way * (h - start)
        for h in measure.hits_along([b.shape for b in workpiece.bodies], frame.at(*at, 0.0), frame.normal)
    )
    ahead = [h for h in hits if h > LEVEL_TOL]
    if not through_wall:
        return ahead[0] if ahead else None
    full = [bool(inside(frame.at(*at, start + way * (a + b) / 2.0))) for a, b in itertools.pairwise([0.0, *ahead])]
    walls = [n for n, material in enumerate(full) if material]
    if not walls:
        return None
    last = walls[0]
    while last + 1 < len(full) and full[last + 1]:
        last += 1
    return ahead[last]


def _probes(workpiece: Workpiece, region: Region) -> list[tuple[float, float]]:
    """Points of a region: one well inside, and some a little inside of its boundary."""
    regions = workpiece.drawing.regions_of(region)
    ring = regions.ring_points(region.outer, max(region.area, LEAST_AREA) ** 0.5 * 1e-2)
    some = ring[np.linspace(0, len(ring) - 1, min(len(ring), _MOST_PROBED)).astype(int)]
    inside = np.array(region.inside)
    return [region.inside, *(tuple((p + 1e-3 * (inside - p)).tolist()) for p in some)]
