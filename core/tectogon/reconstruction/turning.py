"""Turned faces: a region of one view that is symmetrical about a line, with a circle about that line in the view that
looks along it. Turned about the line it parts space as drawn lines do, and so can be full or empty as a whole: a
countersink, a conical boss, the chamfered end of a shaft, a ball.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from scipy.spatial import cKDTree

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, BoolArray, IntArray
from tectogon.profiles import Region, Regions
from tectogon.reconstruction.carriers import Carriers, placed
from tectogon.reconstruction.depths import Seen
from tectogon.tolerances import LEAST_SIZE, SEEN_CHORD, SEEN_TOL
from tectogon.views.align import axes_shown
from tectogon.views.rectify import SECTION
from tectogon.workpiece.parameters import PointPick

_MOST = 30
"""More turned regions are not looked at; the largest come first."""
_LEAST_SWEEP = math.radians(85.0)
"""An arc shows that something is turned if it goes round by more."""
_ROUND = 400
"""Points along a boundary by which the surface between two samples is known."""
_SMOOTH = 0.02
_MISSED = 1.5


@dataclass(frozen=True, eq=False)
class Turned:
    """A region of a view turned about an axis of the part. centre: where the axis runs, on the two others (mm).
    circle: the centre of the circle that shows it, in the view along the axis.  across: the axis of the view that the
    region is symmetrical in, `middle` the line there.  beside: whether the region lies on one side of the line alone.
    half: the region by the coordinate along the axis and the distance from it.
    """

    seen: Seen
    regions: Regions
    region: Region
    axis: int
    across: int
    centre: tuple[float, float]
    middle: float
    circle: PointPick
    beside: bool
    half: shapely.Polygon

    @cached_property
    def _edges(self) -> FloatArray:
        """The boundary of the half as segments (k, 2, 2)."""
        rings = [np.array(r.coords) for r in (self.half.exterior, *self.half.interiors)]
        return np.concatenate([np.stack([r[:-1], r[1:]], axis=1) for r in rings])

    def _across(self, at: Sequence[FloatArray]) -> FloatArray:
        """The distance of samples from the axis, over the two other axes (n, m)."""
        first, second = (at[k] for k in range(3) if k != self.axis)
        return np.asarray(np.hypot(first[:, None] - self.centre[0], second[None, :] - self.centre[1]))

    def holds(self, at: Sequence[FloatArray]) -> BoolArray:
        """Which samples, at these coordinates along the three axes, lie in what the region sweeps (nx, ny, nz)."""
        off = self._across(at)
        out = np.zeros([len(a) for a in at], bool)
        slices = np.moveaxis(out, self.axis, 0)
        (a0, r0), (a1, r1) = self._edges[:, 0].T, self._edges[:, 1].T
        for n, along in enumerate(at[self.axis].tolist()):
            met = (a0 <= along) != (a1 <= along)
            share = (along - a0[met]) / (a1[met] - a0[met])
            radii = np.sort(r0[met] + share * (r1[met] - r0[met])).tolist()
            for low, high in zip(radii[::2], radii[1::2], strict=True):
                slices[n] |= (off >= low) & (off < high)
        return out

    def tube(self, at: Sequence[FloatArray]) -> BoolArray:
        """Which samples lie in the cylinder that just holds what the region sweeps."""
        low, _, high, radius = self.half.bounds
        along = (at[self.axis] >= low) & (at[self.axis] <= high)
        out = np.zeros([len(a) for a in at], bool)
        np.moveaxis(out, self.axis, 0)[along] = self._across(at) <= radius
        return out

    def thin(self, at: Sequence[FloatArray], close: float) -> BoolArray:
        """Where lines of sight along the axis, at these coordinates of the two others (n, m), pass so little of what is
        swept at the rim of a slanted side that samples which lie `close` to its ends (mm) may miss it."""
        off = np.hypot(at[0][:, None] - self.centre[0], at[1][None, :] - self.centre[1])
        out = np.zeros(off.shape, bool)
        ends = self._edges
        run, rise = np.abs(ends[:, 1] - ends[:, 0]).T
        for (a, b), along, up in zip(ends[:, :, 1].tolist(), run.tolist(), rise.tolist(), strict=True):
            if along > close and up > close:
                reach = _MISSED * close * max(1.0, up / along)
                out |= (np.abs(off - a) < reach) | (np.abs(off - b) < reach)
        return out

    def surfaces(self, carriers: Carriers, levels: FloatArray, size: float) -> Surfaces:
        """What its boundary sweeps, as carriers known in all views; planes at the `levels` that are drawn."""
        return Surfaces(self, carriers, levels, size)


class Surfaces:
    """The carriers of a turned region, and which of them lies between two samples."""

    def __init__(self, turned: Turned, carriers: Carriers, levels: FloatArray, size: float) -> None:
        self.turned = turned
        self.parts: list[tuple[int, FloatArray]] = []
        before: tuple[int, FloatArray, FloatArray] | None = None
        for n, chain in enumerate(_pieces(turned)):
            number = _carrier(turned, n, chain, carriers, levels, size)
            tips = chain.points[[0, 1]], chain.points[[-2, -1]]
            ways = [(b - a) / max(float(np.hypot(*(b - a))), LEAST_SIZE) for a, b in tips]
            if before and before[0] != number and _passes_smoothly(*before[1:], chain.points[0], ways[0], size):
                carriers.join(before[0], number)
            before = number, chain.points[-1], ways[1]
            self.parts += [(number, part) for part in _monotone(chain.points)]
        self.tree = cKDTree(np.concatenate([_evenly(points) for _, points in self.parts]))
        self.number = np.repeat([number for number, _ in self.parts], _ROUND)

    def between(self, at: Sequence[FloatArray], depth: int) -> tuple[IntArray, IntArray]:
        """The carrier between each sample and the next along an axis, -1 where there is none, and the way it is
        crossed: 1 from inside of what is swept, -1 from outside."""
        held = np.moveaxis(self.turned.holds(at), depth, 0)
        changed = held[:-1] != held[1:]
        carrier, side = np.full(changed.shape, -1), np.zeros(changed.shape, np.int64)
        where = np.argwhere(changed)
        if len(where):
            order = [depth, *(k for k in range(3) if k != depth)]
            first, second = np.zeros((2, len(where), 3))
            for column, axis in enumerate(order):
                first[:, axis] = second[:, axis] = at[axis][where[:, column]]
            second[:, depth] = at[depth][where[:, 0] + 1]
            carrier[changed] = self._met(self._flat(first), self._flat(second), int(depth != self.turned.axis))
            side[changed] = np.where(held[:-1][changed], 1, -1)
        return np.moveaxis(carrier, 0, depth), np.moveaxis(side, 0, depth)

    def _flat(self, points: FloatArray) -> FloatArray:
        """Points of the part by their coordinate along the axis and their distance from it."""
        first, second = (k for k in range(3) if k != self.turned.axis)
        c, d = self.turned.centre
        off = np.hypot(points[:, first] - c, points[:, second] - d)
        return np.column_stack([points[:, self.turned.axis], off])

    def _met(self, p: FloatArray, q: FloatArray, column: int) -> IntArray:
        """The carriers that lie between points (k, 2) that differ in one of the two coordinates; where none is found,
        for rounding, the nearest."""
        out = self.number[self.tree.query((p + q) / 2.0)[1]]
        low, high = np.minimum(p, q)[:, column], np.maximum(p, q)[:, column]
        along = p[:, 1 - column]
        for number, points in self.parts:
            u, v = points[:, 1 - column], points[:, column]
            if u[0] == u[-1]:
                continue
            order = np.argsort(u)
            at = np.interp(along, u[order], v[order])
            out[(along >= u.min()) & (along <= u.max()) & (at >= low) & (at <= high)] = number
        return out


def _monotone(points: FloatArray) -> list[FloatArray]:
    """A polyline in parts that turn back in neither coordinate."""
    ways = np.sign(np.diff(points, axis=0))
    turns = np.flatnonzero((ways[1:] * ways[:-1] < 0).any(axis=1)) + 1
    bounds = [0, *turns.tolist(), len(points) - 1]
    return [points[a : b + 1] for a, b in itertools.pairwise(bounds)]


def _passes_smoothly(end: FloatArray, way: FloatArray, start: FloatArray, onward: FloatArray, size: float) -> bool:
    """Whether a piece that ends somewhere, in some direction, runs into the next without a corner."""
    meets = float(np.hypot(*(end - start))) <= SEEN_TOL * size
    return meets and abs(float(way[0] * onward[1] - way[1] * onward[0])) < _SMOOTH


def turned_regions(seen: Sequence[Seen], size: float) -> list[Turned]:
    """The regions of all views that a circle in another view shows to be turned, the largest first."""
    out: list[Turned] = []
    known: set[tuple[float, ...]] = set()
    for s in seen:
        for regions in (s.regions, s.behind, s.together):
            for region in regions.regions:
                for turned in _of_region(s, regions, region, seen, size):
                    low, _, high, radius = turned.half.bounds
                    near = SEEN_TOL * size
                    values = (low, high, radius, turned.half.area / size, *turned.centre)
                    key = (float(turned.axis), *(round(v / near / 4.0) for v in values))
                    if key not in known:
                        known.add(key)
                        out.append(turned)
    return sorted(out, key=lambda t: -t.half.area)[:_MOST]


def _of_region(s: Seen, regions: Regions, region: Region, seen: Sequence[Seen], size: float) -> Iterator[Turned]:
    near = 2.0 * SEEN_TOL * size
    rows = region.outer.rows
    table = regions.pieces
    tips = placed(s, table.ends[rows].reshape(-1, 2)).reshape(-1, 2, 2)
    square = (np.abs(tips[:, 0] - tips[:, 1]) <= near).any(axis=1) & (table.kind[rows] == LINE)
    plain = bool(square.all())
    if plain and not s.view.name.startswith(SECTION):
        return
    shown = sorted(axes_shown(s.view.frame))
    ring = placed(s, regions.ring_points(region.outer, SEEN_CHORD * table.size))
    for column, axis in ((0, shown[0]), (1, shown[1])):
        across, other = shown[1 - column], 3 - sum(shown)
        off = ring[:, 1 - column]
        for middle, beside in (((off.min() + off.max()) / 2.0, False), (off.min(), True), (off.max(), True)):
            if beside and (plain or not _runs_along(tips, square, 1 - column, float(middle), near)):
                continue
            if not beside and not _is_symmetrical(ring, 1 - column, float(middle), near):
                continue
            reach = np.unique(np.abs(tips[:, :, 1 - column] - middle))
            if plain:
                reach = reach[-1:]
            for third, pick in _circles(seen, axis, across, float(middle), reach, near, unseen=plain):
                centre = (float(middle), third) if across < other else (third, float(middle))
                half = half_of(s, regions, region, column, float(middle))
                if half is not None:
                    yield Turned(s, regions, region, axis, across, centre, float(middle), pick, beside, half)


def _runs_along(tips: FloatArray, square: BoolArray, column: int, at: float, near: float) -> bool:
    """Whether a straight piece of a boundary lies on a line."""
    return bool((square & (np.abs(tips[:, :, column] - at) <= near).all(axis=1)).any())


def _is_symmetrical(ring: FloatArray, column: int, middle: float, near: float) -> bool:
    mirrored = ring.copy()
    mirrored[:, column] = 2.0 * middle - ring[:, column]
    boundary = shapely.LinearRing(ring)
    shapely.prepare(boundary)
    return bool((shapely.distance(boundary, shapely.points(mirrored)) <= near).all())


def _circles(
    seen: Sequence[Seen], axis: int, across: int, middle: float, reach: FloatArray, near: float, *, unseen: bool
) -> Iterator[tuple[float, PointPick]]:
    """Where circles about a line stand on the third axis, as views along that line show them, each once. `unseen`:
    those of other radii, in views that draw no hidden lines: what a section shows about the same line is round as
    well, where such a view would draw a circle that it leaves off."""
    found: list[float] = []
    for s in seen:
        if s.axis != axis or (unseen and len(s.hidden)):
            continue
        rows = s.table.rows_of(ARC)
        rows = rows[np.abs(s.table.data[rows, 4]) >= _LEAST_SWEEP]
        shown = sorted(axes_shown(s.view.frame))
        column = shown.index(across)
        centres = placed(s, s.table.data[rows, :2])
        away = np.abs(s.table.data[rows, 2][:, None] - reach).min(axis=1) if len(rows) else np.zeros(0)
        fits = (np.abs(centres[:, column] - middle) <= near) & ((away > near) if unseen else (away <= near))
        drawn = centres[(np.abs(centres[:, column] - middle) <= near) & (away <= near), 1 - column]
        for row, at in zip(rows[fits].tolist(), centres[fits, 1 - column].tolist(), strict=True):
            if all(abs(at - known) > near for known in [*found, *(drawn.tolist() if unseen else [])]):
                found.append(at)
                x, y = s.table.data[row, :2].tolist()
                yield at, PointPick(at=(x, y), curve=s.ids[row], kind="centre")


def half_of(s: Seen, regions: Regions, region: Region, column: int, middle: float) -> shapely.Polygon | None:
    """A region by the coordinate along an axis and the distance from it; None where that is not one piece."""
    shape = regions.polygon(region, SEEN_CHORD * regions.pieces.size)

    def to_half(flat: FloatArray) -> FloatArray:
        on_part = placed(s, flat)
        return np.column_stack([on_part[:, column], on_part[:, 1 - column] - middle])

    whole = shapely.transform(shape, to_half)
    low, bottom, high, top = whole.bounds
    if abs(bottom) > abs(top):
        whole, bottom, top = shapely.transform(whole, lambda p: p * np.array([1.0, -1.0])), -top, -bottom
    half = shapely.intersection(whole, shapely.box(low - 1.0, 0.0, high + 1.0, top + 1.0))
    return half if isinstance(half, shapely.Polygon) and not half.is_empty else None


@dataclass(frozen=True)
class _Piece:
    """A piece of a half's boundary: its points by coordinate along the axis and distance from it; the centre and radius
    of an arc."""

    points: FloatArray
    straight: bool
    arc: tuple[float, float, float] | None


def _pieces(t: Turned) -> Iterator[_Piece]:
    """The pieces of one side of a turned region's boundary, in order."""
    s, table = t.seen, t.regions.pieces
    column = sorted(axes_shown(s.view.frame)).index(t.axis)
    sign = 0.0
    for ring in (t.region.outer, *t.region.holes):
        for row, against in zip(ring.rows.tolist(), ring.against.tolist(), strict=True):
            flat, _ = table.take(np.array([row])).flatten(SEEN_CHORD * table.size)
            on_part = placed(s, flat[::-1] if against else flat)
            off = on_part[:, 1 - column] - t.middle
            along, off = _one_side(on_part[:, column], off, sign or 1.0)
            middle = float(off.mean())
            if abs(middle) > SEEN_TOL * table.size:
                sign = sign or math.copysign(1.0, middle)
                if middle * sign < 0.0:
                    continue
            arc = None
            if table.kind[row] == ARC:
                centre = placed(s, table.data[row : row + 1, :2])[0]
                arc = float(centre[column]), abs(float(centre[1 - column] - t.middle)), float(table.data[row, 2])
            yield _Piece(np.column_stack([along, np.abs(off)]), bool(table.kind[row] == LINE), arc)


