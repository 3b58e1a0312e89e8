"""A drawing sheet out of bodies: which views, on which sheet, in which scale, everything in its place."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tectogon.curves import Curve, CurveTable, Line
from tectogon.curves.once import each_once
from tectogon.drafting import paper
from tectogon.drafting.arranging import Block
from tectogon.drafting.by_hand import ByHand, coordinate_of, with_hands
from tectogon.drafting.cut_views import (
    LETTERS,
    Cut,
    CutMark,
    Detail,
    DetailMark,
    cut_mark,
    detail,
    detail_mark,
    hatched,
    section,
)
from tectogon.drafting.dimensions import LOW_ENDS, Datum, Dimension, Length, Open, chosen, left_open, stated_twice
from tectogon.drafting.drawn_views import DrawnView, Pattern, drawn_view
from tectogon.drafting.ink import Ink, Stroke
from tectogon.drafting.item_marks import MOST_ROWS, Listed, list_height, list_ink, numbers_ink, seen_at
from tectogon.drafting.needs import Needs, needs_of
from tectogon.drafting.paper import Projection, Title
from tectogon.drafting.placing import Placed, ViewOnPaper
from tectogon.errors import BadValue, KernelRefused, NothingToBuild, OverLimit
from tectogon.solids.body import Body
from tectogon.solids.project import edges_seen
from tectogon.views import Frame
from tectogon.words import Language

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
    datum: Datum = LOW_ENDS
    hands: tuple[ByHand, ...] = ()
    cuts: tuple[Cut, ...] = ()
    details: tuple[Detail, ...] = ()
    patterns: tuple[Pattern, ...] = ()
    """How each body is hatched; "metal" where none is said."""
    blank: DrawnView | None = None
    """The flat blank of a sheet part, drawn beside the views."""
    items: tuple[Listed, ...] = ()
    """The rows of a parts list; none where the sheet has none."""
    language: Language = "en"
    """Of its labels."""
    art: frozenset[int] = frozenset()
    """The steps whose faces are art."""


@dataclass(frozen=True, eq=False)
class DrawnSheet:
    """A sheet that can be written: its name, scale, views, dimensions, sections, details and all else on it; what its
    dimensions leave open, and which state twice what others fix; what of that which a hand had placed is gone; which
    sections and details can't be drawn; and what the part must have fixed."""

    sheet: str
    scale: float
    projection: Projection
    views: tuple[ViewOnPaper, ...]
    placed: tuple[Placed, ...]
    marks: tuple[CutMark | DetailMark, ...]
    ink: Ink
    pictorial: tuple[Curve, ...]
    open: tuple[Open, ...]
    spare: tuple[Length, ...]
    title: Title
    lost: tuple[ByHand, ...]
    refused: tuple[str, ...]
    needs: Needs

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
    needs = needs_of(bodies, wishes.art)
    views = _views(bodies, needs, wishes.projection)
    wanted: list[Dimension] = chosen(needs, views, wishes.datum) if wishes.dimensions else []
    wanted, lost = with_hands(wanted, wishes.hands if wishes.dimensions else (), needs, views)
    pictorial = _pictorial(bodies) if wishes.pictorial else []
    every, marks, refused = _with_cuts(bodies, views, wishes, needs)
    every += [wishes.blank] if wishes.blank is not None else []
    marked = frozenset(m.view for m in marks if isinstance(m, CutMark))
    sheet, scale = _fitting(every, wanted, pictorial, wishes, marked)
    height, foot = paper.cap_height(sheet), paper.BLOCK_HEIGHT + list_height(wishes.items)
    block = Block(every, wanted, pictorial, wishes.projection, scale, height, marked, len(wishes.items))
    block.move_to(paper.corner_for(sheet, *block.size, foot))
    placed = [p for one in block.views for p in one.placed()]
    ink = paper.frame_of_sheet(sheet)
    ink.add(paper.title_block(sheet, wishes.title, scale, wishes.projection, wishes.language))
    for one in block.views:
        ink.add(_drawn(one, [m for m in marks if m.view == one.view.name], height))
    flat = tuple(block.pictorial_on_paper())
    ink.strokes += [Stroke(c, "pictorial") for c in flat]
    ink.add(list_ink(sheet, wishes.items, wishes.language))
    numbers, unseen = _numbers(bodies, wishes.items, block, flat)
    ink.add(numbers)
    refused += unseen
    return DrawnSheet(
        sheet,
        scale,
        wishes.projection,
        tuple(block.views),
        tuple(placed),
        tuple(marks),
        ink,
        flat,
        tuple(left_open(needs, wanted)),
        tuple(stated_twice(needs, wanted)),
        wishes.title,
        tuple(lost),
        tuple(refused),
        needs,
    )


