"""Gerber and drill files against closed forms: apertures, macros, polarity, regions, arcs, step-and-repeat, both
units."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from tectogon.curves import ARC
from tectogon.errors import OverLimit, UnreadableFile
from tectogon.formats import ReadResult, read_drawing
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
