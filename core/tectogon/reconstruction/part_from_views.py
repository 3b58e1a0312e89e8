"""A part out of its views: outlines of all views extruded through each other and what is common kept, then everything
cut away that the views show to be empty.

Which cells of space are empty is asked as one question (`question.py`). Before that, clearings were tried one after
another, each kept if the part seen straight on came nearer to the drawing: on drawings by others that rebuilt 83 % of
plain sheets and 67 % of hard ones, against 100 and 83 % now.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from tectogon.budget import Deadline, time_decided, within
from tectogon.errors import BadValue, KernelRefused, NothingToBuild, OverLimit, Place
from tectogon.reconstruction.cells import Cells, cells_of, turned_cells
from tectogon.reconstruction.clearing import Clearing, TurnedClearing
from tectogon.reconstruction.corners import Corner, CornerShape, corners_of
from tectogon.reconstruction.depths import Box, Seen, depth_of, part_box, sides_seen, unclosed
from tectogon.reconstruction.layers import Layer, layers_of, stacked
from tectogon.reconstruction.prisms import LEFT_OVER, clearings_of
from tectogon.reconstruction.sections import Cut, CutView, Section, sections_of
from tectogon.reconstruction.spindle import Spindle, spindle_of
from tectogon.solids import kernel, proof
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.body_keys import made_bodies
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.tolerances import LEAST_SIZE, SEEN_TOL
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import untold
from tectogon.workpiece.sentence import count_of

if TYPE_CHECKING:
    from tectogon.reconstruction.question import Answer

Tell = Callable[[str], None]
_SECONDS, _LEAST_SECONDS = 15.0, 3.0
"""The search takes no longer in all; another one is not begun with less, nor is the first given less."""
_TOO_LONG = (
    "The views draw too much for a part to be looked for; leave out what is no edge, or extrude profiles one by one."
)
MOST_ANSWERS = 4
"""So many parts are looked for that explain a drawing alike."""
_MOST_CELLS, _CLEARLY = 2500, 0.6
"""Finer cells are tried where there are no more of them, and count where less than this share is left unexplained."""
_SAMPLED, _MOST_PROBED = 0.02, 150
"""A part is as large as its full cells within this share of its outlines, where samples are fine; so many cells are
looked into."""
_EXPLAINED = 1e-3
"""No other plane of a section is tried where less than this share of what is drawn goes against a part."""
_WELL, _WELL_TURNED = 0.01, 0.03
"""Where no more edges than this share of what is drawn are lacking, no part is looked for among finer cells."""


@dataclass(frozen=True)
class Found:
    """What the views say: their cells, the parts that explain most of what is drawn, the plainest first, which of them
    is taken, and the cuts that leave it; `left`: what no cut takes away (mm³), `complete`: no further part fits."""

    seen: list[Seen]
    box: Box
    cells: Cells
    answers: list[Answer]
    chosen: int
    clearings: list[Clearing | TurnedClearing]
    left: float
    complete: bool
    spindle: Spindle | None = None
    """What the part is if it is turned as a whole: it is, where `turned`; else it may be."""
    turned: bool = False
    cut: Mapping[int, CutView] = field(default_factory=dict)
    """The views that are taken for sections, by their place in `seen`, and where they cut."""
    shaped: tuple[tuple[Corner, CornerShape, tuple[dict[str, Any], ...]], ...] = ()
    """Steps that were made a chamfer or a round, and the edges that were, as picks."""
    layers: tuple[Layer, ...] = ()
    """What the part is cut from, where that is not the outlines of all views through each other."""

    @property
    def answer(self) -> Answer:
        """The part that is taken."""
        return self.answers[self.chosen]


def found_in(workpiece: Workpiece, answer: int = 1, tell: Tell = untold) -> Found:
    """The part that explains most of what the views draw, or another that explains as much, counted from 1. Where the
    views may be those of a turned part, that comes first if a view shows it round or the sheet says so, else last.
    `tell` hears how far the search has come.

    Raises NothingToBuild where there are fewer than two views, or nothing would be left, BadValue where there are not
    so many parts, OverLimit where the views draw too much.
    """
    seen, box = _views(workpiece)
    sections = sections_of(workpiece.drawing, seen, box)
    whole, through = _about_middle(seen, sections, box)
    spindle = spindle_of(whole, box, workpiece.drawing)
    turned = None if spindle is None else _found_turned(whole, box, through, spindle)
    if turned is None or spindle is None:
        return _found_cut(seen, box, sections, answer, tell)
    if spindle.why:
        return turned if answer == 1 else _found_cut(seen, box, sections, answer - 1, tell)
    found = replace(_found_cut(seen, box, sections, 1, tell), spindle=spindle)
    count = len(found.answers)
    if answer == 1:
        return found
    if answer > count:
        return turned if answer == count + 1 else _refuse(answer, count + 1)
    clearings, left = clearings_of(found.cells, found.answers[answer - 1].full)
    return replace(found, chosen=answer - 1, clearings=clearings, left=left)


def turned_whole(workpiece: Workpiece) -> bool:
    """Whether the views may be those of a part that is turned as a whole. Raises NothingToBuild."""
    seen, box = _views(workpiece)
    whole, _ = _about_middle(seen, sections_of(workpiece.drawing, seen, box), box)
    return spindle_of(whole, box, workpiece.drawing) is not None


def unexplained(workpiece: Workpiece, *, seconds: float) -> tuple[float, int]:
    """The length that goes against the part which explains most of the views, as far as it is found in so many seconds
    (mm), and in how many pieces it is at least; infinite where there is none. Raises OverLimit, NothingToBuild."""
    from tectogon.reconstruction.question import Question

    seen, box = _views(workpiece)
    sections = sections_of(workpiece.drawing, seen, box)
    whole, through = _about_middle(seen, sections, box)
    spindle = spindle_of(whole, box, workpiece.drawing)
    turned = None if spindle is None else _found_turned(whole, box, through, spindle)
    if turned is not None:
        return turned.answer.off, min(turned.cells.pieces(answer.full) for answer in turned.answers)

    def asked() -> tuple[Cells, Question]:
        cells = cells_of(seen, box)
        return cells, Question(cells, size=max(b - a for a, b in box.values()), cut=_readings(sections)[0])

    cells, question = within(seconds, "The views draw too much to be built in passing.", asked)
    found = question.answers(seconds=seconds, most=3)
    if not cells.count or not found:
        return math.inf, 0
    return found[0].off, min(cells.pieces(answer.full) for answer in found)


def _refuse(answer: int, count: int) -> Found:
    raise BadValue(f"Only {count_of(count, 'part fits', 'parts fit')} the drawing, not {answer}.")


def _readings(sections: Mapping[int, Section]) -> list[dict[int, CutView]]:
    """The ways to read the sections of a sheet, in the order in which they are tried: what only may be a section as
    none, then each at each of its planes with the others at their first."""
    first = {n: CutView(s, s.planes[0]) for n, s in sections.items() if s.planes}
    out = [{n: view for n, view in first.items() if view.section.titled}, first]
    for n, s in sections.items():
        out += [{**first, n: CutView(s, plane)} for plane in s.planes[1:]]
    return out if len(out[0]) < len(first) else out[1:]


def _about_middle(seen: list[Seen], sections: Mapping[int, Section], box: Box) -> tuple[list[Seen], dict[int, Section]]:
    """The views without sections that cut beside the middle of the part: of what is turned they show another outline
    than the one that is turned."""
    near = 2.0 * SEEN_TOL * max(b - a for a, b in box.values())

    def aside(n: int) -> bool:
        cuts = sections[n].planes if n in sections and sections[n].titled else ()
        middle = sum(box[seen[n].axis]) / 2.0
        return bool(cuts) and all(abs(c.at - middle) > near for c in cuts)

    kept = [n for n in range(len(seen)) if not aside(n)]
    return [seen[n] for n in kept], {k: sections[n] for k, n in enumerate(kept) if n in sections}


def _found_turned(seen: list[Seen], box: Box, sections: Mapping[int, Section], spindle: Spindle) -> Found | None:
    """The part as turned as a whole; None where that leaves more than a little of the views unexplained."""
    from tectogon.reconstruction.question import Question

    cells = turned_cells(seen, box, spindle.halves)
    size = max(b - a for a, b in box.values())
    through = Cut(0.0, "through the line that the part is turned about")
    cut = {n: CutView(s, replace(through, at=sum(box[s.seen.axis]) / 2.0)) for n, s in sections.items()}
    question = Question(cells, size=size, cut=cut)
    answers = [a for a in question.answers(seconds=_SECONDS, most=MOST_ANSWERS) if a.full.any()]
    drawn = sum(float(s.table.lengths.sum()) for s in seen)
    if not answers or answers[0].off > _WELL_TURNED * drawn:
        return None
    answers = _whole(cells, answers)
    return Found(seen, box, cells, answers, 0, [], 0.0, question.complete, spindle, turned=True, cut=cut)


def _found_cut(seen: list[Seen], box: Box, sections: Mapping[int, Section], answer: int, tell: Tell) -> Found:
    """The part as outlines through each other, less cuts."""
    from tectogon.reconstruction.question import Question  # the solver takes half a second to load

    size = max(b - a for a, b in box.values())
    drawn = sum(float(s.table.lengths.sum()) for s in seen)
    found: tuple[Cells, list[Answer]] | None = None
    complete, cut = False, dict[int, CutView]()
    readings = _readings(sections)
    until = Deadline.after(_SECONDS)

    def asked(finer: bool) -> tuple[Cells, dict[int, CutView], Question | None]:
        cells = cells_of(seen, box, finer=finer)
        reading = _best_reading(cells, size, readings, until, drawn) if len(readings) > 1 else readings[0]
        return cells, reading, Question(cells, size=size, cut=reading) if cells.count else None

    for finer in (False, True):
        if found is not None and until.left < _LEAST_SECONDS:
            time_decided()
            break
        try:
            cells, reading, question = within(until, _TOO_LONG, partial(asked, finer))
        except OverLimit:
            if found is None:
                raise
            break
        if question is None:
            raise NothingToBuild("The views have nothing in common; check which is which, and how they are lined up.")
        if found is not None and cells.count > _MOST_CELLS:
            break
        answers = question.answers(seconds=max(_LEAST_SECONDS, until.left), most=MOST_ANSWERS, tell=tell)
        answers = _whole(cells, [a for a in answers if a.full.any()])
        if answers and (found is None or answers[0].off < _CLEARLY * found[1][0].off):
            found, complete, cut = (cells, answers), question.complete, reading
        if found is not None and found[1][0].lacks <= _WELL * drawn:
            break
    if found is None:
        raise NothingToBuild(
            "Nothing would be left: the holes that the views show take the whole part away. Check which view is which."
        )
    cells, answers = found
    if not 1 <= answer <= len(answers):
        return _refuse(answer, len(answers))
    clearings, left = clearings_of(cells, answers[answer - 1].full)
    return Found(seen, box, cells, answers, answer - 1, clearings, left, complete, cut=cut)


def _best_reading(
    cells: Cells, size: float, readings: list[dict[int, CutView]], until: Deadline, drawn: float
) -> dict[int, CutView]:
    """The reading of the sections in which some part explains most of what is drawn; none is tried where one before
    explains all but a little, or the time is up."""
    from tectogon.reconstruction.question import Question

    best, least = readings[0], math.inf
    for reading in readings:
        left = until.left / 2.0
        if least <= _EXPLAINED * drawn:
            break
        if best is not reading and left < 1.0:
            time_decided()
            break
        found = Question(cells, size=size, cut=reading).answers(seconds=max(left, 1.0), most=1)
        if found and found[0].off < least - 1e-6 * drawn:
            best, least = reading, found[0].off
    return best


def _whole(cells: Cells, answers: list[Answer]) -> list[Answer]:
    """The parts that fall into fewest pieces: a drawing shows one part, and no other loose inside of it."""
    pieces = [cells.pieces(a.full) for a in answers]
    return [a for a, n in zip(answers, pieces, strict=True) if n == min(pieces)]


def build_from_views(
    workpiece: Workpiece,
    number: int,
    answer: int = 1,
    tell: Tell = untold,
    shapes: Sequence[tuple[tuple[float, float], CornerShape]] = (),
) -> tuple[tuple[Body, ...], Found]:
    """Bodies from the folded views of a workpiece, and what they were found by. `shapes`: which steps at corners that
    no view looks along are chamfers or rounds, by a place of the sheet in each. Raises what `found_in` does, BadValue
    where a place is at no such step, and KernelRefused on a wrong result."""
    found = found_in(workpiece, answer, tell)
    with kernel.refusals("The solid kernel refuses a cut that the views ask for; build it by hand from here."):
        return _built(workpiece, found, number, shapes)


def _built(
    workpiece: Workpiece, found: Found, number: int, shapes: Sequence[tuple[tuple[float, float], CornerShape]]
) -> tuple[tuple[Body, ...], Found]:
    if found.turned and found.spindle:
        turned = found.spindle.body(np.flatnonzero(found.answer.full).tolist(), number)
        return tuple(made_bodies(turned.solids(), number, before=len(workpiece.bodies))), found
    chosen = _chosen(found, shapes)
    if not chosen:
        cut, found = _cut(found, number)
        return tuple(made_bodies(cut.solids(), number, before=len(workpiece.bodies))), found
    solid = _common(found.seen, found.box, number)
    tools = [c.tool(found.box, number) for c in found.clearings]
    left = [t for t, c in zip(tools, found.clearings, strict=True) if not any(c is k.clearing for k, _ in chosen)]
    whole = combine("cut", [solid], left) if left else solid
    bodies = made_bodies(whole.solids(), number, before=len(workpiece.bodies))
    if len(bodies) != 1:
        raise KernelRefused("With these corners the part would fall to pieces; take them as steps.", Place())
    body, shaped = bodies[0], []
    for corner, shape in chosen:
        body, picks = corner.finish(body, shape, number)
        shaped.append((corner, shape, tuple(picks)))
    return (body,), replace(found, shaped=tuple(shaped))


def _chosen(
    found: Found, shapes: Sequence[tuple[tuple[float, float], CornerShape]]
) -> list[tuple[Corner, CornerShape]]:
    """The corners that are no steps, each with its shape."""
    corners = list(corners_of(found.seen, found.box, found.clearings))
    out: list[tuple[Corner, CornerShape]] = []
    for (x, y), shape in shapes:
        if shape == "step":
            continue
        corner = next((c for c in corners if c.holds((x, y))), None)
        if corner is None:
            raise BadValue(f"There is no step at x {x:.2f}, y {y:.2f} mm of the drawing that could be a {shape}.")
        out.append((corner, shape))
    return out


def _cut(found: Found, number: int) -> tuple[NamedShape, Found]:
    """The part in layers where it explains every line and nothing is to be cut from them, though from the outlines;
    else as its outlines through each other less its cuts, or, where the kernel refuses that, as layers less theirs.
    Raises KernelRefused."""
    layered = _in_layers(found)
    little = LEFT_OVER * float(found.cells.volume.sum())
    whole = max(layered.left, found.left) <= little and found.answer.off <= LEAST_SIZE and not layered.clearings
    if whole and found.clearings and not any(corners_of(found.seen, found.box, found.clearings)):
        with contextlib.suppress(KernelRefused):
            return _proven_cut(stacked(layered.layers, number), [], layered), layered
    try:
        solid = _common(found.seen, found.box, number)
        return _proven_cut(solid, [c.tool(found.box, number) for c in found.clearings], found), found
    except KernelRefused:
        if whole or layered.left > found.left:
            raise
        tools = [c.tool(found.box, number) for c in layered.clearings]
        return _proven_cut(stacked(layered.layers, number), tools, layered), layered


def _in_layers(found: Found) -> Found:
    layers, within = layers_of(found.cells, found.answer.full)
    clearings, left = clearings_of(found.cells, found.answer.full, within)
    return replace(found, layers=tuple(layers), clearings=clearings, left=left)


def _proven_cut(solid: NamedShape, tools: list[NamedShape], found: Found) -> NamedShape:
    """What is left of a solid, as the answer has it. All at once the kernel sometimes loses a cut, so that what fails
    is done again one after another. Raises KernelRefused."""
    try:
        cut = combine("cut", [solid], tools) if tools else solid
        _prove(solid, cut, found, tools)
    except KernelRefused:
        if len(tools) < 2:
            raise
        cut = solid
        for tool in tools:
            cut = combine("cut", [cut], [tool])
        _prove(solid, cut, found, tools)
    return cut


def closed_views(workpiece: Workpiece) -> None:
    """Raises NothingToBuild naming a place where the outline of a view does not close."""
    for s in sides_seen(workpiece):
        if fault := unclosed(s):
            raise NothingToBuild(*fault)


def _views(workpiece: Workpiece) -> tuple[list[Seen], Box]:
    seen = sides_seen(workpiece)
    for s in seen:
        if not len(s.outline.profiles):
            raise NothingToBuild(*(unclosed(s) or (f"The {s.view.name} view encloses nothing.",)))
    if len(seen) < 2:
        raise NothingToBuild(
            "Two views or more are wanted to build a part from; fold another one, or extrude a profile by a length."
        )
    return seen, part_box(seen)


def _common(seen: list[Seen], box: Box, number: int) -> NamedShape:
    """What the outlines of all views, each extruded through the part, have in common."""
    solid: NamedShape | None = None
    for s in seen:
        tool = outline_of(s, box, number)
        solid = tool if solid is None else combine("common", [solid], [tool])
    assert solid is not None
    if not solid.solids():
        raise NothingToBuild("The views have nothing in common; check which is which, and how they are lined up.")
    return solid


def outline_of(s: Seen, box: Box, number: int) -> NamedShape:
    """The outline of a view extruded through the whole part, and a little over. Raises NothingToBuild where it does not
    close."""
    low, high = depth_of(s.view, box)
    tools = [prism(s.outline, r, s.view.frame, low, high, number) for r in s.outline.profiles]
    if not tools:
        raise NothingToBuild(f"The outline of the {s.view.name} view does not close; mend it first.")
    return tools[0] if len(tools) == 1 else combine("join", [tools[0]], tools[1:])


def _prove(solid: NamedShape, cut: NamedShape, found: Found, tools: list[NamedShape]) -> None:
    """Sound, no smaller than the outlines less all that is cleared, no larger than the outlines, about as large as the
    cells that are full, and full and empty where these are. Raises KernelRefused."""
    if not cut.solids():
        raise KernelRefused("The solid kernel left nothing of the part.")
    proof.check_valid(cut, Place())
    least, most = solid.volume - sum(tool.volume for tool in tools), solid.volume
    least, most = least - 1e-7 * most, most + 1e-7 * most
    if found.cells.is_fine:
        sampled, near = float(found.cells.volume[found.answer.full].sum()) + found.left, _SAMPLED * solid.volume
        least, most = max(least, sampled - near), min(most, sampled + near)
    if not least <= cut.volume <= most:
        raise KernelRefused(
            f"The part would have {cut.volume:.3f} mm³, outside of what its views allow ({least:.3f} to {most:.3f}"
            " mm³); it was not kept."
        )
    inside = proof.Inside(cut.shape)
    for cell, point in found.cells.middles(_MOST_PROBED):
        if found.left == 0.0 and inside(point) is (not found.answer.full[cell]):
            x, y, z = point
            raise KernelRefused(
                f"The solid kernel's result is wrong at x {x:.3f}, y {y:.3f}, z {z:.3f} mm and was not kept.",
                Place((), point),
            )


def steps_from_views(workpiece: Workpiece, answer: int = 1) -> list[tuple[str, dict[str, Any]]]:
    """The same part as ordinary operations. Raises what `found_in` does."""
    return steps_of(found_in(workpiece, answer))


def steps_of(found: Found) -> list[tuple[str, dict[str, Any]]]:
    """A part as ordinary operations: the outline of each view through the others, then cuts of what they show to be
    empty; or turned at once. Kind and values of each."""
    if found.turned and found.spindle:
        return [found.spindle.step(np.flatnonzero(found.answer.full).tolist())]
    out: list[tuple[str, dict[str, Any]]] = [
        step for n, layer in enumerate(found.layers) for step in layer.steps(first=n == 0)
    ] or [("outline", {"view": s.view.name, "result": "common" if n else "new"}) for n, s in enumerate(found.seen)]
    steps = [c for c in found.clearings if not any(c is corner.clearing for corner, _, _ in found.shaped)]
    for kind, values in (c.step(found.box) for c in steps):
        alike = next((v for k, v in out if k == kind == "cut" and _same_depth(v, values)), None)
        if alike is None:
            out.append((kind, values))
        else:
            alike["profiles"]["picks"] += values["profiles"]["picks"]
    for corner, shape, picks in found.shaped:
        out.append(("round_edges", {"how": shape, "size": corner.legs[0], "pieces": list(picks)}))
    return out


def _same_depth(one: dict[str, Any], other: dict[str, Any]) -> bool:
    return {k: v for k, v in one.items() if k != "profiles"} == {k: v for k, v in other.items() if k != "profiles"}
