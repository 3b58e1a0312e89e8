"""A drawing sheet out of bodies: which views, on which sheet, in which scale, everything in its place."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tectogon.curves import Curve, CurveTable, Line
from tectogon.drafting import paper
from tectogon.drafting.dimensions import Dimension, Length, Open, chosen, left_open, stated_twice
from tectogon.drafting.drawn_views import DrawnView, drawn_view, each_once
from tectogon.drafting.ink import Ink, Stroke
from tectogon.drafting.needs import Needs, needs_of
from tectogon.drafting.paper import Projection, Title
from tectogon.drafting.placing import Margins, Placed, ViewOnPaper
from tectogon.errors import NothingToBuild, OverLimit
from tectogon.solids.body import Body
from tectogon.solids.project import edges_seen
from tectogon.views import Frame

_GAP = 8.0
"""How far the room of one view stands from that of the next (mm)."""
_PAST = 3.0
"""How far axes run past what they belong to (mm)."""
_LONG = 150.0
"""A sheet is large enough for a smaller scale where the part is still so long on it (mm)."""
_MOST_FACES = 150
"""Parts of more faces have no pictorial view: seen aslant, each takes the kernel long."""
_PICTORIAL = Frame(
    (0.0, 0.0, 0.0),
    (1.0 / math.sqrt(2.0), 1.0 / math.sqrt(2.0), 0.0),
    (-1.0 / math.sqrt(6.0), 1.0 / math.sqrt(6.0), 2.0 / math.sqrt(6.0)),
)


@dataclass(frozen=True)
class Wishes:
    """What is asked of a sheet; None or "auto": what suits."""

    projection: Projection = "first"
    sheet: str = "auto"
    scale: float | None = None
    dimensions: bool = True
    pictorial: bool = True
    title: Title = field(default_factory=Title)


@dataclass(frozen=True, eq=False)
class DrawnSheet:
    """A sheet that can be written: its name, scale, views, dimensions and everything else that stands on it; what its
    dimensions leave open, and which state twice what others fix."""

    sheet: str
    scale: float
    projection: Projection
    views: tuple[ViewOnPaper, ...]
    placed: tuple[Placed, ...]
    ink: Ink
    pictorial: tuple[Curve, ...]
    open: tuple[Open, ...]
    spare: tuple[Length, ...]
    title: Title

    @property
    def size(self) -> tuple[float, float]:
        """Width and height (mm)."""
        return paper.SHEETS[self.sheet]


def sheet_of(bodies: Sequence[Body], wishes: Wishes) -> DrawnSheet:
    """The drawing sheet of bodies. Raises NothingToBuild without bodies, OverLimit where no sheet and no scale has
    room, BadValue, KernelRefused."""
    if not bodies:
        raise NothingToBuild("There is no body to draw yet; build one first.")
    if wishes.sheet != "auto":
        paper.page_size(wishes.sheet)
    needs = needs_of(bodies)
    views = _views(bodies, needs, wishes.projection)
    wanted: list[Dimension] = chosen(needs, views) if wishes.dimensions else []
    pictorial = _pictorial(bodies) if wishes.pictorial else []
    sheet, scale = _fitting(views, wanted, pictorial, wishes)
    block = _Block(views, wanted, pictorial, wishes.projection, scale, paper.cap_height(sheet))
    block.move_to(paper.corner_for(sheet, *block.size))
    placed = [p for one in block.views for p in one.placed()]
    ink = paper.frame_of_sheet(sheet)
    ink.add(paper.title_block(sheet, wishes.title, scale, wishes.projection))
    for one in block.views:
        ink.add(_drawn(one))
    flat = tuple(block.pictorial_on_paper())
    ink.strokes += [Stroke(c, "pictorial") for c in flat]
    return DrawnSheet(
        sheet,
        scale,
        wishes.projection,
        tuple(block.views),
        tuple(placed),
        ink,
        flat,
        tuple(left_open(needs, wanted)),
        tuple(stated_twice(needs, wanted)),
        wishes.title,
    )


def _views(bodies: Sequence[Body], needs: Needs, projection: Projection) -> list[DrawnView]:
    """Front, top or bottom, left or right: of two opposite ones that with less hidden, else the usual one; none that
    shows what another does."""
    out = [drawn_view(bodies, "front", needs.rounds)]
    for usual, other in (("top", "bottom"), ("left", "right") if projection == "first" else ("right", "left")):
        better = drawn_view(bodies, usual, needs.rounds)
        if better.hidden_length > 0.0 and sum(len(b.faces) for b in bodies) <= _MOST_FACES:
            opposite = drawn_view(bodies, other, needs.rounds)
            better = opposite if opposite.hidden_length < better.hidden_length - 1e-3 else better
        if not any(_alike(better, v) for v in out):
            out.append(better)
    return out


def _alike(a: DrawnView, b: DrawnView) -> bool:
    """Whether two views show the same, as of a turned part."""
    return bool(a.axes) and _picture(a) == _picture(b)


def _picture(view: DrawnView) -> list[tuple[float, ...]]:
    x0, y0, _, _ = view.box
    out = []
    for n, some in enumerate((view.visible, view.hidden)):
        for c in some:
            points = np.asarray(c.points(np.array([0.0, 0.5, 1.0]))) - [x0, y0]
            out.append((float(n), *np.round(np.sort(points, axis=0), 4).ravel().tolist()))
    return sorted(out)


def _pictorial(bodies: Sequence[Body]) -> list[Curve]:
    """The part seen from the front, the right and above at once, without what is hidden (ISO 5456-3, isometric)."""
    if sum(len(b.faces) for b in bodies) > _MOST_FACES:
        return []
    seen = edges_seen([b.shape for b in bodies], _PICTORIAL)
    return each_once(seen.visible, [])[0]


def _fitting(
    views: list[DrawnView], wanted: list[Dimension], pictorial: list[Curve], wishes: Wishes
) -> tuple[str, float]:
    """The smallest sheet on which the part is drawn in full size, or at least well to be read, and the largest scale
    there."""
    sheets = list(paper.SHEETS) if wishes.sheet == "auto" else [wishes.sheet]
    scales = list(paper.SCALES) if wishes.scale is None else [wishes.scale]
    longest = max(max(v.box[2] - v.box[0], v.box[3] - v.box[1]) for v in views)
    best: tuple[str, float] | None = None
    for sheet in sheets:
        height = paper.cap_height(sheet)
        for scale in scales:
            if longest * scale > max(paper.SHEETS[sheet]):
                continue
            block = _Block(views, wanted, pictorial, wishes.projection, scale, height)
            if paper.fits(sheet, *block.size):
                if scale >= 1.0 or longest * scale >= _LONG or sheet == sheets[-1]:
                    return sheet, scale
                if best is None or scale > best[1]:
                    best = (sheet, scale)
                break
    if best is None:
        asked = "" if wishes.sheet == "auto" and wishes.scale is None else "; take a larger sheet or a smaller scale"
        raise OverLimit(
            f"The part is {longest:.0f} mm long: with its dimensions it has no room on"
            f" {'any sheet' if len(sheets) > 1 else sheets[0]} at {paper.scale_text(scales[-1])}{asked}."
        )
    return best


class _Block:
    """The views on the paper in their rows and columns, as one block."""

    def __init__(
        self,
        views: list[DrawnView],
        wanted: list[Dimension],
        pictorial: list[Curve],
        projection: Projection,
        scale: float,
        height: float,
    ) -> None:
        self.scale, self.projection = scale, projection
        self.views = [ViewOnPaper(v, [d for d in wanted if d.view == v.name], scale, height) for v in views]
        self.pictorial = CurveTable.of(pictorial) if pictorial else None
        self.cells = {one.view.name: _cell(one.view.name, projection) for one in self.views}
        self.columns, self.rows = (
            sorted({c for c, _ in self.cells.values()}),
            sorted({r for _, r in self.cells.values()}),
        )
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
                max((one.size[0] for one in some), default=0.0),
                max(m.right for m in margins),
            )
        for row in self.rows:
            some = [one for one in self.views if self.cells[one.view.name][1] == row]
            margins = [one.margins for one in some] or [zero]
            self.high[row] = (
                max(m.below for m in margins),
                max((one.size[1] for one in some), default=0.0),
                max(m.above for m in margins),
            )
        if self.pictorial is not None and self.pictorial_cell is not None:
            x0, y0, x1, y1 = self.pictorial.extents
            column, row = self.pictorial_cell
            room = sum(self.wide[column]), sum(self.high.get(row, (0.0, 0.0, 0.0)))
            wanted = (x1 - x0) * self.scale, (y1 - y0) * self.scale
            shares = [have / want for have, want in zip(room, wanted, strict=True) if have > 0.0 and want > 0.0]
            self.pictorial_scale = self.scale * max(0.4, min(1.0, *shares)) if shares else self.scale
            wide, high = ((b - a) * self.pictorial_scale for a, b in ((x0, x1), (y0, y1)))
            if wide > room[0]:
                left, middle, right = self.wide[column]
                self.wide[column] = (left, middle + wide - room[0], right)
            if high > room[1]:
                below, middle, above = self.high[row]
                self.high[row] = (below, middle + high - room[1], above)

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
            one.at = self.lefts[column] + self.wide[column][0], self.bottoms[row] + self.high[row][0]

    def pictorial_on_paper(self) -> list[Curve]:
        """The pictorial view in the middle of its cell."""
        if self.pictorial is None or self.pictorial_cell is None:
            return []
        column, row = self.pictorial_cell
        x0, y0, x1, y1 = self.pictorial.extents
        k = self.pictorial_scale
        x = self.lefts[column] + (sum(self.wide[column]) - (x1 - x0) * k) / 2.0 - x0 * k
        y = self.bottoms[row] + (sum(self.high[row]) - (y1 - y0) * k) / 2.0 - y0 * k
        return self.pictorial.transformed(np.array([[k, 0.0, x], [0.0, k, y]])).curves()


def _cell(name: str, projection: Projection) -> tuple[int, int]:
    """Column and row of a view beside the front view: in first angle a view stands on the other side than where it is
    taken from, in third angle on the same."""
    side = -1 if projection == "first" else 1
    return {
        "front": (0, 0),
        "top": (0, side),
        "bottom": (0, -side),
        "right": (side, 0),
        "left": (-side, 0),
        "rear": (2, 0),
    }[name]


def _drawn(one: ViewOnPaper) -> Ink:
    """The lines of a view on the paper: hidden ones first, axes last."""
    ink = Ink()
    k = one.scale
    x, y = one.on_paper((0.0, 0.0))
    change = np.array([[k, 0.0, x], [0.0, k, y]])
    for pen, some in (("hidden", one.view.hidden), ("outline", one.view.visible)):
        if some:
            ink.strokes += [Stroke(c, pen) for c in CurveTable.of(some).transformed(change).curves()]  # type: ignore[arg-type]
    for cx, cy, radius in one.view.crosses:
        (px, py), reach = one.on_paper((cx, cy)), radius * k + _PAST
        ink.line(px - reach, py, px + reach, py, pen="centre")
        ink.line(px, py - reach, px, py + reach, pen="centre")
    for x0, y0, x1, y1 in one.view.axes:
        (ax, ay), (bx, by) = one.on_paper((x0, y0)), one.on_paper((x1, y1))
        long = max(math.hypot(bx - ax, by - ay), 1e-9)
        ux, uy = (bx - ax) / long * _PAST, (by - ay) / long * _PAST
        ink.line(ax - ux, ay - uy, bx + ux, by + uy, pen="centre")
    return ink


def on_file_scale(curve: Curve, factor: float) -> Curve:
    """A curve of the paper, larger by a factor."""
    if isinstance(curve, Line):
        return replace(curve, x0=curve.x0 * factor, y0=curve.y0 * factor, x1=curve.x1 * factor, y1=curve.y1 * factor)
    return CurveTable.of([curve]).transformed(np.array([[factor, 0.0, 0.0], [0.0, factor, 0.0]])).curves()[0]
