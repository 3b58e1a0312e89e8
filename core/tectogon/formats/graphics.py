"""Graphic art on its way to linework: filled and stroked paths in the order of painting, as SVG, PDF and Gerber hold
them.

Filled shapes become the outline of what a renderer paints, over all shapes of the drawing; strokes without a fill their
centre lines, or, on choice, their inked outline painted with the rest.
"""

from __future__ import annotations

import itertools
from array import array
from collections import Counter
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves import Curve, CurveTable, Line, affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, IntArray, TableBuilder
from tectogon.errors import Note, OverLimit
from tectogon.linework import Layer, LineType, Linework, Written
from tectogon.profiles import Filled, painted
from tectogon.profiles.fills import FillRule
from tectogon.profiles.stroke import Pen, inked
from tectogon.tolerances import LEAST_SIZE, SAME_SHARE, SEEN_CHORD, resolution
from tectogon.units import show_count


@dataclass(frozen=True)
class _Path:
    """Rows first to last (without last) of the builder, and how they are painted."""

    first: int
    last: int
    layer: int
    linetype: int
    colour: int
    fill: FillRule | None
    clear: bool
    pen: Pen | None


class Art:
    """Collects paths; coordinates are given in a path's own frame with the matrix (2, 3) that brings them to the
    sheet."""

    def __init__(self, max_curves: int) -> None:
        self.max_curves = max_curves
        self.curves = TableBuilder()
        self.keys: list[str] = []
        self.chain_of = array("q")
        self.seam = array("b")
        self.matrix_of = array("q")
        self.paths: list[_Path] = []
        self.layers: dict[str, int] = {}
        self.linetypes: dict[tuple[float, ...], int] = {(): 0}
        self.colours: dict[str, int] = {}
        self.entities: Counter[str] = Counter()
        self.skipped: Counter[str] = Counter()
        self.notes: list[Note] = []
        self.texts: list[Written] = []
        self._matrices: list[FloatArray] = []
        self._matrix_keys: dict[bytes, int] = {}
        self._chains = 0

    def add(
        self,
        key: str,
        chains: list[list[Curve]],
        matrix: FloatArray,
        *,
        layer: str,
        colour: str,
        fill: FillRule | None,
        pen: Pen | None,
        dashes: tuple[float, ...] = (),
        clear: bool = False,
    ) -> None:
        """One path of several chains of curves; the chains of a fill are closed by a straight seam where they are
        open. Raises OverLimit."""
        at = self._matrix(matrix)
        first = len(self.curves)
        number = 0
        for chain in chains:
            self._chains += 1
            for n, curve in enumerate([*chain, *_seam(chain)] if fill else chain):
                self.curves.add(curve)
                number += 1
                self.keys.append(f"{key}.{number}")
                self.chain_of.append(self._chains)
                self.seam.append(n == len(chain))
                self.matrix_of.append(at)
        if len(self.curves) > self.max_curves:
            raise OverLimit(
                f"The drawing has more than {show_count(self.max_curves)} curves once everything in it is laid"
                " out; split it."
            )
        self.paths.append(
            _Path(
                first,
                len(self.curves),
                self.layers.setdefault(layer, len(self.layers)),
                self.linetypes.setdefault(dashes, len(self.linetypes)),
                self.colours.setdefault(colour, len(self.colours)),
                fill,
                clear,
                pen,
            )
        )

    def _matrix(self, matrix: FloatArray) -> int:
        key = np.ascontiguousarray(matrix).tobytes()
        if key not in self._matrix_keys:
            self._matrix_keys[key] = len(self._matrices)
            self._matrices.append(matrix)
        return self._matrix_keys[key]

    def cut_off(self, box: tuple[float, float, float, float]) -> list[tuple[float, tuple[float, float]]]:
        """Clear all that is filled outside of a box (x0, y0, x1, y1). About how much of each filled shape that takes
        away, largest first, and where its middle lies; chains that lie in others count for what they enclose."""
        table, path_of = self._placed()
        x0, y0, x1, y1 = box
        b = table.bounds
        hair = SAME_SHARE * max(x1 - x0, y1 - y0)
        out = (b[:, 0] < x0 - hair) | (b[:, 1] < y0 - hair) | (b[:, 2] > x1 + hair) | (b[:, 3] > y1 + hair)
        over = [n for n in np.unique(path_of[out]).tolist() if self.paths[n].fill is not None]
        if over:
            e = table.extents
            around = (min(e[0], x0) - 1.0, min(e[1], y0) - 1.0, max(e[2], x1) + 1.0, max(e[3], y1) + 1.0)
            first = self.paths[over[0]]
            layer, colour = (list(names)[n] for names, n in ((self.layers, first.layer), (self.colours, first.colour)))
            chains = [_rectangle(around), _rectangle(box)]
            self.add("edge", chains, affine.IDENTITY, layer=layer, colour=colour, fill="evenodd", pen=None, clear=True)
        return sorted((self._beyond(table, n, box) for n in over), key=lambda part: -part[0])

    def _beyond(
        self, table: CurveTable, number: int, box: tuple[float, float, float, float]
    ) -> tuple[float, tuple[float, float]]:
        """The area of a path outside of a box, and a point in the middle of it."""
        path, chain_of = self.paths[number], np.array(self.chain_of, np.int64)
        chains = []
        for chain in np.unique(chain_of[path.first : path.last]).tolist():
            rows = path.first + np.flatnonzero(chain_of[path.first : path.last] == chain)
            points, _ = table.take(rows).flatten(SEEN_CHORD * max(table.size, LEAST_SIZE))
            if len(points) > 2:
                chains.append(shapely.make_valid(shapely.Polygon(points)))
        outside = shapely.difference(shapely.union_all(chains), shapely.box(*box))
        middle = shapely.get_coordinates(shapely.point_on_surface(outside))
        x, y = middle[0].tolist() if len(middle) else (box[0], box[1])
        return float(shapely.area(outside)), (x, y)

    # to linework -------------------------------------------------------------
    def linework(self, *, outlines: bool) -> Linework:
        """All of it as linework: fills as painted, strokes without a fill as centre lines or, with `outlines`, as
        inked."""
        table, path_of = self._placed()
        keys = self.keys
        size = float(np.ptp(table.extents.reshape(2, 2), axis=0).max()) if len(table) else 0.0
        tol = resolution(size)
        inks, names, of_path, shapes = self._inks(table, keys, outlines)
        outline = painted(inks, tuple(names), shapes, join_tol=tol) if shapes else None
        if outline is not None and outline.within:
            self.notes.append(
                Note(
                    "outline_followed",
                    "Where filled shapes touch or nearly cover each other, their outline could not be cut from the"
                    f" curves; it was followed within {outline.within:.2g} of the drawing's own unit.",
                )
            )
        bare = np.array([p.fill is None and p.pen is not None and not outlines for p in self.paths], bool)
        dot = (table.kind == LINE) & (table.data[:, 0:2] == table.data[:, 2:4]).all(axis=1)
        centre = np.flatnonzero(bare[path_of] & ~dot) if len(path_of) else np.zeros(0, np.int64)
        tables, ids, paths = [table.take(centre)], [keys[i] for i in centre.tolist()], [path_of[centre]]
        if outline is not None:
            tables.append(outline.table)
            ids += outline.ids
            paths.append(np.array(of_path, np.int64)[outline.source])
        path = np.concatenate(paths)
        column = np.array(
            [(p.layer, p.linetype if p.fill is None and not outlines else 0, p.colour) for p in self.paths], np.int64
        ).reshape(-1, 3)[path]
        linework = Linework(
            table=CurveTable.join(tables),
            ids=tuple(_unique(ids)),
            layer_of=column[:, 0],
            linetype_of=column[:, 1],
            colour_of=column[:, 2],
            layers=tuple(Layer(name) for name in self.layers),
            linetypes=tuple(
                LineType("dashed" if dashes else "CONTINUOUS", _pattern(dashes)) for dashes in self.linetypes
            ),
            colours=tuple(self.colours),
            texts=tuple(self.texts),
            entities=tuple(sorted(self.entities.items())),
            skipped=tuple(sorted(self.skipped.items())),
            notes=tuple(self.notes),
        )
        long = linework.table.lengths > 0
        return linework if long.all() else linework.take(long)

    def _placed(self) -> tuple[CurveTable, IntArray]:
        """All curves on the sheet, and the path of each."""
        table = self.curves.table()
        matrix_of = np.array(self.matrix_of, np.int64)
        path_of = np.repeat(np.arange(len(self.paths)), [p.last - p.first for p in self.paths])
        groups = (
            [np.flatnonzero(matrix_of == n) for n in range(len(self._matrices))]
            if len(self._matrices) < 50
            else _grouped(matrix_of, len(self._matrices))
        )
        if not len(table):
            return table, path_of
        parts = [table.take(rows).transformed(matrix) for rows, matrix in zip(groups, self._matrices, strict=True)]
        back = np.empty(len(table), np.int64)
        back[np.concatenate(groups)] = np.arange(len(table))
        return CurveTable.join(parts).take(back), path_of

    def _inks(
        self, table: CurveTable, keys: list[str], outlines: bool
    ) -> tuple[CurveTable, list[str], list[int], list[Filled]]:
        """Everything that is painted, in order: curves, their ids, the path of each, and the shapes."""
        tables: list[CurveTable] = []
        names: list[str] = []
        of_path: list[int] = []
        shapes: list[Filled] = []
        chain_of = np.array(self.chain_of, np.int64)
        seam = np.array(self.seam, bool)
        at = 0
        for n, path in enumerate(self.paths):
            if path.fill is not None:
                tables.append(table.take(np.arange(path.first, path.last)))
                names += keys[path.first : path.last]
                of_path += [n] * (path.last - path.first)
                shapes.append(Filled(at, at + path.last - path.first, path.fill, path.clear))
                at += path.last - path.first
            if path.pen is not None and outlines:
                rows = np.arange(path.first, path.last)
                rows = rows[~seam[path.first : path.last]]
                for k, shape in enumerate(inked(table.take(rows), chain_of[rows], path.pen)):
                    tables.append(shape)
                    names += [f"{keys[path.first]}/ink{k + 1}.{i + 1}" for i in range(len(shape))]
                    of_path += [n] * len(shape)
                    shapes.append(Filled(at, at + len(shape), "nonzero", path.clear))
                    at += len(shape)
        return CurveTable.join(tables), names, of_path, shapes


