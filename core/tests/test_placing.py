"""Scale, turn, mirror, move, lay and leave out, on cards: what comes out measures what was asked for."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from tectogon.findings.not_geometry import find_not_geometry
from tectogon.formats import read_drawing
from tectogon.route import Card, Run, run_card
from tectogon.solids import measure


def bounds(run: Run) -> list[float]:
    assert run.failed is None, run.failed
    drawing = run.workpiece.drawing
    return [round(v, 9) for v in drawing.linework.take(drawing.kept).extents.tolist()]


@pytest.fixture
def plate_file(drawing: Callable[..., Path], plate: Figure) -> Path:
    return drawing(plate.draw(), name="plate.dxf")


@pytest.mark.parametrize(
    ("kind", "params", "expected"),
    [
        ("scale", {"factor": "1 : 2"}, [0, 0, 50, 25]),
        ("scale", {"how": "width", "length": "10 in", "about": "lower_left"}, [0, 0, 254, 127]),
        ("scale", {"how": "height", "length": "5 cm"}, [0, 0, 100, 50]),
        ("scale", {"how": "chord", "length": 50}, [0, 0, 100 / math.hypot(2, 1), 50 / math.hypot(2, 1)]),
        ("scale", {"how": "each_way", "factor": 2, "upright": "3", "about": "upper_right"}, [-100, -100, 100, 50]),
        ("turn", {"angle": "90°", "about": "lower_left"}, [-50, 0, 0, 100]),
        (
            "turn",
            {"angle": 45, "about": "centre"},
            [50 - 75 / math.sqrt(2), 25 - 75 / math.sqrt(2), 50 + 75 / math.sqrt(2), 25 + 75 / math.sqrt(2)],
        ),
        ("mirror", {"across": "upright", "about": "origin"}, [-100, 0, 0, 50]),
        ("mirror", {"across": "level", "about": "centre"}, [0, 0, 100, 50]),
        ("move", {"about": "centre"}, [-50, -25, 50, 25]),
        ("move", {"about": "upper_right", "x": "1 in", "y": 2}, [-74.6, -48, 25.4, 2]),
    ],
)
def test_the_extents_after(
    plate_file: Path, on_card: Callable[..., Run], kind: str, params: dict[str, Any], expected: list[float]
) -> None:
    assert bounds(on_card(plate_file, (kind, params))) == pytest.approx(expected, abs=1e-6)


def centre_pick(run: Run, nth: int) -> dict[str, Any]:
    table = run.workpiece.drawing.linework.table
    row = [r for r in range(len(table)) if table.kind[r] == 1][nth]
    return {"curve": run.workpiece.drawing.linework.ids[row], "kind": "centre", "at": table.data[row, :2].tolist()}


def test_a_known_length_between_two_centres_sets_the_scale_and_follows_a_changed_file(
    plate_file: Path, on_card: Callable[..., Run]
) -> None:
    read = on_card(plate_file)
    points = [centre_pick(read, 0), centre_pick(read, 1)]
    scaled = on_card(plate_file, ("scale", {"how": "length", "length": 20, "points": points}))
    assert bounds(scaled)[2] == pytest.approx(50)
    level = on_card(
        plate_file,
        ("turn", {"angle": 10}),
        ("turn", {"how": "level", "points": points, "about": "point", "point": points[:1]}),
    )
    table = level.workpiece.drawing.linework.table
    a, b = (table.data[r, 1] for r in range(len(table)) if table.kind[r] == 1)
    assert a == pytest.approx(b)
    gone = on_card(
        plate_file, ("scale", {"how": "length", "points": [{"curve": "s1:NONE", "kind": "end", "at": [1, 2]}] * 2})
    )
    assert "picked at x 1.00, y 2.00 mm is gone" in gone.steps[1].message


@pytest.mark.parametrize(
    ("params", "message"),
    [
        ({"factor": 0}, "makes no sense"),
        ({"factor": "3 mm"}, "plain number"),
        ({"how": "length", "length": 10}, "Press the two points"),
        ({"source": "other.dxf"}, "not in the drawing"),
        ({"curves": ["s1:x"]}, "None of the 1 curve picked"),
    ],
)
def test_what_can_t_be_scaled_is_said(
    plate_file: Path, on_card: Callable[..., Run], params: dict[str, Any], message: str
) -> None:
    assert message in on_card(plate_file, ("scale", params)).steps[1].message


def test_one_source_beside_another_is_moved_alone(drawing: Callable[..., Path], plate: Figure) -> None:
    first, second = drawing(plate.draw(), name="a.dxf"), drawing(Figure().circle(0, 0, 5).draw(), name="b.dxf", units=1)
    steps = [
        {"number": 10, "kind": "read", "params": {"source": "a.dxf"}},
        {"number": 20, "kind": "read", "params": {"source": "b.dxf", "place": "beside"}},
        {"number": 30, "kind": "move", "params": {"source": "b.dxf", "about": "centre", "x": 200, "y": 0}},
    ]
    run = run_card(
        Card.model_validate({"steps": steps, "sources": {"a.dxf": "1", "b.dxf": "2"}}),
        {"a.dxf": first, "b.dxf": second},
    )
    assert bounds(run) == pytest.approx([0, -127, 327, 127])
    assert [s.unit for s in run.workpiece.sources] == ["mm", "in"]


def test_an_emblem_laid_on_a_face_is_raised_from_it(drawing: Callable[..., Path], plate: Figure) -> None:
    first, second = (
        drawing(Figure().rectangle(0, 0, 60, 40).draw(), name="a.dxf"),
        drawing(Figure().circle(7, 7, 5).draw(), name="b.dxf"),
    )
    steps = [
        {"number": 10, "kind": "read", "params": {"source": "a.dxf"}},
        {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": 10}},
        {"number": 30, "kind": "read", "params": {"source": "b.dxf", "place": "beside"}},
        {"number": 40, "kind": "lay", "params": {"source": "b.dxf", "face": {"name": "end of operation 20"}, "x": 3}},
    ]
    steps[-1]["params"]["called"] = " Emblem "  # type: ignore[index]
    sources = {"a.dxf": first, "b.dxf": second}
    run = run_card(Card.model_validate({"steps": steps, "sources": {"a.dxf": "1", "b.dxf": "2"}}), sources)
    assert run.failed is None and run.workpiece.planes[0].name == "Emblem"
    disc = next(r for r in run.workpiece.drawing.regions.regions if r.area < 100)
    steps.append(
        {
            "number": 50,
            "kind": "extrude",
            "params": {"profiles": {"picks": [{"id": disc.id}]}, "length": 2, "result": "join"},
        }
    )
    run = run_card(Card.model_validate({"steps": steps, "sources": {"a.dxf": "1", "b.dxf": "2"}}), sources)
    (body,) = run.workpiece.bodies
    assert body.volume == pytest.approx(60 * 40 * 10 + math.pi * 25 * 2)
    assert measure.bounds(body.shape) == pytest.approx((0, 0, 0, 60, 40, 12), abs=1e-6)
    side = run.workpiece.planes[0].frame.at(*disc.centroid)
    assert side == pytest.approx((33, 20, 10))


def test_leaving_out_by_name_kind_box_and_turned_round(plate_file: Path, on_card: Callable[..., Run]) -> None:
    def kept(**params: Any) -> int:
        run = on_card(plate_file, ("leave_out", params))
        assert run.failed is None, run.failed
        return int(run.workpiece.drawing.kept.sum())

    assert kept(kinds=["circle"]) == 4
    assert kept(kinds=["circle"], only=True) == 2
    assert kept(inside=[15, 10, 50, 40]) == 5
    assert kept(inside=[15, 10, 50, 40], kinds=["line"]) == 1
    assert "not in the drawing" in on_card(plate_file, ("leave_out", {"blocks": ["B"]})).steps[1].message
    assert "everything there is" in on_card(plate_file, ("leave_out", {"layers": ["0"]})).steps[1].message


def sheet_on_one_layer(space: Any, document: Any) -> None:
    """A frame with a title block, a plate with a hole and its cross, a hatched bar, and a pictorial view: all on layer
    0."""
    frame = (
        Figure()
        .rectangle(0, 0, 400, 277)
        .line(290, 0, 290, 40)
        .line(290, 40, 400, 40)
        .line(290, 20, 400, 20)
        .line(350, 0, 350, 20)
    )
    frame.draw()(space, document)
    for text, x, y in (("PLATE", 300, 25), ("FH-7", 295, 6), ("1:1", 355, 6)):
        space.add_text(text, height=4).set_placement((x, y))
    Figure().rectangle(40, 120, 100, 60).circle(90, 150, 15).line(70, 150, 110, 150).line(90, 130, 90, 170).draw()(
        space, document
    )
    bar = Figure().rectangle(40, 40, 100, 20)
    for n in range(12):
        bar.line(40 + 8 * n, 40, 60 + 8 * n, 60) if n < 11 else None
    bar.draw()(space, document)
    c, s, solid = math.cos(math.radians(30)), math.sin(math.radians(30)), Figure()

    def seen(a: float, b: float, h: float) -> tuple[float, float]:
        return 250 + (a - b) * c, 150 + (a + b) * s + h

    for p in itertools.product((0, 60), (0, 30), (0, 20)):
        for axis in range(3):
            if p[axis] == 0:
                q = tuple((60, 30, 20)[k] if k == axis else p[k] for k in range(3))
                solid.line(*seen(*p), *seen(*q))
    solid.draw()(space, document)


def test_what_is_not_geometry_is_found_on_a_single_layer(drawing: Callable[..., Path]) -> None:
    linework = read_drawing(drawing(sheet_on_one_layer)).linework
    found = {a.kind: len(a.rows) for a in find_not_geometry(linework)}
    assert found["border"] == 8
    assert found["centre_marks"] == 2
    assert found["hatching"] == 11
    assert found["pictorial"] == 12
    assert sum(found.values()) == len(linework) - 9


@pytest.mark.parametrize(
    "figure",
    [
        Figure().rectangle(0, 0, 100, 50).circle(30, 25, 10),
        Figure().rectangle(0, 0, 420, 297).rectangle(10, 10, 400, 277),
        Figure().circle(0, 0, 9),
    ],
)
def test_a_part_is_not_taken_for_a_sheet(drawing: Callable[..., Path], figure: Figure) -> None:
    assert find_not_geometry(read_drawing(drawing(figure.draw())).linework) == []


def test_linework_of_different_planes_does_not_cut_itself(drawing: Callable[..., Path]) -> None:
    """An emblem that lies across the block's edge on the sheet, and round one of its holes, is whole once it is laid on
    a face; the hole stays a hole of the block alone."""
    block = Figure().rectangle(0, 0, 60, 40).circle(30, 12, 3)
    emblem = Figure().circle(60, 20, 8).rectangle(25, 5, 14, 14)
    steps: list[dict[str, object]] = [
        {"number": 10, "kind": "read", "params": {"source": "a.dxf"}},
        {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": 10}},
        {"number": 30, "kind": "read", "params": {"source": "b.dxf", "place": "own"}},
    ]
    sources = {"a.dxf": drawing(block.draw(), name="a.dxf"), "b.dxf": drawing(emblem.draw(), name="b.dxf")}
    named = {"a.dxf": "1", "b.dxf": "2"}

    def areas() -> list[float]:
        run = run_card(Card.model_validate({"steps": steps, "sources": named}), sources)
        assert run.failed is None, run.failed
        return sorted(round(r.area, 3) for r in run.workpiece.drawing.regions.regions)

    assert len(areas()) == 5, "on one sheet they part each other"
    steps.append({"number": 40, "kind": "lay", "params": {"source": "b.dxf", "face": {"name": "end of operation 20"}}})
    whole = math.pi * 9
    assert areas() == pytest.approx(sorted([whole, 2400 - whole, 196.0, math.pi * 64]), abs=1e-2)
    run = run_card(Card.model_validate({"steps": steps, "sources": named}), sources)
    picks = [{"id": r.id} for r in run.workpiece.drawing.regions.regions if round(r.area) in (196, 201)]
    steps.append({"number": 50, "kind": "cut", "params": {"profiles": {"picks": picks}, "depth": "depth", "length": 2}})
    run = run_card(Card.model_validate({"steps": steps, "sources": named}), sources)
    assert run.failed is None, run.failed
    # the emblem's middle lies on the face's: its square and its disc are wholly over the block
    assert sum(b.volume for b in run.workpiece.bodies) == pytest.approx(
        (2400 - whole) * 10 - (196 + math.pi * 64) * 2, rel=1e-9
    )


def test_layers_of_one_board_lie_on_each_other_and_other_files_beside(drawing: Callable[..., Path]) -> None:
    head = "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,2.0*%\n%LPD*%\nD10*\n"
    folder = drawing(Figure().rectangle(0, 0, 10, 10).draw(), name="c.dxf").parent
    for name, at in (("a.gbr", 5), ("b.gbr", 30)):
        (folder / name).write_text(f"{head}X{at}000000Y0D03*\nM02*\n")
    names = ["a.gbr", "b.gbr", "c.dxf"]
    steps = [
        {"number": 10 * n + 10, "kind": "read", "params": {"source": name, "place": "auto"}}
        for n, name in enumerate(names)
    ]
    card = Card.model_validate({"steps": steps, "sources": dict.fromkeys(names, "1")})
    run = run_card(card, {name: folder / name for name in names})
    assert run.failed is None, run.failed
    linework = run.workpiece.drawing.linework
    lefts = [
        float(linework.table.take(np.array([k.startswith(f"s{n}:") for k in linework.ids])).extents[0])
        for n in (10, 20, 30)
    ]
    assert lefts[:2] == pytest.approx([4, 29])
    assert lefts[2] > 31


@pytest.mark.parametrize("face", range(6))
def test_art_reads_right_on_every_side_of_a_block(face: int, drawing: Callable[..., Path]) -> None:
    """Looked at from outside, what runs to the right on the sheet does so on the face, also on the underside."""
    sources = {
        "a.dxf": drawing(Figure().rectangle(0, 0, 60, 40).draw(), name="a.dxf"),
        "b.dxf": drawing(Figure().line(0, 0, 9, 0).line(0, 0, 0, 5).draw(), name="b.dxf"),
    }
    steps: list[dict[str, object]] = [
        {"number": 10, "kind": "read", "params": {"source": "a.dxf"}},
        {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": 10}},
        {"number": 30, "kind": "read", "params": {"source": "b.dxf", "place": "beside"}},
    ]
    card = {"steps": steps, "sources": {"a.dxf": "1", "b.dxf": "2"}}
    (body,) = run_card(Card.model_validate(card), sources).workpiece.bodies
    facts = measure.face_facts(body.faces[face])
    steps.append({"number": 40, "kind": "lay", "params": {"source": "b.dxf", "face": {"name": body.names[face].key}}})
    run = run_card(Card.model_validate(card), sources)
    assert run.failed is None, run.failed
    frame = run.workpiece.planes[0].frame
    assert np.cross(frame.x_dir, frame.y_dir) == pytest.approx(facts["normal"], abs=1e-9)


@pytest.mark.parametrize("about", ["lower_left", "centre", "upper_right"])
@pytest.mark.parametrize("role", ["end", "start"])
def test_the_insertion_point_stays_where_it_was_put(
    about: str, role: str, drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """On the top and on the underside: the corner of the art lies 5 and 3 mm from the middle, as one looks at it."""
    path = drawing(Figure().rectangle(0, 0, 40, 30).rectangle(100, 0, 8, 4).draw())
    bare = on_card(path)
    outer = next(r for r in bare.workpiece.drawing.regions.regions if r.bounds[2] == 40)
    art = next(r for r in bare.workpiece.drawing.regions.regions if r.bounds[0] == 100)
    raised = {"profiles": {"picks": [{"id": outer.id, "at": outer.inside, "area": outer.area}]}, "length": 10}
    body = on_card(path, ("extrude", raised)).workpiece.bodies[0]
    face = {"name": next(n.key for n in body.names if n.role == role), "body": body.key}
    curves = bare.workpiece.drawing.regions.curves_of(art.outer)
    laid = {"onto": "face", "face": face, "curves": list(curves), "about": about, "x": 5, "y": 3}
    plane = on_card(path, ("extrude", raised), ("lay", laid)).workpiece.planes[-1]
    anchor = {"lower_left": (100, 0), "centre": (104, 2), "upper_right": (108, 4)}[about]
    side = 1 if role == "end" else -1
    assert plane.frame.at(*anchor) == pytest.approx((20 + side * 5, 18, 10 if role == "end" else 0))
    assert plane.frame.normal == pytest.approx((0, 0, side))
