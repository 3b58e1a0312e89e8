"""Entities of a drawing, as DXF and DWG know them, to linework.

Block contents are read once, as columns, and laid out by matrix: expanding 70,000 pieces one at a time costs 7 s, this way 0.1 s.
Inserts are counted before anything is laid out.
"""

from __future__ import annotations

import math
import re
from array import array
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from ezdxf.colors import aci2rgb
from ezdxf.entities.dxfentity import DXFEntity
from ezdxf.lldxf.const import DXFError
from ezdxf.math import fit_points_to_cad_cv

from tectogon.curves import Arc, Curve, CurveTable, EllipticArc, Line, Spline, affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN, arc_through_bulge
from tectogon.curves.table import LINE, SPLINE, IntArray, TableBuilder
from tectogon.errors import Note, OverLimit, Place, UnreadableFile
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.linework import Layer, LineType, Linework, StatedSize, Written

UNITS_BY_CODE = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m", 9: "mil", 13: "um"}
_BY_LAYER, _BY_BLOCK = -1, -2
_MAX_DEPTH = 64
_FARTHEST = 1e10
_NOT_PARALLEL = "not parallel to the sheet"
_NUMBER = re.compile(r"[-+]?\d+(?:[.,]\d+)?")


@dataclass(frozen=True)
class Block:
    """A block: its base point and its entities."""

    base: tuple[float, ...]
    entities: Iterable[DXFEntity]


@dataclass(frozen=True, kw_only=True)
class Content:
    """What a file holds, before it is linework: tables, the entities of model and paper space, and blocks by name."""

    format: str
    version: str
    insunits: int
    layers: list[Layer]
    linetypes: list[tuple[str, tuple[float, ...]]]
    model: Iterable[DXFEntity]
    papers: list[tuple[str, Iterable[DXFEntity]]]
    blocks: dict[str, Block]


@dataclass
class _Columns:
    """Curves of the model or of one block, before they are laid out."""

    curves: TableBuilder = field(default_factory=TableBuilder)
    ids: list[str] = field(default_factory=list)
    layer: array[int] = field(default_factory=lambda: array("q"))
    linetype: array[int] = field(default_factory=lambda: array("q"))
    colour: array[int] = field(default_factory=lambda: array("q"))
    flipped: list[int] = field(default_factory=list)
    inserts: list[_Insert] = field(default_factory=list)

    def table(self) -> CurveTable:
        table = self.curves.table()
        if not self.flipped:
            return table
        rows = np.array(self.flipped)
        turned = table.take(rows).transformed(affine.scaled(-1.0, 1.0))
        keep = np.setdiff1d(np.arange(len(table)), rows)
        order = np.argsort(np.concatenate([keep, rows]), kind="stable")
        return CurveTable.join([table.take(keep), turned]).take(order)


@dataclass(frozen=True)
class _Insert:
    """One placement of a block, possibly a grid of them."""

    block: str
    handle: str
    matrices: list[FloatArray]
    layer: int
    linetype: int
    colour: int


@dataclass(frozen=True)
class _Laid:
    """A block with everything nested in it, in the block's own coordinates."""

    table: CurveTable
    ids: list[str]
    layer: IntArray
    linetype: IntArray
    colour: IntArray


