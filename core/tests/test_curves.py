"""Curves against closed forms, and against each other."""

from __future__ import annotations

import math

import numpy as np
import pytest
from figures import TURN, Figure
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.interpolate import BSpline
from tectogon.curves import Arc, Curve, CurveTable, EllipticArc, Line, Spline
from tectogon.curves.meet import find_meetings
from tectogon.curves.moments import area_moments
from tectogon.curves.shapes import arc_through_bulge
from tectogon.curves.square import feet, places_of_meeting, tangent_points

coordinate = st.floats(-100, 100)
angle = st.floats(-6, 6)
sweep = st.floats(0.1, 6.2).flatmap(lambda s: st.sampled_from([s, -s]))
lines = st.builds(Line, coordinate, coordinate, coordinate, coordinate).filter(lambda c: c.length > 0.1)
arcs = st.builds(Arc, coordinate, coordinate, st.floats(0.5, 50), angle, sweep)
ellipses = st.builds(
    EllipticArc, coordinate, coordinate, st.floats(1, 40), st.floats(1, 40), st.floats(0.1, 1.0), angle, sweep
)
splines = st.lists(st.tuples(coordinate, coordinate), min_size=4, max_size=4, unique=True).map(
    lambda p: Spline.bezier(np.array(p))
)
curves = st.one_of(lines, arcs, ellipses, splines)
T = np.linspace(0, 1, 401)


@given(curves, st.floats(-3, 3), st.floats(0.2, 4), st.booleans(), st.floats(0.3, 2))
@settings(max_examples=120, deadline=None)
def test_an_affine_map_of_the_table_is_the_map_of_every_point(
    curve: Curve, turn: float, scale: float, mirror: bool, stretch: float
) -> None:
    c, s = scale * math.cos(turn), scale * math.sin(turn)
    matrix = np.array([[c, -s * stretch, 5.0], [s, c * stretch, -3.0]]) @ np.diag([1.0, -1.0 if mirror else 1.0, 1.0])
    moved = CurveTable.of([curve]).transformed(matrix).curve(0)
    expected = np.asarray(curve.points(T)) @ matrix[:, :2].T + matrix[:, 2]
    got = np.asarray(moved.points(T))
    if isinstance(curve, (Line, Spline)) or abs(stretch - 1) < 1e-9:
        assert np.allclose(got, expected, atol=1e-8)
    assert np.allclose(got[[0, -1]], expected[[0, -1]], atol=1e-6)
    assert (
        np.abs(expected - got[:, None]).max(axis=2).min(axis=1).max() < 3.0
    )  # the same set of points, within the sampling


@given(curves, st.floats(0.05, 0.45), st.floats(0.55, 0.95))
@settings(max_examples=100, deadline=None)
def test_a_piece_lies_on_its_curve_and_lengths_add_up(curve: Curve, a: float, b: float) -> None:
    table = CurveTable.of([curve])
    rows = np.zeros(3, np.int64)
    parts = table.parts(rows, np.array([0, a, b]), np.array([a, b, 1.0]))
    assert parts.lengths.sum() == pytest.approx(table.lengths[0], rel=1e-6)
    for n, (t0, t1) in enumerate([(0, a), (a, b), (b, 1)]):
        got = np.asarray(parts.curve(n).points(np.array([0.0, 0.5, 1.0])))
        assert np.allclose(got, np.asarray(curve.points(np.array([t0, (t0 + t1) / 2, t1]))), atol=1e-7)


@given(curves)
@settings(max_examples=100, deadline=None)
def test_flattening_keeps_the_chord_tolerance_and_the_box_holds_it(curve: Curve) -> None:
    table = CurveTable.of([curve])
    points, _ = table.flatten(0.05)
    fine = np.asarray(curve.points(T))
    steps = np.diff(points, axis=0)
    along = np.clip(
        np.sum((fine[:, None] - points[None, :-1]) * steps, axis=2) / np.maximum(np.sum(steps**2, axis=1), 1e-12), 0, 1
    )
    feet = points[None, :-1] + along[..., None] * steps
    assert np.linalg.norm(feet - fine[:, None], axis=2).min(axis=1).max() <= 0.05 * 1.3
    x0, y0, x1, y1 = table.bounds[0]
    assert (fine >= [x0 - 1e-7, y0 - 1e-7]).all()
    assert (fine <= [x1 + 1e-7, y1 + 1e-7]).all()


