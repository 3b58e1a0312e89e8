"""Sections and details of a drawing: the part cut by a plane and looked at squarely (ISO 128-3), what is cut hatched by
its material (ISO 128-50), and a place of a view drawn larger."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
import shapely.affinity

from tectogon.curves import Arc, Curve, CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.once import each_once
from tectogon.curves.shapes import TURN
from tectogon.drafting.drawn_views import DrawnView, Filled, Pattern
from tectogon.drafting.ink import Arrow, Ink, Pen, Stroke
from tectogon.errors import BadValue
from tectogon.solids import kernel, measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.mesh import edge_lines
from tectogon.solids.parting import half_space
from tectogon.solids.project import edges_seen
from tectogon.views import frame_of
from tectogon.views.align import AXES

Point = tuple[float, float]
_LOOKS = {0: "left", 1: "front", 2: "top"}
"""From where one looks at a plane square to an axis."""
_PARENTS = {0: ("front", "rear", "top", "bottom"), 1: ("top", "bottom", "left", "right"), 2: ("front", "left", "right")}
"""The views in which the line of a cut is drawn, the best first."""
_PLANE = 1e-6
_CHORD = 0.01
_SPACING, _CLOSE = 3.0, 0.7
"""How far hatching lines stand apart (mm of paper), and the share of that where bodies meet, so that they differ."""
_PAST, _THICK, _ARROW = 5.0, 4.0, 3.5
"""How far the line of a cut runs past the view, how long its thick ends are, and its arrows (mm of paper)."""
_SAMPLES, _MOST_SAMPLES, _HALVINGS = 64, 4096, 50
_CRUMB, _SHORTEST = 1e-9, 0.05
LETTERS = "ABCDEFGHJKLMNPRSTUVWYZ"
"""Cuts and details are called by them; I, O and Q are left out, and X, which would be taken for an axis."""


@dataclass(frozen=True)
class Cut:
    """A plane square to an axis (0 x, 1 y, 2 z) at a place along it (mm); where it was taken from something of the
    part, through that: by the names of its faces."""

    axis: int
    at: float
    owners: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Detail:
    """A round place of a view, by its middle and radius in the view's plane (mm), drawn so many times larger."""

    view: str
    centre: Point
    radius: float
    times: float


@dataclass(frozen=True)
class CutMark:
    """Where a section cuts, in the view that shows it as a line: upright (at x) or level (at y), mm of the view; the
    letter, and which way one looks (-1 or 1 along the other direction)."""

    view: str
    upright: bool
    at: float
    letter: str
    way: float


@dataclass(frozen=True)
class DetailMark:
    """The circle round a place that is drawn larger elsewhere (mm of the view), and its letter."""

    view: str
    centre: Point
    radius: float
    letter: str


def section(
    bodies: Sequence[Body], cut: Cut, letter: str, views: Sequence[DrawnView], patterns: Sequence[Pattern]
) -> tuple[DrawnView, CutMark]:
    """The part behind a plane, and the mark of the plane in a view. Raises BadValue where the plane misses the part or
    no view shows it as a line, KernelRefused."""
    axis, at = cut.axis, cut.at
    box = measure.joint_bounds([b.shape for b in bodies])
    low, high = box[axis], box[axis + 3]
    if not low < at < high:
        raise BadValue(
            f"The section at {AXES[axis]} {at:g} mm misses the part: it reaches from {low:g} to {high:g} mm there."
        )
    frame = frame_of(_LOOKS[axis])
    point = np.eye(3)[axis] * at
    kept: list[NamedShape] = []
    filled = []
    for body, pattern in zip(bodies, patterns, strict=True):
        tool = half_space([body.shape], point, -np.array(frame.normal), 0)
        piece = combine("common", [NamedShape(body.shape, body.names)], [tool])
        if not kernel.solids_of(piece.shape):
            continue
        kept.append(piece)
        cut_faces = [f for f in kernel.faces_of(piece.shape) if _lies_at(f, axis, at)]
        area = shapely.union_all([_area(f, np.array([frame.x_dir, frame.y_dir])) for f in cut_faces])
        if not area.is_empty:
            filled.append(Filled(area, pattern))
    if not filled:
        raise BadValue(f"The section at {AXES[axis]} {at:g} mm cuts no material.")
    seen = edges_seen([p.shape for p in kept], frame)
    visible, _ = each_once(seen.visible, [])
    drawn = DrawnView(letter, frame, tuple(visible), (), (), (), f"{letter}–{letter}", tuple(filled))
    parent = next((v for name in _PARENTS[axis] for v in views if v.name == name), None)
    if parent is None:
        raise BadValue(f"No view of the sheet shows a plane at {AXES[axis]} {at:g} mm as a line.")
    k, way = parent.along(axis) or (0, 1.0)
    looks = -frame.normal[axis] * way
    return drawn, CutMark(parent.name, k == 0, at * way, letter, looks)