class EntityReader:
    """Entities of a drawing to linework: counts, blocks laid out, what is not geometry known for what it is."""

    def __init__(self, content: Content, limits: ReadLimits, notes: list[Note]) -> None:
        self.content = content
        self.limits = limits
        self.notes = notes
        self.entities: Counter[str] = Counter()
        self.skipped: Counter[str] = Counter()
        self.texts: list[Written] = []
        self.stated: list[StatedSize] = []
        self.layers: dict[str, int] = {}
        self.layer_list: list[Layer] = []
        self.linetypes: dict[str, int] = {}
        self.linetype_list: list[LineType] = []
        self.blocks: dict[str, _Columns] = {}
        self.laid: dict[str, _Laid] = {}
        self.block_names = {name.lower(): name for name in content.blocks}
        self._read_tables()

    # tables -------------------------------------------------------------
    def _read_tables(self) -> None:
        for name, pattern in self.content.linetypes:
            self._linetype(name, pattern)
        for layer in self.content.layers:
            self.layers[layer.name.lower()] = len(self.layer_list)
            self.layer_list.append(layer)

    def _layer(self, name: str) -> int:
        row = self.layers.get(name)
        if row is None and (row := self.layers.get(name.lower())) is not None:
            self.layers[name] = row
        if row is None:
            row = self.layers[name.lower()] = len(self.layer_list)
            self.layer_list.append(Layer(name))
        return row

    def _linetype(self, name: str, pattern: tuple[float, ...] = ()) -> int:
        key = name.upper()
        if key == "BYLAYER":
            return _BY_LAYER
        if key == "BYBLOCK":
            return _BY_BLOCK
        row = self.linetypes.get(key)
        if row is None:
            row = self.linetypes[key] = len(self.linetype_list)
            self.linetype_list.append(LineType(name, pattern))
        return row

    # entities -----------------------------------------------------------
    def _collect(self, entities: Iterable[DXFEntity], *, main: bool) -> _Columns:
        columns = _Columns()
        for entity in entities:
            kind = entity.dxftype()
            if main:
                self.entities[kind] += 1
            try:
                self._one(entity, kind, columns, main)
            except (DXFError, ValueError, TypeError, ArithmeticError, AttributeError, IndexError, KeyError):
                self.skipped[f"{kind} damaged"] += 1
        return columns

    def _one(self, entity: DXFEntity, kind: str, columns: _Columns, main: bool) -> None:
        dxf = entity.dxf
        if vars(dxf).get("invisible", 0):
            self.skipped["switched off by itself"] += 1
            return
        if kind == "INSERT":
            columns.inserts.append(self._insert(entity))
            return
        maker = _CURVES.get(kind)
        if maker is None:
            self._aside(entity, kind, main)
            return
        made = maker(entity)
        if made is None:
            self.skipped[_NOT_PARALLEL] += 1
            return
        curves, flip = made
        if not curves:
            self.skipped[f"{kind} without length"] += 1
            return
        plain = vars(dxf)  # the attributes that are there, without a look at defaults: four times as fast
        layer = self._layer(plain.get("layer", "0"))
        linetype = self._linetype(plain["linetype"]) if "linetype" in plain else _BY_LAYER
        colour = _colour_code(plain)
        handle = plain.get("handle") or f"n{len(columns.ids)}"
        if flip:
            columns.flipped.extend(range(len(columns.curves), len(columns.curves) + len(curves)))
        for number, curve in enumerate(curves):
            columns.curves.add(curve)
            columns.ids.append(handle if len(curves) == 1 else f"{handle}.{number + 1}")
            columns.layer.append(layer)
            columns.linetype.append(linetype)
            columns.colour.append(colour)

    def _insert(self, entity: DXFEntity) -> _Insert:
        dxf: Any = entity.dxf
        extrusion = dxf.get("extrusion", (0, 0, 1))
        parallel = abs(extrusion[0]) < 1e-9 and abs(extrusion[1]) < 1e-9
        name = self.block_names.get(str(dxf.name).lower(), "")
        matrices: list[FloatArray] = []
        if not parallel:
            self.skipped[_NOT_PARALLEL] += 1
        elif not name:
            self.skipped["INSERT of a block that is not there"] += 1
        else:
            rows, cols = max(1, dxf.get("row_count", 1)), max(1, dxf.get("column_count", 1))
            if rows * cols > self.limits.max_curves:
                raise OverLimit(self._too_many(rows * cols))
            matrices = _insert_matrices(dxf, self.content.blocks[name].base, rows, cols, extrusion[2] < 0)
        for attribute in getattr(entity, "attribs", ()):
            self.skipped["TEXT"] += 1
            self._text(attribute)
        return _Insert(name, str(dxf.handle), matrices, self._layer(dxf.layer), self._linetype(dxf.get("linetype", "BYLAYER")), _colour_code(vars(dxf)))

    def _aside(self, entity: DXFEntity, kind: str, main: bool) -> None:
        self.skipped[kind] += 1
        if not main:
            return
        if kind in ("TEXT", "MTEXT", "ATTDEF"):
            self._text(entity)
        elif kind == "DIMENSION":
            self._dimension(entity)

    def _text(self, entity: Any) -> None:
        dxf = entity.dxf
        words = entity.plain_text() if hasattr(entity, "plain_text") else dxf.text
        height = dxf.get("char_height" if entity.dxftype() == "MTEXT" else "height", 2.5)
        at = dxf.get("insert", (0, 0, 0))
        if np.isfinite([at[0], at[1], height]).all():
            self.texts.append(Written(str(words)[:2000], (float(at[0]), float(at[1])), float(height), float(dxf.get("rotation", 0.0)), str(dxf.layer)))

    def _dimension(self, entity: Any) -> None:
        measured = entity.get_measurement()
        drawn = float(measured) if isinstance(measured, (int, float)) and math.isfinite(measured) and entity.dimtype not in (2, 5) else None
        text = str(entity.dxf.get("text", "") or "")
        override = _NUMBER.search(text.replace("<>", "")) if text not in ("", "<>") else None
        if override:
            stated: float | None = float(override.group().replace(",", "."))
        else:
            stated = None if drawn is None else drawn * _length_factor(entity)
        points = tuple((float(p[0]), float(p[1])) for name in ("defpoint2", "defpoint3") if (p := entity.dxf.get(name)) is not None)
        self.stated.append(StatedSize(text or "<>", drawn, stated, points))

    # layout -------------------------------------------------------------
    def result(self) -> ReadResult:
        columns = self._collect(self.content.model, main=True)
        if not len(columns.curves) and not columns.inserts:
            columns = self._from_paper() or columns
        self._check_count(columns)
        laid = self._lay_out(columns, "", 0)
        if len(laid.ids) != len(set(laid.ids)):
            laid = _Laid(laid.table, _told_apart(laid.ids), laid.layer, laid.linetype, laid.colour)
        linework = self._sensible(self._linework(laid))
        declared = UNITS_BY_CODE.get(self.content.insunits)
        return ReadResult(linework=linework, format=self.content.format, version=self.content.version, declared_unit=declared)

    def _from_paper(self) -> _Columns | None:
        for name, entities in self.content.papers:
            columns = self._collect(entities, main=True)
            if len(columns.curves) or columns.inserts:
                self.notes.append(Note("paper_space", f"The model space is empty; the drawing was taken from the paper space “{name[:60]}”."))
                return columns
        return None

    def _block(self, name: str) -> _Columns:
        if name not in self.blocks:
            block = self.content.blocks.get(name)
            self.blocks[name] = self._collect(block.entities, main=False) if block is not None else _Columns()
        return self.blocks[name]

    def _check_count(self, columns: _Columns) -> None:
        counts: dict[str, float] = {}

        def count_of(name: str, path: tuple[str, ...]) -> float:
            if name in path or len(path) > _MAX_DEPTH:
                loop = " → ".join((*path[-3:], name))
                raise UnreadableFile(f"The block “{name[:60]}” contains itself ({loop[:200]}); such a drawing has no end. Mend the block in the file.")
            if name not in counts:
                inner = self._block(name)
                counts[name] = len(inner.curves) + sum(len(i.matrices) * count_of(i.block, (*path, name)) for i in inner.inserts if i.matrices)
            return counts[name]

        total = len(columns.curves) + sum(len(i.matrices) * count_of(i.block, ()) for i in columns.inserts if i.matrices)
        if total > self.limits.max_curves:
            raise OverLimit(self._too_many(total))

    def _too_many(self, total: float) -> str:
        shown = f"{total:,.0f}" if total < 1e12 else f"{total:.0e}"
        return f"With all blocks laid out the drawing has {shown} curves; up to {self.limits.max_curves:,} are taken."

    def _lay_out(self, columns: _Columns, path: str, depth: int) -> _Laid:
        parts = [
            _Laid(
                columns.table(),
                [path + key for key in columns.ids],
                np.array(columns.layer, np.int64),
                np.array(columns.linetype, np.int64),
                np.array(columns.colour, np.int64),
            )
        ]
        zero = self._layer("0")
        for insert in columns.inserts:
            if not insert.matrices:
                continue
            inner = self.laid.get(insert.block)
            if inner is None:
                inner = self.laid[insert.block] = self._lay_out(self._block(insert.block), "", depth + 1)
            layer = np.where(inner.layer == zero, insert.layer, inner.layer)
            linetype = np.where(inner.linetype == _BY_BLOCK, insert.linetype, inner.linetype)
            colour = np.where(inner.colour == _BY_BLOCK, insert.colour, inner.colour)
            for number, matrix in enumerate(insert.matrices):
                prefix = f"{path}{insert.handle}/" if len(insert.matrices) == 1 else f"{path}{insert.handle}[{number + 1}]/"
                parts.append(_Laid(inner.table.transformed(matrix), [prefix + key for key in inner.ids], layer, linetype, colour))
        if len(parts) == 1:
            return parts[0]
        return _Laid(
            CurveTable.join([p.table for p in parts]),
            [key for p in parts for key in p.ids],
            np.concatenate([p.layer for p in parts]),
            np.concatenate([p.linetype for p in parts]),
            np.concatenate([p.colour for p in parts]),
        )

    def _linework(self, laid: _Laid) -> Linework:
        continuous = self._linetype("CONTINUOUS")
        of_layer = np.array([max(self._linetype(layer.linetype), -1) for layer in self.layer_list] or [continuous], np.int64)
        of_layer = np.where(of_layer < 0, continuous, of_layer)
        linetype = np.where(laid.linetype < 0, of_layer[laid.layer] if len(laid.layer) else laid.linetype, laid.linetype)
        codes, colour = np.unique(laid.colour, return_inverse=True)
        palette = [_shown_colour(int(code)) for code in codes]
        if _BY_LAYER in codes.tolist() or _BY_BLOCK in codes.tolist():
            base = len(palette)
            palette += [layer.colour for layer in self.layer_list]
            colour = np.where(laid.colour < 0, base + laid.layer, colour)
        return Linework(
            table=laid.table,
            ids=tuple(laid.ids),
            layer_of=laid.layer,
            linetype_of=linetype,
            colour_of=colour,
            layers=tuple(self.layer_list),
            linetypes=tuple(self.linetype_list),
            colours=tuple(palette),
            blocks=tuple(sorted(name for name in self.blocks if not name.startswith("*"))),
            texts=tuple(self.texts),
            stated=tuple(self.stated),
            entities=tuple(sorted(self.entities.items())),
            skipped=tuple(sorted(self.skipped.items())),
            notes=tuple(self.notes),
        )

    def _sensible(self, linework: Linework) -> Linework:
        """Without curves whose numbers are not finite or leave no digits for a part, and without those of no length."""
        table = linework.table
        if not len(table):
            return linework
        with np.errstate(all="ignore"):
            fine = np.asarray((np.abs(table.data[:, :5]) < _FARTHEST).all(axis=1))
            for row in table.rows_of(SPLINE):
                fine[row] = bool((np.abs(table.splines[int(table.data[row, 0])].poles) < _FARTHEST).all())
            point = fine & (table.kind == LINE) & (table.data[:, 0] == table.data[:, 2]) & (table.data[:, 1] == table.data[:, 3])
        wild = ~fine
        if not wild.any() and not point.any():
            return linework
        kept = linework.take(fine & ~point)
        skipped = Counter(dict(linework.skipped))
        notes = list(linework.notes)
        if point.any():
            skipped["without length"] += int(point.sum())
        if wild.any():
            skipped["coordinates out of range"] += int(wild.sum())
            first = tuple(linework.ids[int(i)] for i in np.flatnonzero(wild)[:20])
            notes.append(
                Note(
                    "out_of_range",
                    f"{int(wild.sum())} curves have coordinates that are not numbers or beyond 10,000,000,000 and were left out; the first is entity {first[0]}.",
                    Place(first),
                )
            )
        return replace(kept, skipped=tuple(sorted(skipped.items())), notes=tuple(notes))


