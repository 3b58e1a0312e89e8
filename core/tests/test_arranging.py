"""Views put right by hand and by themselves: renamed, lined up, turned, scaled; sections, auxiliary views; the origin;
small misfits."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from tectogon.display.sheet import lines_parcel
from tectogon.reconstruction.straight_on import straight_on
from tectogon.route import Run
from tectogon.views import View

STEP = 60 * 40 * 30 - 25 * 40 * 10 - 36 * math.pi * 20


def front(x: float = 0, y: float = 0) -> Figure:
    return Figure().chain(*((x + u, y + v) for u, v in ((0, 0), (60, 0), (60, 20), (35, 20), (35, 30), (0, 30))))


def with_top(figure: Figure, x: float, y: float) -> Figure:
    return figure.rectangle(x, y, 60, 40).line(x + 35, y, x + 35, y + 40).circle(x + 47, y + 20, 6)


def with_right(figure: Figure, x: float, y: float) -> Figure:
    return figure.rectangle(x, y, 40, 30).line(x, y + 20, x + 40, y + 20)


def titled(figure: Figure, *texts: tuple[str, float, float]) -> Callable[[Any, Any], None]:
    def draw(space: Any, document: Any) -> None:
        figure.draw()(space, document)
        for text, x, y in texts:
            space.add_text(text, height=2.5).set_placement((x, y))

    return draw


def named(run: Run) -> dict[str, View]:
    assert run.failed is None, run.failed
    return {v.name: v for v in run.workpiece.views}


def volume(run: Run) -> float:
    assert run.failed is None, run.failed
    return sum(b.volume for b in run.workpiece.bodies)


def pick(run: Run, x: float, y: float) -> dict[str, Any]:
    """The end of a curve at a place."""
    linework = run.workpiece.drawing.linework
    away = np.hypot(*np.moveaxis(linework.table.ends - np.array([x, y]), -1, 0))
    row, side = np.unravel_index(away.argmin(), away.shape)
    assert away.min() < 1e-6
    return {"at": [x, y], "curve": linework.ids[int(row)], "kind": ("start", "end")[int(side)]}


def test_names_given_by_hand_swap_and_the_part_is_built_the_same(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """A first-angle sheet taken for third angle has its top and side views wrong; renamed one by one they are right
    again."""
    path = drawing(with_right(with_top(front(), 0, -80), 100, 0).draw())
    wrong = on_card(path, ("arrange", {"projection": "third"}))
    assert set(named(wrong)) == {"front", "bottom", "right"}
    mended = on_card(
        path,
        ("arrange", {"projection": "third"}),
        ("name_view", {"view": "bottom", "to": "top"}),
        ("name_view", {"view": "right", "to": "left"}),
        ("from_views", {}),
    )
    assert set(named(mended)) == {"front", "top", "left"}
    assert volume(mended) == pytest.approx(STEP, rel=1e-9)
    swapped = on_card(
        path,
        ("arrange", {}),
        ("name_view", {"view": "front", "to": "top"}),
        ("name_view", {"view": "top", "to": "front"}),
        ("from_views", {}),
    )
    assert named(swapped)["front"].box[1] == pytest.approx(0)
    assert volume(swapped) == pytest.approx(STEP, rel=1e-9)
    assert set(named(on_card(path, ("arrange", {}), ("name_view", {"view": "left", "to": "none"})))) == {"front", "top"}
    gone = on_card(path, ("arrange", {}), ("name_view", {"view": "rear", "to": "top"}))
    assert "There is no rear view; there are front, top, left" in gone.steps[2].message


def test_a_view_that_lost_what_it_shares_is_lined_up_by_two_picks(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """A symmetric top view drawn 5 mm off its guides with nothing but the width in common goes right by centre on
    centre, along x only."""
    figure = Figure().rectangle(0, 0, 60, 30).rectangle(12.3, 80, 50, 40).circle(37.3, 100, 6)
    path = drawing(figure.line(30, -5, 30, 35).draw())
    before = on_card(
        path,
        ("fold", {"view": "front", "box": [-1, -1, 61, 31], "origin": "lower_left"}),
        ("fold", {"view": "top", "box": [5, 70, 70, 130]}),
    )
    circle = before.workpiece.drawing.linework.ids[8]
    points = [{"at": [37.3, 100], "curve": circle, "kind": "centre"}, pick(before, 30, 35)]
    steps = (
        ("fold", {"view": "front", "box": [-1, -1, 61, 31], "origin": "lower_left"}),
        ("fold", {"view": "top", "box": [5, 70, 70, 130]}),
    )
    run = on_card(path, *steps, ("line_up", {"points": points}))
    assert named(run)["top"].frame.at(37.3, 100)[0] == pytest.approx(30, abs=1e-9)
    assert named(run)["top"].frame.at(37.3, 100)[1] == pytest.approx(named(before)["top"].frame.at(37.3, 100)[1])
    off = on_card(
        path,
        *steps,
        ("line_up", {"points": points, "by": "2 mm"}),
        ("line_up", {"how": "distance", "view": "top", "along": "y", "by": -7}),
    )
    moved = np.array(named(off)["top"].frame.at(37.3, 100)) - named(run)["top"].frame.at(37.3, 100)
    assert moved == pytest.approx([2, -7, 0], abs=1e-9)
    refused = on_card(path, *steps, ("line_up", {"how": "distance", "view": "front", "along": "y", "by": 3}))
    assert "looks along y" in refused.steps[3].message
    same = on_card(path, *steps, ("line_up", {"points": [points[0], points[0]]}))
    assert "Both points lie in the top view" in same.steps[3].message


@pytest.mark.parametrize("turn", [90, -90])
def test_a_side_view_that_lies_turned_on_the_sheet_is_righted(
    drawing: Callable[..., Path], on_card: Callable[..., Run], turn: int
) -> None:
    side = with_right(Figure(), 0, 0).moved(0, 0, math.radians(turn))
    x0, y0, *_ = side.table.extents.tolist()
    path = drawing(Figure(with_top(front(), 0, 60).curves + side.moved(100 - x0, -5 - y0).curves).draw())
    run = on_card(path, ("arrange", {}), ("from_views", {}))
    assert set(named(run)) == {"front", "top", "right"}
    assert volume(run) == pytest.approx(STEP, rel=1e-9)
    assert all(v.percent > 99.9 for v in straight_on(run.workpiece))
    assert "lay turned by 90°" in next(n.text for n in run.workpiece.notes if n.code == "views")


def test_a_view_turned_by_hand_lines_up_again(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    side = with_right(Figure(), 0, 0).moved(0, 0, math.radians(30)).moved(150, -20)
    path = drawing(Figure(with_top(front(), 0, 60).curves + side.curves).draw())
    box = [100, -60, 250, 55]
    run = on_card(
        path,
        ("arrange", {}),
        ("fold", {"view": "right", "box": box}),
        ("turn_view", {"view": "right", "angle": -30}),
        ("from_views", {}),
    )
    assert volume(run) == pytest.approx(STEP, rel=1e-9)


def test_a_view_drawn_twice_as_large_is_found_offered_and_brought_to_scale(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    large = with_top(Figure(), 0, 0)
    figure = Figure(
        with_right(front(), 100, 0).curves
        + Figure(large.table.transformed(np.array([[2.0, 0, -30], [0, 2.0, 60]])).curves()).curves
    )
    path = drawing(figure.draw())
    offered = on_card(path, ("arrange", {}))
    assert set(named(offered)) == {"front", "right"}
    assert "The top view is drawn 2 : 1 against the others" in next(
        n.text for n in offered.workpiece.notes if n.code == "views_scale"
    )
    run = on_card(path, ("arrange", {"scales": "to_the_others"}), ("from_views", {}))
    assert set(named(run)) == {"front", "top", "right"}
    assert volume(run) == pytest.approx(STEP, rel=1e-9)


def test_sections_details_and_repeats_are_told_from_views(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    figure = (
        with_right(with_right(with_top(front(), 0, 60), 100, 0), 200, 0).circle(330, 200, 11).line(319, 200, 341, 200)
    )
    run = on_card(
        drawing(titled(figure, ("SECTION B-B", 205, -6), ("DETAIL C", 322, 186))), ("arrange", {}), ("from_views", {})
    )
    assert set(named(run)) == {"front", "top", "right", "section B-B"}
    assert volume(run) == pytest.approx(STEP, rel=1e-9)
    twice = on_card(
        drawing(Figure(with_top(front(), 0, 60).curves + front(170, 130).curves).draw(), name="twice.dxf"),
        ("arrange", {}),
    )
    assert set(named(twice)) == {"front", "top"}
    assert "A group is the front view drawn once more; it was set apart." in [n.text for n in twice.workpiece.notes]


def test_an_auxiliary_view_stands_square_to_its_edge(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    """A wedge 60 x 40 with a slope of 30°: the auxiliary view off the slope shows that face in its true size, with a
    hole in the middle of it."""
    high = 60 * math.tan(math.radians(30))
    slope, c, s = 60 / math.cos(math.radians(30)), math.cos(math.radians(30)), math.sin(math.radians(30))
    face = Figure().rectangle(0, 40, slope, 40).circle(slope / 2, 60, 6)
    aux = face.table.transformed(np.array([[c, -s, 0], [s, c, 0]])).curves()
    figure = Figure(
        [*Figure().chain((0, 0), (60, 0), (60, high)).curves, *Figure().rectangle(100, 0, 40, high).curves, *aux]
    )
    path = drawing(figure.draw())
    run = on_card(path, ("arrange", {}))
    (found,) = [v for v in run.workpiece.views if v.name.startswith("auxiliary")]
    assert found.name == "auxiliary 30°"
    assert found.frame.normal == pytest.approx((-s, 0, c), abs=1e-9)
    corner = found.frame.at(*(np.array([[c, -s], [s, c]]) @ np.array([0, 40.0])))
    assert corner == pytest.approx((0, 0, 0), abs=1e-6) or corner == pytest.approx((0, 40, 0), abs=1e-6)
    wedge, hole = (
        next(r for r in run.workpiece.drawing.regions.regions if r.area == pytest.approx(a))
        for a in (30 * high, 36 * math.pi)
    )
    picks = [{"rule": "picked", "picks": [{"id": r.id, "at": r.inside, "area": r.area}]} for r in (wedge, hole)]
    cut = on_card(
        path, ("arrange", {}), ("extrude", {"profiles": picks[0], "extent": "as_seen"}), ("cut", {"profiles": picks[1]})
    )
    assert volume(cut) == pytest.approx(
        30 * high * 40 - 36 * math.pi * high / 2 / c, rel=1e-9
    )  # as deep as in its middle, all over
    by_hand = on_card(path, ("arrange", {}), ("name_view", {"view": "auxiliary 30°", "to": "none"}))
    edge = [pick(by_hand, 0, 0), pick(by_hand, 60, high)]
    box = np.array(found.box) + np.array([-1, -1, 1, 1])
    folded = on_card(
        path,
        ("arrange", {}),
        ("name_view", {"view": "auxiliary 30°", "to": "none"}),
        ("fold", {"view": "auxiliary", "box": box.tolist(), "edge": edge}),
    )
    assert named(folded)["auxiliary"].frame.normal == pytest.approx(found.frame.normal, abs=1e-9)


def test_the_origin_goes_where_it_is_wanted_and_what_is_built_inherits_it(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(with_right(with_top(front(3, 4), 3, 64), 103, 4).draw())
    plain = on_card(path, ("arrange", {}))
    circle = next(
        key
        for key, kind in zip(
            plain.workpiece.drawing.linework.ids, plain.workpiece.drawing.linework.table.kind, strict=True
        )
        if kind == 1
    )
    cases: list[tuple[dict[str, Any], tuple[float, float, float]]] = [
        ({"at": "centre"}, (-30, -20, -15)),
        ({"at": "foot"}, (-30, -20, 0)),
        ({"at": "corner"}, (0, 0, 0)),
        ({"at": "point", "points": [{"at": [50, 84], "curve": circle, "kind": "centre"}]}, (-47, -20, 0)),
        (
            {"at": "point", "points": [{"at": [50, 84], "curve": circle, "kind": "centre"}, pick(plain, 38, 34)]},
            (-47, -20, -30),
        ),
    ]
    for params, corner in cases:
        run = on_card(path, ("arrange", {}), ("origin", params), ("from_views", {}))
        assert volume(run) == pytest.approx(STEP, rel=1e-9)
        views = named(run)
        x, _, z = views["front"].frame.at(3, 4)
        assert (x, views["top"].frame.at(3, 64)[1], z) == pytest.approx(corner, abs=1e-9)
        assert all(a.holds for a in run.workpiece.agreements)


def test_small_misfits_are_snapped_to_the_front_view(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    figure = Figure(front().curves)
    figure.rectangle(0.05, 60, 59.9, 40).line(35.08, 60, 35.08, 100).circle(47, 80, 6)
    path = drawing(with_right(figure, 100, 0).draw())
    before = on_card(path, ("arrange", {}))
    assert max(a.worst for a in before.workpiece.agreements) > 0.04
    run = on_card(path, ("arrange", {}), ("snap_views", {"within": "0.2 mm"}), ("from_views", {}))
    assert volume(run) == pytest.approx(STEP, rel=1e-9)
    assert max(a.worst for a in run.workpiece.agreements) < 1e-9
    assert "nothing moved by more than 0.1" in next(n.text for n in run.workpiece.notes if n.code == "snapped")
    assert "off by less than" in on_card(path, ("arrange", {}), ("snap_views", {}), ("snap_views", {})).steps[3].message


def test_two_parts_on_a_sheet_and_views_that_cannot_agree_are_said(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    other = Figure().rectangle(300, 203, 33, 21).circle(310, 213, 4).rectangle(300, 251, 33, 17)
    two = on_card(
        drawing(Figure(with_right(with_top(front(), 0, 60), 100, 0).curves + other.curves).draw()), ("arrange", {})
    )
    assert any("leave out one of the two" in n.text for n in two.workpiece.notes)
    odd = Figure(front().curves).rectangle(1, 60, 57.5, 40)
    apart = on_card(drawing(odd.draw(), name="odd.dxf"), ("arrange", {}))
    assert any("The front and top views differ by" in a.misfit for a in apart.workpiece.agreements)
    alone = on_card(drawing(front().draw(), name="alone.dxf"), ("arrange", {}))
    assert any("moved aside first" in n.text for n in alone.workpiece.notes)


@pytest.mark.parametrize("guided", [True, False])
def test_guides_bind_views_that_share_nothing_else(
    drawing: Callable[..., Path], on_card: Callable[..., Run], guided: bool
) -> None:
    """A shape and a narrower one above it, off its middle by 4.3: only the centre line through both says where it
    belongs."""

    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("CENTER", pattern=[2.0, 1.25, -0.25, 0.25, -0.25])
        Figure().rectangle(0, 0, 60, 30).circle(17.1, 11, 3).rectangle(13.3, 80, 43, 40).draw()(space, document)
        if guided:
            space.add_line((34.8, -5), (34.8, 125), dxfattribs={"linetype": "CENTER"})

    steps = (("fold", {"view": "front", "box": [-1, -1, 61, 31]}), ("fold", {"view": "top", "box": [5, 70, 70, 130]}))
    run = on_card(drawing(draw), *steps)
    assert (
        named(run)["top"].frame.at(34.8, 100)[0] == pytest.approx(named(run)["front"].frame.at(34.8, 0)[0], abs=1e-9)
    ) == guided


def test_a_view_moved_on_the_sheet_stays_where_it_is_on_the_part(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(with_right(with_top(front(), 0, 60), 100, 0).draw())
    top = named(on_card(path, ("arrange", {})))["top"]
    run = on_card(
        path,
        ("arrange", {}),
        ("move", {"curves": sorted(top.curves), "about": "lower_left", "x": 5, "y": 200}),
        ("from_views", {}),
    )
    assert named(run)["top"].box == pytest.approx((5, 200, 65, 240))
    assert volume(run) == pytest.approx(STEP, rel=1e-9)
    assert all(a.holds for a in run.workpiece.agreements)


def test_views_follow_what_becomes_of_their_curves(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    """Found first and mended, split and drawn on after: doubles drop out of the view, pieces and new lines in its box
    belong to it."""
    figure = Figure().rectangle(0, 0, 60, 30).rectangle(0, 60, 60, 40).line(0, 0, 60, 0).line(35, 60, 35, 99.8)
    path = drawing(figure.draw())
    arranged = on_card(path, ("arrange", {"projection": "third"}))
    top = next(v for v in arranged.workpiece.views if v.name == "top")
    rows = arranged.workpiece.drawing.linework
    foot = next(key for key in top.curves if rows.table.bounds[rows.row_of[key]] == pytest.approx((0, 60, 60, 60)))
    points = [{"at": [10, 65], "curve": None, "kind": "free"}, {"at": [20, 65], "curve": None, "kind": "free"}]
    run = on_card(
        path,
        ("arrange", {"projection": "third"}),
        ("mend", {}),
        ("split", {"curves": [foot]}),
        ("draw", {"shape": "line", "points": points}),
    )
    assert run.failed is None, run.failed
    views = {v.name: v for v in run.workpiece.views}
    linework = run.workpiece.drawing.linework
    held = {
        name: {key for key in linework.ids if (linework.table.bounds[linework.row_of[key], 1] >= 50) == (name == "top")}
        for name in ("front", "top")
    }
    assert {name: set(views[name].curves) for name in held} == held
    assert len(views["front"].curves) == 4
    lines_parcel(run.workpiece)
