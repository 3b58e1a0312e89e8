"""Cells of space: what the lines of all views, each swept along its view's direction, part the box of a part into.

The lines of a view, solid and dashed, part it into regions (atoms); a cell is what one atom of each view has in common,
in one piece. They are found on a grid with at least one sample between any two coordinates that are drawn, so no solid
is computed. Between two cells lies a *carrier*: the plane or cylinder that a line or arc of some view sweeps.
Source: cells by Sakurai and Gossard, "Solid model input through orthographic views", SIGGRAPH 1983; here by labels
instead of surfaces.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from scipy.ndimage import label as pieces_of
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.errors import OverLimit
from tectogon.profiles import Regions
from tectogon.reconstruction.carriers import Carriers, flat_of, placed
from tectogon.reconstruction.depths import Box, Seen
from tectogon.reconstruction.turning import Surfaces, Turned, turned_regions
from tectogon.tolerances import LEAST_SIZE, SEEN_CHORD, SEEN_TOL
from tectogon.units import show_count
from tectogon.views.align import axes_shown

AIR = -1
NO_LINE, AXIS, SOLID, DASHED = 0, 1, 2, 3
"""What is drawn between two samples. AXIS: a dashed line at the height of the centre of a round that another view
shows; it may be an edge or the middle of a hole, and tells nothing."""
HATCHED, UNHATCHED = 4, 5
"""What may go against a part in a section, beside its lines: what is hatched and empty, or full and not hatched."""
_FINENESS = ((1.0 / 110.0, 3, True), (1.0 / 110.0, 1, True), (math.inf, 1, True), (math.inf, 1, False))
"""How near samples stand to each other where arcs or slanted lines run, as a share of the part's size, how many there
are at least between two drawn coordinates, and whether some stand close to these: the finest that is not too much."""
_MOST_SAMPLES, _MOST_CELLS = 8_000_000, 6_000
"""More are not looked at; usual parts have half a million and a few hundred."""
_STIR, _MOST_CODES = 2654435761, (1 << 31) - 1
"""Codes of sets are stirred to stay small; that two that lie side by side become one is not to be expected."""
_PHASE = (0.5, 0.463, 0.531)
"""Where in its stretch a sample stands, along each axis: unlike, so that none lies on a slanted line at 45 degrees."""
_SHORT = 0.03
_CLOSE = 3e-4
"""How near to a drawn coordinate the nearest samples stand, as a share of the part's size."""


@dataclass(frozen=True)
class Samples:
    """Samples along an axis. `at`: where (mm), ascending; `width`: what each stands for (mm), nothing for those close
    to a drawn coordinate, which only tell in which order surfaces follow each other along a line of sight, and for one
    beyond either end; `pixels`: those through which lines of sight run; `levels`: the drawn coordinates; `fine`:
    whether many stand along what is bent."""

    at: FloatArray
    width: FloatArray
    pixels: IntArray
    levels: FloatArray
    fine: bool


@dataclass(frozen=True)
class Atoms:
    """One view on the grid, over the two axes it shows in the part's order (n, m).

    `label` (n, m): the region at each sample, AIR outside. `walls`, for each of the two axes: the carrier between each
    sample and the next along it, at the pixels of the other, -1 where there is none, and the way it is crossed
    (cylinders: 1 from inside, -1 from outside). `drawn`, for each of the two: whether there is a line, solid or dashed,
    between each pixel and the next.
    """

    seen: Seen
    regions: Regions
    axes: tuple[int, int]
    label: IntArray
    walls: tuple[tuple[IntArray, IntArray], ...]
    drawn: tuple[IntArray, ...]


