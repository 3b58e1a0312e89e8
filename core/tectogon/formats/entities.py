"""Entities of a drawing, as DXF and DWG know them, to linework.

Block contents are read once, as columns, and laid out by matrix: expanding 70,000 pieces one at a time costs 7 s, this
way 0.1 s.
Inserts are counted before anything is laid out.
"""

from __future__ import annotations

import itertools
import math
import re
from array import array
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from ezdxf.colors import aci2rgb
from ezdxf.entities.dxfentity import DXFEntity
from ezdxf.lldxf.const import DXFError

from tectogon.curves import Curve, CurveTable, Spline, affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.copies import copies
from tectogon.curves.table import IntArray, TableBuilder
from tectogon.errors import Note, OverLimit, UnreadableFile
from tectogon.formats.dxf_columns import Bulk, Columns
from tectogon.formats.entity_curves import CURVES, RISING, rise_of
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.linework import Layer, LineType, Linework, Mark, StatedSize, Written
from tectogon.tolerances import LEAST_SIZE
from tectogon.units import show_count

VERSIONS = {
    "AC1006": "R10",
    "AC1009": "R12",
    "AC1012": "R13",
    "AC1014": "R14",
    "AC1015": "R2000",
    "AC1018": "R2004",
    "AC1021": "R2007",
    "AC1024": "R2010",
    "AC1027": "R2013",
    "AC1032": "R2018",
}
"""Releases of DXF and DWG by the mark in their headers."""
UNITS_BY_CODE = {
    1: "in",
    2: "ft",
    3: "1609344",
    4: "mm",
    5: "cm",
    6: "m",
    7: "km",
    8: "2.54e-5",
    9: "mil",
    10: "yd",
    11: "1e-7",
    12: "1e-6",
    13: "um",
    14: "dm",
    15: "10000",
    16: "100000",
    21: "304.8006096",
    22: "25.4000508",
    23: "914.4018288",
    24: "1609347.2187",
}
"""The header's codes for units, by name or by the length of one unit in mm: 3 miles, 8 microinches, 11 ångströms, 12
nanometres, 15 decametres,
16 hectometres, 21 to 24 US survey feet, inches, yards and miles. Those of astronomers (17 to 20) leave no digits for a
part."""
_BY_LAYER, _BY_BLOCK = -1, -2
_MAX_DEPTH = 64
_TALL = 1e-2
_HATCH_CHORD = 1e-3
"""Outlines of hatching are kept as points this near to them, as a share of their size; so many, of so many points."""
_MOST_HATCHED, _MOST_HATCH_POINTS = 500, 5000
"""A curve that rises by more than this share of the drawing's size is drawn in space, and not flat with noise."""
_NOT_PARALLEL = "not parallel to the sheet"
_TIMES = re.compile(r"^\s*\(?\d+\s*[x×*]\s*", re.IGNORECASE)
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
    columns: Columns | None = None
    """Entities that were read as columns beside those above."""


