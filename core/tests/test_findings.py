"""Findings and mending: what was broken is found with its place and size, mended within the distance, and comes out as
it was."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import shapely
from figures import Figure, by_level
from hypothesis import given, settings
from hypothesis import strategies as st
from spoiler import drawing as clean_drawing
from spoiler import spoiled
from tectogon.cli import main
from tectogon.curves import Arc, CurveTable, Line, affine
from tectogon.findings.finding import counted
from tectogon.findings.hatching import find_hatching, spacings
from tectogon.findings.search import find_all, mend_certain
from tectogon.linework import Linework
from tectogon.profiles import find_regions
from tectogon.route import Run
from tectogon.tolerances import resolution


def mended(figure: Figure, within: float | None = None) -> tuple[CurveTable, float]:
    done, distance = mend_certain(figure.table, within=within)
    return done.table, distance


def levels(table: CurveTable) -> list[tuple[int, float, int]]:
    return by_level(find_regions(table, tuple(map(str, range(len(table)))), join_tol=resolution(600.0)))


def same(got: list[tuple[int, float, int]], expected: list[tuple[int, float, int]]) -> bool:
    return len(got) == len(expected) and all(
        a[0] == b[0] and a[2] == b[2] and abs(a[1] - b[1]) <= 1e-3 * b[1] for a, b in zip(got, expected, strict=True)
    )


def test_spoiled_drawings_come_out_as_they_were_in_99_of_100_and_never_wrong_unsaid() -> None:
    wrong, unsaid = [], []
    for seed in range(5000, 5120):
        clean = clean_drawing(seed)
        table, distance = mended(spoiled(clean, seed, 0.2))
        if not same(levels(table), by_level(clean.regions(1e-6))):
            wrong.append(seed)
            if not find_all(table, within=distance, offers=False).faults:
                unsaid.append(seed)
    assert len(wrong) <= 1
    assert not unsaid


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.02, 0.5))
def test_nothing_moves_beyond_the_distance_and_mending_twice_is_mending_once(seed: int, most: float) -> None:
    broken = spoiled(clean_drawing(seed), seed, most)
    done, distance = mend_certain(broken.table, within=most)
    assert done.moved <= most * (1 + 1e-6)
    ends = np.concatenate([done.table.ends.reshape(-1, 2)])
    old = broken.table.flatten(1e-3)[0]
    from scipy.spatial import cKDTree

    assert cKDTree(old).query(ends)[0].max() <= most * 1.01 + 2e-3
    again, _ = mend_certain(done.table, within=distance)
    assert len(again.table) <= len(done.table)
    assert same(levels(again.table), levels(done.table))


# ─────╮     a plate whose corner gapes, whose side runs past, whose bar stops short, and whose top is drawn twice
#      ·
def broken_plate() -> Figure:
    figure = Figure().line(0, 0, 99.96, 0).line(100, 0, 100, 50.06).line(100, 50, 0, 50).line(0, 50, 0, 0)
    return figure.line(80, 50, 20, 50).line(40, 0, 40, 49.95).circle(70, 25, 8)


def test_every_fault_is_found_with_its_place_and_size() -> None:
    faults = find_all(broken_plate().table, offers=False).faults
    found = {(f.kind, round(f.size, 6)): f.point for f in faults}
    assert found["gap", 0.04] == pytest.approx((99.98, 0))
    assert found["undershoot", 0.05] == pytest.approx((40, 49.95))
    assert found["overshoot", 0.06] == pytest.approx((100, 50.06))
    assert found["double", 60] == pytest.approx((50, 50))
    assert len(faults) == 4
    table, _ = mended(broken_plate())
    assert same(levels(table), [(0, 2000, 0), (0, 3000 - 64 * math.pi, 1), (1, 64 * math.pi, 0)])
    assert not find_all(table, offers=False).faults


def test_circles_stay_circles_and_tangencies_tangent() -> None:
    """A slot whose lines stop short of its arcs, and a circle that lacks a degree."""
    figure = Figure().line(0.05, 5, 20, 5).line(20, -5, 0, -5.0)
    figure.curves += [
        Arc(20, 0, 5, math.pi / 2, -math.pi),
        Arc(0, 0, 5, -math.pi / 2, -math.pi),
        Arc(40, 0, 7, 0.2, 2 * math.pi - 0.01),
    ]
    table, _ = mended(figure)
    arcs = [c for c in table.curves() if isinstance(c, Arc)]
    assert sorted(a.radius for a in arcs) == pytest.approx([5, 5, 7], abs=1e-9)
    assert any(a.full for a in arcs)
    assert sorted(area for _, area, _ in levels(table)) == pytest.approx(
        sorted([200 + 25 * math.pi, 49 * math.pi]), rel=1e-8
    )


def test_the_joining_distance_is_proposed_above_the_gaps_and_below_the_holes() -> None:
    joining = find_all(broken_plate().table).joining
    assert 0.06 < joining.proposed < 8
    assert joining.loops.tolist() == sorted(joining.loops.tolist())
    assert joining.loops[-1] - joining.loops[0] == 2
    assert joining.swallows == pytest.approx(16)
    assert "holes would be swallowed" in joining.reason


@pytest.mark.parametrize(
    "figure",
    [
        Figure().circle(0, 0, 5),
        Figure().line(0, 0, 10, 0).line(50, 50, 60, 50),
        Figure().chain((0, 0), (10, 0), (0, 10), (10, 10)),
        Figure([*Figure().line(0, 0, 10, 0).curves * 200]),
        Figure().rectangle(1e7, 1e7, 100, 50).circle(1e7 + 30, 1e7 + 20, 5),
        Figure([Arc(0, 0, 1e-9, 0, 1), *Figure().rectangle(0, 0, 10, 10).curves]),
    ],
)
def test_odd_drawings_neither_hang_nor_fail(figure: Figure) -> None:
    table, _ = mended(figure)
    assert len(table) >= 1
    assert not [f for f in find_all(table).faults if f.kind in ("double", "gap")]


def test_offers_are_made_and_not_counted() -> None:
    figure = (
        Figure()
        .rectangle(0, 0, 100, 50)
        .line(50, 0, 50, 50)
        .line(10, 20, 40, 20.01)
        .circle(20, 35, 4)
        .circle(80, 35, 4.003)
    )
    look = find_all(figure.table, regions=figure.regions())
    kinds = {f.kind for f in look.offered}
    assert {"touching", "nearly_straight", "nearly_equal"} <= kinds
    assert counted(look.offered) == {}


def test_mend_on_the_card_and_a_single_finding(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    path = drawing(broken_plate().draw())
    all_of_it = on_card(path, ("mend", {}))
    assert all_of_it.failed is None
    assert not all_of_it.workpiece.drawing.findings.faults
    assert "4 findings mended" in all_of_it.workpiece.notes[-1].text
    before = on_card(path).workpiece.drawing
    ids = tuple(before.linework.ids[r] for r in before.bounding.tolist())
    (double,) = (f.key(ids) for f in before.findings.faults if f.kind == "double")
    one = on_card(path, ("mend", {"what": "picked", "picked": [double]}))
    left = counted(one.workpiece.drawing.findings.faults)
    assert "double" not in left
    assert sum(left.values()) == 3
    gone = on_card(path, ("mend", {"what": "picked", "picked": ["gap:nothing:0"]}))
    assert "can't be found any more" in gone.steps[1].message
    near = on_card(path, ("mend", {"distance": "0.045 mm"}))
    assert counted(near.workpiece.drawing.findings.faults)["overshoot"] == 1


@pytest.mark.parametrize(
    ("more", "areas"), [([], 3), (["--no-mend"], 0), (["--tolerance", "0.1"], 3), (["--tolerance", "0.001"], 0)]
)
def test_the_command_mends_as_the_screen_does(
    drawing: Callable[..., Path], capsys: pytest.CaptureFixture[str], more: list[str], areas: int
) -> None:
    figure = (
        Figure()
        .line(0, 0, 99.96, 0)
        .line(100, 0, 100, 50)
        .line(100, 50, 0.05, 50)
        .line(0, 50, 0, 0)
        .circle(30, 25, 4.0)
        .circle(30, 25, 2)
    )
    main(["profiles", str(drawing(figure.draw())), "--json", *more])
    answer: dict[str, Any] = json.loads(capsys.readouterr().out)
    assert len(answer["profiles"]) == (2 if areas else 1)
    assert answer["findings_before"]
    assert (answer["findings_after"] == {}) == bool(areas)
    assert (answer["mended"] > 0) == bool(areas)


def test_two_ends_that_each_stop_short_of_the_other_are_not_certain_for_ever() -> None:
    """Mending all that is certain leaves nothing certain: on spoiled drawings, and where two short lines each stop
    short of the other."""
    from spoiler import drawing as spoiled
    from tectogon.findings.search import find_all, mend_certain

    for seed in range(12):
        table = spoiled(seed).table
        done, _ = mend_certain(table, within=None)
        again = find_all(done.table, within=None, offers=False)
        assert not [f for f in again.certain if f.kind in ("gap", "undershoot", "overshoot")], seed


def test_all_material_says_which_curves_it_leaves_out(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    figure = Figure().rectangle(0, 0, 60, 40).line(80, 0, 120, 0).line(120, 0, 120, 30).line(120, 30, 81, 30)
    for step in (("extrude", {"profiles": {"rule": "material"}}), ("extrude_levels", {})):
        run = on_card(drawing(figure.draw()), step)
        (note,) = [n for n in run.steps[-1].notes if n.code == "not_closed"]
        assert note.text.startswith("3 curves of 7 curves bound no profile and are not part of the body")
        assert note.where.point is not None and len(note.where.curves) == 3
    closed = on_card(drawing(Figure().rectangle(0, 0, 60, 40).draw()), ("extrude_levels", {}))
    assert not closed.steps[-1].notes


def hatch(box: tuple[float, float, float, float], angle: float, spacing: float, phase: float) -> list[Line]:
    """The lines that hatch a box, clipped to it."""
    x0, y0, x1, y1 = box
    way = np.array([math.cos(angle), math.sin(angle)])
    across = np.array([-way[1], way[0]])
    area = shapely.box(x0, y0, x1, y1)
    out = []
    for n in range(-400, 400):
        middle = across * (phase + n * spacing)
        piece = shapely.intersection(shapely.LineString([middle - 500 * way, middle + 500 * way]), area)
        if piece.length > 1e-6:
            out.append(Line(*(float(v) for v in shapely.get_coordinates(piece).ravel())))
    return out


@pytest.mark.parametrize("phase", [0.0, 0.3, 0.37, 0.5])
@pytest.mark.parametrize("spacing", [3.0, 2.2])
def test_hatched_areas_whose_lines_lie_between_each_other_are_found(phase: float, spacing: float) -> None:
    """
    ////   ////      the lines of the right area, drawn on, would run between those of the left
    """
    left = hatch((0, 0, 30, 20), math.pi / 4, 3.0, 0.1)
    right = hatch((45, 0, 80, 20), math.pi / 4, spacing, 0.1 + phase * spacing)
    frame = [Line(0, 0, 30, 0), Line(30, 0, 30, 20), Line(30, 20, 0, 20), Line(0, 20, 0, 0), Line(0, 25, 40, 60)]
    found = find_hatching(CurveTable.of([*left, *right, *frame]), reach=1e-4)
    assert found.tolist() == list(range(len(left) + len(right)))
    lines = CurveTable.of([*left, *right]).ends
    wide = spacings(lines, math.pi / 4)
    assert wide[: len(left)] == pytest.approx(3.0) and wide[len(left) :] == pytest.approx(spacing)


def test_what_is_hatched_goes_with_its_curves() -> None:
    def ring(x: float) -> np.ndarray:
        return np.array([(x, 0.0), (x + 10, 0.0), (x + 10, 10.0), (x, 10.0)])

    def square(x: float) -> list[Line]:
        corners = ring(x).tolist()
        return [Line(*a, *b) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]

    table = CurveTable.of([*square(0), *square(20)])
    none = np.zeros(8, np.int64)
    ids = tuple(map(str, range(8)))
    drawing = Linework(table, ids, layer_of=none, linetype_of=none, colour_of=none, hatched=((ring(0),), (ring(20),)))
    rows = np.arange(8) >= 4
    moved = drawing.transformed(affine.moved(0.0, 50.0), rows)
    assert moved.hatched[0][0] == pytest.approx(ring(0))
    assert moved.hatched[1][0] == pytest.approx(ring(20) + np.array([0.0, 50.0]))
    turned = drawing.transformed(affine.turned(math.pi / 2), ~rows)
    assert turned.hatched[0][0] == pytest.approx(ring(0)[:, ::-1] * [-1, 1]) and turned.hatched[1] is drawing.hatched[1]