def _length_factor(entity: Any) -> float:
    """What a dimension's style, or the dimension itself, multiplies lengths by before it states them."""
    factor = entity.override().get("dimlfac", 1.0) if entity.doc is not None else 1.0
    return abs(float(factor)) if isinstance(factor, (int, float)) and factor else 1.0


def _told_apart(ids: list[str]) -> list[str]:
    """Ids made unique by a number after those that come again (damaged files repeat handles)."""
    seen: Counter[str] = Counter()
    out = []
    for key in ids:
        seen[key] += 1
        out.append(key if seen[key] == 1 else f"{key}#{seen[key]}")
    return out


def _insert_matrices(dxf: Any, base: tuple[float, ...], rows: int, cols: int, flipped: bool) -> list[FloatArray]:
    at = dxf.insert
    turn = affine.turned(math.radians(dxf.get("rotation", 0.0)))
    frame = affine.after(affine.moved(at[0], at[1]), turn)
    if flipped:
        frame = affine.after(affine.scaled(-1.0, 1.0), frame)
    inner = affine.after(affine.scaled(dxf.get("xscale", 1.0), dxf.get("yscale", 1.0)), affine.moved(-base[0], -base[1]))
    dx, dy = dxf.get("column_spacing", 0.0), dxf.get("row_spacing", 0.0)
    return [affine.after(frame, affine.after(affine.moved(c * dx, r * dy), inner)) for r in range(rows) for c in range(cols)]


