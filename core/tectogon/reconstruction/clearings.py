"""In front of a face that a view shows there is nothing: where that face lies is tried out until the part looks as it
is drawn.

A region of a view is one face, seen from in front. Its height is that of a line which another view draws across its
whole width; if none fits, there is no face and one sees through. Outlines alone leave some regions unexplained; each of
these is cleared down to the height that brings the part, seen straight on, nearest to the drawing. Nothing is taken on
that does not bring it nearer. What dashed lines alone close is a face on the far side, and it is behind this one that
there is nothing.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE
from tectogon.errors import KernelRefused
from tectogon.profiles import Region, Regions
from tectogon.reconstruction.depths import Box, Seen, dashed_span, depth_of, heights_of, on_part_box
from tectogon.reconstruction.straight_on import Likeness, likeness
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.tolerances import LEAST_AREA, SEEN_CHORD, SEEN_LOOSE, SEEN_SLACK, SEEN_TOL
from tectogon.views.align import axes_shown
from tectogon.workpiece.parameters import PointPick

_MOST_TRIES, _FEWEST_TRIES, _MOST_PIECES = 48, 8, 8000
"""So many parts are tried at most, fewer where they have many faces and the views many lines: seeing a part straight on
takes time with each."""
_MOST_HEIGHTS = 5
_MOST_BOSSES = 6
_COVERS = 0.5
"""A line is the side of a face if it runs along so much of the face's width; rounds and chamfers take some of it
away."""


@dataclass(frozen=True)
class Clearing:
    """Nothing stands in front of a region of a view down to a height over the view's plane (mm), or behind it up to
    that height; None: one sees through. `ends`: a point of another view at that height, and for one behind also where
    the part begins. `outside`: not in front of the region but all round it: a boss on the far side, drawn dashed."""

    seen: Seen
    region: Region
    height: float | None
    ends: tuple[PointPick, ...] = ()
    behind: bool = False
    outside: bool = False

    @property
    def key(self) -> tuple[str, str]:
        """What tells it from others: the name of its view, and the id of its region or of what is round it."""
        return self.seen.view.name, f"round {self.region.id}" if self.outside else self.region.id

    @property
    def regions(self) -> Regions:
        """The regions of its view that its own is one of: those that solid lines close, or dashed ones."""
        return self.seen.behind if self.behind else self.seen.regions

    def tool(self, box: Box, number: int) -> NamedShape:
        """The solid to be taken away, inside `box` (mm), as made by step `number`."""
        low, high = self.span(box)
        frame = self.seen.view.frame
        if not self.outside:
            return prism(self.regions, self.region, frame, low, high, number)
        own = prism(self.regions, replace(self.region, holes=()), frame, low, high, number)
        all_of = [prism(self.seen.outline, r, frame, low, high, number) for r in self.seen.outline.profiles]
        return combine("cut", all_of, [own])

    def span(self, box: Box) -> tuple[float, float]:
        """From which to which height it is cleared: a little over the part."""
        low, high = depth_of(self.seen.view, box)
        if self.height is None:
            return low, high
        return (low, self.height) if self.behind else (self.height, high)


@dataclass(frozen=True)
class _State:
    """What is cleared, the part that is left, and how like the drawing it is."""

    clearings: dict[tuple[str, str], Clearing]
    solid: NamedShape
    like: Likeness


class _Trial:
    """One part being found: what its outlines have in common, and the views it has to look like."""

    def __init__(self, seen: list[Seen], box: Box, solid: NamedShape, number: int) -> None:
        self.seen, self.box, self.solid, self.number = seen, box, solid, number
        self.most = max(
            _FEWEST_TRIES,
            min(
                _MOST_TRIES, _MOST_PIECES // (len(solid.names) + sum(len(s.regions) + len(s.table) // 4 for s in seen))
            ),
        )
        self.tools: dict[tuple[str, str, float | None], NamedShape] = {}
        self.tried: set[frozenset[tuple[str, str, float | None]]] = set()

    def start(self) -> _State:
        return _State({}, self.solid, likeness(self.seen, self.solid.shape))

    def with_these(self, state: _State, more: Iterable[Clearing]) -> _State | None:
        """The state with more cleared, or cleared otherwise; None if that was tried before, leaves nothing, or is
        refused."""
        clearings = state.clearings | {c.key: c for c in more}
        mark = frozenset((*c.key, c.height) for c in clearings.values())
        if mark in self.tried or len(self.tried) >= self.most:
            return None
        self.tried.add(mark)
        return self._state(clearings)

    def without_idle(self, state: _State) -> _State:
        """The state without clearings that do not bring it nearer to the drawing: those that another one does already,
        and dashes that were read amiss."""
        if len(state.clearings) > _MOST_TRIES // 2:
            return state
        for key, _ in sorted(state.clearings.items(), key=lambda item: (not item[1].behind, item[1].region.area)):
            made = self._state({k: c for k, c in state.clearings.items() if k != key})
            if made is not None and made.like.off <= state.like.off + 0.1 * state.like.least:
                state = made
        return state

    def _state(self, clearings: dict[tuple[str, str], Clearing]) -> _State | None:
        try:
            solid = (
                combine("cut", [self.solid], [self._tool(c) for c in clearings.values()]) if clearings else self.solid
            )
            return _State(clearings, solid, likeness(self.seen, solid.shape)) if solid.solids() else None
        except KernelRefused:
            return None

    def _tool(self, clearing: Clearing) -> NamedShape:
        key = (*clearing.key, clearing.height)
        if key not in self.tools:
            self.tools[key] = clearing.tool(self.box, self.number)
        return self.tools[key]


def cleared(seen: list[Seen], box: Box, solid: NamedShape, number: int) -> tuple[NamedShape, list[Clearing]]:
    """The part that its outlines have in common, with everything taken away that stands in front of what the views
    show; and what was taken."""
    trial = _Trial(seen, box, solid, number)
    state = trial.start()
    known = [c for s in seen for c in _dashed(s, seen, box)]
    state = _better(state, [trial.with_these(state, known)] if known else [])
    while state.like.off > state.like.least:
        options = _options(state, seen, box)
        nearer = _better(state, (trial.with_these(state, group) for group in _groups(options)))
        if nearer is state:
            nearer = _one_or_all(trial, state, options)
        if nearer is state:
            break
        state = nearer
    state = trial.without_idle(state)
    return state.solid, list(state.clearings.values())


def _one_or_all(trial: _Trial, state: _State, options: list[Clearing]) -> _State:
    """The best of the options, or all that help at once if that is better still: faults in different places are cleared
    in one go."""
    helping: dict[tuple[str, str], tuple[float, Clearing]] = {}
    best = state
    for option in options:
        made = trial.with_these(state, [option])
        if made is None or _better(state, [made]) is state:
            continue
        best = _better(best, [made])
        if option.key not in helping or made.like.off < helping[option.key][0]:
            helping[option.key] = (made.like.off, option)
    return _better(
        best, [trial.with_these(state, [option for _, option in helping.values()])] if len(helping) > 1 else []
    )


def _better(state: _State, others: Iterable[_State | None]) -> _State:
    """The one that is most like the drawing; the state itself where none is clearly nearer."""
    best = state
    for other in others:
        if other is not None and other.like.off < best.like.off - 0.5 * state.like.least:
            best = other
    return best


def _options(state: _State, seen: list[Seen], box: Box) -> list[Clearing]:
    """Every clearing that could explain what is not yet: of regions along whose boundary, or inside which, something is
    off."""
    out: list[Clearing] = []
    for s, faults in zip(seen, state.like.faults, strict=True):
        if faults.is_empty:
            continue
        near = shapely.buffer(faults, SEEN_TOL * s.table.size)
        for region, behind in [*((r, False) for r in s.regions.regions), *((r, True) for r in s.behind.regions)]:
            shape = _polygon(s.behind if behind else s.regions, region, SEEN_CHORD * s.table.size)
            edge = shapely.boundary(shape)
            least = min(SEEN_SLACK * s.table.size, 0.1 * shapely.length(edge))
            if (
                shapely.length(shapely.intersection(edge, near)) > least
                or shapely.length(shapely.intersection(shape, faults)) > least
            ):
                now = state.clearings.get((s.view.name, region.id))
                out += [
                    c for c in _hypotheses(s, region, seen, box, behind=behind) if now is None or c.height != now.height
                ]
        for region in sorted(s.behind.regions, key=lambda r: -r.area)[:_MOST_BOSSES]:
            if (s.view.name, f"round {region.id}") not in state.clearings:
                out += _round(s, region, seen, box)
    return out


def _round(s: Seen, region: Region, seen: list[Seen], box: Box) -> list[Clearing]:
    """How far a region that is drawn dashed may stand out on the far side, everything round it being lower."""
    low, high = heights_of(s.view, s.axis, *box[s.axis])
    tol = SEEN_LOOSE * (high - low)
    levels = sorted(_levels(s, s.outline.pieces.extents, seen, s.axis), key=lambda pair: pair[0])
    foot = [end for h, end in levels if h <= low + tol][:1]
    found = [(h, end) for h, end in levels if low + tol < h < high - tol][:_MOST_HEIGHTS]
    return [Clearing(s, region, h, (end, *foot), behind=True, outside=True) for h, end in found]


def _groups(options: list[Clearing]) -> list[list[Clearing]]:
    """Clearings of one view to one height, where there are several: four holes, both sides of a rib."""
    by: dict[tuple[str, float | None, int], list[Clearing]] = {}
    for option in options:
        size = round(math.log(max(option.region.area, LEAST_AREA)) / math.log(1.02))
        by.setdefault((option.seen.view.name, option.height, size), []).append(option)
    return [group for group in by.values() if len(group) > 1]


def _polygon(regions: Regions, region: Region, chord: float) -> shapely.Polygon:
    return shapely.Polygon(
        regions.ring_points(region.outer, chord), [regions.ring_points(h, chord) for h in region.holes]
    )


def _hypotheses(s: Seen, region: Region, seen: list[Seen], box: Box, *, behind: bool = False) -> list[Clearing]:
    """Where the face that a region shows may lie: at lines of other views that run along its width, nearest to its own
    side first; or nowhere."""
    low, high = heights_of(s.view, s.axis, *box[s.axis])
    tol = SEEN_LOOSE * (high - low)
    levels = sorted(_levels(s, np.array(region.bounds), seen, s.axis), key=lambda pair: pair[0], reverse=not behind)
    found = [(h, end) for h, end in levels if low + tol < h < high - tol][:_MOST_HEIGHTS]
    if behind:
        foot = [end for h, end in levels if h <= low + tol][:1]
        return [Clearing(s, region, h, (end, *foot), behind=True) for h, end in found]
    return [*(Clearing(s, region, h, (end,)) for h, end in found), Clearing(s, region, None)]


def _dashed(s: Seen, seen: list[Seen], box: Box) -> list[Clearing]:
    """What another view draws dashed at both sides: in front of regions down to where the dashes end, behind those that
    are dashed up to there."""
    out = []
    near = SEEN_LOOSE * s.table.size
    for region, behind in [*((r, False) for r in s.regions.regions), *((r, True) for r in s.behind.regions)]:
        span = dashed_span(s, region, seen, box)
        if span is None:
            continue
        height = span[1] if behind else span[0]
        drawn = _hypotheses(s, region, seen, box, behind=behind)
        if not behind or drawn:
            out.append(
                next(
                    (
                        c
                        for c in drawn
                        if height is not None and c.height is not None and abs(c.height - height) <= near
                    ),
                    Clearing(s, region, height, behind=behind),
                )
            )
    return out


def _levels(s: Seen, bounds: FloatArray, seen: Sequence[Seen], axis: int) -> list[tuple[float, PointPick]]:
    """Heights at which every view from another side draws lines along the width of a box on the sheet, each with a
    point on such a line."""
    spans = on_part_box(s.view, bounds)
    kept: list[tuple[float, PointPick]] | None = None
    for other in seen:
        shown = axes_shown(other.view.frame)
        shared = [a for a in spans if a in shown]
        if other is s or axis not in shown or not shared:
            continue
        here = _across(other, spans[shared[0]], shared[0], axis)
        if kept is None:
            kept = here
        else:
            near = 2.0 * max(s.tol, other.tol) + SEEN_TOL * s.table.size
            kept = [(z, end) for z, end in kept if any(abs(z - y) <= near for y, _ in here)]
    return [(heights_of(s.view, axis, z, z)[0], end) for z, end in kept or []]


def _across(s: Seen, span: tuple[float, float], across: int, along: int) -> list[tuple[float, PointPick]]:
    """Where along one axis a view draws lines that run along `span` of another, each with a point on such a line."""
    rows = s.table.rows_of(LINE)
    flat = s.table.data[rows, :4].reshape(-1, 2, 2)
    ends = s.view.frame.place(flat)
    tol = SEEN_TOL * s.table.size
    level = np.flatnonzero(np.abs(ends[:, 0, along] - ends[:, 1, along]) <= tol)
    level = level[np.argsort(ends[level, 0, along], kind="stable")]
    out: list[tuple[float, PointPick]] = []
    at = 0
    while at < len(level):
        stop = at + 1
        while stop < len(level) and ends[level[stop], 0, along] - ends[level[at], 0, along] <= tol:
            stop += 1
        mine = level[at:stop]
        pieces = np.sort(np.clip(ends[mine][:, :, across], *span), axis=1)
        if _union(pieces) >= _COVERS * (span[1] - span[0]):
            n = int(mine[np.argmax(pieces[:, 1] - pieces[:, 0])])
            pick = PointPick(at=(float(flat[n, 0, 0]), float(flat[n, 0, 1])), curve=s.ids[int(rows[n])], kind="start")
            out.append((float(ends[n, 0, along]), pick))
        at = stop
    return out


def _union(pieces: FloatArray) -> float:
    """The length that intervals (k, 2) cover together."""
    total, reached = 0.0, -math.inf
    for a, b in sorted(map(tuple, pieces.tolist())):
        total += max(0.0, b - max(a, reached))
        reached = max(reached, b)
    return total
