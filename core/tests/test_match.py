"""A solid against a drawing: the same is the same however it lies, another is never, and the place is named."""

from __future__ import annotations

import json
import math
import random
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from drawn_parts import altered, made_part, read_back
from figures import Figure
from tectogon.cli import main
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.sheet import Wishes, sheet_of
from tectogon.errors import NothingToBuild
from tectogon.reconstruction.match import length_of, match, turns
from tectogon.reconstruction.part_from_views import build_from_views
from tectogon.reconstruction.stated_sizes import sizes_on_part
from tectogon.route.gauges import check_gauge, checked_gauges
from tectogon.solids import exchange
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.placing import placed
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.model import Workpiece


def raised(figure: Figure, low: float, high: float, view: str = "top") -> NamedShape:
    regions = figure.regions()
    return prism(regions, regions.profiles[0], frame_of(view), low, high, 10)


def sheet_file(body: Body, path: Path, projection: str = "first") -> Path:
    path.write_bytes(dxf_of(sheet_of([body], Wishes(projection=projection))))  # type: ignore[arg-type]
    return path


def block(hole: float = 5.0, at: float = 20.0, deep: float = 12.0) -> Body:
    """A block with a blind hole from above and a step."""
    solid = raised(Figure().rectangle(0, 0, 60, 40), 0, 20)
    tools = [raised(Figure().circle(at, 15, hole), 20 - deep, 30), raised(Figure().rectangle(45, 0, 15, 40), 12, 30)]
    return Body.of("10:b", "Block", combine("cut", [solid], tools).solids()[0])


@pytest.mark.parametrize("seed", range(6))
def test_a_part_agrees_with_its_drawing_and_an_altered_one_does_not(seed: int, tmp_path: Path) -> None:
    body = made_part(seed)
    workpiece = read_back(sheet_file(body, tmp_path / "sheet.dxf"))
    assert match(workpiece, [body]).same
    other, _, _ = altered(body, random.Random(seed))
    assert not match(workpiece, [other]).same


@pytest.mark.parametrize("turn", range(0, 24, 5))
def test_it_does_not_matter_how_the_part_lies(turn: int, tmp_path: Path) -> None:
    body = block()
    workpiece = read_back(sheet_file(body, tmp_path / "sheet.dxf"))
    matrix = np.column_stack([turns()[turn], [130.0, -7.0, 55.5]])
    assert match(workpiece, [placed(body, matrix)]).same
    assert not match(workpiece, [placed(block(deep=11.0), matrix)]).same


def test_all_turns_are_turns() -> None:
    found = turns()
    assert len(found) == 24 and len({tuple(m.ravel()) for m in found}) == 24
    assert (found[0] == np.eye(3)).all()
    assert all(np.linalg.det(m) == pytest.approx(1) for m in found)


@pytest.mark.parametrize(
    ("other", "kind", "view"),
    [
        (block(hole=5.5), "unexplained", "top"),
        (block(at=20.6), "unexplained", "top"),
        (block(deep=11.4), "unexplained", "front"),
    ],
    ids=["a larger hole", "a moved hole", "a hole less deep"],
)
def test_what_differs_is_named_with_its_view_and_place(other: Body, kind: str, view: str, tmp_path: Path) -> None:
    workpiece = read_back(sheet_file(block(), tmp_path / "sheet.dxf"))
    found = match(workpiece, [other])
    there = next(v for v in found.views if v.name == view)
    lines = dict(there.differences)[kind]
    assert lines and not there.agrees and length_of(lines[0]) > 1.0
    frame = next(v.frame for v in workpiece.views if v.name == view)
    space = frame.place(np.concatenate(lines))
    assert np.abs(space[:, 0] - 20).max() <= 5.5 + 0.7, "all of it is at the hole"


def test_a_hidden_edge_that_is_not_drawn_and_a_dashed_one_that_is_seen_are_told(tmp_path: Path) -> None:
    body = block()
    path = sheet_file(body, tmp_path / "sheet.dxf")
    document = ezdxf.readfile(path)
    space = document.modelspace()
    dashed = [e for e in space if e.dxf.layer == "HIDDEN" and e.dxftype() == "LINE"]
    outline = [e for e in space if e.dxf.layer == "OUTLINE" and e.dxftype() == "LINE"]
    gone, solid = dashed[0], dashed[-1]
    space.delete_entity(gone)
    solid.dxf.layer, solid.dxf.linetype = "OUTLINE", "CONTINUOUS"
    shown = max(outline, key=lambda e: (e.dxf.end - e.dxf.start).magnitude)
    shown.dxf.layer, shown.dxf.linetype = "HIDDEN", "DASHED"
    document.saveas(path)
    found = match(read_back(path), [body])
    kinds = {kind for view in found.views for kind, lines in view.differences if lines}
    assert {"lacking_hidden", "solid_but_hidden"} <= kinds and not found.same


def test_a_drawing_without_hidden_lines_lacks_none(tmp_path: Path) -> None:
    body = block()
    path = sheet_file(body, tmp_path / "sheet.dxf")
    document = ezdxf.readfile(path)
    for entity in [e for e in document.modelspace() if e.dxf.layer == "HIDDEN"]:
        document.modelspace().delete_entity(entity)
    document.saveas(path)
    assert match(read_back(path), [body]).same


def test_stated_sizes_are_held_against_the_part(tmp_path: Path) -> None:
    workpiece = read_back(sheet_file(block(), tmp_path / "sheet.dxf"))
    own = sizes_on_part(workpiece, [block()])
    assert len(own) == len(workpiece.drawing.linework.stated) and all(s.agrees for s in own)
    told = {s.text: s for s in sizes_on_part(workpiece, [block(hole=5.25, at=20.4)])}
    hole = next(s for text, s in told.items() if text.endswith("10") and s.stated == 10 and s.part != 10)
    assert hole.agrees is False and hole.part == pytest.approx(10.5)
    assert told["20"].agrees is False and told["20"].part == pytest.approx(20.4)
    assert told["60"].agrees and told["40"].agrees