def _with_cuts(
    bodies: Sequence[Body], views: Sequence[DrawnView], wishes: Wishes, needs: Needs
) -> tuple[list[DrawnView], list[CutMark | DetailMark], list[str]]:
    """The views with the sections and details that are wanted, the marks of these, and in words which can't be drawn.
    Each keeps its letter, whatever becomes of the others."""
    patterns: Sequence[Pattern] = wishes.patterns or ["metal"] * len(bodies)
    out, marks, refused = list(views), list[CutMark | DetailMark](), list[str]()
    letters = iter(LETTERS)
    for cut in wishes.cuts:
        through = coordinate_of(needs.on(cut.axis), cut.owners)
        cut = cut if through is None else replace(cut, at=through.value)
        letter = next(letters)
        try:
            made, line = section(bodies, cut, letter, views, patterns)
        except (BadValue, KernelRefused) as problem:
            refused.append(problem.sentence)
            continue
        out.append(made)
        marks.append(line)
    for wanted in wishes.details:
        letter = next(letters)
        try:
            enlarged, circle = detail(out, wanted, letter)
        except BadValue as problem:
            refused.append(problem.sentence)
            continue
        out.append(enlarged)
        marks.append(circle)
    return out, marks, refused


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


def _numbers(
    bodies: Sequence[Body], items: Sequence[Listed], block: Block, flat: Sequence[Curve]
) -> tuple[Ink, list[str]]:
    """The item numbers round the pictorial view, and in words which can't be shown."""
    if not items:
        return Ink(), []
    refused = []
    if len(items) > MOST_ROWS:
        refused.append(f"The parts list on the sheet ends with item {MOST_ROWS} of {len(items)}; take it as a table.")
    if not flat:
        return Ink(), [*refused, "Without a pictorial view the sheet has no item numbers."]
    seen = seen_at(bodies, _PICTORIAL)
    k, x, y = block.pictorial_place()
    marked, hidden = [], []
    for item in items[:MOST_ROWS]:
        at = next((seen[n] for n in item.bodies if n in seen), None)
        if at is None:
            hidden.append(item.number)
        else:
            marked.append((item.number, (k * at[0] + x, k * at[1] + y)))
    if hidden:
        told = ", ".join(map(str, hidden))
        refused.append(f"{'Item' if len(hidden) == 1 else 'Items'} {told} can't be seen in the pictorial view.")
    x0, y0, x1, y1 = CurveTable.of(list(flat)).extents.tolist()
    return numbers_ink(marked, (x0, y0, x1, y1)), refused


def _fitting(
    views: list[DrawnView], wanted: list[Dimension], pictorial: list[Curve], wishes: Wishes, marked: frozenset[str]
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
            block = Block(views, wanted, pictorial, wishes.projection, scale, height, marked, len(wishes.items))
            if paper.fits(sheet, *block.size, paper.BLOCK_HEIGHT + list_height(wishes.items)):
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


def _drawn(one: ViewOnPaper, marks: Sequence[CutMark | DetailMark], height: float) -> Ink:
    """The lines of a view on the paper: hatching and hidden ones first, axes and marks last."""
    k = one.scale
    x, y = one.on_paper((0.0, 0.0))
    ink = hatched(one.view.filled, k, (x, y))
    change = np.array([[k, 0.0, x], [0.0, k, y]])
    for pen, some in (("hidden", one.view.hidden), ("outline", one.view.visible)):
        if some:
            ink.strokes += [Stroke(c, pen) for c in CurveTable.of(some).transformed(change).curves()]  # type: ignore[arg-type]
    ink.strokes += [Stroke(c, "thin") for c in CurveTable.of(one.view.rim).transformed(change).curves()]
    for cx, cy, radius in one.view.crosses:
        (px, py), reach = one.on_paper((cx, cy)), radius * k + _PAST
        ink.line(px - reach, py, px + reach, py, pen="centre")
        ink.line(px, py - reach, px, py + reach, pen="centre")
    for x0, y0, x1, y1 in one.view.axes:
        (ax, ay), (bx, by) = one.on_paper((x0, y0)), one.on_paper((x1, y1))
        long = max(math.hypot(bx - ax, by - ay), 1e-9)
        ux, uy = (bx - ax) / long * _PAST, (by - ay) / long * _PAST
        ink.line(ax - ux, ay - uy, bx + ux, by + uy, pen="centre")
    for text, place, turned in one.view.notes:
        tx, ty = one.on_paper(place)
        ink.write(tx - 0.6 * height * math.sin(turned), ty + 0.6 * height * math.cos(turned), text, height=height,
                  angle=turned, anchor="middle")  # fmt: skip
    for mark in marks:
        if isinstance(mark, CutMark):
            ink.add(cut_mark(mark, one.view.box, k, (x, y), height))
        else:
            ink.add(detail_mark(mark, k, (x, y), height))
    if one.view.title:
        told = f"{one.view.title} ({paper.scale_text(k)})" if one.view.rim else one.view.title
        middle, top = one.at[0] + one.size[0] / 2.0, one.at[1] + one.size[1]
        ink.write(middle, top + 1.2 * height, told, height=1.4 * height, anchor="middle")
    return ink


def on_file_scale(curve: Curve, factor: float) -> Curve:
    """A curve of the paper, larger by a factor."""
    if isinstance(curve, Line):
        return replace(curve, x0=curve.x0 * factor, y0=curve.y0 * factor, x1=curve.x1 * factor, y1=curve.y1 * factor)
    return CurveTable.of([curve]).transformed(np.array([[factor, 0.0, 0.0], [0.0, factor, 0.0]])).curves()[0]
