"""Many curves at once, as columns: how linework of a hundred thousand curves is held and worked.

One row a curve: its kind, and seven numbers whose meaning the kind decides.

    LINE     x0  y0  x1  y1
    ARC      cx  cy  radius  start angle  sweep
    ELLIPSE  cx  cy  mx  my  ratio  start parameter  sweep
    SPLINE   index into `splines`

Everything that does not need a curve by itself is done on whole columns.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from tectogon.curves import affine, bezier
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN, Arc, Curve, EllipticArc, Line
from tectogon.curves.spline import Spline
from tectogon.tolerances import HAIR, ROUNDING, SAME_SHARE, TINY

LINE, ARC, ELLIPSE, SPLINE = 0, 1, 2, 3
KIND_NAMES = ("line", "arc", "elliptic arc", "spline")

IntArray = npt.NDArray[np.int64]
BoolArray = npt.NDArray[np.bool_]

_MAX_STEP = 0.35
_FULL = TURN - 1e-9


@dataclass(frozen=True, eq=False)
class CurveTable:
    """Curves as columns: kind (n,) of uint8, data (n, 7), and the splines that rows point to."""

    kind: npt.NDArray[np.uint8]
    data: FloatArray
    splines: tuple[Spline, ...] = ()

    @staticmethod
    def of(curves: Iterable[Curve]) -> CurveTable:
        """A table of curves in the order given."""
        builder = TableBuilder()
        for curve in curves:
            builder.add(curve)
        return builder.table()

    @staticmethod
    def join(tables: Sequence[CurveTable]) -> CurveTable:
        """One table of all rows, in order."""
        if not tables:
            return EMPTY
        data = np.concatenate([t.data for t in tables])
        kind = np.concatenate([t.kind for t in tables])
        at = row = 0
        splines: list[Spline] = []
        for table in tables:
            if table.splines:
                rows = np.flatnonzero(table.kind == SPLINE) + row
                data[rows, 0] += at
                splines.extend(table.splines)
                at += len(table.splines)
            row += len(table)
        return CurveTable(kind, data, tuple(splines))

    def __len__(self) -> int:
        return len(self.kind)

    def curve(self, row: int) -> Curve:
        """The curve of a row."""
        d = self.data[row].tolist()
        kind = self.kind[row]
        if kind == LINE:
            return Line(*d[:4])
        if kind == ARC:
            return Arc(*d[:5])
        if kind == ELLIPSE:
            return EllipticArc(*d)
        return self.splines[int(d[0])]

    def curves(self) -> list[Curve]:
        """All curves, in the order of their rows."""
        return [self.curve(i) for i in range(len(self))]

    def take(self, rows: IntArray | BoolArray) -> CurveTable:
        """The rows asked for, in that order; splines that are no longer used are dropped."""
        kind, data = self.kind[rows], self.data[rows]
        at = np.flatnonzero(kind == SPLINE)
        splines = tuple(self.splines[int(i)] for i in data[at, 0])
        data[at, 0] = np.arange(len(at))
        return CurveTable(kind, data, splines)

    def rows_of(self, kind: int) -> IntArray:
        """Rows of all curves of a kind."""
        return np.flatnonzero(self.kind == kind)

    @cached_property
    def beziers(self) -> dict[int, tuple[IntArray, FloatArray]]:
        """Splines of a single polynomial span, by degree: their rows (k,) and poles (k, degree + 1, 2)."""
        groups: dict[int, list[int]] = {}
        for row in self.rows_of(SPLINE).tolist():
            spline = self.splines[int(self.data[row, 0])]
            if spline.weights is None and len(spline.poles) == spline.degree + 1:
                groups.setdefault(spline.degree, []).append(row)
        return {
            n: (np.array(rows), np.stack([self.splines[int(i)].poles for i in self.data[rows, 0]]))
            for n, rows in groups.items()
        }

    @cached_property
    def other_splines(self) -> IntArray:
        """Rows of the splines that are not single spans."""
        return np.setdiff1d(
            self.rows_of(SPLINE), np.concatenate([np.zeros(0, np.int64), *(rows for rows, _ in self.beziers.values())])
        )

    def _of_beziers(self, rows: IntArray) -> Iterator[tuple[IntArray, FloatArray]]:
        """Which of `rows` are single-span splines, and their poles."""
        at = np.full(len(self), -1)
        for own, poles in self.beziers.values():
            at[own] = np.arange(len(own))
            m = np.flatnonzero(at[rows] >= 0)
            if len(m):
                yield m, poles[at[rows[m]]]
            at[own] = -1

    def _one_by_one(self, rows: IntArray) -> IntArray:
        """Which of `rows` are splines of several spans."""
        return np.flatnonzero(np.isin(rows, self.other_splines)) if len(self.other_splines) else self.other_splines

    def _by_spline(self, rows: IntArray) -> Iterator[tuple[IntArray, Spline]]:
        """Splines of several spans among `rows`: where each stands there, and the spline."""
        found = self._one_by_one(rows)
        found = found[np.argsort(rows[found], kind="stable")]
        for at in np.split(found, np.flatnonzero(np.diff(rows[found])) + 1):
            if len(at):
                yield at, self.splines[int(self.data[rows[at[0]], 0])]

    def points(self, rows: IntArray, t: FloatArray) -> FloatArray:
        """Points (k, 2) on curve rows[i] at t[i]."""
        out = np.empty((len(rows), 2))
        kind, d = self.kind[rows], self.data[rows]
        m = kind == LINE
        out[m] = d[m, 0:2] + t[m, None] * (d[m, 2:4] - d[m, 0:2])
        m = kind == ARC
        a = d[m, 3] + t[m] * d[m, 4]
        out[m] = d[m, 0:2] + d[m, 2:3] * np.column_stack([np.cos(a), np.sin(a)])
        m = kind == ELLIPSE
        u = d[m, 5] + t[m] * d[m, 6]
        c, s = np.cos(u), d[m, 4] * np.sin(u)
        out[m] = d[m, 0:2] + np.column_stack([c * d[m, 2] - s * d[m, 3], c * d[m, 3] + s * d[m, 2]])
        if self.splines:
            for i, poles in self._of_beziers(rows):
                out[i] = bezier.points(poles, t[i])
            for i, spline in self._by_spline(rows):
                out[i] = spline.points(t[i])
        return out

    def derivatives(self, rows: IntArray, t: FloatArray) -> FloatArray:
        """First derivatives (k, 2) by t of curve rows[i] at t[i]."""
        out = np.empty((len(rows), 2))
        kind, d = self.kind[rows], self.data[rows]
        m = kind == LINE
        out[m] = d[m, 2:4] - d[m, 0:2]
        m = kind == ARC
        a = d[m, 3] + t[m] * d[m, 4]
        out[m] = (d[m, 2] * d[m, 4])[:, None] * np.column_stack([-np.sin(a), np.cos(a)])
        m = kind == ELLIPSE
        u = d[m, 5] + t[m] * d[m, 6]
        c, s = d[m, 4] * np.cos(u), -np.sin(u)
        out[m] = d[m, 6:7] * np.column_stack([s * d[m, 2] - c * d[m, 3], s * d[m, 3] + c * d[m, 2]])
        if self.splines:
            for i, poles in self._of_beziers(rows):
                out[i] = bezier.points(bezier.hodograph(poles), t[i])
            for i, spline in self._by_spline(rows):
                out[i] = spline.derivatives(t[i])
        return out

    def directions(self, rows: IntArray, t: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Unit tangents (k, 2), pointing along rising t, and signed curvature (k,), positive where the curve turns
        left."""
        tangent = np.empty((len(rows), 2))
        curvature = np.zeros(len(rows))
        kind, d = self.kind[rows], self.data[rows]
        m = kind == LINE
        tangent[m] = d[m, 2:4] - d[m, 0:2]
        m = kind == ARC
        a = d[m, 3] + t[m] * d[m, 4]
        way = np.sign(d[m, 4])
        tangent[m] = way[:, None] * np.column_stack([-np.sin(a), np.cos(a)])
        curvature[m] = way / d[m, 2]
        m = kind == ELLIPSE
        u = d[m, 5] + t[m] * d[m, 6]
        way = np.sign(d[m, 6])
        c, s = d[m, 4] * np.cos(u), -np.sin(u)
        tangent[m] = way[:, None] * np.column_stack([s * d[m, 2] - c * d[m, 3], s * d[m, 3] + c * d[m, 2]])
        major2 = d[m, 2] ** 2 + d[m, 3] ** 2
        curvature[m] = way * d[m, 4] * major2 / np.maximum(np.hypot(*tangent[m].T) ** 3, TINY)
        for i in self._directions_of_beziers(rows, t, tangent, curvature) if self.splines else ():
            tangent[i], curvature[i] = _spline_direction(self.splines[int(d[i, 0])], float(t[i]))
        return tangent / np.maximum(np.hypot(*tangent.T), TINY)[:, None], curvature

    def _directions_of_beziers(
        self, rows: IntArray, t: FloatArray, tangent: FloatArray, curvature: FloatArray
    ) -> IntArray:
        """Fill in the directions of single-span splines; returns which splines are left to be looked at one by one."""
        left = [self._one_by_one(rows)]
        for i, poles in self._of_beziers(rows):
            slope = bezier.hodograph(poles)
            d1 = bezier.points(slope, t[i])
            d2 = bezier.points(bezier.hodograph(slope), t[i]) if poles.shape[1] > 2 else np.zeros_like(d1)
            speed = np.hypot(d1[:, 0], d1[:, 1])
            tangent[i], curvature[i] = d1, (d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) / np.maximum(speed, TINY) ** 3
            left.append(i[speed <= SAME_SHARE * np.hypot(*np.ptp(poles, axis=1).T)])
        return np.concatenate(left)

    @cached_property
    def ends(self) -> FloatArray:
        """Start and end points, shape (n, 2, 2)."""
        out = self.data[:, :4].reshape(-1, 2, 2).copy()
        rows = np.flatnonzero(self.kind != LINE)
        for side in (0, 1):
            out[rows, side] = self.points(rows, np.full(len(rows), float(side)))
        return out

    @cached_property
    def closed(self) -> BoolArray:
        """Which curves close on themselves: full circles and ellipses, splines that end exactly where they start."""
        sweep = np.where(self.kind == ARC, self.data[:, 4], np.where(self.kind == ELLIPSE, self.data[:, 6], 0.0))
        closed = np.abs(sweep) >= _FULL
        for rows, poles in self.beziers.values():
            closed[rows] = np.abs(poles[:, 0] - poles[:, -1]).max(axis=1) <= HAIR * np.ptp(poles, axis=1).max(axis=1)
        for row in self.other_splines:
            spline = self.splines[int(self.data[row, 0])]
            size = float(np.ptp(spline.poles, axis=0).max())
            closed[row] = bool(np.abs(spline.poles[0] - spline.poles[-1]).max() <= HAIR * size)
        return closed

    @cached_property
    def lengths(self) -> FloatArray:
        """Lengths (n,) in mm; closed form for lines and arcs, Gauss quadrature for the others."""
        d = self.data
        out = np.hypot(d[:, 2] - d[:, 0], d[:, 3] - d[:, 1])
        m = self.kind == ARC
        out[m] = np.abs(d[m, 2] * d[m, 4])
        for rows, poles in self.beziers.values():
            out[rows] = bezier.lengths(poles)
        for row in np.concatenate([self.rows_of(ELLIPSE), self.other_splines, np.flatnonzero(np.isnan(out))]):
            out[row] = self.curve(int(row)).length
        return out

    @cached_property
    def bounds(self) -> FloatArray:
        """Bounding boxes (n, 4): xmin, ymin, xmax, ymax. Exact for lines, arcs and ellipses; the pole's box for
        splines."""
        ends = self.ends
        low, high = np.minimum(ends[:, 0], ends[:, 1]), np.maximum(ends[:, 0], ends[:, 1])
        for kind in (ARC, ELLIPSE):
            rows = self.rows_of(kind)
            if len(rows):
                extremes, inside = self._extremes(kind, rows)
                shown = np.where(inside[..., None], extremes, np.nan)
                low[rows] = np.fmin(low[rows], np.fmin.reduce(shown, axis=1))
                high[rows] = np.fmax(high[rows], np.fmax.reduce(shown, axis=1))
        for rows, poles in self.beziers.values():
            low[rows], high[rows] = poles.min(axis=1), poles.max(axis=1)
        for row in self.other_splines:
            points = self.splines[int(self.data[row, 0])].poles
            low[row], high[row] = points.min(axis=0), points.max(axis=0)
        return np.concatenate([low, high], axis=1)

    def _extremes(self, kind: int, rows: IntArray) -> tuple[FloatArray, BoolArray]:
        """The four points with an upright or level tangent (k, 4, 2) and whether the arc passes them (k, 4)."""
        d = self.data[rows]
        if kind == ARC:
            u = np.broadcast_to(np.arange(4) * (TURN / 4), (len(rows), 4))
            start, sweep = d[:, 3:4], d[:, 4:5]
        else:
            ux = np.arctan2(-d[:, 4] * d[:, 3], d[:, 2])
            uy = np.arctan2(d[:, 4] * d[:, 2], d[:, 3])
            u = np.column_stack([ux, ux + np.pi, uy, uy + np.pi])
            start, sweep = d[:, 5:6], d[:, 6:7]
        t = np.where(sweep >= 0, np.mod(u - start, TURN), -np.mod(start - u, TURN)) / np.where(sweep == 0, 1.0, sweep)
        points = self.points(np.repeat(rows, 4), t.ravel()).reshape(-1, 4, 2)
        return points, t <= 1.0

    @cached_property
    def extents(self) -> FloatArray:
        """xmin, ymin, xmax, ymax of all; NaN for an empty table."""
        if not len(self):
            return np.full(4, np.nan)
        return np.concatenate([self.bounds[:, :2].min(axis=0), self.bounds[:, 2:].max(axis=0)])

    @property
    def size(self) -> float:
        """The longer side of the extents (mm); 0 for an empty table."""
        if not len(self):
            return 0.0
        x0, y0, x1, y1 = self.extents
        return float(max(x1 - x0, y1 - y0))

    def samples(self, chord_tol: float) -> tuple[FloatArray, IntArray]:
        """Parameters for straight pieces within `chord_tol` of each curve: t (m,) and where each curve's begin, offsets
        (n + 1,)."""
        counts = np.ones(len(self), np.int64)
        d = self.data
        for kind, radius, sweep in ((ARC, d[:, 2], d[:, 4]), (ELLIPSE, np.hypot(d[:, 2], d[:, 3]), d[:, 6])):
            m = self.kind == kind
            step = 2.0 * np.arccos(np.clip(1.0 - chord_tol / np.maximum(radius[m], chord_tol), -1.0, 1.0))
            counts[m] = np.maximum(2, np.ceil(np.abs(sweep[m]) / np.clip(step, 1e-3, _MAX_STEP)))
        for rows, poles in self.beziers.values():
            counts[rows] = np.minimum(bezier.steps_for(poles, chord_tol), 2000)
        special = {int(row): self.splines[int(d[row, 0])].samples(chord_tol) for row in self.other_splines}
        for row, t in special.items():
            counts[row] = len(t) - 1
        offsets = np.concatenate([[0], np.cumsum(counts + 1)])
        index = np.arange(offsets[-1]) - np.repeat(offsets[:-1], counts + 1)
        t = index / np.repeat(counts, counts + 1)
        for row, values in special.items():
            t[offsets[row] : offsets[row + 1]] = values
        return t, offsets

    def flatten(self, chord_tol: float) -> tuple[FloatArray, IntArray]:
        """Straight pieces within `chord_tol`: points (m, 2), and where each curve's points begin, offsets (n + 1,)."""
        t, offsets = self.samples(chord_tol)
        rows = np.repeat(np.arange(len(self)), np.diff(offsets))
        m = np.isin(rows, self.other_splines)
        points = np.empty((len(rows), 2))
        points[~m] = self.points(rows[~m], t[~m])
        for row in self.other_splines:
            part = slice(offsets[row], offsets[row + 1])
            points[part] = self.splines[int(self.data[row, 0])].points(t[part])
        return points, offsets

    def transformed(self, matrix: FloatArray) -> CurveTable:
        """All curves under an affine map; arcs become ellipses only where the map is not a similarity."""
        kind, data = self.kind.copy(), self.data.copy()
        m = kind == LINE
        data[m, 0:2] = affine.apply(matrix, data[m, 0:2])
        data[m, 2:4] = affine.apply(matrix, data[m, 2:4])
        m = kind == ARC
        if affine.is_similarity(matrix):
            way = -1.0 if affine.mirrors(matrix) else 1.0
            turn = np.arctan2(matrix[1, 0], matrix[0, 0])
            data[m, 0:2] = affine.apply(matrix, data[m, 0:2])
            data[m, 2] *= affine.scale_of(matrix)
            data[m, 3] = turn + way * data[m, 3]
            data[m, 4] *= way
        elif m.any():
            circle = data[m]
            data[m] = np.column_stack([circle[:, 0:3], np.zeros(len(circle)), np.ones(len(circle)), circle[:, 3:5]])
            kind[m] = ELLIPSE
        m = kind == ELLIPSE
        if m.any():
            data[m] = _transform_ellipses(data[m], matrix)
        return CurveTable(kind, data, _transformed(self.splines, matrix))

    def parts(self, rows: IntArray, t0: FloatArray, t1: FloatArray) -> CurveTable:
        """The pieces of curve rows[i] from t0[i] to t1[i]; whole curves are kept bit for bit."""
        kind, data = self.kind[rows], self.data[rows]
        cut = (t0 != 0.0) | (t1 != 1.0)
        m = cut & (kind == LINE)
        base, step = data[m, 0:2], data[m, 2:4] - data[m, 0:2]
        data[m, 0:2], data[m, 2:4] = base + t0[m, None] * step, base + t1[m, None] * step
        for k, start, sweep in ((ARC, 3, 4), (ELLIPSE, 5, 6)):
            m = cut & (kind == k)
            data[m, start] += t0[m] * data[m, sweep]
            data[m, sweep] *= t1[m] - t0[m]
        at = np.flatnonzero(kind == SPLINE)
        splines = [self.splines[int(i)] for i in data[at, 0]]
        data[at, 0] = np.arange(len(at))
        place = np.empty(len(rows), np.int64)
        place[at] = np.arange(len(at))
        if len(at):
            for which, poles in self._of_beziers(rows):
                own = which[cut[which]]
                for i, piece in zip(own.tolist(), bezier.part(poles[cut[which]], t0[own], t1[own]), strict=True):
                    splines[place[i]] = Spline.bezier(piece)
            for i in self._one_by_one(rows):
                if cut[i]:
                    splines[place[i]] = splines[place[i]].part(float(t0[i]), float(t1[i]))
        return CurveTable(kind, data, tuple(splines))

    def with_ends(self, starts: FloatArray, ends: FloatArray, moved: BoolArray) -> CurveTable:
        """The curves marked in `moved` turned and scaled as a whole so that they run from starts (n, 2) to ends (n, 2).

        A turn with a scale takes a curve to the new ends and keeps its kind: lines stay lines, arcs stay arcs.
        Curves that nearly close on themselves have no steady chord and are left as they are.
        """
        old = self.ends
        chord_old, chord_new = old[:, 1] - old[:, 0], ends - starts
        span = np.hypot(*chord_old.T)
        shift = np.maximum(np.hypot(*(starts - old[:, 0]).T), np.hypot(*(ends - old[:, 1]).T))
        rows = np.flatnonzero(moved & (span > 20.0 * shift) & (span > 0))
        kind, data, splines = self.kind, self.data.copy(), list(self.splines)
        lines = rows[kind[rows] == LINE]
        data[lines, 0:2], data[lines, 2:4] = starts[lines], ends[lines]
        turn = (chord_new[:, 0] + 1j * chord_new[:, 1])[rows] / (chord_old[:, 0] + 1j * chord_old[:, 1])[rows]
        for row, z in zip(rows.tolist(), turn.tolist(), strict=True):
            if kind[row] == LINE:
                continue
            c, s = z.real, z.imag
            origin = starts[row] - np.array(
                [c * old[row, 0, 0] - s * old[row, 0, 1], s * old[row, 0, 0] + c * old[row, 0, 1]]
            )
            matrix = np.array([[c, -s, origin[0]], [s, c, origin[1]]])
            one = self.take(np.array([row])).transformed(matrix)
            if kind[row] == SPLINE:
                splines[int(data[row, 0])] = one.splines[0]
            else:
                data[row] = one.data[0]
        return CurveTable(kind, data, tuple(splines))


