"""The value classes of a drawing. Everything here is immutable; lengths are in millimetres."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise

import numpy as np
import shapely

from tectogon.curves import CurveTable, affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import EMPTY, BoolArray, IntArray
from tectogon.errors import Note
from tectogon.tolerances import LEAST_SIZE

_HATCHED_CHORD = 1e-3
"""How finely curves are followed to tell what a hatched area lies between, as a share of the drawing."""


@dataclass(frozen=True)
class LineType:
    """A line type: its name and its dash pattern in mm of paper; positive a dash, negative a gap, 0 a dot. Empty is
    continuous."""

    name: str
    pattern: tuple[float, ...] = ()

    @property
    def is_guide(self) -> bool:
        """Centre lines and phantom lines, by the trade's name or by a long-dash-dot pattern."""
        name = self.name.upper()
        if any(
            word in name for word in ("CENTER", "CENTRE", "PHANTOM", "DASHDOT", "DIVIDE", "AXIS", "MITTEL", "CHAIN")
        ):
            return True
        dashes = [p for p in self.pattern if p >= 0]
        return len(dashes) >= 2 and min(dashes) < 0.35 * max(dashes)

    @property
    def is_hidden(self) -> bool:
        """Dashed lines: edges that lie behind something."""
        name = self.name.upper()
        if any(word in name for word in ("HIDDEN", "DASHED", "VERDECKT")):
            return True
        return len(self.pattern) > 0 and not self.is_guide


@dataclass(frozen=True)
class Layer:
    """A layer: name, line type, colour "#rrggbb", and whether the file shows it."""

    name: str
    linetype: str = "CONTINUOUS"
    colour: str = "#000000"
    on: bool = True


@dataclass(frozen=True)
class StatedSize:
    """A dimension of the drawing: what it says, what it measures as drawn (mm), and the number it states, in file
    units."""

    text: str
    drawn_mm: float | None
    stated: float | None
    points: tuple[tuple[float, float], ...] = ()


_SIGN_WIDTH = 0.8
"""How wide a sign is about, as a share of the text's height."""


