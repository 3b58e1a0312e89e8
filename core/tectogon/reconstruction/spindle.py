"""Parts that are turned as a whole: all circles of one view about one point, all other views alike on both sides of one
line. Their cells are regions of half a view, turned about that line, so that few are to be asked about.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves.table import ARC, LINE, BoolArray
from tectogon.errors import Place
from tectogon.linework import Linework
from tectogon.profiles import Region
from tectogon.reconstruction.carriers import flat_of, placed
from tectogon.reconstruction.depths import Box, Seen, axis_of, heights_of
from tectogon.reconstruction.turning import Turned, half_of
from tectogon.solids import proof
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.turned import Axis, swept, swept_volume
from tectogon.tolerances import LEAST_SIZE, SEEN_CHORD, SEEN_TOL
from tectogon.views.align import AXES, axes_shown
from tectogon.workpiece.model import Drawing
from tectogon.workpiece.parameters import PointPick
from tectogon.workpiece.profile_picks import pick_of

_DIAMETER = re.compile(r"[⌀∅Øø]|%%c|\bdia\b", re.IGNORECASE)
_MOST_TEXTS = 2000
_ALONG = 0.5
"""A centre line says that a view is of something turned if it runs along so much of it."""


@dataclass(frozen=True)
class Spindle:
    """A part that may be turned as a whole. axis: of the part.  halves: the regions of half of one view.  why: in
    words; empty where only the views' being alike speaks for it.  seen_round: a view along the axis shows circles."""

    axis: int
    halves: list[Turned]
    lift: PointPick
    why: str
    seen_round: bool

    @property
    def seen(self) -> Seen:
        """The view that its profile is taken from."""
        return self.halves[0].seen

    @property
    def line(self) -> Axis:
        """The axis in the plane of that view."""
        t = self.halves[0]
        shown = sorted(axes_shown(t.seen.view.frame))
        low, high = t.seen.table.extents[[0, 2]].tolist()
        on_view = np.full((2, 2), t.middle)
        on_view[:, shown.index(t.axis)] = low, max(high, low + 1.0)
        a, b = flat_of(t.seen, on_view)
        third = t.centre[0 if t.across > 3 - t.axis - t.across else 1]
        return Axis(a, (b - a) / np.hypot(*(b - a)), heights_of(t.seen.view, axis_of(t.seen.view), third, third)[0])

    def body(self, full: Sequence[int], number: int) -> NamedShape:
        """The regions that are full (numbers into `halves`), turned and joined. Raises KernelRefused."""
        s, line = self.seen, self.line
        chosen = [self.halves[n].region for n in full]
        made = [swept(s.together, r, s.view.frame, line, number, around=False) for r in chosen]
        joined = made[0] if len(made) == 1 else combine("join", made[:1], made[1:])
        proof.check_valid(joined, Place())
        proof.check_volume(joined.volume, sum(swept_volume(s.together, r, line) for r in chosen), Place())
        return joined

    def step(self, full: Sequence[int]) -> tuple[str, dict[str, object]]:
        """The same as an operation: turned about a line through the middles of two of its edges, at the height where
        another view has the axis."""
        s = self.seen
        picks = [pick_of(s.together, self.halves[n].region).model_dump(mode="json") for n in full]
        return "revolve", {
            "profiles": {"rule": "picked", "picks": picks},
            "axis": "points",
            "points": [p.model_dump(mode="json") for p in self._points()],
            "plane": "picked",
            "ends": [{"point": self.lift.model_dump(mode="json")}],
            "result": "new",
        }

    def _points(self) -> list[PointPick]:
        """Two points of the axis: the middles of the edges across it that are furthest apart, else free ones."""
        s, line = self.seen, self.line
        near = 2.0 * SEEN_TOL * s.table.size
        rows = s.table.rows_of(LINE)
        middles = s.table.ends[rows].mean(axis=1)
        across = np.abs(line.along(s.table.ends[rows, 0]) - line.along(s.table.ends[rows, 1])) <= near
        fits = np.flatnonzero(across & (np.abs(line.off(middles)) <= near))
        along = line.along(middles)
        if len(fits) > 1 and np.ptp(along[fits]) > near:
            ends = fits[along[fits].argmin()], fits[along[fits].argmax()]
            return [PointPick(at=tuple(middles[n].tolist()), curve=s.ids[int(rows[n])], kind="middle") for n in ends]
        return [PointPick(at=tuple(p.tolist())) for p in (line.point, line.point + line.way)]


def spindle_of(seen: Sequence[Seen], box: Box, drawing: Drawing) -> Spindle | None:
    """What a part turned as a whole would be; None where its views are not those of one."""
    size = max(max(b - a for a, b in box.values()), LEAST_SIZE)
    near = 2.0 * SEEN_TOL * size
    for axis in range(3):
        ends, sides = [s for s in seen if s.axis == axis], [s for s in seen if s.axis != axis]
        if not sides or (not ends and len(sides) < 2):
            continue
        middles = {k: sum(box[k]) / 2.0 for k in range(3) if k != axis}
        widths = [box[k][1] - box[k][0] for k in middles]
        if abs(widths[0] - widths[1]) > near or not all(_is_round(s, middles, near) for s in ends):
            continue
        if not all(_is_alike(s, axis, middles, near) for s in sides):
            continue
        profile = max(sides, key=lambda s: len(s.table))
        halves = _halves(profile, axis, middles, near)
        lift = _lift(seen, profile, middles, near)
        if halves and lift is not None:
            return Spindle(axis, halves, lift, _why(drawing, sides, ends, halves, axis, middles, near), bool(ends))
    return None