@dataclass(frozen=True)
class Cells:
    """The box of a part in cells: `of` (nx, ny, nz) the cell at each sample, AIR where a view shows nothing."""

    samples: tuple[Samples, ...]
    atoms: list[Atoms]
    turned: list[tuple[Turned, Surfaces]]
    carriers: Carriers
    of: IntArray
    turned_alone: bool = False
    """Whether turned regions alone part space, one cell each."""

    @cached_property
    def count(self) -> int:
        """How many cells there are."""
        return int(self.of.max(initial=AIR)) + 1

    @property
    def is_fine(self) -> bool:
        """Whether samples stand close enough to each other to tell how large a cell is."""
        return all(s.fine for s in self.samples)

    @cached_property
    def volume(self) -> FloatArray:
        """About how many mm³ each cell has, by samples."""
        x, y, z = (s.width for s in self.samples)
        whole = (x[:, None, None] * y[None, :, None] * z[None, None, :]).ravel()
        inside = self.of.ravel() >= 0
        return np.bincount(self.of.ravel()[inside], weights=whole[inside], minlength=self.count).astype(float)

    def middles(self, most: int) -> list[tuple[int, tuple[float, float, float]]]:
        """A point well inside of each of the largest cells that have one, with the number of the cell."""
        of = self.of
        inner = np.ones(of.shape, bool)
        for axis in range(3):
            same = np.diff(of, axis=axis) == 0
            inner &= np.insert(same, 0, False, axis) & np.insert(same, same.shape[axis], False, axis)
        places = np.flatnonzero(inner & (of != AIR))
        cells = of.ravel()[places]
        order = np.argsort(cells, kind="stable")
        places, cells = places[order], cells[order]
        begin = np.searchsorted(cells, np.arange(self.count + 1))
        out = []
        for cell in np.argsort(-self.volume)[:most].tolist():
            a, b = begin[cell], begin[cell + 1]
            if b > a:
                i = np.unravel_index(places[(a + b) // 2], of.shape)
                x, y, z = (float(s.at[k]) for s, k in zip(self.samples, i, strict=True))
                out.append((cell, (x, y, z)))
        return out

    def pieces(self, full: BoolArray) -> int:
        """How many pieces, that do not hang together by a face, some cells make up."""
        material = np.append(full, False)[self.of]
        return int(pieces_of(material)[1])


def cells_of(seen: Sequence[Seen], box: Box, *, finer: bool = False) -> Cells:
    """The cells of the views of a part inside its box (mm). `finer`: parted also where no view draws a line, by the
    planes through all coordinates at which a solid line ends; where lines are missing from the drawing. Raises
    OverLimit where there is too much to look at."""
    samples, carriers, atoms, size = _grid(seen, box)
    turned = [(t, t.surfaces(carriers, samples[t.axis].levels, size)) for t in turned_regions(seen, size)]
    _join_tangent(carriers, size)
    code = _labels(atoms, turned, samples)
    if finer:
        for axis in range(3):
            code = _parted(code, axis, samples[axis], _corners(seen, axis), size)
    cells = Cells(samples, atoms, turned, carriers, _split(code))
    if cells.count > _MOST_CELLS:
        raise OverLimit(
            f"The lines of the views part the part into {show_count(cells.count)} cells, too many to ask which"
            " are full. Leave"
            " out what is no edge, or extrude profiles one by one."
        )
    return cells


def turned_cells(seen: Sequence[Seen], box: Box, halves: Sequence[Turned]) -> Cells:
    """The cells of a part that is turned as a whole: one for each region of half a view. Raises OverLimit."""
    samples, carriers, atoms, size = _grid(seen, box)
    turned = [(t, t.surfaces(carriers, samples[t.axis].levels, size)) for t in halves]
    _join_tangent(carriers, size)
    of = np.full([len(s.at) for s in samples], AIR)
    for n, t in enumerate(halves):
        of[t.holds([s.at for s in samples])] = n
    return Cells(samples, atoms, turned, carriers, of, turned_alone=True)


def _grid(seen: Sequence[Seen], box: Box) -> tuple[tuple[Samples, ...], Carriers, list[Atoms], float]:
    """Samples through a part's box, and the views on them. Raises OverLimit where there is too much to look at."""
    size = max(max(b - a for a, b in box.values()), LEAST_SIZE)
    for fineness in _FINENESS:
        samples = tuple(_samples(seen, axis, box[axis], size, fineness) for axis in range(3))
        if math.prod(len(s.at) for s in samples) <= _MOST_SAMPLES:
            break
    else:
        levels = " × ".join(f"{len(s.levels)}" for s in samples)
        raise OverLimit(
            f"The views draw too many different coordinates ({levels} along the three axes) for a part to be looked"
            " for. Leave out what is no edge, smooth what is drawn in crumbs, or extrude profiles one by one."
        )
    carriers = Carriers()
    for axis in range(3):
        for level in samples[axis].levels.tolist():
            carriers.number(("plane", axis), (level,), 0.0)
    atoms = [_atoms(s, samples, carriers, size, _centres(seen, s)) for s in seen]
    return samples, carriers, atoms, size


def _samples(
    seen: Sequence[Seen], axis: int, ends: tuple[float, float], size: float, fineness: tuple[float, int, bool]
) -> Samples:
    """Coordinates drawn along an axis, those within the tolerance as one, and samples between them."""
    fine, least, closely = fineness
    found, bent = [np.array(ends)], [np.zeros((0, 2))]
    for s in seen:
        shown = sorted(axes_shown(s.view.frame))
        if axis not in shown:
            continue
        column = shown.index(axis)
        table = s.table
        low, high = (placed(s, table.bounds[:, k]) for k in (slice(0, 2), slice(2, 4)))
        spans = np.sort(np.column_stack([low[:, column], high[:, column]]), axis=1)
        tips = placed(s, table.ends.reshape(-1, 2))[:, column]
        straight = np.zeros(len(table), bool)
        rows = table.rows_of(LINE)
        both = [placed(s, table.data[rows, k : k + 2]) for k in (0, 2)]
        runs = np.abs(both[0] - both[1])
        straight[rows] = (runs <= SEEN_TOL * size).any(axis=1) & (runs.max(axis=1, initial=0.0) > 5.0 * SEEN_TOL * size)
        bent.append(spans[~straight])
        found += _told(spans, tips.reshape(-1, 2), straight, table.lengths, size)
    inside = np.concatenate(found)
    inside = np.sort(inside[(inside >= ends[0] - SEEN_TOL * size) & (inside <= ends[1] + SEEN_TOL * size)])
    levels, spread = _as_one(inside, SEEN_TOL * size)
    spans = np.concatenate(bent)
    close = max(_CLOSE * size, 1.5 * spread)
    at, width = [np.array([levels[0] - close])], [np.zeros(1)]
    for a, b in zip(levels[:-1].tolist(), levels[1:].tolist(), strict=True):
        dense = bool(((spans[:, 0] < b - close) & (spans[:, 1] > a + close)).any())
        count = max(least, math.ceil((b - a) / (fine * size))) if dense else 1
        inner = a + (b - a) * (np.arange(count) + _PHASE[axis]) / count
        room = closely and b - a > 4.0 * count * close
        near = [np.array([v]) if room else np.zeros(0) for v in (a + close, b - close)]
        at += [near[0], inner, near[1]]
        width += [np.zeros(len(near[0])), np.full(count, (b - a) / count), np.zeros(len(near[1]))]
    at.append(np.array([levels[-1] + close]))
    width.append(np.zeros(1))
    wide = np.concatenate(width)
    pixels = np.flatnonzero(wide > 0.0)
    return Samples(np.concatenate(at), wide, np.concatenate([[0], pixels, [len(wide) - 1]]), levels, least > 1)


def _told(
    spans: FloatArray, tips: FloatArray, straight: BoolArray, lengths: FloatArray, size: float
) -> list[FloatArray]:
    """The coordinates that curves tell by what they span (n, 2) and where they end (n, 2). A short one that runs along
    no axis, a dash of a circle say, tells where it turns back; where it ends it tells nothing, unless a straight one
    ends there as well."""
    near = SEEN_TOL * size
    whole = straight | (lengths > _SHORT * size)
    ends = np.sort(tips[straight].ravel())
    bits, turns = tips[~whole].ravel(), spans[~whole]
    at = np.searchsorted(ends, bits)
    away = np.full(len(bits), np.inf)
    for k in (at - 1, at):
        inside = (k >= 0) & (k < len(ends))
        away[inside] = np.minimum(away[inside], np.abs(ends[k[inside]] - bits[inside]))
    low, high = tips[~whole].min(axis=1), tips[~whole].max(axis=1)
    back = np.concatenate([turns[turns[:, 0] < low - near, 0], turns[turns[:, 1] > high + near, 1]])
    return [spans[whole].ravel(), tips[whole].ravel(), bits[away <= near], back]


def _as_one(values: FloatArray, near: float) -> tuple[FloatArray, float]:
    """Sorted values, those within `near` of the first of a bunch as their middle one; and how far the furthest lies
    from its middle."""
    starts: list[int] = []
    at = 0
    while at < len(values):
        starts.append(at)
        at = int(np.searchsorted(values, values[at] + near, side="right"))
    stops = [*starts[1:], len(values)]
    middle = np.array([float(np.median(values[a:b])) for a, b in zip(starts, stops, strict=True)])
    return middle, float(np.abs(np.repeat(middle, np.diff([*starts, len(values)])) - values).max())


def _centres(seen: Sequence[Seen], s: Seen) -> dict[int, FloatArray]:
    """Coordinates along each axis that a view shows of the centres of rounds in other views."""
    out: dict[int, list[FloatArray]] = {axis: [np.zeros(0)] for axis in axes_shown(s.view.frame)}
    for other in seen:
        shown = sorted(axes_shown(other.view.frame))
        rows = other.table.rows_of(ARC)
        if other is s or set(shown) == set(out) or not len(rows):
            continue
        at = placed(other, other.table.data[rows, :2])
        for axis in out.keys() & set(shown):
            out[axis].append(at[:, shown.index(axis)])
    return {axis: np.concatenate(found) for axis, found in out.items()}


def _atoms(
    s: Seen, samples: Sequence[Samples], carriers: Carriers, size: float, centres: dict[int, FloatArray]
) -> Atoms:
    regions = s.together
    axes = tuple(sorted(axes_shown(s.view.frame)))
    first, second = (samples[k] for k in axes)
    grid = np.stack(np.meshgrid(first.at, second.at, indexing="ij"), axis=-1)
    label = _label(s, regions, flat_of(s, grid.reshape(-1, 2))).reshape(grid.shape[:2])
    crossed = _Crossed(s, axes, samples, carriers, size, centres)
    p, q = first.pixels, second.pixels
    wall = [crossed.between(grid[:, q], label[:, q], 0), crossed.between(grid[p], label[p], 1)]
    pixels = grid[np.ix_(p, q)], label[np.ix_(p, q)]
    drawn = tuple(crossed.between(*pixels, k)[2] for k in range(2))
    return Atoms(s, regions, axes, label, tuple((c, w) for c, w, _ in wall), drawn)  # type: ignore[arg-type]


def _label(s: Seen, regions: Regions, flat: FloatArray) -> IntArray:
    """The region of a view in which each of some points of its sheet (n, 2) lies; AIR in none."""
    label = np.full(len(flat), AIR)
    chord = SEEN_CHORD * s.table.size
    for n, region in enumerate(regions.regions):
        box = region.bounds
        near = np.flatnonzero(
            (flat[:, 0] >= box[0]) & (flat[:, 0] <= box[2]) & (flat[:, 1] >= box[1]) & (flat[:, 1] <= box[3])
        )
        shape = regions.polygon(region, chord)
        shapely.prepare(shape)
        label[near[shapely.contains_xy(shape, flat[near, 0], flat[near, 1])]] = n
    return label


class _Crossed:
    """Which curve of a view lies between two samples, and what surface it sweeps."""

    def __init__(
        self,
        s: Seen,
        axes: tuple[int, ...],
        samples: Sequence[Samples],
        carriers: Carriers,
        size: float,
        centres: dict[int, FloatArray],
    ) -> None:
        table = s.table
        points, offsets = table.flatten(SEEN_CHORD * table.size)
        on_part = placed(s, points)
        self.tree = shapely.STRtree(
            [shapely.LineString(on_part[offsets[n] : offsets[n + 1]]) for n in range(len(table))]
        )
        hidden = np.zeros(len(table), bool)
        hidden[s.hidden] = True
        self.drawn = np.where(hidden, DASHED, SOLID)
        tips = placed(s, table.ends.reshape(-1, 2)).reshape(-1, 2, 2)
        for column, axis in enumerate(axes):
            away = np.abs(tips[:, :, column, None] - centres[axis]).max(axis=1)
            straight = np.isin(np.arange(len(table)), table.rows_of(LINE))
            self.drawn[hidden & straight & (away.min(axis=1, initial=np.inf) <= SEEN_TOL * size)] = AXIS
        self.curve = np.array([_carrier(s, n, axes, samples, carriers, size) for n in range(len(table))], np.int64)
        self.centre = np.full((len(table), 2), np.nan)
        arcs = table.rows_of(ARC)
        self.centre[arcs] = placed(s, table.data[arcs, :2]) if len(arcs) else 0.0
        _join_smooth(s, self.curve, carriers)

    def between(self, grid: FloatArray, label: IntArray, way: int) -> tuple[IntArray, IntArray, IntArray]:
        """Carriers, sides and kinds of line between each sample and the next along one of the two axes."""
        first, second = (grid[:-1], grid[1:]) if way == 0 else (grid[:, :-1], grid[:, 1:])
        changes = (label[:-1] != label[1:]) if way == 0 else (label[:, :-1] != label[:, 1:])
        carrier, side, drawn = (np.full(changes.shape, v) for v in (-1, 0, NO_LINE))
        at = np.argwhere(changes)
        if not len(at):
            return carrier, side, drawn
        p, q = first[changes], second[changes]
        pair, curve = self.tree.query(shapely.linestrings(np.stack([p, q], axis=1)), predicate="intersects")
        missed = np.setdiff1d(np.arange(len(at)), pair)
        if len(missed):
            # samples on either side of a corner, or of a gap that counts as closed
            pair = np.append(pair, missed)
            curve = np.append(curve, self.tree.nearest(shapely.points((p[missed] + q[missed]) / 2.0)))
        # the last one written counts: solid lines over dashed ones, those over middles of rounds
        order = np.argsort(np.array([0, 1, 3, 2])[self.drawn[curve]], kind="stable")
        pair, curve = pair[order], curve[order]
        place = tuple(at[pair].T)
        carrier[place] = self.curve[curve]
        drawn[place] = self.drawn[curve]
        nearer = np.linalg.norm(p[pair] - self.centre[curve], axis=1) < np.linalg.norm(
            q[pair] - self.centre[curve], axis=1
        )
        side[place] = np.where(np.isnan(self.centre[curve, 0]), 0, np.where(nearer, 1, -1))
        return carrier, side, drawn


def _carrier(
    s: Seen, n: int, axes: tuple[int, ...], samples: Sequence[Samples], carriers: Carriers, size: float
) -> int:
    kind, data = int(s.table.kind[n]), s.table.data[n]
    normal = 3 - sum(axes)
    near = 2.0 * SEEN_TOL * size
    if kind == LINE:
        p, q = placed(s, data[:4].reshape(2, 2))
        for column, axis in enumerate(axes):
            if abs(p[column] - q[column]) <= SEEN_TOL * size and np.linalg.norm(q - p) > 2.0 * SEEN_TOL * size:
                levels = samples[axis].levels
                level = int(np.abs(levels - (p[column] + q[column]) / 2.0).argmin())
                return carriers.number(("plane", axis), (float(levels[level]),), 0.0)
        d = (q - p) / max(float(np.linalg.norm(q - p)), LEAST_SIZE)
        d = d if d[0] > 0 or (d[0] == 0 and d[1] > 0) else -d
        off = float(p[0] * d[1] - p[1] * d[0])
        return carriers.number(("slant", normal), (float(d[0]) * size, float(d[1]) * size, off), near)
    if kind == ARC:
        (x, y), r = placed(s, data[None, :2])[0].tolist(), float(data[2])
        return carriers.number(("cylinder", normal), (x, y, r), near)
    return carriers.number(("swept", s.view.name, s.ids[n]), (), 0.0)


def _join_smooth(s: Seen, carrier: IntArray, carriers: Carriers) -> None:
    """Curves that run into each other without a corner sweep surfaces that meet without an edge."""
    table = s.table
    rows = np.arange(len(table))
    tips = table.ends.transpose(1, 0, 2).reshape(-1, 2)
    ways = np.concatenate([table.directions(rows, np.full(len(rows), t))[0] for t in (0.0, 1.0)])
    for a, b in cKDTree(tips).query_pairs(max(2.0 * s.tol, SEEN_TOL * table.size)):
        m, n = a % len(table), b % len(table)
        if m != n and abs(float(ways[a] @ np.array([-ways[b, 1], ways[b, 0]]))) < 0.02 and carrier[m] != carrier[n]:
            carriers.join(int(carrier[m]), int(carrier[n]))


def _join_tangent(carriers: Carriers, size: float) -> None:
    """Planes that touch a cylinder along its side."""
    planes = [(n, kind[1], values[0]) for n, (kind, values) in enumerate(carriers.keys) if kind[0] == "plane"]
    for m, (kind, values) in enumerate(carriers.keys):
        if kind[0] != "cylinder":
            continue
        across = [axis for axis in range(3) if axis != kind[1]]
        for n, axis, level in planes:
            if axis in across and abs(abs(level - values[across.index(axis)]) - values[2]) <= 2.0 * SEEN_TOL * size:
                carriers.join(m, n)


def _labels(atoms: Sequence[Atoms], turned: Sequence[tuple[Turned, Surfaces]], samples: Sequence[Samples]) -> IntArray:
    """One number for each set of atoms and turned regions that samples have in common; AIR where a view shows
    nothing."""
    shape = tuple(len(s.at) for s in samples)
    code = np.zeros(shape, np.int64)
    air = np.zeros(shape, bool)
    for a in atoms:
        own = np.expand_dims(a.label, 3 - sum(a.axes))
        code = code * (len(a.regions) + 1) + own + 1
        air |= own == AIR
    for t, _ in turned:
        code = (2 * code + t.holds([s.at for s in samples])) * _STIR % _MOST_CODES
    code[air] = AIR
    return code


def _corners(seen: Sequence[Seen], axis: int) -> FloatArray:
    """Coordinates along an axis at which solid lines end."""
    out = []
    for s in seen:
        shown = sorted(axes_shown(s.view.frame))
        if axis in shown:
            rows = np.setdiff1d(s.table.rows_of(LINE), s.hidden)
            out.append(placed(s, s.table.ends[rows].reshape(-1, 2))[:, shown.index(axis)])
    return np.concatenate(out)


def _parted(code: IntArray, axis: int, samples: Samples, at: FloatArray, size: float) -> IntArray:
    """Labels that differ on both sides of some planes across an axis."""
    levels = samples.levels
    counts = (np.abs(levels[:, None] - at[None, :]) <= SEEN_TOL * size).any(axis=1)
    slab = np.searchsorted(levels[counts], samples.at)
    shape = [1, 1, 1]
    shape[axis] = len(slab)
    return np.where(code == AIR, AIR, code * (int(slab.max()) + 1) + slab.reshape(shape))


def _split(code: IntArray) -> IntArray:
    """Numbers 0 … n - 1 for the pieces of what has one label and hangs together; AIR stays."""
    number = np.arange(code.size).reshape(code.shape)
    pairs = []
    for axis in range(3):
        a, b = [np.take(code, range(k, code.shape[axis] - 1 + k), axis) for k in (0, 1)]
        m, n = [np.take(number, range(k, code.shape[axis] - 1 + k), axis) for k in (0, 1)]
        same = (a == b) & (a != AIR)
        pairs.append(np.column_stack([m[same], n[same]]))
    links = np.concatenate(pairs)
    graph = coo_array((np.ones(len(links), np.int8), (links[:, 0], links[:, 1])), shape=(code.size, code.size))
    piece = connected_components(graph, directed=False)[1].reshape(code.shape)
    full = code != AIR
    out = np.full(code.shape, AIR)
    out[full] = np.unique(piece[full], return_inverse=True)[1]
    return out
