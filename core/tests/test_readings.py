"""How other people draw: views out of line, in first angle without a word, with dimensions taken apart, in a frame with
tables, in a scale of their own; and drawings that are no sheets."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from tectogon.findings.character import character_of
from tectogon.findings.not_geometry import find_not_geometry
from tectogon.formats import read_drawing
from tectogon.operations.arrange import found_in
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.route import Run
from tectogon.views.find import FoundViews
from tectogon.workpiece.model import Drawing

Write = Callable[..., Path]


def step_front(x: float, y: float) -> Figure:
    """An L of 60 × 30 mm: its upper right part, from 35 on, is 10 mm lower."""
    return Figure().chain(*((x + u, y + v) for u, v in ((0, 0), (60, 0), (60, 20), (35, 20), (35, 30), (0, 30))))


def plan(x: float, y: float, deep: float = 40) -> Figure:
    return Figure().rectangle(x, y, 60, deep)


def drawn(
    solid: Figure, dashed: Figure | None = None, texts: tuple[tuple[str, float, float], ...] = ()
) -> Callable[[Any, Any], None]:
    def draw(space: Any, document: Any) -> None:
        solid.draw()(space, document)
        if dashed is not None:
            document.linetypes.add("DASHED", [0.6, 0.4, -0.2])
            for curve in dashed.curves:
                space.add_line((curve.x0, curve.y0), (curve.x1, curve.y1), dxfattribs={"linetype": "DASHED"})  # type: ignore[union-attr]
        for text, x, y in texts:
            space.add_text(text, height=2.5).set_placement((x, y))

    return draw


def found(path: Path) -> FoundViews:
    return found_in(Drawing(read_drawing(path).linework))


def names(path: Path) -> set[str]:
    return {v.name for v in found(path).views}


def boxes(path: Path) -> dict[str, tuple[float, ...]]:
    return {v.name: tuple(round(c, 6) for c in v.box) for v in found(path).views}


def both(*figures: Figure) -> Figure:
    return Figure([curve for figure in figures for curve in figure.curves])


@pytest.mark.parametrize("dashed", [False, True])
def test_the_angle_is_told_by_what_is_drawn_solid_or_dashed(drawing: Write, dashed: bool) -> None:
    """The step lies on the upper side: a view above the front view that draws it solid is from above, third angle; one
    that draws it dashed is from below, first angle."""
    edge = Figure().line(35, 70, 35, 110)
    sheet = both(step_front(0, 0), plan(0, 70), Figure() if dashed else edge)
    views = found(drawing(drawn(sheet, edge if dashed else None)))
    assert views.projection == ("first" if dashed else "third")
    assert "drawn solid or dashed" in views.why
    if not dashed:
        assert {v.name for v in views.views} == {"front", "top"}


@pytest.mark.parametrize(("turned", "angle"), [(False, "first"), (True, "third")])
def test_the_symbol_of_the_angle_is_read(drawing: Write, turned: bool, angle: str) -> None:
    """A cut cone and its circles: these stand at its large end in first angle, at its small end in third."""
    cone = Figure().chain((200, 2.5 + 2), (208, 2.5 + 4), (208, 2.5 - 4), (200, 2.5 - 2))
    x = 190 if turned else 218
    circles = Figure().circle(x, 2.5, 2).circle(x, 2.5, 4)
    plain = both(step_front(0, 0), Figure().rectangle(100, 0, 40, 30), cone, circles)
    views = found(drawing(drawn(plain, None, (("A 1", 0, -20), ("B 2", 20, -20)))))
    assert (views.projection, "symbol" in views.why) == (angle, True)


def test_views_that_were_moved_are_known_by_their_size(drawing: Write) -> None:
    """The view from above stands 15 mm to the right of where it should, the one from the right 9 mm too low."""
    top = both(plan(15, 70), Figure().line(50, 70, 50, 110))
    side = Figure().rectangle(120, -9, 40, 30).line(120, 11, 160, 11)
    views = found(drawing(drawn(both(step_front(0, 0), top, side))))
    assert {v.name for v in views.views} == {"front", "top", "right"}
    assert all(a.holds for a in views.agreements)


def test_views_in_a_row_are_told_by_their_titles_and_sizes(drawing: Write) -> None:
    side = Figure().rectangle(120, 0, 40, 30).line(120, 20, 160, 20)
    top = both(plan(220, -5), Figure().line(255, -5, 255, 35))
    titles = (("FRONT VIEW", 10, -10), ("RIGHT SIDE", 120, -10), ("TOP", 240, -15))
    views = found(drawing(drawn(both(step_front(0, 0), side, top), None, titles)))
    assert {v.name for v in views.views} == {"front", "right", "top"}
    assert views.projection == "third"


def test_a_view_with_a_scale_beside_it_is_read_in_it(drawing: Write) -> None:
    large = Figure().rectangle(-30, 70, 120, 80).line(40, 70, 40, 150)
    side = Figure().rectangle(120, 0, 40, 30).line(120, 20, 160, 20)
    views = found(drawing(drawn(both(step_front(0, 0), side, large), None, (("SCALE 2:1", 10, 62),))))
    assert {(v.name, v.scale) for v in views.views} == {("front", 1.0), ("right", 1.0), ("top", 0.5)}
    assert {frozenset(a.pair) for a in views.agreements} >= {frozenset(("front", "top")), frozenset(("top", "right"))}


def test_lines_from_view_to_view_join_nothing(drawing: Write) -> None:
    across = Figure().line(0, -5, 0, 115).line(60, -5, 60, 115)
    path = drawing(drawn(both(step_front(0, 0), plan(0, 70), Figure().line(35, 70, 35, 110)), across))
    assert boxes(path) == {"front": (0, 0, 60, 30), "top": (0, 70, 60, 110)}


def dimension(x0: float, x1: float, y: float, head: str) -> Figure:
    """A level dimension below y, as plain lines: with open heads, with strokes, or with heads that were filled."""
    low = y - 12
    figure = Figure().line(x0, y - 1, x0, low - 1.5).line(x1, y - 1, x1, low - 1.5)
    if head == "filled":
        return figure.line(x0 + 3, low, x1 - 3, low)
    figure.line(x0, low, x1, low)
    for x, way in ((x0, 1), (x1, -1)):
        if head == "open":
            figure.line(x, low, x + way * 3, low + 0.8).line(x, low, x + way * 3, low - 0.8)
        else:
            figure.line(x - 1, low - 1, x + 1, low + 1)
    return figure


@pytest.mark.parametrize("head", ["open", "stroke", "filled"])
def test_dimensions_in_plain_lines_are_no_part_of_a_view(drawing: Write, head: str) -> None:
    sheet = both(step_front(0, 0), plan(0, 70), Figure().line(35, 70, 35, 110), dimension(0, 60, 0, head))
    leader = Figure().line(47, 92, 70, 102).line(70, 102, 75, 102)
    path = drawing(drawn(both(sheet, leader), None, (("60", 28, -11), ("M6", 75.5, 101))))
    (aside,) = [a for a in find_not_geometry(read_drawing(path).linework) if a.kind == "dimensions"]
    assert len(aside.rows) == {"open": 9, "stroke": 7, "filled": 5}[head]
    assert boxes(path) == {"front": (0, 0, 60, 30), "top": (0, 70, 60, 110)}


def test_tables_in_two_corners_and_ticks_belong_to_the_frame(drawing: Write) -> None:
    frame = Figure().rectangle(0, 0, 420, 297).rectangle(10, 10, 400, 277)
    ticks = Figure().line(210, 0, 210, 10).line(210, 287, 210, 297).line(0, 148, 10, 148).line(410, 148, 420, 148)
    block = Figure().rectangle(290, 10, 120, 40).line(290, 30, 410, 30).line(350, 10, 350, 50)
    changes = Figure().rectangle(350, 267, 60, 20).line(350, 277, 410, 277)
    part = both(step_front(100, 100), plan(100, 180), Figure().line(135, 180, 135, 220))
    words = (("SCALE 1 : 1", 292, 12), ("DRAWN 4.5.", 352, 12))
    path = drawing(drawn(both(frame, ticks, block, changes, part), None, words))
    (border,) = [a for a in find_not_geometry(read_drawing(path).linework) if a.kind == "border"]
    assert len(border.rows) == len(both(frame, ticks, block, changes).curves)
    assert boxes(path) == {"front": (100, 100, 160, 130), "top": (100, 180, 160, 220)}


def test_shapes_are_no_sheet_and_nothing_is_left_out_of_them(drawing: Write) -> None:
    """A square ring with bars across and a cross in a circle: an icon, as much as a frame with hatching."""
    figure = Figure().rectangle(0, 0, 100, 100).rectangle(4, 4, 92, 92)
    for n in range(9):
        figure.chain((20 + 6 * n, 20), (22 + 6 * n, 20), (32 + 6 * n, 40), (30 + 6 * n, 40))
    figure.circle(50, 70, 12).line(40, 70, 60, 70).line(50, 60, 50, 80)
    linework = read_drawing(drawing(figure.draw())).linework
    assert character_of(linework).kind == "shapes"
    assert not find_not_geometry(linework)


def test_hatching_in_a_plain_shape_parts_nothing_of_its_own(drawing: Write) -> None:
    figure = Figure().rectangle(0, 0, 100, 100)
    for n in range(9):
        figure.line(5 + 10 * n, 0, 15 + 10 * n, 100) if n < 8 else figure.line(85, 0, 95, 100)
    linework = read_drawing(drawing(figure.draw())).linework
    assert character_of(linework).kind == "shapes"
    assert [(a.kind, len(a.rows)) for a in find_not_geometry(linework)] == [("hatching", 9)]


def test_a_rail_with_a_round_bore_is_no_pictorial_view(drawing: Write) -> None:
    """Level, upright and slanted lines beside a plate: but a pictorial view shows a circle as an ellipse."""
    rail = Figure().chain(*((200 + 3 * x, 3 * y) for x, y in ((0, 0), (9, 0), (12, 3), (12, 12), (3, 12), (0, 9))))
    rail.chain(*((200 + 3 * x, 3 * y) for x, y in ((2, 2), (8, 2), (10, 4), (10, 10), (4, 10), (2, 8))))
    for n in range(6):
        rail.line(206 + n, 6, 212 + n, 12)
    rail.circle(220, 24, 3)
    path = drawing(drawn(both(step_front(0, 0), rail), None, (("R4 TYP", 0, 60), ("SCALE 1:1", 0, 66))))
    assert not any(a.kind == "pictorial" for a in find_not_geometry(read_drawing(path).linework))


def test_a_sheet_says_what_it_is_taken_for(drawing: Write) -> None:
    sheet = both(step_front(0, 0), plan(0, 70), Figure().line(35, 70, 35, 110))
    assert "in line with each other" in character_of(read_drawing(drawing(sheet.draw())).linework).why
    path = drawing(drawn(sheet, Figure().line(10, 0, 10, 30), (("2 x M6", 0, 140), ("REV A", 30, 140))))
    assert character_of(read_drawing(path).linework).why == "Taken for a sheet with views: 1 dashed line, 2 texts."


def test_a_boss_on_the_far_side_is_round_where_its_dashed_circle_says(
    drawing: Write, on_card: Callable[..., Run]
) -> None:
    """A plate of 60 × 50 × 10 with a boss of 20 mm radius and 15 mm height behind it; the front view draws the boss
    dashed, and a hole through both."""

    def draw(space: Any, document: Any) -> None:
        solid = Figure().rectangle(0, 0, 60, 50).circle(30, 25, 8)
        solid.chain((0, 80), (60, 80), (60, 90), (50, 90), (50, 105), (10, 105), (10, 90), (0, 90)).line(10, 90, 50, 90)
        solid.draw()(space, document)
        document.linetypes.add("DASHED", [0.6, 0.4, -0.2])
        space.add_circle((30, 25), 20, dxfattribs={"linetype": "DASHED"})
        for x in (22, 38):
            space.add_line((x, 80), (x, 105), dxfattribs={"linetype": "DASHED"})

    path, find = drawing(draw), ("arrange", {"projection": "third"})
    steps = steps_from_views(on_card(path, find).workpiece)
    for run in (on_card(path, find, ("from_views", {})), on_card(path, find, *steps)):
        assert run.failed is None, run.failed
        volume = sum(b.volume for b in run.workpiece.bodies)
        assert volume == pytest.approx(60 * 50 * 10 + math.pi * 400 * 15 - math.pi * 64 * 25, rel=1e-9)


def test_an_agreement_tells_what_agrees_apart_from_what_is_merely_near(drawing: Write) -> None:
    """A line of the view from above that is 0.05 mm off is no match, where all others agree to the last digit."""
    top = both(plan(0, 70), Figure().line(35, 70, 35, 110).line(20.05, 80, 20.05, 100))
    front = both(step_front(0, 0), Figure().line(20, 5, 20, 15))
    shared = next(a for a in found(drawing(drawn(both(front, top)))).agreements if a.axis == "x")
    assert shared.worst < 1e-9
    assert math.isclose(float(shared.alone[1][0]), 20.05, abs_tol=1e-9)


def test_mending_before_leaving_out_comes_to_the_same(drawing: Write, on_card: Callable[..., Run]) -> None:
    """A frame with the cells of a title block, one line of which is 0.1 mm short: what is proposed to be left out is
    not mended, so it is a frame still; the command, which leaves out first, finds the same views."""
    frame = Figure().rectangle(-30, -30, 180, 180).line(90, -30, 90, -10).line(90.1, -10, 150, -10)
    frame.line(90, -20, 150, -20).line(120, -30, 120, -10)
    texts = (("2 x M6", 0, 140), ("REV A", 30, 140), ("SCALE 1:1", 95, -18), ("PART 12", 125, -28))
    path = drawing(drawn(both(both(step_front(0, 0), plan(0, 70)), frame), Figure().line(10, 0, 10, 30), texts))
    before = Drawing(read_drawing(path).linework)
    assert before.set_aside.sum() >= 8, [(a.kind, len(a.rows)) for a in before.proposals]
    short = [f for f in before.findings.faults if before.set_aside[list(f.rows)].any()]
    assert short
    assert not any(f.sure for f in short)
    mended = on_card(path, ("mend", {})).workpiece.drawing
    assert [(a.kind, len(a.rows)) for a in mended.proposals] == [(a.kind, len(a.rows)) for a in before.proposals]
    assert {v.name for v in on_card(path, ("mend", {}), ("arrange", {})).workpiece.views} == {"front", "top"}


def test_two_views_that_both_angles_explain_say_so(drawing: Callable[..., Path]) -> None:
    """An angle seen from the front and from above in third angle is a block with a step in first."""

    def draw(space: Any, document: Any) -> None:
        Figure().rectangle(0, 0, 60, 30).rectangle(0, 50, 60, 40).line(0, 56, 60, 56).draw()(space, document)
        document.linetypes.add("DASHED", [0.6, 0.4, -0.2])
        space.add_line((0, 6), (60, 6), dxfattribs={"linetype": "DASHED"})

    read = read_drawing(drawing(draw)).linework
    found = found_in(Drawing(read))
    assert found.why.endswith("in the other angle another part explains all of it as well")
    assert len(found.views) == 2


def test_the_scale_of_the_sheet_is_not_that_of_the_view_beside_it(drawing: Write) -> None:
    """The title block stands right below the front view and says 2 : 1: the views fit as they are drawn."""
    figure = Figure().rectangle(0, 0, 60, 30).rectangle(0, 50, 60, 40).rectangle(80, 0, 40, 30)
    figure.line(20, 0, 20, 30).line(20, 50, 20, 90)

    def draw(space: Any, document: Any) -> None:
        figure.draw()(space, document)
        space.add_text("SCALE 2 : 1", height=3).set_placement((5, -8))

    found = found_in(Drawing(read_drawing(drawing(draw)).linework))
    assert sorted(v.name for v in found.views) == ["front", "right", "top"]
    assert not any("drawn 2" in advice for advice in found.advice)


def test_an_edge_that_ends_on_others_beside_a_text_is_no_leader(drawing: Write) -> None:
    """Upright sizes stand left of a view, and an edge across it begins right beside them."""
    figure = Figure().rectangle(0, 0, 60, 30).line(0, 12, 60, 12)

    def draw(space: Any, document: Any) -> None:
        figure.draw()(space, document)
        space.add_text("12", height=2.5, rotation=90).set_placement((-1.0, 9))
        space.add_text("A", height=2.5).set_placement((90, 90))
        space.add_line((80, 80), (89, 90))

    linework = read_drawing(drawing(draw)).linework
    gone = {row for aside in find_not_geometry(linework) for row in aside.rows.tolist()}
    edge = next(
        n for n in range(len(linework)) if linework.table.curve(n).length == 60 and linework.table.bounds[n][1] == 12
    )
    assert edge not in gone
