"""Bodies against closed forms, through the operations that make them; files read back with other readers."""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
import trimesh
from figures import Figure
from hypothesis import given, settings
from hypothesis import strategies as st
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.STEPControl import STEPControl_Reader
from tectogon.display.part import distance_between
from tectogon.display.two_solids import two_solids
from tectogon.errors import KernelRefused, NothingToBuild, PickGone
from tectogon.route import Run
from tectogon.solids import measure, proof
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.exchange import write
from tectogon.solids.mesh import mesh_of
from tectogon.solids.prism import prism
from tectogon.views import VIEW_NAMES, frame_of
from tectogon.workpiece.model import Workpiece

Running = Callable[..., Run]
Drawing = Callable[..., Path]
PLATE = 5000 - 125 * math.pi


def picks(run: Run, *levels: int) -> dict[str, Any]:
    """All regions of these levels."""
    return {
        "picks": [
            {"id": r.id, "at": r.inside, "area": r.area}
            for r in run.workpiece.drawing.regions.regions
            if r.level in levels
        ]
    }


def volume(workpiece: Workpiece) -> float:
    return sum(measure.volume(b.shape) for b in workpiece.bodies)


@pytest.mark.parametrize(
    ("params", "low", "high"),
    [
        ({"length": 12}, 0, 12),
        ({"length": "12 mm", "side": "away"}, -12, 0),
        ({"length": 12, "extent": "half_each_side"}, -6, 6),
        ({"length": 5, "length_away": "1/4 in", "extent": "two_lengths"}, -6.35, 5),
        ({"length": 12, "start": 3}, 3, 15),
    ],
)
def test_extrude_by_every_extent(
    drawing: Drawing, on_card: Running, plate: Figure, params: dict[str, Any], low: float, high: float
) -> None:
    run = on_card(drawing(plate.draw()), ("extrude", {"profiles": {"rule": "material"}, **params}))
    (body,) = run.workpiece.bodies
    assert volume(run.workpiece) == pytest.approx(PLATE * (high - low), rel=1e-9)
    assert measure.bounds(body.shape) == pytest.approx((0, 0, low, 100, 50, high), abs=1e-6)
    assert sorted(measure.face_facts(f)["kind"] for f in body.faces) == ["cylinder"] * 2 + ["flat"] * 6


@pytest.mark.parametrize("view", VIEW_NAMES)
def test_prisms_stand_in_every_view(plate: Figure, view: str) -> None:
    regions = plate.regions()
    named = prism(regions, regions.profiles[0], frame_of(view), -2.0, 7.0, 10)
    assert measure.volume(named.shape) == pytest.approx(PLATE * 9, rel=1e-9)
    along = int(np.argmax(np.abs(frame_of(view).normal)))
    b = measure.bounds(named.shape)
    assert b[along + 3] - b[along] == pytest.approx(9)


def test_cut_takes_the_inside_or_the_outside(drawing: Drawing, on_card: Running, plate: Figure) -> None:
    path = drawing(plate.draw())
    read = on_card(path)
    block = ("extrude", {"profiles": picks(read, 0, 1), "length": 12})
    assert volume(on_card(path, block).workpiece) == pytest.approx(60000, rel=1e-9)
    inside = on_card(path, block, ("cut", {"profiles": picks(read, 1)}))
    assert volume(inside.workpiece) == pytest.approx(PLATE * 12, rel=1e-9)
    outside = on_card(path, block, ("cut", {"profiles": picks(read, 1), "takes": "outside"}))
    assert volume(outside.workpiece) == pytest.approx(125 * math.pi * 12, rel=1e-9)
    assert len(outside.workpiece.bodies) == 2
    blind = on_card(
        path, block, ("cut", {"profiles": picks(read, 1), "depth": "depth", "length": 4, "start": 12, "side": "away"})
    )
    assert volume(blind.workpiece) == pytest.approx(60000 - 125 * math.pi * 4, rel=1e-9)


def test_join_common_and_cut_by_extruding(drawing: Drawing, on_card: Running, plate: Figure) -> None:
    path = drawing(plate.draw())
    read = on_card(path)
    block, tool = ("extrude", {"profiles": picks(read, 0, 1), "length": 10}), {"profiles": picks(read, 1), "length": 25}
    hole = 125 * math.pi
    for result, expected in (("join", 50000 + hole * 15), ("cut", 50000 - hole * 10), ("common", hole * 10)):
        run = on_card(path, block, ("extrude", {**tool, "result": result}))
        assert volume(run.workpiece) == pytest.approx(expected, rel=1e-9), result


