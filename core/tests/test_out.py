"""Linework out again: what is written reads back as the same curves, in every format."""

from __future__ import annotations

from pathlib import Path

import ezdxf
import numpy as np
import pytest
from figures import Figure, by_level
from tectogon.errors import NothingToBuild
from tectogon.formats import ReadOptions, read_drawing
from tectogon.formats.coordinates_out import linework_as_coordinates
from tectogon.formats.dxf_out import linework_as_dxf
from tectogon.formats.svg_out import linework_as_svg
from tectogon.linework import Layer, LineType, Linework
from tectogon.profiles import find_regions
from tectogon.profiles.chains import find_chains


def art() -> Figure:
    figure = (
        Figure().rectangle(0, 0, 100, 60).circle(20, 20, 8, start=0.7).slot(60, 20, 15, 5).ellipse(30, 45, 12, 0.4, 0.3)
    )
    figure.spline((60, 40), (70, 58), (90, 55), (92, 42)).line(92, 42, 60, 40).line(5, 5, 9, 12)
    return figure


def as_linework(figure: Figure) -> Linework:
    n = len(figure.curves)
    layers = (Layer("OUT: side/1"), Layer("holes ä"))
    return Linework(
        figure.table,
        tuple(f"c{i}" for i in range(n)),
        (np.arange(n) > 3).astype(np.int64),
        (np.arange(n) == n - 1).astype(np.int64),
        np.zeros(n, np.int64),
        layers,
        (LineType("CONTINUOUS"), LineType("CENTER", (8.0, -2.0, 1.0, -2.0))),
        ("#000000",),
    )


def levels(linework: Linework, tol: float = 1e-6) -> list[tuple[int, float, int]]:
    return by_level(find_regions(linework.table, linework.ids, join_tol=tol))


@pytest.mark.parametrize("version", ["R12", "R2000", "R2018"])
def test_dxf_reads_back_as_the_same_regions(tmp_path: Path, version: str) -> None:
    before = as_linework(art())
    path = tmp_path / "out.dxf"
    path.write_bytes(linework_as_dxf(before, version=version))
    after = read_drawing(path).linework
    for (level, area, holes), (level2, area2, holes2) in zip(levels(before), levels(after), strict=True):
        assert (level, holes) == (level2, holes2)
        assert area2 == pytest.approx(area, rel=1e-9 if version != "R12" else 2e-4)
    assert {layer.name for layer in after.layers} >= {"OUT- side-1", "holes ä"}
    assert int(after.is_guide.sum()) == 1
    kinds = [e.dxftype() for e in ezdxf.readfile(path).modelspace()]
    assert (
        kinds.count("POLYLINE" if version == "R12" else "LWPOLYLINE") >= 2
    )  # the rectangle and the slot are each one closed polyline


def test_svg_reads_back_as_the_same_curves(tmp_path: Path) -> None:
    before = as_linework(art())
    path = tmp_path / "out.svg"
    path.write_bytes(linework_as_svg(before))
    result = read_drawing(path)
    assert result.declared_unit in ("mm", "1")
    for a, b in zip(levels(before), levels(result.linework), strict=True):
        assert (a[0], a[2]) == (b[0], b[2])
        assert b[1] == pytest.approx(a[1], rel=1e-7)


def test_coordinates_read_back_within_the_chord_tolerance(tmp_path: Path) -> None:
    before = as_linework(Figure().rectangle(0, 0, 100, 60).circle(20, 20, 8))
    path = tmp_path / "out.dat"
    path.write_bytes(linework_as_coordinates(before, chord_tol=1e-3))
    result = read_drawing(path, ReadOptions(curve="polyline"))
    assert [c.closed for c in result.curve_sets] == [True, True]
    assert [area for _, area, _ in levels(result.linework)] == pytest.approx(
        [area for _, area, _ in levels(before)], rel=1e-3
    )


def test_nothing_is_refused_in_words() -> None:
    for write in (linework_as_dxf, linework_as_svg, linework_as_coordinates):
        with pytest.raises(NothingToBuild, match="no linework"):
            write(Linework())


def test_chains_hold_every_curve_once_whatever_the_order() -> None:
    figure = (
        Figure()
        .rectangle(0, 0, 10, 10)
        .circle(5, 5, 2)
        .chain((20, 0), (30, 0), (30, 10), close=False)
        .line(30, 0, 40, 0)
    )
    for seed in range(8):
        table = figure.shuffled(seed).table
        chains = find_chains(table, join_tol=1e-6)
        assert sorted(r for c in chains for r in c.rows.tolist()) == list(range(len(table)))
        assert sorted((len(c.rows), c.closed) for c in chains) == [
            (1, False),
            (1, False),
            (1, False),
            (1, True),
            (4, True),
        ]
