"""Gerber and drill files against closed forms: apertures, macros, polarity, regions, arcs, step-and-repeat, both
units."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from tectogon.curves import ARC
from tectogon.errors import OverLimit, UnreadableFile
from tectogon.formats import ReadOptions, ReadResult, read_drawing
from tectogon.profiles import find_regions
from tectogon.units import mm_per_unit
from tectogon.workpiece.model import Drawing

HEAD = (
    "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,2.0*%\n%ADD11R,4.0X3.0*%\n%ADD12C,6.0X2.0*%\n%ADD13O,6.0X2.0*%\n%ADD14P,4.0X6*%\n"
)
HEAD += "%AMRING*1,1,5,0,0*1,0,3,0,0*%\n%AMKEY*21,1,$1,$2,0,0,$3*%\n%ADD15RING*%\n%ADD16KEY,6X2X30*%\n%LPD*%\n"
SQUARE = "G36*\nX0Y0D02*\nX20000000Y0D01*\nX20000000Y20000000D01*\nX0Y20000000D01*\nX0Y0D01*\nG37*\n"


def read(folder: Path, text: str, name: str = "board.gbr") -> ReadResult:
    (folder / name).write_text(text)
    return read_drawing(folder / name)


def area(result: ReadResult) -> float:
    scaled = result.linework.scaled(mm_per_unit(result.declared_unit or "mm"))
    return sum(r.area for r in Drawing(scaled).regions.profiles)


@pytest.mark.parametrize(
    ("body", "expected"),
    [
        ("D10*\nX0Y0D03*\n", math.pi),
        ("D11*\nX0Y0D03*\n", 12),
        ("D12*\nX0Y0D03*\n", 8 * math.pi),
        ("D13*\nX0Y0D03*\n", 8 + math.pi),
        ("D14*\nX0Y0D03*\n", 6 * 0.5 * 4 * math.sin(math.radians(60))),
        ("D15*\nX0Y0D03*\n", math.pi * 4),
        ("D16*\nX0Y0D03*\n", 12),
        ("D10*\nX0Y0D02*\nX10000000Y0D01*\n", 20 + math.pi),
        ("D10*\nX0Y0D02*\nX10000000Y0D01*\nX10000000Y10000000D01*\n", 39 + 1.25 * math.pi),
        ("G75*\nG03*\nD10*\nX10000000Y0D02*\nX0Y10000000I-10000000J0D01*\n", 10 * math.pi + math.pi),
        (SQUARE, 400),
        (SQUARE + "%LPC*%\nD10*\nX10000000Y10000000D03*\n", 400 - math.pi),
        (SQUARE + "%LPC*%\nD11*\nX10000000Y10000000D03*\n%LPD*%\nD10*\nX10000000Y10000000D03*\n", 400 - 12 + math.pi),
        ("D10*\nX0Y0D03*\nD15*\nX0Y0D03*\n", 5 * math.pi),
        ("%SRX3Y2I5.0J6.0*%\nD10*\nX0Y0D03*\nX0Y2500000D03*\n%SR*%\n", 12 * math.pi),
    ],
)
def test_what_is_painted(tmp_path: Path, body: str, expected: float) -> None:
    assert area(read(tmp_path, HEAD + body + "M02*\n")) == pytest.approx(expected, rel=1e-9)


def test_inches_and_true_arcs(tmp_path: Path) -> None:
    result = read(tmp_path, (HEAD + "D10*\nX0Y0D03*\nM02*\n").replace("MOMM", "MOIN"))
    assert (result.declared_unit, result.format) == ("in", "Gerber")
    assert area(result) == pytest.approx(math.pi * 25.4**2, rel=1e-12)
    assert set(result.linework.table.kind) == {ARC}


@pytest.mark.parametrize(("unit", "scale"), [("METRIC,TZ", 1.0), ("INCH,TZ", 25.4)])
def test_drill_holes_are_circles(tmp_path: Path, unit: str, scale: float) -> None:
    text = (
        f"M48\n{unit}\nT1C{3.0 / scale:.4f}\nT2C{1.0 / scale:.4f}\n%\nG90\nG05\n"
        f"T1\nX{10 / scale:.4f}Y{5 / scale:.4f}\nT2\nX{2 / scale:.4f}Y{2 / scale:.4f}\nM30\n"
    )
    result = read(tmp_path, text, "board.drl")
    assert dict(result.linework.entities) == {"hole": 2}
    assert area(result) == pytest.approx(math.pi * (1.5**2 + 0.5**2), rel=2e-3 if scale > 1 else 1e-9)


@pytest.mark.parametrize(
    ("text", "error", "words"),
    [
        (HEAD + "%SRX10000Y10000I1J1*%\nD10*\nX0Y0D03*\n%SR*%\nM02*\n", OverLimit, "step-and-repeat"),
        (HEAD + "D77*\nX0Y0D03*\nM02*\n", UnreadableFile, "damaged"),
        (HEAD + "M02*\n", UnreadableFile, "paints nothing"),
        (HEAD + "\x00D10*\n", UnreadableFile, "zero bytes"),
    ],
)
def test_broken_and_hostile_files_are_refused(tmp_path: Path, text: str, error: type[Exception], words: str) -> None:
    with pytest.raises(error, match=words):
        read(tmp_path, text)


EDGE = "G04 %s*\n%%FSLAX46Y46*%%\n%%MOMM*%%\n%%LPD*%%\n%%ADD10C,%s*%%\nD10*\nG01*\n%s\nM02*\n"


def draws(*points: tuple[float, float]) -> str:
    words = [f"X{x * 1e6:.0f}Y{y * 1e6:.0f}D0{1 if n else 2}*" for n, (x, y) in enumerate(points)]
    return "\n".join(words)


BOARD = [(0, 0), (40, 0), (40, 25), (0, 25), (0, 0)]
SLOT = [(10, 10), (14, 10), (14, 12), (10, 12), (10, 10)]


@pytest.mark.parametrize("pen", ["0.1", "0.2", "1.0"])
@pytest.mark.parametrize("says", ["", "#@! TF.FileFunction,Profile,NP"])
def test_an_edge_is_the_centre_line_of_the_pen_that_drew_it(tmp_path: Path, pen: str, says: str) -> None:
    path = tmp_path / "board outline.gbr"
    path.write_text(EDGE % (says, pen, draws(*BOARD) + "\n" + draws(*SLOT)))
    found = read_drawing(path).linework
    regions = find_regions(found.table, found.ids, join_tol=1e-6)
    assert regions.profiles[0].area == pytest.approx(40 * 25 - 4 * 2, abs=1e-6)
    assert [layer.name for layer in found.layers] == ["edge"]
    inked = read_drawing(path, ReadOptions(edge="inked")).linework
    assert inked.extents[2] - inked.extents[0] == pytest.approx(40 + float(pen), abs=1e-6)


def test_conductors_and_legends_are_inked_and_called_as_they_say(tmp_path: Path) -> None:
    track = draws((0, 0), (10, 0), (10, 10))
    for says, name, layer in (
        ("#@! TF.FileFunction,Copper,L1,Top", "a.gbr", "copper top"),
        ("#@! TF.FileFunction,Legend,Bot", "a.gbr", "legend bottom"),
        ("", "bridge 4-F_Cu.gbr", "bridge 4-F_Cu"),
    ):
        (tmp_path / name).write_text(EDGE % (says, "0.5", track))
        found = read_drawing(tmp_path / name).linework
        assert [one.name for one in found.layers] == [layer]
        assert found.extents[3] - found.extents[1] == pytest.approx(10.5, abs=1e-6)