def _is_round(s: Seen, middles: dict[int, float], near: float) -> bool:
    """Whether a view shows nothing but circles about the middle."""
    if not (s.table.kind == ARC).all():
        return False
    centres = placed(s, s.table.data[:, :2])
    wanted = np.array([middles[k] for k in sorted(middles)])
    return bool((np.abs(centres - wanted) <= near).all())


def _is_alike(s: Seen, axis: int, middles: dict[int, float], near: float) -> bool:
    """Whether a view is alike on both sides of the middle line."""
    shown = sorted(axes_shown(s.view.frame))
    column = 1 - shown.index(axis)
    points, offsets = s.table.flatten(SEEN_CHORD * s.table.size)
    on_part = placed(s, points)
    lines = shapely.union_all([shapely.LineString(on_part[offsets[n] : offsets[n + 1]]) for n in range(len(s.table))])
    mirrored = shapely.get_coordinates(shapely.segmentize(lines, 0.03 * s.table.size))
    mirrored[:, column] = 2.0 * middles[shown[column]] - mirrored[:, column]
    shapely.prepare(lines)
    return bool((shapely.distance(lines, shapely.points(mirrored)) <= near).all())


def _halves(s: Seen, axis: int, middles: dict[int, float], near: float) -> list[Turned]:
    """The regions of one half of a view, turned; none where one lies unevenly across the line."""
    shown = sorted(axes_shown(s.view.frame))
    column = shown.index(axis)
    across = shown[1 - column]
    centre = tuple(middles[k] for k in sorted(middles))
    pick = PointPick(at=(0.0, 0.0))
    out = []
    for region in s.together.regions:
        side = _side(s, region, column, middles[across], near)
        if side is None:
            return []
        if side < 0:
            continue
        half = half_of(s, s.together, region, column, middles[across])
        if half is None:
            return []
        out.append(
            Turned(s, s.together, region, axis, across, centre, middles[across], pick, False, half)  # type: ignore[arg-type]
        )
    return out


def _side(s: Seen, region: Region, column: int, middle: float, near: float) -> int | None:
    """1 or -1 where a region lies on one side of a line, 0 where it lies evenly across, None where unevenly."""
    ring = placed(s, s.together.ring_points(region.outer, SEEN_CHORD * s.table.size))
    off = ring[:, 1 - column] - middle
    if off.min() >= -near:
        return 1
    if off.max() <= near:
        return -1
    return 0 if abs(off.min() + off.max()) <= 2.0 * near else None


def _lift(seen: Sequence[Seen], profile: Seen, middles: dict[int, float], near: float) -> PointPick | None:
    """A point of another view in which the axis lies, by what it is on a curve there."""
    third = profile.axis
    for s in seen:
        shown = sorted(axes_shown(s.view.frame))
        if s is profile or third not in shown:
            continue
        column = shown.index(third)
        arcs = s.table.rows_of(ARC)
        lines = s.table.rows_of(LINE)
        for rows, flat, kind in (
            (arcs, s.table.data[arcs, :2], "centre"),
            (lines, s.table.ends[lines].mean(axis=1), "middle"),
        ):
            if not len(rows):
                continue
            fits = np.flatnonzero(np.abs(placed(s, flat)[:, column] - middles[third]) <= near)
            if len(fits):
                x, y = flat[fits[0]].tolist()
                return PointPick(at=(x, y), curve=s.ids[int(rows[fits[0]])], kind=kind)  # type: ignore[arg-type]
    return None


def _why(
    drawing: Drawing,
    sides: list[Seen],
    ends: list[Seen],
    halves: list[Turned],
    axis: int,
    middles: dict[int, float],
    near: float,
) -> str:
    """What says that the part is turned, in words; empty where nothing does."""
    if ends:
        return f"the {ends[0].view.name} view shows circles about one point alone"
    if any(_has_centre_line(drawing.linework, drawing.guiding, s, axis, middles, near) for s in sides):
        return f"a centre line runs along {AXES[axis]}"
    words = [t.text for t in drawing.linework.texts[:_MOST_TEXTS]] + [z.text for z in drawing.linework.stated]
    if any(_DIAMETER.search(w) for w in words):
        return "the sheet states a diameter"
    radii = {round(float(r) / near / 2.0) for t in halves for r in t.half.exterior.coords.xy[1] if r > near}
    return "both views draw the same steps on both sides of it" if len(radii) > 1 else ""


def _has_centre_line(
    linework: Linework, guiding: BoolArray, s: Seen, axis: int, middles: dict[int, float], near: float
) -> bool:
    """Whether a centre line runs along the middle of a view."""
    shown = sorted(axes_shown(s.view.frame))
    column = shown.index(axis)
    rows = np.flatnonzero(guiding & (linework.table.kind == LINE))
    if not len(rows):
        return False
    ends = placed(s, linework.table.ends[rows].reshape(-1, 2)).reshape(-1, 2, 2)
    on_line = (np.abs(ends[:, :, 1 - column] - middles[shown[1 - column]]) <= near).all(axis=1)
    own = placed(s, s.table.ends.reshape(-1, 2))[:, column]
    low, high = np.sort(ends[:, :, column], axis=1).T
    covers = np.minimum(high, own.max()) - np.maximum(low, own.min())
    return bool((on_line & (covers >= _ALONG * (own.max() - own.min()))).any())
