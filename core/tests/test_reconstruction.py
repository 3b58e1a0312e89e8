"""The part out of its views as a question: one answer, several, and what goes against it."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.reconstruction.straight_on import straight_on
from tectogon.route.run import Run

Write = Callable[..., Path]
OnCard = Callable[..., Run]
FIND = ("arrange", {"projection": "third"})
RADIUS = 6.0
PLATE = 60.0 * 40.0 * 20.0
SECTION = math.pi * RADIUS**2


def sheet(solid: Figure, dashed: Figure | None = None) -> Callable[[Any, Any], None]:
    """Solid and dashed lines on a sheet."""

    def draw(space: Any, document: Any) -> None:
        solid.draw()(space, document)
        if dashed:
            document.linetypes.add("DASHED", [0.6, 0.4, -0.2])
            before = set(space)
            dashed.draw()(space, document)
            for entity in set(space) - before:
                entity.dxf.linetype = "DASHED"

    return draw


def two_holes(*, from_the_right: bool) -> Callable[[Any, Any], None]:
    """A plate of 60 × 40 × 20 with a hole through it and one of half the depth behind the other: from the front their
    dashed lines fall together, so that only a view from the right tells which is which."""
    solid = Figure().rectangle(0, 0, 60, 20).rectangle(0, 40, 60, 40).circle(30, 50, RADIUS).circle(30, 70, RADIUS)
    dashed = Figure().line(24, 0, 24, 20).line(36, 0, 36, 20).line(24, 10, 36, 10)
    if from_the_right:
        solid.rectangle(80, 0, 40, 20)
        for x, foot in ((90, 0), (110, 10)):
            dashed.line(x - RADIUS, foot, x - RADIUS, 20).line(x + RADIUS, foot, x + RADIUS, 20)
        dashed.line(110 - RADIUS, 10, 110 + RADIUS, 10)
    return sheet(solid, dashed)


def codes(run: Run) -> list[str]:
    return [note.code for note in run.steps[-1].notes]


def volume(run: Run) -> float:
    assert run.failed is None, run.failed
    return sum(body.volume for body in run.workpiece.bodies)


def test_the_only_part_that_fits_says_so(drawing: Write, on_card: OnCard) -> None:
    path = drawing(two_holes(from_the_right=True))
    run = on_card(path, FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(PLATE - SECTION * 30.0, rel=1e-9)
    assert codes(run) == ["part_only"]
    assert run.steps[-1].notes[0].good
    assert all(v.percent > 99.99 for v in straight_on(run.workpiece))


def test_two_parts_that_fit_are_both_shown(drawing: Write, on_card: OnCard) -> None:
    """Which of the two holes goes through is open: both parts are built, each as ordinary steps as well; there is no
    third."""
    path = drawing(two_holes(from_the_right=False))
    blind_at = []
    for answer in (1, 2):
        run = on_card(path, FIND, ("from_views", {"answer": answer}))
        assert volume(run) == pytest.approx(PLATE - SECTION * 30.0, rel=1e-9)
        assert all(v.percent > 99.99 for v in straight_on(run.workpiece))
        told = next(n for n in run.steps[-1].notes if n.code == "part_answers")
        assert told.text.startswith("2 parts fit the drawing alike")
        assert told.change and told.change.values == {"answer": 3 - answer}
        assert told.where.point and len(told.where.curves) >= 3  # the circles, and what is dashed
        (body,) = run.workpiece.bodies
        blind_at.append(centre_of_floor(body))
        as_steps = on_card(path, FIND, *steps_from_views(on_card(path, FIND).workpiece, answer))
        assert volume(as_steps) == pytest.approx(volume(run), rel=1e-9)
        assert centre_of_floor(as_steps.workpiece.bodies[0]) == pytest.approx(blind_at[-1], abs=1e-6)
    assert sorted(blind_at) == pytest.approx([10.0, 30.0], abs=1e-6)
    third = on_card(path, FIND, ("from_views", {"answer": 3}))
    assert third.failed and third.failed.message == "Only 2 parts fit the drawing, not 3."


def centre_of_floor(body: Any) -> float:
    """How far back the flat end of the blind hole lies."""
    from tectogon.solids import measure

    planes = [plane for face in body.faces if (plane := measure.plane_of(face)) is not None]
    return next(
        float(middle[1]) for middle, normal in planes if abs(normal[2]) > 0.9 and abs(float(middle[2]) - 10.0) < 1e-6
    )


def test_a_line_that_fits_nothing_is_named_with_its_view_length_and_place(drawing: Write, on_card: OnCard) -> None:
    solid = Figure().rectangle(0, 0, 60, 20).rectangle(0, 40, 60, 40).rectangle(80, 0, 40, 20).rectangle(20, 50, 10, 10)
    run = on_card(drawing(sheet(solid)), FIND, ("from_views", {}))
    told = [n for n in run.steps[-1].notes if n.code == "part_against"]
    assert volume(run) == pytest.approx(PLATE - 10 * 10 * 20, rel=1e-9)
    assert not told  # a square hole through the plate, in a drawing without hidden edges
    assert "part_unseen" in codes(run)
    dashed = Figure().line(100, 0, 100, 20)
    run = on_card(drawing(sheet(solid, dashed)), FIND, ("from_views", {}))
    told = [n for n in run.steps[-1].notes if n.code == "part_against"]
    assert told
    assert "part_only" not in codes(run)


def test_edges_that_the_draughtsman_left_out_are_taken_for_granted_and_told(drawing: Write, on_card: OnCard) -> None:
    """A disc with a boss, its front view drawn as one stepped outline: the boss's foot is told as lacking."""
    solid = Figure().circle(40, 90, 40).circle(40, 90, 12)
    solid.chain((0, 0), (80, 0), (80, 12), (52, 12), (52, 24), (28, 24), (28, 12), (0, 12))
    run = on_card(drawing(sheet(solid)), FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(math.pi * (1600 * 12 + 144 * 12), rel=1e-9)
    told = next(n.text for n in run.steps[-1].notes if n.code == "part_against")
    assert told.startswith("In the front view 24.0 mm of edges are not drawn")


def test_what_no_view_looks_along_is_said(drawing: Write, on_card: OnCard) -> None:
    """Front and right view of a block whose upright edge is cut back by 7 × 7: a notch and a chamfer look the same."""
    solid = Figure().rectangle(0, 0, 60, 30).rectangle(80, 0, 40, 30)
    solid.line(53, 0, 53, 30).line(87, 0, 87, 30)
    run = on_card(drawing(sheet(solid)), ("arrange", {}), ("from_views", {}))
    assert run.failed is None, run.failed
    told = [n for n in run.steps[-1].notes if n.code == "part_open"]
    assert "step of 7 mm by 7 mm along z" in told[0].text and "may be a chamfer or a round" in told[0].text
    whole = 60 * 40 * 30
    assert volume(run) == pytest.approx(whole - 49 * 30)
    for taken, shape in ((49 / 2, "chamfer"), (49 * (1 - math.pi / 4), "round"), (49, "step")):
        assert told[0].change is not None and told[0].change.words == f"Take it as a {shape}"
        path = drawing(sheet(solid))
        run = on_card(path, ("arrange", {}), ("from_views", told[0].change.values))
        assert run.failed is None, run.failed
        assert volume(run) == pytest.approx(whole - taken * 30)
        apart = on_card(path, ("arrange", {}), *run.workpiece.as_steps)
        assert volume(apart) == pytest.approx(whole - taken * 30), "the same as ordinary steps"
        told = [n for n in run.steps[-1].notes if n.code == "part_open"]
    gone = on_card(path, ("arrange", {}), ("from_views", {"corners": [{"at": (0, 0), "shape": "round"}]}))
    assert gone.failed is not None and "no step at x 0.00" in gone.failed.message


def test_an_axis_drawn_dashed_and_gaps_in_dashes_change_nothing(drawing: Write, on_card: OnCard) -> None:
    """A bore whose middle is drawn dashed like its sides, the sides short of the outline by less than can be seen."""
    solid = Figure().rectangle(0, 0, 60, 20).rectangle(0, 40, 60, 40).rectangle(80, 0, 40, 20).circle(100, 10, 5)
    dashed = Figure()
    for y in (5, 10, 15):
        dashed.line(0.0005, y, 59.9995, y)
    for y in (55, 60, 65):
        dashed.line(0, y, 60, y)
    run = on_card(drawing(sheet(solid, dashed)), FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(PLATE - math.pi * 25 * 60, rel=1e-6)
    assert codes(run) == ["part_only"]


@pytest.mark.parametrize("angle", ("third", "first"))
def test_the_angle_of_two_views_is_the_one_that_a_part_explains(drawing: Write, on_card: OnCard, angle: str) -> None:
    """A block of 60 × 40 × 30 with a notch of 7 × 9 along its upright edge at the back right and a bore from front to
    back, seen from the front and from a side: from the right the notch is seen, from the left it is hidden. In the
    other angle the lines are those of a thin corner, which the bore does not fit, or only as a loose rod."""
    third = angle == "third"
    solid = Figure().rectangle(0, 0, 60, 30).rectangle(80, 0, 40, 30).circle(20, 15, 5)
    dashed = Figure().line(53, 0, 53, 30).line(80, 10, 120, 10).line(80, 20, 120, 20)
    (solid if third else dashed).line(111 if third else 89, 0, 111 if third else 89, 30)
    run = on_card(drawing(sheet(solid, dashed)), ("arrange", {}), ("from_views", {}))
    assert volume(run) == pytest.approx((60 * 40 - 7 * 9) * 30 - math.pi * 25 * 40, rel=1e-9)
    assert {v.name for v in run.workpiece.views} == {"front", "right" if third else "left"}
    assert f"a part in {angle} angle" in run.steps[1].notes[0].text


def test_the_only_part_is_said_only_where_it_is_proven(
    drawing: Write, on_card: OnCard, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A search that stops after the first part does not know of others, and says so."""
    monkeypatch.setattr("tectogon.reconstruction.part_from_views.MOST_ANSWERS", 1)
    run = on_card(drawing(two_holes(from_the_right=False)), FIND, ("from_views", {}))
    assert "part_only" not in codes(run)
    assert "part_unfinished" in codes(run)


def cone(height: float, large: float, small: float) -> float:
    return math.pi * height / 3.0 * (large**2 + large * small + small**2)


def test_a_countersunk_hole_is_turned_and_not_swept(drawing: Write, on_card: OnCard) -> None:
    solid = Figure().rectangle(0, 0, 60, 20).rectangle(0, 40, 60, 40).circle(30, 60, 4).circle(30, 60, 10)
    dashed = Figure().line(26, 0, 26, 14).line(34, 0, 34, 14).line(26, 14, 34, 14)
    dashed.line(26, 14, 20, 20).line(34, 14, 40, 20)
    run = on_card(drawing(sheet(solid, dashed)), FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(PLATE - math.pi * 16 * 14 - cone(6, 10, 4), rel=1e-6)
    assert codes(run)[0] == "part_only"
    steps = steps_from_views(on_card(drawing(sheet(solid, dashed)), FIND).workpiece)
    assert "revolve" in [kind for kind, _ in steps]
    again = on_card(drawing(sheet(solid, dashed)), FIND, *steps)
    assert volume(again) == pytest.approx(volume(run), rel=1e-9)


def shaft(*, from_the_end: bool, centre_line: bool = False) -> Callable[[Any, Any], None]:
    """A cylinder of 30 by 40, then a cone, then a cylinder of 16 by 20; lying along x, in front and top."""
    solid = Figure()
    for foot in (0.0, 60.0):
        solid.chain((0, foot), (40, foot), (46, foot + 7), (66, foot + 7), (66, foot + 23), (46, foot + 23))
        solid.curves.pop()
        solid.line(46, foot + 23, 40, foot + 30).line(40, foot + 30, 0, foot + 30).line(0, foot + 30, 0, foot)
        solid.line(40, foot, 40, foot + 30).line(46, foot + 7, 46, foot + 23)
    if from_the_end:
        solid.circle(105, 15, 15).circle(105, 15, 8)
    plain = sheet(solid)

    def draw(space: Any, document: Any) -> None:
        plain(space, document)
        if centre_line:
            document.linetypes.add("CENTER", [2.0, 1.25, -0.25, 0.25, -0.25])
            space.add_line((-3, 15), (69, 15), dxfattribs={"linetype": "CENTER"})

    return draw


SHAFT = math.pi * 225 * 40 + cone(6, 15, 8) + math.pi * 64 * 20


def test_a_shaft_is_one_turned_step_that_follows_its_drawing(drawing: Write, on_card: OnCard) -> None:
    path = drawing(shaft(from_the_end=True))
    run = on_card(path, FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(SHAFT, rel=1e-6)
    assert codes(run)[0] == "part_turned" and run.steps[-1].notes[0].good
    steps = steps_from_views(on_card(path, FIND).workpiece)
    assert [kind for kind, _ in steps] == ["revolve"]
    moved = on_card(path, ("move", {"about": "origin", "x": 7, "y": -3}), FIND, *steps)
    assert volume(moved) == pytest.approx(SHAFT, rel=1e-6)


@pytest.mark.parametrize("centre_line", [True, False])
def test_a_shaft_that_no_view_shows_round_says_why_it_is_taken_so(
    centre_line: bool, drawing: Write, on_card: OnCard
) -> None:
    path = drawing(shaft(from_the_end=False, centre_line=centre_line))
    run = on_card(path, FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(SHAFT, rel=1e-6)
    note = next(n for n in run.steps[-1].notes if n.code == "part_may_be_square")
    assert ("centre line" if centre_line else "same steps") in note.text
    assert note.change is not None
    square = on_card(path, FIND, ("from_views", note.change.values))
    assert volume(square) > 1.2 * SHAFT


def test_a_plain_block_alike_from_two_sides_stays_square_and_says_so(drawing: Write, on_card: OnCard) -> None:
    path = drawing(sheet(Figure().rectangle(0, 0, 60, 20).rectangle(0, 40, 60, 20)))
    run = on_card(path, FIND, ("from_views", {}))
    assert volume(run) == pytest.approx(60 * 20 * 20, rel=1e-9)
    note = next(n for n in run.steps[-1].notes if n.code == "part_may_turn")
    assert "part_only" not in codes(run)
    assert note.change is not None
    turned = on_card(path, FIND, ("from_views", note.change.values))
    assert volume(turned) == pytest.approx(math.pi * 100 * 60, rel=1e-6)


def test_made_up_shafts_and_cones_come_out_true(tmp_path: Path, on_card: OnCard) -> None:
    from made_views import made_sheet

    wrong = []
    for seed in range(6):
        for kind in ("plate", "shaft"):
            made = made_sheet(seed, tmp_path, turned=kind)  # type: ignore[arg-type]
            run = on_card(made.path, ("mend", {}), ("arrange", {}), ("from_views", {}))
            if abs(volume(run) / made.volume - 1.0) > 1e-3:
                wrong.append((seed, kind, codes(run)))
    assert not wrong


def test_who_waits_hears_how_much_is_explained(drawing: Write, on_card: OnCard) -> None:
    heard: list[str] = []
    on_card(
        drawing(two_holes(from_the_right=True)),
        FIND,
        ("from_views", {}),
        progress=lambda step, steps, text: heard.append(text),
    )
    assert any(text.startswith("100.0 % of the lines explained so far, 100.0 % at most") for text in heard)