def test_faces_keep_their_names_through_later_operations(drawing: Drawing, on_card: Running, plate: Figure) -> None:
    path = drawing(plate.draw())
    read = on_card(path)
    run = on_card(
        path, ("extrude", {"profiles": picks(read, 0, 1), "length": 12}), ("cut", {"profiles": picks(read, 1)})
    )
    (body,) = run.workpiece.bodies
    rows = {(n.role, n.operation): measure.face_facts(f)["kind"] for f, n in zip(body.faces, body.names, strict=True)}
    assert rows == {("start", 20): "flat", ("end", 20): "flat", ("side", 20): "flat", ("side", 30): "cylinder"}
    curves = {n.curve for n in body.names if n.operation == 30}
    ids = {i for i in run.workpiece.drawing.linework.ids if "s10:" in i}
    assert curves <= ids
    assert len(curves) == 2


def test_a_region_pinched_to_a_point_is_built_from_simple_parts(drawing: Drawing, on_card: Running) -> None:
    figure = Figure().rectangle(0, 0, 84, 60).chain((42, 0), (62, 26), (42, 52), (22, 26))
    path = drawing(figure.draw())
    regions = on_card(path).workpiece.drawing.regions.regions
    diamond, around = (next({"picks": [{"id": r.id}]} for r in regions if r.level == n) for n in (1, 0))
    run = on_card(
        path,
        ("extrude", {"profiles": diamond, "length": 14}),
        ("extrude", {"profiles": around, "length": 8, "result": "join"}),
    )
    assert len(run.workpiece.bodies) == 1
    assert volume(run.workpiece) == pytest.approx(14 * 1040 + 8 * (84 * 60 - 1040), rel=1e-9)


@pytest.mark.parametrize(
    ("steps", "word"),
    [
        ([("cut", {"profiles": {"rule": "material"}})], "no body"),
        ([("extrude", {"profiles": {"rule": "material"}, "result": "join"})], "no body"),
        ([("extrude", {"profiles": {"picks": [{"id": "nowhere", "at": [1, 2], "area": 3}]}})], "no longer closed"),
        ([("extrude", {"profiles": {"picks": []}})], "No profile is picked"),
        ([("extrude", {"profiles": {"rule": "material"}, "length": 0})], "more than nothing"),
        ([("extrude", {"profiles": {"rule": "material"}, "length": "12 parsecs"})], "not a unit"),
        (
            [("extrude", {"profiles": {"rule": "material"}}), ("cut", {"profiles": {"rule": "material"}})],
            "takes away every body",
        ),
        (
            [
                ("extrude", {"profiles": {"rule": "material"}}),
                ("cut", {"profiles": {"rule": "material"}, "depth": "depth", "start": 500}),
            ],
            "does not reach",
        ),
        (
            [
                ("extrude", {"profiles": {"rule": "material"}}),
                ("cut", {"profiles": {"rule": "material"}, "body": "77"}),
            ],
            "no longer there",
        ),
        ([("leave_out", {"layers": ["nope"]})], "not in the drawing"),
        ([("join_ends", {"distance": 50})], "makes no sense"),
        ([("juggle", {})], "not known here"),
    ],
)
def test_what_can_t_be_done_says_why_and_leaves_the_workpiece(
    drawing: Drawing, on_card: Running, plate: Figure, steps: list[tuple[str, dict[str, Any]]], word: str
) -> None:
    path = drawing(plate.draw())
    run = on_card(path, *steps)
    assert run.steps[-1].status == "failed"
    assert word in run.steps[-1].message
    assert volume(run.workpiece) == pytest.approx(volume(on_card(path, *steps[:-1]).workpiece))


def test_later_steps_still_run_after_a_failed_one(drawing: Drawing, on_card: Running, plate: Figure) -> None:
    run = on_card(
        drawing(plate.draw()),
        ("cut", {"profiles": {"rule": "material"}}),
        ("extrude", {"profiles": {"rule": "material"}}),
        ("material", {"material": "steel"}),
    )
    assert [s.status for s in run.steps] == ["ok", "failed", "ok", "ok"]