def _colour_code(plain: dict[str, Any]) -> int:
    """-1 by layer, -2 by block, 0..255 the index, 2**24 + rgb a true colour."""
    true = plain.get("true_color")
    if true is not None:
        return (1 << 24) + int(true)
    aci = int(plain.get("color", 256))
    return {256: _BY_LAYER, 0: _BY_BLOCK}.get(aci, abs(aci))


def _shown_colour(code: int) -> str:
    if code >= 1 << 24:
        return f"#{code - (1 << 24):06x}"
    return shown_index(max(code, 0))


def shown_index(index: int) -> str:
    return "#000000" if index in (0, 7) or not 0 < index < 256 else hex_colour(aci2rgb(index))


def hex_colour(rgb: Iterable[int]) -> str:
    return "#" + "".join(f"{int(v):02x}" for v in rgb)


# curves of each entity kind: (curves, whether to mirror them from the entity's own frame), or None where not parallel to the sheet

_Made = tuple[list[Curve], bool] | None


def _facing(dxf: Any) -> int:
    """+1 or -1 where the entity's own frame is the sheet or the sheet seen from behind, else 0."""
    extrusion = vars(dxf).get("extrusion")
    if extrusion is None:
        return 1
    x, y, z = extrusion
    if abs(x) > 1e-9 or abs(y) > 1e-9 or z == 0:
        return 0
    return 1 if z > 0 else -1


