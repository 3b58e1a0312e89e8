"""DWG against the same drawing in DXF, curve by curve; damage is noticed where the version has check sums."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace
from typing import Any

import ezdwg
import ezdxf
import numpy as np
import pytest
from tectogon.errors import UnreadableFile
from tectogon.formats import ReadResult, read_drawing
from tectogon.formats.dwg import _made

ENTITIES: list[tuple[str, tuple[Any, ...], dict[str, Any]]] = [
    ("line", ((0, 0, 0), (10, 5, 0)), {}),
    ("circle", ((5, 5, 0), 3), {}),
    ("arc", ((1, 2, 0), 4, 10, 100), {}),
    ("arc", ((1, 2, 0), 4, 350, 20), {"extrusion": (0, 0, -1)}),
    ("ellipse", ((9, 9, 0), (4, 1, 0), 0.5, 0.3, 3.0), {}),
    ("lwpolyline", ([(0, 0), (5, 0), (5, 5)],), {"bulges": [0.3, 0, -0.2], "closed": True}),
    ("lwpolyline", ([(0, 9), (5, 9), (5, 12)],), {"bulges": [0, 1, 0], "closed": False}),
    ("polyline2d", ([(20, 0), (25, 0), (25, 8)],), {"bulges": [0.1, 0, 0], "closed": True}),
    (
        "spline",
        ([(0, 0, 0), (2, 5, 0), (6, -3, 0), (9, 1, 0), (12, 4, 0)],),
        {"degree": 3, "knots": [0, 0, 0, 0, 0.4, 1, 1, 1, 1], "weights": [1, 2, 1, 1, 0.5]},
    ),
    ("text", ("PLATE 12", (0, 0, 0), 2.5), {}),
    ("blockref", ("OUTER", (20, 20, 0)), {"scale": (-1, 1, 1), "rotation": 15}),
    ("blockref", ("OUTER", (60, 20, 0)), {"scale": (2, 0.5, 1), "rotation": 40}),
    ("line", ((0, 0, 0), (10, 5, 7)), {}),
]


def write_dwg(path: Path) -> Path:
    drawing = ezdwg.new()
    drawing.header["insunits"] = 1
    drawing.layers["PLATE"] = {"color_index": 3}
    bolt = drawing.blocks.new("BOLT")
    bolt.add_circle((0, 0, 0), 2.0)
    bolt.add_line((0, 0, 0), (5, 0, 0))
    drawing.blocks.new("OUTER", base_point=(1, 1, 0)).add_blockref("BOLT", (3, 3, 0), scale=(2, 1, 1), rotation=30)
    space = drawing.modelspace()
    for n, (kind, args, more) in enumerate(ENTITIES):
        getattr(space, f"add_{kind}")(*args, **more, layer="PLATE" if n % 2 else "0")
    drawing.save(str(path))
    return path


def write_dxf(path: Path) -> Path:
    document = ezdxf.new("R2000", units=1)
    document.layers.add("PLATE", color=3)
    bolt = document.blocks.new("BOLT")
    bolt.add_circle((0, 0), 2.0)
    bolt.add_line((0, 0), (5, 0))
    document.blocks.new("OUTER", base_point=(1, 1, 0)).add_blockref(
        "BOLT", (3, 3), dxfattribs={"xscale": 2, "yscale": 1, "rotation": 30}
    )
    space = document.modelspace()
    for n, (kind, args, more) in enumerate(ENTITIES):
        common = {"layer": "PLATE" if n % 2 else "0"}
        if kind == "spline":
            space.add_rational_spline(args[0], more["weights"], more["degree"], more["knots"], dxfattribs=common)
        elif kind in ("lwpolyline", "polyline2d"):
            points = [(x, y, b) for (x, y), b in zip(args[0], more["bulges"], strict=True)]
            (space.add_lwpolyline if kind == "lwpolyline" else space.add_polyline2d)(
                points, format="xyb", close=more["closed"], dxfattribs=common
            )
        elif kind == "blockref":
            space.add_blockref(
                args[0],
                args[1],
                dxfattribs={
                    **common,
                    "xscale": more["scale"][0],
                    "yscale": more["scale"][1],
                    "rotation": more["rotation"],
                },
            )
        elif kind == "text":
            space.add_text(args[0], dxfattribs={**common, "height": args[2]})
        else:
            getattr(space, f"add_{kind}")(*args, dxfattribs={**common, **more})
    document.saveas(path)
    return path


def rows(result: ReadResult) -> list[tuple[Any, ...]]:
    """Every curve as kind, layer, colour, its ends, its middle and its length; sorted, since handles differ between the
    files."""
    linework = result.linework
    table = linework.table
    every = np.arange(len(table))
    points = np.column_stack([table.points(every, np.full(len(table), t)) for t in (0.0, 0.5, 1.0)])
    return sorted(
        (
            int(table.kind[i]),
            linework.layers[linework.layer_of[i]].name,
            linework.colours[linework.colour_of[i]],
            linework.linetypes[linework.linetype_of[i]].name.upper(),
            *np.round([*points[i], table.lengths[i]], 9).tolist(),
        )
        for i in every.tolist()
    )


def test_a_dwg_reads_as_the_same_drawing_in_dxf(tmp_path: Path) -> None:
    dwg, dxf = read_drawing(write_dwg(tmp_path / "a.dwg")), read_drawing(write_dxf(tmp_path / "a.dxf"))
    ours, theirs = rows(dwg), rows(dxf)
    assert len(ours) == len(theirs) > 15
    for a, b in zip(ours, theirs, strict=True):
        assert a[:4] == b[:4]
        assert a[4:] == pytest.approx(b[4:], abs=1e-8)
    assert dwg.declared_unit == dxf.declared_unit == "in"
    assert dwg.linework.skipped == dxf.linework.skipped
    assert dwg.linework.entities == dxf.linework.entities
    assert [t.text for t in dwg.linework.texts] == ["PLATE 12"]
    assert dwg.version == "R2000"


def test_damage_is_noticed(tmp_path: Path) -> None:
    data = bytearray(write_dwg(tmp_path / "a.dwg").read_bytes())
    assert not read_drawing(tmp_path / "a.dwg").linework.notes
    chooser = np.random.default_rng(5)
    said = 0
    for _ in range(60):
        bad = bytearray(data)
        at = int(chooser.integers(1152, 2600))  # where the objects lie
        bad[at] ^= 1 << int(chooser.integers(0, 8))
        (tmp_path / "b.dwg").write_bytes(bad)
        try:
            said += any(n.code == "check_sum" for n in read_drawing(tmp_path / "b.dwg").linework.notes)
        except UnreadableFile:
            said += 1
    assert said >= 58  # the rest hits the gaps between objects


@pytest.mark.parametrize("data", [b"AC1009" + bytes(200), b"AC1015" + bytes(400), b"AC1032" + b"\x55" * 5000])
def test_what_can_t_be_decoded_is_refused(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "x.dwg").write_bytes(data)
    with pytest.raises(UnreadableFile, match=r"x\.dwg"):
        read_drawing(tmp_path / "x.dwg")


def test_a_truncated_file_is_refused_or_its_damage_told(tmp_path: Path) -> None:
    data = write_dwg(tmp_path / "a.dwg").read_bytes()
    for share in np.linspace(0.05, 0.98, 15):
        (tmp_path / "c.dwg").write_bytes(data[: int(len(data) * share)])
        with pytest.raises(UnreadableFile):
            read_drawing(tmp_path / "c.dwg")


def test_an_entity_of_a_kind_that_is_not_known_keeps_its_handle() -> None:
    made = _made(SimpleNamespace(dxftype="NEWER_THAN_US", handle=0x2A, dxf={}), {})
    assert (made.dxftype(), made.dxf.handle) == ("NEWER_THAN_US", "2A")


def test_polylines_in_columns_are_those_read_one_by_one() -> None:
    """Many polylines at once, open and closed, with bulges and doubled corners, against each by itself."""
    from tectogon.curves import CurveTable
    from tectogon.formats.dxf_columns import polyline_pieces
    from tectogon.formats.entity_curves import polyline_curves

    chance = np.random.default_rng(4)
    corners, owner, closed, single = [], [], [], []
    for n in range(60):
        count = int(chance.integers(2, 9))
        points = chance.integers(0, 6, (count, 2)).astype(float)
        bulge = np.where(chance.random(count) < 0.4, chance.normal(0, 0.6, count), 0.0)
        shut = bool(chance.random() < 0.5)
        corners += np.column_stack([points, bulge]).tolist()
        owner += [n] * count
        closed += [shut] * count
        single += [
            (n, c) for c in polyline_curves([[*p, b] for p, b in zip(points.tolist(), bulge, strict=True)], shut)
        ]
    x, y, bulge = np.array(corners).T
    kind, numbers, of = polyline_pieces(x, y, bulge, np.array(owner), np.array(closed))
    truth = CurveTable.of([c for _, c in single])
    assert of.tolist() == [n for n, _ in single]
    assert kind.tolist() == truth.kind.tolist()
    assert np.abs(numbers - truth.data).max() < 1e-12
