"""A plate out of one view and the words that state how thick it is."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from tectogon.cli import main
from tectogon.linework import Linework
from tectogon.linework.model import Written
from tectogon.reconstruction.stated_thickness import thicknesses_in
from tectogon.route import Run

AREA = 80 * 50 - math.pi * 16


def sheet(folder: Path, *words: str, draw: Callable[[Any], None] | None = None, units: int = 4) -> Path:
    """A plate of 80 × 50 with a hole of 8, a centre cross, and words beside it."""
    document = ezdxf.new("R2010", units=units)
    document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4])
    document.linetypes.add("HIDDEN", pattern=[9, 6, -3])
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (80, 0), (80, 50), (0, 50)], close=True)
    space.add_circle((30, 25), 4)
    space.add_line((24, 25), (36, 25), dxfattribs={"linetype": "CENTER"})
    for n, text in enumerate(words):
        space.add_text(text, height=3, dxfattribs={"insert": (0, -20 - 6 * n)})
    if draw:
        draw(space)
    document.saveas(folder / "plate.dxf")
    return folder / "plate.dxf"


def built(path: Path, capsys: pytest.CaptureFixture[str]) -> tuple[int, dict[str, Any]]:
    status = main(["views", str(path), "--build", str(path.with_suffix(".step")), "--json"])
    return status, json.loads(capsys.readouterr().out)


@pytest.mark.parametrize(
    ("words", "mm"),
    [
        ("t = 5", 5.0),
        ("Dicke 1.5", 1.5),
        ("Blech s=4", 4.0),
        ("ÉP. 2,5 mm", 2.5),
        ("sp. 3", 3.0),
        ("ESPESOR 6", 6.0),
        ("PL 6", 6.0),
        ("MATERIAL: SHEET STEEL 1.5 mm", 1.5),
        ("Stahlblech 3 mm", 3.0),
        ('1/4" THK', 6.35),
        ("NOTES:\n1. 2.5 mm thick\n2. SURFACE FINISH Ra 3.2", 2.5),
        ("NOTES:\n1. 2.5 THK\n2. DEBURR", 2.5),
        ("THICKNESS\n2.5 mm", 2.5),
        ("SHEET 1 OF 1", None),
        ("SHEET 2/3", None),
        ("BASE PLATE 7", None),
        ("PLATE FOR 25 mm BORE", None),
        ("TOL. ISO 2768-mK", None),
        ("SCALE 1:2", None),
    ],
)
def test_a_thickness_is_read_in_the_words_of_many(words: str, mm: float | None) -> None:
    found = thicknesses_in(Linework(texts=(Written(words, (0.0, 0.0), 3.0),)), 1.0)
    assert [value for value, _ in found] == ([] if mm is None else [pytest.approx(mm)])


def test_a_word_between_two_numbers_states_both() -> None:
    found = thicknesses_in(Linework(texts=(Written("2.5 THK 2 OFF", (0.0, 0.0), 3.0),)), 1.0)
    assert sorted(value for value, _ in found) == [2.0, 2.5]


def test_one_view_and_a_thickness_make_the_plate(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    status, told = built(sheet(tmp_path, "t = 5", "SHEET 1 OF 1"), capsys)
    assert status == 0 and told["thickness_mm"] == 5.0 and told["certain"]
    assert told["volume_mm3"] == pytest.approx(5 * AREA, rel=1e-9)
    assert [r["code"] for r in told["remarks"]] == ["part_plate"]


def test_as_a_step_it_becomes_an_ordinary_extrusion(tmp_path: Path, on_card: Callable[..., Run]) -> None:
    run = on_card(sheet(tmp_path, "THK 3"), ("fold", {"view": "front", "box": [-1, -1, 81, 51]}), ("from_views", {}))
    assert run.failed is None, run.failed
    assert sum(b.volume for b in run.workpiece.bodies) == pytest.approx(3 * AREA, rel=1e-9)
    ((kind, values),) = run.workpiece.as_steps
    again = on_card(sheet(tmp_path, "THK 3"), ("fold", {"view": "front", "box": [-1, -1, 81, 51]}), (kind, values))
    assert sum(b.volume for b in again.workpiece.bodies) == pytest.approx(3 * AREA, rel=1e-9)


@pytest.mark.parametrize(
    ("words", "said"),
    [((), "a thickness that the sheet states"), (("t = 5", "THK 6"), "more than one thickness: 5 mm")],
)
def test_without_one_thickness_nothing_is_made_up(
    words: tuple[str, ...], said: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    status, told = built(sheet(tmp_path, *words), capsys)
    assert status == 4 and said in told["message"] and told["thickness_mm"] is None


@pytest.mark.parametrize(
    ("kind", "code"),
    [("dashed", "part_behind"), ("across", "part_parted"), ("loose", "part_loose"), ("beside", "part_outside")],
)
def test_what_one_view_leaves_open_is_said(
    kind: str, code: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    def draw(space: Any) -> None:
        if kind == "dashed":
            space.add_line((50, 0), (50, 50), dxfattribs={"linetype": "HIDDEN"})
        elif kind == "across":
            space.add_line((50, 0), (50, 50))
        elif kind == "loose":
            space.add_line((50, 10), (50, 30))
        else:
            space.add_lwpolyline([(200, 0), (203, 11), (219, 14), (207, 3)])

    status, told = built(sheet(tmp_path, "t = 5", draw=draw), capsys)
    assert status == 0 and not told["certain"]
    assert code in [r["code"] for r in told["remarks"]]
