"""Coordinate tables in every order and dress; areas against closed forms and against the integral of the section."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from tectogon.errors import UnreadableFile
from tectogon.formats import ReadOptions, ReadResult, read_drawing
from tectogon.workpiece.model import Drawing

THICK = 0.12


def half(x: np.ndarray) -> np.ndarray:
    """Half thickness of a symmetric section whose tail closes: a polynomial with a root term, so its area is known."""
    return 5 * THICK * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)


AREA = 2 * 5 * THICK * (0.2969 * 2 / 3 - 0.1260 / 2 - 0.3516 / 3 + 0.2843 / 4 - 0.1036 / 5)
X = (1 - np.cos(np.linspace(0, math.pi, 61))) / 2
AROUND = np.concatenate([np.column_stack([X[::-1], half(X[::-1])]), np.column_stack([X[1:], -half(X[1:])])])
UPPER, LOWER = np.column_stack([X, half(X)]), np.column_stack([X, -half(X)])


def rows(points: np.ndarray, mark: str = " ", form: str = "{:.6f}", comma: bool = False) -> str:
    text = "\n".join(mark.join(form.format(v) for v in p) for p in points)
    return text.replace(".", ",") if comma else text


def read(folder: Path, text: str, name: str = "fin.dat", **options: object) -> ReadResult:
    (folder / name).write_text(text)
    return read_drawing(folder / name, ReadOptions.model_validate(options))


def area(result: ReadResult) -> float:
    return sum(r.area for r in Drawing(result.linework.scaled(100.0)).regions.profiles) / 1e4


INDEXED = np.column_stack([np.arange(1, len(AROUND) + 1), AROUND])
DEEP = np.column_stack([AROUND, np.full(len(AROUND), 3.5)])


@pytest.mark.parametrize(
    "text",
    [
        rows(AROUND),
        "KEEL FIN 12 %\n" + rows(AROUND, "  "),
        "# made up\nname\n" + rows(AROUND, ","),
        rows(AROUND, ", "),
        rows(AROUND, ";"),
        rows(AROUND, ";", comma=True),
        rows(AROUND, "\t", comma=True),
        rows(AROUND, " ", comma=True),
        rows(AROUND, "\t"),
        rows(AROUND, "  ", "{:.7e}"),
        rows(INDEXED, " ", "{:g}"),
        rows(DEEP),
        rows(AROUND).replace("\n", "\r\n"),
        "FIN\n 61. 61.\n\n" + rows(UPPER) + "\n\n" + rows(LOWER),
        "FIN\n" + rows(UPPER) + "\n\n" + rows(LOWER),
        "FIN\n" + rows(UPPER) + "\n" + rows(LOWER),
    ],
)
def test_every_dress_gives_the_same_section(tmp_path: Path, text: str) -> None:
    result = read(tmp_path, text)
    (found,) = result.curve_sets
    assert (found.points, found.closed, found.trailing_edge) == (120, True, "sharp")
    assert found.chord == pytest.approx(1, abs=2e-3)
    assert area(result) == pytest.approx(AREA, rel=2e-4)
    assert len(result.linework) == 1


def test_a_blunt_tail_is_closed_by_a_straight_line_or_left_open_or_pulled_together(tmp_path: Path) -> None:
    blunt = AROUND + np.column_stack([np.zeros(121), np.concatenate([0.004 * X[::-1], -0.004 * X[1:]])])
    result = read(tmp_path, rows(blunt))
    assert result.curve_sets[0].trailing_edge == "blunt"
    assert area(result) == pytest.approx(AREA + 0.004, rel=2e-4)
    assert read(tmp_path, rows(blunt), ends="open").curve_sets[0].closed is False
    assert area(read(tmp_path, rows(blunt), ends="sharp")) == pytest.approx(AREA + 0.004, rel=2e-3)


def test_faults_are_said_with_their_lines(tmp_path: Path) -> None:
    lines = rows(AROUND).splitlines()
    lines.insert(10, lines[9])
    lines.insert(30, "0.5")
    lines.append(lines[0])
    spiked = [*lines[:50], "0.4 0.9", *lines[50:]]
    result = read(tmp_path, "FIN\n" + "\n".join(spiked))
    said = {n.code: n.text for n in result.linework.notes}
    assert "lines 12," in said["repeated_point"]
    assert "line 32" in said["row_with_gaps"]
    assert "line 52" in said["spike"]
    assert result.curve_sets[0].dropped >= 2


def test_other_closed_contours_are_smooth_or_keep_their_corners(tmp_path: Path) -> None:
    angle = np.linspace(0, 2 * math.pi, 40, endpoint=False)
    circle = read(tmp_path, rows(10 * np.column_stack([np.cos(angle), np.sin(angle)])), "round.csv")
    assert area(circle) == pytest.approx(100 * math.pi, rel=1e-5)
    square = read(tmp_path, "0,0\n10,0\n10,10\n0,10\n0,0\n", "square.csv")
    assert area(square) == pytest.approx(100, rel=1e-12)
    assert len(square.linework) == 4


def test_choices(tmp_path: Path) -> None:
    lines = read(tmp_path, rows(AROUND), curve="polyline")
    assert len(lines.linework) == 120
    x, y = AROUND.T
    assert area(lines) == pytest.approx(abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2, rel=1e-4)
    fitted = read(tmp_path, rows(AROUND * 100), curve="fitted", deviation_mm=0.01).linework.table
    spline = fitted.splines[0]
    assert len(spline.poles) < 40
    t = np.linspace(0, 1, 20001)
    gap = np.hypot(*(np.round(AROUND * 100, 6)[:, None] - spline.points(t)).transpose(2, 0, 1)).min(axis=1)
    assert gap.max() < 0.012


def test_several_curves_in_a_file(tmp_path: Path) -> None:
    result = read(tmp_path, "first\n0 0\n1 0\n1 1\n\nsecond\n5 5\n9 5\n9 9\n12 12\n", "curves.txt")
    assert [(c.name, c.points, c.trailing_edge) for c in result.curve_sets] == [
        ("first", 3, "open"),
        ("second", 4, "open"),
    ]


@pytest.mark.parametrize("text", ["1 1\n1 1\n1 1\n", "0 0 0 0 0\n\x00\n1 2\n2 3"])
def test_nothing_to_draw_is_said(tmp_path: Path, text: str) -> None:
    with pytest.raises(Exception, match=r"no two points|zero bytes|not a drawing") as caught:
        read(tmp_path, text)
    assert type(caught.value).__name__ in ("UnreadableFile", "UnsupportedFile")
    assert UnreadableFile.exit_status == 3
