"""Lines of sight through the cells: what a view's reader passes, sample by sample, and which lie side by side."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from tectogon.curves.table import BoolArray, IntArray
from tectogon.reconstruction.carriers import flat_of
from tectogon.reconstruction.cells import AIR, Atoms, Cells

Surface = tuple[int, int]
"""A carrier and the way it is crossed."""


@dataclass(frozen=True)
class Column:
    """The cells along a line of sight, nearest first, and the walls passed on the way: from which cell into which,
    through which surface."""

    cells: tuple[int, ...]
    walls: tuple[tuple[int, int, Surface], ...]


def columns_of(cells: Cells, a: Atoms, cut: float | None = None) -> tuple[list[Column], IntArray]:
    """The different columns of a view, and which of them stands over each sample. `cut`: where along its axis (mm) the
    part is cut and all before it taken away; what is cut is seen as one surface."""
    depth = 3 - sum(a.axes)
    index = [s.pixels for s in cells.samples]
    index[depth] = np.arange(len(cells.samples[depth].at))
    of = np.moveaxis(cells.of[np.ix_(*index)], depth, 2)
    carrier, side = (np.moveaxis(w, depth, 2) for w in _walls(cells, depth))
    if a.seen.view.frame.normal[depth] > 0:
        of, carrier, side = of[:, :, ::-1], carrier[:, :, ::-1], -side[:, :, ::-1]
    if cut is not None:
        along = cells.samples[depth].at
        before = int((along >= cut).sum() if a.seen.view.frame.normal[depth] > 0 else (along <= cut).sum())
        of, carrier, side = of[:, :, before - 1 :].copy(), carrier[:, :, before - 1 :].copy(), side[:, :, before - 1 :]
        side = side.copy()
        of[:, :, 0], side[:, :, 0] = AIR, 0
        carrier[:, :, 0] = cells.carriers.number(("cut", a.seen.view.name), (), 0.0)
    shape = of.shape[:2]
    line = of.reshape(-1, of.shape[2])
    carrier, side = (w.reshape(-1, of.shape[2] - 1) for w in (carrier, side))
    changed = line[:, 1:] != line[:, :-1]
    # two columns are one if they pass the same walls into the same cells, however far apart
    mark = np.stack([line[:, 1:] + 2, carrier + 2, side + 2], axis=2) @ np.array([3, 1 << 22, 1 << 44])
    code = np.zeros(len(line), np.int64)
    for k in range(changed.shape[1]):
        step = changed[:, k]
        code[step] = (code[step] ^ mark[step, k]) * np.int64(6364136223846793005) + 1442695040888963407
    _, where, number = np.unique(code, return_index=True, return_inverse=True)
    columns = []
    for row in where.tolist():
        at = np.flatnonzero(changed[row])
        before, into = line[row, at].tolist(), line[row, at + 1].tolist()
        surfaces: Iterable[Surface] = zip(carrier[row, at].tolist(), side[row, at].tolist(), strict=True)
        columns.append(Column(tuple(n for n in into if n != AIR), tuple(zip(before, into, surfaces, strict=True))))
    return columns, number.reshape(shape)


def _walls(cells: Cells, depth: int) -> tuple[IntArray, IntArray]:
    """The carrier between each sample and the next along an axis, and the way it is crossed. Where several views change
    within one step, that of the view which begins or ends there counts first, then curved and slanted surfaces before
    planes that they touch."""
    shape = [len(s.pixels) for s in cells.samples]
    shape[depth] = len(cells.samples[depth].at) - 1
    samples = cells.samples[depth]
    across = np.searchsorted(samples.levels, samples.at)
    plane = np.array([cells.carriers.number(("plane", depth), (v,), 0.0) for v in samples.levels.tolist()])
    along = [1, 1, 1]
    along[depth] = -1
    crossed = np.where(across[1:] > across[:-1], plane[across[:-1].clip(max=len(plane) - 1)], -1)
    carrier = np.broadcast_to(crossed.reshape(along), shape).copy()
    side, best = np.zeros(shape, np.int64), np.full(shape, -1)
    bent = np.array([not cells.carriers.is_plane(n) for n in range(len(cells.carriers.keys))] + [False])
    for a in cells.atoms:
        if depth not in a.axes or cells.turned_alone:
            continue
        k, off = a.axes.index(depth), 3 - sum(a.axes)
        air = np.take(a.label == AIR, cells.samples[a.axes[1 - k]].pixels, axis=1 - k)
        ends = np.diff(air.astype(np.int8), axis=k) != 0
        wall, way = a.walls[k]
        rank = np.where(wall >= 0, 2 * ends + bent[wall], -1)
        own, way, rank = (np.broadcast_to(np.expand_dims(x, off), shape) for x in (wall, way, rank))
        take = rank > best
        carrier[take], side[take], best[take] = own[take], way[take], rank[take]
    at = [s.at[s.pixels] for s in cells.samples]
    at[depth] = samples.at
    for _, surfaces in cells.turned:
        own, way = surfaces.between(at, depth)
        take = own >= 0
        carrier[take], side[take] = own[take], way[take]
    return carrier, side


def neighbours(cells: Cells, a: Atoms, number: IntArray) -> dict[tuple[int, int, int], float]:
    """The length (mm) along which each two different columns of a view lie side by side, by the line drawn between."""
    out: dict[tuple[int, int, int], float] = defaultdict(float)
    unsure = _unsure(cells, a)
    for k in range(2):
        p, q = (number[:-1], number[1:]) if k == 0 else (number[:, :-1], number[:, 1:])
        across = cells.samples[a.axes[1 - k]]
        width = across.width[across.pixels]
        length = np.broadcast_to(width[None, :] if k == 0 else width[:, None], p.shape)
        near = unsure[:-1] | unsure[1:] if k == 0 else unsure[:, :-1] | unsure[:, 1:]
        differs = (p != q) & ~near
        low, high = np.minimum(p, q)[differs], np.maximum(p, q)[differs]
        rows = np.column_stack([low, high, a.drawn[k][differs]])
        found, back = np.unique(rows, axis=0, return_inverse=True)
        sums = np.bincount(back.ravel(), weights=length[differs])
        for row, total in zip(found.tolist(), sums.tolist(), strict=True):
            if total > 0.0:
                out[tuple(row)] += total
    return out


def _unsure(cells: Cells, a: Atoms) -> BoolArray:
    """The lines of sight that may miss the rim of something turned about the view's direction."""
    axis = 3 - sum(a.axes)
    at = [cells.samples[k].at[cells.samples[k].pixels] for k in a.axes]
    close = float(cells.samples[axis].levels[0] - cells.samples[axis].at[0])
    out = np.zeros([len(x) for x in at], bool)
    for t, _ in cells.turned:
        if t.axis == axis:
            out |= t.thin(at, close)
    return out


def between(cells: Cells, a: Atoms, number: IntArray, pair: tuple[int, int], drawn: int) -> tuple[float, float]:
    """A point of the sheet between two columns that lie side by side with such a line drawn between them."""
    first, second = (cells.samples[k].at[cells.samples[k].pixels] for k in a.axes)
    low, high = pair
    for k in range(2):
        p, q = (number[:-1], number[1:]) if k == 0 else (number[:, :-1], number[:, 1:])
        met = np.argwhere((np.minimum(p, q) == low) & (np.maximum(p, q) == high) & (a.drawn[k] == drawn))
        if len(met):
            i, j = met[len(met) // 2].tolist()
            beside = (i + 1, j) if k == 0 else (i, j + 1)
            on_part = np.array([[first[i] + first[beside[0]], second[j] + second[beside[1]]]]) / 2.0
            x, y = flat_of(a.seen, on_part)[0].tolist()
            return x, y
    return 0.0, 0.0