@given(curves, coordinate, coordinate)
@settings(max_examples=80, deadline=None)
def test_moments_agree_with_a_fine_polygon(curve: Curve, x: float, y: float) -> None:
    closing = [
        curve,
        Line(*np.asarray(curve.points(np.array([1.0])))[0].tolist(), x, y),
        Line(x, y, *np.asarray(curve.points(np.array([0.0])))[0].tolist()),
    ]
    found = area_moments(CurveTable.of(closing)).sum(axis=0)
    p = np.vstack([np.asarray(curve.points(np.linspace(0, 1, 20001))), [[x, y]]])
    q = np.roll(p, -1, axis=0)
    cross = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
    expected = [cross.sum() / 2, ((p[:, 0] + q[:, 0]) * cross).sum() / 6, ((p[:, 1] + q[:, 1]) * cross).sum() / 6]
    size = max(np.abs(p).max(), 1.0)
    assert np.allclose(found, expected, atol=1e-5 * size**3)


def test_circle_moments_are_exact() -> None:
    area, sx, sy = area_moments(CurveTable.of([Arc(3, -2, 5, 1.234, TURN)]))[0]
    assert area == pytest.approx(25 * math.pi, rel=1e-14)
    assert (sx / area, sy / area) == pytest.approx((3, -2), rel=1e-12)


@pytest.mark.parametrize("bulge", [1.0, -0.5, 2.5, 0.01])
def test_a_bulge_is_the_tangent_of_a_quarter_of_the_angle(bulge: float) -> None:
    arc = arc_through_bulge((0, 0), (10, 0), bulge)
    assert isinstance(arc, Arc)
    assert arc.sweep == pytest.approx(4 * math.atan(bulge))
    assert np.allclose(arc.points(np.array([0.0, 1.0])), [[0, 0], [10, 0]], atol=1e-9)
    assert np.asarray(arc.points(np.array(0.5)))[1] == pytest.approx(
        -5 * bulge, rel=1e-9
    )  # sagitta = bulge × half the chord


def test_unclamped_and_rational_splines_agree_with_scipy() -> None:
    knots = np.array([0.0, 1, 2, 3, 4.5, 5, 6, 7, 8])
    poles = np.array([[0, 0], [2, 5], [5, -3], [7, 4], [11, 0.0]])
    ours = Spline.of(3, knots, poles)
    theirs = BSpline(knots, poles, 3)(3 + T * (5 - 3))
    assert np.allclose(ours.points(T), theirs, atol=1e-12)
    quarter = Spline.of(
        2, np.array([0, 0, 0, 1, 1, 1.0]), np.array([[1, 0], [1, 1], [0, 1.0]]), np.array([1, math.sqrt(0.5), 1])
    )
    assert np.allclose(np.hypot(*quarter.points(T).T), 1.0, atol=1e-14)
    assert quarter.length == pytest.approx(math.pi / 2, rel=1e-10)
    assert np.allclose(quarter.part(0.2, 0.7).points(T), quarter.points(0.2 + 0.5 * T), atol=1e-12)


@pytest.mark.parametrize("bad", [(3, [0, 0, 1, 1], 2), (2, [0, 0, 0, -1, 1, 1], 3), (1, [0, 0, 0, 0], 2)])
def test_splines_that_do_not_fit_are_refused(bad: tuple[int, list[float], int]) -> None:
    degree, knots, poles = bad
    with pytest.raises(ValueError, match="spline"):
        Spline.of(degree, np.array(knots, float), np.zeros((poles, 2)))