def test_the_proof_refuses_wrong_bodies(plate: Figure) -> None:
    regions = plate.regions()
    named = prism(regions, regions.profiles[0], frame_of("top"), 0, 10, 10)
    with pytest.raises(KernelRefused, match="mm³"):
        proof.check_prism(named, PLATE * 1.00001, 10, proof.Place())
    witness = proof.Witness((30.0, 25.0, 5.0), True, ("c1",))
    with pytest.raises(KernelRefused, match="wrong at x 30"):
        proof.check_witnesses(None, named.shape, [witness], lambda before, tool: tool)


@given(st.integers(0, 500))
@settings(max_examples=15, deadline=None)
def test_splined_and_elliptic_prisms_have_the_area_times_the_length(seed: int) -> None:
    chooser = np.random.default_rng(seed)
    radius = chooser.uniform(14, 26, 7)
    around = [
        (r * math.cos(a), r * math.sin(a)) for r, a in zip(radius, np.linspace(0, 2 * math.pi, 8)[:7], strict=True)
    ]
    figure = Figure().ellipse(0, 0, float(chooser.uniform(3, 8)), float(chooser.uniform(0.3, 1)), 0.5)
    for a, b in zip(around, around[1:] + around[:1], strict=True):
        bend = chooser.uniform(0.9, 1.2)
        figure.spline(
            a,
            ((2 * a[0] + b[0]) / 3 * bend, (2 * a[1] + b[1]) / 3 * bend),
            ((a[0] + 2 * b[0]) / 3 * bend, (a[1] + 2 * b[1]) / 3 * bend),
            b,
        )
    regions = figure.regions(1e-9)
    region = next(r for r in regions.regions if r.level == 0)
    named = prism(regions, region, frame_of("front"), 0, 8, 10)
    assert measure.volume(named.shape) == pytest.approx(region.area * 8, rel=1e-7)


def test_files_measure_right_when_read_by_others(
    drawing: Drawing, on_card: Running, plate: Figure, tmp_path: Path
) -> None:
    run = on_card(drawing(plate.draw()), ("extrude", {"profiles": {"rule": "material"}, "length": 12}))
    data, _ = write(run.workpiece.bodies, "step", "Plate №1")
    (tmp_path / "p.step").write_bytes(data)
    reader = STEPControl_Reader()
    assert reader.ReadFile(str(tmp_path / "p.step")) == IFSelect_ReturnStatus.IFSelect_RetDone
    reader.TransferRoots()
    assert measure.volume(reader.OneShape()) == pytest.approx(PLATE * 12, rel=1e-6)
    text = data.decode("ascii", "replace")
    assert "SI_UNIT(.MILLI.,.METRE.)" in text
    assert "PRODUCT('Plate" in text
    for kind, scale in (("stl", 1.0), ("3mf", 1.0), ("glb", 1e-9)):
        data, watertight = write(run.workpiece.bodies, kind, "plate", chord_tol=0.01)
        assert watertight
        mesh = unpacked_3mf(data) if kind == "3mf" else trimesh.load(io.BytesIO(data), file_type=kind, force="mesh")
        mesh.merge_vertices()
        assert mesh.volume == pytest.approx(PLATE * 12 * scale, rel=2e-3)


def unpacked_3mf(data: bytes) -> trimesh.Trimesh:
    """By the archive's own rules: the model part that the relationships name, in millimetres, its one object as the
    build lists it."""
    archive = zipfile.ZipFile(io.BytesIO(data))
    relation = ElementTree.fromstring(archive.read("_rels/.rels"))[0]
    model = ElementTree.fromstring(archive.read(relation.attrib["Target"].lstrip("/")))
    space = {"m": model.tag[1:].partition("}")[0]}
    assert model.attrib["unit"] == "millimeter"
    (item,) = model.findall("m:build/m:item", space)
    (thing,) = (o for o in model.findall("m:resources/m:object", space) if o.attrib["id"] == item.attrib["objectid"])
    points = [[float(v.attrib[k]) for k in "xyz"] for v in thing.iterfind(".//m:vertex", space)]
    triangles = [[int(t.attrib[k]) for k in ("v1", "v2", "v3")] for t in thing.iterfind(".//m:triangle", space)]
    return trimesh.Trimesh(points, triangles, process=False)


