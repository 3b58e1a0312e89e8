"""Views found, named and lined up; parts built from them have their true volume, and every line of the drawing is
explained."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from made_views import HABITS, made_sheet
from tectogon.cli import main
from tectogon.curves import CurveTable
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.reconstruction.straight_on import straight_on
from tectogon.route import Run
from tectogon.views.groups import find_groups

DEMO = Path(__file__).resolve().parents[2] / "demo"
TRUTH = json.loads((DEMO / "truth.json").read_text())


@pytest.mark.parametrize(
    ("name", "views", "volume"),
    [
        ("clamp-bracket.dxf", {"front", "top", "right"}, TRUTH["clamp-bracket.dxf"]["volume_mm3"]),
        ("sensor-bracket.dxf", {"front", "top", "right"}, TRUTH["sensor-bracket.dxf"]["volume_mm3"]),
        ("sonde-cap.svg", {"front", "top"}, TRUTH["sonde-cap.svg"]["volume_mm3"]),
        ("mast-shoe.dwg", {"front", "top"}, TRUTH["mast-shoe.dwg"]["volume_mm3"]),
    ],
)
def test_the_demo_parts_come_out_of_their_views(
    on_card: Callable[..., Run], name: str, views: set[str], volume: float
) -> None:
    run = on_card(DEMO / "files" / name, ("mend", {}), ("arrange", {}), ("from_views", {}))
    assert run.failed is None, run.failed
    assert {v.name for v in run.workpiece.views} == views
    assert sum(b.volume for b in run.workpiece.bodies) == pytest.approx(volume, rel=1e-6)
    seen = straight_on(run.workpiece)
    assert all(v.percent > 99.9 and not v.unexplained for v in seen)
    # the cap's front view is drawn as one stepped outline: the foot of its boss is an edge that the drawing does lack
    assert [(v.name, len(v.lacking)) for v in seen if v.lacking] == ([("front", 1)] if name == "sonde-cap.svg" else [])


@pytest.mark.parametrize("seed", range(12))
def test_made_up_sheets_give_back_their_part(on_card: Callable[..., Run], tmp_path: Path, seed: int) -> None:
    """Random parts in two or three views, off line, with gaps, doubles, border and dimensions: names, places and volume
    are the true ones."""
    sheet = made_sheet(seed, tmp_path)
    run = on_card(sheet.path, ("mend", {}), ("arrange", {}), ("from_views", {}))
    assert run.failed is None, run.failed
    views = run.workpiece.views
    assert {v.name for v in views} == set(sheet.origins)
    for view in views:
        assert view.frame.at(*sheet.origins[view.name]) == pytest.approx((0, 0, 0), abs=0.01)
    assert sum(b.volume for b in run.workpiece.bodies) == pytest.approx(sheet.volume, rel=1e-3)


@pytest.mark.parametrize("seed", range(16))
def test_bosses_pockets_and_what_lies_behind_come_out_of_the_views(
    on_card: Callable[..., Run], tmp_path: Path, seed: int
) -> None:
    """Richer parts: their volume is the true one and every line is explained; and the ordinary steps give the same
    part."""
    sheet = made_sheet(seed, tmp_path, rich=True)
    arranged = (("mend", {}), ("arrange", {}))
    run = on_card(sheet.path, *arranged, ("from_views", {}))
    assert run.failed is None, run.failed
    volume = sum(b.volume for b in run.workpiece.bodies)
    assert volume == pytest.approx(sheet.volume, rel=1e-3)
    assert all(v.percent > 99.9 for v in straight_on(run.workpiece))
    stepwise = on_card(sheet.path, *arranged, *steps_from_views(on_card(sheet.path, *arranged).workpiece))
    assert stepwise.failed is None, stepwise.failed
    assert sum(b.volume for b in stepwise.workpiece.bodies) == pytest.approx(volume, rel=1e-5)


@pytest.mark.parametrize("seed", (200, 201, 202))
@pytest.mark.parametrize("habit", HABITS)
def test_parts_come_out_of_sheets_drawn_as_others_draw(
    on_card: Callable[..., Run], tmp_path: Path, habit: str, seed: int
) -> None:
    """Guides, rows with titles, another scale, leaders, one layer far from the origin, inches, polylines, a pictorial
    view: the part is the true one, or what goes against it is told."""
    sheet = made_sheet(seed, tmp_path, rich=seed % 2 == 1, habit=habit)
    run = on_card(sheet.path, ("mend", {}), ("arrange", {"scales": "to_the_others"}), ("from_views", {}))
    assert run.failed is None, run.failed
    assert sum(b.volume for b in run.workpiece.bodies) == pytest.approx(sheet.volume, rel=1e-3)
    assert {v.name for v in run.workpiece.views} == set(sheet.origins)


def test_a_flange_from_two_views(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    """A disc of 80 x 10 with a boss of 40 x 15 in front of it, a bore of 20 through both and four holes of 8: circles
    inside circles, and one side view."""
    figure = Figure()
    for r in (40, 20, 10):
        figure.circle(0, 0, r)
    c = 30 * math.sqrt(0.5)
    for x, y in ((c, c), (c, -c), (-c, c), (-c, -c)):
        figure.circle(x, y, 4)
    figure.chain((80, -20), (95, -20), (95, -40), (105, -40), (105, 40), (95, 40), (95, 20), (80, 20)).line(
        95, -20, 95, 20
    )
    bore = [((80, y), (105, y)) for y in (10, -10)] + [
        ((95, s * c + t), (105, s * c + t)) for s in (1, -1) for t in (4, -4)
    ]
    run = on_card(drawing(with_dashes(figure, *bore)), ("arrange", {}), ("from_views", {}))
    assert run.failed is None, run.failed
    (body,) = run.workpiece.bodies
    assert body.volume == pytest.approx(math.pi * (40**2 * 10 + 20**2 * 15 - 10**2 * 25 - 4 * 4**2 * 10), rel=1e-9)
    assert all(v.percent > 99.9 and not v.lacking for v in straight_on(run.workpiece))


def step_block(third: bool, shift: float) -> Figure:
    """A block 60 x 40 x 30 with a step, 20 high and 25 long, and a hole of 6 through the step; the top view off by
    `shift`."""
    figure = Figure().chain((0, 0), (60, 0), (60, 20), (35, 20), (35, 30), (0, 30))
    oy = 60 if third else -80
    figure.rectangle(shift, oy, 60, 40).line(35 + shift, oy, 35 + shift, oy + 40).circle(47 + shift, oy + 20, 6)
    if third:
        return figure.rectangle(100, 0, 40, 30).line(100, 20, 140, 20)
    return figure.rectangle(100, 0, 40, 30).line(100, 20, 140, 20)


@pytest.mark.parametrize("third", [True, False])
@pytest.mark.parametrize("shift", [0.0, 0.7])
def test_first_and_third_angle_and_a_view_off_line(
    drawing: Callable[..., Path], on_card: Callable[..., Run], third: bool, shift: float
) -> None:
    run = on_card(drawing(step_block(third, shift).draw()), ("arrange", {}), ("from_views", {}))
    assert run.failed is None, run.failed
    assert {v.name for v in run.workpiece.views} == ({"front", "top", "right"} if third else {"front", "top", "left"})
    (body,) = run.workpiece.bodies
    assert body.volume == pytest.approx(60 * 40 * 30 - 25 * 40 * 10 - 36 * math.pi * 20, rel=1e-9)
    top = next(v for v in run.workpiece.views if v.name == "top")
    assert top.frame.at(shift, 60 if third else -80) == pytest.approx((0, 0, 0), abs=1e-6)


def test_a_part_that_does_not_fit_its_drawing_is_found_out(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """Extruded 32 instead of 40: in the side view its far edge is lacking 8 mm off, and two stretches of 8 mm with the
    edge of 30 are explained by nothing."""
    run = on_card(drawing(step_block(True, 0).draw()), ("arrange", {}))
    front = next(r for r in run.workpiece.drawing.regions.regions if r.bounds == pytest.approx((0, 0, 60, 30)))
    path = drawing(step_block(True, 0).draw())
    pick = {"rule": "picked", "picks": [{"id": front.id, "at": front.inside, "area": front.area}]}
    run = on_card(path, ("arrange", {}), ("extrude", {"profiles": pick, "length": 32, "side": "away"}))
    assert run.failed is None, run.failed
    seen = {v.name: v for v in straight_on(run.workpiece)}
    assert seen["front"].percent == pytest.approx(100) and not seen["front"].lacking
    length = {
        name: sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for line in lines)
        for name, lines in (("off", seen["right"].unexplained), ("lacks", seen["right"].lacking))
    }
    assert length["off"] == pytest.approx(30 + 3 * 8, abs=0.5)
    assert length["lacks"] == pytest.approx(30, abs=0.5)
    assert seen["right"].percent == pytest.approx(100 * (1 - (30 + 24) / 180), abs=0.5)


def with_dashes(figure: Figure, *lines: tuple[tuple[float, float], tuple[float, float]]) -> Callable[[Any, Any], None]:
    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("DASHED", pattern=[0.75, 0.5, -0.25])
        figure.draw()(space, document)
        for start, end in lines:
            space.add_line(start, end, dxfattribs={"linetype": "DASHED"})

    return draw


def test_depths_are_read_from_other_views_and_follow_them(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """The step block's front profile goes as far as the top view says; a blind hole of 8, dashed in the front view, is
    cut that deep."""
    for width in (40, 46):
        figure = Figure().chain((0, 0), (60, 0), (60, 20), (35, 20), (35, 30), (0, 30))
        figure.rectangle(0, 60, 60, width).line(35, 60, 35, 60 + width).circle(15, 60 + 20, 6)
        path = drawing(with_dashes(figure, ((9, 22), (9, 30)), ((21, 22), (21, 30)), ((9, 22), (21, 22))))
        regions = on_card(path, ("arrange", {})).workpiece.drawing.regions.regions
        front = next(r for r in regions if r.bounds == pytest.approx((0, 0, 60, 30)))
        hole = next(r for r in regions if r.area == pytest.approx(36 * math.pi))
        picks = [{"rule": "picked", "picks": [{"id": r.id, "at": r.inside, "area": r.area}]} for r in (front, hole)]
        run = on_card(
            path,
            ("arrange", {}),
            ("extrude", {"profiles": picks[0], "extent": "as_seen"}),
            ("cut", {"profiles": picks[1], "depth": "as_seen"}),
        )
        assert run.failed is None, run.failed
        (body,) = run.workpiece.bodies
        assert body.volume == pytest.approx((60 * 30 - 25 * 10) * width - 36 * math.pi * 8, rel=1e-9)


def test_a_depth_that_no_view_can_show_is_said(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    run = on_card(
        drawing(Figure().rectangle(0, 0, 10, 10).draw()),
        ("extrude", {"profiles": {"rule": "material"}, "extent": "as_seen"}),
    )
    assert run.failed is not None and "No other view is folded" in run.failed.message


def told(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, dict[str, Any]]:
    status = main(list(words))
    return status, json.loads(capsys.readouterr().out)


def test_the_command_names_views_and_builds_from_them(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    out = tmp_path / "bracket.step"
    status, answer = told(capsys, "views", str(DEMO / "files" / "clamp-bracket.dxf"), "--build", str(out), "--json")
    assert status == 0
    assert answer["projection"] == "third"
    assert {v["name"]: [round(x, 3) for x in v["bbox_mm"]] for v in answer["views"]} == {
        "front": [0, 0, 110, 82],
        "top": [0.4, 130, 110.4, 190],
        "right": [150, 0, 210, 82],
    }
    assert all(a["matched"] >= 3 and a["worst_mm"] < 0.01 for a in answer["agreement"])
    assert answer["volume_mm3"] == pytest.approx(TRUTH["clamp-bracket.dxf"]["volume_mm3"], rel=1e-6)
    assert [e["percent"] > 99.9 for e in answer["explained"]] == [True] * 3
    assert out.exists()


@pytest.mark.parametrize(
    ("figure", "status", "message"),
    [
        (Figure().rectangle(0, 0, 10, 10).circle(5, 5, 2), 4, "Two views or more"),
        (Figure().rectangle(0, 0, 10, 10).rectangle(30, 0, 10, 10), 0, ""),
    ],
)
def test_odd_sheets_end_in_a_sentence(
    drawing: Callable[..., Path],
    capsys: pytest.CaptureFixture[str],
    tmp_path: Path,
    figure: Figure,
    status: int,
    message: str,
) -> None:
    got, answer = told(capsys, "views", str(drawing(figure.draw())), "--build", str(tmp_path / "o.step"), "--json")
    assert got == status
    assert message in answer["message"]


def test_a_sheet_with_nothing_but_text_has_no_views(
    drawing: Callable[..., Path], capsys: pytest.CaptureFixture[str]
) -> None:
    status, answer = told(capsys, "views", str(drawing(lambda space, _: space.add_text("nothing here"))), "--json")
    assert (status, answer["status"]) == (4, "nothing_to_build")


def test_an_outline_that_does_not_close_is_said_with_its_place(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """The top view of a block is short of its corner by 0.5 mm at two ends: nothing is built of the rest; once it is
    mended the part is whole."""
    figure = Figure().rectangle(0, 0, 60, 30)
    figure.line(0, 60, 60, 60).line(60, 60, 60, 99.5).line(60, 100, 0, 100).line(0, 100, 0, 60).line(35, 60, 35, 100)
    path = drawing(figure.draw())
    run = on_card(path, ("arrange", {}), ("from_views", {}))
    assert run.failed is not None and "outline of the top view does not close" in run.failed.message
    assert run.failed.place.point == pytest.approx((60, 99.75), abs=0.3)
    assert on_card(path, ("arrange", {}), ("outline", {"view": "top"})).failed is not None
    mended = on_card(path, ("mend", {}), ("arrange", {}), ("from_views", {}))
    assert mended.failed is None and sum(b.volume for b in mended.workpiece.bodies) == pytest.approx(
        60 * 30 * 40, rel=1e-6
    )


def test_bodies_go_with_the_origin(on_card: Callable[..., Run], tmp_path: Path) -> None:
    """Moved after building, the part stays where its views are: they explain it as before, and its faces keep names."""
    from tectogon.solids import measure

    path = made_sheet(3, tmp_path).path
    built = on_card(path, ("mend", {}), ("arrange", {}), ("from_views", {}))
    moved = on_card(path, ("mend", {}), ("arrange", {}), ("from_views", {}), ("origin", {"at": "centre"}))
    before, after = built.workpiece.bodies[0], moved.workpiece.bodies[0]
    low, high = np.array(measure.bounds(after.shape)).reshape(2, 3)
    assert low == pytest.approx(-high, abs=1e-3)
    assert after.volume == pytest.approx(before.volume) and after.names == before.names
    shift = np.array(measure.bounds(after.shape)[:3]) - np.array(measure.bounds(before.shape)[:3])
    for one, other in zip(before.faces, after.faces, strict=True):
        a, b = measure.plane_of(one), measure.plane_of(other)
        assert (a is None) == (b is None)
        if a is not None and b is not None:
            assert b[0] == pytest.approx(a[0] + shift, abs=1e-6)
    assert all(v.percent > 99.9 for v in straight_on(moved.workpiece))


def test_copies_of_a_drawing_group_as_it_does() -> None:
    table = Figure().rectangle(0, 0, 30, 20).circle(15, 10, 4).rectangle(80, 0, 20, 20).table
    once = find_groups(table, reach=2.0)
    copies = find_groups(CurveTable.of(table.curves() * 40), reach=2.0)
    assert len(set(once.tolist())) == 2
    assert copies.tolist() == once.tolist() * 40
