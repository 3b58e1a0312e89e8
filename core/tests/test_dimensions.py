"""Dimensions on the part: what they measure, that they follow every change, and what they say where they can't."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from tectogon.route import Run
from tectogon.solids import kernel, measure

ALL = {"rule": "material"}
Building = Callable[..., Run]


@pytest.fixture
def plate(drawing: Callable[..., Path], on_card: Building) -> Building:
    """A plate of 60 × 40 with two holes and a slanted corner, 10 thick or as thick as asked."""
    figure = Figure().chain((0, 0), (60, 0), (60, 30), (50, 40), (0, 40)).circle(20, 15, 5).circle(40, 15, 3)
    path = drawing(figure.draw())

    def run(*steps: tuple[str, dict[str, Any]], thick: float = 10) -> Run:
        return on_card(path, ("extrude", {"profiles": ALL, "length": thick}), *steps)

    return run


def edge(run: Run, *at: float) -> dict[str, Any]:
    """The edge nearest to a point, picked as the page does."""
    body = run.workpiece.bodies[0]
    place = (at[0], at[1], at[2])
    number = min(range(len(body.edges)), key=lambda n: measure.distance_to(body.edges[n], place))
    names = [body.names[n].key for n in kernel.faces_along_edges(body.shape)[number]]
    return {"edge": {"faces": names, "point": place}}


def face(run: Run, *at: float) -> dict[str, Any]:
    body = run.workpiece.bodies[0]
    place = (at[0], at[1], at[2])
    number = min(range(len(body.faces)), key=lambda n: measure.distance_to(body.faces[n], place))
    return {"face": {"name": body.names[number].key, "body": body.key, "point": place}}


def told(run: Run) -> str:
    assert run.failed is None, run.failed
    return next(n.text for n in run.steps[-1].notes if n.code == "dimension")


def test_one_thing_has_a_length_or_a_diameter(plate: Building) -> None:
    made = plate()
    for pick, wanted in (
        (edge(made, 30, 0, 10), "Length 60 mm"),
        (edge(made, 55, 35, 10), f"Length {math.hypot(10, 10):.4f} mm"),
        (edge(made, 20, 20, 10), "Diameter ⌀10 mm"),
    ):
        assert told(plate(("dimension", {"pieces": [pick]}))) == wanted
    shown = plate(("dimension", {"pieces": [edge(made, 20, 20, 10)], "tolerance": "H7", "note": "reamed"}))
    assert told(shown) == "Diameter ⌀10 mm H7 reamed"


def test_part_of_a_circle_has_a_radius(drawing: Callable[..., Path], on_card: Building) -> None:
    slot = Figure().rectangle(0, 0, 60, 40).line(20, 15, 40, 15).arc(40, 20, 5, -90, 180)
    slot.line(40, 25, 20, 25).arc(20, 20, 5, 90, 180)
    path, steps = drawing(slot.draw()), (("extrude", {"profiles": ALL, "length": 10}),)
    made = on_card(path, *steps)
    assert told(on_card(path, *steps, ("dimension", {"pieces": [edge(made, 45, 20, 10)]}))) == "Radius R5 mm"
    both = {"pieces": [edge(made, 45, 20, 10), edge(made, 15, 20, 10)]}
    assert told(on_card(path, *steps, ("dimension", both))) == "Distance 20 mm"


def test_two_things_have_a_distance_or_an_angle(plate: Building) -> None:
    made = plate()
    hole, other = edge(made, 20, 20, 10), edge(made, 40, 18, 10)
    for a, b, wanted in (
        (hole, other, "Distance 20 mm"),
        (face(made, 0, 20, 5), hole, "Distance 20 mm"),
        (face(made, 30, 0, 5), hole, "Distance 15 mm"),
        (face(made, 10, 30, 10), face(made, 10, 30, 0), "Distance 10 mm"),
        (face(made, 0, 20, 5), edge(made, 60, 10, 10), "Distance 60 mm"),
        (face(made, 55, 35, 5), face(made, 60, 10, 5), "Angle 45°"),
        (edge(made, 30, 0, 10), edge(made, 0, 20, 10), "Angle 90°"),
        (edge(made, 30, 0, 10), edge(made, 0, 40, 5), "Distance 40 mm"),
    ):
        run = plate(("dimension", {"pieces": [a, b]}))
        assert told(run) == wanted
        drawn = next(n.drawn for n in run.steps[-1].notes if n.drawn)
        ends: Any = drawn["dimension"]
        if wanted.startswith("Distance"):
            assert math.dist(ends["from"], ends["to"]) == pytest.approx(float(wanted.split()[1]))


def test_a_dimension_follows_every_change_and_changes_nothing(plate: Building) -> None:
    made = plate()
    pieces = [face(made, 10, 30, 10), face(made, 10, 30, 0)]
    for thick in (10, 17.5):
        run = plate(("dimension", {"pieces": pieces}), thick=thick)
        assert told(run) == f"Distance {thick:g} mm"
        assert run.workpiece.bodies[0].volume == pytest.approx(plate(thick=thick).workpiece.bodies[0].volume)
        assert f": {thick:g} mm" in "".join(t.text for t in run.steps[-1].sentence)


def test_what_can_t_be_measured_says_so(plate: Building) -> None:
    made = plate()
    top = face(made, 10, 30, 10)
    for pieces, words in (
        ([], "Press an edge"),
        ([top], "A face alone has no length"),
        ([top, top], "lie on each other"),
        ([{"edge": {"faces": [], "point": (500, 0, 0)}}], "no longer there"),
        ([{"face": {"name": "end/99//", "point": (0, 0, 0)}}], "no longer there"),
    ):
        run = plate(("dimension", {"pieces": pieces}))
        assert run.failed is not None and words in run.failed.message, pieces
        assert run.workpiece.bodies


def test_a_distance_can_be_taken_along_one_axis(plate: Building) -> None:
    made = plate()
    corner, hole = edge(made, 60, 0, 5), edge(made, 20, 20, 10)
    for pieces, along, wanted in (
        ([hole, corner], "x", "Distance 40 mm"),
        ([hole, corner], "y", "Distance 15 mm"),
        ([edge(made, 55, 35, 10)], "x", "Distance 10 mm"),
        ([face(made, 60, 10, 5), hole], "x", "Distance 40 mm"),
    ):
        run = plate(("dimension", {"pieces": pieces, "along": along}))
        assert told(run) == wanted
        ends: Any = next(n.drawn for n in run.steps[-1].notes if n.drawn)["dimension"]
        off = [abs(a - b) for a, b in zip(ends["from"], ends["to"], strict=True)]
        assert off["xyz".index(along)] == pytest.approx(sum(off)), "the line runs along the axis"
    aslant = plate(("dimension", {"pieces": [edge(made, 55, 35, 10), hole], "along": "x"}))
    assert aslant.failed is not None and "no one place along x" in aslant.failed.message
    named = plate(("dimension", {"pieces": [hole, corner], "along": "y", "label": "offset", "tolerance": "±0.1"}))
    assert told(named) == "Distance offset = 15 mm ±0.1"


def test_a_circle_in_pieces_has_a_diameter(on_card: Building, drawing: Callable[..., Path]) -> None:
    halves = Figure().rectangle(0, 0, 60, 40).arc(30, 20, 8, 0, 180).arc(30, 20, 8, 180, 180)
    path, steps = drawing(halves.draw()), (("extrude", {"profiles": ALL, "length": 10}),)
    made = on_card(path, *steps)
    assert told(on_card(path, *steps, ("dimension", {"pieces": [edge(made, 30, 28, 10)]}))) == "Diameter ⌀16 mm"
