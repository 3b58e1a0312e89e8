"""The plain entities of an ASCII DXF read as columns of numbers, and the file without them for ezdxf to read.

Parsing is 95 % of the time of a large drawing, and nearly all of it goes into lines, arcs, circles, polylines and
splines that say nothing unusual. Those are read here over numpy, a kind at a time, in the model space and in blocks.
Whatever says anything that is not known here (an extrusion, a group of its own, a layer outside the tables, a value
that is no number) stays in the rest and takes the usual way; a file that is not laid out as expected takes it as a
whole. So the linework is the same, curve for curve.

Tried first and dropped: lists of the file's lines (twice the memory), one regular expression an entity (three times the
time).
"""

from __future__ import annotations

import warnings
from collections import Counter
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from tectogon.curves import CurveTable, Spline
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN, Arc, arc_through_bulge
from tectogon.curves.table import ARC, ELLIPSE, LINE, SPLINE, BoolArray, IntArray
from tectogon.tolerances import ANGLE_TOL, HAIR

Bytes = npt.NDArray[np.uint8]

_KINDS = {b"LINE": 1, b"ARC": 2, b"CIRCLE": 3, b"ELLIPSE": 4, b"LWPOLYLINE": 5, b"SPLINE": 6, b"INSERT": 7}
_NAMES = {number: name.decode() for name, number in _KINDS.items()}
_COMMON = (0, 5, 8, 6, 62, 420, 48, 370, 330, 100, 210, 220, 230)
_ALLOWED: dict[int, tuple[int, ...]] = {
    1: (10, 20, 30, 11, 21, 31, 39),
    2: (10, 20, 30, 40, 50, 51, 39),
    3: (10, 20, 30, 40, 39),
    4: (10, 20, 30, 11, 21, 31, 40, 41, 42),
    5: (10, 20, 40, 41, 42, 43, 38, 39, 70, 90, 91),
    6: (10, 20, 30, 40, 41, 42, 43, 44, 70, 71, 72, 73, 74),
    7: (2, 10, 20, 30, 41, 42, 43, 50),
}
_ONCE: dict[int, tuple[int, ...]] = {
    1: (5, 10, 20, 11, 21),
    2: (5, 10, 20, 40, 50, 51),
    3: (5, 10, 20, 40),
    4: (5, 10, 20, 11, 21, 40, 41, 42),
    5: (5,),
    6: (5, 71),
    7: (5, 2, 10, 20),
}
_AT_MOST_ONCE: dict[int, tuple[int, ...]] = {
    1: (30, 31),
    2: (30,),
    3: (30,),
    4: (30, 31),
    5: (70,),
    6: (),
    7: (30, 41, 42, 43, 50),
}
_ONCE_IN_ALL = (8, 6, 62, 420, 210, 220, 230)
_TOP_CODE = 1072
_STRETCH = 4_000_000
_MOST_TAGS = 200_000
_FEWEST = 200
_INSERT = _KINDS[b"INSERT"]
_BAD_IN_NAMES = set(b'<>/\\":;?*=|`')


@dataclass(frozen=True)
class PlainInserts:
    """Placements of blocks: block names, handles, and at (k, 5) as x, y, x scale, y scale, degrees; the rest as in
    Bulk."""

    blocks: list[str]
    handles: list[str]
    at: FloatArray
    entity: IntArray
    layer: IntArray
    linetype: IntArray
    colour: IntArray


@dataclass(frozen=True)
class Bulk:
    """Curves and placements of the plain entities of the model or of one block, in the order of the file.

    entity: place of the entity in its section, by which they are merged with the rest (n,).  layer, linetype: names by
    number (n,),
    -1 where the entity names no line type.  colour: as `_colour_code` gives it (n,).
    """

    table: CurveTable
    ids: list[str]
    entity: IntArray
    layer: IntArray
    linetype: IntArray
    colour: IntArray
    inserts: PlainInserts
    kinds: Counter[str] = field(default_factory=Counter)


@dataclass(frozen=True)
class Columns:
    """What was read as columns: bulks by block name in lower case ("" for the model), the names they refer to, the rest
    of the file, and the place of each handle of the rest in its section."""

    bulks: dict[str, Bulk]
    names: tuple[str, ...]
    rest: bytes
    places: dict[str, int]


