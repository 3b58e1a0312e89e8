"""DXF in and out: the same curves as ezdxf draws, in every version, and clear sentences for what can't be read."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from ezdxf import path as ezpath
from figures import Figure
from scipy.spatial import cKDTree
from tectogon.errors import OverLimit, TectogonError, UnreadableFile, UnsupportedFile
from tectogon.formats import ReadLimits, read_drawing
from tectogon.formats.dxf_out import regions_as_dxf
from tectogon.linework.evidence import weigh_unit
from tectogon.linework.unit_signs import written_unit
from tectogon.route import Run


def everything(space: Any, document: Any) -> None:
    """One of each kind, and a block nested twice, scaled unevenly, mirrored and turned."""
    space.add_line((0, 0), (10, 3))
    space.add_circle((5, 5), 2)
    space.add_arc((20, 0), 4, 30, 200)
    space.add_ellipse((0, 30), (8, 2), 0.4, 0.5, 4.0) if document.dxfversion > "AC1009" else None
    space.add_polyline2d([(0, 0, 0.5), (10, 0, 0), (10, 10, -1.2), (0, 10, 0)], format="xyb", close=True)
    inner = document.blocks.new("INNER", base_point=(1, 1))
    inner.add_arc((2, 2), 1, 0, 90)
    inner.add_line((0, 0), (1, 1))
    outer = document.blocks.new("OUTER")
    outer.add_blockref("INNER", (3, 0), dxfattribs={"rotation": 20, "xscale": 2, "yscale": 2})
    outer.add_circle((0, 0), 1)
    space.add_blockref("OUTER", (50, 50), dxfattribs={"xscale": -1.5, "yscale": 1.5, "rotation": 30})
    space.add_blockref("INNER", (90, 50), dxfattribs={"xscale": 2, "yscale": 0.5})
    if document.dxfversion > "AC1009":
        space.add_lwpolyline([(60, 0, 0.3), (70, 0, 0), (70, 9, 0)], format="xyb")
        space.add_open_spline([(0, 0), (1, 3), (4, 4), (6, 0), (8, 1)])
        space.add_spline([(0, 60), (3, 64), (8, 62), (9, 69)])
        space.add_circle((-7, 3), 2, dxfattribs={"extrusion": (0, 0, -1)})
    space.add_text("a note")


def drawn_by_ezdxf(entity: Any) -> list[np.ndarray]:
    if entity.dxftype() == "INSERT":
        return [points for part in entity.virtual_entities() for points in drawn_by_ezdxf(part)]
    try:
        return [np.array([(p.x, p.y) for p in ezpath.make_path(entity).flattening(1e-3)])]
    except TypeError:
        return []


@pytest.mark.parametrize(
    ("version", "binary"), [("R12", False), ("R2000", False), ("R2000", True), ("R2010", False), ("R2018", True)]
)
def test_every_kind_is_read_as_it_is_drawn(drawing: Callable[..., Path], version: str, binary: bool) -> None:
    path = drawing(everything, version, binary=binary)
    linework = read_drawing(path).linework
    ours = np.concatenate([np.asarray(c.points(np.linspace(0, 1, 500))) for c in linework.table.curves()])
    theirs = np.concatenate(
        [
            np.linspace(p, q, 120)
            for e in ezdxf.readfile(path).modelspace()
            for d in drawn_by_ezdxf(e)
            for p, q in itertools.pairwise(d)
        ]
    )
    assert cKDTree(ours).query(theirs)[0].max() < 0.06
    assert cKDTree(theirs).query(ours)[0].max() < 0.06
    assert dict(linework.skipped) == {"TEXT": 1}
    assert len(set(linework.ids)) == len(linework.ids)


def test_true_curves_are_kept(drawing: Callable[..., Path]) -> None:
    linework = read_drawing(drawing(everything)).linework
    kinds = [type(c).__name__ for c in linework.table.curves()]
    assert {"Line", "Arc", "EllipticArc", "Spline"} <= set(kinds)
    assert kinds.count("EllipticArc") == 2  # the ellipse itself, and the arc of the unevenly scaled block


def test_a_turned_block_in_an_unevenly_scaled_one_is_sheared(drawing: Callable[..., Path]) -> None:
    """ezdxf's own expansion loses the shear, so this is held against the matrices."""

    def draw(space: Any, document: Any) -> None:
        document.blocks.new("INNER").add_circle((0, 0), 1)
        document.blocks.new("OUTER").add_blockref("INNER", (3, 0), dxfattribs={"rotation": 30, "xscale": 2})
        space.add_blockref("OUTER", (10, 20), dxfattribs={"xscale": 4, "rotation": 15})

    (ellipse,) = read_drawing(drawing(draw)).linework.table.curves()
    t = np.linspace(0, 2 * math.pi, 200)
    circle = np.column_stack([2 * np.cos(t), np.sin(t)])

    def turn(degrees: float) -> np.ndarray:
        c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
        return np.array([[c, -s], [s, c]])

    expected = ((circle @ turn(30).T + [3, 0]) * [4, 1]) @ turn(15).T + [10, 20]
    ours = np.asarray(ellipse.points(np.linspace(0, 1, 4000)))
    assert cKDTree(ours).query(expected)[0].max() < 0.01