class TableBuilder:
    """A table in the making: numbers go straight into columns, so that a hundred thousand curves leave no objects
    behind."""

    def __init__(self) -> None:
        self.kinds = bytearray()
        self.numbers = array("d")
        self.splines: list[Spline] = []

    def __len__(self) -> int:
        return len(self.kinds)

    def add(self, curve: Curve) -> None:
        """Add a curve behind those that are there."""
        if isinstance(curve, Line):
            self.kinds.append(LINE)
            self.numbers.extend((curve.x0, curve.y0, curve.x1, curve.y1, 0.0, 0.0, 0.0))
        elif isinstance(curve, Arc):
            self.kinds.append(ARC)
            self.numbers.extend((curve.cx, curve.cy, curve.radius, curve.start_angle, curve.sweep, 0.0, 0.0))
        elif isinstance(curve, EllipticArc):
            self.kinds.append(ELLIPSE)
            self.numbers.extend((curve.cx, curve.cy, curve.mx, curve.my, curve.ratio, curve.start_param, curve.sweep))
        else:
            self.kinds.append(SPLINE)
            self.numbers.extend((float(len(self.splines)), 0.0, 0.0, 0.0, 0.0, 0.0, 0.0))
            self.splines.append(curve)

    def table(self) -> CurveTable:
        """The table of all that was added."""
        data = np.frombuffer(self.numbers, float).reshape(-1, 7).copy() if self.kinds else np.zeros((0, 7))
        return CurveTable(np.frombuffer(bytes(self.kinds), np.uint8), data, tuple(self.splines))


