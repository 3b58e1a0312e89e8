"""Corners along an axis that no view looks along. A step that is as wide as it is deep looks there like a chamfer or a
round: which it is, is for the designer to say."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue
from tectogon.reconstruction.clearing import Clearing
from tectogon.reconstruction.depths import Box, Seen, heights_of, on_part_box
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.solids.edges import Finish, finished
from tectogon.tolerances import HAIR, SEEN_LOOSE, SEEN_TOL

CornerShape = Literal["step", "chamfer", "round"]
_SQUARE = 0.02
"""A region is a rectangle if it fills all but so much of its box; legs of a step are equal within this share."""


@dataclass(frozen=True, eq=False)
class Corner:
    """A step at a corner of the part that may be a chamfer or a round: the cut that clears it, the axis that it runs
    along, its legs (mm), and the line (3,) on which the corner lies, with its stretch along the axis."""

    clearing: Clearing
    axis: int
    legs: tuple[float, float]
    line: FloatArray
    stretch: tuple[float, float]

    @property
    def at(self) -> tuple[float, float]:
        """Its place on the sheet."""
        return self.clearing.region.centroid

    def holds(self, point: tuple[float, float]) -> bool:
        """Whether a place on the sheet lies in the step."""
        x0, y0, x1, y1 = self.clearing.region.bounds
        return x0 <= point[0] <= x1 and y0 <= point[1] <= y1

    def finish(self, body: Body, shape: CornerShape, step: int) -> tuple[Body, list[dict[str, Any]]]:
        """A body with its edges along the corner chamfered or rounded, and those edges as picks. Raises BadValue where
        it has none there, KernelRefused."""
        numbers, picks = [], []
        for n, edge in enumerate(body.edges):
            middle = None if measure.is_degenerate(edge) else self._middle(edge)
            if middle is not None:
                numbers.append(n)
                picks.append({"edge": {"faces": [], "point": middle}})
        if not numbers:
            x, y = self.at
            raise BadValue(f"The part has no edge at the corner near x {x:.2f}, y {y:.2f} mm of the drawing.")
        made = finished(body, numbers, self.size(shape), step)
        return Body.of(body.key, body.name, made), picks

    def size(self, shape: CornerShape) -> Finish:
        """What its edges become."""
        return Finish("round" if shape == "round" else "chamfer", self.legs[0], self.legs[0])

    def _middle(self, edge: Any) -> tuple[float, float, float] | None:
        """The middle of an edge that lies on the line of the corner; None for others."""
        ends = measure.edge_ends(edge)
        off = np.abs(np.delete(ends - self.line, self.axis, axis=1)).max()
        near = SEEN_TOL * (self.stretch[1] - self.stretch[0]) + HAIR
        low, high = sorted(ends[:, self.axis].tolist())
        if off > SEEN_TOL * self.legs[0] or low < self.stretch[0] - near or high > self.stretch[1] + near:
            return None
        x, y, z = ends.mean(axis=0).tolist()
        return x, y, z


def corners_of(seen: Sequence[Seen], box: Box, clearings: Sequence[Any]) -> Iterator[Corner]:
    """The steps among cuts that are as wide as they are deep, along an axis that no view looks along."""
    size = max(b - a for a, b in box.values())
    for axis in unseen_axes(seen):
        for clearing in (c for c in clearings if isinstance(c, Clearing)):
            corner = _corner(clearing, box, axis, size)
            if corner and abs(corner.legs[0] - corner.legs[1]) <= max(_SQUARE * max(corner.legs), SEEN_TOL * size):
                yield corner


def unseen_axes(seen: Sequence[Seen]) -> list[int]:
    """The axes of the part that no view looks along."""
    return sorted({0, 1, 2} - {s.axis for s in seen})


def _corner(clearing: Clearing, box: Box, axis: int, size: float) -> Corner | None:
    """A clearing as a step at a corner of the part along an axis, if it is one."""
    s, region = clearing.seen, clearing.region
    if s.axis == axis or (clearing.low is None) == (clearing.high is None):
        return None
    x0, y0, x1, y1 = region.bounds
    if region.area < (1.0 - _SQUARE) * (x1 - x0) * (y1 - y0):
        return None
    spans = on_part_box(s.view, np.array(region.bounds))
    whole = on_part_box(s.view, np.array(clearing.seen.outline.pieces.extents))
    across = next(a for a in spans if a != axis)
    (a, b), (low, high) = spans[across], whole[across]
    near = SEEN_LOOSE * size
    if (abs(a - low) <= near) == (abs(b - high) <= near):
        return None
    line = np.zeros(3)
    line[across] = low if abs(a - low) <= near else high
    start, end = clearing.span(box)
    bottom, top = sorted(heights_of(s.view, s.axis, *box[s.axis]))
    far = box[s.axis] if s.view.frame.normal[s.axis] > 0.0 else box[s.axis][::-1]
    line[s.axis] = far[1] if clearing.high is None else far[0]
    return Corner(clearing, axis, (b - a, min(end, top) - max(start, bottom)), line, spans[axis])