def _one_side(along: FloatArray, off: FloatArray, side: float) -> tuple[FloatArray, FloatArray]:
    """What of a polyline lies on one side of the axis, where it crosses that: with the point in which it does."""
    cross = np.flatnonzero(off[:-1] * off[1:] < 0.0)
    if not len(cross):
        return along, off
    share = off[cross] / (off[cross] - off[cross + 1])
    met = along[cross] + share * (along[cross + 1] - along[cross])
    along, off = np.insert(along, cross + 1, met), np.insert(off, cross + 1, 0.0)
    kept = off * side >= 0.0
    return along[kept], off[kept]


def _carrier(t: Turned, n: int, piece: _Piece, carriers: Carriers, levels: FloatArray, size: float) -> int:
    """The surface that a piece sweeps: a plane, a cylinder, a cone, a round, or one of its own."""
    near = 2.0 * SEEN_TOL * size
    (a, r), (b, q) = piece.points[0].tolist(), piece.points[-1].tolist()
    if piece.straight:
        if abs(a - b) <= near:
            level = float(levels[int(np.abs(levels - (a + b) / 2.0).argmin())])
            return carriers.number(("plane", t.axis), (level,), 0.0)
        if abs(r - q) <= near:
            return carriers.number(("cylinder", t.axis), (*t.centre, (r + q) / 2.0), near)
        length = math.copysign(math.hypot(b - a, q - r), b - a)
        along, up = (b - a) / length, (q - r) / length
        return carriers.number(("cone", t.axis), (*t.centre, along * size, up * size, a * up - r * along), near)
    if piece.arc is not None:
        return carriers.number(("round", t.axis), (*t.centre, *piece.arc), near)
    return carriers.number(("turned", t.seen.view.name, t.region.id, n), (), 0.0)


def _evenly(points: FloatArray) -> FloatArray:
    """Points along a polyline, evenly spaced."""
    line = shapely.LineString(points)
    share = (np.arange(_ROUND) + 0.5) / _ROUND
    return np.asarray(shapely.get_coordinates(shapely.line_interpolate_point(line, share, normalized=True)))
