"""Several sheets in one part: each has its own linework, views and findings; the bodies are common to all."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from tectogon.display.packing import unpack
from tectogon.display.sheet import lines_parcel
from tectogon.display.views import check_told
from tectogon.route import Run, run_card
from tectogon.route.cache import DiskStore
from tectogon.route.card import Card, card_from
from tectogon.route.gauges import gauges_of
from tectogon.workpiece.sentence import plain

ALL = {"rule": "material"}


@pytest.fixture
def two(drawing: Callable[..., Path], tmp_path: Path) -> Callable[..., Run]:
    """A plate of 60 × 40 on the first sheet, and a disc of 10 mm radius in the same place on the sheet “disc”."""
    plate = drawing(Figure().rectangle(0, 0, 60, 40).draw())
    disc = plate.rename(plate.with_name("plate.dxf")).with_name("disc.dxf")
    drawing(Figure().circle(30, 20, 10).draw()).rename(disc)
    files = {"plate.dxf": disc.with_name("plate.dxf"), "disc.dxf": disc}

    def run(*steps: dict[str, Any], store: DiskStore | None = None) -> Run:
        reads = (
            {"number": 1, "kind": "read", "params": {"source": "plate.dxf"}},
            {"number": 2, "kind": "read", "params": {"source": "disc.dxf"}, "sheet": "disc"},
        )
        card = card_from({"version": 2, "steps": [*reads, *steps], "sources": dict.fromkeys(files, "x")})
        return run_card(card, files, store=store)

    return run


def extruded(number: int, length: float, sheet: str = "", **values: Any) -> dict[str, Any]:
    params = {"profiles": ALL, "length": length, **values}
    return {"number": number, "kind": "extrude", "params": params, "sheet": sheet}


def test_each_sheet_has_its_own_linework_and_the_bodies_are_common(two: Callable[..., Run]) -> None:
    run = two(extruded(10, 5), extruded(20, 12, "disc", result="join"))
    assert run.failed is None
    assert run.workpiece.sheet_names == ("", "disc")
    first, disc = run.workpiece.on_each_sheet
    assert [len(w.drawing.linework) for w in (first, disc)] == [4, 1]
    assert [[s.name for s in w.sources] for w in (first, disc)] == [["plate.dxf"], ["disc.dxf"]]
    (body,) = run.workpiece.bodies
    assert body.volume == pytest.approx(60 * 40 * 5 + 3.141592653589793 * 100 * 7)
    assert plain(run.steps[3].sentence).startswith("On “disc”: Extrude")


def test_a_step_on_one_sheet_leaves_the_keys_of_the_other_alone(two: Callable[..., Run]) -> None:
    before = two()
    after = two({"number": 10, "kind": "scale", "params": {"factor": 2}, "sheet": "disc"})
    assert after.keys.linework() == before.keys.linework()
    assert after.keys.placements() == before.keys.placements()
    assert after.keys.linework("disc") != before.keys.linework("disc")
    assert after.keys.linework("disc") != after.keys.linework()


def test_sheets_come_back_from_disk_as_they_were(two: Callable[..., Run], tmp_path: Path) -> None:
    steps = (extruded(10, 5), extruded(20, 12, "disc", result="join"))
    first = two(*steps, store=DiskStore(tmp_path))
    again = two(*steps, store=DiskStore(tmp_path))
    assert again.workpiece.sheet_names == ("", "disc")
    for a, b in zip(first.workpiece.on_each_sheet, again.workpiece.on_each_sheet, strict=True):
        assert a.drawing.linework.ids == b.drawing.linework.ids
        assert unpack(lines_parcel(a))[0] == unpack(lines_parcel(b))[0]


def test_a_sheet_that_nothing_begins_is_gone_and_a_line_may_begin_one(two: Callable[..., Run]) -> None:
    run = two(extruded(10, 5, "lid"), {"number": 20, "kind": "move", "params": {"x": 5}, "sheet": "lid"})
    assert [s.status for s in run.steps] == ["ok", "ok", "failed", "failed"]
    assert run.steps[2].message == "The sheet “lid” is gone: no step before this one draws anything on it."
    empty = two({"number": 10, "kind": "draw", "params": {}, "sheet": "lid"})
    assert empty.steps[2].code == "unfinished"
    assert empty.workpiece.sheet_names == ("", "disc", "lid")
    circle = {"shape": "circle", "points": [{"at": (0, 0)}], "length": 4}
    drawn = two({"number": 10, "kind": "draw", "params": circle, "sheet": "lid"}, extruded(20, 2, "lid"))
    assert drawn.failed is None
    assert drawn.workpiece.bodies[0].volume == pytest.approx(3.141592653589793 * 16 * 2)


def test_figures_speak_of_the_sheet_that_wants_attention(two: Callable[..., Run]) -> None:
    loose = {"shape": "line", "points": [{"at": (100, 0)}, {"at": (150, 0)}]}
    run = two({"number": 10, "kind": "draw", "params": loose, "sheet": "disc"})
    tidy = next(g for g in gauges_of(run.workpiece, run.steps) if g.stage == "tidy")
    assert (tidy.state, tidy.sheet) == ("attention", "disc")


def test_views_of_every_sheet_are_held_against_the_part(two: Callable[..., Run]) -> None:
    fold = {"kind": "fold", "params": {"view": "top", "box": (-1, -1, 61, 41)}}
    on_both = ({"number": 10, **fold}, {"number": 11, **fold, "sheet": "disc"})
    run = two(*on_both, extruded(20, 5), extruded(30, 12, "disc", result="join"))
    found = {view["sheet"]: view["percent"] for view in check_told(run.workpiece)["views"]}
    assert found == pytest.approx({"": 100.0, "disc": 100.0})


def test_a_card_without_sheets_is_the_card_it_was() -> None:
    step = {"number": 10, "kind": "read", "params": {"source": "a.dxf"}}
    assert Card.model_validate({"steps": [step]}).steps[0].sheet == ""
