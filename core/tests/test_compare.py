"""Two issues of a drawing: every change is found and none is invented, however the newer one was drawn again."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from figures import Figure
from tectogon.cli import main
from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.linework import Linework
from tectogon.linework.compare import compare
from tectogon.linework.model import StatedSize, Written


def linework(curves: list[Curve], *texts: Written, stated: tuple[StatedSize, ...] = ()) -> Linework:
    ids = tuple(f"s1:{n}" for n in range(len(curves)))
    return Linework(CurveTable.of(curves), ids, texts=texts, stated=stated)


def drawn_again(curves: list[Curve], chance: random.Random, shift: tuple[float, float]) -> list[Curve]:
    """The same drawing by another hand: shifted, in another order, lines and circles split and turned round."""
    out: list[Curve] = []
    for c in CurveTable.of(curves).transformed(np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]])).curves():
        if chance.random() < 0.4 and isinstance(c, Line | Arc):
            t = chance.uniform(0.2, 0.8)
            table, row = CurveTable.of([c]), np.array([0])
            out += table.parts(row, np.array([0.0]), np.array([t])).curves()
            out += table.parts(row, np.array([t]), np.array([1.0])).curves()
        else:
            out.append(c.reversed() if chance.random() < 0.5 and isinstance(c, Line) else c)
    chance.shuffle(out)
    return out


@pytest.mark.parametrize("seed", range(40))
def test_generated_pairs_none_missed_none_invented(seed: int) -> None:
    chance = random.Random(seed)
    plate = Figure().rectangle(0, 0, 160, 90)
    holes = [(20.0 + 22.0 * n, chance.uniform(15, 75), chance.choice((2.0, 3.0, 4.0))) for n in range(6)]
    slot = [Line(30, 5, 40, 5), Arc(40, 7, 2, -np.pi / 2, np.pi), Line(40, 9, 30, 9), Arc(30, 7, 2, np.pi / 2, np.pi)]
    before = [*plate.curves, *(Arc(x, y, r, 0.0, 2 * np.pi) for x, y, r in holes), *slot]
    wanted: list[tuple[str, str]] = []
    after: list[Curve] = list(plate.curves)
    for n, (x, y, r) in enumerate(holes):
        what = chance.choice(("same", "same", "moved", "resized", "removed")) if n else "same"
        if what == "moved":
            after.append(Arc(x + 1.5, y - 2.25, r, 0.0, 2 * np.pi))
        elif what == "resized":
            after.append(Arc(x, y, r + 0.4, 0.0, 2 * np.pi))
        elif what == "same":
            after.append(Arc(x, y, r, 0.0, 2 * np.pi))
        wanted += [(what, "circle")] if what != "same" else []
    if chance.random() < 0.5:
        after.append(Arc(150.0, 80.0, 1.25, 0.0, 2 * np.pi))
        wanted.append(("added", "circle"))
    by = (3.0, 2.5) if chance.random() < 0.5 else (0.0, 0.0)
    after += CurveTable.of(slot).transformed(np.array([[1.0, 0.0, by[0]], [0.0, 1.0, by[1]]])).curves()
    wanted += [("moved", "outline of 4 curves")] if by[0] else []
    shift = (chance.uniform(-500, 500), chance.uniform(-500, 500))
    found = compare(linework(before), linework(drawn_again(after, chance, shift)))
    assert found.shift == pytest.approx(shift, abs=1e-6)
    assert sorted((c.kind, c.what) for c in found.changed) == sorted(wanted)
    for change in found.changed:
        if change.kind == "moved" and change.what == "circle":
            assert np.subtract(change.after, change.before) == pytest.approx([1.5, -2.25], abs=1e-6)  # type: ignore[arg-type]
        if change.kind == "resized":
            assert float(change.after) - float(change.before) == pytest.approx(0.8)  # type: ignore[arg-type]
    assert found.identical is not bool(wanted)


def test_a_longer_plate_is_two_longer_edges_and_one_that_moved() -> None:
    found = compare(linework(Figure().rectangle(0, 0, 100, 60).circle(20, 20, 5).curves), linework(
        Figure().rectangle(0, 0, 120, 60).circle(20, 20, 5).curves
    ))  # fmt: skip
    assert (
        sorted((c.kind, c.before, c.after) for c in found.changed if c.kind == "resized")
        == [("resized", pytest.approx(100.0), pytest.approx(120.0))] * 2
    )
    moved = [c for c in found.changed if c.kind == "moved"]
    assert [(c.before, c.after) for c in moved] == [(pytest.approx((100.0, 30.0)), pytest.approx((120.0, 30.0)))]
    assert found.same == 2


def test_texts_of_dimensions_that_say_something_else() -> None:
    curves = Figure().rectangle(0, 0, 100, 60).curves
    sizes = (StatedSize("<>", 100.0, 100.0, ((0, 0), (100, 0))), StatedSize("4× ⌀8", 8.0, 8.0, ((20, 20), (24, 20))))
    words = Written("R5", (90.0, 50.0), 2.5), Written("plain", (0.0, -20.0), 2.5)
    old = linework(curves, *words, stated=sizes)
    assert compare(old, old).identical
    newer = replace(sizes[1], text="4× ⌀9", stated=9.0)
    new = linework(curves, replace(words[0], text="R6"), words[1], stated=(sizes[0], newer))
    found = compare(old, new)
    assert [(d.old, d.new) for d in found.dimensions] == [("4× ⌀8", "4× ⌀9"), ("R5", "R6")] and not found.changed
    gone = compare(old, linework(curves, words[1], stated=sizes[:1]))
    assert [(d.old, d.new) for d in gone.dimensions] == [("4× ⌀8", None), ("R5", None)]


def test_the_command_in_the_files_own_units(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name, radius in (("old", 0.25), ("new", 0.5)):
        document = ezdxf.new("R2010", units=1)
        document.modelspace().add_lwpolyline([(0, 0), (4, 0), (4, 2), (0, 2)], close=True)
        document.modelspace().add_circle((1, 1), radius)
        document.saveas(tmp_path / f"{name}.dxf")
    old, new = (str(tmp_path / f"{name}.dxf") for name in ("old", "new"))
    assert main(["compare", old, new, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["changed"] == [
        {
            "kind": "resized",
            "what": "circle",
            "at": pytest.approx([25.4, 25.4]),
            "from": pytest.approx(12.7),
            "to": pytest.approx(25.4),
        }
    ]
    assert (told["same"], told["identical"], told["dimensions"]) == (4, False, [])
    assert main(["compare", old, old, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["identical"] is True
    (tmp_path / "none.dxf").write_bytes(b"no drawing")
    assert main(["compare", old, str(tmp_path / "none.dxf"), "--json"]) == 3
    capsys.readouterr()
    other = ezdxf.new("R2010", units=1)
    other.modelspace().add_circle((9, 9), 7)
    other.saveas(tmp_path / "other.dxf")
    assert main(["compare", old, str(tmp_path / "other.dxf"), "--json"]) == 0
    assert any(w["code"] == "another_part" for w in json.loads(capsys.readouterr().out)["warnings"])


def test_a_line_that_slides_along_itself_is_moved_and_not_resized() -> None:
    old = Figure().line(0, 0, 40, 0).rectangle(0, 20, 50, 30)
    new = Figure().line(4, 0, 44, 0).rectangle(0, 20, 50, 30)
    (change,) = compare(linework(old.curves), linework(new.curves)).changed
    assert (change.kind, change.before, change.after) == ("moved", (20.0, 0.0), (24.0, 0.0))


@pytest.mark.parametrize(("by", "told"), [(19.0, ["moved"]), (21.0, ["added", "removed"]), (2e-6, [])])
def test_a_line_moved_by_more_than_half_its_length_is_another_and_noise_is_none(by: float, told: list[str]) -> None:
    old = Figure().line(0, 0, 40, 0).rectangle(0, 60, 90, 30)
    new = Figure().line(0, by, 40, by).rectangle(0, 60, 90, 30)
    assert sorted(c.kind for c in compare(linework(old.curves), linework(new.curves)).changed) == told
