"""A part with rounded edges out of its views: the part that they would show if its edges were sharp, then its edges
rounded where a view draws an arc in the place of a corner.

The largest radius comes first, so that a smaller one runs on round the corners it made. Which edges a corner stands for
is told by how well the part then explains the views.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused, Note, NothingToBuild, OverLimit
from tectogon.reconstruction.depths import Seen, sides_seen
from tectogon.reconstruction.part_from_views import Found, build_from_views
from tectogon.reconstruction.sharp_corners import RoundedCorner, sharpened
from tectogon.reconstruction.straight_on import differing
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.solids.edges import EdgeAt, Finish, edges_at, finished
from tectogon.tolerances import ALIKE_NORMAL, SEEN_TOL
from tectogon.units import show_length, show_number
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import untold

_SAME_RADIUS = 0.01
"""Radii that differ by this share are one."""
_NICE = 1e-3
"""A radius is the number of hundredths of a millimetre that it lies within this share of."""


@dataclass(frozen=True)
class Rounding:
    """Edges, by a point (mm) of each, that are rounded by one radius (mm)."""

    radius: float
    points: tuple[tuple[float, float, float], ...]

    def step(self) -> tuple[str, dict[str, Any]]:
        """The rounding as an operation of its own."""
        pieces = [{"edge": {"faces": [], "point": point}} for point in self.points]
        return "round_edges", {"how": "round", "size": self.radius, "pieces": pieces}


@dataclass(frozen=True)
class RoundedPart:
    """The part with its edges rounded, the part with sharp edges as it was found, and the length in which views and
    part differ (mm)."""

    body: Body
    sharp: Found
    roundings: tuple[Rounding, ...]
    off: float

    @property
    def steps(self) -> list[tuple[str, dict[str, Any]]]:
        """The part as operations: with sharp edges from the views, then rounded."""
        return [("from_views", {"edges": "sharp"}), *(r.step() for r in self.roundings)]

    def note(self) -> Note:
        """What was rounded, and why."""
        sizes = ", ".join(f"R{show_number(r.radius)}" for r in self.roundings)
        told = f"Its edges are rounded ({sizes}) where the views draw arcs in the place of corners."
        if self.off > 0.0:
            told = (
                f"Its edges are rounded ({sizes}) where the views draw arcs in the place of corners;"
                f" {show_length(self.off)} of lines still differ."
            )
        return Note("part_rounded", told, good=self.off == 0.0)


def rounded_from_views(workpiece: Workpiece, number: int, tell: Callable[[str], None] = untold) -> RoundedPart | None:
    """The part with rounded edges that the views show; None where no view draws an arc in the place of a corner, the
    sharp part is not one body, or none of its edges can be rounded."""
    sharp, corners = sharpened(workpiece)
    if not corners:
        return None
    try:
        bodies, found = build_from_views(sharp, number, tell=tell)
    except (KernelRefused, NothingToBuild, OverLimit):
        return None
    if len(bodies) != 1:
        return None
    views, body = sides_seen(workpiece), bodies[0]
    roundings = []
    for some in _by_radius(corners):
        found_one = _best(body, some, views, number)
        if found_one is not None:
            body, rounding = found_one
            roundings.append(rounding)
    if not roundings:
        return None
    return RoundedPart(body, found, tuple(roundings), differing(views, (body,)))


def rounded_along(workpiece: Workpiece) -> int:
    """Along how many axes of the part views show rounded edges."""
    _, corners = sharpened(workpiece)
    return len({tuple(np.abs(np.round(c.view.frame.normal, 6))) for c in corners})


def _by_radius(corners: list[RoundedCorner]) -> list[list[RoundedCorner]]:
    """Corners of about one radius together, the largest first."""
    out: list[list[RoundedCorner]] = []
    for corner in sorted(corners, key=lambda c: -c.radius):
        if out and out[-1][0].radius - corner.radius <= _SAME_RADIUS * corner.radius:
            out[-1].append(corner)
        else:
            out.append([corner])
    return out


def _best(body: Body, corners: list[RoundedCorner], views: list[Seen], number: int) -> tuple[Body, Rounding] | None:
    """The body with the edges at corners rounded; where some stick out and others run in, all of them or those of one
    kind, whichever explains most of the views. None where the kernel rounds none."""
    every = edges_at(body)
    numbers = sorted({n for c in corners for n in _edges_at(body, c)})
    edges = [e for n in numbers if (e := every[n]) is not None and not e.smooth]
    convex, concave = [e for e in edges if e.convex], [e for e in edges if not e.convex]
    radius = _nice(float(np.median([c.radius for c in corners])))
    ways = [edges, convex, concave] if convex and concave else [edges]
    made = [(one, some) for some in ways if some and (one := _rounded(body, some, radius, number)) is not None]
    if not made:
        return None
    one, some = made[0] if len(made) == 1 else min(made, key=lambda m: differing(views, (m[0],)))
    return one, Rounding(radius, tuple(_point(e) for e in some))


def _point(edge: EdgeAt) -> tuple[float, float, float]:
    x, y, z = edge.middle.tolist()
    return x, y, z


def _nice(radius: float) -> float:
    near = round(radius, 2)
    return near if abs(near - radius) <= _NICE * radius else radius


def _rounded(body: Body, edges: Sequence[EdgeAt], radius: float, number: int) -> Body | None:
    try:
        made = finished(body, [e.number for e in edges], Finish("round", radius, radius), number)
    except KernelRefused:
        return None
    return Body.of(body.key, body.name, made)


def _edges_at(body: Body, corner: RoundedCorner) -> list[int]:
    """The numbers of the edges of a body that a view sees end on at a corner, or that turn back there."""
    frame = corner.view.frame
    along, at = np.array(frame.normal), np.array(frame.place(corner.at, 0.0))
    box = measure.bounds(body.shape)
    near = SEEN_TOL * max(b - a for a, b in zip(box[:3], box[3:], strict=True))

    def there(point: FloatArray) -> bool:
        off = point - at
        return float(np.linalg.norm(off - along * (off @ along))) <= near

    out = []
    for n, edge in enumerate(body.edges):
        if measure.is_degenerate(edge):
            continue
        facts = measure.edge_facts(edge)
        if facts["kind"] == "straight":
            found = abs(float(np.dot(facts["direction"], along))) > ALIKE_NORMAL and there(measure.edge_ends(edge)[0])
        elif facts["kind"] == "round":
            side = np.cross(facts["direction"], along)
            centre = np.array(facts["point"])
            found = float(np.linalg.norm(side)) > ALIKE_NORMAL and any(
                there(centre + way * facts["radius"] * side) for way in (1.0, -1.0)
            )
        else:
            found = False
        if found:
            out.append(n)
    return out