def test_the_gauge_never_agrees_where_something_differs(tmp_path: Path) -> None:
    workpiece = read_back(sheet_file(block(), tmp_path / "sheet.dxf"))
    workpiece = Workpiece(drawing=workpiece.drawing, views=workpiece.views, bodies=(block(),))
    assert check_gauge(workpiece, [(100.0, 0)]).state == "agreed"
    differs = check_gauge(workpiece, [(100.0, 0), (100.0, 2)])
    assert (differs.state, differs.figure, differs.words) == ("attention", "2", "edges not drawn")
    assert check_gauge(workpiece, [(99.94, 0)]).figure == "99.9 %"
    assert check_gauge(workpiece, [(99.94, 3)]).words == "places differ"


@pytest.mark.parametrize(
    ("looked", "build", "hand_over"),
    [
        (None, ("none", "body, not compared"), ("none", "not compared")),
        ([(100.0, 0)], ("agreed", "body, sound"), ("agreed", "ready")),
        ([(98.0, 5)], ("attention", "body, differs"), ("attention", "differs from drawing")),
        ([(100.0, 1)], ("attention", "body, differs"), ("attention", "differs from drawing")),
    ],
)
def test_no_stage_says_sound_or_ready_before_the_part_agrees_with_its_drawing(
    looked: list[tuple[float, int]] | None, build: tuple[str, str], hand_over: tuple[str, str], tmp_path: Path
) -> None:
    workpiece = read_back(sheet_file(block(), tmp_path / "sheet.dxf"))
    workpiece = Workpiece(drawing=workpiece.drawing, views=workpiece.views, bodies=(block(),))
    found = {g.stage: (g.state, g.words) for g in checked_gauges(workpiece, (), looked)}
    assert (found["build"], found["hand_over"]) == (build, hand_over)
    alone = Workpiece(bodies=(block(),))
    found = {g.stage: (g.state, g.words) for g in checked_gauges(alone, (), None)}
    assert found["build"] == ("agreed", "body, sound"), "with no views there is nothing to hold it against"


def test_nothing_to_match_is_a_sentence(tmp_path: Path) -> None:
    workpiece = read_back(sheet_file(block(), tmp_path / "sheet.dxf"))
    with pytest.raises(NothingToBuild, match="no body"):
        match(workpiece, [])
    with pytest.raises(NothingToBuild):
        match(Workpiece(), [block()])


def test_the_command_draws_matches_and_checks(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    step, drawing = tmp_path / "block.step", tmp_path / "block.dxf"
    step.write_bytes(exchange.step_bytes([block()], "Block"))

    def told(*words: object) -> tuple[int, dict[str, object]]:
        status = main([*map(str, words), "--json"])
        return status, json.loads(capsys.readouterr().out)

    status, drawn = told("draw", step, "--out", drawing, "--projection", "third", "--sheet", "A3")
    assert status == 0 and drawn["sheet"] == "A3" and drawn["undimensioned"] == []
    assert {d["text"] for d in drawn["dimensions"]} >= {"60", "40", "20", "⌀10"}  # type: ignore[attr-defined]
    for ending in ("pdf", "svg"):
        assert told("draw", step, "--out", tmp_path / f"block.{ending}")[0] == 0
    status, found = told("match", step, drawing)
    assert status == 0 and found["same"] is True and found["projection"] == "third"
    assert found["unexplained"] == found["lacking"] == []
    other = tmp_path / "other.step"
    other.write_bytes(exchange.step_bytes([block(hole=5.5)], "Block"))
    status, found = told("match", other, drawing)
    assert status == 0 and found["same"] is False and found["unexplained"]
    status, checked = told("printcheck", step, "--bed", "50,50,50")
    assert status == 0 and checked["pieces"] == 1 and checked["watertight"] is True and checked["fits_bed"] is False
    assert checked["volume_mm3"] == pytest.approx(block().volume)
    hung = math.pi * 25 * 12
    assert checked["volume_mm3"] == pytest.approx(60 * 40 * 20 - 15 * 40 * 8 - hung)
    assert told("draw", step, "--out", tmp_path / "x.dwg")[0] == 2
    assert told("draw", step, "--out", tmp_path / "x.dxf", "--scale", "1:0")[0] == 2
    assert told("match", tmp_path / "gone.step", drawing)[0] == 3


@pytest.mark.parametrize("seed", [0, 3, 6, 7])
def test_sizes_in_plain_lines_and_text_are_tied_to_the_part(seed: int, tmp_path: Path) -> None:
    sheet = sheet_of([made_part(seed)], Wishes())
    path = tmp_path / "sheet.dxf"
    path.write_bytes(dxf_of(sheet))
    document = ezdxf.readfile(path)
    for dimension in list(document.modelspace().query("DIMENSION")):
        dimension.explode()
    document.saveas(path)
    workpiece = read_back(path)
    bodies, _ = build_from_views(workpiece, 10)
    assert [s.agrees for s in sizes_on_part(workpiece, bodies)] == [True] * len(sheet.placed)
    changed = next(t for t in document.modelspace().query("TEXT[layer=='DIMENSIONS']") if t.dxf.text.isdigit())
    changed.dxf.text = str(int(changed.dxf.text) + 1)
    document.saveas(path)
    off = [s for s in sizes_on_part(read_back(path), bodies) if s.agrees is False]
    assert [s.text for s in off] == [changed.dxf.text]
    assert off[0].stated - (off[0].part or 0.0) == pytest.approx(1.0)
