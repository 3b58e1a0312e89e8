"""A card is all there is: replayed it gives the same, whatever was computed before; a new operation is one module."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from tectogon.errors import BadValue
from tectogon.operations import OPERATIONS
from tectogon.route import Run, run_card
from tectogon.route.cache import DiskStore, MemoryStore
from tectogon.route.card import Card, card_from
from tectogon.route.keys import key_of
from tectogon.route.upgrade import VERSION, upgraded
from tectogon.solids.measure import bounds
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Length, Params
from tectogon.workpiece.sentence import Sentence, length_token, plain, words

DEMO = Path(__file__).resolve().parents[2] / "demo"
CARDS = [p for p in sorted(DEMO.glob("cards/*.json")) if p.stem not in ("antenna-coupler", "gasket")]  # quick ones


def told(run: Run) -> dict[str, Any]:
    """Everything of an outcome that must be the same."""
    workpiece, how = run.workpiece, run.workpiece.sheet_metal
    return {
        "steps": [(s.number, s.status, plain(s.sentence), s.message) for s in run.steps],
        "ids": workpiece.drawing.linework.ids,
        "curves": workpiece.drawing.linework.table.ends.round(9).tolist(),
        "sizes": workpiece.drawing.linework.table.lengths.round(9).tolist(),
        "guides": sorted(workpiece.drawing.guides),
        "joined": workpiece.drawing.join_tol,
        "left out": workpiece.drawing.left_out,
        "regions": [(r.id, round(r.area, 6)) for r in workpiece.drawing.regions.regions],
        "planes": [(p.name, sorted(p.curves), p.frame) for p in (*workpiece.views, *workpiece.planes)],
        "bodies": [
            (b.key, b.name, round(b.volume, 6), b.names, [round(v, 6) for v in bounds(b.shape)])
            for b in workpiece.bodies
        ],
        "material": workpiece.material,
        "sheet": (how.body, how.rule, how.radius, how.bent, [m.length for m in how.marks]) if how else None,
    }


def edited(steps: list[dict[str, Any]], chooser: random.Random) -> None:
    """One step switched, or one of its lengths or choices changed."""
    step = chooser.choice(steps[1:])
    lengths = [k for k in ("length", "distance", "outside", "start") if k in step["params"]]
    if lengths and chooser.random() < 0.6:
        step["params"][chooser.choice(lengths)] = f"{chooser.choice((0.1, 3, 7.5, 12, 20))} mm"
    elif "side" in step["params"] and chooser.random() < 0.5:
        step["params"]["side"] = chooser.choice(("towards", "away"))
    else:
        step["on"] = not step.get("on", True)


@pytest.mark.parametrize("path", CARDS, ids=lambda p: p.stem)
def test_what_was_computed_before_changes_nothing(path: Path, tmp_path: Path) -> None:
    """Values changed and changed back, steps switched off and on: with everything kept from before, the outcome is that
    of a first run."""
    data = json.loads(path.read_text())
    files = {name: DEMO / "files" / name for name in data["sources"]}
    store, chooser = DiskStore(tmp_path), random.Random(path.stem)
    first = told(run_card(card_from(data), files, store=store))
    steps = json.loads(json.dumps(data["steps"]))
    for _ in range(4):
        edited(steps, chooser)
        card = card_from({**data, "steps": steps})
        assert told(run_card(card, files, store=store)) == told(run_card(card, files))
    assert told(run_card(card_from(data), files, store=store)) == first
    assert told(run_card(card_from(data), files, store=DiskStore(tmp_path))) == first


def test_a_budget_of_memory_is_kept_and_the_newest_stays(drawing: Callable[..., Path]) -> None:
    path = drawing(Figure().rectangle(0, 0, 100, 50).draw())
    store = MemoryStore(budget=0)
    for x in range(5):
        read = {"number": 10, "kind": "read", "params": {"source": path.name}}
        moved = {"number": 20, "kind": "move", "params": {"about": "origin", "x": x}}
        card = Card.model_validate({"steps": [read, moved], "sources": {path.name: "x"}})
        run_card(card, {path.name: path}, store=store)
        assert list(store.kept) == [key_of(card)]


class PaintParams(Params):
    width: Length = 1.0


def paint(workpiece: Workpiece, params: PaintParams, context: Context) -> Workpiece:
    if params.width == 13:
        raise BadValue("Thirteen is not painted.")
    return replace(workpiece, drawing=replace(workpiece.drawing, guides=frozenset(workpiece.drawing.linework.ids)))


def paint_sentence(params: PaintParams, workpiece: Workpiece | None) -> Sentence:
    return [words("Paint all lines "), length_token("width", params.width), words(" wide")]


PAINT = Operation(
    "paint", "tidy", "Paint", "A made-up operation", PaintParams, paint, paint_sentence, reads=LINEWORK, writes=LINEWORK
)


def test_a_new_operation_is_one_module_and_its_name(
    drawing: Callable[..., Path], on_card: Callable[..., Run], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(OPERATIONS, "paint", PAINT)
    path = drawing(Figure().rectangle(0, 0, 100, 50).draw())
    run = on_card(path, ("paint", {"width": "1/2 in"}))
    assert plain(run.steps[1].sentence) == "Paint all lines 1/2 in wide"
    assert not run.workpiece.drawing.regions.regions
    assert run.keys.linework() != on_card(path, ("paint", {"width": 2})).keys.linework()
    refused = on_card(path, ("paint", {"width": 13}))
    assert refused.failed is not None
    assert refused.failed.message == "Thirteen is not painted."
    assert len(refused.workpiece.drawing.regions.regions) == 1


def test_a_step_that_writes_what_it_does_not_declare_is_found_out(
    drawing: Callable[..., Path], on_card: Callable[..., Run], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("TECTOGON_STRICT", "1")
    monkeypatch.setitem(OPERATIONS, "paint", replace(PAINT, reads=LINEWORK, writes=frozenset({"bodies"})))
    with pytest.raises(AssertionError, match="linework"):
        on_card(drawing(Figure().rectangle(0, 0, 100, 50).draw()), ("paint", {}))


def test_a_step_sees_only_what_it_declares_to_read(
    drawing: Callable[..., Path], on_card: Callable[..., Run], monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[Workpiece] = []

    def look(workpiece: Workpiece, params: PaintParams, context: Context) -> Workpiece:
        seen.append(workpiece)
        return workpiece

    path = drawing(Figure().rectangle(0, 0, 100, 50).draw())
    extruded = ("extrude", {"profiles": {"rule": "material"}, "length": 10})
    monkeypatch.setitem(OPERATIONS, "paint", replace(PAINT, apply=look))
    run = on_card(path, extruded, ("paint", {}))
    assert len(run.workpiece.bodies) == 1
    assert not seen[0].bodies
    assert len(seen[0].drawing.linework.ids) == 4
    monkeypatch.setitem(
        OPERATIONS, "paint", replace(PAINT, apply=look, reads=frozenset({"bodies"}), writes=frozenset())
    )
    run = on_card(path, extruded, ("paint", {}))
    assert len(seen[1].bodies) == 1
    assert not len(seen[1].drawing.linework.ids)
    assert len(run.workpiece.drawing.linework.ids) == 4


def test_scaling_and_turning_of_older_cards_still_go_by_the_origin() -> None:
    steps = [
        {"number": 10, "kind": "scale", "params": {"factor": 2}},
        {"number": 20, "kind": "turn", "params": {"about": "centre"}},
    ]
    older = card_from({"version": 2, "steps": steps})
    newer = card_from({"version": VERSION, "steps": steps})
    assert [s.params.get("about") for s in older.steps] == ["origin", "centre"]
    assert [s.params.get("about") for s in newer.steps] == [None, "centre"]


def test_a_card_says_its_version_and_a_newer_one_is_refused() -> None:
    assert card_from({"steps": []}).version == VERSION
    old = {
        "steps": [
            {"number": 20, "kind": "read", "params": {"source": "s1:odd name.dxf"}},
            {"number": 30, "kind": "levels", "params": {"extent": "half each side"}},
            {"number": 40, "kind": "cut", "params": {"ends": [{"face": {"name": "side of s1:2F~3, operation 30"}}]}},
            {"number": 50, "kind": "leave_out", "params": {"curves": ["s1:2F", "m30.2"], "layers": ["half each side"]}},
        ]
    }
    new = upgraded(old)["steps"]
    assert new[0]["params"]["source"] == "s1:odd name.dxf"
    assert (new[1]["kind"], new[1]["params"]["extent"]) == ("extrude_levels", "half_each_side")
    assert new[2]["params"]["ends"][0]["face"]["name"] == "side of s20:2F, operation 30"
    assert new[3]["params"] == {"curves": ["s20:2F", "m30:2"], "layers": ["half each side"]}
    with pytest.raises(Exception, match="newer program"):
        card_from({"version": VERSION + 1, "steps": []})