_ENDS = np.array([0.0, 1.0])


def _rectangle(box: tuple[float, float, float, float]) -> list[Curve]:
    x0, y0, x1, y1 = box
    points = [(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)]
    return [Line(*a, *b) for a, b in itertools.pairwise(points)]


def _seam(chain: list[Curve]) -> list[Curve]:
    """The straight line that closes a chain, if it is open."""
    (x0, y0), (x1, y1) = _start(chain[0]), _end(chain[-1])
    return [] if (x0, y0) == (x1, y1) else [Line(x1, y1, x0, y0)]


def _start(curve: Curve) -> tuple[float, float]:
    if isinstance(curve, Line):
        return curve.x0, curve.y0
    x, y = curve.points(_ENDS)[0].tolist()
    return x, y


def _end(curve: Curve) -> tuple[float, float]:
    if isinstance(curve, Line):
        return curve.x1, curve.y1
    x, y = curve.points(_ENDS)[1].tolist()
    return x, y


def _grouped(number: IntArray, count: int) -> list[IntArray]:
    order = np.argsort(number, kind="stable")
    return np.split(order, np.cumsum(np.bincount(number, minlength=count))[:-1])


def _pattern(dashes: tuple[float, ...]) -> tuple[float, ...]:
    """Dashes and gaps in turn as a pattern: gaps negative; an odd count repeats."""
    if len(dashes) % 2:
        dashes += dashes
    return tuple(-d if n % 2 else d for n, d in enumerate(dashes))


def _unique(ids: list[str]) -> list[str]:
    if len(ids) == len(set(ids)):
        return ids
    seen: Counter[str] = Counter()
    out = []
    for key in ids:
        seen[key] += 1
        out.append(key if seen[key] == 1 else f"{key}#{seen[key]}")
    return out