def _line(entity: Any) -> _Made:
    a, b = entity.dxf.start, entity.dxf.end
    if a.z != b.z and abs(a.z - b.z) > 1e-9 * (abs(b.x - a.x) + abs(b.y - a.y)):
        return None
    return [Line(a.x, a.y, b.x, b.y)], False


def _arc(entity: Any) -> _Made:
    dxf = entity.dxf
    facing = _facing(dxf)
    if not facing:
        return None
    c, r = dxf.center, abs(dxf.radius)
    if r == 0:
        return [], False
    start = math.radians(dxf.start_angle)
    sweep = math.radians((dxf.end_angle - dxf.start_angle) % 360.0) or TURN
    return [Arc(c.x, c.y, r, start, sweep)], facing < 0


def _circle(entity: Any) -> _Made:
    dxf = entity.dxf
    facing = _facing(dxf)
    if not facing:
        return None
    c, r = dxf.center, abs(dxf.radius)
    return ([Arc(c.x, c.y, r, 0.0, TURN)] if r else []), facing < 0


def _ellipse(entity: Any) -> _Made:
    dxf = entity.dxf
    facing = _facing(dxf)
    if not facing or abs(dxf.major_axis.z) > 1e-9 * dxf.major_axis.magnitude:
        return None
    c, m = dxf.center, dxf.major_axis
    sweep = (dxf.end_param - dxf.start_param) % TURN or TURN
    if TURN - sweep < 1e-9:
        sweep = TURN
    return [EllipticArc(c.x, c.y, m.x, m.y, dxf.ratio, facing * dxf.start_param, facing * sweep)], False


