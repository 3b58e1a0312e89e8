"""How sure a part out of its views is, in sentences: whether others fit as well, what goes against it, and what no view
shows."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from tectogon.errors import Change, Note, Place
from tectogon.reconstruction.carriers import flat_of
from tectogon.reconstruction.cells import DASHED, HATCHED, NO_LINE, UNHATCHED, Cells
from tectogon.reconstruction.corners import CornerShape, corners_of, unseen_axes
from tectogon.reconstruction.part_from_views import Found
from tectogon.reconstruction.prisms import LEFT_OVER
from tectogon.units import show_length
from tectogon.views.align import AXES

if TYPE_CHECKING:
    from tectogon.reconstruction.question import Contradiction

_MOST_TOLD = 3
_EMPTY_HATCHED, _FULL_UNHATCHED = "hatching covers what is empty", "material that is cut is not hatched"
_FAINT = 0.5
"""What counts for less than this share of its length is an edge that is hidden."""


def notes_of(found: Found, number: int) -> list[Note]:
    """What is to be said of a part that step `number` found."""
    return [
        *_how_many(found, number),
        *_as_cut(found),
        *_against(found),
        *_unseen(found),
        *_open_steps(found, number),
        *_left_over(found),
    ]


def _how_many(found: Found, number: int) -> Iterator[Note]:
    if not found.answer.best:
        yield Note(
            "part_unfinished",
            "The search for the part was stopped for time: one that explains the drawing better may exist.",
        )
    elif found.turned and found.spindle:
        yield from _as_turned(found, number)
    elif found.spindle:
        along = AXES[found.spindle.axis]
        yield Note(
            "part_may_turn",
            f"It may be turned as well: the views are alike about one line along {along}, and none looks along it.",
            Place(),
            Change(number, "Take it as turned", {"answer": len(found.answers) + 1}),
        )
    elif len(found.answers) == 1 and not found.complete:
        yield Note("part_unfinished", "Whether other parts fit the drawing as well was not looked through to the end.")
    elif len(found.answers) == 1:
        if not found.answer.against and not found.cut:
            yield Note(
                "part_only", "It explains every line, and no other part of the faces that are drawn does.", good=True
            )
    else:
        count = "Several parts fit" if not found.complete else f"{len(found.answers)} parts fit"
        which = "this is the plainest" if found.chosen == 0 else f"this is number {found.chosen + 1}"
        other = (found.chosen + 1) % len(found.answers)
        off = float(found.cells.volume[found.answers[other].full].sum() - found.cells.volume[found.answer.full].sum())
        amount = f"{abs(off):.0f} mm³ {'more' if off > 0 else 'less'}" if abs(off) >= 1.0 else "as much material"
        yield Note(
            "part_answers",
            f"{count} the drawing alike; {which}. The next has {amount}.",
            _where_they_differ(found, other),
            Change(number, f"Take number {other + 1}", {"answer": other + 1}),
        )


def _as_turned(found: Found, number: int) -> Iterator[Note]:
    """Why a part is taken for turned as a whole, and what else it may be."""
    assert found.spindle is not None
    spindle = found.spindle
    along = AXES[spindle.axis]
    if len(found.answers) > 1:
        yield Note("part_answers", f"{len(found.answers)} turned parts fit the drawing alike; this is the plainest.")
    elif spindle.seen_round:
        yield Note(
            "part_turned", f"It is turned about one line along {along}: {spindle.why}.", good=not found.answer.against
        )
    if not spindle.seen_round:
        yield Note(
            "part_may_be_square",
            f"It is taken as turned about a line along {along}: {spindle.why}. No view looks along it, so it may be"
            " square as well.",
            Place(),
            Change(number, "Take it as square", {"answer": 2}),
        )


def _as_cut(found: Found) -> Iterator[Note]:
    """Which views were taken for sections, where they cut, and why."""
    for n, view in sorted(found.cut.items()):
        s = found.seen[n]
        name = s.view.name if view.section.titled else f"The {s.view.name} view"
        what = "" if view.section.titled else " was taken for a section, as it is hatched; it"
        where = f"{AXES[s.axis]} {show_length(view.cut.at)}"
        before = "What lies before it is taken to be like what lies behind"
        yield Note(
            "part_section", f"{name[0].upper()}{name[1:]}{what} cuts the part at {where}: {view.cut.why}. {before}."
        )


def _where_they_differ(found: Found, other: int) -> Place:
    """Where two parts differ: the curves of all views around what they do not share, and a point in the middle of the
    largest cell of it."""
    cells = found.cells
    differs = found.answers[other].full != found.answer.full
    apart = np.flatnonzero(differs)
    cell = int(apart[cells.volume[apart].argmax()])
    inside = np.append(differs, False)[cells.of]
    curves: list[str] = []
    for a in cells.atoms:
        seen = inside.any(axis=3 - sum(a.axes))
        for n in np.unique(a.label[seen]).tolist():
            curves += a.regions.curves_of(a.regions.regions[n].outer)
    return Place(tuple(dict.fromkeys(curves)), _on_sheet(cells, cell))


def _on_sheet(cells: Cells, cell: int) -> tuple[float, float]:
    """A sample of a cell as a point of the first view's sheet."""
    place = np.argwhere(cells.of == cell)
    i = place[len(place) // 2]
    a = cells.atoms[0]
    x, y = flat_of(a.seen, np.array([[cells.samples[k].at[i[k]] for k in a.axes]]))[0].tolist()
    return x, y


def _against(found: Found) -> Iterator[Note]:
    """The lines that are no edges of the part, and the edges that are not drawn, each view's together."""
    sums: dict[tuple[str, str], list[float]] = {}
    at: dict[tuple[str, str], tuple[float, float]] = {}
    for c in found.answer.against:
        key = (c.view, _what(c))
        sums.setdefault(key, []).append(c.length)
        at.setdefault(key, c.at)
    for (view, what), lengths in sorted(sums.items(), key=lambda item: -sum(item[1]))[:_MOST_TOLD]:
        x, y = at[(view, what)]
        yield Note(
            "part_against",
            f"In the {view} view {_amount(lengths, what)}, near x {x:.2f}, y {y:.2f} mm.",
            Place((), (x, y)),
        )


def _amount(lengths: list[float], what: str) -> str:
    return what if what in (_EMPTY_HATCHED, _FULL_UNHATCHED) else f"{sum(lengths):.1f} mm of {what}"


def _what(c: Contradiction) -> str:
    if c.drawn == HATCHED:
        return _EMPTY_HATCHED
    if c.drawn == UNHATCHED:
        return _FULL_UNHATCHED
    if c.drawn == NO_LINE:
        return "hidden edges are not drawn" if c.counts < _FAINT * c.length else "edges are not drawn"
    return "dashed lines are no edges of the part" if c.drawn == DASHED else "lines are no edges of the part"


def _unseen(found: Found) -> Iterator[Note]:
    if not any(len(s.hidden) for s in found.seen):
        yield Note(
            "part_unseen",
            "The views draw no hidden edges: what nothing shows was taken as full, and holes as going through.",
        )
    for axis in unseen_axes(found.seen) if not found.turned else []:
        yield Note("part_unseen", f"No view looks along {AXES[axis]}: faces along it were taken as square.")


def _open_steps(found: Found, number: int) -> Iterator[Note]:
    """Steps along an axis that no view looks along, as wide as they are deep: a chamfer or a round looks the same."""
    shapes = {corner.at: shape for corner, shape, _ in found.shaped}
    for corner in corners_of(found.seen, found.box, found.clearings):
        x, y = corner.at
        shape = shapes.get(corner.at, "step")
        following = _SHAPES[(_SHAPES.index(shape) + 1) % len(_SHAPES)]
        others = [s for s in _SHAPES if s != shape]
        chosen = {**shapes, corner.at: following}
        yield Note(
            "part_open",
            f"The {shape} of {show_length(corner.legs[0])} by {show_length(corner.legs[1])} along {AXES[corner.axis]},"
            f" near x {x:.2f}, y {y:.2f} mm, may be a {others[0]} or a {others[1]}: they look the same in these views.",
            Place((), (x, y)),
            Change(
                number,
                f"Take it as a {following}",
                {"corners": [{"at": at, "shape": s} for at, s in chosen.items() if s != "step"]},
            ),
        )


_SHAPES: tuple[CornerShape, ...] = ("step", "chamfer", "round")


def _left_over(found: Found) -> Iterator[Note]:
    if found.left > LEFT_OVER * float(found.cells.volume.sum()):
        yield Note(
            "part_left",
            f"About {found.left:.0f} mm³ that should be empty were left full: no single cut takes them away.",
        )
