"""The empty cells of an answer as cuts: regions of a view, from one drawn height to another, that hold no full cell,
and regions turned about an axis.

The fewest prisms that take all empty cells away, largest first: those of regions that solid or dashed lines close
before single atoms, so that a step on the card cuts what a designer would point at.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, BoolArray, IntArray
from tectogon.profiles import Region, Regions
from tectogon.reconstruction.carriers import flat_of, placed
from tectogon.reconstruction.cells import AIR, Atoms, Cells
from tectogon.reconstruction.clearing import Clearing, TurnedClearing
from tectogon.tolerances import SEEN_CHORD, SEEN_TOL
from tectogon.views.align import axes_shown
from tectogon.workpiece.parameters import PointPick

LEFT_OVER = 1e-5
"""Empty cells that no prism takes away are told if they are more than this share of the part."""
_ATOM, _BEHIND = 0.8, 0.97
"""Single atoms and regions that dashed lines close count for so much less than those that solid lines close."""


@dataclass(frozen=True)
class _Candidate:
    """A region of a view between two of the levels of the axis it looks along (numbers, the second exclusive)."""

    view: int
    regions: Regions
    region: Region
    atoms: IntArray
    low: int
    high: int
    worth: float


@dataclass(frozen=True)
class _TurnedCandidate:
    """Which samples lie within what a region sweeps, or around it."""

    clearing: TurnedClearing
    samples: BoolArray
    worth: float


class ViewOfCells:
    """One view's atoms over the pixels, and for each atom and slab between levels what is full and what is left."""

    def __init__(self, cells: Cells, a: Atoms, full: BoolArray) -> None:
        self.atoms = a
        self.axis = 3 - sum(a.axes)
        samples = cells.samples
        inner = [np.flatnonzero(s.width > 0.0) for s in samples]
        label = a.label[np.ix_(*(inner[k] for k in a.axes))]
        self.label = label
        levels = samples[self.axis].levels
        slab = np.searchsorted(levels, samples[self.axis].at[inner[self.axis]]) - 1
        self.slabs = len(levels) - 1
        along = [1, 1, 1]
        along[self.axis] = -1
        own = np.expand_dims(label, self.axis)
        outside = len(a.regions) * self.slabs
        self.key = np.where(own == AIR, outside, own * self.slabs + slab.reshape(along))
        self.size = (len(a.regions) + 1) * self.slabs
        self.clear = (np.bincount(self.key.ravel(), weights=full.ravel(), minlength=self.size) == 0).reshape(
            -1, self.slabs
        )[:-1]
        grid = np.stack(np.meshgrid(*(samples[k].at[inner[k]] for k in a.axes), indexing="ij"), axis=-1)
        self.flat = flat_of(a.seen, grid.reshape(-1, 2))

    def left(self, volume: FloatArray) -> FloatArray:
        """The volume still to be taken away, for each atom and slab (mm³)."""
        sums = np.bincount(self.key.ravel(), weights=volume.ravel(), minlength=self.size).astype(float)
        return sums.reshape(-1, self.slabs)[:-1]

    def within(self, atoms: IntArray, low: int, high: int) -> BoolArray:
        """Which samples lie in some atoms between two levels."""
        keys = (atoms[:, None] * self.slabs + np.arange(low, high)).ravel()
        return np.isin(self.key, keys)

    def atoms_of(self, regions: Regions, region: Region) -> IntArray:
        """The atoms that a region holds."""
        chord = SEEN_CHORD * self.atoms.seen.table.size
        shape = regions.polygon(region, chord)
        shapely.prepare(shape)
        box = region.bounds
        x, y = self.flat.T
        near = np.flatnonzero((x >= box[0]) & (x <= box[2]) & (y >= box[1]) & (y <= box[3]))
        inside = near[shapely.contains_xy(shape, x[near], y[near])]
        label = self.label.ravel()
        held = np.bincount(label[inside][label[inside] >= 0], minlength=len(self.atoms.regions))
        whole = np.bincount(label[label >= 0], minlength=len(self.atoms.regions))
        return np.flatnonzero((held > 0.5 * whole) & (whole > 0))


def clearings_of(
    cells: Cells, full: BoolArray, within: BoolArray | None = None
) -> tuple[list[Clearing | TurnedClearing], float]:
    """Cuts that take the empty cells away from what the outlines of all views have in common, or from what lies within
    some samples with a width, largest first; and how much is left that no prism takes (mm³)."""
    inner = [np.flatnonzero(s.width > 0.0) for s in cells.samples]
    of = cells.of[np.ix_(*inner)]
    x, y, z = (s.width[i] for s, i in zip(cells.samples, inner, strict=True))
    whole = x[:, None, None] * y[None, :, None] * z[None, None, :]
    is_full = np.where(of == AIR, False, full[of])
    inside = of != AIR if within is None else within
    empty = np.where(inside & ~is_full, whole, 0.0)
    left = empty
    total = float(np.where(of == AIR, 0.0, whole).sum())
    views = [ViewOfCells(cells, a, is_full) for a in cells.atoms]
    candidates: list[_Candidate | _TurnedCandidate] = [c for n, v in enumerate(views) for c in _candidates(n, v)]
    candidates += _turned_candidates(cells, inner, is_full, inside)
    chosen: list[tuple[_Candidate | _TurnedCandidate, BoolArray]] = []
    # what a candidate is worth never grows, so that only those are asked again that were worth most before
    tables = [v.left(left) for v in views]
    waiting = [(-_gain(c, tables, left), n) for n, c in enumerate(candidates)]
    heapq.heapify(waiting)
    while waiting and left.sum() > LEFT_OVER * total:
        _, n = heapq.heappop(waiting)
        c = candidates[n]
        gain = _gain(c, tables, left)
        if gain <= 0.1 * LEFT_OVER * total:
            continue
        if waiting and -gain > waiting[0][0]:
            heapq.heappush(waiting, (-gain, n))
            continue
        taken = c.samples if isinstance(c, _TurnedCandidate) else views[c.view].within(c.atoms, c.low, c.high)
        chosen.append((c, taken))
        left = np.where(taken, 0.0, left)
        tables = [v.left(left) for v in views]
    kept = _needed(chosen, empty, LEFT_OVER * total)
    out = [c.clearing if isinstance(c, _TurnedCandidate) else _clearing(cells, c) for c in kept]
    return out, float(left.sum())


