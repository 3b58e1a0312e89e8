"""Profiles turned about an axis, held against Pappus, against closed forms and against their mesh."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tectogon.display.packing import unpack
from tectogon.display.sheet import regions_parcel
from tectogon.errors import BadValue
from tectogon.route import Run
from tectogon.solids import measure
from tectogon.solids.mesh import mesh_of

ALL = {"rule": "material"}
AXIS = [{"at": (0, 0)}, {"at": (100, 0)}]
Case = Callable[..., Run]


def volume(run: Run) -> float:
    assert run.failed is None, run.failed
    return float(sum(b.volume for b in run.workpiece.bodies))


def refusal(run: Run) -> str:
    assert run.failed is not None
    return run.failed.message


@pytest.mark.parametrize(
    ("figure", "expected"),
    [
        (Figure().rectangle(10, 0, 30, 8), math.pi * 64 * 30),
        (Figure().rectangle(10, 5, 30, 3), math.pi * (64 - 25) * 30),
        (Figure().chain((0, 0), (30, 0), (0, 12)), math.pi * 144 * 10),
        (Figure().circle(50, 20, 6), 2 * math.pi**2 * 20 * 36),
        (Figure().arc(50, 0, 9, 0, 180).line(41, 0, 59, 0), 4 / 3 * math.pi * 729),
        (Figure().circle(50, 0, 9), 4 / 3 * math.pi * 729),
        (Figure().rectangle(0, -6, 40, 12).rectangle(5, -2, 10, 4), math.pi * (36 * 40 - 4 * 10)),
    ],
    ids=["cylinder", "tube", "cone", "ring", "ball", "ball of a whole circle", "shaft with a hollow"],
)
def test_turned_once_about_is_what_closed_forms_say(
    figure: Figure, expected: float, drawing: Callable[..., Path], on_card: Case
) -> None:
    run = on_card(drawing(figure.draw()), ("revolve", {"profiles": ALL, "points": AXIS}))
    assert volume(run) == pytest.approx(expected, rel=1e-6)
    assert mesh_of(run.workpiece.bodies[0].shape).watertight


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    heights=st.lists(st.floats(2, 30), min_size=2, max_size=7),
    angle=st.floats(20, 360),
    turn=st.floats(-180, 180),
    way=st.sampled_from(["both", "towards", "away"]),
)
def test_any_profile_beside_any_axis_has_the_volume_of_its_centroids_way(
    heights: list[float], angle: float, turn: float, way: str, tmp_path_factory: pytest.TempPathFactory, on_card: Case
) -> None:
    import ezdxf

    top = [(10.0 * n, 1.0 + h) for n, h in enumerate(heights)]
    points = np.array([(0.0, 1.0), (10.0 * (len(heights) - 1), 1.0), *top[::-1]])
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    matrix = np.array([[c, -s], [s, c]])
    figure = Figure().chain(*map(tuple, (points @ matrix.T).tolist()))
    document = ezdxf.new("R2010", units=4)
    figure.draw()(document.modelspace(), document)
    path = tmp_path_factory.mktemp("turned") / "turned.dxf"
    document.saveas(path)
    axis = [{"at": (0, 0)}, {"at": tuple((matrix @ [50.0, 0.0]).tolist())}]
    run = on_card(path, ("revolve", {"profiles": ALL, "points": axis, "angle": angle, "way": way}))
    x, y = points.T
    x2, y2 = np.roll(x, -1), np.roll(y, -1)
    moment = float(np.sum((y + y2) * (x * y2 - x2 * y))) / 6.0
    assert volume(run) == pytest.approx(abs(moment) * math.radians(angle), rel=1e-6)
    low, high = np.array(measure.bounds(run.workpiece.bodies[0].shape))[[2, 5]]
    if angle < 175:
        assert {"towards": low > -1e-3, "away": high < 1e-3, "both": low < 0 < high}[way]


def test_a_countersink_is_cut_and_a_boss_is_left_standing(drawing: Callable[..., Path], on_card: Case) -> None:
    figure = Figure().rectangle(0, 0, 60, 60).chain((20, 100), (40, 100), (34, 90), (26, 90))
    figure.chain((20, 120), (40, 120), (34, 130), (26, 130))
    path = drawing(figure.draw())
    found = on_card(path, ("extrude", {"profiles": ALL})).workpiece.drawing.regions
    plate, sink, boss = (
        {"rule": "picked", "picks": [{"id": r.id}]} for r in sorted(found.regions, key=lambda r: r.centroid[1])
    )
    frustum = math.pi * 10 / 3 * (100 + 40 + 16)
    block = ("extrude", {"profiles": plate, "length": 300, "extent": "half_each_side"})
    sunk = on_card(path, ("move", {"about": "origin"}), block, ("revolve", {"profiles": sink, "axis": "upright"}))
    assert volume(sunk) == pytest.approx(60 * 60 * 300 + frustum, rel=1e-6)
    around = on_card(
        path,
        ("extrude", {"profiles": boss, "length": 40, "extent": "half_each_side"}),
        ("revolve", {"profiles": boss, "axis": "upright", "result": "around"}),
    )
    first = on_card(path, ("extrude", {"profiles": boss, "length": 40, "extent": "half_each_side"}))
    assert 0 < volume(around) < volume(first)
    core = on_card(
        path,
        ("extrude", {"profiles": boss, "length": 40, "extent": "half_each_side"}),
        ("revolve", {"profiles": boss, "axis": "upright", "result": "common"}),
    )
    assert volume(core) == pytest.approx(frustum, rel=1e-6)


def test_an_axis_through_a_lopsided_profile_is_refused_with_both_areas(
    drawing: Callable[..., Path], on_card: Case
) -> None:
    path = drawing(Figure().rectangle(0, -4, 40, 10).draw())
    said = refusal(on_card(path, ("revolve", {"profiles": ALL, "points": AXIS})))
    assert "not alike" in said and "160" in said and "240" in said


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"points": []}, "two points of the axis"),
        ({"points": [{"at": (0, 0)}, {"at": (0, 0)}]}, "on top of each other"),
        ({"points": AXIS, "angle": 0}, "more than 0°"),
        ({"points": AXIS, "angle": 400}, "no more than 360°"),
        ({"points": AXIS, "angle": 90, "result": "around"}, "whole turn"),
        ({"points": AXIS, "plane": "picked"}, "point of another view"),
        ({"points": AXIS, "result": "cut"}, "no body to cut"),
    ],
)
def test_what_cannot_be_turned_is_said(
    values: dict[str, Any], says: str, drawing: Callable[..., Path], on_card: Case
) -> None:
    path = drawing(Figure().rectangle(0, 0, 40, 10).draw())
    assert says in refusal(on_card(path, ("revolve", {"profiles": ALL, **values})))


def test_faces_of_a_turned_body_keep_their_curves(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(Figure().rectangle(0, 5, 40, 10).draw())
    run = on_card(path, ("revolve", {"profiles": ALL, "points": AXIS, "angle": 90}))
    names = run.workpiece.bodies[0].names
    assert sorted(n.role for n in names) == ["end", "side", "side", "side", "side", "start"]
    assert len({n.curve for n in names if n.curve}) == 4


def test_a_length_that_cannot_be_read_is_refused() -> None:
    from tectogon.operations.revolve import RevolveParams

    with pytest.raises((BadValue, ValueError)):
        RevolveParams(lift="abc")


@pytest.mark.parametrize(
    ("axis", "angle", "expected"),
    [
        ("x", "360", math.pi * 100 * 40),
        ("y", "90", math.pi * 1600 * 10 / 4),
        ("-5,-2,50,-2", "360", math.pi * (144 - 4) * 40),
    ],
)
def test_the_command_turns_profiles(
    axis: str, angle: str, expected: float, drawing: Callable[..., Path], capsys: pytest.CaptureFixture[str]
) -> None:
    from tectogon.cli import main

    path = drawing(Figure().rectangle(0, 0, 40, 10).draw())
    out = path.with_suffix(".step")
    arguments = ["revolve", str(path), "--axis", axis, "--angle", angle, "--out", str(out), "--json"]
    assert main(arguments) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["volume_mm3"] == pytest.approx(expected, rel=1e-6)
    assert told["valid"] and told["watertight"] and out.exists()


def test_the_command_says_what_is_wrong_with_an_axis(
    drawing: Callable[..., Path], capsys: pytest.CaptureFixture[str]
) -> None:
    from tectogon.cli import main

    path = drawing(Figure().rectangle(0, -4, 40, 10).draw())
    assert main(["revolve", str(path), "--axis", "x", "--json"]) == 4
    assert "not alike" in capsys.readouterr().out
    assert main(["revolve", str(path), "--axis", "1,1,1,1"]) == 2
    assert "on top of each other" in capsys.readouterr().err


def on_centre_lines(*, top: Callable[[Any], None] | None = None) -> Callable[[Any, Any], None]:
    """A half profile beside a centre line, another centre line far off, and perhaps a top view above."""

    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4], description="Center ____ _ ____")
        Figure().rectangle(10, 15, 40, 6).draw()(space, document)
        space.add_line((5, 10), (55, 10), dxfattribs={"linetype": "CENTER"})
        space.add_line((30, -20), (30, 2), dxfattribs={"linetype": "CENTER"})
        if top:
            top(space)

    return draw


RING = math.pi * (11**2 - 5**2) * 40


def test_the_drawings_own_centre_line_is_the_axis(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(on_centre_lines())
    assert volume(on_card(path, ("revolve", {"profiles": ALL}))) == pytest.approx(RING, rel=1e-6)
    pressed = on_card(path, ("revolve", {"profiles": ALL, "points": [{"at": (10, 15)}, {"at": (50, 15)}]}))
    assert volume(pressed) == pytest.approx(math.pi * 36 * 40, rel=1e-6), "points that are pressed go before it"
    bare = on_card(drawing(Figure().rectangle(0, 5, 40, 6).draw()), ("revolve", {"profiles": ALL}))
    assert "Press two points" in refusal(bare)


@pytest.mark.parametrize("shown", ["centre line", "circles", "nothing"])
def test_the_axis_lies_as_deep_as_another_view_shows_it(
    shown: str, drawing: Callable[..., Path], on_card: Case
) -> None:
    def top(space: Any) -> None:
        Figure().rectangle(10, -1, 40, 6).draw()(space, None)
        space.add_lwpolyline([(10, 100), (50, 100), (50, 140), (10, 140)], close=True)
        if shown == "centre line":
            space.add_line((5, 112), (55, 112), dxfattribs={"linetype": "CENTER"})

    def side(space: Any) -> None:
        Figure().rectangle(10, -1, 40, 6).draw()(space, None)
        space.add_lwpolyline([(100, -1), (140, -1), (140, 21), (100, 21)], close=True)
        for radius in (5, 11):
            space.add_circle((112, 10), radius)

    path = drawing(on_centre_lines(top=side if shown == "circles" else top))
    other = ("fold", {"view": "right", "box": [99, -2, 141, 22]})
    if shown != "circles":
        other = ("fold", {"view": "top", "box": [4, 99, 56, 141]})
    front = ("fold", {"view": "front", "box": [4, -2, 56, 22]})
    profile = {"rule": "picked", "picks": [{"id": "", "curves": [], "at": [30, 18], "area": 240}]}
    run = on_card(path, front, other, ("revolve", {"profiles": profile}))
    assert run.failed is None, run.failed
    (body,) = run.workpiece.bodies
    assert body.volume == pytest.approx(RING, rel=1e-6)
    middle = np.array(measure.bounds(body.shape)).reshape(2, 3).mean(axis=0)
    notes = [n.code for n in run.steps[-1].notes]
    if shown == "nothing":
        assert middle[1] == pytest.approx(0.0) and "part_axis_depth" in notes
        return
    view = next(v for v in run.workpiece.views if v.name != "front")
    expected = view.frame.place(np.array([30.0, 112.0] if shown == "centre line" else [112.0, 10.0]))
    assert middle[1] == pytest.approx(expected[1], abs=1e-6) and abs(expected[1]) > 1.0
    assert "part_axis_depth" not in notes


def told_otherwise(run: Any, drawn: str) -> list[dict[str, Any]]:
    """What a page is told that other lines than solid ones close, as picks."""
    facts, _ = unpack(regions_parcel(run.workpiece))
    assert all(r["drawn"] == "solid" for r in facts["regions"])
    return [
        {"id": r["id"], "curves": [], "at": r["inside"], "area": r["area"]}
        for r in facts["otherwise"]
        if r["drawn"] == drawn
    ]


def test_the_half_over_a_centre_line_is_a_profile_though_the_halves_differ(
    drawing: Callable[..., Path], on_card: Case
) -> None:
    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4], description="Center ____ _ ____")
        upper, lower = [(0, 10), (0, 18), (30, 18), (30, 14), (50, 14), (50, 10)], [(50, 4), (30, 4), (30, 0), (0, 0)]
        space.add_lwpolyline([*upper, *lower], close=True)
        space.add_line((-5, 10), (55, 10), dxfattribs={"linetype": "CENTER"})

    path = drawing(draw)
    halves = told_otherwise(on_card(path), "centre")
    assert sorted(h["area"] for h in halves) == pytest.approx([30 * 8 + 20 * 4, 30 * 10 + 20 * 6])
    upper = min(halves, key=lambda h: h["area"])
    run = on_card(path, ("revolve", {"profiles": {"rule": "picked", "picks": [upper]}}))
    assert volume(run) == pytest.approx(math.pi * (64 * 30 + 16 * 20), rel=1e-6)
    mended = {**upper, "id": "as of another issue", "curves": _curves(on_card(path), upper["id"])}
    again = on_card(path, ("revolve", {"profiles": {"rule": "picked", "picks": [mended]}}))
    assert volume(again) == pytest.approx(volume(run)), "found again by its curves, the half and not the whole"


def _curves(run: Any, key: str) -> tuple[str, ...]:
    parted = run.workpiece.drawing.parted
    return tuple(parted.curves_of(parted.with_id(key).outer))


def test_a_keyway_drawn_dashed_is_a_profile_that_cuts(drawing: Callable[..., Path], on_card: Case) -> None:
    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("HIDDEN", pattern=[9, 6, -3], description="Hidden __ __")
        Figure().rectangle(0, 0, 60, 20).draw()(space, document)
        space.add_lwpolyline(
            [(10, 7, 0), (30, 7, 1), (30, 13, 0), (10, 13, 1)],
            format="xyb",
            close=True,
            dxfattribs={"linetype": "HIDDEN"},
        )
        space.add_line((40, 20), (40, 12), dxfattribs={"linetype": "HIDDEN"})
        space.add_line((40, 12), (50, 12), dxfattribs={"linetype": "HIDDEN"})
        space.add_line((50, 12), (50, 20), dxfattribs={"linetype": "HIDDEN"})

    path = drawing(draw)
    keyway, pocket = 20 * 6 + math.pi * 9, 80.0
    offered = told_otherwise(on_card(path), "hidden")
    for wanted in (keyway, pocket):
        (pick,) = (o for o in offered if o["area"] == pytest.approx(wanted, rel=1e-6))
        run = on_card(
            path,
            ("extrude", {"profiles": ALL, "length": 10}),
            ("cut", {"profiles": {"rule": "picked", "picks": [pick]}}),
        )
        assert volume(run) == pytest.approx(10 * (1200 - wanted), rel=1e-6)
