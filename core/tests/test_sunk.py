"""Prisms put into or onto a flat face without intersecting: the same as the kernel's own cut and join, and only where
nothing is in their way."""

from __future__ import annotations

import numpy as np
import pytest
from figures import Figure
from hypothesis import given, settings
from hypothesis import strategies as st
from tectogon.profiles import Regions
from tectogon.solids import measure, proof
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.solids.sunk import sunk
from tectogon.views import Frame

SQUARE = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]])


def frame_at(height: float, turn: np.ndarray = SQUARE, *, over: bool = True) -> Frame:
    """A plane parallel to the ground at a height, as it is turned with the body; seen from above or below."""
    x, y, z = turn
    origin, along, across = ((*v.tolist(),) for v in (height * z, x, y if over else -y))
    return Frame(origin, along, across)


def prisms(regions: Regions, frame: Frame, depth: float) -> list[NamedShape]:
    return [prism(regions, r, frame, 0.0, depth, 20) for r in regions.profiles]


def plate(turn: np.ndarray = SQUARE) -> NamedShape:
    """120 × 100 × 10, with a bore."""
    regions = Figure().rectangle(-60, -50, 120, 100).circle(50, 40, 5).regions()
    return prism(regions, regions.profiles[0], frame_at(0.0, turn), 0.0, 10.0, 10)


def turned(seed: int) -> np.ndarray:
    q, _ = np.linalg.qr(np.random.default_rng(seed).normal(size=(3, 3)))
    return np.asarray(q * np.sign(np.linalg.det(q)))


def art(seed: int) -> Figure:
    """Rings in rings, slots, wavy outlines and one of splines, that keep clear of each other."""
    some = np.random.default_rng(seed)
    figure = Figure().circle(-30, -20, 20).circle(-30, -20, 14)
    wavy = 8 + some.uniform(0, 3, 24)
    angles = 2 * np.pi * np.arange(24) / 24
    figure.chain(*((float(-30 + r * np.cos(a)), float(-20 + r * np.sin(a))) for r, a in zip(wavy, angles, strict=True)))
    figure.slot(10, 20, float(some.uniform(5, 15)), 4).ellipse(20, -20, 12, 0.5, float(some.uniform(0, 3)))
    figure.spline((-40, 20), (-30, float(some.uniform(30, 45))), (-15, 30), (-20, 20)).line(-20, 20, -40, 20)
    return figure


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6), st.booleans(), st.booleans())
def test_it_is_what_the_kernel_makes_of_it(seed: int, cut: bool, over: bool) -> None:
    turn = turned(seed)
    frame = frame_at(10.0 if over else 0.0, turn, over=over)
    how, depth = ("cut", -0.7) if cut else ("join", 1.3)
    body, tools = plate(turn), prisms(art(seed).regions(), frame, depth)
    assert len(tools) >= 4
    made = sunk(body, tools, how, frame)
    assert made is not None
    theirs = combine(how, [body], tools)
    assert made.volume == pytest.approx(theirs.volume, rel=1e-9)
    assert proof.is_sound(made.shape)
    assert sorted(n.key for n in made.names) == sorted(n.key for n in theirs.names)
    assert measure.bounds(made.shape) == pytest.approx(measure.bounds(theirs.shape), abs=1e-6)


@pytest.mark.parametrize(
    ("what", "figure", "height", "depth"),
    [
        ("through the floor", Figure().circle(0, 0, 5), 10.0, -10.0),
        ("a hair short of it", Figure().circle(0, 0, 5), 10.0, -10.0 + 1e-5),
        ("over the edge", Figure().circle(58, 0, 5), 10.0, -1.0),
        ("on the edge", Figure().rectangle(50, 0, 10, 5), 10.0, -1.0),
        ("into the bore", Figure().circle(44, 40, 5), 10.0, -1.0),
        ("round the bore", Figure().circle(48, 38, 9), 10.0, -1.0),
        ("not on the face", Figure().circle(0, 0, 5), 9.0, -1.0),
        ("in the air beside it", Figure().circle(90, 0, 5), 10.0, -1.0),
        ("upwards into nothing", Figure().circle(0, 0, 5), 10.0, 1.0),
        ("two that touch", Figure().circle(0, 0, 5).circle(10, 0, 5), 10.0, -1.0),
        ("walls that go on", Figure().chain((0, 0), (5, 0), (10, 0), (10, 9), (0, 9)), 10.0, -1.0),
    ],
)
def test_what_is_in_the_way_is_left_to_the_kernel(what: str, figure: Figure, height: float, depth: float) -> None:
    frame = frame_at(height)
    assert sunk(plate(), prisms(figure.regions(), frame, depth), "cut", frame) is None, what


def test_a_second_one_goes_into_the_floor_of_the_first() -> None:
    frame, deeper = frame_at(10.0), frame_at(9.0)
    once = sunk(plate(), prisms(Figure().circle(0, 0, 20).regions(), frame, -1.0), "cut", frame)
    assert once is not None
    twice = sunk(once, prisms(Figure().circle(3, 0, 9).regions(), deeper, -2.0), "cut", deeper)
    assert twice is not None
    assert once.volume - twice.volume == pytest.approx(np.pi * 81 * 2, rel=1e-9)
    assert proof.is_sound(twice.shape)