@dataclass(frozen=True)
class Written:
    """Text on the sheet: the words, where they begin (mm), how high they are (mm), and their angle in degrees."""

    text: str
    at: tuple[float, float]
    height: float
    angle: float = 0.0
    layer: str = "0"

    @property
    def box(self) -> tuple[float, float, float, float]:
        """The box (x0, y0, x1, y1) that it fills about, turned as it stands."""
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        width = _SIGN_WIDTH * self.height * len(self.text.strip())
        corners = [
            (self.at[0] + a * width * c - b * self.height * s, self.at[1] + a * width * s + b * self.height * c)
            for a in (0, 1)
            for b in (0, 1)
        ]
        xs, ys = zip(*corners, strict=True)
        return min(xs), min(ys), max(xs), max(ys)

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of its box."""
        x0, y0, x1, y1 = self.box
        return (x0 + x1) / 2.0, (y0 + y1) / 2.0


@dataclass(frozen=True, eq=False)
class Picture:
    """A picture that lies under the linework: PNG or JPEG bytes, and the map (2, 3) from its unit square, origin lower
    left, to the sheet (mm)."""

    name: str
    data: bytes
    matrix: FloatArray
    pixels: tuple[int, int]
    """Width and height of the whole picture, which the bytes may show made smaller."""


@dataclass(frozen=True)
class Mark:
    """What a file says of a single curve, by its id, that its shape on the sheet does not show. size in mm.

    off_plane: it rises by `size` out of the sheet's plane and is shown as seen from the top.
    closed_flag: it is marked as closed and its ends are `size` apart.  open_flag: its ends are one and it is not marked
    as closed.
    """

    curve: str
    kind: str
    size: float = 0.0


_OUTLINES_DASHED = 0.85
"""Where so much of the length is dashed, dashes are how a drawing draws its outlines; in a view with many hidden edges
more than half may be."""


def _no_rows() -> IntArray:
    return np.zeros(0, np.int64)


@dataclass(frozen=True, eq=False)
class Linework:
    """The curves of a drawing and what stands beside them. One row a curve in every column."""

    table: CurveTable = EMPTY
    ids: tuple[str, ...] = ()
    layer_of: IntArray = field(default_factory=_no_rows)
    linetype_of: IntArray = field(default_factory=_no_rows)
    colour_of: IntArray = field(default_factory=_no_rows)
    layers: tuple[Layer, ...] = ()
    linetypes: tuple[LineType, ...] = ()
    colours: tuple[str, ...] = ()
    blocks: tuple[str, ...] = ()
    texts: tuple[Written, ...] = ()
    stated: tuple[StatedSize, ...] = ()
    entities: tuple[tuple[str, int], ...] = ()
    skipped: tuple[tuple[str, int], ...] = ()
    notes: tuple[Note, ...] = ()
    in_block: IntArray = field(default_factory=_no_rows)
    """The block whose placement each curve came with, as a number into `blocks`, -1 for none; empty where the format
    has no blocks."""
    pictures: tuple[Picture, ...] = ()
    marks: tuple[Mark, ...] = ()
    hatched: tuple[tuple[FloatArray, ...], ...] = ()
    """What the file hatches, each by its outlines (n, 2), mm; what an odd number of them holds is hatched."""

    def __len__(self) -> int:
        return len(self.table)

    @cached_property
    def block_of(self) -> IntArray:
        """`in_block`, with -1 throughout where the format has no blocks."""
        return self.in_block if len(self.in_block) == len(self) else np.full(len(self), -1, np.int64)

    @property
    def extents(self) -> FloatArray:
        """xmin, ymin, xmax, ymax of all curves, mm."""
        return self.table.extents

    @property
    def size(self) -> float:
        """The longer side of the extents (mm); 0 for an empty drawing."""
        return self.table.size

    @cached_property
    def row_of(self) -> dict[str, int]:
        """The row of each curve, by id."""
        return {key: row for row, key in enumerate(self.ids)}

    @cached_property
    def is_guide(self) -> BoolArray:
        """Which curves are drawn as centre lines."""
        return self._by_linetype([lt.is_guide for lt in self.linetypes])

    @cached_property
    def is_hidden(self) -> BoolArray:
        """Which curves are drawn dashed."""
        return self._by_linetype([lt.is_hidden for lt in self.linetypes])

    def behind(self, among: BoolArray) -> BoolArray:
        """Which of some curves are drawn dashed because they lie behind others; none where nearly all of their length
        is dashed."""
        dashed = among & self.is_hidden
        if not dashed.any():
            return dashed
        lengths = self.table.lengths
        return dashed if lengths[dashed].sum() < _OUTLINES_DASHED * lengths[among].sum() else np.zeros(len(self), bool)

    def _by_linetype(self, flags: list[bool]) -> BoolArray:
        return np.array(flags, bool)[self.linetype_of] if flags else np.zeros(len(self), bool)

    def take(self, rows: IntArray | BoolArray) -> Linework:
        """The curves asked for; layers, texts and the rest stay as they are."""
        picked = np.flatnonzero(rows) if rows.dtype == bool else rows
        return replace(
            self,
            table=self.table.take(picked),
            ids=tuple(map(self.ids.__getitem__, picked.tolist())),
            layer_of=self.layer_of[picked],
            linetype_of=self.linetype_of[picked],
            colour_of=self.colour_of[picked],
            in_block=self.block_of[picked],
        )

    @staticmethod
    def beside(first: Linework, second: Linework) -> Linework:
        """Two drawings on one sheet, the second's layers, line types, colours and blocks kept apart."""
        if not len(first) and not first.pictures:
            return second
        return Linework(
            table=CurveTable.join([first.table, second.table]),
            ids=first.ids + second.ids,
            layer_of=np.concatenate([first.layer_of, second.layer_of + len(first.layers)]),
            linetype_of=np.concatenate([first.linetype_of, second.linetype_of + len(first.linetypes)]),
            colour_of=np.concatenate([first.colour_of, second.colour_of + len(first.colours)]),
            in_block=np.concatenate(
                [first.block_of, np.where(second.block_of < 0, -1, second.block_of + len(first.blocks))]
            ),
            layers=first.layers + second.layers,
            linetypes=first.linetypes + second.linetypes,
            colours=first.colours + second.colours,
            blocks=first.blocks + second.blocks,
            texts=first.texts + second.texts,
            stated=first.stated + second.stated,
            entities=_counted(first.entities, second.entities),
            skipped=_counted(first.skipped, second.skipped),
            notes=first.notes + second.notes,
            pictures=first.pictures + second.pictures,
            marks=first.marks + second.marks,
            hatched=first.hatched + second.hatched,
        )

    def transformed(self, matrix: FloatArray, rows: BoolArray | None = None) -> Linework:
        """The drawing under an affine map (2, 3), or only some of its curves, and what is hatched between them; with
        all of them go texts, sizes and pictures."""
        if rows is not None and not rows.all():
            moved, stay = self.table.take(rows).transformed(matrix), self.table.take(~rows)
            back = np.argsort(np.concatenate([np.flatnonzero(rows), np.flatnonzero(~rows)]))
            goes = self._goes_with(rows)
            hatched = tuple(
                tuple(affine.apply(matrix, ring) for ring in rings) if along else rings
                for rings, along in zip(self.hatched, goes, strict=True)
            )
            return replace(self, table=CurveTable.join([moved, stay]).take(back), hatched=hatched)
        factor, turn = affine.scale_of(matrix), float(np.degrees(np.arctan2(matrix[1, 0], matrix[0, 0])))

        def at(point: tuple[float, float]) -> tuple[float, float]:
            x, y = affine.apply(matrix, np.array(point)).tolist()
            return (x, y)

        return replace(
            self,
            table=self.table.transformed(matrix),
            texts=tuple(replace(t, at=at(t.at), height=t.height * factor, angle=t.angle + turn) for t in self.texts),
            stated=tuple(
                replace(
                    s,
                    drawn_mm=None if s.drawn_mm is None else s.drawn_mm * factor,
                    points=tuple(at(p) for p in s.points),
                )
                for s in self.stated
            ),
            pictures=tuple(replace(p, matrix=affine.after(matrix, p.matrix)) for p in self.pictures),
            marks=tuple(replace(m, size=m.size * factor) for m in self.marks),
            hatched=tuple(tuple(affine.apply(matrix, ring) for ring in rings) for rings in self.hatched),
        )

    def _goes_with(self, rows: BoolArray) -> list[bool]:
        """For each hatched area, whether most of its boundary lies on some curves (n,) rather than on the others."""
        if not self.hatched:
            return []
        flat, offsets = self.table.flatten(_HATCHED_CHORD * max(self.size, LEAST_SIZE))
        lines = [shapely.LineString(flat[a:b]) for a, b in pairwise(offsets.tolist())]
        tree = shapely.STRtree(lines)
        out = []
        for rings in self.hatched:
            asked = shapely.points(np.concatenate([*rings, *((ring + np.roll(ring, -1, 0)) / 2.0 for ring in rings)]))
            _, nearest = tree.query_nearest(asked, all_matches=False)
            out.append(2 * int(rows[nearest].sum()) > len(nearest))
        return out

    def scaled(self, factor: float) -> Linework:
        """The same drawing with every length times `factor`: how file units become millimetres."""
        return self if factor == 1.0 else self.transformed(affine.scaled(factor))


def _counted(first: tuple[tuple[str, int], ...], second: tuple[tuple[str, int], ...]) -> tuple[tuple[str, int], ...]:
    return tuple(sorted((Counter(dict(first)) + Counter(dict(second))).items()))
