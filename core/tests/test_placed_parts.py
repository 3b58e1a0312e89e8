"""Parts that stand in another: by values, face on face, axis in axis, in a row."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from hypothesis import given
from hypothesis import strategies as st
from tectogon.building.rotations import rotation
from tectogon.curves import Arc
from tectogon.display.drawing_sheet import drawn_sheet
from tectogon.display.part import touching
from tectogon.display.parts_list import list_csv, parts_list
from tectogon.drafting.item_marks import seen_at
from tectogon.errors import BadValue, Unfinished
from tectogon.operations import OPERATIONS
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.route import Card, Run, run_card
from tectogon.solids import exchange, measure
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.solids.step_in import bodies_of_step
from tectogon.views import frame_of
from tectogon.workpiece.model import Material, Workpiece
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


@pytest.mark.parametrize("how", ["faces", "axes", "corners"])
@pytest.mark.parametrize("pressed", [0, 1, 2])
def test_a_part_stays_in_sight_until_it_stands(tmp_path: Path, how: str, pressed: int) -> None:
    """What is to be pressed must be there to be pressed, beside what it would else lie in."""
    path = tmp_path / "small.step"
    path.write_bytes(exchange.step_bytes([block()], "Small"))
    other = tmp_path / "plate.step"
    other.write_bytes(exchange.step_bytes([raised(Figure().rectangle(0, 0, 100, 60), 10)], "Plate"))

    def run(pieces: list[dict[str, Any]]) -> Run:
        placing = {"source": "small.step", "name": "Small", "how": how, "pieces": pieces}
        steps = [
            {"number": 10, "kind": "bring_solid", "params": {"source": "plate.step"}},
            {"number": 20, "kind": "place_part", "params": placing},
        ]
        card = Card.model_validate({"steps": steps, "sources": {"small.step": "x", "plate.step": "y"}})
        return run_card(card, {"small.step": path, "plate.step": other})

    plate, small = run([]).workpiece.bodies
    own = face(small, "flat", 0.0)
    out = run([own, face(small, "flat", 5.0)][:pressed])
    assert out.failed is not None
    assert len(out.workpiece.bodies) == 2, out.failed.message
    assert box_of(out.workpiece.bodies[1])[0] > box_of(plate)[3]
    assert face(out.workpiece.bodies[1], "flat", 0.0) == own, "pressed by the same name wherever it stands"


unit = st.tuples(st.floats(0, math.pi), st.floats(0, 2 * math.pi)).map(
    lambda a: np.array([math.sin(a[0]) * math.cos(a[1]), math.sin(a[0]) * math.sin(a[1]), math.cos(a[0])])
)


@given(unit, unit)
def test_the_least_rotation_brings_one_direction_into_another(a: Any, b: Any) -> None:
    turn = rotation(a, b)
    assert turn @ a == pytest.approx(b, abs=1e-7)
    assert turn @ turn.T == pytest.approx(np.eye(3), abs=1e-9) and np.linalg.det(turn) == pytest.approx(1.0)
    assert (np.trace(turn) - 1) / 2 == pytest.approx(float(a @ b), abs=1e-6), "by no more than the angle between them"


def test_a_part_stands_corner_on_corner(place: Any) -> None:
    plate, _ = place().bodies
    edge = {"edge": {"faces": _meeting_at(plate, (100, 60, 10)), "point": (100, 59, 10)}}
    made = place(how="corners", pieces=[edge], corner_x="high", corner_y="high", corner_z="low")
    assert box_of(made.bodies[1]) == [70, 40, 10, 100, 60, 15]
    middle = place(how="corners", pieces=[edge], corner_x="middle", corner_y="middle", corner_z="high", angle=90, z=2)
    assert box_of(middle.bodies[1]) == [90, 45, 7, 110, 75, 12]
    with pytest.raises(Unfinished, match="near the corner"):
        place(how="corners")


def _meeting_at(body: Body, corner: tuple[float, float, float]) -> list[str]:
    from tectogon.solids import kernel

    for n, edge in enumerate(body.edges):
        if np.abs(measure.edge_ends(edge) - np.array(corner)).sum(axis=1).min() < 1e-9:
            return [body.names[k].key for k in kernel.faces_along_edges(body.shape)[n]]
    raise AssertionError(corner)


def test_copies_stand_side_by_side_in_rows_and_in_a_circle(place: Any) -> None:
    row = place(count=3, x=5)
    assert [box_of(b)[0] for b in row.bodies[1:]] == [5, 35, 65], "side by side where no distance is given"
    grid = place(count=2, pattern="grid", rows=3, rise=25, dx=40)
    assert sorted((box_of(b)[0], box_of(b)[1]) for b in grid.bodies[1:]) == [
        (x, y) for x in (0, 40) for y in (0, 25, 50)
    ]
    ring = place(count=4, pattern="circle", x=50, y=-10)
    middles = [(np.array(box_of(b)[:2]) + np.array(box_of(b)[3:5])) / 2 for b in ring.bodies[1:]]
    assert np.array(middles) == pytest.approx(np.array([[65, 0], [0, 65], [-65, 0], [0, -65]]), abs=1e-6)
    with pytest.raises(BadValue, match="up to 500"):
        place(count=100, pattern="grid", rows=6)


def test_a_parts_list_counts_what_is_alike_and_tells_what_was_changed(place: Any) -> None:
    made = replace(place(count=3, dx=40, z=10), material=Material("steel", 7.85))
    rows = parts_list(made)
    assert [(r.number, r.count, r.name, r.issue, r.size) for r in rows] == [
        (1, 1, "Block", "", "100 × 60 × 10 mm"),
        (2, 3, "Small", "revision 3", "30 × 20 × 5 mm"),
    ]
    one = (30 * 20 - math.pi * 16) * 5 / 1000 * 7.85
    assert rows[1].mass_each == pytest.approx(one, rel=1e-9) and rows[1].mass == pytest.approx(3 * one, rel=1e-9)
    hole = raised(Figure().circle(85, 10, 3), 30, key="9:t")
    made = replace(made, bodies=tuple(_drilled(b, hole) for b in made.bodies))
    told = [(r.count, r.issue) for r in parts_list(made)]
    assert told == [(1, ""), (2, "revision 3"), (1, "revision 3, changed here")]
    assert list_csv(parts_list(made)).decode("utf-8-sig").splitlines()[2].startswith("2,2,Small,revision 3,30")


def _drilled(body: Body, tool: Body) -> Body:
    from tectogon.solids.body_keys import parted_body
    from tectogon.solids.combine import combine

    return parted_body(body, combine("cut", [body.named], [tool.named]).solids(), 30)[0]


def test_neighbours_tell_how_far_they_stand_apart_and_what_they_share(place: Any) -> None:
    assert [t["apart_mm"] for t in touching(place(count=3, dx=30.5, z=20))] == pytest.approx([0.5, 0.5])
    overlaps = touching(place(count=3, dx=29, z=20))
    assert [t["bodies"] for t in overlaps] == [[1, 2], [2, 3]]
    assert [t["common_mm3"] for t in overlaps] == pytest.approx([100.0, 100.0])


def test_several_bodies_are_an_assembly_with_names(place: Any, tmp_path: Path) -> None:
    path = tmp_path / "whole.step"
    path.write_bytes(exchange.step_bytes(place(count=2).bodies, "Deck"))
    text = path.read_text()
    assert text.count("NEXT_ASSEMBLY_USAGE_OCCURRENCE(") == 3
    assert all(f"'{name}'" in text for name in ("Deck", "Block", "Small", "Small, 2"))
    again = bodies_of_step(path, 10)[0]
    assert [b.name for b in again] == ["Block", "Small", "Small"]
    assert sum(b.volume for b in again) == pytest.approx(sum(b.volume for b in place(count=2).bodies), rel=1e-9)


def test_a_drawing_sheet_has_its_parts_list_and_its_item_numbers(place: Any) -> None:
    made = place(count=3, dx=32, z=10, x=2)
    sheet = drawn_sheet(made, DrawSheetParams(), dict.fromkeys(("name", "number", "issue"), "T"))
    texts = [t.text for t in sheet.ink.texts]
    assert "revision 3" in texts and "30 × 20 × 5 mm" in texts
    circles = [s.curve for s in sheet.ink.strokes if isinstance(s.curve, Arc) and s.pen == "thin"]
    assert len(circles) == 2
    width, height = sheet.size
    assert all(24 < c.cx < width - 14 and 14 < c.cy < height - 14 for c in circles)
    bare = drawn_sheet(made, DrawSheetParams(pictorial="without"), dict.fromkeys(("name", "number", "issue"), "T"))
    assert any("no item numbers" in told for told in bare.refused)


def test_a_point_of_what_is_seen_is_found_for_each_body(place: Any) -> None:
    made = place(x=40, y=20, z=10).bodies
    seen = seen_at(made, frame_of("top"))
    x, y = seen[1]
    assert 42 < x < 68 and 22 < y < 38 and np.hypot(x - 50, y - 30) > 4, "on the block, not in its hole"
    assert 0 not in seen_at([raised(Figure().rectangle(5, 5, 5, 5), 3), made[0]], frame_of("top"))


def test_a_placed_part_brings_its_material_and_mass(place: Any) -> None:
    made = place(material="brass", density=8.47, count=2)
    rows = parts_list(made)
    (placed,) = [r for r in rows if r.name == "Small"]
    assert (placed.count, placed.material) == (2, "brass")
    assert placed.mass_each == pytest.approx(made.bodies[1].volume / 1000 * 8.47)
    assert all(r.mass is None for r in rows if r.name != "Small")
