"""The reader over columns against the usual way: the same linework, number for number, whatever stands between the
plain entities."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tectogon.formats import ReadLimits, ReadOptions, dxf, dxf_columns
from tectogon.formats.result import ReadResult
from tectogon.linework import Linework

DEMO = sorted((Path(__file__).resolve().parents[2] / "demo" / "files").glob("*.dxf"))


def both_ways(path: Path) -> tuple[ReadResult, ReadResult, int]:
    """The file read over columns, the usual way, and how many curves and placements came as columns."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(dxf_columns, "_FEWEST", 1)
        columns = dxf_columns.read_columns(path.read_bytes())
        fast = dxf.read(path, ReadLimits(), ReadOptions())
        patch.setattr(dxf, "read_columns", lambda data: None)
        usual = dxf.read(path, ReadLimits(), ReadOptions())
    return fast, usual, sum(len(b.table) + len(b.inserts.blocks) for b in columns.bulks.values()) if columns else 0


def assert_same(a: Linework, b: Linework) -> None:
    assert a.ids == b.ids
    plain = a.table.kind != 3
    assert np.array_equal(a.table.kind, b.table.kind)
    assert np.array_equal(a.table.data[plain], b.table.data[plain], equal_nan=True)
    for s, t in zip(a.table.splines, b.table.splines, strict=True):
        assert s.degree == t.degree
        assert np.array_equal(s.poles, t.poles)
        assert np.array_equal(s.knots, t.knots)
        assert (s.weights is None) == (t.weights is None)
    for name in ("layer_of", "linetype_of", "colour_of"):
        assert np.array_equal(getattr(a, name), getattr(b, name)), name
    for name in ("layers", "linetypes", "colours", "blocks", "texts", "stated", "entities", "skipped", "notes"):
        assert getattr(a, name) == getattr(b, name), name


@pytest.mark.parametrize("path", DEMO, ids=lambda p: p.stem)
def test_every_sample_reads_the_same(path: Path) -> None:
    fast, usual, count = both_ways(path)
    assert_same(fast.linework, usual.linework)
    assert count > 0
    assert (fast.version, fast.declared_unit) == (usual.version, usual.declared_unit)


number = st.one_of(st.floats(-1e4, 1e4), st.integers(-50, 50).map(float), st.sampled_from([0.0, 1e-9, 12.5, 1e9]))
point = st.tuples(number, number)
looks = st.fixed_dictionaries(
    {},
    optional={
        "layer": st.sampled_from(["0", "OUTLINE", "outline", "NOT IN THE TABLE", "Naht ä"]),
        "linetype": st.sampled_from(["CENTER", "ByLayer", "BYBLOCK", "NOT THERE"]),
        "color": st.sampled_from([0, 1, 7, 256, 255]),
        "true_color": st.integers(0, 0xFFFFFF),
        "invisible": st.sampled_from([0, 1]),
        "lineweight": st.just(25),
    },
)
facing = st.sampled_from([{}, {}, {}, {"extrusion": (0, 0, -1)}, {"extrusion": (0, 1, 0)}])


def angles() -> Any:
    return st.one_of(st.floats(-720, 720), st.sampled_from([0.0, 90.0, 360.0]))


entity = st.one_of(
    st.tuples(st.just("line"), point, point, st.sampled_from([0.0, 0.0, 3.0]), looks),
    st.tuples(st.just("arc"), point, st.one_of(st.floats(0.01, 99), st.just(0.0)), angles(), angles(), looks, facing),
    st.tuples(st.just("circle"), point, st.floats(0.01, 99), looks, facing),
    st.tuples(st.just("ellipse"), point, point, st.floats(0.01, 1.0), st.floats(0, 7), st.floats(0, 7), looks),
    st.tuples(
        st.just("polyline"),
        st.lists(st.tuples(number, number, st.sampled_from([0.0, 0.0, 0.5, -1.0, 1e-14])), max_size=6),
        st.booleans(),
        looks,
        facing,
    ),
    st.tuples(st.just("old polyline"), st.lists(point, min_size=2, max_size=4), looks),
    st.tuples(st.just("spline"), st.lists(point, min_size=4, max_size=8), looks),
    st.tuples(st.just("fit"), st.lists(point, min_size=3, max_size=5, unique=True), looks),
    st.tuples(
        st.just("insert"),
        st.sampled_from(["INNER", "OUTER", "NOWHERE"]),
        point,
        st.sampled_from([1.0, 2.0, -1.5]),
        st.sampled_from([1.0, 2.0]),
        angles(),
        looks,
    ),
    st.tuples(st.just("grid"), point, st.integers(1, 3), looks),
    st.tuples(st.just("text"), point, looks),
    st.tuples(st.just("dimension"), point, point),
)


