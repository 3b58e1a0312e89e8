"""Which group of lines is which view: every reading that the sheet allows is weighed, and the best is taken.

Glossary
    reading: which group is the front view, which views the others are, and the angle of projection.

What decides is whether views give the part the same size and the same coordinates along the directions that they share.
Where they stand on the sheet is a hint: people move views. Titles under views count where there are any.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import ARC, BoolArray, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE, SEEN_LOOSE
from tectogon.views.align import best_shift, coordinates, nearest_to
from tectogon.views.projection import Votes, stated_angle, votes
from tectogon.views.view import Box

_SAME_SIZE = 0.01
"""Two views show one size where theirs differ by no more than this share."""
_ROUGHLY = 0.06
"""In line by place alone: both ends within this share of the size."""
_OVERLAP = 0.4
"""Views stand above or beside each other where they overlap by so much of the smaller one."""
_SIDES = {"up": ("top", "bottom"), "down": ("bottom", "top"), "right": ("right", "left"), "left": ("left", "right")}
"""What a view at this place shows in third angle, and in first."""
_TITLES = {
    "front": r"front|vorne|vorderansicht",
    "top": r"top|plan|draufsicht",
    "bottom": r"bottom|underneath",
    "right": r"right(\s*side)?|rh\s*side",
    "left": r"left(\s*side)?|lh\s*side",
    "rear": r"rear|back",
}
_TITLE = {
    name: re.compile(rf"^\W*(?:{words})\W*(?:view|elevation|side)?\W*$", re.IGNORECASE)
    for name, words in _TITLES.items()
}
_UNTOLD = "no edge tells it"


@dataclass
class Reading:
    """One way to read the sheet: what each group is, and how well it fits."""

    front: int
    score: float = 0.0
    places: dict[int, str] = field(default_factory=dict)
    """Where a view stands as seen from the front view: up, down, right, left, or one of the sides where its place says
    nothing."""
    rear: list[int] = field(default_factory=list)

    def names(self, count: int, angle: str) -> list[str]:
        """A name for each group in an angle of projection."""
        out = ["none"] * count
        out[self.front] = "front"
        for n, place in self.places.items():
            name = _SIDES[place][angle == "first"] if place in _SIDES else place
            if name not in out:
                out[n] = name
        for n in self.rear:
            if "rear" not in out:
                out[n] = "rear"
        return out


@dataclass(frozen=True)
class Named:
    """The names of groups as they were read, the angle ("unknown" where nothing tells it), why, and whether more than
    where the views stand tells it."""

    names: list[str]
    projection: str
    why: str
    told: bool = True
    score: float = 0.0


class GroupsOnSheet:
    """The groups of a sheet, as readings need them. hidden: which rows of the table are dashed.  sections: the numbers
    of those that a title calls a section."""

    def __init__(
        self,
        linework: Linework,
        table: CurveTable,
        hidden: BoolArray,
        groups: Sequence[IntArray],
        boxes: Sequence[Box],
        *,
        sections: AbstractSet[int] = frozenset(),
    ) -> None:
        self.linework, self.table, self.hidden, self.sections = linework, table, hidden, sections
        self.groups, self.boxes = list(groups), list(boxes)
        self.titles = _titles(linework, self.boxes)
        written, alike = _scales(linework, self.boxes), [1.0] * len(self.groups)
        self._read_in(written)
        if written != alike:
            # a scale that stands near a view may be that of the sheet: it counts where the views fit better by it
            fit = self._best_score()
            self._read_in(alike)
            if fit > self._best_score():
                self._read_in(written)

    def _read_in(self, scales: list[float]) -> None:
        self.scales = scales
        self.shown = [
            [scale * coordinates(self.table, g, column) for column in (0, 1)]
            for g, scale in zip(self.groups, scales, strict=True)
        ]

    def _best_score(self) -> float:
        return max((self._reading(front).score for front in range(len(self.groups))), default=0.0)

    def size(self, n: int, column: int) -> float:
        """The size of a group along a direction of the sheet, in the scale of the others, mm."""
        return self.scales[n] * (self.boxes[n][column + 2] - self.boxes[n][column])

    def named(self, stated: str | None, *, chosen: bool) -> Named:
        """The best reading. `stated`: an angle that overrules what the sheet says; `chosen`: by a person."""
        count = len(self.groups)
        if count == 1:
            return Named(["front"], "unknown", "there is one view only")
        said = (stated, "you chose it") if stated and chosen else stated_angle(self.linework)
        readings = [self._reading(front) for front in range(count)]
        best = max(r.score for r in readings)
        equal = [r for r in readings if r.score >= best - 0.05]
        cast = [self._votes(r) for r in equal]
        if len(equal) > 1:
            equal, cast = self._of_equals(equal, cast, said[0] if said else None)
        reading, told = equal[0], cast[0]
        angle, why = self._angle(reading, told, said)
        names = reading.names(count, angle)
        self._name_corners(names, angle)
        sure = bool(said) or (angle != "unknown" and not why.endswith(_UNTOLD))
        return Named(names, angle, why, sure, reading.score)

    # readings ------------------------------------------------------------------------

    def _reading(self, front: int) -> Reading:
        reading = Reading(front)
        if self.titles[front]:
            reading.score += 1.5 if self.titles[front] == "front" else -1.5
        rest = [n for n in range(len(self.groups)) if n != front]
        where = {n: self._place(front, n) for n in rest}
        fits = {n: self._fit(front, n, 0 if where[n] in ("up", "down") else 1) for n in rest if where[n]}
        depth = self._stacked(reading, [n for n in rest if where[n] in ("up", "down")], where, fits)
        beside = [n for n in rest if where[n] in ("right", "left") and self.titles[n] not in ("top", "bottom")]
        self._beside(reading, beside, where, fits, depth)
        self._moved(reading, [n for n in rest if n not in reading.places and n not in reading.rear])
        for n, place in reading.places.items():
            title = self.titles[n]
            if title:
                reading.score += 1.0 if title in _SIDES.get(place, (place,)) else -1.0
        return reading

    def _place(self, front: int, n: int) -> str:
        """Where a group stands as seen from another: up, down, right, left, or "" for aslant."""
        a, b = self.boxes[front], self.boxes[n]
        over = [min(a[k + 2], b[k + 2]) - max(a[k], b[k]) for k in (0, 1)]
        least = [min(a[k + 2] - a[k], b[k + 2] - b[k]) for k in (0, 1)]
        slack = [1e-3 * v for v in least]
        if over[1] <= slack[1] and over[0] >= _OVERLAP * least[0]:
            return "up" if b[1] > a[1] else "down"
        if over[0] <= slack[0] and over[1] >= _OVERLAP * least[1]:
            return "right" if b[0] > a[0] else "left"
        return ""

    def _fit(self, a: int, b: int, column: int) -> float:
        """How well two groups fit along a direction of the sheet, 0 to 2: the same size, and coordinates in common;
        less where they stand out of line."""
        size = max(self.size(a, column), self.size(b, column), LEAST_SIZE)
        off = max(abs(self.boxes[a][column + k] - self.boxes[b][column + k]) for k in (0, 2))
        if self.scales[a] != self.scales[b]:
            off = 0.3 * size
        if abs(self.size(a, column) - self.size(b, column)) > _SAME_SIZE * size:
            return 0.5 if off <= _ROUGHLY * size else 0.0
        p, q = (self.shown[n][column] - self.shown[n][column][0] for n in (a, b))
        common = [float((nearest_to(*both) <= SEEN_LOOSE * size).mean()) for both in ((p, q), (q, p))]
        return 1.0 + 0.25 * sum(common) - 0.3 * min(off / size, 1.0)

    def _stacked(
        self, reading: Reading, rows: list[int], where: dict[int, str], fits: dict[int, float]
    ) -> float | None:
        """Take the views above and below into a reading; the depth of the part that they show, if any does."""
        depth = None
        for way in ("up", "down"):
            those = [n for n in rows if where[n] == way and fits[n] > 0.0]
            if those:
                n = max(those, key=lambda n: (fits[n] >= 1.0, -self._gap(reading.front, n, 1)))
                reading.places[n] = way
                reading.score += fits[n]
                depth = self.size(n, 1) if depth is None else depth
        return depth

    def _beside(
        self, reading: Reading, rows: list[int], where: dict[int, str], fits: dict[int, float], depth: float | None
    ) -> None:
        """Take the views at both sides into a reading; those that show the width of the front view again are the rear
        view, if the depth is another."""
        width = self.size(reading.front, 0)
        for way in ("right", "left"):
            those = sorted(
                (n for n in rows if where[n] == way and fits[n] > 0.0), key=lambda n: self._gap(reading.front, n, 0)
            )
            for n in those:
                own = self.size(n, 0)
                like_front = abs(own - width) <= _SAME_SIZE * max(own, width)
                deep = depth is not None and abs(own - depth) <= _SAME_SIZE * max(own, depth)
                if way not in reading.places.values() and (deep or not like_front or depth is None):
                    reading.places[n] = way
                    reading.score += fits[n] + (0.5 if deep else -0.3 if depth is not None else 0.0)
                elif like_front and not reading.rear and n not in self.sections:
                    reading.rear.append(n)
                    reading.score += 0.7 * fits[n]

    def _moved(self, reading: Reading, rows: list[int]) -> None:
        """Groups that stand in line with nothing, and have just the two sizes of a view that is missing: views in a
        row, and views that were put aside."""
        width, height = self.size(reading.front, 0), self.size(reading.front, 1)
        for n in rows:
            if n in self.sections:
                continue
            own = (self.size(n, 0), self.size(n, 1))
            sides = [m for m, p in reading.places.items() if p in ("right", "left")]
            stacked = [m for m, p in reading.places.items() if p in ("up", "down", "top")]
            depths = [self.size(m, 0) for m in sides] + [self.size(m, 1) for m in stacked]
            if not stacked and sides and _same(own[0], width) and any(_same(own[1], d) for d in depths):
                reading.places[n] = "top"
                reading.score += 0.8
            elif not sides and stacked and _same(own[1], height) and any(_same(own[0], d) for d in depths):
                reading.places[n] = "right" if self.boxes[n][0] > self.boxes[reading.front][0] else "left"
                reading.score += 0.8
            elif (
                not sides
                and stacked
                and (place := self._place(reading.front, n)) in ("right", "left")
                and _same(own[0], height)
                and any(_same(own[1], d) for d in depths)
            ):
                reading.places[n] = place  # it lies turned by 90° beside the front view
                reading.score += 0.9

    def _gap(self, a: int, b: int, column: int) -> float:
        p, q = self.boxes[a], self.boxes[b]
        return max(p[column] - q[column + 2], q[column] - p[column + 2])

    # the angle -------------------------------------------------------------------------

    def _votes(self, reading: Reading) -> Votes:
        """What all neighbours of a reading say of the angle."""
        out = Votes()
        for n, place in reading.places.items():
            if self._place(reading.front, n) != place or self.scales[n] != self.scales[reading.front]:
                continue
            column = 0 if place in ("up", "down") else 1
            out += self._between(reading.front, n, column, beyond=place in ("up", "right"))
        return out

    def _between(self, a: int, b: int, column: int, *, beyond: bool) -> Votes:
        p, q = self.shown[a][column], self.shown[b][column]
        tol = max(float(np.ptp(p)) * SEEN_LOOSE, LEAST_SIZE)
        shift = best_shift(p, q, float(p[0] - q[0]), tol)
        one, other = self.groups[a], self.groups[b]
        return votes(self.table, self.hidden, other, one, column=column, beyond=beyond, shift=-shift) + votes(
            self.table, self.hidden, one, other, column=column, beyond=not beyond, shift=shift
        )

    def _of_equals(
        self, equal: list[Reading], cast: list[Votes], stated: str | None
    ) -> tuple[list[Reading], list[Votes]]:
        """Of readings that fit alike, one. Of two stacked views the front is the lower one in third angle and the upper
        one in first; else the one with fewer circles. Of views in a row, the left one."""
        first = equal[0]
        stacked = all(place in ("up", "down") for r in equal for place in r.places.values()) and first.places
        if stacked:
            angle = stated or next((v.angle for v in cast if v.angle), None)
            if angle:
                order = sorted(range(len(equal)), key=lambda k: self.boxes[equal[k].front][1], reverse=angle == "first")
            else:
                order = sorted(
                    range(len(equal)), key=lambda k: (self._circles(equal[k].front), self.boxes[equal[k].front][1])
                )
        else:
            order = sorted(
                range(len(equal)), key=lambda k: (self.boxes[equal[k].front][0], self.boxes[equal[k].front][1])
            )
        return [equal[order[0]]], [cast[order[0]]]

    def _circles(self, n: int) -> int:
        return int((self.table.closed[self.groups[n]] & (self.table.kind[self.groups[n]] == ARC)).sum())

    def _angle(self, reading: Reading, cast: Votes, said: tuple[str, str] | None) -> tuple[str, str]:
        if said:
            return said
        titled = {
            angle
            for n, place in reading.places.items()
            if self.titles[n] and place in _SIDES
            for angle, name in zip(("third", "first"), _SIDES[place], strict=True)
            if name == self.titles[n]
        }
        if len(titled) == 1:
            (angle,) = titled
            return angle, f"the titles of the views are those of {angle} angle"
        if cast.angle:
            share = 100.0 * max(cast.third, cast.first) / (cast.third + cast.first)
            return cast.angle, (
                f"{share:.0f} % of the edges that tell it are drawn solid or dashed as {cast.angle} angle has them"
            )
        ways = set(reading.places.values())
        if "up" in ways and "down" not in ways:
            return "third", f"a view stands above the front view, where third angle has the top; {_UNTOLD}"
        if "down" in ways and "up" not in ways:
            return "first", f"a view stands below the front view, where first angle has the top; {_UNTOLD}"
        if ways >= {"up", "down"}:
            return "unknown", "views stand above and below the front view, which either angle allows"
        return "unknown", "no view stands above or below the front view, so that either angle is possible"

    def _name_corners(self, names: list[str], angle: str) -> None:
        """Side views that stand beside the top view instead of beside the front view are named all the same, where no
        side view is yet."""
        if any(n in ("right", "left") for n in names):
            return
        for top in [i for i, n in enumerate(names) if n == "top"]:
            for j, name in enumerate(names):
                place = self._place(top, j) if j != top and name == "none" else ""
                if place in ("right", "left") and self._fit(top, j, 1) > 0.0:
                    names[j] = _SIDES[place][angle == "first"]
                    return


def _same(a: float, b: float) -> bool:
    return abs(a - b) <= _SAME_SIZE * max(a, b, LEAST_SIZE)


def _titles(linework: Linework, boxes: Sequence[Box]) -> list[str]:
    """The name that a title gives each group: written under or over it, nearer to it than to any other; "" for none."""
    out = [""] * len(boxes)
    for text in linework.texts[:2000]:
        name = next((n for n, pattern in _TITLE.items() if pattern.match(text.text)), None)
        if name is None or not boxes:
            continue
        n, away = _nearest(boxes, text.at)
        if away <= 0.6 * max(boxes[n][2] - boxes[n][0], boxes[n][3] - boxes[n][1]) and not out[n]:
            out[n] = name
    return out


_SCALE = re.compile(
    r"(?:scale|m|ma\u00dfstab|massstab|echelle)?\W*(\d+(?:[.,]\d+)?)\s*:\s*(\d+(?:[.,]\d+)?)\W*", re.IGNORECASE
)


def _scales(linework: Linework, boxes: Sequence[Box]) -> list[float]:
    """What the lengths of each group are to be multiplied by, as a scale written under or over it says; 1 for those
    without, and for all where every one has the same."""
    out: list[float | None] = [None] * len(boxes)
    for text in linework.texts[:2000]:
        found = _SCALE.fullmatch(text.text.strip())
        if found is None or not boxes:
            continue
        on_sheet, real = (float(v.replace(",", ".")) for v in found.groups())
        n, away = _nearest(boxes, text.at)
        if on_sheet > 0.0 and real > 0.0 and away <= 0.5 * max(boxes[n][2] - boxes[n][0], boxes[n][3] - boxes[n][1]):
            out[n] = real / on_sheet
    if not boxes or all(v is not None for v in out):
        return [1.0] * len(boxes)
    return [1.0 if v is None else v for v in out]


def _nearest(boxes: Sequence[Box], at: tuple[float, float]) -> tuple[int, float]:
    """The box nearest to a point, and how far it is away (mm)."""
    x, y = at
    away = [float(np.hypot(max(b[0] - x, 0.0, x - b[2]), max(b[1] - y, 0.0, y - b[3]))) for b in boxes]
    n = int(np.argmin(away))
    return n, away[n]