def polyline_pieces(
    x: FloatArray, y: FloatArray, bulge: FloatArray, owner: IntArray, closed: BoolArray
) -> tuple[Bytes, FloatArray, IntArray]:
    """The pieces of many polylines by their corners (n,): kinds and numbers as in a curve table, and the owner of each.

    bulge: of the piece that begins at the corner.  owner: the polyline each corner is of, the corners of one together.
    closed: whether that polyline closes. Pieces without a length are dropped.
    """
    last = np.append(owner[1:] != owner[:-1], True) if len(owner) else np.zeros(0, bool)
    first = np.flatnonzero(np.insert(last[:-1], 0, True)) if len(owner) else np.zeros(0, np.int64)
    following = np.arange(len(x)) + 1
    following[last] = first
    ahead = following % max(len(x), 1)
    there = (~last | closed) & ((x != x[ahead]) | (y != y[ahead]))
    i, j = np.flatnonzero(there), following[there]
    numbers = np.zeros((len(i), 7))
    numbers[:, 0], numbers[:, 1], numbers[:, 2], numbers[:, 3] = x[i], y[i], x[j], y[j]
    kind = np.full(len(i), LINE, np.uint8)
    for k in np.flatnonzero(bulge[i]).tolist():
        x0, y0, x1, y1 = numbers[k, :4].tolist()
        curve = arc_through_bulge((x0, y0), (x1, y1), float(bulge[i[k]]))
        if isinstance(curve, Arc):
            kind[k] = ARC
            numbers[k, :5] = (curve.cx, curve.cy, curve.radius, curve.start_angle, curve.sweep)
    return kind, numbers, owner[i]


class _Unusual(Exception):
    """The file is not laid out as expected; it takes the usual way."""


def read_columns(data: bytes) -> Columns | None:
    """The plain entities of an ASCII DXF as columns; None for a file that has few of them, or is not laid out as
    expected."""
    if b"\x00" in data[:4096] or data[:3] == b"\xef\xbb\xbf":
        return None
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", DeprecationWarning)
            return _Scan(data).columns()
    except (_Unusual, DeprecationWarning, ValueError, IndexError, OverflowError):
        return None


