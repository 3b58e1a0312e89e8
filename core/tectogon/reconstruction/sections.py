"""Sections: views of a part that is cut by a plane, what is before it taken away and what it cuts hatched.

A view is one if it says so (“A-A”), or may be one if parts of it are hatched and nothing in it is dashed. Where its
plane lies is told by a cutting line with the section's letter in another view; else every plane through a centre line,
a centre, or the middle of the part may be the one, and that is taken which explains most of what is drawn.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE
from tectogon.findings.hatching import spacings
from tectogon.reconstruction.carriers import placed
from tectogon.reconstruction.depths import Box, Seen
from tectogon.tolerances import SEEN_CHORD, SEEN_TOL
from tectogon.units import show_length
from tectogon.views.align import AXES, axes_shown
from tectogon.views.rectify import SECTION
from tectogon.workpiece.model import Drawing

_COVERED = 0.5
"""A region is hatched if hatching covers so much of it."""
_MOST_PLANES = 4
_ACROSS = 0.6
"""A cutting line crosses so much of the view it is drawn in."""
_MOST_TEXTS = 2000


@dataclass(frozen=True)
class Cut:
    """A plane square to the axis that a section looks along: where (mm), and what speaks for it, in words."""

    at: float
    why: str


@dataclass(frozen=True)
class Section:
    """A view that is a section, or may be one if it is not `titled`. hatched: numbers of the regions of its solid and
    dashed lines together that are hatched, empty where none is. planes: where it may cut, the likeliest first."""

    seen: Seen
    titled: bool
    hatched: frozenset[int]
    planes: tuple[Cut, ...]


@dataclass(frozen=True)
class CutView:
    """A section with one of the planes that it may cut at."""

    section: Section
    cut: Cut


def sections_of(drawing: Drawing, seen: Sequence[Seen], box: Box) -> dict[int, Section]:
    """The sections among views, by their place in the list."""
    areas = hatched_areas(drawing)
    out = {}
    for n, s in enumerate(seen):
        titled = s.view.name.startswith(SECTION)
        hatched = _hatched(s, areas)
        if titled or (hatched and not len(s.hidden)):
            planes = _planes(drawing, s, seen, box)
            out[n] = Section(s, titled, hatched, planes)
    return out


def hatched_areas(drawing: Drawing) -> shapely.Geometry:
    """What is hatched on the sheet: by the file's own account, and by lines side by side, each as wide as its distance
    to the next."""
    areas = []
    for rings in drawing.linework.hatched:
        area: shapely.Geometry = shapely.Polygon()
        for ring in rings:
            area = shapely.symmetric_difference(area, shapely.make_valid(shapely.Polygon(ring)))
        areas.append(area)
    for aside in drawing.proposals:
        if aside.kind == "hatching":
            areas.append(_between_lines(drawing.linework.table.take(aside.rows)))
    return shapely.union_all(areas)


def _between_lines(table: CurveTable) -> shapely.Geometry:
    """What lines of hatching cover: each as wide as its distance to the next beside it."""
    lines = table.ends[table.rows_of(LINE)]
    step = lines[:, 1] - lines[:, 0]
    way = np.mod(np.arctan2(step[:, 1], step[:, 0]), np.pi)
    areas = []
    for angle in np.unique(np.round(way, 2)):
        mine = lines[np.abs(way - angle) < 0.01]
        wide = spacings(mine, float(angle))
        some = wide > 0.0
        areas.append(
            shapely.union_all(shapely.buffer(shapely.linestrings(mine[some]), 0.55 * wide[some], cap_style="flat"))
        )
    return shapely.union_all(areas)


def _hatched(s: Seen, areas: shapely.Geometry) -> frozenset[int]:
    """The numbers of a view's regions that are hatched."""
    if shapely.is_empty(areas):
        return frozenset()
    shapely.prepare(areas)
    chord = SEEN_CHORD * s.table.size
    out = set()
    for n, region in enumerate(s.together.regions):
        if is_hatched(s.together.polygon(region, chord), region.area, areas):
            out.add(n)
    return frozenset(out)


