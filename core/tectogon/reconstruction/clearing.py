"""One cut of a part that comes out of its views: over a region of a view there is nothing between two heights."""

from __future__ import annotations

from dataclasses import dataclass

from tectogon.profiles import Region, Regions
from tectogon.reconstruction.depths import Box, Seen, depth_of
from tectogon.solids.body import NamedShape
from tectogon.solids.prism import prism
from tectogon.workpiece.parameters import PointPick


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