def meetings_of(figure: Figure, tol: float = 1e-9) -> np.ndarray:
    table = figure.table
    ends = np.arange(2 * len(table)).reshape(-1, 2)
    found = find_meetings(table, ends, tol=tol)
    return np.unique(np.round(found.point, 6), axis=0)


@pytest.mark.parametrize(
    ("figure", "points"),
    [
        (Figure().line(0, 0, 10, 10).line(0, 10, 10, 0), [[5, 5]]),
        (Figure().line(-10, 3, 10, 3).circle(0, 0, 5, 0.3), [[-4, 3], [4, 3]]),
        (Figure().line(-10, 5, 10, 5).circle(0, 0, 5, 0.3), [[0, 5]]),  # touching
        (Figure().circle(0, 0, 5, 0.3).circle(8, 0, 5, 0.3), [[4, -3], [4, 3]]),
        (Figure().circle(0, 0, 5, 1.0).circle(3, 0, 2, 1.0), [[5, 0]]),  # touching from inside
        (Figure().line(0, 0, 10, 0).line(4, 0, 4, 7), [[4, 0]]),  # a T
        (Figure().line(-9, 0, 9, 0).ellipse(0, 0, 6, 0.5), [[-6, 0], [6, 0]]),
        (Figure().line(-1, 1, 5, 1).spline((0, 0), (0, 2), (4, 2), (4, 0)), None),
        (Figure().line(0, 0, 10, 0).line(0, 1, 10, 1), []),
    ],
)
def test_curves_meet_where_they_should(figure: Figure, points: list[list[float]] | None) -> None:
    found = meetings_of(figure)
    if points is None:
        assert np.allclose(found[:, 1], 1.0)
        assert len(found) == 2
    else:
        assert np.allclose(found, np.array(points, float).reshape(-1, 2), atol=1e-5)


@given(curves, st.tuples(coordinate, coordinate))
@settings(max_examples=150, deadline=None)
def test_tangents_and_perpendiculars_from_a_point_arrive_as_they_should(
    curve: Curve, point: tuple[float, float]
) -> None:
    speed = np.hypot(*np.asarray(curve.derivatives(T)).T)
    assume(speed.min() > 0.02 * speed.max())  # no cusps, where a curve has no direction

    def arrivals(places: np.ndarray) -> list[float]:
        """The sine of the angle between the line from the point and the curve, at each place."""
        out = []
        for place in places:
            t = T[np.hypot(*(np.asarray(curve.points(T)) - place).T).argmin()]
            fine = np.clip(np.linspace(t - 0.003, t + 0.003, 2001), 0, 1)
            at = fine[np.hypot(*(np.asarray(curve.points(fine)) - place).T).argmin()]
            way, line = np.asarray(curve.derivatives(np.array([at])))[0], place - np.array(point)
            size = np.hypot(*way) * np.hypot(*line)
            if size > 1e-3:
                out.append(float((line[0] * way[1] - line[1] * way[0]) / size))
        return out

    assert all(abs(s) < 0.02 for s in arrivals(tangent_points(curve, np.array(point))))
    assert all(abs(s) > 0.999 for s in arrivals(feet(curve, np.array(point))))
    off = np.hypot(*(np.asarray(curve.points(T)) - np.array(point)).T)
    if (
        0 < off.argmin() < len(T) - 1 and off.min() > 1.0 and np.ptp(off) > 1e-6
    ):  # the nearest point inside a curve is a foot
        assert len(feet(curve, np.array(point)))


def test_where_two_curves_meet_in_closed_form() -> None:
    table = Figure().circle(0, 0, 5).line(-9, 3, 9, 3).circle(6, 0, 5).line(4, 3, 4, 9).table
    assert sorted(places_of_meeting(table, 0, 1).round(12).tolist()) == [[-4, 3], [-4, 3], [4, 3], [4, 3]]
    assert {tuple(p) for p in places_of_meeting(table, 0, 2).round(12).tolist()} == {(3, 4), (3, -4)}
    assert {tuple(p) for p in places_of_meeting(table, 1, 3).round(12).tolist()} == {(4, 3)}
