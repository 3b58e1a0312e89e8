"""What a region sweeps when it is turned, asked point by point, against closed forms; and which regions are."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from tectogon.reconstruction.carriers import Carriers
from tectogon.reconstruction.depths import part_box, sides_seen
from tectogon.reconstruction.spindle import spindle_of
from tectogon.reconstruction.turning import Turned, turned_regions
from tectogon.route import Run

Write = Callable[..., Path]
OnCard = Callable[..., Run]
FIND = ("arrange", {"projection": "third"})


def cone_on_plate(*, circles: bool = True, lopsided: bool = False) -> Callable[[Any, Any], None]:
    """A plate of 60 × 40 × 10 with a cone on it, 10 high, from radius 12 to 6, over x 30, y 20; front and top."""
    slip = 3.0 if lopsided else 0.0
    figure = Figure().rectangle(0, 0, 60, 10).line(18, 10, 24 + slip, 20).line(24 + slip, 20, 36 + slip, 20)
    figure.line(36 + slip, 20, 42, 10).rectangle(0, 40, 60, 40)
    if circles:
        figure.circle(30, 60, 12).circle(30, 60, 6)
    return figure.draw()


def found(run: Run) -> list[Turned]:
    assert run.failed is None, run.failed
    seen = sides_seen(run.workpiece)
    size = max(b - a for a, b in part_box(seen).values())
    return turned_regions(seen, size)


def test_a_cone_holds_what_its_closed_form_says(drawing: Write, on_card: OnCard) -> None:
    (cone,) = found(on_card(drawing(cone_on_plate()), FIND))
    assert (cone.axis, cone.beside) == (2, False)
    assert cone.half.bounds == pytest.approx((10, 0, 20, 12), abs=1e-6)
    middle = np.array(cone.centre)
    around = np.linspace(-18, 18, 37)
    at = [middle[0] + around + 0.013, middle[1] + around, np.linspace(5.02, 24.97, 40)]
    x, y, z = np.meshgrid(*at, indexing="ij")
    off = np.hypot(x - middle[0], y - middle[1])
    inside = (z > 10) & (z < 20) & (off < 12 - 0.6 * (z - 10))
    assert inside.any() and (cone.holds(at) == inside).all()
    assert (cone.tube(at) == ((z >= 10) & (z <= 20) & (off <= 12))).all()


def test_the_surface_between_two_samples_is_the_one_that_is_crossed(drawing: Write, on_card: OnCard) -> None:
    (cone,) = found(on_card(drawing(cone_on_plate()), FIND))
    carriers = Carriers()
    levels = np.array([0.0, 10.0, 20.0])
    surfaces = cone.surfaces(carriers, levels, 60.0)
    c, d = cone.centre
    at = [np.array([c - 20, c, c + 20]), np.array([d - 0.01, d + 0.01]), np.array([5.0, 12.0, 15.0, 18.0, 25.0])]
    upwards, way = surfaces.between(at, 2)
    kinds = [carriers.keys[n][0][0] if n >= 0 else None for n in upwards[1, 0]]
    assert kinds == ["plane", None, None, "plane"] and way[1, 0].tolist() == [-1, 0, 0, 1]
    across, way = surfaces.between(at, 0)
    assert {carriers.keys[n][0][0] for n in across[:, 0, 1:4].ravel()} == {"cone"}
    assert way[:, 0, 2].tolist() == [-1, 1]
    assert (across[:, 0, 0] == -1).all()


@pytest.mark.parametrize("how", [{"circles": False}, {"lopsided": True}])
def test_without_a_circle_or_alike_sides_nothing_is_turned(
    how: dict[str, bool], drawing: Write, on_card: OnCard
) -> None:
    assert found(on_card(drawing(cone_on_plate(**how)), FIND)) == []


def test_rims_that_samples_may_miss_are_left_aside(drawing: Write, on_card: OnCard) -> None:
    (cone,) = found(on_card(drawing(cone_on_plate()), FIND))
    c, d = cone.centre
    along = np.array([c, c + 5.99, c + 9.0, c + 11.99, c + 15.0])
    assert cone.thin([along, np.array([d])], 0.05)[:, 0].tolist() == [False, True, False, True, False]


def shaft(ends: Callable[[Figure], Figure]) -> Figure:
    figure = Figure()
    for foot in (0.0, 60.0):
        figure.rectangle(0, foot, 40, 30).rectangle(40, foot + 7, 20, 16)
    return ends(figure)


@pytest.mark.parametrize(
    ("ends", "is_one"),
    [
        (lambda f: f.circle(100, 15, 15).circle(100, 15, 8), True),
        (lambda f: f, True),
        (lambda f: f.circle(100, 15, 15).circle(103, 15, 8), False),
        (lambda f: f.rectangle(85, 0, 30, 30).circle(100, 15, 8), False),
        (lambda f: f.rectangle(10, 5, 6, 4), False),
    ],
    ids=["circles", "no end view", "off centre", "square end", "pocket off the middle"],
)
def test_a_part_is_turned_as_a_whole_only_if_all_views_are_alike_about_a_line(
    ends: Callable[[Figure], Figure], is_one: bool, drawing: Write, on_card: OnCard
) -> None:
    run = on_card(drawing(shaft(ends).draw()), FIND)
    assert run.failed is None, run.failed
    seen = sides_seen(run.workpiece)
    spindle = spindle_of(seen, part_box(seen), run.workpiece.drawing)
    assert (spindle is not None) == is_one
    if spindle:
        assert spindle.axis == 0 and len(spindle.halves) == 2
        assert {tuple(np.round(t.half.bounds, 6).tolist()) for t in spindle.halves} == {(0, 0, 40, 15), (40, 0, 60, 8)}