def _lies_at(face: kernel.Shape, axis: int, at: float) -> bool:
    plane = measure.plane_of(face)
    return plane is not None and abs(plane[0][axis] - at) <= _PLANE and abs(abs(plane[1][axis]) - 1.0) <= _PLANE


def _area(face: kernel.Shape, basis: FloatArray) -> Any:
    """A flat face as an area of a view's plane, its holes left out."""
    lines = [
        shapely.LineString(np.round(line @ basis.T, 7)) for line in edge_lines(face, chord_tol=_CHORD) if len(line)
    ]
    rings = shapely.get_parts(shapely.line_merge(shapely.union_all(lines)))
    out: Any = shapely.Polygon()
    for ring in rings:
        if ring.is_ring:
            out = out.symmetric_difference(shapely.Polygon(ring))
    return out


def detail(views: Sequence[DrawnView], wanted: Detail, letter: str) -> tuple[DrawnView, DetailMark]:
    """A place of a view as a view of its own. Raises BadValue where nothing is drawn there, or there is no such
    view."""
    view = next((v for v in views if v.name == wanted.view), None)
    if view is None:
        raise BadValue(f"The sheet has no view “{wanted.view[:20]}” for detail {letter}.")
    (x, y), r = wanted.centre, wanted.radius
    clipped = [tuple(_inside(some, wanted.centre, r)) for some in (view.visible, view.hidden)]
    if not clipped[0]:
        raise BadValue(f"Detail {letter} has no edge within {r:g} mm of x {x:g}, y {y:g} in the view “{view.name}”.")
    rim = (Arc(x, y, r, 0.0, TURN),)
    made = DrawnView(letter, view.frame, clipped[0], clipped[1], (), (), letter, (), rim, wanted.times)
    return made, DetailMark(view.name, wanted.centre, r, letter)


def _inside(curves: Sequence[Curve], centre: Point, radius: float) -> list[Curve]:
    """The pieces of curves that lie within a circle."""
    out: list[Curve] = []
    for curve in curves:

        def off(at: FloatArray, curve: Curve = curve) -> FloatArray:
            return np.asarray(np.hypot(*(np.asarray(curve.points(at)) - centre).T) - radius)

        t = np.linspace(0.0, 1.0, max(_SAMPLES, min(math.ceil(8.0 * curve.length / radius), _MOST_SAMPLES)) + 1)
        values = off(t)
        turns = np.flatnonzero((values[:-1] < 0.0) != (values[1:] < 0.0))
        cuts = [0.0, *(_change(off, float(t[n]), float(t[n + 1])) for n in turns), 1.0]
        table = CurveTable.of([curve])
        for a, b in pairwise(cuts):
            if b - a > _CRUMB and float(off(np.array([(a + b) / 2.0]))[0]) < 0.0:
                out += table.parts(np.array([0]), np.array([a]), np.array([b])).curves()
    return out


def _change(value: Callable[[FloatArray], FloatArray], low: float, high: float) -> float:
    """Where a function changes its sign between two places, by halving."""
    sign = float(value(np.array([low]))[0]) < 0.0
    for _ in range(_HALVINGS):
        middle = (low + high) / 2.0
        if (float(value(np.array([middle]))[0]) < 0.0) == sign:
            low = middle
        else:
            high = middle
    return (low + high) / 2.0


