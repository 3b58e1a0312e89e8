"""A circuit board of its layers' files, against closed forms."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import pytest
from tectogon.route import Card, Run, run_card
from test_gerber import BOARD, EDGE, HEAD, SLOT, draws

DRILLS = "M48\nMETRIC,TZ\nT1C1.0\n%\nG90\nG05\nT1\nX5.0Y5.0\nX30.0Y20.0\nM30\n"
PADS = "D11*\nX5000000Y5000000D03*\nX30000000Y20000000D03*\nD10*\nX20000000Y15000000D03*\nM02*\n"
"""Two pads of 4 × 3 mm about the holes, and a round one of 2 mm without a hole."""


def board(folder: Path, names: dict[str, str], params: dict[str, Any]) -> Run:
    texts = {
        "edge": EDGE % ("#@! TF.FileFunction,Profile,NP", "0.1", draws(*BOARD) + "\n" + draws(*SLOT)),
        "top": f"G04 #@! TF.FileFunction,Copper,L1,Top*\n{HEAD}{PADS}",
        "bottom": f"G04 #@! TF.FileFunction,Copper,L2,Bot*\n{HEAD}{PADS}",
        "legend": f"G04 #@! TF.FileFunction,Legend,Top*\n{HEAD}D10*\nX0Y0D02*\nX38000000Y24000000D01*\nM02*\n",
        "drill": DRILLS,
        "plain top": HEAD + PADS,
        "plain edge": EDGE % ("", "0.1", draws(*BOARD) + "\n" + draws(*SLOT)),
    }
    steps = []
    for n, (name, what) in enumerate(names.items()):
        (folder / name).write_text(texts[what])
        steps.append({"number": 10 * (n + 1), "kind": "read", "params": {"source": name, "place": "auto"}})
    steps.append({"number": 90, "kind": "board", "params": params})
    card = Card.model_validate({"steps": steps, "sources": dict.fromkeys(names, "x")})
    return run_card(card, {name: folder / name for name in names})


ATTRIBUTED = {"e.gbr": "edge", "t.gbr": "top", "b.gbr": "bottom", "l.gbr": "legend", "d.drl": "drill"}
CALLED = {"fin.GKO": "plain edge", "fin.GTL": "plain top", "fin.drl": "drill"}
HOLES = 2 * math.pi * 0.25


@pytest.mark.parametrize(("names", "faces"), [(ATTRIBUTED, 2), (CALLED, 1)])
def test_a_board_is_its_edge_less_its_drills_with_copper_on_its_faces(
    tmp_path: Path, names: dict[str, str], faces: int
) -> None:
    run = board(tmp_path, names, {})
    assert run.failed is None, run.failed
    plate, *copper = run.workpiece.bodies
    assert (plate.name, copper[0].name) == ("Board", "Copper, top 1")
    assert plate.volume == pytest.approx(1.6 * (40 * 25 - 4 * 2 - HOLES), rel=1e-9)
    assert len(copper) == 3 * faces
    assert sum(b.volume for b in copper) == pytest.approx(faces * 0.035 * (24 - HOLES + math.pi), rel=1e-9)
    of = {b.key: run.workpiece.material_of(b) for b in run.workpiece.bodies}
    assert of[plate.key] is not None and of[plate.key].density == 1.85
    assert all((m := of[b.key]) is not None and m.name == "copper" for b in copper)


def test_its_thickness_is_typed_and_its_copper_may_be_left_off(tmp_path: Path) -> None:
    run = board(tmp_path, ATTRIBUTED, {"thickness": "0.8 mm", "copper": "none"})
    (plate,) = run.workpiece.bodies
    assert plate.volume == pytest.approx(0.8 * (40 * 25 - 8 - HOLES), rel=1e-9)
    assert "2 drill layers" not in "".join(t.text for t in run.steps[-1].sentence)


@pytest.mark.parametrize(
    ("names", "params", "words"),
    [
        ({"t.gbr": "top", "d.drl": "drill"}, {}, "Choose the layer of the board's edge"),
        ({"t.gbr": "legend", "d.drl": "drill"}, {"edge": "gone"}, "Choose the layer of the board's edge"),
        (ATTRIBUTED, {"thickness": 0}, "more than nothing"),
        (ATTRIBUTED, {"copper_thickness": "-1"}, "more than nothing"),
    ],
)
def test_what_is_no_board_is_told(tmp_path: Path, names: dict[str, str], params: dict[str, Any], words: str) -> None:
    failed = board(tmp_path, names, params).failed
    assert failed is not None and words in failed.message