def _gain(c: _Candidate | _TurnedCandidate, tables: list[FloatArray], left: FloatArray) -> float:
    """What a candidate is worth, of what is still to be taken away."""
    if isinstance(c, _TurnedCandidate):
        return c.worth * float(left[c.samples].sum())
    return c.worth * float(tables[c.view][c.atoms, c.low : c.high].sum())


def _turned_candidates(
    cells: Cells, inner: list[IntArray], full: BoolArray, inside: BoolArray
) -> list[_TurnedCandidate]:
    """What turned regions sweep, and what lies around that, where it holds nothing full."""
    at = [s.at[i] for s, i in zip(cells.samples, inner, strict=True)]
    out = []
    for t, _ in cells.turned:
        held = t.holds(at)
        for around, mask in ((False, held), (True, t.tube(at) & ~held)):
            if not (mask & full).any() and (mask & inside).any():
                out.append(_TurnedCandidate(TurnedClearing(t, around), mask, 1.0))
    return out


def _needed(
    chosen: list[tuple[_Candidate | _TurnedCandidate, BoolArray]], empty: FloatArray, least: float
) -> list[_Candidate | _TurnedCandidate]:
    """Those of some prisms that the others do not take away as well."""
    count = np.zeros(empty.shape, np.int64)
    for _, taken in chosen:
        count += taken
    kept = []
    for c, taken in reversed(chosen):
        if float(empty[taken & (count == 1)].sum()) > 0.1 * least:
            kept.append(c)
        else:
            count -= taken
    return kept[::-1]


def _candidates(n: int, v: ViewOfCells) -> list[_Candidate]:
    """Every region of a view, between the levels between which it holds nothing full, as far as they go."""
    out = []
    s = v.atoms.seen
    known: set[tuple[int, ...]] = set()
    for regions, worth in ((s.regions, 1.0), (s.behind, _BEHIND), (v.atoms.regions, _ATOM)):
        for region in regions.regions:
            atoms = (
                np.array([v.atoms.regions.by_id[region.id]])
                if regions is v.atoms.regions
                else v.atoms_of(regions, region)
            )
            if not len(atoms) or tuple(atoms.tolist()) in known:
                continue
            known.add(tuple(atoms.tolist()))
            clear = np.concatenate([[False], v.clear[atoms].all(axis=0), [False]])
            steps = np.flatnonzero(np.diff(clear.astype(np.int8)))
            out += [
                _Candidate(n, regions, region, atoms, int(a), int(b), worth)
                for a, b in zip(steps[::2], steps[1::2], strict=True)
            ]
    return out


def _clearing(cells: Cells, c: _Candidate) -> Clearing:
    a = cells.atoms[c.view]
    axis = 3 - sum(a.axes)
    levels = cells.samples[axis].levels
    frame = a.seen.view.frame
    base, way = frame.origin[axis], frame.normal[axis]
    at = [(float(levels[c.low]), c.low == 0), (float(levels[c.high]), c.high == len(levels) - 1)]
    if way < 0:
        at.reverse()
    heights = [None if outer else (level - base) * way for level, outer in at]
    points = [_point(cells, c.view, axis, level, c.region) for level, _ in at]
    return Clearing(a.seen, c.regions, c.region, heights[0], heights[1], points[0], points[1])


def _point(cells: Cells, view: int, axis: int, level: float, region: Region) -> PointPick | None:
    """A point of another view at a height of the part: on the line there that lies nearest to a region; else any end of
    a curve."""
    own = cells.atoms[view].seen
    middle = placed(own, np.array([region.centroid]))[0]
    shown = sorted(axes_shown(own.view.frame))
    best: tuple[int, float, PointPick] | None = None
    for n, a in enumerate(cells.atoms):
        if n == view or axis not in a.axes:
            continue
        s = a.seen
        ends = s.table.ends.reshape(-1, 2, 2)
        spots = placed(s, ends.reshape(-1, 2)).reshape(-1, 2, 2)
        column = a.axes.index(axis)
        across = a.axes[1 - column]
        want = middle[shown.index(across)] if across in shown else 0.0
        near = np.abs(spots[:, :, column] - level) <= SEEN_TOL * s.table.size
        lies = near.all(axis=1) & np.isin(np.arange(len(s.table)), s.table.rows_of(LINE))
        for row, end in np.argwhere(near).tolist():
            span = np.sort(spots[row, :, 1 - column])
            off = max(float(span[0] - want), float(want - span[1]), 0.0)
            key = (0 if lies[row] else 1, off)
            if best is None or key < best[:2]:
                x, y = ends[row, end].tolist()
                best = (*key, PointPick(at=(x, y), curve=s.ids[row], kind="start" if end == 0 else "end"))
    return None if best is None else best[2]
