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
