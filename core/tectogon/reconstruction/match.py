"""A solid from anywhere against the views of a drawing: it is turned and moved so that most of what it has falls on
what is drawn, and then held against every view line by line."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import NothingToBuild
from tectogon.linework import Linework
from tectogon.reconstruction.depths import Seen, part_box, sides_seen
from tectogon.reconstruction.straight_on import StraightOn, seen_straight_on
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.solids.placing import placed
from tectogon.tolerances import LEAST_SIZE, SEEN_TOL
from tectogon.views.align import on_axis, shown_of
from tectogon.workpiece.model import Workpiece

_MOST_WAYS = 6
"""So many ways to turn the part are looked at line by line, the likeliest first."""
_NEARLY = 0.05
"""No other way is looked at where both differ in no more than this share of what is drawn."""
_MOST_COORDINATES = 300


@dataclass(frozen=True, eq=False)
class Match:
    """A part as it fits the drawing best: its bodies where the views have it, and each view against them."""

    bodies: tuple[Body, ...]
    views: tuple[StraightOn, ...]

    @property
    def same(self) -> bool:
        """Whether all that is drawn is explained and nothing is lacking."""
        return bool(self.views) and all(view.agrees for view in self.views)

    @property
    def off(self) -> float:
        """The length (mm) in which both differ."""
        return sum(length_of(line) for view in self.views for _, lines in view.differences for line in lines)


def match(workpiece: Workpiece, bodies: Sequence[Body]) -> Match:
    """Bodies against the folded views of a workpiece (mm). Raises NothingToBuild without views or bodies,
    KernelRefused."""
    if not bodies:
        raise NothingToBuild("There is no body to hold against the drawing.")
    seen = sides_seen(workpiece)
    if not seen:
        raise NothingToBuild("There is no view to hold the part against; arrange the drawing first.")
    drawn = _drawn_coordinates(workpiece)
    drawn_length = sum(float(s.table.lengths.sum()) for s in seen)
    best: Match | None = None
    for matrix in _ways(bodies, seen, drawn)[:_MOST_WAYS]:
        moved = tuple(bodies) if _is_nothing(matrix) else tuple(placed(b, matrix) for b in bodies)
        found = Match(moved, tuple(seen_straight_on(s, moved) for s in seen))
        if best is None or found.off < best.off:
            best = found
        if best.same or best.off <= _NEARLY * drawn_length:
            break
    assert best is not None
    return best


def length_of(line: FloatArray) -> float:
    """The length (mm) of a polyline (n, 2)."""
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


def _is_nothing(matrix: FloatArray) -> bool:
    return bool(np.abs(matrix - np.eye(3, 4)).max() < 1e-12)


def turns() -> list[FloatArray]:
    """The 24 ways to turn a box onto itself, the one that turns nothing first."""
    out = []
    for order in itertools.permutations(range(3)):
        for signs in itertools.product((1.0, -1.0), repeat=3):
            matrix = np.zeros((3, 3))
            matrix[range(3), order] = signs
            if np.linalg.det(matrix) > 0.0:
                out.append(matrix)
    return sorted(out, key=lambda m: -float(np.trace(m)))


def _ways(bodies: Sequence[Body], seen: list[Seen], drawn: list[FloatArray]) -> list[FloatArray]:
    """Maps (3, 4) that bring the part to the drawing, the likeliest first: by how many of its coordinates fall on drawn
    ones."""
    box = _drawn_box(seen)
    own = _part_coordinates(bodies)
    found = []
    for turn in turns():
        sources = np.abs(turn).argmax(axis=1).tolist()
        turned = [np.sort(turn[axis, k] * own[k]) for axis, k in enumerate(sources)]
        shifts, score = [], 0.0
        for axis in range(3):
            shift, share = _shift(turned[axis], drawn[axis], box.get(axis))
            shifts.append(shift)
            score += share
        found.append((score, np.column_stack([turn, shifts])))
    order = sorted(range(len(found)), key=lambda n: (-round(found[n][0], 6), n))
    return [found[n][1] for n in order]


def _drawn_box(seen: list[Seen]) -> dict[int, tuple[float, float]]:
    try:
        return part_box(seen)
    except NothingToBuild:
        return {}


def _shift(part: FloatArray, drawn: FloatArray, box: tuple[float, float] | None) -> tuple[float, float]:
    """What to add to the part's coordinates along an axis so that most of them fall on drawn ones, and the share of
    both that does; where nothing is drawn along the axis, its beginning falls on that of the box."""
    if not len(part):
        return 0.0, 0.0
    if not len(drawn):
        return (box[0] if box else 0.0) - float(part[0]), 0.0
    size = max(float(np.ptp(drawn)), float(np.ptp(part)), LEAST_SIZE)
    tol = SEEN_TOL * size
    ends_first = [drawn[0] - part[0], drawn[-1] - part[-1], 0.0]
    best, most = 0.0, -1.0
    every = (drawn[:, None] - part[None, :]).ravel()
    _, each_once = np.unique(np.round(every / tol), return_index=True)
    for shift in [*ends_first, *every[np.sort(each_once)].tolist()]:
        near = np.abs((part + shift)[:, None] - drawn[None, :])
        hits = float((near.min(axis=0) <= tol).sum() + (near.min(axis=1) <= tol).sum()) / (len(part) + len(drawn))
        outside = max(drawn[0] - part[0] - shift, part[-1] + shift - drawn[-1], 0.0) / size
        if hits - outside > most + 1e-9:
            best, most = float(shift), hits - outside
    return best, most


def _part_coordinates(bodies: Sequence[Body]) -> list[FloatArray]:
    """The coordinates along each axis of the part: its ends, of its straight edges, and the centres of its circles."""
    box = measure.joint_bounds([b.shape for b in bodies])
    out: list[list[float]] = [[box[a], box[a + 3]] for a in range(3)]
    for body in bodies:
        for edge in body.edges:
            if measure.is_degenerate(edge):
                continue
            facts = measure.edge_facts(edge)
            places = [facts["point"]] if facts["kind"] == "round" else measure.edge_ends(edge).tolist()
            for place in places:
                for axis in range(3):
                    out[axis].append(place[axis])
    return [_distinct(np.array(values)) for values in out]


def _drawn_coordinates(workpiece: Workpiece) -> list[FloatArray]:
    """The coordinates along each axis of the part that any view shows."""
    linework: Linework = workpiece.drawing.linework
    out: list[list[FloatArray]] = [[], [], []]
    for view in workpiece.views:
        shown = shown_of(view, linework)
        for axis in range(3):
            values = on_axis(linework.table, shown, axis)
            if values is not None:
                out[axis].append(values)
    return [_distinct(np.concatenate(some)) if some else np.zeros(0) for some in out]


def _distinct(values: FloatArray) -> FloatArray:
    values = np.sort(values)
    size = max(float(np.ptp(values)), LEAST_SIZE)
    kept = values[np.concatenate([[True], np.diff(values) > 1e-5 * size])]
    if len(kept) > _MOST_COORDINATES:
        kept = kept[np.linspace(0, len(kept) - 1, _MOST_COORDINATES).astype(int)]
    return np.asarray(kept)