def test_the_least_distance_between_two_pieces(drawing: Drawing, on_card: Running) -> None:
    figure = Figure().circle(0, 0, 5).circle(30, 40, 8)
    part = on_card(drawing(figure.draw()), ("extrude", {"profiles": {"rule": "material"}, "length": 12})).workpiece
    faces = [face for body in part.bodies for face in body.faces]
    round_ones = [n for n, face in enumerate(faces) if measure.face_facts(face)["kind"] == "cylinder"]
    found = distance_between(part, ("face", round_ones[0]), ("face", round_ones[1]))
    assert found["mm"] == pytest.approx(50 - 13, abs=1e-9)
    assert math.dist(found["from"], found["to"]) == pytest.approx(37, abs=1e-6)
    with pytest.raises(PickGone, match="no longer there"):
        distance_between(part, ("face", 0), ("edge", 99))


def test_chord_tolerance_decides_how_fine_a_mesh_is(plate: Figure) -> None:
    regions = plate.regions()
    named: NamedShape = prism(regions, regions.profiles[0], frame_of("top"), 0, 10, 10)
    coarse, fine = (mesh_of(named.shape, chord_tol=c, angle_tol=1.5) for c in (1.0, 0.001))
    assert len(fine.triangles) > 4 * len(coarse.triangles)
    assert abs(fine.volume / (PLATE * 10) - 1) < 1e-4 < abs(coarse.volume / (PLATE * 10) - 1)
    assert fine.watertight
    assert coarse.watertight


def test_bodies_that_touch_are_told_with_the_place(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    """Two blocks side by side share an edge's line on the sheet; a third stands apart."""
    from tectogon.display.part import touching

    path = drawing(Figure().rectangle(0, 0, 20, 20).rectangle(20, 5, 20, 10).rectangle(60, 0, 10, 10).draw())
    run = on_card(path)
    ids = [(r.id, r.centroid[0]) for r in run.workpiece.drawing.regions.profiles]
    steps = [
        ("extrude", {"profiles": {"picks": [{"id": key}]}, "length": 10, "result": "new"})
        for key, _ in sorted(ids, key=lambda one: one[1])
    ]
    found = touching(on_card(path, *steps).workpiece)
    assert [one["bodies"] for one in found] == [[0, 1]]
    x, y, z = found[0]["at"]
    assert x == pytest.approx(20) and 5 <= y <= 15 and 0 <= z <= 10


def _bodies(figure: Figure, height: float) -> Workpiece:
    regions = figure.regions()
    top = frame_of("top")
    return Workpiece(
        bodies=tuple(Body.of(f"10:{r.id}", "Body", prism(regions, r, top, 0.0, height, 10)) for r in regions.profiles)
    )


def test_two_solids_add_up() -> None:
    plate = Figure().rectangle(0, 0, 60, 40).circle(15, 20, 5)
    wider = Figure().rectangle(0, 0, 70, 40).circle(15, 20, 5).circle(45, 20, 4)
    held = two_solids(_bodies(plate, 8), _bodies(wider, 8))
    shares = {b.key.partition(":")[0]: b.volume for b in held.bodies}
    assert shares["common"] == pytest.approx((2400 - math.pi * 41) * 8)
    assert shares["then"] == pytest.approx(math.pi * 16 * 8) and shares["now"] == pytest.approx(400 * 8)
    same = two_solids(_bodies(plate, 8), _bodies(plate, 8))
    assert [b.name for b in same.bodies] == ["in both"]
    apart = two_solids(_bodies(plate, 8), _bodies(Figure().rectangle(200, 0, 9, 9), 8))
    assert [b.name for b in apart.bodies] == ["only then", "only now"]
    with pytest.raises(NothingToBuild, match="no body then"):
        two_solids(Workpiece(), _bodies(plate, 8))


def test_a_mesh_is_no_finer_than_files_hold_digits() -> None:
    """A plate whose file has its unit wrong is a kilometre long: its mesh stays as small as that of the plate."""
    counts = []
    for size in (1.0, 1e4):
        regions = (
            Figure()
            .spline((0, 0), (30 * size, 12 * size), (70 * size, 8 * size), (100 * size, 0))
            .line(100 * size, 0, 0, 0)
            .regions()
        )
        shape = prism(regions, regions.profiles[0], frame_of("top"), 0.0, 3.0, 1).shape
        counts.append(len(mesh_of(shape).triangles))
    assert counts[1] < 40 * counts[0] and counts[1] < 20_000