class _Scan:
    """A DXF as tags: code (n,), and where each value begins and ends."""

    def __init__(self, data: bytes) -> None:
        self.data = data
        self.bytes: Bytes = np.frombuffer(data, np.uint8)
        ends = self._line_ends()
        if len(ends) % 2:
            raise _Unusual
        starts = np.empty_like(ends)
        starts[0], starts[1:] = 0, ends[:-1] + 1
        self.line_start = starts[0::2].copy()
        self.start, self.stop = starts[1::2].copy(), ends[1::2].copy()
        code_end = ends[0::2] - (self.bytes[np.maximum(ends[0::2] - 1, 0)] == 13)
        self.end = self.stop - ((self.bytes[np.maximum(self.stop - 1, 0)] == 13) & (self.stop > self.start))
        self.code = self._codes(self.line_start, code_end)
        if (self.code == 999).any():
            raise _Unusual

    def _line_ends(self) -> IntArray:
        """Where lines end, found a stretch of the file at a time."""
        size = np.int32 if len(self.bytes) < 2**31 - 2 else np.int64
        parts = [
            (np.flatnonzero(self.bytes[at : at + _STRETCH] == 10) + at).astype(size)
            for at in range(0, len(self.bytes), _STRETCH)
        ]
        return np.concatenate(parts) if parts else np.zeros(0, size)

    def _codes(self, start: IntArray, end: IntArray) -> npt.NDArray[np.int32]:
        """Group codes: digits with blanks before them, and nothing else."""
        width = end - start
        if len(width) == 0 or width.min() < 1 or width.max() > 8:
            raise _Unusual
        out = np.zeros(len(start), np.int32)
        power, still = np.ones(len(start), np.int32), np.ones(len(start), bool)
        for k in range(int(width.max())):
            at = end - 1 - k
            inside = at >= start
            char = self.bytes[np.maximum(at, 0)]
            digit = (char >= 48) & (char <= 57)
            if (
                (inside & ~digit & (char != 32)).any()
                or (inside & digit & ~still).any()
                or (k == 0 and not digit.all())
            ):
                raise _Unusual
            still &= digit & inside
            out[still] += (char[still] - 48).astype(np.int32) * power[still]
            power *= 10
        return out

    def text(self, tag: int) -> bytes:
        return self.data[self.start[tag] : self.end[tag]]

    def texts(self, tags: IntArray) -> list[bytes]:
        data = self.data
        return [data[a:b] for a, b in zip(self.start[tags].tolist(), self.end[tags].tolist(), strict=True)]

    def floats(self, tags: IntArray) -> FloatArray:
        """The values of tags as numbers. Raises ValueError where one is none."""
        parts = [self._some_floats(tags[at : at + _MOST_TAGS]) for at in range(0, len(tags), _MOST_TAGS)]
        return np.concatenate(parts) if parts else np.zeros(0)

    def _some_floats(self, tags: IntArray) -> FloatArray:
        first, last = int(self.start[tags[0]]), int(self.stop[tags[-1]]) + 1
        edge = np.zeros(last - first + 1, np.int8)
        edge[self.start[tags] - first] = 1
        edge[self.stop[tags] + 1 - first] -= 1
        text = self.bytes[first:last][np.cumsum(edge[:-1], dtype=np.int8).view(bool)].tobytes()
        values = np.fromstring(text, float, sep=" ")
        if len(values) != len(tags) or not np.isfinite(values).all():
            raise ValueError("a value is no number")
        return values

    # entities -------------------------------------------------------------------

    def columns(self) -> Columns | None:
        heads = np.flatnonzero(self.code == 0)
        kinds = self.texts(heads)
        model, blocks, tables = self._sections(heads, kinds)
        number = np.zeros(len(heads), np.int8)
        owner = np.full(len(heads), -1, np.int32)
        names = [""]
        owner[model[0] : model[1]] = 0
        self._own_blocks(blocks, heads, kinds, owner, names)
        here = np.flatnonzero(owner >= 0)
        number[here] = [_KINDS.get(kinds[i], 0) for i in here.tolist()]
        if (number > 0).sum() < _FEWEST:
            return None
        of_tag = np.repeat(np.arange(len(heads)), np.diff(np.append(heads, len(self.code))))
        if heads[0] != 0:
            raise _Unusual
        entities = _Entities(self, heads, number, of_tag, self._tables(tables, heads, kinds))
        made = entities.made()
        handles = self._handles(here, of_tag)
        bulks = {name: bulk for n, name in enumerate(names) if (bulk := made.bulk(owner == n)) is not None}
        if not bulks:
            return None
        return Columns(
            bulks, tuple(name.decode("ascii") for name in entities.names), self._without(heads, entities.plain), handles
        )

    def _sections(
        self, heads: IntArray, kinds: list[bytes]
    ) -> tuple[tuple[int, int], tuple[int, int], tuple[int, int]]:
        """Where entities, blocks and tables begin and end, as numbers of heads."""
        found: dict[bytes, tuple[int, int]] = {}
        begin = None
        for i, kind in enumerate(kinds):
            if kind == b"SECTION":
                tag = int(heads[i]) + 1
                if begin is not None or self.code[tag] != 2 or self.text(tag) in found:
                    raise _Unusual
                begin, name = i + 1, self.text(tag)
            elif kind == b"ENDSEC":
                if begin is None:
                    raise _Unusual
                found[name] = (begin, i)
                begin = None
        if begin is not None or kinds[-1] != b"EOF" or b"ENTITIES" not in found or b"TABLES" not in found:
            raise _Unusual
        return found[b"ENTITIES"], found.get(b"BLOCKS", (0, 0)), found[b"TABLES"]

    def _own_blocks(
        self,
        blocks: tuple[int, int],
        heads: IntArray,
        kinds: list[bytes],
        owner: npt.NDArray[np.int32],
        names: list[str],
    ) -> None:
        """Number the entities of each block by the block; layouts are left to the usual way."""
        at = blocks[0]
        while at < blocks[1]:
            if kinds[at] != b"BLOCK":
                raise _Unusual
            last = kinds.index(b"ENDBLK", at)
            tags = np.arange(heads[at], heads[at + 1])
            named = tags[self.code[tags] == 2]
            if len(named) < 1 or last > blocks[1]:
                raise _Unusual
            name = self.text(int(named[0])).decode("ascii", "replace").lower()
            if "�" not in name and not name.startswith(("*paper", "*model", "$paper", "$model")) and name not in names:
                owner[at + 1 : last] = len(names)
                names.append(name)
            at = last + 1

    def _tables(self, tables: tuple[int, int], heads: IntArray, kinds: list[bytes]) -> tuple[set[bytes], set[bytes]]:
        """Names of layers and line types that the tables define."""
        layers: set[bytes] = {b"0"}
        linetypes: set[bytes] = {b"BYLAYER", b"BYBLOCK"}
        for i in range(*tables):
            if kinds[i] in (b"LAYER", b"LTYPE"):
                tags = np.arange(heads[i], heads[i + 1])
                for tag in tags[self.code[tags] == 2][:1].tolist():
                    (layers if kinds[i] == b"LAYER" else linetypes).add(self.text(tag))
        plain = {name for name in layers if name.isascii() and not _BAD_IN_NAMES & set(name)}
        return plain, {name for name in linetypes if name.isascii()} | {
            name.upper() for name in linetypes if name.isascii()
        }

    def _handles(self, here: IntArray, of_tag: IntArray) -> dict[str, int]:
        """Handles of all entities of the sections read, and their places. Raises where one is missing or comes
        twice."""
        wanted = np.zeros(int(of_tag[-1]) + 1, bool)
        wanted[here] = True
        tags = np.flatnonzero((self.code == 5) & wanted[of_tag])
        handles = [h.decode("ascii") for h in self.texts(tags)]
        if len(set(handles)) != len(handles):
            raise _Unusual
        return dict(zip(handles, of_tag[tags].tolist(), strict=True))

    def _without(self, heads: IntArray, plain: BoolArray) -> bytes:
        """The file without the plain entities."""
        begin = np.append(self.line_start[heads], len(self.bytes))
        turn = np.flatnonzero(np.diff(np.concatenate([[True], plain, [True]])))
        edges = begin[turn].tolist()
        view = memoryview(self.data)
        return b"".join(view[a:b] for a, b in zip(edges[0::2], edges[1::2], strict=True))