def is_hatched(shape: shapely.Geometry, area: float, areas: shapely.Geometry) -> bool:
    """Whether hatched areas cover most of a region, given by its shape and its own area (mm²)."""
    return bool(shapely.area(shapely.intersection(shapely.make_valid(shape), areas)) > _COVERED * area)


def _planes(drawing: Drawing, s: Seen, seen: Sequence[Seen], box: Box) -> tuple[Cut, ...]:
    """Where a section may cut, the likeliest first; by its letter alone where a cutting line has it."""
    axis, along = s.axis, AXES[s.axis]
    low, high = box[axis]
    near = SEEN_TOL * max(b - a for a, b in box.values())
    letter = s.view.name.removeprefix(SECTION).strip()[:1] if s.view.name.startswith(SECTION) else ""
    lines, centres = [np.zeros(0)], [np.zeros(0)]
    for other in seen:
        if other is s or other.axis == axis:
            continue
        column = sorted(axes_shown(other.view.frame)).index(axis)
        ends = _cutting_lines(drawing, other, column)
        at = ends[:, :, column].mean(axis=1)
        inside = (at > low + near) & (at < high - near)
        off = [_to_letter(drawing, other, line, letter) if letter else math.inf for line in ends[inside]]
        if min(off, default=math.inf) < math.inf:
            at = float(at[inside][int(np.argmin(off))])
            return (Cut(at, f"the cutting line {letter} in the {other.view.name} view is drawn there"),)
        lines.append(at[inside])
        rows = other.table.rows_of(ARC)
        centres.append(placed(other, other.table.data[rows, :2])[:, column])
    middle = np.array([(low + high) / 2.0])
    found: list[Cut] = []
    for values, why in (
        (np.concatenate(lines), "a centre line"),
        (middle, "the middle"),
        (np.concatenate(centres), "a centre"),
    ):
        for at in values.tolist():
            if low + near < at < high - near and all(abs(at - c.at) > near for c in found):
                found.append(Cut(at, f"through {why} of the part at {along} {show_length(at)}"))
    return tuple(found[:_MOST_PLANES])


def _cutting_lines(drawing: Drawing, s: Seen, column: int) -> FloatArray:
    """Centre lines across most of a view, square to one of its axes (n, 2 ends, 2), on the part."""
    linework = drawing.linework
    rows = np.flatnonzero(drawing.guiding & (linework.table.kind == LINE))
    ends = placed(s, linework.table.ends[rows].reshape(-1, 2)).reshape(-1, 2, 2)
    own = placed(s, s.table.ends.reshape(-1, 2))
    near = SEEN_TOL * s.table.size
    level = np.abs(ends[:, 0, column] - ends[:, 1, column]) <= near
    low, high = own.min(axis=0), own.max(axis=0)
    there = (ends[:, 0, column] > low[column] - near) & (ends[:, 0, column] < high[column] + near)
    other = 1 - column
    run = np.sort(ends[:, :, other], axis=1)
    covers = np.minimum(run[:, 1], high[other]) - np.maximum(run[:, 0], low[other])
    return ends[level & there & (covers >= _ACROSS * (high[other] - low[other]))]


def _to_letter(drawing: Drawing, s: Seen, ends: FloatArray, letter: str) -> float:
    """How near a section's letter stands to an end of a line (2, 2), mm; infinite where it does not."""
    best = math.inf
    for text in drawing.linework.texts[:_MOST_TEXTS]:
        if re.fullmatch(rf"\W*{re.escape(letter)}\W*", text.text.strip()):
            at = placed(s, np.array([text.at]))[0]
            reach = max(4.0 * text.height, 0.1 * s.table.size)
            off = float(np.hypot(*(ends - at).T).min())
            best = min(best, off if off <= reach else math.inf)
    return best
