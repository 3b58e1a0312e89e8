"""Flats on a turned part: two parallel chords in the end view, which the lengthwise view shows as a step down.

A lengthwise profile turned about its axis is too thin there: the round that the chords cut is put back over the
stretch of the flats, then what lies outside of the chords is taken off, and the end chamfered as the arcs between the
chords show.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from tectogon.building.extrusion import extrusions
from tectogon.building.turned_profile import Lengthwise
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE
from tectogon.profiles import Region
from tectogon.reconstruction.depths import Seen, heights_of
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.solids.edges import Finish, edges_at, finished
from tectogon.solids.features import with_features
from tectogon.tolerances import ANGLE_TOL, SEEN_CHORD
from tectogon.views.align import axes_shown
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.profile_picks import pick_of

_Step = tuple[str, dict[str, Any]]


@dataclass(frozen=True)
class Flats:
    """Two flats, each so far from the axis, on a round of a radius, between two heights over the end view's plane; how
    much its end is chamfered, at which of the heights (mm)."""

    end: Seen
    centre: FloatArray
    column: int
    away: float
    radius: float
    low: float
    high: float
    chamfer: float
    chamfered: float
    near: float

    def round(self, workpiece: Workpiece, number: int, *, first: bool) -> tuple[Workpiece, list[_Step]]:
        """A workpiece with the round that the chords cut, `first`: as a new body, and the operations. The profile is
        joined to it: joined to the profile, its pieces touch that tangentially. Raises TectogonError."""
        inside, outside = self._regions(workpiece)
        pieces, steps = [*outside, *inside], []
        groups: list[tuple[Literal["new", "join"], list[Region]]] = [("join", pieces)]
        if first:
            groups = [("new", pieces[:1]), ("join", pieces[1:])]
        for how, some in groups:
            if some:
                features = extrusions(workpiece, some, [(self.low, self.high)] * len(some), number)
                workpiece = replace(workpiece, bodies=with_features(workpiece.bodies, features, how, None, number))
                steps.append(self._step(workpiece, some, how))
        return workpiece, steps

    def off(self, workpiece: Workpiece, number: int) -> tuple[Workpiece, list[_Step]]:
        """The workpiece with what lies outside of the chords taken off, and the end chamfered; and the operations.
        Raises TectogonError."""
        _, outside = self._regions(workpiece)
        steps = [self._step(workpiece, outside, "cut")]
        features = extrusions(workpiece, outside, [(self.low, self.high)] * len(outside), number)
        bodies = with_features(workpiece.bodies, features, "cut", None, number)
        if self.chamfer and len(bodies) == 1:
            body, picks = self._chamfered(bodies[0], number)
            bodies = (body,)
            steps.append(("round_edges", {"how": "chamfer", "size": self.chamfer, "pieces": picks}))
        return replace(workpiece, bodies=bodies), steps

    def _regions(self, workpiece: Workpiece) -> tuple[list[Region], list[Region]]:
        """The regions of the end view within the round, those between the chords and those outside of them."""
        regions, mine = workpiece.drawing.regions, set(self.end.ids)
        inside: list[Region] = []
        outside: list[Region] = []
        for region in regions.regions:
            if not mine.issuperset(regions.curves_of(region.outer)):
                continue
            off = regions.ring_points(region.outer, SEEN_CHORD * regions.pieces.size) - self.centre
            if np.hypot(*off.T).max() <= self.radius + self.near:
                across = np.abs(off[:, self.column])
                (outside if across.min() >= self.away - self.near else inside).append(region)
        return inside, outside

    def _step(self, workpiece: Workpiece, regions: list[Region], result: str) -> _Step:
        picks = [pick_of(workpiece.drawing.regions, r).model_dump(mode="json") for r in regions]
        profiles = {"rule": "picked", "picks": picks}
        return "extrude", {"profiles": profiles, "length": self.high - self.low, "start": self.low, "result": result}

    def _chamfered(self, body: Body, number: int) -> tuple[Body, list[dict[str, Any]]]:
        """The body with the round edges of its end chamfered, and these as picks. Raises KernelRefused."""
        frame = self.end.view.frame
        middle, along = frame.place(self.centre, self.chamfered), np.array(frame.normal)
        numbers, picks = [], []
        for n, at in enumerate(edges_at(body)):
            facts = measure.edge_facts(body.edges[n]) if at is not None else {}
            if at is None or facts["kind"] != "round" or abs(facts["radius"] - self.radius) > self.near:
                continue
            square = abs(abs(float(np.dot(facts["direction"], along))) - 1.0) <= ANGLE_TOL
            if square and np.linalg.norm(np.array(facts["point"]) - middle) <= self.near:
                numbers.append(n)
                picks.append({"edge": {"faces": [], "point": tuple(at.middle.tolist())}})
        made = finished(body, numbers, Finish("chamfer", self.chamfer, self.chamfer), number)
        return Body.of(body.key, body.name, made), picks


def flats_of(end: Seen, long: Lengthwise) -> Iterator[Flats]:
    """The flats that an end view shows and a lengthwise view shows edge on."""
    x0, y0, x1, y1 = end.table.extents.tolist()
    centre, near = np.array([x0 + x1, y0 + y1]) / 2.0, long.near
    across = next(axis for axis in axes_shown(long.seen.view.frame) if axis != end.axis)
    column = axes_shown(end.view.frame)[across]
    table = end.table
    chords = table.ends[table.rows_of(LINE)[~np.isin(table.rows_of(LINE), end.hidden)]] - centre
    level = np.abs(chords[:, 0, column] - chords[:, 1, column]) <= near
    middle = np.abs(chords[:, :, 1 - column].sum(axis=1)) <= near
    chords = chords[level & middle]
    arcs = table.rows_of(ARC)
    arcs = arcs[np.hypot(*(table.data[arcs, :2] - centre).T) <= near]
    radii = table.data[arcs, 2]
    done: list[float] = []
    for chord in chords:
        away, radius = abs(float(chord[0, column])), float(np.hypot(*chord[0]))
        other = np.abs(chords[:, 0, column] + chord[0, column]) <= near
        if any(abs(away - d) <= near for d in done) or not other.any() or not (np.abs(radii - radius) <= near).any():
            continue
        done.append(away)
        radius = float(radii[np.abs(radii - radius).argmin()])
        stretch = _stretch(long, away)
        if stretch is None:
            continue
        low, high = (_height(end, long, at) for at in stretch)
        cut_off = radii[~table.closed[arcs] & ~np.isin(arcs, end.hidden) & (radii < radius - near) & (radii > away)]
        chamfer = round(radius - float(cut_off.max()), 6) if len(cut_off) else 0.0
        own = long.seen.table.extents[[long.column, long.column + 2]]
        outer = low if min(abs(stretch[0] - v) for v in own) <= near else high
        yield Flats(end, centre, column, away, radius, min(low, high), max(low, high), chamfer, outer, near)


def _stretch(long: Lengthwise, away: float) -> tuple[float, float] | None:
    """From where to where a lengthwise view draws lines on both sides of its axis, so far from it (mm on the sheet)."""
    k, table = long.column, long.seen.table
    ends = table.ends[table.rows_of(LINE)]
    off = ends[:, :, 1 - k] - long.middle
    spans = []
    for side in (away, -away):
        mine = ends[(np.abs(off - side) <= long.near).all(axis=1)]
        if not len(mine):
            return None
        spans.append((float(mine[:, :, k].min()), float(mine[:, :, k].max())))
    (a, b), (c, d) = spans
    return (a, b) if abs(a - c) <= long.near and abs(b - d) <= long.near else None


def _height(end: Seen, long: Lengthwise, at: float) -> float:
    """A place along a lengthwise view's axis as a height over the end view's plane (mm)."""
    flat = np.array([at, long.middle]) if long.column == 0 else np.array([long.middle, at])
    on_part = float(long.seen.view.frame.place(flat, 0.0)[end.axis])
    return heights_of(end.view, end.axis, on_part, on_part)[0]