EMPTY = CurveTable(np.zeros(0, np.uint8), np.zeros((0, 7)))


def _transformed(splines: tuple[Spline, ...], matrix: FloatArray) -> tuple[Spline, ...]:
    """All poles mapped at once: a hundred thousand small products cost more than one large one."""
    if not splines:
        return ()
    poles = affine.apply(matrix, np.concatenate([s.poles for s in splines]))
    out, at = [], 0
    for s in splines:
        out.append(Spline(s.degree, s.knots, poles[at : at + len(s.poles)], s.weights))
        at += len(s.poles)
    return tuple(out)


def _spline_direction(spline: Spline, t: float) -> tuple[FloatArray, float]:
    """Unit tangent and signed curvature, taken a hair inside where the first derivative vanishes."""
    for step in (0.0, 1e-6, 1e-4, 1e-2):
        at = np.array([t + step if t < 0.5 else t - step])
        d1 = spline.derivatives(at)[0]
        speed = float(np.hypot(*d1))
        if speed > ROUNDING:
            break
    d2 = spline.second_derivatives(at)[0]
    return d1 / max(speed, TINY), float(d1[0] * d2[1] - d1[1] * d2[0]) / max(speed**3, TINY)


def _transform_ellipses(data: FloatArray, matrix: FloatArray) -> FloatArray:
    """Ellipses under an affine map: the image of two conjugate half-axes brought back to major and minor (Rytz, in
    closed form)."""
    linear = matrix[:, :2]
    p = data[:, 2:4] @ linear.T
    q = np.column_stack([-data[:, 3], data[:, 2]]) * data[:, 4:5] @ linear.T
    angle = 0.5 * np.arctan2(2.0 * np.sum(p * q, axis=1), np.sum(p * p, axis=1) - np.sum(q * q, axis=1))
    c, s = np.cos(angle)[:, None], np.sin(angle)[:, None]
    major, minor = c * p + s * q, c * q - s * p
    side = np.sign(major[:, 0] * minor[:, 1] - major[:, 1] * minor[:, 0])
    ratio = np.hypot(*minor.T) / np.maximum(np.hypot(*major.T), TINY)
    out = data.copy()
    out[:, 0:2] = affine.apply(matrix, data[:, 0:2])
    out[:, 2:4], out[:, 4] = major, ratio
    out[:, 5] = np.where(side < 0, -(data[:, 5] - angle), data[:, 5] - angle)
    out[:, 6] = np.where(side < 0, -data[:, 6], data[:, 6])
    return out