@dataclass
class _Columns:
    """Curves of the model or of one block, before they are laid out."""

    curves: TableBuilder = field(default_factory=TableBuilder)
    ids: list[str] = field(default_factory=list)
    layer: array[int] = field(default_factory=lambda: array("q"))
    linetype: array[int] = field(default_factory=lambda: array("q"))
    colour: array[int] = field(default_factory=lambda: array("q"))
    place: array[int] = field(default_factory=lambda: array("q"))
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
    """One placement of a block, possibly a grid of them: matrices (k, 2, 3)."""

    block: str
    handle: str
    matrices: FloatArray
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
    blocks: tuple[tuple[str, int], ...] = ()
    """The block each stretch of curves came with, "" for none, and how many they are."""


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
        self.marks: list[Mark] = []
        self.hatched: list[tuple[FloatArray, ...]] = []
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
        places = self.content.columns.places if self.content.columns else {}
        for entity in entities:
            kind = entity.dxftype()
            before = len(columns.curves)
            if main:
                self.entities[kind] += 1
            try:
                self._one(entity, kind, columns, main)
            except (DXFError, ValueError, TypeError, ArithmeticError, AttributeError, IndexError, KeyError):
                self.skipped[f"{kind} damaged"] += 1
            if places:
                place = places.get(str(entity.dxf.handle), -1)
                columns.place.extend([place] * (len(columns.curves) - before))
        return columns

    def _one(self, entity: DXFEntity, kind: str, columns: _Columns, main: bool) -> None:
        dxf = entity.dxf
        if vars(dxf).get("invisible", 0):
            self.skipped["switched off by itself"] += 1
            return
        if kind == "INSERT":
            columns.inserts.append(self._insert(entity))
            return
        maker = CURVES.get(kind)
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
        if main:
            self._mark(entity, kind, handle, curves)
        if flip:
            columns.flipped.extend(range(len(columns.curves), len(columns.curves) + len(curves)))
        for number, curve in enumerate(curves):
            columns.curves.add(curve)
            columns.ids.append(handle if len(curves) == 1 else f"{handle}.{number + 1}")
            columns.layer.append(layer)
            columns.linetype.append(linetype)
            columns.colour.append(colour)

    def _mark(self, entity: Any, kind: str, handle: str, curves: list[Curve]) -> None:
        """Remember what the file says of an entity that its curves don't show."""
        rise = rise_of(entity, kind) if kind in RISING else 0.0
        if rise:
            self.marks += [
                Mark(handle if len(curves) == 1 else f"{handle}.{n + 1}", "off_plane", rise) for n in range(len(curves))
            ]
        if kind == "SPLINE" and len(curves) == 1:
            spline = curves[0]
            marked = bool(vars(entity.dxf).get("flags", 0) & 1)
            if isinstance(spline, Spline) and marked != spline.meets_itself:
                self.marks.append(
                    Mark(
                        handle, "closed_flag" if marked else "open_flag", float(np.hypot(*(spline.end - spline.start)))
                    )
                )

    def _insert(self, entity: DXFEntity) -> _Insert:
        dxf: Any = entity.dxf
        extrusion = dxf.get("extrusion", (0, 0, 1))
        parallel = abs(extrusion[0]) < 1e-9 and abs(extrusion[1]) < 1e-9
        name = self.block_names.get(str(dxf.name).lower(), "")
        matrices = np.zeros((0, 2, 3))
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
        return _Insert(
            name,
            str(dxf.handle),
            matrices,
            self._layer(dxf.layer),
            self._linetype(dxf.get("linetype", "BYLAYER")),
            _colour_code(vars(dxf)),
        )

    def _aside(self, entity: DXFEntity, kind: str, main: bool) -> None:
        self.skipped[kind] += 1
        if not main:
            return
        if kind in ("TEXT", "MTEXT", "ATTDEF"):
            self._text(entity)
        elif kind == "DIMENSION":
            self._dimension(entity)
        elif kind == "HATCH" and not entity.dxf.get("solid_fill", 0) and len(self.hatched) < _MOST_HATCHED:
            self._hatch(entity)

    def _hatch(self, entity: Any) -> None:
        """Remember what is hatched: in a section, where it cuts material."""
        from ezdxf.path import from_hatch

        rings = []
        for path in from_hatch(entity):
            corners = np.array([(p.x, p.y) for p in path.control_vertices()])
            chord = max(_HATCH_CHORD * float(np.ptp(corners, axis=0).max(initial=0.0)), LEAST_SIZE)
            points = np.array([(p.x, p.y) for p in path.flattening(chord)])
            if 3 <= len(points) <= _MOST_HATCH_POINTS and np.isfinite(points).all():
                rings.append(points)
        if rings:
            self.hatched.append(tuple(rings))

    def _text(self, entity: Any) -> None:
        dxf = entity.dxf
        words = entity.plain_text() if hasattr(entity, "plain_text") else dxf.text
        height = dxf.get("char_height" if entity.dxftype() == "MTEXT" else "height", 2.5)
        at = _text_start(dxf, str(words), height, mtext=entity.dxftype() == "MTEXT")
        if np.isfinite([at[0], at[1], height]).all():
            self.texts.append(
                Written(str(words)[:2000], at, float(height), float(dxf.get("rotation", 0.0)), str(dxf.layer))
            )

    def _dimension(self, entity: Any) -> None:
        measured = entity.get_measurement()
        drawn = (
            float(measured)
            if isinstance(measured, (int, float)) and math.isfinite(measured) and entity.dimtype not in (2, 5)
            else None
        )
        text = str(entity.dxf.get("text", "") or "")
        override = _NUMBER.search(_TIMES.sub("", text.replace("<>", ""))) if text not in ("", "<>") else None
        if override:
            stated: float | None = float(override.group().replace(",", "."))
        else:
            stated = None if drawn is None else drawn * _length_factor(entity)
        round_one = entity.dimtype in (3, 4)  # a diameter has its two ends, a radius its centre and its end
        names = ("defpoint", "defpoint4") if round_one else ("defpoint2", "defpoint3")
        points = tuple((float(p[0]), float(p[1])) for name in names if (p := entity.dxf.get(name)) is not None)
        if entity.dimtype == 3 and len(points) == 2:
            (x0, y0), (x1, y1) = points
            points = (((x0 + x1) / 2.0, (y0 + y1) / 2.0), points[1])
        self.stated.append(StatedSize(text or "<>", drawn, stated, points))

    # layout -------------------------------------------------------------
    def result(self) -> ReadResult:
        """All that was added so far, as linework in file units."""
        columns = self._collect(self.content.model, main=True)
        bulk = self._bulk("")
        if bulk is not None:
            self.entities.update(bulk.kinds)
            self._with_plain_inserts(columns, bulk)
        if not len(columns.curves) and not columns.inserts and bulk is None:
            columns = self._from_paper() or columns
        self._check_count(columns)
        laid = self._lay_out(columns, bulk)
        if len(laid.ids) != len(set(laid.ids)):
            laid = replace(laid, ids=_told_apart(laid.ids))
        self._say_if_in_space(laid)
        linework = self._linework(laid)
        declared = UNITS_BY_CODE.get(self.content.insunits)
        return ReadResult(
            linework=linework, format=self.content.format, version=self.content.version, declared_unit=declared
        )

    def _say_if_in_space(self, laid: _Laid) -> None:
        """A note where a quarter and more of a drawing rises well out of the sheet's plane: it is no flat drawing at
        all."""
        size = float(np.ptp(laid.table.extents.reshape(2, 2), axis=0).max()) if len(laid.table) else 0.0
        off = sum(m.kind == "off_plane" and m.size > _TALL * size for m in self.marks) + self.skipped[_NOT_PARALLEL]
        if 4 * off > len(laid.ids) > 0:
            self.notes.append(
                Note(
                    "drawn_in_space",
                    f"This drawing is drawn in space: {off} of its curves do not lie in the sheet's plane. What is"
                    " level is shown as seen from the top; for a part, ask for the flat views of it, or for a STEP"
                    " file.",
                )
            )

    def _from_paper(self) -> _Columns | None:
        for name, entities in self.content.papers:
            columns = self._collect(entities, main=True)
            if len(columns.curves) or columns.inserts:
                self.notes.append(
                    Note(
                        "paper_space",
                        f"The model space is empty; the drawing was taken from the paper space “{name[:60]}”.",
                    )
                )
                return columns
        return None

    def _bulk(self, block: str) -> Bulk | None:
        columns = self.content.columns
        return columns.bulks.get(block.lower()) if columns else None

    def _block(self, name: str) -> _Columns:
        if name not in self.blocks:
            block = self.content.blocks.get(name)
            columns = self.blocks[name] = self._collect(block.entities, main=False) if block is not None else _Columns()
            bulk = self._bulk(name)
            if bulk is not None:
                self._with_plain_inserts(columns, bulk)
        return self.blocks[name]

    def _with_plain_inserts(self, columns: _Columns, bulk: Bulk) -> None:
        """Placements that were read as columns, put between the others in the order of the file."""
        plain = bulk.inserts
        if not plain.blocks or self.content.columns is None:
            return
        names = self.content.columns.names
        places = self.content.columns.places
        out = [(places.get(i.handle, -1), i) for i in columns.inserts]
        keys = [self.block_names.get(name.lower(), "") for name in plain.blocks]
        frames = insert_frames(
            plain.at, np.array([self.content.blocks[key].base[:2] if key else (0.0, 0.0) for key in keys], float)
        )
        rows = zip(
            keys,
            plain.handles,
            plain.entity.tolist(),
            plain.layer.tolist(),
            plain.linetype.tolist(),
            plain.colour.tolist(),
            strict=True,
        )
        for n, (key, handle, entity, layer, linetype, colour) in enumerate(rows):
            if not key:
                self.skipped["INSERT of a block that is not there"] += 1
            kind = self._linetype(names[linetype]) if linetype >= 0 else _BY_LAYER
            out.append(
                (
                    entity,
                    _Insert(
                        key, handle, frames[n : n + 1] if key else frames[:0], self._layer(names[layer]), kind, colour
                    ),
                )
            )
        columns.inserts = [insert for _, insert in sorted(out, key=lambda pair: pair[0])]

    def _check_count(self, columns: _Columns) -> None:
        counts: dict[str, float] = {}

        def count_of(name: str, path: tuple[str, ...]) -> float:
            if name in path or len(path) > _MAX_DEPTH:
                loop = " → ".join((*path[-3:], name))
                raise UnreadableFile(
                    f"The block “{name[:60]}” contains itself ({loop[:200]}); such a drawing has no end. Mend the block"
                    " in the file."
                )
            if name not in counts:
                inner = self._block(name)
                bulk = self._bulk(name)
                counts[name] = (
                    len(inner.curves)
                    + (len(bulk.table) if bulk else 0)
                    + sum(len(i.matrices) * count_of(i.block, (*path, name)) for i in inner.inserts if len(i.matrices))
                )
            return counts[name]

        model = self._bulk("")
        total = (
            len(columns.curves)
            + (len(model.table) if model else 0)
            + sum(len(i.matrices) * count_of(i.block, ()) for i in columns.inserts if len(i.matrices))
        )
        if total > self.limits.max_curves:
            raise OverLimit(self._too_many(total))

    def _too_many(self, total: float) -> str:
        shown = f"{show_count(total)}" if total < 1e12 else f"{total:.0e}"
        most = show_count(self.limits.max_curves)
        return f"With all blocks laid out the drawing has {shown} curves; up to {most} are taken."

    def _own(self, columns: _Columns, bulk: Bulk | None) -> _Laid:
        """The curves of the model or a block itself, those read as columns and the others in the order of the file."""
        layer, linetype, colour = (np.array(c, np.int64) for c in (columns.layer, columns.linetype, columns.colour))
        own = _Laid(columns.table(), columns.ids, layer, linetype, colour)
        if bulk is None or self.content.columns is None:
            return own
        names = self.content.columns.names
        layers = np.array(
            [self._layer(n) if k in set(bulk.layer.tolist()) else 0 for k, n in enumerate(names)], np.int64
        )
        linetypes = np.array(
            [self._linetype(n) if k in set(bulk.linetype.tolist()) else 0 for k, n in enumerate(names)], np.int64
        )
        linetype = np.where(bulk.linetype < 0, _BY_LAYER, linetypes[bulk.linetype])
        both = (_Laid(bulk.table, bulk.ids, layers[bulk.layer], linetype, bulk.colour), own)
        order = np.argsort(np.concatenate([bulk.entity, np.array(columns.place, np.int64)]), kind="stable")
        ids = both[0].ids + both[1].ids
        joined = CurveTable.join([part.table for part in both]) if len(own.ids) else bulk.table
        layer, linetype, colour = (
            np.concatenate([getattr(part, name) for part in both])[order] for name in ("layer", "linetype", "colour")
        )
        return _Laid(
            joined.take(order) if len(own.ids) else joined, [ids[i] for i in order.tolist()], layer, linetype, colour
        )

    def _lay_out(self, columns: _Columns, bulk: Bulk | None) -> _Laid:
        parts = [self._own(columns, bulk)]
        zero = self._layer("0")
        laid_out = [i for i in columns.inserts if len(i.matrices)]
        placed: list[str] = []
        for block, group in itertools.groupby(laid_out, key=lambda i: i.block):
            inserts = list(group)
            placed.append(block)
            inner = self.laid.get(block)
            if inner is None:
                inner = self.laid[block] = self._lay_out(self._block(block), self._bulk(block))
            many = np.repeat(np.arange(len(inserts)), [len(i.matrices) for i in inserts])
            ids = []
            for insert in inserts:
                for number in range(len(insert.matrices)):
                    prefix = f"{insert.handle}/" if len(insert.matrices) == 1 else f"{insert.handle}[{number + 1}]/"
                    ids += [prefix + key for key in inner.ids]
            layer, linetype, colour = (
                np.array([getattr(i, name) for i in inserts], np.int64)[many, None]
                for name in ("layer", "linetype", "colour")
            )
            parts.append(
                _Laid(
                    copies(inner.table, np.concatenate([i.matrices for i in inserts])),
                    ids,
                    np.where(inner.layer == zero, layer, inner.layer).ravel(),
                    np.where(inner.linetype == _BY_BLOCK, linetype, inner.linetype).ravel(),
                    np.where(inner.colour == _BY_BLOCK, colour, inner.colour).ravel(),
                )
            )
        if len(parts) == 1:
            return parts[0]
        return _Laid(
            CurveTable.join([p.table for p in parts]),
            [key for p in parts for key in p.ids],
            np.concatenate([p.layer for p in parts]),
            np.concatenate([p.linetype for p in parts]),
            np.concatenate([p.colour for p in parts]),
            tuple(zip(["", *placed], [len(p.ids) for p in parts], strict=True)),
        )

    def _linework(self, laid: _Laid) -> Linework:
        continuous = self._linetype("CONTINUOUS")
        of_layer = np.array(
            [max(self._linetype(layer.linetype), -1) for layer in self.layer_list] or [continuous], np.int64
        )
        of_layer = np.where(of_layer < 0, continuous, of_layer)
        linetype = np.where(
            laid.linetype < 0, of_layer[laid.layer] if len(laid.layer) else laid.linetype, laid.linetype
        )
        codes, colour = np.unique(laid.colour, return_inverse=True)
        palette = [_shown_colour(int(code)) for code in codes]
        if _BY_LAYER in codes.tolist() or _BY_BLOCK in codes.tolist():
            base = len(palette)
            palette += [layer.colour for layer in self.layer_list]
            colour = np.where(laid.colour < 0, base + laid.layer, colour)
        blocks = sorted(name for name in self.blocks if not name.startswith("*"))
        number = {name: n for n, name in enumerate(blocks)}
        in_block = np.repeat([number.get(name, -1) for name, _ in laid.blocks], [n for _, n in laid.blocks]).astype(
            np.int64
        )
        return Linework(
            table=laid.table,
            ids=tuple(laid.ids),
            layer_of=laid.layer,
            linetype_of=linetype,
            colour_of=colour,
            layers=tuple(self.layer_list),
            linetypes=tuple(self.linetype_list),
            colours=tuple(palette),
            blocks=tuple(blocks),
            in_block=in_block,
            texts=tuple(self.texts),
            stated=tuple(self.stated),
            entities=tuple(sorted(self.entities.items())),
            skipped=tuple(sorted(self.skipped.items())),
            notes=tuple(self.notes),
            marks=tuple(self.marks),
            hatched=tuple(self.hatched),
        )


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


