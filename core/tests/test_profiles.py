"""Regions against closed forms and against shapely, whatever the order and direction of the curves."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from figures import Figure, by_level
from hypothesis import given, settings
from hypothesis import strategies as st
from tectogon.curves import CurveTable, Line
from tectogon.profiles import find_regions
from tectogon.profiles.pinch import parted, pinch_of


def test_a_plate_with_holes_has_exact_figures(plate: Figure) -> None:
    (material,) = plate.regions().profiles
    area = 5000 - 125 * math.pi
    assert material.area == pytest.approx(area, rel=1e-14)
    assert material.perimeter == pytest.approx(300 + 30 * math.pi, rel=1e-14)
    assert material.centroid == pytest.approx(((250000 - 3000 * math.pi - 1750 * math.pi) / area, 25), rel=1e-13)
    assert len(material.holes) == 2


# ┌──────────────┐
# │ ┌────┐ ╭──╮  │   islands in holes in islands
# │ │ ○  │ │◎ │  │
# └─┴────┴─╰──╯──┘
def test_nesting_to_any_depth() -> None:
    figure = Figure()
    for n in range(12):
        figure.circle(0, 0, 24 - 2 * n, start=n)
    regions = figure.regions()
    assert [r.level for r in regions.regions] == list(range(12))
    assert all(
        r.area == pytest.approx(math.pi * ((24 - 2 * r.level) ** 2 - ((22 - 2 * r.level) ** 2 if r.level < 11 else 0)))
        for r in regions.regions
    )


@given(st.integers(0, 10_000), st.floats(-400, 400), st.floats(-3, 3))
@settings(max_examples=60, deadline=None)
def test_order_direction_splits_and_place_change_nothing(seed: int, shift: float, turn: float) -> None:
    figure = (
        Figure()
        .rectangle(0, 0, 100, 60)
        .circle(20, 20, 8)
        .slot(50, 30, 20, 6)
        .circle(60, 30, 3)
        .ellipse(85, 45, 8, 0.5, 0.4)
    )
    figure.chain((5, 50), (15, 50), (10, 57)).line(50, 0, 50, 10)
    expected = figure.regions()
    broken = figure.shuffled(seed).split(seed).moved(shift, -shift, turn).regions(1e-7)
    assert [row[0::2] for row in by_level(broken)] == [row[0::2] for row in by_level(expected)]
    assert np.allclose([r[1] for r in by_level(broken)], [r[1] for r in by_level(expected)], rtol=1e-7)


@given(st.integers(0, 10_000))
@settings(max_examples=50, deadline=None)
def test_straight_regions_agree_with_shapely(seed: int) -> None:
    chooser = np.random.default_rng(seed)
    figure = Figure()
    for x, y, w, h in chooser.uniform([0, 0, 5, 5], [80, 80, 60, 60], (6, 4)).tolist():
        figure.rectangle(x, y, w, h)
    for a, b, c, d in chooser.uniform(0, 120, (5, 4)).tolist():
        figure.line(a, b, c, d)
    lines = shapely.multilinestrings([[[c.x0, c.y0], [c.x1, c.y1]] for c in figure.curves])  # type: ignore[union-attr]
    polygons, _, _, _ = shapely.polygonize_full([shapely.union_all(lines)])
    expected = sorted(p.area for p in polygons.geoms if p.area > 1e-9)
    assert np.allclose(sorted(r.area for r in figure.regions(1e-9).regions), expected, rtol=1e-6)


def test_a_stray_line_costs_no_region() -> None:
    figure = Figure().rectangle(0, 0, 10, 10).line(10, 10, 15, 15).line(-5, 5, 3, 5).line(40, 40, 50, 40)
    regions = figure.regions()
    assert by_level(regions) == [(0, 100.0, 0)]
    assert len(regions.open_rows) == 3
    assert regions.open_length == pytest.approx(math.hypot(5, 5) + 8 + 10)


def test_lines_on_top_of_lines_count_once() -> None:
    figure = (
        Figure().rectangle(0, 0, 10, 10).rectangle(0, 0, 10, 10).line(3, 0, 8, 0).circle(5, 5, 2).circle(5, 5, 2, 1.0)
    )
    regions = figure.regions()
    assert by_level(regions) == [(0, round(100 - 4 * math.pi, 6), 1), (1, round(4 * math.pi, 6), 0)]
    assert set(regions.doubles.tolist()) == {4, 5, 6, 7, 8, 10}


def test_shared_edges_and_crossings_part_regions() -> None:
    divided = Figure().rectangle(0, 0, 100, 50).line(40, 0, 40, 50)
    assert by_level(divided.regions()) == [(0, 2000.0, 0), (0, 3000.0, 0)]
    lens = 2 * 100 * math.acos(0.5) - 0.5 * math.sqrt(300 * 100)
    areas = sorted(r.area for r in Figure().circle(0, 0, 10).circle(10, 0, 10).regions().regions)
    assert areas == pytest.approx([lens, 100 * math.pi - lens, 100 * math.pi - lens], rel=1e-12)


def test_gaps_close_within_the_joining_distance_only() -> None:
    figure = Figure().line(0, 0, 10, 0).line(10.05, 0, 10, 10).line(10, 10, 0, 10).line(0, 10, 0, 0.08)
    assert not figure.regions(0.01).regions
    assert len(figure.regions(0.01).open_ends) == 4
    (region,) = figure.regions(0.1).regions
    assert region.area == pytest.approx(100, rel=4e-3)


def test_shapes_that_touch_in_a_point_stay_two() -> None:
    hourglass = Figure().chain((0, 0), (10, 10), (20, 0), (20, 20), (10, 10), (0, 20)).regions()
    assert by_level(hourglass) == [(0, 100.0, 0), (0, 100.0, 0)]
    assert hourglass.pinches.tolist() == [[10, 10]]
    touching = Figure().rectangle(0, 0, 100, 50).circle(50, 10, 10).regions()
    assert [(level, holes) for level, _, holes in by_level(touching)] == [(0, 1), (1, 0)]


def test_between_shapes_that_touch_all_round_there_is_nothing() -> None:
    """The dark fields of a chequerboard: the empty ones between them are no material, and a disc in one is again;
    where lines cross, all fields are."""
    fields = Figure()
    for x in range(5):
        for y in range(5):
            if (x + y) % 2 == 0:
                fields.rectangle(10 * x, 10 * y, 10, 10)
    found = fields.circle(15, 5 + 20, 2).regions()
    dark = sum(r.area for r in found.profiles)
    assert dark == pytest.approx(13 * 100 + math.pi * 4, rel=1e-9)
    assert len(found.profiles) == 14
    grid = Figure()
    for k in range(4):
        grid.line(10 * k, 0, 10 * k, 30).line(0, 10 * k, 30, 10 * k)
    assert len(grid.regions().profiles) == 9
    assert len(Figure().circle(0, 0, 10).circle(12, 0, 10).regions().profiles) == 3


def test_a_pinched_region_is_parted_without_losing_area() -> None:
    regions = (
        Figure().rectangle(0, 0, 100, 50).circle(50, 10, 10).chain((20, 0), (30, 20), (20, 30), (10, 20)).regions()
    )
    (outer,) = [r for r in regions.regions if r.level == 0]
    assert pinch_of(regions, outer) is not None
    simple, parts = parted(regions, outer)
    assert sum(p.area for p in parts) == pytest.approx(outer.area, rel=1e-9)
    assert all(pinch_of(simple, p) is None for p in parts)


def test_large_coordinates_keep_their_digits(plate: Figure) -> None:
    far = plate.moved(1e7, -2e7).regions()
    assert far.profiles[0].area == pytest.approx(plate.regions().profiles[0].area, rel=1e-9)


def test_an_empty_drawing_has_no_regions() -> None:
    assert Figure().regions().regions == ()


def test_a_lens_too_flat_to_be_seen_is_a_region_all_the_same() -> None:
    """Two splines 0.01 mm apart in the middle, in a drawing of 10 m: flattened for nesting they are one line, yet
    nothing breaks."""
    figure = (
        Figure()
        .rectangle(0, 0, 10_000, 10_000)
        .spline((10, 10), (20, 10.01), (30, 10.01), (40, 10))
        .spline((10, 10), (20, 9.99), (30, 9.99), (40, 10))
    )
    found = figure.regions(1e-3)
    assert sorted(r.level for r in found.regions) == [0, 1]
    lens = next(r for r in found.regions if r.level == 1)
    assert lens.area == pytest.approx(
        30 * 0.02 / 2, rel=1e-8
    )  # a cubic over its chord: half of the height of its middle poles


def test_crumbs_in_a_row_leave_no_gap() -> None:
    """A square with three pieces in a row at one corner, each shorter than what counts as joined, together longer."""
    crumb = 0.8e-3
    corners = [(0.0, 0.0), (10.0, 0.0), (10.0, 10.0), (0.0, 10.0), (0.0, 3 * crumb), (0.0, 2 * crumb), (0.0, crumb)]
    table = CurveTable.of([Line(*a, *b) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)])
    found = find_regions(table, tuple(map(str, range(len(table)))), join_tol=1e-3)
    assert [r.area for r in found.regions] == pytest.approx([100.0], abs=0.02)
    assert not len(found.open_ends)
