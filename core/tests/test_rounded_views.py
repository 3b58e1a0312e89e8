"""Parts whose edges are rounded out of views that draw no line where faces run into each other."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import pytest
from figures import Figure
from tectogon.route.run import Run

Write = Callable[..., Path]
OnCard = Callable[..., Run]
FIND = ("arrange", {"projection": "third"})
SPANDREL = 1.0 - math.pi / 4.0
"""What a round of radius 1 takes off a square edge, per length."""
AWAY = (1.0 / 6.0) / SPANDREL
"""How far the centroid of that lies from the centre of the round, along either edge."""


def rounded_box(fig: Figure, x: float, y: float, w: float, h: float, radius: float, *, below: bool) -> Figure:
    """A rectangle with round corners: all four, or the upper two alone."""
    low = radius if below else 0.0
    fig.line(x + low, y, x + w - low, y).line(x + w, y + low, x + w, y + h - radius)
    fig.line(x + w - radius, y + h, x + radius, y + h).line(x, y + h - radius, x, y + low)
    fig.arc(x + w - radius, y + h - radius, radius, 0, 90).arc(x + radius, y + h - radius, radius, 90, 90)
    if below:
        fig.arc(x + radius, y + radius, radius, 180, 90).arc(x + w - radius, y + radius, radius, 270, 90)
    return fig


def pad() -> Figure:
    """A block of 60 × 40 × 20: upright edges R8, then the edges round the top R4. What is rounded draws no line."""
    fig = rounded_box(Figure(), 0, 40, 60, 40, 8, below=True)
    rounded_box(fig, 0, 0, 60, 20, 4, below=False)
    return rounded_box(fig, 80, 0, 40, 20, 4, below=False)


PAD = (60 * 40 - 4 * SPANDREL * 64) * 20 - SPANDREL * 16 * (2 * (44 + 24) + 2 * math.pi * (4 + AWAY * 4))


def bracket() -> Figure:
    """An angle of 60 × 40 × 50, 12 thick: a fillet R6 in its corner, the ends of its foot R10."""
    front = Figure().line(0, 0, 60, 0).line(60, 0, 60, 12).line(60, 12, 18, 12).arc(18, 18, 6, 180, 90)
    front.line(12, 18, 12, 50).line(12, 50, 0, 50).line(0, 50, 0, 0)
    top = front.line(0, 70, 50, 70).arc(50, 80, 10, 270, 90).line(60, 80, 60, 100).arc(50, 100, 10, 0, 90)
    top.line(50, 110, 0, 110).line(0, 110, 0, 70).line(12, 70, 12, 110)
    return top.rectangle(80, 0, 40, 50).line(80, 12, 120, 12)


BRACKET = (60 * 12 + 12 * 38 + SPANDREL * 36) * 40 - 2 * SPANDREL * 100 * 12


def volume(run: Run) -> float:
    assert run.failed is None, run.failed
    return sum(body.volume for body in run.workpiece.bodies)


@pytest.mark.parametrize(("drawn", "exact"), [(pad, PAD), (bracket, BRACKET)], ids=["pad", "bracket"])
def test_rounded_edges_come_out_of_their_views(
    drawn: Callable[[], Figure], exact: float, drawing: Write, on_card: OnCard
) -> None:
    path = drawing(drawn().draw())
    run = on_card(path, FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(exact, rel=1e-6)
    assert [n.code for n in run.steps[-1].notes if not n.good] in ([], ["part_unseen"])
    assert [kind for kind, _ in run.workpiece.as_steps].count("round_edges") == 2
    apart = on_card(path, FIND, *run.workpiece.as_steps)
    assert volume(apart) == pytest.approx(exact, rel=1e-6), "the same as ordinary steps"


def test_a_round_that_another_view_contradicts_is_not_certain(drawing: Write, on_card: OnCard) -> None:
    """The front and the top view round their corners; from the right the top is drawn as sharp."""
    fig = rounded_box(Figure(), 0, 40, 60, 40, 8, below=True)
    rounded_box(fig, 0, 0, 60, 20, 4, below=False).rectangle(80, 0, 40, 20)
    run = on_card(drawing(fig.draw()), FIND, ("from_views", {}))
    assert run.failed is not None or any(not note.good for note in run.steps[-1].notes)


def test_a_round_boss_stands_on_its_base_whatever_the_last_digit(drawing: Write, on_card: OnCard) -> None:
    """Its outlines touch it tangentially: cut from them the kernel loses what it stands for."""
    off = 29e-12
    fig = rounded_box(Figure(), 0, 90, 108 + off, 78, 17, below=True).circle(58, 129, 17.5).circle(58, 129, 7)
    for x in (15, 85):
        fig.circle(x, 105, 4).circle(x, 153, 4)
    for x, width, middle in ((0, 108 + off, 58), (140, 78, 179)):
        fig.chain(
            (x, 0), (x + width, 0), (x + width, 29), (middle + 17.5, 29), (middle + 17.5, 65), (middle - 17.5, 65),
            (middle - 17.5, 29), (x, 29),
        )  # fmt: skip
    run = on_card(drawing(fig.draw()), FIND, ("from_views", {}))
    exact = (108 * 78 - SPANDREL * 4 * 17**2 - 4 * math.pi * 16) * 29 + math.pi * (17.5**2 * 36 - 49 * 65)
    assert volume(run) == pytest.approx(exact, rel=1e-6)
    apart = on_card(drawing(fig.draw()), FIND, *run.workpiece.as_steps)
    assert volume(apart) == pytest.approx(exact, rel=1e-6)


def test_one_edge_rounds_those_that_run_on_from_it(drawing: Write, on_card: OnCard) -> None:
    fig = rounded_box(Figure(), 0, 0, 60, 40, 8, below=True)
    pressed = {"edge": {"faces": [], "point": (30.0, 0.0, 20.0)}}
    profiles = {"rule": "material"}
    run = on_card(
        drawing(fig.draw()),
        ("extrude", {"profiles": profiles, "length": 20.0}),
        ("round_edges", {"size": 4.0, "pieces": [pressed]}),
    )
    assert volume(run) == pytest.approx(PAD, rel=1e-9)
