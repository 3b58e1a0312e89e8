"""Leaning sides and points, held against closed forms: a profile of straight lines that leans in by d has the area
A - P d + Σ tan(turn / 2) d² (Steiner), an outline of arcs keeps its corners on conics."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import shapely
from figures import Figure
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from OCP.BRepAdaptor import BRepAdaptor_Surface
from tectogon.building.tapering import Sides, tapers
from tectogon.curves import CurveTable, EllipticArc
from tectogon.errors import BadValue, TectogonError
from tectogon.linework import Linework
from tectogon.profiles.leaning import ClosesUp, leaning
from tectogon.profiles.rings import rings_of
from tectogon.route import Run
from tectogon.solids import kernel
from tectogon.solids.features import Feature
from tectogon.workpiece.model import Drawing, Workpiece

ALL = {"rule": "material"}
Case = Callable[..., Run]


def on_sheet(figure: Figure) -> Workpiece:
    ids = tuple(f"s10:{n}" for n in range(len(figure.curves)))
    return Workpiece(drawing=Drawing(Linework(figure.table, ids)))


def tapered(figure: Figure, start: float, end: float, sides: Sides) -> Feature:
    workpiece = on_sheet(figure)
    return tapers(workpiece, workpiece.drawing.regions.profiles, [(start, end)], sides, 20)[0]


def kinds(feature: Feature) -> set[str]:
    faces = kernel.faces_of(feature.named.shape)
    return {str(BRepAdaptor_Surface(face).GetType()).rpartition("_")[2] for face in faces}


def steiner(points: np.ndarray, lean: float, height: float) -> float:
    """The volume over a polygon (counter-clockwise) whose sides lean in."""
    ways = np.roll(points, -1, axis=0) - points
    turns = np.arctan2(*ways.T[::-1])
    bends = np.remainder(turns - np.roll(turns, 1) + math.pi, 2 * math.pi) - math.pi
    area = 0.5 * float(np.sum(points[:, 0] * np.roll(points[:, 1], -1) - points[:, 1] * np.roll(points[:, 0], -1)))
    way, t = float(np.hypot(*ways.T).sum()), math.tan(math.radians(lean))
    return area * height - way * t * height**2 / 2 + float(np.tan(bends / 2).sum()) * t**2 * height**3 / 3


@settings(max_examples=90, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    radii=st.lists(st.floats(12, 40), min_size=3, max_size=9),
    lean=st.one_of(st.floats(3, 20), st.floats(-20, -3)),
    height=st.floats(0.5, 6),
    up=st.booleans(),
)
def test_any_polygon_leans_as_steiner_says(radii: list[float], lean: float, height: float, up: bool) -> None:
    angles = 2 * math.pi * np.arange(len(radii)) / len(radii)
    points = np.column_stack([np.cos(angles), np.sin(angles)]) * np.array(radii)[:, None]
    figure = Figure().chain(*map(tuple, points.tolist()))
    try:
        made = tapered(figure, 0.0, height if up else -height, Sides(lean))
    except BadValue as refused:
        assert "closes up" in refused.sentence
        return
    workpiece = on_sheet(figure)
    rings, names = rings_of(workpiece.drawing.regions, workpiece.drawing.regions.profiles[0])
    if len(leaning(rings, names, math.tan(math.radians(lean)) * height).stages) == 1:
        assert made.named.volume == pytest.approx(steiner(points, lean, height), rel=1e-9)
    assert kinds(made) == {"Plane"}


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    w=st.floats(12, 60),
    h=st.floats(12, 60),
    r=st.floats(0.5, 5),
    hole=st.floats(1, 2.5),
    lean=st.one_of(st.floats(3, 20), st.floats(-14, -3)),
    height=st.floats(0.5, 4),
)
def test_rounded_plates_with_a_hole_lean_as_closed_forms_say(
    w: float, h: float, r: float, hole: float, lean: float, height: float
) -> None:
    figure = Figure().slot(0, 0, 0.001, 1)
    figure.curves.clear()
    for x, y, start in ((w - r, r, -90), (w - r, h - r, 0), (r, h - r, 90), (r, r, 180)):
        figure.arc(x, y, r, start, 90)
    figure.line(r, 0, w - r, 0).line(w, r, w, h - r).line(w - r, h, r, h).line(0, h - r, 0, r)
    figure.circle(w / 2, h / 2, hole)
    made = tapered(figure, 0.0, height, Sides(lean))
    t = math.tan(math.radians(lean))
    nodes, weights = np.polynomial.legendre.leggauss(40)
    total = 0.0
    for low, high in (
        (0.0, min(height, r / t if t > 0 else height)),
        (min(height, r / t if t > 0 else height), height),
    ):
        d = t * (low + (high - low) * (nodes + 1) / 2)
        left = np.maximum(r - d, 0.0)
        areas = (w - 2 * d) * (h - 2 * d) - (4 - math.pi) * left**2 - math.pi * (hole + d) ** 2
        total += float(weights @ areas) * (high - low) / 2
    assert made.named.volume == pytest.approx(total, rel=1e-6)
    assert kinds(made) <= {"Plane", "Cone"}


@pytest.mark.parametrize("lean", [4, 10, -4, -10])
def test_arcs_that_meet_at_corners_stay_cones(lean: float) -> None:
    figure = Figure().arc(-2, 0, 5, -math.degrees(math.acos(0.4)), 2 * math.degrees(math.acos(0.4)))
    figure.arc(2, 0, 5, 180 - math.degrees(math.acos(0.4)), 2 * math.degrees(math.acos(0.4)))
    height, t = 5.0, math.tan(math.radians(lean))
    made = tapered(figure, 0.0, height, Sides(lean))
    d = t * (np.polynomial.legendre.leggauss(60)[0] + 1) / 2 * height
    half = np.arccos(2.0 / (5 - d))
    areas = 2 * ((5 - d) ** 2 * half - 2.0 * np.sqrt((5 - d) ** 2 - 4.0))
    expected = float(np.polynomial.legendre.leggauss(60)[1] @ areas) * height / 2
    assert made.named.volume == pytest.approx(expected, rel=1e-9)
    assert kinds(made) == {"Cone", "Plane"}


def test_pieces_that_vanish_on_the_way_are_gone_above() -> None:
    figure = Figure().chain((2, 0), (20, 0), (20, 10), (0, 10), (0, 2))
    made = tapered(figure, 0.0, 10.0, Sides(20.0))
    at, t = 2.0 / (2 - math.sqrt(2)), math.tan(math.radians(20))
    assert made.named.volume > 0.0 and at / t < 10.0
    tops = [f for f, n in made.named.pairs() if n.role == "side"]
    assert len(tops) == 5, "the chamfer is a triangle, the others run through"


@pytest.mark.parametrize(
    ("figure", "tip"),
    [
        (Figure().rectangle(0, 0, 10, 6), None),
        (Figure().circle(0, 0, 5), None),
        (Figure().circle(0, 0, 5), (9.0, 2.0)),
        (Figure().rectangle(0, 0, 20, 20).circle(10, 10, 5), None),
        (Figure().ellipse(0, 0, 9, 0.5), None),
    ],
    ids=["pyramid", "cone", "oblique cone", "hollow pyramid", "elliptic"],
)
@pytest.mark.parametrize("height", [7.0, -7.0])
def test_to_a_point_is_a_third_of_area_times_height(
    figure: Figure, tip: tuple[float, float] | None, height: float
) -> None:
    area = on_sheet(figure).drawing.regions.profiles[0].area
    made = tapered(figure, 0.0, height, Sides(to_point=True, over=tip))
    assert made.named.volume == pytest.approx(area * 7.0 / 3.0, rel=1e-9)


def test_a_free_curve_leans_within_a_ten_thousandth_of_its_moved_outline() -> None:
    figure = Figure().spline((0, 0), (10, 20), (30, 22), (50, 3), (60, 0)).line(60, 0, 0, 0)
    made = tapered(figure, 0.0, 6.0, Sides(5.0))
    workpiece = on_sheet(figure)
    rings, names = rings_of(workpiece.drawing.regions, workpiece.drawing.regions.profiles[0])
    t = math.tan(math.radians(5.0))
    moved = leaning(rings, names, 6.0 * t)
    nodes, weights = np.polynomial.legendre.leggauss(20)
    expected = sum(w * moved.area(6.0 * t * (x + 1) / 2) for x, w in zip(nodes, weights, strict=True)) * 3.0
    assert made.named.volume == pytest.approx(expected, rel=1e-4)


def test_what_closes_up_says_at_which_height(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(Figure().rectangle(0, 0, 40, 10).draw())
    run = on_card(path, ("extrude", {"profiles": ALL, "length": 60, "sides": "in", "lean": 10}))
    assert run.failed is not None and not run.workpiece.bodies
    assert f"closes up {5 / math.tan(math.radians(10)):.4g} mm" in run.failed.message
    with pytest.raises(ClosesUp) as raised:
        rings, names = rings_of((r := on_sheet(Figure().circle(0, 0, 4)).drawing.regions), r.profiles[0])
        leaning(rings, names, 5.0)
    assert raised.value.distance == pytest.approx(4.0, rel=1e-6)


def test_a_cut_leans_from_the_face_it_goes_in_by(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(Figure().rectangle(0, 0, 60, 60).rectangle(20, 20, 20, 20).draw())
    run = on_card(path, ("extrude", {"profiles": ALL, "length": 10}))
    hole = next(r for r in run.workpiece.drawing.regions.regions if r.level == 1)
    t = math.tan(math.radians(10))

    def left(values: dict[str, object]) -> float:
        pick = {"picks": [{"id": hole.id, "at": hole.inside, "area": hole.area}]}
        both = on_card(
            path,
            ("extrude", {"profiles": {"picks": [*pick["picks"], *_outer(run)]}, "length": 10, "result": "new"}),
            ("cut", {"profiles": pick, "sides": "in", "lean": 10, **values}),
        )
        assert both.failed is None, both.failed
        return float(both.workpiece.bodies[0].volume)

    def frustum(depth: float) -> float:
        return 400 * depth - 80 * t * depth**2 / 2 + 4 * t**2 * depth**3 / 3

    pocket = {"depth": "depth", "length": 4, "start": 10}
    assert left(pocket) == pytest.approx(36000 - frustum(4), rel=1e-9)
    assert left({"depth": "through", "side": "towards"}) == pytest.approx(36000 - frustum(10), rel=1e-9)


def _outer(run: Run) -> list[dict[str, object]]:
    region = next(r for r in run.workpiece.drawing.regions.regions if r.level == 0)
    return [{"id": region.id, "at": region.inside, "area": region.area}]


@pytest.mark.parametrize("lean", [0, 86, "abc"])
def test_a_lean_that_makes_no_sense_is_told(lean: object, drawing: Callable[..., Path], on_card: Case) -> None:
    try:
        run = on_card(
            drawing(Figure().rectangle(0, 0, 9, 9).draw()), ("extrude", {"profiles": ALL, "sides": "in", "lean": lean})
        )
    except TectogonError as refused:
        assert refused.sentence
        return
    assert run.failed is not None and run.failed.message


def test_the_outside_is_cut_with_leaning_sides(drawing: Callable[..., Path], on_card: Case) -> None:
    """What is left of a block is the frustum within."""
    path = drawing(Figure().rectangle(0, 0, 60, 60).rectangle(20, 20, 20, 20).draw())
    regions = {r.level: r for r in on_card(path).workpiece.drawing.regions.regions}
    outer, inner = (
        {"picks": [{"id": r.id, "at": r.inside, "area": r.area} for r in some]}
        for some in ((regions[0], regions[1]), (regions[1],))
    )
    cut = {"profiles": inner, "takes": "outside", "depth": "depth", "length": 10, "side": "towards", "sides": "in"}
    run = on_card(path, ("extrude", {"profiles": outer, "length": 10}), ("cut", {**cut, "lean": 12}))
    assert run.failed is None, run.failed
    t = math.tan(math.radians(12))
    assert run.workpiece.bodies[0].volume == pytest.approx(4000 - 80 * t * 50 + 4 * t * t * 1000 / 3, rel=1e-9)


@pytest.mark.parametrize("start", [0.0, 0.05, 0.3, math.pi / 2])
@pytest.mark.parametrize("distance", [1.79, 1.81, 2.5, 4.0, 5.5])
def test_a_nose_rounder_than_the_lean_is_cut_back_to_an_edge(start: float, distance: float) -> None:
    """An ellipse moved inwards further than its least radius, b²/a = 1.8 mm, wherever its outline begins, held against
    shapely's buffer: behind the fold it crosses itself, and goes on to shrink."""
    halves = [EllipticArc(0.0, 0.0, 20.0, 0.0, 0.3, at, math.pi) for at in (start, start + math.pi)]
    moved = leaning([halves], [["a", "b"]], distance)
    ellipse = shapely.Polygon(CurveTable.of(halves).flatten(1e-5)[0])
    assert moved.area(distance) == pytest.approx(ellipse.buffer(-distance, quad_segs=64).area, rel=5e-5)


def test_a_blade_is_raised_to_beyond_its_least_radius(on_card: Case, tmp_path: Path) -> None:
    """The volume is the integral of the moved outline's area, which is shapely's."""
    path = tmp_path / "blade.svg"
    path.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="30mm" viewBox="0 0 60 30">'
        '<path d="M5 15C5 8 20 9 55 15C20 21 5 22 5 15z"/></svg>'
    )
    run = on_card(path, ("extrude", {"profiles": ALL, "length": 10, "sides": "in", "lean": 12}))
    assert run.failed is None, run.failed
    region = run.workpiece.drawing.regions.profiles[0]
    rings, _ = rings_of(run.workpiece.drawing.regions, region)
    flat = shapely.Polygon(CurveTable.of(rings[0]).flatten(1e-4)[0])
    nodes, weights = np.polynomial.legendre.leggauss(24)
    t = math.tan(math.radians(12))
    areas = [flat.buffer(-5 * (x + 1) * t, quad_segs=64, join_style="mitre", mitre_limit=50).area for x in nodes]
    assert run.workpiece.bodies[0].volume == pytest.approx(5 * float(np.dot(weights, areas)), rel=2e-4)