@dataclass(frozen=True)
class _Made:
    """Curves of all plain entities, with the entity each is of."""

    table: CurveTable
    entity: IntArray
    part: IntArray
    parts: IntArray
    handles: dict[int, str]
    layer: IntArray
    linetype: IntArray
    colour: IntArray
    number: npt.NDArray[np.int8]
    plain: BoolArray
    placed: dict[int, tuple[str, list[float]]]

    def bulk(self, owned: BoolArray) -> Bulk | None:
        rows = np.flatnonzero(owned[self.entity])
        inserts = self._inserts(np.flatnonzero(owned & self.plain & (self.number == _INSERT)))
        if not len(rows) and not inserts.blocks:
            return None
        entity = self.entity[rows]
        columns = (entity.tolist(), self.part[rows].tolist(), self.parts[rows].tolist())
        ids = [self.handles[e] if n == 1 else f"{self.handles[e]}.{k + 1}" for e, k, n in zip(*columns, strict=True)]
        kinds = np.bincount(self.number[owned & self.plain], minlength=8)
        counted = Counter({name: int(kinds[n]) for n, name in _NAMES.items() if kinds[n]})
        return Bulk(
            self.table.take(rows),
            ids,
            entity,
            self.layer[entity],
            self.linetype[entity],
            self.colour[entity],
            inserts,
            counted,
        )

    def _inserts(self, entity: IntArray) -> PlainInserts:
        placed = [self.placed[e] for e in entity.tolist()]
        at = np.array([numbers for _, numbers in placed], float).reshape(-1, 5)
        handles = [self.handles[e] for e in entity.tolist()]
        return PlainInserts(
            [name for name, _ in placed],
            handles,
            at,
            entity,
            self.layer[entity],
            self.linetype[entity],
            self.colour[entity],
        )


