"""The plain entities of a DWG as columns of numbers, as `dxf_columns.py` has those of a DXF, so that a hundred thousand
of them take little longer than decoding them. Nothing of the decoder's is kept: as many objects held would take as
long to be looked through for rubbish as all the rest."""

from __future__ import annotations

from array import array
from collections import Counter
from typing import Any

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, LINE, IntArray
from tectogon.formats.dxf_columns import Bulk, Bytes, PlainInserts, polyline_pieces

_UPRIGHT = (0.0, 0.0, 1.0)
_INSERT = 4
_NAMES = ("LINE", "ARC", "CIRCLE", "LWPOLYLINE", "INSERT")


class PlainEntities:
    """Plain entities of the model or of a block on their way into columns. Each is numbered as it comes; the numbers of
    a kind go behind each other: `numbers` of lines, arcs (center, radius, angles), circles, corners of polylines (x, y,
    bulge) and placements (x, y, scales, degrees)."""

    def __init__(self) -> None:
        self.numbers = [array("d") for _ in _NAMES]
        self.rows = [array("q") for _ in _NAMES]
        self.handle = array("q")
        self.layer = array("q")
        self.colour = array("q")
        self.corners = array("q")
        self.closed = bytearray()
        self.blocks: list[str] = []

    def takes(self, kind: str, handle: int, d: dict[str, Any]) -> bool:
        """Whether an entity of the decoder is plain; its numbers are then taken."""
        take = _TAKERS.get(kind)
        if take is None or d.get("invisible") or d.get("linetype", "BYLAYER") != "BYLAYER":
            return False
        facing = d.get("extrusion")
        if (facing and tuple(facing) != _UPRIGHT) or not take(self, d):
            return False
        self.handle.append(handle)
        self.layer.append(d.get("layer_handle", -1))
        self.colour.append(_colour(d.get("true_color"), d.get("color_index")))
        return True

    def _line(self, d: dict[str, Any]) -> bool:
        (ax, ay, az), (bx, by, bz) = d["start"], d["end"]
        if az != bz:
            return False
        self.numbers[0].extend((ax, ay, bx, by))
        self.rows[0].append(len(self.handle))
        return True

    def _arc(self, d: dict[str, Any]) -> bool:
        radius = d["radius"]
        if radius == 0.0:
            return False
        x, y, _ = d["center"]
        self.numbers[1].extend((x, y, radius, d["start_angle"], d["end_angle"]))
        self.rows[1].append(len(self.handle))
        return True

    def _circle(self, d: dict[str, Any]) -> bool:
        radius = d["radius"]
        if radius == 0.0:
            return False
        x, y, _ = d["center"]
        self.numbers[2].extend((x, y, radius))
        self.rows[2].append(len(self.handle))
        return True

    def _polyline(self, d: dict[str, Any]) -> bool:
        points = d["points"]
        if not any(p[:2] != points[0][:2] for p in points):
            return False
        bulges = list(d.get("bulges") or ())
        bulges += [0.0] * (len(points) - len(bulges))
        for p, bulge in zip(points, bulges, strict=False):
            self.numbers[3].extend((p[0], p[1], bulge))
        self.corners.append(len(points))
        self.closed.append(bool(d.get("closed")))
        self.rows[3].append(len(self.handle))
        return True

    def _placement(self, d: dict[str, Any]) -> bool:
        if not d.get("name"):
            return False
        x, y = d["insert"][:2]
        self.numbers[_INSERT].extend((x, y, d.get("xscale", 1.0), d.get("yscale", 1.0), d.get("rotation", 0.0)))
        self.rows[_INSERT].append(len(self.handle))
        self.blocks.append(d["name"])
        return True

    def bulk(self, layers: dict[int, str], number: dict[str, int]) -> Bulk:
        """All as columns, in the file's order. `layers`: names by handle; `number`: numbers given to the names so
        far, added to."""
        handle = np.array(self.handle, np.int64)
        layer, colour = self._layers(layers, number), np.array(self.colour, np.int64)
        by_layer = np.full(len(handle), -1, np.int64)
        made = (self._lines(), self._arcs(), self._circles(), self._polylines())
        of = np.concatenate([rows for _, _, rows in made])
        order = np.argsort(handle[of], kind="stable")
        of = of[order]
        table = CurveTable(np.concatenate([k for k, _, _ in made]), np.concatenate([n for _, n, _ in made]), ())
        at = np.array(self.rows[_INSERT], np.int64)
        by_handle = np.argsort(handle[at], kind="stable")
        at = at[by_handle]
        placed = PlainInserts(
            [self.blocks[i] for i in by_handle.tolist()],
            [f"{h:X}" for h in handle[at].tolist()],
            _columns(self.numbers[_INSERT], 5)[by_handle],
            handle[at],
            layer[at],
            by_layer[at],
            colour[at],
        )
        kinds = Counter({name: len(rows) for name, rows in zip(_NAMES, self.rows, strict=True) if rows})
        return Bulk(table.take(order), _ids(handle[of]), handle[of], layer[of], by_layer[of], colour[of], placed, kinds)

    def _layers(self, layers: dict[int, str], number: dict[str, int]) -> IntArray:
        names = {handle: layers.get(handle, "0") for handle in dict.fromkeys(self.layer)}
        numbers = {handle: number.setdefault(name, len(number)) for handle, name in names.items()}
        return np.array([numbers[handle] for handle in self.layer], np.int64)

    # curves: kinds, numbers and the entity of each ---------------------------------

    def _lines(self) -> tuple[Bytes, FloatArray, IntArray]:
        rows = np.array(self.rows[0], np.int64)
        ends = _columns(self.numbers[0], 4)
        return np.full(len(rows), LINE, np.uint8), np.column_stack([ends, np.zeros((len(rows), 3))]), rows

    def _arcs(self) -> tuple[Bytes, FloatArray, IntArray]:
        rows = np.array(self.rows[1], np.int64)
        x, y, radius, start, end = _columns(self.numbers[1], 5).T
        sweep = np.radians(np.mod(end - start, 360.0))
        sweep = np.where(sweep == 0.0, TURN, sweep)
        none = np.zeros(len(rows))
        return (
            np.full(len(rows), ARC, np.uint8),
            np.column_stack([x, y, np.abs(radius), np.radians(start), sweep, none, none]),
            rows,
        )

    def _circles(self) -> tuple[Bytes, FloatArray, IntArray]:
        rows = np.array(self.rows[2], np.int64)
        x, y, radius = _columns(self.numbers[2], 3).T
        none = np.zeros(len(rows))
        return (
            np.full(len(rows), ARC, np.uint8),
            np.column_stack([x, y, np.abs(radius), none, none + TURN, none, none]),
            rows,
        )

    def _polylines(self) -> tuple[Bytes, FloatArray, IntArray]:
        x, y, bulge = _columns(self.numbers[3], 3).T
        owner = np.repeat(np.array(self.rows[3], np.int64), np.array(self.corners, np.int64))
        closed = np.repeat(np.frombuffer(bytes(self.closed), np.uint8) == 1, np.array(self.corners, np.int64))
        return polyline_pieces(x, y, bulge, owner, closed)


_TAKERS = {
    "LINE": PlainEntities._line,
    "ARC": PlainEntities._arc,
    "CIRCLE": PlainEntities._circle,
    "LWPOLYLINE": PlainEntities._polyline,
    "INSERT": PlainEntities._placement,
}


def _columns(numbers: array[float], width: int) -> FloatArray:
    return np.frombuffer(numbers.tobytes(), float).reshape(-1, width)


def _ids(handles: IntArray) -> list[str]:
    """A name for each curve by the handle of its entity, those of one entity numbered from 1."""
    if not len(handles):
        return []
    begins = np.flatnonzero(np.append(True, handles[1:] != handles[:-1]))
    counts = np.diff(np.append(begins, len(handles)))
    out: list[str] = []
    for handle, count in zip(handles[begins].tolist(), counts.tolist(), strict=True):
        name = f"{handle:X}"
        out += [name] if count == 1 else [f"{name}.{k}" for k in range(1, count + 1)]
    return out


def _colour(true: int | None, index: int | None) -> int:
    """A colour as `dxf_columns.Bulk` has it."""
    if true is not None:
        return (1 << 24) + (int(true) & 0xFFFFFF)
    if index is None or index == 256:
        return -1
    return abs(int(index)) or -2
