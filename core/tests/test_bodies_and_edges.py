"""Edges rounded and chamfered, bodies combined, parted and placed, art on a face: volumes against closed forms."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from tectogon.display.issues import issues_told
from tectogon.display.part import figures_of, touching
from tectogon.operations import OPERATIONS
from tectogon.route import Card, Run, run_card
from tectogon.route.card import card_from
from tectogon.route.upgrade import VERSION
from tectogon.solids import edges, measure
from tectogon.solids.mesh import mesh_of
from tectogon.units import show_count
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import Context

DEMO = Path(__file__).resolve().parents[2] / "demo"

ALL = {"rule": "material"}
BLOCK = Figure().rectangle(0, 0, 40, 30)
ANGLE = Figure().chain((0, 0), (40, 0), (40, 10), (10, 10), (10, 30), (0, 30))
Case = Callable[..., Run]
Step = tuple[str, dict[str, Any]]


@pytest.fixture
def part(drawing: Callable[..., Path], on_card: Case) -> Callable[..., Run]:
    """A figure raised by 20 mm, and further steps."""

    def made(figure: Figure, *steps: Step, length: float = 20) -> Run:
        return on_card(drawing(figure.draw()), ("extrude", {"profiles": ALL, "length": length}), *steps)

    return made


def volumes(run: Run) -> list[float]:
    assert run.failed is None, run.failed
    assert all(mesh_of(b.shape).watertight for b in run.workpiece.bodies)
    return [float(b.volume) for b in run.workpiece.bodies]


def refusal(run: Run) -> str:
    assert run.failed is not None and run.workpiece.bodies, "the body stays as it was"
    return str(run.failed.message)


def edge(run: Run, x: float, y: float, z: float) -> dict[str, Any]:
    """A pick of the edge that passes nearest to a place."""
    from tectogon.solids import kernel

    body = run.workpiece.bodies[0]
    n = min(range(len(body.edges)), key=lambda k: measure.distance_to(body.edges[k], (x, y, z)))
    faces = [body.names[f].key for f in kernel.faces_along_edges(body.shape)[n]]
    return {"edge": {"faces": faces, "point": (x, y, z)}}


def top(run: Run, height: float = 20.0) -> dict[str, Any]:
    body = run.workpiece.bodies[0]
    name = next(
        n.key
        for n, f in zip(body.names, body.faces, strict=True)
        if (p := measure.plane_of(f)) is not None and p[1][2] > 0.99 and abs(p[0][2] - height) < 1e-6
    )
    return {"name": name, "body": body.key, "normal": (0, 0, 1)}


CORNER = 1 - math.pi / 4


@pytest.mark.parametrize(
    ("values", "taken"),
    [
        ({"which": "upright", "size": 3}, 4 * CORNER * 9 * 20),
        ({"which": "upright", "how": "chamfer", "size": 2}, 4 * 2 * 20),
        ({"which": "upright", "how": "chamfer_two", "size": 1, "second": 3}, 4 * 1.5 * 20),
        ({"which": "upright", "how": "chamfer_angle", "size": 2, "angle": 30}, 4 * 2 * math.tan(math.pi / 6) * 20),
        ({"which": "top", "how": "chamfer", "size": 2}, 40 * 30 * 2 - (2 / 3) * (1200 + 936 + math.sqrt(1200 * 936))),
    ],
    ids=["round", "chamfer", "two sizes", "size and angle", "round the top"],
)
def test_named_edges(values: dict[str, Any], taken: float, part: Callable[..., Run]) -> None:
    found = volumes(part(BLOCK, ("round_edges", values)))[0]
    assert found == pytest.approx(24000 - taken, rel=3e-4 if values["which"] == "top" else 1e-9)


def test_an_inner_corner_is_filled_and_picks_follow_a_change(part: Callable[..., Run]) -> None:
    bare = part(ANGLE)
    inner = {"pieces": [edge(bare, 10, 10, 10)], "size": 4}
    assert volumes(part(ANGLE, ("round_edges", inner)))[0] == pytest.approx(12000 + CORNER * 16 * 20, rel=1e-9)
    taller = volumes(part(ANGLE, ("round_edges", inner), length=50))[0]
    assert taller == pytest.approx(600 * 50 + CORNER * 16 * 50, rel=1e-9)


def test_a_face_stands_for_all_edges_round_it(part: Callable[..., Run]) -> None:
    by_face = part(BLOCK, ("round_edges", {"pieces": [{"face": top(part(BLOCK))}], "size": 2}))
    assert volumes(by_face) == pytest.approx(
        volumes(part(BLOCK, ("round_edges", {"which": "top", "size": 2}))), rel=1e-9
    )


def test_what_has_no_room_says_where_and_how_much_would_do(part: Callable[..., Run]) -> None:
    told = refusal(part(BLOCK, ("round_edges", {"which": "every", "size": 12})))
    assert "no room" in told and "mm would work" in told
    most = float(told.rpartition("; ")[2].split()[0])
    assert most == pytest.approx(10.0, rel=5e-3)
    assert volumes(part(BLOCK, ("round_edges", {"which": "every", "size": most * 0.99})))[0] < 24000
    assert "Press the edges" in refusal(part(BLOCK, ("round_edges", {})))
    assert "more than nothing" in refusal(part(BLOCK, ("round_edges", {"which": "every", "size": 0})))


def test_a_size_that_the_kernel_refuses_by_chance_hides_no_larger_one(
    part: Callable[..., Run], monkeypatch: pytest.MonkeyPatch
) -> None:
    plate = Figure().rectangle(0, 0, 30, 20).circle(15, 10, 6)
    chamfered: Step = ("round_edges", {"how": "chamfer", "which": "top", "size": 3})
    told = refusal(part(plate, chamfered, length=1))
    assert 0.99 <= float(told.rpartition("; ")[2].split()[0]) <= 1.0
    truly = edges._works

    def by_chance(body: Any, some: Any, finish: edges.Finish, step: int) -> bool:
        return not 0.08 < finish.first < 0.7 and truly(body, some, finish, step)

    monkeypatch.setattr(edges, "_works", by_chance)
    told = refusal(part(plate, chamfered, length=1))
    assert 0.99 <= float(told.rpartition("; ")[2].split()[0]) <= 1.0


TWO = Figure().rectangle(0, 0, 20, 20).rectangle(100, 0, 20, 20)


def test_bodies_are_combined(part: Callable[..., Run]) -> None:
    first, second = (b.key for b in part(TWO).workpiece.bodies)
    near: Step = ("place_bodies", {"body": second, "x": -85})
    lap = 5 * 20 * 20
    assert volumes(part(TWO, near)) == pytest.approx([8000, 8000])
    assert volumes(part(TWO, near, ("combine_bodies", {}))) == pytest.approx([16000 - lap])
    cut = {"how": "cut", "body": first, "with_body": second}
    assert volumes(part(TWO, near, ("combine_bodies", cut))) == pytest.approx([8000 - lap])
    assert volumes(part(TWO, near, ("combine_bodies", {**cut, "other": "stays"}))) == pytest.approx([8000 - lap, 8000])
    assert volumes(part(TWO, near, ("combine_bodies", {"how": "common"}))) == pytest.approx([lap])
    assert "meets none" in refusal(part(TWO, ("combine_bodies", {})))
    over: Step = ("place_bodies", {"body": second, "x": -100})
    assert "Nothing of Body 1 would be left" in refusal(part(TWO, over, ("combine_bodies", cut))), (
        "they do meet: nothing is left"
    )
    assert "only one body" in refusal(part(BLOCK, ("combine_bodies", {})))


@pytest.mark.parametrize(
    ("values", "pieces"),
    [
        ({"by": "z", "at": 5}, [6000, 18000]),
        ({"by": "x", "at": 10}, [6000, 18000]),
        ({"by": "y", "at": "1 cm"}, [8000, 16000]),
    ],
)
def test_bodies_are_parted_by_a_plane(values: dict[str, Any], pieces: list[float], part: Callable[..., Run]) -> None:
    assert sorted(volumes(part(BLOCK, ("part_bodies", values)))) == pytest.approx(pieces)
    assert "No body is parted" in refusal(part(BLOCK, ("part_bodies", {"by": "z", "at": 25})))


def test_bodies_are_parted_by_a_profile_and_along_a_face(part: Callable[..., Run]) -> None:
    figure = Figure().rectangle(0, 0, 40, 30).rectangle(50, 0, 10, 30)
    run = part(figure)
    strip = next(r for r in run.workpiece.drawing.regions.regions if r.bounds[0] == 50)
    pick = {"picks": [{"id": strip.id, "at": strip.inside, "area": strip.area}]}
    moved: Step = ("place_bodies", {"body": run.workpiece.bodies[0].key, "x": 30})
    found = part(figure, moved, ("part_bodies", {"by": "profile", "profiles": pick}))
    assert sorted(volumes(found)) == pytest.approx([6000, 6000, 6000, 12000])
    step = part(ANGLE, ("extrude", {"profiles": ALL, "length": 5, "start": 20, "result": "new"}))
    along = part(ANGLE, ("part_bodies", {"by": "face", "face": {**top(step), "point": (5, 5, 20)}}))
    assert along.failed is not None, "its own top parts nothing"


@pytest.mark.parametrize(
    ("values", "count", "box"),
    [
        ({"how": "move", "x": 7, "z": -3}, 1, (7, 0, -3, 47, 30, 17)),
        ({"how": "turn", "axis": "z", "angle": 90, "about": "origin"}, 1, (-30, 0, 0, 0, 40, 20)),
        ({"how": "mirror", "axis": "x", "about": "origin", "kept": "both"}, 2, (-40, 0, 0, 40, 30, 20)),
        ({"how": "row", "count": 4, "x": 50}, 4, (0, 0, 0, 190, 30, 20)),
        ({"how": "grid", "count": 2, "x": 50, "rows": 3, "rise": 40}, 6, (0, 0, 0, 90, 110, 20)),
        ({"how": "circle", "count": 2, "axis": "y", "about": "origin", "angle": 360}, 2, (-40, 0, -20, 40, 30, 20)),
    ],
    ids=["move", "turn", "mirror", "row", "grid", "circle"],
)
def test_bodies_are_placed(
    values: dict[str, Any], count: int, box: tuple[float, ...], part: Callable[..., Run]
) -> None:
    run = part(BLOCK, ("place_bodies", values))
    assert volumes(run) == pytest.approx([24000] * count)
    assert measure.joint_bounds([b.shape for b in run.workpiece.bodies]) == pytest.approx(box, abs=1e-9)
    assert len({b.key for b in run.workpiece.bodies}) == count


def test_too_many_bodies_are_refused_and_names_stay(part: Callable[..., Run]) -> None:
    assert "up to 500" in refusal(part(BLOCK, ("place_bodies", {"how": "grid", "count": 100, "rows": 6})))
    named = part(BLOCK, ("name_body", {"name": "Lid"}), ("place_bodies", {"how": "row", "count": 2, "x": 50}))
    assert [b.name for b in named.workpiece.bodies] == ["Lid", "Lid, copy 1"]


def test_profiles_that_touch_become_one_body_only_when_asked(part: Callable[..., Run], tmp_path: Path) -> None:
    abutting = Figure().rectangle(0, 0, 20, 10).rectangle(20, 0, 20, 10)
    run = part(abutting)
    assert volumes(run) == pytest.approx([4000, 4000]) and touching(run.workpiece)
    read = {"number": 10, "kind": "read", "params": {"source": "drawing.dxf"}}
    for version, asked in ((VERSION, {"result": "new"}), (3, {})):  # older cards went without a word
        step = {"number": 20, "kind": "extrude", "params": {"profiles": ALL, "length": 20, **asked}}
        card = card_from({"version": version, "steps": [read, step], "sources": {"drawing.dxf": "x"}})
        assert volumes(run_card(card, {"drawing.dxf": tmp_path / "drawing.dxf"})) == pytest.approx([8000])
    assert volumes(part(abutting, ("combine_bodies", {}))) == pytest.approx([8000])


def test_a_plate_pressed_with_its_hole_is_one_body(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    path = drawing(Figure().rectangle(0, 0, 40, 30).circle(12, 15, 5).circle(12, 15, 2).draw())
    every = [{"id": r.id, "at": r.inside, "area": r.area} for r in on_card(path).workpiece.drawing.regions.regions]
    run = on_card(path, ("extrude", {"profiles": {"picks": every}, "length": 10}))
    assert volumes(run) == pytest.approx([12000])


def test_each_body_has_its_material_and_pieces_keep_it(part: Callable[..., Run]) -> None:
    run = part(TWO)
    first, second = (b.key for b in run.workpiece.bodies)
    steel, brass = ("material", {"material": "steel"}), ("material", {"material": "brass", "body": second})
    halved = ("part_bodies", {"by": "z", "at": 10, "body": second})
    both = part(TWO, steel, brass, halved)
    told = figures_of(both.workpiece)
    masses = [b.volume / 1000 * (7.85 if b.key == first else 8.47) for b in both.workpiece.bodies]
    assert len(masses) == 3 and told["mass_g"] == pytest.approx(sum(masses), rel=1e-12)
    assert told["material"] == "steel and brass" and told["density"] is None
    only = figures_of(part(TWO, brass).workpiece)
    assert only["mass_g"] is None, "what one body weighs is not known"
    assert only["material"] == "brass"
    whole = figures_of(part(TWO, brass, steel).workpiece)
    assert whole["density"] == 7.85, "the whole part was said last"
    assert "".join(t.text for t in both.steps[3].sentence) == "Make Body 2 of brass, 8.47 g/cm³"


EMBLEM = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="10mm" viewBox="0 0 20 10">'
    '<path fill-rule="evenodd" d="M0 0h20v10h-20z M4 3h4v4h-4z"/></svg>'
)


def with_art(tmp_path: Path, figure: Figure, art: str, values: dict[str, Any], face: dict[str, Any] | None) -> Run:
    import ezdxf

    document = ezdxf.new("R2010", units=4)
    figure.draw()(document.modelspace(), document)
    document.saveas(tmp_path / "block.dxf")
    (tmp_path / "heron.svg").write_text(art)
    steps = [
        {"number": 10, "kind": "read", "params": {"source": "block.dxf"}},
        {"number": 20, "kind": "extrude", "params": {"profiles": ALL, "length": 20}},
    ]
    if face is not None:
        steps.append({"number": 30, "kind": "engrave", "params": {"source": "heron.svg", "face": face, **values}})
    files = {name: tmp_path / name for name in ("block.dxf", "heron.svg")}
    return run_card(Card.model_validate({"steps": steps, "sources": dict.fromkeys(files, "x")}), files)


def face_towards(run: Run, way: tuple[float, float, float]) -> dict[str, Any]:
    body = run.workpiece.bodies[0]
    for name, face in zip(body.names, body.faces, strict=True):
        plane = measure.plane_of(face)
        if plane is not None and plane[1] @ way > 0.99:
            return {"name": name.key, "body": body.key, "normal": way}
    raise AssertionError(way)


@pytest.mark.parametrize("way", [(0, 0, 1), (0, 0, -1), (1, 0, 0), (0, -1, 0)])
def test_art_goes_on_any_face_and_counters_keep_their_material(way: tuple[int, int, int], tmp_path: Path) -> None:
    bare = with_art(tmp_path, BLOCK, EMBLEM, {}, None)
    face = face_towards(bare, way)
    area = 200 - 16
    engraved = with_art(tmp_path, BLOCK, EMBLEM, {"depth": 0.5, "width": 16}, face)
    assert volumes(engraved) == pytest.approx([24000 - 0.64 * area * 0.5])
    raised = with_art(
        tmp_path, BLOCK, EMBLEM, {"how": "raise", "depth": 2, "width": 10, "turned": 30, "mirrored": "yes"}, face
    )
    assert volumes(raised) == pytest.approx([24000 + 0.25 * area * 2])
    box = measure.bounds(raised.workpiece.bodies[0].shape)
    reach = max(box[3] - 40, box[5] - 20, -box[1], -box[2])
    assert reach == pytest.approx(2.0), "it stands out of that face"


def test_art_reads_right_on_the_underside(tmp_path: Path) -> None:
    """The counter lies left of the middle as one looks at the face; from below left is where x is large."""
    bare = with_art(tmp_path, BLOCK, EMBLEM, {}, None)
    for way, x in (((0, 0, 1), 20 - 4), ((0, 0, -1), 20 + 4)):
        run = with_art(tmp_path, BLOCK, EMBLEM, {"depth": 1}, face_towards(bare, way))
        body = run.workpiece.bodies[0]
        floor = 19.0 if way[2] > 0 else 1.0
        islands = [
            p[0]
            for f in body.faces
            if (p := measure.plane_of(f)) is not None and abs(abs(p[1][2]) - 1) < 1e-9 and measure.area(f) < 17
        ]
        assert len(islands) == 1 and islands[0][0] == pytest.approx(x) and floor


def test_art_on_a_leaning_side(tmp_path: Path) -> None:
    def leaning_block(*more: dict[str, Any]) -> Run:
        with_art(tmp_path, BLOCK, EMBLEM, {}, None)
        steps = [
            {"number": 10, "kind": "read", "params": {"source": "block.dxf"}},
            {"number": 20, "kind": "extrude", "params": {"profiles": ALL, "length": 20, "sides": "in", "lean": 15}},
            *more,
        ]
        files = {name: tmp_path / name for name in ("block.dxf", "heron.svg")}
        return run_card(Card.model_validate({"steps": steps, "sources": dict.fromkeys(files, "x")}), files)

    bare = leaning_block()
    lean = math.radians(15)
    face = face_towards(bare, (0, -math.cos(lean), math.sin(lean)))
    art = {"number": 30, "kind": "engrave", "params": {"source": "heron.svg", "face": face, "depth": 1, "width": 10}}
    assert volumes(leaning_block(art)) == pytest.approx([volumes(bare)[0] - 0.25 * 184], rel=1e-9)


def test_drafted_art_and_art_off_the_face(tmp_path: Path) -> None:
    face = face_towards(with_art(tmp_path, BLOCK, EMBLEM, {}, None), (0, 0, 1))
    plain = EMBLEM.replace("M4 3h4v4h-4z", "")
    drafted = with_art(tmp_path, BLOCK, plain, {"how": "raise", "depth": 1, "sides": "in", "lean": 10}, face)
    t = math.tan(math.radians(10))
    assert volumes(drafted) == pytest.approx([24000 + 200 - 60 * t / 2 + 4 * t * t / 3])
    over = with_art(tmp_path, BLOCK, plain, {"depth": 1, "width": 60}, face)
    told = next(n for n in over.steps[2].notes if n.code == "art_over_edge")
    assert "10 mm over the edge" in told.text and told.where.point is not None
    assert "lies beside its face" in refusal(with_art(tmp_path, BLOCK, plain, {"depth": 1, "x": 60}, face))
    assert "Choose the art" in refusal(with_art(tmp_path, BLOCK, plain, {"source": ""}, face))
    gone = with_art(tmp_path, BLOCK, plain, {"source": "gone.svg"}, face)
    assert "not among the files" in refusal(gone)


def test_dense_art_is_smoothed_and_counted(tmp_path: Path) -> None:
    face = face_towards(with_art(tmp_path, BLOCK, EMBLEM, {}, None), (0, 0, 1))
    points = [(10 + 8 * math.cos(a), 5 + 4 * math.sin(a)) for a in (2 * math.pi * n / 3000 for n in range(3000))]
    dense = EMBLEM.split("<path")[0] + f'<path d="M{" L".join(f"{x:.5f} {y:.5f}" for x, y in points)}z"/></svg>'
    run = with_art(tmp_path, BLOCK, dense, {"depth": 1, "within": 0.01}, face)
    note = next(n for n in run.steps[2].notes if n.code == "smoothed")
    assert note.text.startswith(f"{show_count(3000)} pieces became")
    assert volumes(run) == pytest.approx([24000 - math.pi * 8 * 4], rel=1e-4)


def test_placing_by_values_that_make_no_sense_leaves_the_body(part: Callable[..., Run]) -> None:
    for values in ({"how": "row", "count": 2.5}, {"how": "circle", "angle": 0}, {"how": "move", "x": "3 km"}):
        assert refusal(part(BLOCK, ("place_bodies", values)))


def test_bodies_that_nearly_coincide_are_told_apart(on_card: Callable[..., Run]) -> None:
    """A bracket and its next issue, most faces of which lie on each other: the kernel's own cut of these gives a body
    larger than it was, and no common part at all."""
    old, new = (DEMO / "files" / f"clamp-bracket{issue}.dxf" for issue in ("", "-issue-c"))
    card = card_from(json.loads((DEMO / "cards" / "clamp-bracket.json").read_text()))
    newer = card_from(issues_told(card, (old.name, old), (new.name, new), "x" * 64)["card"])
    then, now = (run_card(c, {p.name: p}).workpiece.bodies[0] for c, p in ((card, old), (newer, new)))
    both = Workpiece(bodies=(then, now.renamed("99:b", "Newer")))
    kind = OPERATIONS["combine_bodies"]

    def volume(how: str, first: str) -> float:
        made = kind.apply(both, kind.params.model_validate({"how": how, "body": first}), Context(99, {}))
        return sum(b.volume for b in made.bodies)

    common = volume("common", then.key)
    assert volume("common", "99:b") == pytest.approx(common, rel=1e-6)
    assert volume("cut", then.key) == pytest.approx(then.volume - common, rel=1e-6)
    assert volume("cut", "99:b") == pytest.approx(now.volume - common, rel=1e-6)
    assert volume("join", then.key) == pytest.approx(then.volume + now.volume - common, rel=1e-6)
    assert common == pytest.approx(118_549.159, abs=0.01)