def insert_frames(at: FloatArray, base: FloatArray) -> FloatArray:
    """Maps (k, 2, 3) of placements at (k, 5) as x, y, x scale, y scale, degrees, of blocks whose base points are (k,
    2)."""
    angle = [math.radians(v) for v in at[:, 4].tolist()]
    c, s = np.array([math.cos(a) for a in angle]), np.array([math.sin(a) for a in angle])
    (sx, sy), (bx, by) = at[:, 2:4].T, base.T
    linear = np.array([[c * sx, -s * sy], [s * sx, c * sy]]).transpose(2, 0, 1)
    shift = np.stack(
        [
            at[:, 0] - linear[:, 0, 0] * bx - linear[:, 0, 1] * by,
            at[:, 1] - linear[:, 1, 0] * bx - linear[:, 1, 1] * by,
        ],
        axis=1,
    )
    return np.concatenate([linear, shift[:, :, None]], axis=2)


def _text_start(dxf: Any, words: str, height: float, *, mtext: bool) -> tuple[float, float]:
    """Where words begin, at the foot of their first letter: entities give the middle, an end or the top where they are
    set so. A letter counts as 0.8 of its height."""
    lines = words.split("\n")
    wide = 0.8 * height * max(len(line.strip()) for line in lines)
    if mtext:
        column, row = (int(dxf.get("attachment_point", 1)) - 1) % 3, (int(dxf.get("attachment_point", 1)) - 1) // 3
        at, tall = dxf.get("insert", (0, 0, 0)), height * (1.0 + 1.6 * (len(lines) - 1))
        down = {0: height, 1: height / 2.0 - (tall - height) / 2.0, 2: -(tall - height)}.get(row, height)
    else:
        across, upright = int(dxf.get("halign", 0)), int(dxf.get("valign", 0))
        column = {1: 1, 2: 2, 4: 1}.get(across, 0)
        aligned = (column or upright) and dxf.get("align_point") is not None
        at = dxf.get("align_point" if aligned else "insert", (0, 0, 0))
        down = {2: height / 2.0, 3: height}.get(upright, height / 2.0 if across == 4 else 0.0)
    turn = math.radians(float(dxf.get("rotation", 0.0)))
    left = wide * column / 2.0
    return (
        float(at[0]) - left * math.cos(turn) + down * math.sin(turn),
        float(at[1]) - left * math.sin(turn) - down * math.cos(turn),
    )