def test_what_is_not_geometry_is_named_and_counted(drawing: Callable[..., Path]) -> None:
    def draw(space: Any, document: Any) -> None:
        space.add_line((0, 0), (10, 0))
        space.add_text("title")
        space.add_mtext("note")
        space.add_hatch().paths.add_polyline_path([(0, 0), (1, 0), (1, 1)])
        space.add_point((3, 3))
        space.add_3dface([(0, 0), (1, 0), (1, 1)])
        space.add_line((0, 0, 0), (5, 0, 5))
        space.add_circle((0, 0), 3, dxfattribs={"extrusion": (1, 0, 0)})
        space.add_linear_dim(base=(0, -3), p1=(0, 0), p2=(10, 0), override={"dimlfac": 1}).render()

    result = read_drawing(drawing(draw))
    assert len(result.linework) == 2
    assert dict(result.linework.skipped) == {
        "TEXT": 1,
        "MTEXT": 1,
        "HATCH": 1,
        "POINT": 1,
        "3DFACE": 1,
        "not parallel to the sheet": 1,
        "DIMENSION": 1,
    }
    assert result.linework.stated[0].drawn_mm == pytest.approx(10)


def test_what_a_curve_says_of_itself_and_is_not_is_a_finding(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    def draw(space: Any, document: Any) -> None:
        for x in (0, 40):
            space.add_lwpolyline([(x, 0), (x + 30, 0), (x + 30, 30), (x, 30)], close=True)
        space.add_line((5, 5, 0), (5, 25, 0.2))
        space.add_circle((50, 15), 5, dxfattribs={"extrusion": (1e-7, 0, 1)})
        for flags, poles in (
            (1, [(10, 5), (15, 12), (18, 3), (13, 5.5)]),
            (0, [(20, 5), (25, 12), (28, 3), (20, 5)]),
            (1, [(45, 22), (50, 29), (53, 20), (45, 22)]),
        ):
            space.add_open_spline(poles).dxf.flags = flags

    run = on_card(drawing(draw))
    look = run.workpiece.drawing.findings
    told = {
        f.kind: (f.size, f.words)
        for f in (*look.faults, *look.offered)
        if f.kind in ("off_plane", "closed_flag", "open_flag")
    }
    assert set(told) == {"off_plane", "closed_flag", "open_flag"}
    assert told["off_plane"][0] == pytest.approx(0.2)
    assert told["closed_flag"][0] == pytest.approx(math.hypot(3, 0.5))
    assert not run.workpiece.drawing.linework.skipped
    scaled = on_card(drawing(draw), ("scale", {"factor": 10}))
    assert max(m.size for m in scaled.workpiece.drawing.linework.marks) == pytest.approx(10 * math.hypot(3, 0.5))


def test_a_drawing_in_space_says_so(drawing: Callable[..., Path]) -> None:
    def draw(space: Any, document: Any) -> None:
        corners = [(x, y, z) for x in (0, 10) for y in (0, 10) for z in (0, 10)]
        for a in corners:
            for b in corners:
                if a < b and sum(p != q for p, q in zip(a, b, strict=True)) == 2:
                    space.add_line(a, b)

    result = read_drawing(drawing(draw))
    assert [n.code for n in result.linework.notes] == ["drawn_in_space"]

    def noisy(space: Any, document: Any) -> None:
        for n in range(20):
            space.add_line((0, n, 1e-4 * n), (50, n, 0))

    assert not read_drawing(drawing(noisy, name="noisy.dxf")).linework.notes


def test_a_cube_of_wires_is_told_from_a_flat_drawing(drawing: Callable[..., Path]) -> None:
    def draw(space: Any, document: Any) -> None:
        corners = list(itertools.product((0, 10), repeat=3))
        for a, b in itertools.combinations(corners, 2):
            if sum(p != q for p, q in zip(a, b, strict=True)) == 1:
                space.add_line(a, b)

    assert [n.code for n in read_drawing(drawing(draw)).linework.notes] == ["drawn_in_space"]


def test_layers_line_types_and_blocks_on_layer_nought(drawing: Callable[..., Path]) -> None:
    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("CENTER", [1.0, 0.5, -0.2, 0.1, -0.2])
        document.layers.add("AXES", linetype="CENTER", color=1)
        document.layers.add("OFF").off()
        space.add_line((0, 0), (9, 0), dxfattribs={"layer": "AXES"})
        space.add_line((0, 1), (9, 1), dxfattribs={"layer": "OFF"})
        block = document.blocks.new("B")
        block.add_line((0, 0), (1, 0))
        space.add_blockref("B", (0, 5), dxfattribs={"layer": "AXES"})

    linework = read_drawing(drawing(draw)).linework
    names = [linework.layers[i].name for i in linework.layer_of]
    assert names == ["AXES", "OFF", "AXES"]
    assert [layer.on for layer in linework.layers if layer.name == "OFF"] == [False]
    assert linework.is_guide.tolist() == [True, False, True]
    assert next(layer.colour for layer in linework.layers if layer.name == "AXES") == "#ff0000"


@pytest.mark.parametrize(
    ("units", "factor", "sizes", "proposed", "sure"),
    [
        (4, 1.0, 2, "mm", True),
        (1, 1.0, 2, "in", True),
        (0, 1.0, 2, "mm", False),
        (0, 25.4, 1, "in", False),
        (4, 2.0, 1, "mm", False),  # one size alone does not overrule the header
        (4, 2.0, 2, "2", False),  # drawn at 1 : 2
        (4, 25.4, 2, "in", False),  # inches that the header calls millimetres
        (1, 25.4, 2, "in", True),  # inches, sizes stated in millimetres
        (4, 1 / 25.4, 2, "mm", True),  # millimetres, sizes stated in inches
        (4, 1.37, 2, "mm", False),
    ],
)
def test_the_unit_is_weighed_by_header_and_stated_sizes(
    drawing: Callable[..., Path], units: int, factor: float, sizes: int, proposed: str, sure: bool
) -> None:
    def draw(space: Any, document: Any) -> None:
        space.add_line((0, 0), (10, 0))
        for reach in (10, 7)[:sizes]:
            space.add_linear_dim(base=(0, -3), p1=(0, 0), p2=(reach, 0), override={"dimlfac": factor}).render()

    result = read_drawing(drawing(draw, units=units))
    evidence = weigh_unit(result.linework, result.declared_unit)
    assert (evidence.proposed, evidence.sure) == (proposed, sure)


def test_a_count_before_a_size_is_no_size(drawing: Callable[..., Path]) -> None:
    def draw(space: Any, document: Any) -> None:
        space.add_line((0, 0), (10, 0))
        space.add_linear_dim(base=(0, -3), p1=(0, 0), p2=(10, 0), text="4 x 10 H7").render()

    assert read_drawing(drawing(draw)).linework.stated[0].stated == 10


def nested(levels: int, width: int) -> Callable[[Any, Any], None]:
    def draw(space: Any, document: Any) -> None:
        document.blocks.new("B0").add_line((0, 0), (1, 0))
        for n in range(1, levels):
            block = document.blocks.new(f"B{n}")
            for k in range(width):
                block.add_blockref(f"B{n - 1}", (k, 0))
        space.add_blockref(f"B{levels - 1}", (0, 0))

    return draw


def loop(space: Any, document: Any) -> None:
    a, b = document.blocks.new("A"), document.blocks.new("B")
    a.add_blockref("B", (0, 0))
    b.add_blockref("A", (0, 0))
    space.add_blockref("A", (0, 0))


def grid(space: Any, document: Any) -> None:
    document.blocks.new("A").add_line((0, 0), (1, 0))
    space.add_blockref(
        "A", (0, 0), dxfattribs={"row_count": 30000, "column_count": 30000, "row_spacing": 1, "column_spacing": 1}
    )


@pytest.mark.parametrize(
    ("draw", "error", "word"),
    [
        (nested(9, 10), OverLimit, "100\u202f000\u202f000"),
        (nested(40, 10), OverLimit, "curves"),
        (loop, UnreadableFile, "itself"),
        (grid, OverLimit, "900\u202f000\u202f000"),
    ],
)
def test_bombs_are_counted_before_they_are_laid_out(
    drawing: Callable[..., Path], draw: Any, error: type[TectogonError], word: str
) -> None:
    with pytest.raises(error, match=word):
        read_drawing(drawing(draw))


def test_too_many_entities_and_too_many_bytes(drawing: Callable[..., Path]) -> None:
    path = drawing(Figure().rectangle(0, 0, 10, 10).draw())
    with pytest.raises(OverLimit, match="entities"):
        read_drawing(path, limits=ReadLimits(max_entities=3))
    with pytest.raises(OverLimit, match="MB"):
        read_drawing(path, limits=ReadLimits(max_bytes=100))


def test_numbers_out_of_range_are_left_out_and_named(drawing: Callable[..., Path]) -> None:
    path = drawing(
        lambda space, _: [
            space.add_line((0, 0), (10, 0)),
            space.add_line((0, 0), (1e12, 0)),
            space.add_circle((5, 5), 777.25),
        ]
    )
    path.write_text(path.read_text().replace("777.25", "nan"))
    linework = read_drawing(path).linework
    assert len(linework) == 1
    assert dict(linework.skipped)["coordinates out of range"] == 2
    assert "not numbers" in linework.notes[0].text


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"hello",
        b"\x00" * 500,
        b"%PDF-1.4",
        b"  0\nSECTION\n  2\nENTITIES\n  0\nLINE\n 10\nabc\n",
        b"0\nSECTION\n" + b"\xff\x00" * 900,
    ],
)
def test_what_is_no_drawing_is_refused_in_a_sentence(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "wrong.dxf"
    path.write_bytes(content)
    with pytest.raises((UnreadableFile, UnsupportedFile)) as refused:
        read_drawing(path)
    assert "wrong.dxf" in refused.value.sentence


def test_truncated_and_flipped_files_never_leak_an_exception(drawing: Callable[..., Path], tmp_path: Path) -> None:
    whole = drawing(everything).read_bytes()
    chooser = np.random.default_rng(3)
    for n in range(40):
        data = bytearray(whole[: int(chooser.uniform(0.02, 1.0) * len(whole))])
        for at in chooser.integers(0, len(data), n % 4):
            data[at] ^= 1 << int(chooser.integers(0, 8))
        (tmp_path / "bad.dxf").write_bytes(bytes(data))
        try:
            read_drawing(tmp_path / "bad.dxf")
        except TectogonError as refused:
            assert refused.sentence.endswith((".", "!"))


@pytest.mark.parametrize("version", ["R12", "R2000", "R2010", "R2018"])
def test_profiles_written_are_read_back_the_same(tmp_path: Path, version: str) -> None:
    figure = Figure().rectangle(0, 0, 100, 60).slot(20, 30, 30, 8).circle(80, 30, 6).ellipse(60, 50, 6, 0.5)
    regions = figure.regions()
    (tmp_path / "out.dxf").write_bytes(regions_as_dxf([regions], None, version=version))
    auditor = ezdxf.readfile(tmp_path / "out.dxf").audit()
    assert not auditor.errors
    result = read_drawing(tmp_path / "out.dxf")
    again = Figure(result.linework.table.curves()).regions(1e-5)
    assert again.profiles[0].area == pytest.approx(regions.profiles[0].area, rel=1e-9 if version != "R12" else 1e-5)
    assert len(again.regions) == len(regions.regions)
    arcs = sum(1 for c in result.linework.table.curves() if type(c).__name__ == "Arc")
    assert arcs >= 3
    assert math.isfinite(regions.profiles[0].perimeter)


@pytest.mark.parametrize(
    ("name", "pattern", "hidden", "guide"),
    [
        ("DASHED", [1.5, 1.27, -0.254], True, False),
        ("ISO 02", [15.0, 12.0, -3.0], True, False),
        ("LONG", [25.0, 24.0, -1.0], True, False),
        ("ISO 10", [18.5, 12.0, -3.0, 0.5, -3.0], False, True),
        ("TWO DOTS", [22.0, 12.0, -3.0, 0.5, -3.0, 0.5, -3.0], False, True),
        ("CENTER", [2.0, 1.0, -1.0], False, True),
        ("CONTINUOUS TOO", [0.0], False, False),
    ],
)
def test_dashes_and_gaps_tell_hidden_lines_from_centre_lines(
    drawing: Callable[..., Path], name: str, pattern: list[float], hidden: bool, guide: bool
) -> None:
    """The gap of a dashed line is no short dash: with long dashes and short gaps it is hidden all the same."""

    def draw(space: Any, document: Any) -> None:
        document.linetypes.add(name, pattern)
        space.add_line((0, 0), (50, 0), dxfattribs={"linetype": name})
        space.add_line((0, 10), (50, 10))

    linework = read_drawing(drawing(draw)).linework
    assert linework.is_hidden.tolist() == [hidden, False]
    assert linework.is_guide.tolist() == [guide, False]


def test_diameters_and_radii_say_where_they_stand(drawing: Callable[..., Path]) -> None:
    def draw(space: Any, document: Any) -> None:
        space.add_circle((30, 20), 8)
        space.add_diameter_dim(center=(30, 20), radius=8, angle=45).render()
        space.add_radius_dim(center=(30, 20), radius=8, angle=120).render()

    stated = read_drawing(drawing(draw)).linework.stated
    assert [round(s.drawn_mm or 0, 9) for s in stated] == [16, 8]
    for size in stated:
        centre, rim = np.array(size.points)
        assert centre == pytest.approx((30, 20)) and np.hypot(*(rim - centre)) == pytest.approx(8)


def inch_sheet(space: Any, *texts: str, factor: float = 1.0, height: float = 0.12) -> None:
    """A plate of 6 × 3.5 with holes of 1/4, drawn in inches, with texts."""
    space.add_lwpolyline([(x * factor, y * factor) for x, y in ((0, 0), (6, 0), (6, 3.5), (0, 3.5))], close=True)
    for x in (1, 2, 3, 4):
        space.add_circle((x * factor, factor), 0.125 * factor)
    for n, text in enumerate(texts):
        space.add_text(text, height=height * factor, dxfattribs={"insert": (7 * factor, n * factor)})


@pytest.mark.parametrize(
    ("units", "factor", "texts", "proposed", "sure"),
    [
        (4, 1.0, ["ALL DIMENSIONS IN INCHES", "1/4 PLATE"], "in", False),  # the header says mm, the sheet inches
        (4, 1.0, ["BRACKET", "REV A"], "mm", False),  # texts of 0.12 mm
        (1, 1.0, ["ALL DIMENSIONS IN INCHES"], "in", True),
        (1, 1.0, ["ALLE MASSE IN MM"], "in", False),
        (0, 1.0, ["UNLESS OTHERWISE SPECIFIED DIMENSIONS ARE IN INCHES"], "in", True),
        (0, 25.4, ["Cotes en mm"], "mm", True),
        (4, 25.4, ["QUOTE IN mm", "FINISH 1/2"], "mm", True),
        (4, 25.4, ["SHEET 1/2", "SCALE 1/4", "G 1/4 BSP"], "mm", True),
        (4, 25.4, ["MATERIAL: STEEL", "IN STOCK"], "mm", True),
        (4, 25.4, ["3/8 DRILL"], "mm", False),
    ],
)
def test_what_is_seen_on_the_sheet_is_evidence_for_its_unit(
    drawing: Callable[..., Path], units: int, factor: float, texts: list[str], proposed: str, sure: bool
) -> None:
    result = read_drawing(drawing(lambda space, _: inch_sheet(space, *texts, factor=factor), units=units))
    evidence = weigh_unit(result.linework, result.declared_unit)
    assert (evidence.proposed, evidence.sure) == (proposed, sure), evidence.facts
    assert evidence.sure or any(not fact.agrees for fact in evidence.facts)


@pytest.mark.parametrize(
    ("text", "unit"),
    [
        ("DIMENSIONS IN MILLIMETRES", "mm"),
        ("DIMS IN INCHES UNLESS NOTED", "in"),
        ("UNITS: MM", "mm"),
        ("Maße in mm", "mm"),
        ("Alle Abmessungen in Millimeter", "mm"),
        ("COTES EN MILLIMÈTRES", "mm"),
        ("QUOTE IN MILLIMETRI", "mm"),
        ("COTAS EN PULGADAS", "in"),
        ("DIMENSIONS ARE IN IN.", "in"),
        ("DIMENSION 12 IN FRONT VIEW", None),
        ("INSTALL IN HOUSING", None),
        ("TOLERANCE 0.1 MM", None),
        ("UNIT A", None),
        ("MASS 0.3 KG", None),
    ],
)
def test_a_unit_that_is_written_out_is_read(text: str, unit: str | None) -> None:
    assert written_unit([text]) == unit
