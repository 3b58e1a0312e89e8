"""What a renderer paints: filled shapes, one over the other, become the outline of the inked area, true curves kept.

All outlines are split where they cross and closed into faces; each face is asked, shape by shape in the order of
painting, whether the shape covers it (winding number and the shape's fill rule) and whether the shape inks or clears.
Pieces with ink on one side alone are the outline. Where there are not too many shapes its area is held against a second
opinion by straight pieces (`flat_fills`), which stands in for it where they differ.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.moments import area_moments
from tectogon.curves.table import BoolArray, IntArray
from tectogon.profiles.flat_fills import FOLLOWED, flat_ink, followed
from tectogon.profiles.regions import Regions, find_regions
from tectogon.tolerances import LEAST_SIZE

_MOST_TWICE = 4000
"""Up to so many curves that cross are looked at twice."""
_SAME_AREA = 5e-4

FillRule = Literal["nonzero", "evenodd"]


@dataclass(frozen=True)
class Filled:
    """One filled shape: its curves are rows first to last (without last) of the table, closed chains in order; clear
    takes ink away."""

    first: int
    last: int
    rule: FillRule = "nonzero"
    clear: bool = False


@dataclass(frozen=True)
class Outline:
    """The outline of the ink: curves, their ids, and the row each was cut from (k,). within: how far it may be from the
    true one (the drawing's unit), where it was followed and not cut from the curves; else nothing."""

    table: CurveTable
    ids: tuple[str, ...]
    source: IntArray
    within: float = 0.0


def painted(table: CurveTable, ids: tuple[str, ...], shapes: Sequence[Filled], *, join_tol: float) -> Outline:
    """The outline of what shapes paint, first to last. Chains that do not close count as closed only where ends meet
    within `join_tol`."""
    alone = _alone_and_simple(table, shapes, join_tol)
    own = np.concatenate(
        [np.zeros(0, np.int64), *(np.arange(shapes[n].first, shapes[n].last) for n in np.flatnonzero(alone).tolist())]
    )
    shown = own[table.lengths[own] > join_tol]
    outline = Outline(table.take(shown), tuple(ids[i] for i in shown.tolist()), shown)
    if alone.all():
        return outline
    rest = np.ones(len(table), bool)
    rest[own] = False
    rows = np.flatnonzero(rest)
    before = np.concatenate([[0], np.cumsum(rest)])
    others = [
        replace(s, first=int(before[s.first]), last=int(before[s.last]))
        for s, a in zip(shapes, alone.tolist(), strict=True)
        if not a
    ]
    crossed = _painted(table.take(rows), tuple(ids[i] for i in rows.tolist()), others, join_tol)
    joined = CurveTable.join([outline.table, crossed.table])
    source = np.concatenate([outline.source, rows[crossed.source]])
    return Outline(joined, outline.ids + crossed.ids, source, crossed.within)


def _alone_and_simple(table: CurveTable, shapes: Sequence[Filled], tol: float) -> BoolArray:
    """Shapes of one closed chain that does not cross itself, in whose box no other shape lies: they are their own
    outline (s,)."""
    out = np.zeros(len(shapes), bool)
    first, last = np.array([s.first for s in shapes], np.int64), np.array([s.last for s in shapes], np.int64)
    chosen = np.flatnonzero((first < last) & ~np.array([s.clear for s in shapes], bool))
    if not len(chosen):
        return out
    ends = table.ends
    joint = np.zeros(len(table) + 1, np.int64)
    joint[1:-1] = np.hypot(*(ends[:-1, 1] - ends[1:, 0]).T) > tol
    breaks = np.cumsum(joint)
    whole = (breaks[last - 1] - breaks[first])[chosen] == 0
    back = np.hypot(*(ends[last[chosen] - 1, 1] - ends[first[chosen], 0]).T) <= tol
    chosen = chosen[whole & back]
    b = table.bounds
    boxes = np.array(
        [
            (
                [*b[s.first : s.last, :2].min(axis=0), *b[s.first : s.last, 2:].max(axis=0)]
                if s.first < s.last
                else [np.nan] * 4
            )
            for s in shapes
        ]
    )
    size = max(table.size, LEAST_SIZE)
    tree = shapely.STRtree(np.asarray(shapely.box(*(boxes + np.array([-tol, -tol, tol, tol])).T)))
    a, _ = tree.query(np.asarray(shapely.box(*boxes[chosen].T)), predicate="intersects")
    chosen = chosen[np.bincount(a, minlength=len(chosen)) == 1]
    if not len(chosen):
        return out
    rows = np.concatenate([np.arange(first[n], last[n]) for n in chosen.tolist()])
    points, offsets = table.take(rows).flatten(size * 1e-5)
    counts = np.diff(offsets)
    keep = np.ones(len(points), bool)
    keep[offsets[1:] - 1] = False  # the end of each curve is where the next begins
    per_shape = np.add.reduceat(counts - 1, np.concatenate([[0], np.cumsum(last[chosen] - first[chosen])[:-1]]))
    fits = per_shape >= 3
    rings = shapely.linearrings(
        points[keep][np.repeat(fits, per_shape)], indices=np.repeat(np.arange(int(fits.sum())), per_shape[fits])
    )
    out[chosen[fits][np.asarray(shapely.is_simple(rings))]] = True
    return out


def _painted(table: CurveTable, ids: tuple[str, ...], shapes: Sequence[Filled], join_tol: float) -> Outline:
    """As above, over an arrangement of all outlines."""
    regions = find_regions(table, ids, join_tol=join_tol)
    outline, area = _exactly(table, ids, shapes, regions)
    if len(table) > _MOST_TWICE:
        return outline
    ink = flat_ink(
        table,
        lambda points, offsets: _segments(points, offsets, shapes, join_tol),
        lambda inside: _inked(inside, table, shapes, join_tol),
    )
    if abs(area - ink.area) <= _SAME_AREA * ink.area + ink.slack:
        return outline
    made, source = followed(ink, table)
    names = tuple(f"{ids[row]}~f{n + 1}" for n, row in enumerate(source.tolist()))
    return Outline(made, names, source, ink.chord * FOLLOWED)


def _exactly(
    table: CurveTable, ids: tuple[str, ...], shapes: Sequence[Filled], regions: Regions
) -> tuple[Outline, float]:
    """The outline by the arrangement of the true curves, and the area that it holds."""
    if regions.found is None:
        return Outline(table.take(np.zeros(0, np.int64)), (), np.zeros(0, np.int64)), 0.0
    inked = _inked(regions.points_inside, table, shapes, regions.join_tol)
    left = _region_on_the_left(regions)
    ink = np.concatenate([inked, [False]])[left].reshape(-1, 2)
    rows = np.flatnonzero(ink[:, 0] != ink[:, 1])
    net = regions.net
    names = tuple(
        f"{ids[net.source[i]]}~{net.number[i] + 1}" if net.cut[i] else ids[net.source[i]] for i in rows.tolist()
    )
    pieces = regions.pieces.take(rows)
    area = float((np.where(ink[rows, 0], 1.0, -1.0) * area_moments(pieces)[:, 0]).sum())
    return Outline(pieces, names, regions.piece_source[rows]), area


def _segments(points: FloatArray, offsets: IntArray, shapes: Sequence[Filled], tol: float) -> FloatArray:
    """The flattened outlines of all shapes as segments (n, 2, 2), every chain closed."""
    out = [np.zeros((0, 2, 2))]
    for shape in shapes:
        if shape.first < shape.last:
            a, b = _sides(points, offsets, shape, tol)
            out.append(np.stack([a, b], axis=1))
    return np.concatenate(out)


def _region_on_the_left(regions: Regions) -> IntArray:
    """For each half-edge (2 × pieces,) the region on its left, or -1 for none."""
    found = regions.found
    assert found is not None
    region_of = np.full(found.faces.count, -1)
    region_of[found.ring] = np.arange(len(found.ring))
    around = np.repeat(np.arange(found.faces.count), np.diff(found.nesting.hole_starts))
    region_of[found.nesting.holes] = region_of[around]
    left = np.full(2 * len(regions.pieces), -1)
    left[found.faces.order] = region_of[found.faces.ring]
    return left


def _inked(inside: FloatArray, table: CurveTable, shapes: Sequence[Filled], tol: float) -> BoolArray:
    """Whether each point (m, 2) is inked (m,)."""
    size = float(np.ptp(table.extents.reshape(2, 2), axis=0).max())
    points, offsets = table.flatten(max(size, LEAST_SIZE) * 2e-6)
    first, last = np.array([s.first for s in shapes]), np.array([s.last for s in shapes])
    bounds = table.bounds
    full = first < last
    boxes = np.full((len(shapes), 4), np.nan)
    if full.any():
        cuts = np.column_stack([first[full], last[full]]).ravel()
        padded = np.concatenate([bounds, bounds[-1:]])
        boxes[full] = np.column_stack(
            [np.minimum.reduceat(padded[:, k], cuts)[::2] for k in (0, 1)]
            + [np.maximum.reduceat(padded[:, k], cuts)[::2] for k in (2, 3)]
        )
    tree = shapely.STRtree(np.asarray(shapely.points(inside)))
    asked, at = tree.query(np.asarray(shapely.box(*boxes[full].T)))
    which = np.flatnonzero(full)[asked]
    order = np.argsort(which, kind="stable")
    which, at = which[order], at[order]
    inked = np.zeros(len(inside), bool)
    edges = np.concatenate([[0], np.flatnonzero(np.diff(which)) + 1, [len(which)]]).tolist() if len(which) else []
    for begin, end in itertools.pairwise(edges):
        shape, rows = shapes[int(which[begin])], at[begin:end]
        turns = _winding(inside[rows], points, offsets, shape, tol)
        covered = turns != 0 if shape.rule == "nonzero" else turns % 2 != 0
        inked[rows[covered]] = not shape.clear
    return inked


def _after(part: FloatArray, ends: IntArray, tol: float) -> FloatArray:
    """Where the outline goes on after the end of each curve: to the next curve, or back to where its chain began.

    Ends that meet but for rounding would leave a gap that a ray can pass through.
    """
    begins = np.concatenate([[0], ends[:-1] + 1])
    goes_on = np.zeros(len(ends), bool)
    goes_on[:-1] = np.hypot(*(part[begins[1:]] - part[ends[:-1]]).T) <= tol
    fresh = np.concatenate([[True], ~goes_on[:-1]])
    chain_begin = begins[np.flatnonzero(fresh)][np.cumsum(fresh) - 1]
    return part[np.where(goes_on, np.append(begins[1:], 0), chain_begin)]


def _sides(points: FloatArray, offsets: IntArray, shape: Filled, tol: float) -> tuple[FloatArray, FloatArray]:
    """Where each side of a shape's flattened outline begins and ends (k, 2), its chains closed."""
    part = points[offsets[shape.first] : offsets[shape.last]]
    ends = offsets[shape.first + 1 : shape.last + 1] - offsets[shape.first] - 1
    b = np.empty_like(part)
    b[:-1] = part[1:]
    b[ends] = _after(part, ends, tol)
    return part, b


def _winding(asked: FloatArray, points: FloatArray, offsets: IntArray, shape: Filled, tol: float) -> IntArray:
    """How often a shape's flattened outline runs round each point (k,), counted by its crossings of a ray to the
    right."""
    a, b = _sides(points, offsets, shape, tol)
    turns = np.zeros(len(asked), np.int64)
    step = max(1, 4_000_000 // max(len(a), 1))
    for begin in range(0, len(asked), step):
        x, y = asked[begin : begin + step, 0:1], asked[begin : begin + step, 1:2]
        rises, falls = (a[:, 1] <= y) & (b[:, 1] > y), (a[:, 1] > y) & (b[:, 1] <= y)
        side = (b[:, 0] - a[:, 0]) * (y - a[:, 1]) - (x - a[:, 0]) * (b[:, 1] - a[:, 1])
        turns[begin : begin + step] = (rises & (side > 0)).sum(axis=1) - (falls & (side < 0)).sum(axis=1)
    return turns