class _Entities:
    """The entities of known kinds: which of them are plain, and the curves of those."""

    def __init__(
        self,
        scan: _Scan,
        heads: IntArray,
        number: npt.NDArray[np.int8],
        of_tag: IntArray,
        tables: tuple[set[bytes], set[bytes]],
    ) -> None:
        self.scan, self.heads, self.number, self.of_tag = scan, heads, number, of_tag
        self.count = len(heads)
        self.plain: BoolArray = number > 0
        self.code = scan.code
        self.names: list[bytes] = []
        self._check_codes()
        known = self.plain[of_tag]
        numeric = known & np.isin(
            self.code, [10, 20, 30, 11, 21, 31, 40, 41, 42, 50, 51, 62, 70, 71, 210, 220, 230, 420]
        )
        self.value: FloatArray = np.full(len(self.code), np.nan)
        tags = np.flatnonzero(numeric)
        self.value[tags] = scan.floats(tags)
        self._check_values()
        self._read_attributes(*tables)

    def _check_codes(self) -> None:
        """An entity is plain whose codes are all known, and come as often as they should."""
        allowed = np.zeros((8, _TOP_CODE), bool)
        for kind, codes in _ALLOWED.items():
            allowed[kind, list(_COMMON + codes)] = True
            allowed[kind, 1000:] = True
        fits = allowed[self.number[self.of_tag], np.minimum(self.code, _TOP_CODE - 1)]
        self.plain &= np.logical_and.reduceat(fits, self.heads)
        for code in sorted({c for codes in (*_ONCE.values(), *_AT_MOST_ONCE.values(), _ONCE_IN_ALL) for c in codes}):
            times = np.bincount(self.of_tag[self.code == code], minlength=self.count)
            for kind in _ALLOWED:
                mine = self.number == kind
                if code in _ONCE[kind]:
                    self.plain &= ~mine | (times == 1)
                elif code in _AT_MOST_ONCE[kind] or code in _ONCE_IN_ALL:
                    self.plain &= ~mine | (times <= 1)

    def _refuse(self, tags: BoolArray | IntArray) -> None:
        """The entities of these tags are not plain."""
        self.plain[self.of_tag[tags]] = False

    def _check_values(self) -> None:
        code, value = self.code, self.value
        self._refuse(((code == 210) | (code == 220)) & (np.nan_to_num(value) != 0.0))
        self._refuse((code == 230) & (np.nan_to_num(value, nan=1.0) != 1.0))
        self._refuse((code == 62) & ~np.isnan(value) & ((value < 0) | (value > 256)))
        self._refuse((code == 420) & ~np.isnan(value) & ((value < 0) | (value > 0xFFFFFF)))

    def _read_attributes(self, layers: set[bytes], linetypes: set[bytes]) -> None:
        """Layer, line type and colour of each entity; entities that name what the tables do not define are not
        plain."""
        number_of: dict[bytes, int] = {}
        self.layer = self._named(8, layers, b"0", number_of)
        self.linetype = self._named(6, linetypes, None, number_of)
        self.names = list(number_of)
        self.colour = np.full(self.count, -1, np.int64)
        tags = np.flatnonzero((self.code == 62) & self.plain[self.of_tag])
        index = self.value[tags].astype(np.int64)
        self.colour[self.of_tag[tags]] = np.where(index == 256, -1, np.where(index == 0, -2, index))
        tags = np.flatnonzero((self.code == 420) & self.plain[self.of_tag])
        self.colour[self.of_tag[tags]] = (1 << 24) + self.value[tags].astype(np.int64)

    def _named(self, code: int, known: set[bytes], default: bytes | None, number_of: dict[bytes, int]) -> IntArray:
        out = np.full(self.count, -1 if default is None else number_of.setdefault(default, len(number_of)), np.int64)
        tags = np.flatnonzero((self.code == code) & self.plain[self.of_tag])
        names = self.scan.texts(tags)
        places = {name: number_of.setdefault(name, len(number_of)) if name in known else -2 for name in set(names)}
        numbers = np.array([places[name] for name in names], np.int64)
        out[self.of_tag[tags]] = numbers
        self._refuse(tags[numbers == -2])
        return out

    # curves ---------------------------------------------------------------------

    def _rows(self, kind: int) -> IntArray:
        return np.flatnonzero(self.plain & (self.number == kind))

    def _of(self, rows: IntArray, *codes: int) -> FloatArray:
        """Values (k, codes) of entities that have each of these codes once at most; 0 where one is missing."""
        place = np.full(self.count, -1)
        place[rows] = np.arange(len(rows))
        out = np.zeros((len(rows), len(codes)))
        for n, code in enumerate(codes):
            tags = np.flatnonzero((self.code == code) & (place[self.of_tag] >= 0))
            out[place[self.of_tag[tags]], n] = self.value[tags]
        return out

    def made(self) -> _Made:
        """The curves of all plain entities, in the order of the file."""
        kinds: list[npt.NDArray[np.uint8]] = []
        data: list[FloatArray] = []
        entity: list[IntArray] = []
        splines: list[Spline] = []
        for maker in (self._lines, self._arcs, self._circles, self._ellipses, self._polylines):
            kind, numbers, rows = maker()
            kinds.append(np.broadcast_to(np.asarray(kind, np.uint8), (len(rows),)))
            data.append(numbers)
            entity.append(rows)
        rows, splines = self._splines()
        numbers = np.zeros((len(rows), 7))
        numbers[:, 0] = np.arange(len(rows))
        kinds.append(np.full(len(rows), SPLINE, np.uint8))
        data.append(numbers)
        entity.append(rows)
        placed = self._inserts()
        whole = np.concatenate(entity)
        order = np.argsort(whole, kind="stable")
        table = CurveTable(np.concatenate(kinds), np.concatenate(data), tuple(splines)).take(order)
        of = whole[order]
        many = np.bincount(of, minlength=self.count)
        first = np.cumsum(many) - many
        tags = np.flatnonzero((self.code == 5) & self.plain[self.of_tag])
        handles = dict(zip(self.of_tag[tags].tolist(), [h.decode("ascii") for h in self.scan.texts(tags)], strict=True))
        part = np.arange(len(of)) - first[of]
        return _Made(
            table, of, part, many[of], handles, self.layer, self.linetype, self.colour, self.number, self.plain, placed
        )

    def _inserts(self) -> dict[int, tuple[str, list[float]]]:
        """The block's name and x, y, scales and degrees of each plain placement."""
        rows = self._rows(_INSERT)
        tags = np.flatnonzero((self.code == 2) & (self.plain & (self.number == _INSERT))[self.of_tag])
        names = self.scan.texts(tags)
        known = np.array([name.isascii() and not _BAD_IN_NAMES & set(name) for name in names], bool)
        self.plain[rows[~known]] = False
        at = self._of(rows, 10, 20, 41, 42, 50)
        for n, code in ((2, 41), (3, 42)):
            at[np.bincount(self.of_tag[self.code == code], minlength=self.count)[rows] == 0, n] = 1.0
        each = zip(rows.tolist(), names, at.tolist(), known.tolist(), strict=True)
        return {row: (name.decode("ascii"), numbers) for row, name, numbers, fine in each if fine}

    def _lines(self) -> tuple[int, FloatArray, IntArray]:
        rows = self._rows(1)
        v = self._of(rows, 10, 20, 11, 21, 30, 31)
        rise, run = np.abs(v[:, 4] - v[:, 5]), np.abs(v[:, 2] - v[:, 0]) + np.abs(v[:, 3] - v[:, 1])
        flat = (v[:, 4] == v[:, 5]) | (rise <= HAIR * run)
        self.plain[rows[~flat]] = False
        return LINE, np.column_stack([v[flat, :4], np.zeros((int(flat.sum()), 3))]), rows[flat]

    def _arcs(self) -> tuple[int, FloatArray, IntArray]:
        rows = self._rows(2)
        v = self._of(rows, 10, 20, 40, 50, 51)
        fine = v[:, 2] != 0.0
        self.plain[rows[~fine]] = False
        v, rows = v[fine], rows[fine]
        sweep = np.radians(np.mod(v[:, 4] - v[:, 3], 360.0))
        sweep = np.where(sweep == 0.0, TURN, sweep)
        return (
            ARC,
            np.column_stack([v[:, 0], v[:, 1], np.abs(v[:, 2]), np.radians(v[:, 3]), sweep, np.zeros((len(rows), 2))]),
            rows,
        )

    def _circles(self) -> tuple[int, FloatArray, IntArray]:
        rows = self._rows(3)
        v = self._of(rows, 10, 20, 40)
        fine = v[:, 2] != 0.0
        self.plain[rows[~fine]] = False
        v, rows = v[fine], rows[fine]
        nought = np.zeros(len(rows))
        return ARC, np.column_stack([v[:, 0], v[:, 1], np.abs(v[:, 2]), nought, nought + TURN, nought, nought]), rows

    def _ellipses(self) -> tuple[int, FloatArray, IntArray]:
        rows = self._rows(4)
        v = self._of(rows, 10, 20, 11, 21, 40, 41, 42, 31)
        fine = (v[:, 7] == 0.0) & (v[:, 4] > 1e-6) & (v[:, 4] <= 1.0) & (np.abs(v[:, 2]) + np.abs(v[:, 3]) > 1e-9)
        self.plain[rows[~fine]] = False
        v, rows = v[fine], rows[fine]
        sweep = np.mod(v[:, 6] - v[:, 5], TURN)
        sweep = np.where((sweep == 0.0) | (TURN - sweep < ANGLE_TOL), TURN, sweep)
        return ELLIPSE, np.column_stack([v[:, :6], sweep]), rows

    def _polylines(self) -> tuple[Bytes, FloatArray, IntArray]:
        code = self.code
        mine = (self.plain & (self.number == 5))[self.of_tag]
        corner = np.flatnonzero(mine & (code == 10))
        ups = np.flatnonzero(mine & (code == 20))
        if len(ups) != len(corner) or not np.array_equal(ups, corner + 1):
            self._refuse(np.union1d(corner[code[corner + 1] != 20], ups[code[ups - 1] != 10]))
            return self._polylines()
        owner = self.of_tag[corner]
        bulges = np.flatnonzero(mine & (code == 42))
        at = np.searchsorted(corner, bulges) - 1
        stray = (at < 0) | (owner[np.maximum(at, 0)] != self.of_tag[bulges]) if len(bulges) else np.zeros(0, bool)
        if stray.any():
            self._refuse(bulges[stray])
            return self._polylines()
        x, y, bulge = self.value[corner], self.value[corner + 1], np.zeros(len(corner))
        bulge[at] = self.value[bulges]
        flags = np.zeros(self.count, np.int64)
        tags = np.flatnonzero(mine & (code == 70))
        flags[self.of_tag[tags]] = self.value[tags].astype(np.int64)
        kind, numbers, of = polyline_pieces(x, y, bulge, owner, (flags[owner] & 1) == 1)
        self.plain[np.setdiff1d(self._rows(5), of)] = False
        return kind, numbers, of

    def _splines(self) -> tuple[IntArray, list[Spline]]:
        rows = self._rows(6)
        ends = np.append(self.heads, len(self.code))
        kept, out = [], []
        for row in rows.tolist():
            part = slice(ends[row], ends[row + 1])
            code, value = self.code[part], self.value[part]
            x, y, z = (value[code == c] for c in (10, 20, 30))
            weights = value[code == 41]
            made = None
            if len(x) and len(x) == len(y) and len(z) in (0, len(x)) and not (len(z) and np.ptp(z)):
                try:
                    made = Spline.of(
                        int(value[code == 71][0]),
                        value[code == 40],
                        np.column_stack([x, y]),
                        weights if len(weights) else None,
                    )
                except ValueError:
                    made = None
            if made is None or bool(int(value[code == 70][0] if (code == 70).any() else 0) & 1) != made.meets_itself:
                self.plain[row] = False  # what it says of itself is not what it is: the whole entity is wanted
                continue
            kept.append(row)
            out.append(made)
        return np.array(kept, np.int64), out
