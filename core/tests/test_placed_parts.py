"""Parts that stand in another: by values, face on face, axis in axis, in a row."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from hypothesis import given
from hypothesis import strategies as st
from tectogon.building.rotations import rotation
from tectogon.errors import BadValue, Unfinished
from tectogon.operations import OPERATIONS
from tectogon.solids import exchange, measure
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import Context, SourceFile


def raised(figure: Figure, height: float, view: str = "top", key: str = "1:a") -> Body:
    regions = figure.regions()
    return Body.of(key, "Block", prism(regions, regions.profiles[0], frame_of(view), 0.0, height, 1))


def block(wide: float = 30.0) -> Body:
    return raised(Figure().rectangle(0, 0, wide, 20).circle(10, 10, 4), 5)


@pytest.fixture
def place(tmp_path: Path) -> Any:
    """Place the small block in a workpiece with a plate."""
    path = tmp_path / "small.step"
    path.write_bytes(exchange.step_bytes([block()], "Small"))

    def run(**params: Any) -> Workpiece:
        kind = OPERATIONS["place_part"]
        plate = raised(Figure().rectangle(0, 0, 100, 60).circle(50, 30, 4), 10, key="1:plate")
        context = Context(20, {"small.step": SourceFile("small.step", path, "x")})
        values = {"source": "small.step", "name": "Small", "part": 7, "revision": 3, **params}
        return kind.apply(Workpiece(bodies=(plate,)), kind.params.model_validate(values), context)

    return run


def box_of(body: Body) -> list[float]:
    return [round(v, 6) for v in measure.bounds(body.shape)]


def face(body: Body, kind: str, z: float | None = None) -> dict[str, Any]:
    """A face by its kind, the flat one at a height."""
    for n, shape in enumerate(body.faces):
        facts = measure.surface_facts(shape)
        level = facts["kind"] == "flat" and abs(abs(facts["direction"][2]) - 1.0) < 1e-9
        if facts["kind"] == kind and (z is None or (level and abs(facts["point"][2] - z) < 1e-9)):
            return {"face": {"name": body.names[n].key, "body": body.key}}
    raise AssertionError(kind)


def test_a_part_stands_where_values_say(place: Any) -> None:
    made = place(x=40, y=5, z=10, angle=90)
    assert [b.name for b in made.bodies] == ["Block", "Small"]
    assert box_of(made.bodies[1]) == [20, 5, 10, 40, 35, 15]
    row = place(count=4, dx=25)
    assert [b.name for b in row.bodies[1:]] == [f"Small, {n}" for n in range(1, 5)]
    assert len({b.key for b in row.bodies}) == 5
    assert [box_of(b)[0] for b in row.bodies[1:]] == [0, 25, 50, 75]


def test_a_part_stands_face_on_face(place: Any) -> None:
    bare = place()
    plate, small = bare.bodies
    # its top on the plate's top: it is turned over
    made = place(how="faces", pieces=[face(small, "flat", 5.0), face(plate, "flat", 10.0)])
    low, high = np.array(box_of(made.bodies[1])).reshape(2, 3)
    assert (low[2], high[2]) == (10.0, 15.0)
    moved = place(how="faces", pieces=[face(plate, "flat", 10.0), face(small, "flat", 0.0)], x=20, y=30)
    assert box_of(moved.bodies[1]) == [20, 30, 10, 50, 50, 15], "not turned where it need not be"
    assert made.bodies[1].volume == pytest.approx(small.volume)


def test_a_part_stands_axis_in_axis(place: Any) -> None:
    plate, small = place().bodies
    made = place(how="axes", pieces=[face(small, "cylinder"), face(plate, "cylinder")], z=10)
    low, high = np.array(box_of(made.bodies[1])).reshape(2, 3)
    assert low[:2].tolist() == pytest.approx([40.0, 20.0]) and (low[2], high[2]) == (10.0, 15.0)
    with pytest.raises(BadValue, match="must be round"):
        place(how="axes", pieces=[face(small, "flat", 5.0), face(plate, "cylinder")])


@pytest.mark.parametrize(
    ("values", "error", "words"),
    [
        ({"source": ""}, Unfinished, "Choose a part"),
        ({"how": "faces"}, Unfinished, "Press a face"),
        ({"count": 0}, BadValue, "whole one"),
        ({"x": "2 km"}, BadValue, "kilometre|unit"),
        ({"source": "gone.step"}, BadValue, "not among the sources"),
    ],
)
def test_what_can_not_be_placed_says_why(
    place: Any, values: dict[str, Any], error: type[Exception], words: str
) -> None:
    with pytest.raises(error, match=words):
        place(**values)


def test_both_faces_of_one_part_are_refused(place: Any) -> None:
    small = place().bodies[1]
    with pytest.raises(BadValue, match="of the same part"):
        place(how="faces", pieces=[face(small, "flat", 0.0), face(small, "flat", 5.0)])


unit = st.tuples(st.floats(0, math.pi), st.floats(0, 2 * math.pi)).map(
    lambda a: np.array([math.sin(a[0]) * math.cos(a[1]), math.sin(a[0]) * math.sin(a[1]), math.cos(a[0])])
)


@given(unit, unit)
def test_the_least_rotation_brings_one_direction_into_another(a: Any, b: Any) -> None:
    turn = rotation(a, b)
    assert turn @ a == pytest.approx(b, abs=1e-7)
    assert turn @ turn.T == pytest.approx(np.eye(3), abs=1e-9) and np.linalg.det(turn) == pytest.approx(1.0)
    assert (np.trace(turn) - 1) / 2 == pytest.approx(float(a @ b), abs=1e-6), "by no more than the angle between them"
