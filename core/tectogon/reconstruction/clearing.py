"""One cut of a part that comes out of its views: over a region of a view there is nothing between two heights, or
nothing within or around what a region sweeps when it is turned."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from tectogon.profiles import Region, Regions
from tectogon.reconstruction.carriers import flat_of
from tectogon.reconstruction.depths import Box, Seen, depth_of, heights_of
from tectogon.reconstruction.turning import Turned
from tectogon.solids.body import NamedShape
from tectogon.solids.prism import prism
from tectogon.solids.turned import Axis, swept
from tectogon.workpiece.parameters import PointPick
from tectogon.workpiece.profile_picks import pick_of

Step = tuple[str, dict[str, Any]]


@dataclass(frozen=True)
class Clearing:
    """Nothing is there over a region of a view between two heights over the view's plane (mm); None: as far as the part
    reaches. `regions`: those that its own is one of. The points of other views at these heights, or at the end of the
    part, where they show one."""

    seen: Seen
    regions: Regions
    region: Region
    low: float | None
    high: float | None
    low_point: PointPick | None
    high_point: PointPick | None

    def span(self, box: Box) -> tuple[float, float]:
        """From which to which height it is cleared: where it is open, a little over the part."""
        low, high = depth_of(self.seen.view, box)
        return low if self.low is None else self.low, high if self.high is None else self.high

    def tool(self, box: Box, number: int) -> NamedShape:
        """The solid to be taken away, inside `box` (mm), as made by step `number`."""
        return prism(self.regions, self.region, self.seen.view.frame, *self.span(box), number)

    def empty_at(self, box: Box) -> tuple[float, float, float] | None:
        """A point that the cut leaves empty."""
        low, high = self.span(box)
        x, y, z = self.seen.view.frame.place(np.array(self.region.inside), (low + high) / 2.0).tolist()
        return x, y, z

    def step(self, box: Box) -> Step:
        """The cut as an operation of its own: to points of other views, so that it follows them; else to lengths."""
        return "cut", {"profiles": {"rule": "picked", "picks": [self.pick]}, **self._depth(box)}

    @property
    def pick(self) -> dict[str, Any]:
        """Its region as a pick."""
        return pick_of(self.regions, self.region).model_dump(mode="json")

    def _depth(self, box: Box) -> dict[str, Any]:
        if self.low is None and self.high is None:
            return {"depth": "through"}
        ends = [self.low_point] if self.high is None else [self.high_point, self.low_point]
        picked = [end for end in ends if end is not None]
        if len(picked) == len(ends):
            return {"depth": "picked", "ends": [{"point": end.model_dump(mode="json")} for end in picked]}
        low, high = self.span(box)
        return {"depth": "depth", "start": high, "length": high - low, "side": "away"}


@dataclass(frozen=True)
class TurnedClearing:
    """Nothing is there within what a region sweeps, or around it as far as its own largest radius."""

    turned: Turned
    around: bool

    def tool(self, box: Box, number: int) -> NamedShape:
        """The solid to be taken away, as made by step `number`."""
        t = self.turned
        return swept(t.regions, t.region, t.seen.view.frame, self._axis(), number, around=self.around)

    def _axis(self) -> Axis:
        """The axis in the plane of the view."""
        t = self.turned
        low, _, high, _ = t.half.bounds
        on_view = np.full((2, 2), t.middle)
        on_view[:, int(t.axis > t.across)] = low, high
        a, b = flat_of(t.seen, on_view)
        third = t.centre[0 if t.across > 3 - t.axis - t.across else 1]
        return Axis(a, (b - a) / np.hypot(*(b - a)), heights_of(t.seen.view, t.seen.axis, third, third)[0])

    def empty_at(self, box: Box) -> tuple[float, float, float] | None:
        """A point that the cut leaves empty; None around what is left."""
        if self.around:
            return None
        x, y, z = self.turned.seen.view.frame.place(np.array(self.turned.region.inside), self._axis().height).tolist()
        return x, y, z

    def step(self, box: Box) -> Step:
        """The cut as an operation of its own, about a line of its view at the height where another view has its
        centre."""
        t, axis = self.turned, self._axis()
        level = abs(float(axis.way[0])) > abs(float(axis.way[1]))
        values: dict[str, Any] = {"axis": "level" if level else "upright"}
        if t.beside:
            ends = axis.point, axis.point + axis.way
            values = {"axis": "points", "points": [{"at": tuple(end.tolist())} for end in ends]}
        picks = [pick_of(t.regions, t.region).model_dump(mode="json")]
        return "revolve", {
            "profiles": {"rule": "picked", "picks": picks},
            **values,
            "plane": "picked",
            "ends": [{"point": t.circle.model_dump(mode="json")}],
            "result": "around" if self.around else "cut",
        }
