"""Views on the paper in their rows and columns, as one block: each beside the front view as the angle of projection has
it, with room for what its dimensions take."""

from __future__ import annotations

import numpy as np

from tectogon.curves import Curve, CurveTable
from tectogon.drafting.dimensions import Dimension
from tectogon.drafting.drawn_views import DrawnView
from tectogon.drafting.item_marks import MARGIN, room_for
from tectogon.drafting.paper import Projection
from tectogon.drafting.placing import Margins, ViewOnPaper

_GAP = 8.0
"""How far the room of one view stands from that of the next (mm)."""
_MOST_CELLS = 30


class Block:
    """The views on the paper in their rows and columns, as one block."""

    def __init__(
        self,
        views: list[DrawnView],
        wanted: list[Dimension],
        pictorial: list[Curve],
        projection: Projection,
        scale: float,
        height: float,
        marked: frozenset[str] = frozenset(),
        numbered: int = 0,
    ) -> None:
        """`numbered`: how many items have their numbers round the pictorial view."""
        self.scale, self.projection = scale, projection
        self.views = [
            ViewOnPaper(v, [d for d in wanted if d.view == v.name], scale * v.times, height, v.name in marked)
            for v in views
        ]
        self.pictorial = CurveTable.of(pictorial) if pictorial else None
        self.cells: dict[str, tuple[int, int]] = {}
        for one in self.views:
            self.cells[one.view.name] = _cell(one.view, projection, set(self.cells.values()))
        self.columns, self.rows = (
            sorted({c for c, _ in self.cells.values()}),
            sorted({r for _, r in self.cells.values()}),
        )
        self.aside, self.least_high = (2.0 * MARGIN, room_for(numbered)) if numbered else (0.0, 0.0)
        self.pictorial_cell = self._free_cell()
        self.pictorial_scale = scale
        self._measure()

    def _free_cell(self) -> tuple[int, int] | None:
        """The cell between the two views beside the front view, else a new column on the right."""
        if self.pictorial is None:
            return None
        taken = set(self.cells.values())
        free = [(c, r) for c in self.columns for r in self.rows if (c, r) not in taken]
        if free:
            return free[-1]
        self.columns = [*self.columns, self.columns[-1] + 1]
        return (self.columns[-1], 0)

    def _measure(self) -> None:
        """Widths of columns and heights of rows, with what the dimensions take."""
        zero = Margins(0.0, 0.0, 0.0, 0.0)
        self.wide: dict[int, tuple[float, float, float]] = {}
        self.high: dict[int, tuple[float, float, float]] = {}
        for column in self.columns:
            some = [one for one in self.views if self.cells[one.view.name][0] == column]
            margins = [one.margins for one in some] or [zero]
            self.wide[column] = (
                max(m.left for m in margins),
                max((one.size[0] + self._aside(one, 0) for one in some), default=0.0),
                max(m.right for m in margins),
            )
        for row in self.rows:
            some = [one for one in self.views if self.cells[one.view.name][1] == row]
            margins = [one.margins for one in some] or [zero]
            self.high[row] = (
                max(m.below for m in margins),
                max((one.size[1] + self._aside(one, 1) for one in some), default=0.0),
                max(m.above for m in margins),
            )
        if self.pictorial is not None and self.pictorial_cell is not None:
            x0, y0, x1, y1 = self.pictorial.extents
            column, row = self.pictorial_cell
            room = sum(self.wide[column]), sum(self.high.get(row, (0.0, 0.0, 0.0)))
            room = max(room[0] - self.aside, 0.0), room[1]
            wanted = (x1 - x0) * self.scale, (y1 - y0) * self.scale
            shares = [have / want for have, want in zip(room, wanted, strict=True) if have > 0.0 and want > 0.0]
            self.pictorial_scale = self.scale * max(0.4, min(1.0, *shares)) if shares else self.scale
            wide, high = ((b - a) * self.pictorial_scale for a, b in ((x0, x1), (y0, y1)))
            wide, room = wide + self.aside, (room[0] + self.aside, room[1])
            high = max(high, self.least_high)
            if wide > room[0]:
                left, middle, right = self.wide[column]
                self.wide[column] = (left, middle + wide - room[0], right)
            if high > room[1]:
                below, middle, above = self.high[row]
                self.high[row] = (below, middle + high - room[1], above)

    def _aside(self, one: ViewOnPaper, k: int) -> float:
        """How far a view begins after another of its column (k = 0) or row (k = 1) that shows the same axis: so that
        what is in line on the part is so on the paper."""
        if one.view.alone:
            return 0.0
        ways = [(v.view.frame.x_dir, v.view.frame.y_dir)[k] for v in self.views]
        own, cell = (one.view.frame.x_dir, one.view.frame.y_dir)[k], self.cells[one.view.name][k]
        low = min(
            v.view.box[k]
            for v, way in zip(self.views, ways, strict=True)
            if way == own and not v.view.alone and self.cells[v.view.name][k] == cell
        )
        return (one.view.box[k] - low) * one.scale

    @property
    def size(self) -> tuple[float, float]:
        """Width and height of the block (mm)."""
        return (
            sum(sum(w) for w in self.wide.values()) + _GAP * (len(self.columns) - 1),
            sum(sum(h) for h in self.high.values()) + _GAP * (len(self.rows) - 1),
        )

    def move_to(self, corner: tuple[float, float]) -> None:
        """Set the block with its lower left corner on a point of the paper."""
        self.lefts: dict[int, float] = {}
        self.bottoms: dict[int, float] = {}
        x, y = corner
        for column in self.columns:
            self.lefts[column] = x
            x += sum(self.wide[column]) + _GAP
        for row in self.rows:
            self.bottoms[row] = y
            y += sum(self.high[row]) + _GAP
        for one in self.views:
            column, row = self.cells[one.view.name]
            one.at = (
                self.lefts[column] + self.wide[column][0] + self._aside(one, 0),
                self.bottoms[row] + self.high[row][0] + self._aside(one, 1),
            )

    def pictorial_place(self) -> tuple[float, float, float]:
        """The scale of the pictorial view, and where its plane's origin stands: it is in the middle of its cell."""
        assert self.pictorial is not None and self.pictorial_cell is not None
        column, row = self.pictorial_cell
        x0, y0, x1, y1 = self.pictorial.extents
        k = self.pictorial_scale
        x = self.lefts[column] + (sum(self.wide[column]) - (x1 - x0) * k) / 2.0 - x0 * k
        y = self.bottoms[row] + (sum(self.high[row]) - (y1 - y0) * k) / 2.0 - y0 * k
        return k, x, y

    def pictorial_on_paper(self) -> list[Curve]:
        """The pictorial view where it stands; nothing where there is none."""
        if self.pictorial is None or self.pictorial_cell is None:
            return []
        k, x, y = self.pictorial_place()
        return self.pictorial.transformed(np.array([[k, 0.0, x], [0.0, k, y]])).curves()


def _cell(view: DrawnView, projection: Projection, taken: set[tuple[int, int]]) -> tuple[int, int]:
    """Column and row of a view beside the front view: in first angle a view stands on the other side than where it is
    taken from, in third angle on the same. Sections stand in line with the front view where there is room, details
    and the blank where nothing is."""
    side = -1 if projection == "first" else 1
    named = {
        "front": (0, 0),
        "top": (0, side),
        "bottom": (0, -side),
        "right": (side, 0),
        "left": (-side, 0),
        "rear": (2, 0),
    }
    if view.name in named:
        return named[view.name]
    if abs(view.frame.normal[2]) > 0.5 and not view.alone:
        free = [(0, side * n) for n in range(1, _MOST_CELLS)]
    elif not view.alone:
        free = [(n, 0) for n in range(1, _MOST_CELLS)]
    else:
        free = [
            (c, r) for reach in range(1, _MOST_CELLS) for c in range(reach + 1) for r in (-side * reach, side * reach)
        ]
        free = [(c, -side) for c in (1, 2)] + [(c, side) for c in (1, 2)] + free
    return next(cell for cell in free if cell not in taken)
