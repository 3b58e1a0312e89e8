"""The part that the views of a sheet show, in the way that suits them: a plate of a stated thickness, turned about a
centre line, with rounded edges, or outlines through each other less what is cut."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from tectogon.building.plates import plate_of
from tectogon.building.rounded_views import RoundedPart, rounded_along, rounded_from_views
from tectogon.building.turned_views import turned_from_views
from tectogon.errors import Note, TectogonError
from tectogon.reconstruction.certainty import notes_of
from tectogon.reconstruction.corners import CornerShape
from tectogon.reconstruction.depths import sides_seen
from tectogon.reconstruction.part_from_views import Found, build_from_views, steps_of
from tectogon.reconstruction.sharp_corners import sharpened
from tectogon.reconstruction.straight_on import differing
from tectogon.solids.body import Body
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import untold

_SURE = (["part_only"], ["part_turned"])
"""A part is certain of which no more than this is said."""


@dataclass(frozen=True)
class PartOfViews:
    """All bodies of the workpiece with the part, the operations that make it step by step, what is to be said of it,
    whether that is all that the views leave to say, and the parts that fit alike: the volume of each (mm³), the one
    that was built first, and the length in which it differs from the views (mm)."""

    bodies: tuple[Body, ...]
    steps: tuple[tuple[str, dict[str, Any]], ...]
    notes: tuple[Note, ...]
    certain: bool
    answers: tuple[tuple[float, float], ...]


def part_of_views(
    workpiece: Workpiece,
    number: int,
    stated: list[tuple[float, str]],
    *,
    answer: int = 1,
    corners: Sequence[tuple[tuple[float, float], CornerShape]] = (),
    sharp: bool = False,
    tell: Callable[[str], None] = untold,
) -> PartOfViews:
    """The part as made by step `number`. `stated`: the thicknesses that the sheet states (mm, with the words);
    `answer`: which of the parts that fit alike, `corners`: what steps at unseen corners are,
    `sharp`: with sharp edges where views draw arcs in the place of corners.

    Raises NothingToBuild where the views do not close or share nothing, BadValue where fewer parts fit, OverLimit,
    KernelRefused on a wrong result.
    """
    plate = plate_of(workpiece, stated)
    if plate is not None:
        bodies = plate.bodies(workpiece, number)
        return PartOfViews(bodies, (plate.step(workpiece),), plate.notes, plate.certain, ((_volume(bodies), 0.0),))
    if sharp or answer != 1 or corners:
        workpiece = sharpened(workpiece)[0] if sharp else workpiece
        return _as_outlines(workpiece, number, *build_from_views(workpiece, number, answer, tell, corners))
    turned = turned_from_views(workpiece, number)
    if turned is not None:
        bodies = turned.workpiece.bodies
        return PartOfViews(bodies, tuple(turned.steps), turned.notes, False, ((_volume(bodies), 0.0),))
    return _sharp_or_rounded(workpiece, number, tell)


def _sharp_or_rounded(workpiece: Workpiece, number: int, tell: Callable[[str], None]) -> PartOfViews:
    """With rounded edges where that explains more of the views. Edges rounded along one axis alone are part of the
    outlines there, and these are looked at first."""
    along = rounded_along(workpiece)
    rounded = rounded_from_views(workpiece, number, tell) if along > 1 else None
    if rounded is not None and rounded.off == 0.0:
        return _as_rounded(workpiece, rounded)
    try:
        bodies, found = build_from_views(workpiece, number, 1, tell)
    except TectogonError:
        if rounded is None:
            raise
        return _as_rounded(workpiece, rounded)
    plain = _as_outlines(workpiece, number, bodies, found)
    if plain.certain or not along:
        return plain
    if along == 1:
        rounded = rounded_from_views(workpiece, number, tell)
    if rounded is None or rounded.off >= differing(sides_seen(workpiece), bodies):
        return plain
    return _as_rounded(workpiece, rounded)


def _as_outlines(workpiece: Workpiece, number: int, bodies: tuple[Body, ...], found: Found) -> PartOfViews:
    notes, volume = notes_of(found, number), _volume(bodies)
    sampled = [float(found.cells.volume[a.full].sum()) for a in found.answers]
    alike = tuple((volume + v - sampled[found.chosen], a.off) for v, a in zip(sampled, found.answers, strict=True))
    certain = [note.code for note in notes] in _SURE
    return PartOfViews((*workpiece.bodies, *bodies), tuple(steps_of(found)), tuple(notes), certain, alike)


def _as_rounded(workpiece: Workpiece, rounded: RoundedPart) -> PartOfViews:
    notes, body = notes_of(rounded.sharp, 0), rounded.body
    certain = rounded.off == 0.0 and [note.code for note in notes] in _SURE
    sharp = [replace(note, change=None) for note in notes if not note.good]  # a change would be to another step
    return PartOfViews(
        (*workpiece.bodies, body),
        tuple(rounded.steps),
        (rounded.note(), *sharp),
        certain,
        ((body.volume, rounded.off),),
    )


def _volume(bodies: Sequence[Body]) -> float:
    return float(sum(b.volume for b in bodies))