def hatched(filled: Sequence[Filled], scale: float, at: Point) -> Ink:
    """Hatching lines on the paper: at 45°, plain for metals, each second one dashed for copper and its alloys, crossed
    for plastics; the other way, and closer, in every second body. `at`: where the view's origin stands."""
    ink = Ink()
    for n, one in enumerate(filled):
        area = shapely.affinity.affine_transform(one.area, (scale, 0.0, 0.0, scale, *at))
        spacing = _SPACING * (_CLOSE if n % 2 else 1.0)
        ways = (1.0, -1.0) if one.pattern == "plastic" else (-1.0 if n % 2 else 1.0,)
        for way in ways:
            for m, line in enumerate(_across(area, way, spacing)):
                dashed = one.pattern == "copper" and m % 2 == 1
                for x0, y0, x1, y1 in line:
                    ink.line(x0, y0, x1, y1, pen="hatch dashed" if dashed else "hatch")
    return ink


def _across(area: Any, way: float, spacing: float) -> Iterator[list[tuple[float, float, float, float]]]:
    """Lines at 45° (or the other way) over an area, each as its stretches inside; they stand where multiples of the
    spacing are, so that areas of one plane match."""
    x0, y0, x1, y1 = area.bounds
    step = spacing * math.sqrt(2.0)
    offs = sorted(y - way * x for x in (x0, x1) for y in (y0, y1))
    shapely.prepare(area)
    for n in range(math.ceil(offs[0] / step), math.floor(offs[-1] / step) + 1):
        line = shapely.LineString([(x0, way * x0 + n * step), (x1, way * x1 + n * step)])
        pieces = shapely.get_parts(line.intersection(area))
        yield [(*p.coords[0], *p.coords[-1]) for p in pieces if p.length > _SHORTEST]


def cut_mark(mark: CutMark, box: tuple[float, float, float, float], scale: float, at: Point, height: float) -> Ink:
    """The line of a cut over a view on the paper: a chain line with thick ends, arrows the way one looks, and its
    letters (ISO 128-3). `box`: the view's extents; `at`: where the view's origin stands."""
    ink = Ink()
    k = 0 if mark.upright else 1
    here = at[k] + mark.at * scale
    low, high = (at[1 - k] + v * scale for v in (box[1 - k], box[3 - k]))

    def line(u0: float, v0: float, u1: float, v1: float, pen: Pen) -> None:
        ink.line(*((u0, v0, u1, v1) if k == 0 else (v0, u0, v1, u1)), pen=pen)

    line(here, low - _PAST + _THICK, here, high + _PAST - _THICK, "centre")
    for end, out in ((low, -1.0), (high, 1.0)):
        tip = end + out * _PAST
        line(here, tip - out * _THICK, here, tip, "outline")
        line(here, tip, here + mark.way * 2.0 * _ARROW, tip, "thin")
        x, y = (here + mark.way * 2.0 * _ARROW, tip) if k == 0 else (tip, here + mark.way * 2.0 * _ARROW)
        ways = (0.0 if mark.way > 0.0 else math.pi) if k == 0 else mark.way * math.pi / 2.0
        ink.arrows.append(Arrow(x, y, ways, _ARROW))
        aside = -mark.way * (height * 0.6 + 1.0)
        x, y = (here + aside, tip) if k == 0 else (tip, here + aside)
        ink.write(x, y - height / 2.0, mark.letter, height=height, anchor="middle")
    return ink


def detail_mark(mark: DetailMark, scale: float, at: Point, height: float) -> Ink:
    """The circle round a place that is drawn larger elsewhere, with its letter, on the paper."""
    ink = Ink()
    x, y, r = at[0] + mark.centre[0] * scale, at[1] + mark.centre[1] * scale, mark.radius * scale
    ink.strokes.append(Stroke(Arc(x, y, r, 0.0, TURN), "thin"))
    away = (r + 1.0) * math.sqrt(0.5)
    ink.write(x - away, y - away - height, mark.letter, height=height, anchor="end")
    return ink