def _spline(entity: Any) -> _Made:
    poles = np.array(entity.control_points, float).reshape(-1, 3)
    if not len(poles):
        fit = np.array(entity.fit_points, float).reshape(-1, 3)
        if len(fit) < 2:
            return [], False
        made = fit_points_to_cad_cv(fit.tolist())
        poles, knots, weights, degree = np.array([tuple(p) for p in made.control_points]), np.array(made.knots()), None, made.degree
    else:
        knots, degree = np.array(entity.knots, float), int(entity.dxf.degree)
        weights = np.array(entity.weights, float) if len(entity.weights) else None
    if np.ptp(poles[:, 2]) > 1e-9 * max(float(np.ptp(poles[:, :2], axis=0).max()), 1e-300):
        return None
    return [Spline.of(degree, knots, poles[:, :2], weights)], False


def _polyline_curves(points: list[list[float]], closed: bool) -> list[Curve]:
    """Curves through vertices: x, y, bulge each."""
    out: list[Curve] = []
    following = [*points[1:], points[0]] if closed and points else points[1:]
    for (x0, y0, bulge), (x1, y1, _) in zip(points, following, strict=False):
        if x0 != x1 or y0 != y1:
            out.append(Line(x0, y0, x1, y1) if bulge == 0.0 else arc_through_bulge((x0, y0), (x1, y1), bulge))
    return out


def _lwpolyline(entity: Any) -> _Made:
    facing = _facing(entity.dxf)
    if not facing:
        return None
    values = np.asarray(entity.lwpoints.values, float).ravel().tolist()
    return _polyline_curves([[values[i], values[i + 1], values[i + 4]] for i in range(0, len(values), 5)], bool(entity.closed)), facing < 0


def _polyline(entity: Any) -> _Made:
    if entity.is_poly_face_mesh or entity.is_polygon_mesh:
        return None
    corners = [v for v in entity.vertices if not v.dxf.get("flags", 0) & 16]
    points = np.array([(*v.dxf.location, v.dxf.get("bulge", 0.0)) for v in corners], float).reshape(-1, 4)
    if entity.is_3d_polyline:
        if len(points) and np.ptp(points[:, 2]) > 1e-9 * max(float(np.ptp(points[:, :2], axis=0).max()), 1e-300):
            return None
        facing = 1
    else:
        facing = _facing(entity.dxf)
        if not facing:
            return None
    return _polyline_curves(points[:, [0, 1, 3]].tolist(), bool(entity.is_closed)), facing < 0


_CURVES: dict[str, Callable[[Any], _Made]] = {
    "LINE": _line,
    "ARC": _arc,
    "CIRCLE": _circle,
    "ELLIPSE": _ellipse,
    "SPLINE": _spline,
    "LWPOLYLINE": _lwpolyline,
    "POLYLINE": _polyline,
}
