"""Depths by pointing: ends at points of other views, at faces and edges, the next face, half of what is seen; depths
proposed; parts as steps."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from made_views import made_sheet
from tectogon.profiles import Region
from tectogon.reconstruction.depth_proposals import proposals_of
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.route import Run
from tectogon.solids import kernel

STEPPED = (60 * 30 - 25 * 10) * 40


def sheet(*, deep: float = 8.0, width: float = 40.0) -> Callable[[Any, Any], None]:
    """A block with a step, and in it a blind hole from above, `deep`, dashed in the front view."""
    figure = Figure().chain((0, 0), (60, 0), (60, 20), (35, 20), (35, 30), (0, 30))
    figure.rectangle(0, 60, 60, width).line(35, 60, 35, 60 + width).circle(15, 80, 6)

    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("DASHED", pattern=[0.75, 0.5, -0.25])
        figure.draw()(space, document)
        for a, b in (((9, 30 - deep), (9, 30)), ((21, 30 - deep), (21, 30)), ((9, 30 - deep), (21, 30 - deep))):
            space.add_line(a, b, dxfattribs={"linetype": "DASHED"})

    return draw


def region(run: Run, *, area: float) -> Region:
    return next(r for r in run.workpiece.drawing.regions.regions if r.area == pytest.approx(area))


def choice(found: Region) -> dict[str, Any]:
    return {"rule": "picked", "picks": [{"id": found.id, "at": found.inside, "area": found.area}]}


def end_at(run: Run, x: float, y: float) -> dict[str, Any]:
    linework = run.workpiece.drawing.linework
    for key, ends in zip(linework.ids, linework.table.ends.tolist(), strict=True):
        for kind, place in zip(("start", "end"), ends, strict=True):
            if place == pytest.approx([x, y]):
                return {"point": {"at": [x, y], "curve": key, "kind": kind}}
    raise AssertionError("no end there")


def volume(run: Run) -> float:
    assert run.failed is None, run.failed
    return sum(b.volume for b in run.workpiece.bodies)


FRONT, HOLE = 60 * 30 - 25 * 10, 36 * math.pi


def test_ends_picked_in_another_view_follow_the_drawing(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """The front profile as far as the top view's far corner; the hole down to the foot of its dashed lines. Another
    width, another depth: the same card."""
    steps: list[tuple[str, dict[str, Any]]] = []
    for deep, width in ((8.0, 40.0), (12.5, 46.0)):
        path = drawing(sheet(deep=deep, width=width))
        run = on_card(path, ("arrange", {}))
        if not steps:
            far, foot = end_at(run, 0, 100), end_at(run, 9, 22)
            steps = [
                ("arrange", {}),
                ("extrude", {"profiles": choice(region(run, area=FRONT)), "extent": "picked", "ends": [far]}),
            ]
            steps += [("cut", {"profiles": choice(region(run, area=HOLE)), "depth": "picked", "ends": [foot]})]
        assert volume(on_card(path, *steps)) == pytest.approx(FRONT * width - HOLE * deep, rel=1e-9)
    between = on_card(
        path,
        ("arrange", {}),
        (
            "extrude",
            {
                "profiles": choice(region(run, area=HOLE)),
                "extent": "picked",
                "ends": [end_at(run, 35, 30), end_at(run, 35, 20)],
            },
        ),
    )
    assert volume(between) == pytest.approx(HOLE * 10, rel=1e-9)
    own = on_card(
        path,
        ("arrange", {}),
        ("extrude", {"profiles": choice(region(run, area=FRONT)), "extent": "picked", "ends": [end_at(run, 35, 30)]}),
    )
    assert "lies in the profile's own view" in own.steps[2].message


def test_ends_on_faces_and_edges_of_the_part(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    path = drawing(sheet())
    run = on_card(path, ("arrange", {}))
    block = ("extrude", {"profiles": choice(region(run, area=FRONT)), "extent": "as_seen"})
    built = on_card(path, ("arrange", {}), block)
    (body,) = built.workpiece.bodies
    flat = {
        round(body_facts[0][2], 6): n.text
        for body_facts, n in zip(faces(built), body.names, strict=True)
        if abs(body_facts[1][2]) > 0.99
    }
    hole = choice(region(run, area=HOLE))
    to_step = on_card(
        path,
        ("arrange", {}),
        block,
        ("cut", {"profiles": hole, "depth": "picked", "ends": [{"face": {"name": flat[20.0]}}]}),
    )
    assert volume(to_step) == pytest.approx(STEPPED - HOLE * 10, rel=1e-9)
    edges = [
        (e, f)
        for e, f in zip(body.edges, kernel.faces_along_edges(body.shape), strict=True)
        if {body.names[n].text for n in f} >= {flat[20.0]}
    ]
    names = sorted({body.names[n].text for n in edges[0][1]})
    by_edge = on_card(
        path,
        ("arrange", {}),
        block,
        ("cut", {"profiles": hole, "depth": "picked", "ends": [{"edge": {"faces": names, "point": [60, 0, 20]}}]}),
    )
    assert volume(by_edge) == pytest.approx(STEPPED - HOLE * 10, rel=1e-9)
    gone = on_card(
        path,
        ("arrange", {}),
        block,
        ("cut", {"profiles": hole, "depth": "picked", "ends": [{"face": {"name": "side of nothing, operation 7"}}]}),
    )
    assert "no longer there" in gone.steps[3].message
    aslant = next(n.text for f, n in zip(faces(built), body.names, strict=True) if abs(f[1][0]) > 0.99)
    assert (
        "not parallel"
        in on_card(
            path,
            ("arrange", {}),
            block,
            ("cut", {"profiles": hole, "depth": "picked", "ends": [{"face": {"name": aslant}}]}),
        )
        .steps[3]
        .message
    )


def faces(run: Run) -> list[Any]:
    from tectogon.solids import measure

    return [measure.plane_of(face) for face in run.workpiece.bodies[0].faces]


def test_to_the_next_face_and_half_of_what_is_seen(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    """A channel, two walls 10 thick 40 apart: a cut takes one wall and leaves the other; a bar between them ends on the
    far wall."""
    channel = Figure().chain((0, 0), (60, 0), (60, 30), (50, 30), (50, 10), (10, 10), (10, 30), (0, 30))
    figure = (
        Figure(channel.curves)
        .rectangle(100, 0, 40, 30)
        .circle(120, 22, 3)
        .rectangle(0, 60, 60, 40)
        .line(10, 60, 10, 100)
        .line(50, 60, 50, 100)
    )
    path = drawing(figure.draw())
    run = on_card(path, ("arrange", {}))
    whole = 60 * 30 - 40 * 20
    block = ("extrude", {"profiles": choice(region(run, area=whole)), "extent": "as_seen"})
    round_ = choice(region(run, area=9 * math.pi))
    one = on_card(path, ("arrange", {}), block, ("cut", {"profiles": round_, "depth": "next_face", "side": "towards"}))
    assert volume(one) == pytest.approx(whole * 40 - 9 * math.pi * 10, rel=1e-9)
    both = on_card(path, ("arrange", {}), block, ("cut", {"profiles": round_}))
    assert volume(both) == pytest.approx(whole * 40 - 2 * 9 * math.pi * 10, rel=1e-9)
    bar = on_card(
        path,
        ("arrange", {}),
        block,
        ("extrude", {"profiles": round_, "extent": "next_face", "side": "towards", "start": 10, "result": "join"}),
    )
    assert volume(bar) == pytest.approx(whole * 40 + 9 * math.pi * 40, rel=1e-9)
    half = on_card(
        path, ("arrange", {}), ("extrude", {"profiles": choice(region(run, area=whole)), "extent": "half_as_seen"})
    )
    assert volume(half) == pytest.approx(whole * 20, rel=1e-9)
    halved = on_card(path, ("arrange", {}), block, ("cut", {"profiles": round_, "depth": "half_as_seen"}))
    assert volume(halved) == pytest.approx(whole * 40 - 9 * math.pi * 10, rel=1e-9)


def test_depths_are_proposed_the_likeliest_first_and_do_what_they_say(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(sheet())
    run = on_card(path, ("arrange", {}))
    front = region(run, area=FRONT)
    first = proposals_of(run.workpiece, front)[0]
    assert first.words.startswith("Raise it 40 mm: all that the top view shows")
    block = (first.kind, {"profiles": choice(front), **first.values})
    built = on_card(path, ("arrange", {}), block)
    assert volume(built) == pytest.approx(STEPPED, rel=1e-9)
    hole = region(run, area=HOLE)
    found = proposals_of(built.workpiece, hole)
    assert [p.words for p in found[:2]] == ["Cut it 8 mm deep: dashed in the front view", "Cut it through, 30 mm"]
    cut = on_card(path, ("arrange", {}), block, (found[0].kind, {"profiles": choice(hole), **found[0].values}))
    assert volume(cut) == pytest.approx(STEPPED - HOLE * 8, rel=1e-9)


@pytest.mark.parametrize("seed", [*range(6), 40, 41])
def test_the_part_from_its_views_is_the_same_as_ordinary_steps(
    on_card: Callable[..., Run], tmp_path: Path, seed: int
) -> None:
    made = made_sheet(seed, tmp_path)
    arranged = on_card(made.path, ("mend", {}), ("arrange", {}))
    steps = steps_from_views(arranged.workpiece)
    run = on_card(made.path, ("mend", {}), ("arrange", {}), *steps)
    assert volume(run) == pytest.approx(made.volume, rel=1e-3)
    assert [k for k, _ in steps][:2] == ["outline", "outline"]


def test_a_plate_of_an_angle_is_proposed_in_its_own_thickness(on_card: Callable[..., Run]) -> None:
    """Of the sensor bracket's top view the plate is a part only: 1.5 mm, as the front view draws at its free end, comes
    before the whole 40."""
    path = Path(__file__).resolve().parents[2] / "demo" / "files" / "sensor-bracket.dxf"
    run = on_card(path, ("leave_out", {"proposals": ["layer"]}), ("mend", {}), ("arrange", {}))
    plate = max((r for r in run.workpiece.drawing.regions.regions if len(r.holes) == 2), key=lambda r: r.area)
    found = proposals_of(run.workpiece, plate)
    assert found[0].words == "Raise it 1.5 mm: drawn in the front view at one side of it"
    built = on_card(
        path,
        ("leave_out", {"proposals": ["layer"]}),
        ("mend", {}),
        ("arrange", {}),
        (found[0].kind, {"profiles": choice(plate), **found[0].values}),
    )
    assert volume(built) == pytest.approx(plate.area * 1.5, rel=1e-9)


@pytest.mark.parametrize(
    ("words", "mm"),
    [
        ("t = 5", 5.0),
        ("Plate, t=2,5 mm", 2.5),
        ("THK 3.2", 3.2),
        ('1/8" THICK', 3.175),
        ("thickness: 0.25 in", 6.35),
        ("PART 7, SHEET 2", None),
        ("at 5 o'clock", None),
    ],
)
def test_a_stated_thickness_is_proposed_without_a_second_view(
    words: str, mm: float | None, drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    from tectogon.display.views import depths_told

    def draw(space: Any, document: Any) -> None:
        Figure().rectangle(0, 0, 60, 40).draw()(space, document)
        space.add_text(words, height=3).set_placement((0, -8))

    run = on_card(drawing(draw))
    (region,) = run.workpiece.drawing.regions.regions
    told = depths_told(run.workpiece, region.id)
    if mm is None:
        assert not told["depths"] and "No other view" in told["why"]
        return
    (depth,) = told["depths"]
    assert depth["values"]["length"] == pytest.approx(mm)
    assert "the sheet says" in depth["words"]