def add(space: Any, kind: str, *v: Any) -> None:
    if kind == "line":
        space.add_line(v[0], (*v[1], v[2]), dxfattribs=v[3])
    elif kind == "arc":
        space.add_arc(v[0], v[1], v[2], v[3], dxfattribs=v[4] | v[5])
    elif kind == "circle":
        space.add_circle(v[0], v[1], dxfattribs=v[2] | v[3])
    elif kind == "ellipse":
        if abs(v[1][0]) + abs(v[1][1]) > 1e-6:
            space.add_ellipse(v[0], v[1], v[2], v[3], v[4], dxfattribs=v[5])
    elif kind == "polyline":
        space.add_lwpolyline(v[0], format="xyb", close=v[1], dxfattribs=v[2] | v[3])
    elif kind == "old polyline":
        space.add_polyline2d(v[0], dxfattribs=v[1])
    elif kind == "spline":
        space.add_open_spline(v[0], dxfattribs=v[1])
    elif kind == "fit":
        space.add_spline(v[0], dxfattribs=v[1])
    elif kind == "insert":
        space.add_blockref(v[0], v[1], dxfattribs={**v[5], "xscale": v[2], "yscale": v[3], "rotation": v[4]})
    elif kind == "grid":
        space.add_blockref(
            "INNER",
            v[0],
            dxfattribs={
                **v[2],
                "row_count": v[1],
                "column_count": 2,
                "row_spacing": 3,
                "column_spacing": 4,
                "rotation": 30,
            },
        )
    elif kind == "text":
        space.add_text("noted", dxfattribs=v[1]).set_placement(v[0])
    else:
        space.add_linear_dim(base=(0, 0), p1=v[0], p2=v[1]).render()


@settings(max_examples=60, deadline=None)
@given(
    model=st.lists(entity, max_size=12),
    block=st.lists(entity, max_size=4),
    version=st.sampled_from(["R12", "R2000", "R2007", "R2018"]),
)
def test_whatever_is_drawn_reads_the_same(
    tmp_path_factory: pytest.TempPathFactory, model: list[Any], block: list[Any], version: str
) -> None:
    document = ezdxf.new("R2018", setup=True)
    document.layers.add("OUTLINE", color=3, linetype="DASHED")
    document.blocks.new("INNER").add_line((0, 0), (1, 2))
    outer = document.blocks.new("OUTER", base_point=(2, 1))
    outer.add_blockref("INNER", (3, 0), dxfattribs={"xscale": 2})
    for kind, *values in block:
        if kind != "insert" or values[0] != "OUTER":
            add(outer, kind, *values)
    for kind, *values in model:
        add(document.modelspace(), kind, *values)
    document.dxfversion = (
        version
        if version != "R12"
        or all(k in ("line", "arc", "circle", "text", "insert", "grid", "old polyline") for k, *_ in model + block)
        else "R2000"
    )
    stream = io.StringIO()
    document.write(stream)
    path = tmp_path_factory.mktemp("drawn") / "drawn.dxf"
    path.write_bytes(stream.getvalue().encode(document.output_encoding, "dxfreplace"))
    fast, usual, _ = both_ways(path)
    assert_same(fast.linework, usual.linework)


@pytest.mark.parametrize(
    "swap",
    [
        (b"AcDbCircle\n", b"AcDbCircle\r\n"),
        (b"\n 40\n", b"\n40\n"),
        (b" 10\n", b" 1O\n"),
        (b"\n8\nOUT\n", b"\n8\n\n"),
        (b"5.0\n", b"5,0\n"),
        (b"5.0\n", b"nan\n"),
    ],
)
def test_files_laid_out_otherwise_read_the_same_or_are_refused_the_same(
    tmp_path: Path, swap: tuple[bytes, bytes]
) -> None:
    document = ezdxf.new("R2010")
    document.layers.add("OUT")
    for n in range(4):
        document.modelspace().add_circle((n, 5), 5.0, dxfattribs={"layer": "OUT"})
    path = tmp_path / "odd.dxf"
    document.saveas(path)
    path.write_bytes(path.read_bytes().replace(*swap))
    outcomes = []
    for read_columns in (dxf_columns.read_columns, lambda data: None):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(dxf_columns, "_FEWEST", 1)
            patch.setattr(dxf, "read_columns", read_columns)
            try:
                outcomes.append(dxf.read(path, ReadLimits(), ReadOptions()).linework)
            except Exception as refused:
                outcomes.append(str(refused))
    first, second = outcomes
    if isinstance(first, Linework) and isinstance(second, Linework):
        assert_same(first, second)
    else:
        assert first == second