def _insert_matrices(dxf: Any, base: tuple[float, ...], rows: int, cols: int, flipped: bool) -> FloatArray:
    x, y = dxf.insert[0], dxf.insert[1]
    plain = np.array([[x, y, dxf.get("xscale", 1.0), dxf.get("yscale", 1.0), dxf.get("rotation", 0.0)]])
    frame = insert_frames(plain, np.array([base[:2]], float))
    if rows * cols > 1:
        turn = affine.turned(math.radians(dxf.get("rotation", 0.0)))[:, :2]
        dx, dy = dxf.get("column_spacing", 0.0), dxf.get("row_spacing", 0.0)
        steps = np.array([(c * dx, r * dy) for r in range(rows) for c in range(cols)], float)
        frame = np.repeat(frame, len(steps), axis=0)
        frame[:, :, 2] += steps @ turn.T
    return frame * np.array([[-1.0], [1.0]]) if flipped else frame


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
    """The colour "#rrggbb" of an index 1..255 as it shows on white paper."""
    return "#000000" if index in (0, 7) or not 0 < index < 256 else hex_colour(aci2rgb(index))


def hex_colour(rgb: Iterable[int]) -> str:
    """A colour as "#rrggbb" from red, green and blue, 0..255."""
    return "#" + "".join(f"{int(v):02x}" for v in rgb)
