"""The print check against parts whose walls, pieces and overhangs are known, and meshes from elsewhere."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import trimesh
from drawn_parts import walled
from figures import Figure
from tectogon.errors import UnreadableFile
from tectogon.solids import exchange
from tectogon.solids.body import Body
from tectogon.solids.print_check import print_check, read_stl, triangles_of
from tectogon.solids.prism import prism
from tectogon.views import frame_of


def body(figure: Figure, low: float = 0.0, high: float = 8.0, view: str = "top", key: str = "1:a") -> Body:
    regions = figure.regions()
    return Body.of(key, key, prism(regions, regions.profiles[0], frame_of(view), low, high, 1))


@pytest.mark.parametrize("seed", range(12))
def test_the_thinnest_wall_is_found(seed: int) -> None:
    part, wall = walled(seed)
    found = print_check(triangles_of([part]), wall=wall * 1.05)
    assert found.thinnest is not None and found.thinnest.width == pytest.approx(wall, rel=0.05)
    assert 1 <= len(found.thin) <= 2 and found.thin[0].width == found.thinnest.width
    assert not print_check(triangles_of([part]), wall=wall * 0.9).thin


def test_pieces_that_touch_nothing_hang_loose() -> None:
    bodies = [body(Figure().rectangle(0, 0, 30, 30)), body(Figure().circle(50, 15, 4), key="1:b")]
    found = print_check(triangles_of(bodies))
    assert found.pieces == 2 and len(found.loose) == 1 and found.watertight
    assert found.loose[0].volume == pytest.approx(np.pi * 16 * 8, rel=2e-3)
    assert np.hypot(found.loose[0].at[0] - 50, found.loose[0].at[1] - 15) <= 4.0
    assert found.volume == pytest.approx(30 * 30 * 8 + np.pi * 16 * 8, rel=1e-3)


def test_bodies_that_touch_are_printed_as_one_piece() -> None:
    """A lid of two plates on a foot: nothing hangs loose, and what lies on another does not hang over."""
    foot = body(Figure().rectangle(0, 0, 30, 30))
    plates = [body(Figure().rectangle(x, 0, 15, 30), 8.0, 14.0, key=f"1:{x}") for x in (0, 15)]
    found = print_check(triangles_of([foot, *plates]))
    assert (found.pieces, found.loose, found.watertight) == (1, (), True)
    assert found.overhang == pytest.approx(0.0, abs=1e-6)
    assert found.volume == pytest.approx(30 * 30 * 14, rel=1e-6)


def test_what_hangs_over_is_measured_and_what_lies_on_the_bed_is_not() -> None:
    table = Figure().chain((0, 0), (10, 0), (10, 20), (40, 20), (40, 26), (0, 26))
    upside = body(table, 0, 15, "front")
    assert print_check(triangles_of([upside])).overhang == pytest.approx(30 * 15)
    wedge = Figure().chain((0, 0), (10, 0), (30, 20), (30, 26), (0, 26))
    assert print_check(triangles_of([body(wedge, 0, 15, "front")])).overhang == pytest.approx(0.0), "45° holds"
    assert print_check(triangles_of([body(Figure().rectangle(0, 0, 5, 5))])).overhang == 0.0


def test_gaps_narrower_than_the_tool_are_told() -> None:
    slot = Figure().rectangle(0, 0, 40, 30).rectangle(10, 14, 20, 1.5)
    found = print_check(triangles_of([body(slot)]), tool=2.0)
    assert len(found.narrow) == 1 and found.narrow[0].width == pytest.approx(1.5, rel=1e-3)
    assert not print_check(triangles_of([body(slot)]), tool=1.4).narrow
    assert not print_check(triangles_of([body(slot)])).narrow, "none is looked for without a tool"


@pytest.mark.parametrize(
    ("bed", "told"),
    [
        ((100, 100, 100), ""),
        ((35, 45, 10), ""),
        ((38, 35, 10), "2 mm too long in x"),
        ((100, 100, 5), "3 mm too long in z"),
    ],
)
def test_the_bed(bed: tuple[float, ...], told: str) -> None:
    assert print_check(triangles_of([body(Figure().rectangle(0, 0, 40, 30))]), bed=bed).too_large == told


def test_a_sharp_edge_is_no_wall_but_a_blade_is() -> None:
    block = print_check(triangles_of([body(Figure().chain((0, 0), (40, 0), (0, 40)))]), wall=2.0)
    assert not block.thin, "45° is no wall"
    blade = print_check(triangles_of([body(Figure().chain((0, 0), (60, 4), (0, 8)))]), wall=1.0)
    assert blade.thin and blade.thin[0].at[0] > 45, "a blade of 8° is thin towards its edge"


def test_meshes_of_others_are_read(tmp_path: Path) -> None:
    part = body(Figure().rectangle(0, 0, 30, 20).circle(10, 10, 4))
    binary, _ = exchange.write([part], "stl", "Plate")
    text = trimesh.load_mesh(trimesh.util.wrap_as_stream(binary), file_type="stl").export(file_type="stl_ascii")
    for name, data in (("binary.stl", binary), ("text.stl", text.encode())):
        path = tmp_path / name
        path.write_bytes(data)
        found = print_check(read_stl(path))
        assert found.volume == pytest.approx(part.volume, rel=2e-3) and found.watertight, name
        assert found.thinnest is not None and found.thinnest.width == pytest.approx(6.0, rel=0.02)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is cut off"),
        (b"\0" * 80 + struct.pack("<I", 5) + b"\0" * 50, "says 5 triangles and holds 1"),
        (b"solid x\nvertex 1 2\nendsolid", "no three numbers"),
        (b"solid x\nvertex 1 2 3\nvertex 1 2 3\n", "2 corners"),
        (b"solid x\n", "0 corners"),
        (b"\0" * 80 + struct.pack("<I", 1) + np.full(9, np.nan, "<f4").tobytes() + b"\0" * 14, "no triangles"),
        (b"\0" * 80 + struct.pack("<I", 0), "no triangles"),
    ],
)
def test_broken_meshes_are_refused_in_a_sentence(tmp_path: Path, data: bytes, words: str) -> None:
    path = tmp_path / "mesh.stl"
    path.write_bytes(data)
    with pytest.raises(UnreadableFile, match=words):
        read_stl(path)


def test_a_mesh_that_is_open_says_so(tmp_path: Path) -> None:
    triangles = triangles_of([body(Figure().rectangle(0, 0, 30, 20))])
    found = print_check(triangles[:-1])
    assert not found.watertight and found.pieces == 1


def inside_out(mesh: trimesh.Trimesh) -> np.ndarray:
    return np.asarray(mesh.triangles)[:, ::-1]


def test_where_material_runs_out_to_an_edge_or_a_tip_is_told() -> None:
    wedge = body(Figure().chain((0, 0), (40, 0), (40, 40 * np.tan(np.radians(20)))), 0, 25, "front")
    found = print_check(triangles_of([wedge])).sharp
    assert [round(s.angle, 3) for s in found] == [20.0] and found[0].length == pytest.approx(25)
    assert found[0].at[0] == pytest.approx(0.0, abs=1e-6)
    assert not print_check(triangles_of([body(Figure().rectangle(0, 0, 30, 20).circle(10, 10, 4))])).sharp
    cone = trimesh.creation.cone(radius=2.0, height=10.0, sections=96)
    tips = print_check(np.asarray(cone.triangles)).sharp
    assert [s.length for s in tips] == [0.0] and tips[0].at[2] == pytest.approx(10.0)
    assert tips[0].angle == pytest.approx(2 * np.degrees(np.arctan(2 / 10)), rel=0.02)
    hollow = print_check(np.concatenate([np.asarray(trimesh.creation.box((40, 40, 40)).triangles), inside_out(cone)]))
    assert not hollow.sharp, "a pointed hole has no tip of material"
