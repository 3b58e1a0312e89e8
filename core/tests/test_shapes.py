"""Profiles put together, offset and thickened, and their section properties, against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from figures import Figure
from hypothesis import given, settings
from hypothesis import strategies as st
from tectogon.curves import Arc, CurveTable
from tectogon.profiles import Regions, find_regions
from tectogon.profiles.section import section_of
from tectogon.profiles.shapes import boundary, combined, offset, thickened


def regions_of(table: CurveTable) -> Regions:
    return find_regions(table, tuple(map(str, range(len(table)))), join_tol=1e-6)


def area(table: CurveTable) -> float:
    return sum(r.area for r in regions_of(table).profiles)


def area_in_one(table: CurveTable, first: CurveTable, second: CurveTable) -> float:
    """The area of the regions that lie in exactly one of two shapes: neighbours across a point are regions of one level
    all the same."""
    shapes = [shapely.polygonize([shapely.linestrings(t.flatten(1e-4)[0])]) for t in (first, second)]
    return sum(
        r.area for r in regions_of(table).regions if sum(bool(shapely.contains_xy(s, *r.inside)) for s in shapes) == 1
    )


def ring(figure: Figure) -> CurveTable:
    regions = figure.regions()
    return boundary(regions, regions.profiles[0])


SQUARE, DISC = Figure().rectangle(0, 0, 20, 20), Figure().circle(20, 10, 6)
LENS = math.pi * 18


@pytest.mark.parametrize(
    ("how", "expected"),
    [
        ("unite", 400 + 36 * math.pi - LENS),
        ("subtract", 400 - LENS),
        ("overlap", LENS),
        ("exclude", 400 + 36 * math.pi - 2 * LENS),
    ],
)
def test_two_profiles_put_together(how: str, expected: float) -> None:
    got = combined(ring(SQUARE), [ring(DISC)], how, join_tol=1e-6)  # type: ignore[arg-type]
    measured = area_in_one(got, ring(SQUARE), ring(DISC)) if how == "exclude" else area(got)
    assert measured == pytest.approx(expected, rel=1e-12)
    assert all(c.radius == 6 for c in got.curves() if isinstance(c, Arc))


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(["unite", "subtract", "overlap"]))
def test_straight_profiles_agree_with_shapely(seed: int, how: str) -> None:
    chooser = np.random.default_rng(seed)
    shapes = [shapely.convex_hull(shapely.multipoints(chooser.uniform(0, 50, (7, 2)))) for _ in range(2)]
    tables = [ring(Figure().chain(*[(x, y) for x, y in shapely.get_coordinates(s)[:-1].tolist()])) for s in shapes]
    theirs = {"unite": shapely.union, "subtract": shapely.difference, "overlap": shapely.intersection}[how](*shapes)
    assert area(combined(tables[0], [tables[1]], how, join_tol=1e-7)) == pytest.approx(theirs.area, rel=1e-9, abs=1e-9)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("distance", "join", "expected"),
    [
        (2, "miter", 24 * 24),
        (2, "round", 400 + 160 + 4 * math.pi),
        (2, "bevel", 400 + 160 + 8),
        (-3, "miter", 14 * 14),
        (-3, "round", 14 * 14),
        (-10.5, "miter", 0),
    ],
)
def test_a_square_offset(distance: float, join: str, expected: float) -> None:
    assert area(offset(ring(SQUARE), distance, join=join, join_tol=1e-6)) == pytest.approx(expected, rel=1e-9, abs=1e-9)  # type: ignore[arg-type]


def test_a_plate_with_a_hole_grows_outwards_and_into_the_hole() -> None:
    plate = ring(Figure().rectangle(0, 0, 40, 40).circle(20, 20, 8))
    assert area(offset(plate, 1.5, join="miter", join_tol=1e-6)) == pytest.approx(43 * 43 - math.pi * 6.5**2, rel=1e-9)
    assert area(offset(plate, -1.5, join="miter", join_tol=1e-6)) == pytest.approx(37 * 37 - math.pi * 9.5**2, rel=1e-9)


# ┌────────┐        a tray section drawn as one line
# │        │
@pytest.mark.parametrize(
    ("side", "expected"),
    [
        ("left", 2 * 30 * 1.2 + 60 * 1.2 - 2 * 1.44),
        ("right", 2 * 30 * 1.2 + 60 * 1.2 + 2 * 1.44),
        ("both", 2 * 30 * 1.2 + 60 * 1.2),
    ],
)
def test_a_line_given_thickness_has_its_bend_corners_right(side: str, expected: float) -> None:
    line = Figure().chain((0, 30), (0, 0), (60, 0), (60, 30), close=False).shuffled(3).table
    got = thickened(line, 1.2, side=side, join="miter", join_tol=1e-6)  # type: ignore[arg-type]
    turned = expected if side == "both" else None
    areas = [2 * 30 * 1.2 + 60 * 1.2 - 2 * 1.44, 2 * 30 * 1.2 + 60 * 1.2 + 2 * 1.44]
    assert (
        area(got) == pytest.approx(turned, rel=1e-9)
        if turned
        else any(area(got) == pytest.approx(a, rel=1e-9) for a in areas)
    )
    assert len(regions_of(got).profiles) == 1


def test_the_two_sides_of_a_line_add_up_to_both() -> None:
    figure = Figure().chain((0, 20), (0, 0), (40, 0), close=False)
    figure.curves.append(Arc(40, 10, 10, -math.pi / 2, math.pi / 2))
    left, right = (area(thickened(figure.table, 2, side=s, join="miter", join_tol=1e-6)) for s in ("left", "right"))  # type: ignore[arg-type]
    assert left + right == pytest.approx(
        area(thickened(figure.table, 4, side="both", join="miter", join_tol=1e-6)), rel=1e-9
    )


def test_section_properties_in_closed_form() -> None:
    def of(figure: Figure) -> dict[str, float]:
        regions = figure.regions()
        return section_of(regions, regions.profiles[0]).as_json()

    plate = of(Figure().rectangle(5, 7, 30, 10))
    assert (plate["ix"], plate["iy"], plate["ixy"]) == pytest.approx(
        (30 * 10**3 / 12, 10 * 30**3 / 12, 0), rel=1e-13, abs=1e-8
    )
    assert (plate["wx"], plate["wy"]) == pytest.approx((30 * 100 / 6, 10 * 900 / 6), rel=1e-13)
    tube = of(Figure().circle(3, 4, 10).circle(3, 4, 8))
    assert tube["i1"] == pytest.approx(math.pi / 4 * (10**4 - 8**4), rel=1e-13)
    assert tube["rx"] == pytest.approx(math.sqrt(10**2 + 8**2) / 2, rel=1e-13)
    turned = of(Figure().rectangle(0, 0, 30, 10).moved(3, -8, 0.5))
    assert (turned["i1"], turned["i2"]) == pytest.approx((10 * 30**3 / 12, 30 * 10**3 / 12), rel=1e-12)
    half = Figure().line(-6, 0, 6, 0)
    half.curves.append(Arc(0, 0, 6, 0, math.pi))
    assert of(half)["ix"] == pytest.approx((math.pi / 8 - 8 / (9 * math.pi)) * 6**4, rel=1e-13)
    oval = of(Figure().ellipse(0, 0, 12, 0.5))
    assert (oval["ix"], oval["iy"]) == pytest.approx((math.pi / 4 * 12 * 6**3, math.pi / 4 * 12**3 * 6), rel=1e-12)
