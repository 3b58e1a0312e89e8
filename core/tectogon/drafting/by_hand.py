"""What a hand has changed on a sheet: dimensions that were moved, dropped, added or turned into another kind.

Each is tied to the part by the names of the faces that it stands for, so that it survives a part whose sizes change.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from tectogon.drafting.dimensions import Dimension, Length, Roundness, length_between, roundness_of
from tectogon.drafting.drawn_views import DrawnView
from tectogon.drafting.needs import Coordinate, Needs, Round

Form = Literal["", "diameter", "radius", "brackets", "plain"]


@dataclass(frozen=True)
class Held:
    """What a dimension stands for: the axis of a length (None: something round), the names of the faces at its two
    ends, its size (mm), which tells apart what the names do not, and the view it is drawn in."""

    axis: int | None
    low: frozenset[str]
    high: frozenset[str]
    value: float
    view: str


@dataclass(frozen=True)
class ByHand:
    """What was done to one dimension: `along` and `away` (mm of paper): how far its text was moved along its line and
    the line away from the view; of a diameter to the right and upwards."""

    held: Held
    state: Literal["placed", "dropped", "added"] = "placed"
    form: Form = ""
    along: float = 0.0
    away: float = 0.0


def held_by(d: Dimension) -> Held:
    """What a dimension stands for."""
    if isinstance(d, Length):
        return Held(d.axis, d.low_owners, d.high_owners, d.value, d.view)
    return Held(None, d.owners, d.owners, d.value, d.view)


def with_hands(
    wanted: Sequence[Dimension], hands: Sequence[ByHand], needs: Needs, views: Sequence[DrawnView]
) -> tuple[list[Dimension], list[ByHand]]:
    """Dimensions as a hand has changed them, and what of it stands for nothing any more."""
    out = list(wanted)
    lost: list[ByHand] = []
    for number, hand in enumerate(hands):
        if hand.state == "added":
            made = _made(hand.held, needs, views)
            if made is None:
                lost.append(hand)
            else:
                out.append(_changed(made, hand, number))
            continue
        n = _nearest(hand.held, [held_by(d) for d in out])
        if n is None:
            lost.append(hand)
        elif hand.state == "dropped":
            del out[n]
        else:
            out[n] = _changed(out[n], hand, number)
    return out, lost


def _changed(d: Dimension, hand: ByHand, number: int) -> Dimension:
    moved = (hand.along, hand.away)
    if isinstance(d, Roundness):
        stated = hand.form if hand.form in ("diameter", "radius") else d.stated
        return replace(d, moved=moved, stated=stated, hand=number)
    extra = {"brackets": True, "plain": False}.get(hand.form, d.extra)
    return replace(d, moved=moved, extra=extra, hand=number)


def _likeness(a: frozenset[str], b: frozenset[str]) -> float:
    return len(a & b) / max(len(a | b), 1)


def _nearest(held: Held, others: Sequence[Held]) -> int | None:
    """Which of some stands for the same; None where none has a face in common at both ends."""
    best: int | None = None
    least: tuple[float, bool, float] = (0.0, True, 0.0)
    for n, one in enumerate(others):
        low, high = _likeness(held.low, one.low), _likeness(held.high, one.high)
        if one.axis != held.axis or not low or not high:
            continue
        score = (-low - high, one.view != held.view, abs(one.value - held.value))
        if best is None or score < least:
            best, least = n, score
    return best


def _made(held: Held, needs: Needs, views: Sequence[DrawnView]) -> Dimension | None:
    """A dimension that was added: where it was, else in a view that shows it."""
    shown = sorted(views, key=lambda v: v.name != held.view)
    if held.axis is None:
        found = [r for r in needs.rounds if _likeness(held.low, r.owners)]
        found.sort(key=lambda r: (-_likeness(held.low, r.owners), abs(size_of(r) - held.value)))
        view = next((v for v in shown if found and abs(v.frame.normal[found[0].axis]) > 0.5), None)
        return None if view is None else roundness_of(view, found[0])
    ends = [coordinate_of(needs.on(held.axis), names) for names in (held.low, held.high)]
    view = next((v for v in shown if v.along(held.axis) is not None), None)
    if view is None or ends[0] is None or ends[1] is None or ends[0] is ends[1]:
        return None
    low, high = sorted((e for e in ends if e is not None), key=lambda c: c.value)
    return length_between(view, held.axis, low, high, between=True)


def size_of(one: Round) -> float:
    """What a drawing states of something round: the diameter where it goes all round, else the radius (mm)."""
    return 2.0 * one.radius if one.whole else one.radius


def coordinate_of(found: Sequence[Coordinate], names: frozenset[str]) -> Coordinate | None:
    """The coordinate, of those along one axis, that most of some faces have; None where none has any."""
    return max((c for c in found if _likeness(c.owners, names)), key=lambda c: _likeness(c.owners, names), default=None)
