"""What a hand asks of a drawing sheet: sections, details, another datum, dimensions that are moved, dropped, added or
turned; and that all of it survives a part whose sizes change."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from drawn_parts import read_back, texts_amiss
from figures import Figure
from tectogon.display.drawing_sheet import drawn_sheet, sheet_told
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.by_hand import ByHand, held_by
from tectogon.drafting.cut_views import Cut, Detail, hatched
from tectogon.drafting.drawn_views import Filled
from tectogon.drafting.sheet import DrawnSheet, Wishes, sheet_of
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.reconstruction.part_from_views import build_from_views
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.model import Workpiece


def plate(hole_at: float = 20.0, long: float = 100.0) -> Body:
    """A plate of 18 mm with a stepped hole (12 and, 6 mm deep, 20) and a plain one (8)."""
    flat = Figure().rectangle(0, 0, long, 60).circle(hole_at, 15, 6).circle(80, 45, 4).regions()
    step = Figure().circle(hole_at, 15, 10).regions()
    whole = prism(flat, flat.profiles[0], frame_of("top"), 0.0, 18.0, 10)
    sunk = prism(step, step.profiles[0], frame_of("top"), 12.0, 20.0, 20)
    return Body.of("10:p", "plate", combine("cut", [whole], [sunk]))


def texts(sheet: DrawnSheet) -> Counter[str]:
    return Counter(p.text for p in sheet.placed)


def hand(sheet: DrawnSheet, text: str, **done: Any) -> ByHand:
    return ByHand(held_by(next(p.dimension for p in sheet.placed if p.text == text)), **done)


@pytest.mark.parametrize(
    ("cut", "area"),
    [
        (Cut(0, 20.0), 60 * 18 - 12 * 12 - 20 * 6),
        (Cut(1, 45.0), 100 * 18 - 8 * 18),
        (Cut(2, 15.0), 100 * 60 - np.pi * (100 + 16)),
    ],
)
def test_a_section_cuts_the_area_that_it_must_and_hatches_it(cut: Cut, area: float) -> None:
    sheet = sheet_of([plate()], Wishes(cuts=(cut,)))
    section = next(v.view for v in sheet.views if v.view.title == "A–A")
    assert sum(f.area.area for f in section.filled) == pytest.approx(area, rel=1e-3)
    assert not section.hidden
    drawn = sum(s.curve.length for s in hatched(section.filled, 1.0, (0.0, 0.0)).strokes)
    assert drawn == pytest.approx(area / 3.0, rel=0.1), "a line each 3 mm"
    assert [t.text for t in sheet.ink.texts].count("A") == 4, "two ends of the line, and twice on the frame"
    assert texts_amiss(sheet) == (0, 0)


def test_hatching_tells_materials_apart() -> None:
    area = sheet_of([plate()], Wishes(cuts=(Cut(0, 50.0),))).views[-1].view.filled[0].area
    pens = {
        pattern: Counter(s.pen for s in hatched([Filled(area, pattern)], 1.0, (0.0, 0.0)).strokes)  # type: ignore[arg-type]
        for pattern in ("metal", "copper", "plastic")
    }
    assert pens["copper"]["hatch dashed"] and not pens["metal"]["hatch dashed"]
    assert pens["plastic"]["hatch"] > 1.8 * pens["metal"]["hatch"]


def test_a_detail_holds_what_lies_in_its_circle_and_no_more() -> None:
    sheet = sheet_of([plate()], Wishes(details=(Detail("top", (100.0, 60.0), 8.0, 5.0),)))
    detail = next(v for v in sheet.views if v.view.rim)
    assert detail.scale == 5.0 * sheet.scale
    assert sum(c.length for c in detail.view.visible) == pytest.approx(16.0), "8 mm of each of two edges"
    for curve in detail.view.visible:
        assert np.hypot(*(np.asarray(curve.points(np.linspace(0, 1, 5))) - [100, 60]).T).max() <= 8.0 + 1e-6
    assert "A (5 : 1)" in [t.text for t in sheet.ink.texts]


@pytest.mark.parametrize("projection", ["first", "third"])
def test_a_sheet_with_sections_and_a_detail_gives_the_part_again(projection: Any, tmp_path: Path) -> None:
    cuts = (Cut(0, 20.0), Cut(1, 15.0), Cut(2, 9.0))
    wishes = Wishes(projection=projection, cuts=cuts, details=(Detail("top", (80.0, 45.0), 8.0, 2.0),))
    (tmp_path / "sheet.dxf").write_bytes(dxf_of(sheet_of([plate()], wishes)))
    found = read_back(tmp_path / "sheet.dxf")
    assert [v.name for v in found.views if v.name.startswith("section")] == [f"section {c}-{c}" for c in "ABC"]
    bodies, _ = build_from_views(found, 10)
    assert sum(b.volume for b in bodies) == pytest.approx(plate().volume, rel=1e-5)


def test_lengths_can_be_taken_from_another_corner() -> None:
    sheet = sheet_of([plate()], Wishes(datum=(True, False, True)))
    assert {"20", "80", "100", "15", "45", "60", "6", "18"} <= set(texts(sheet))
    ends = {d.axis: d.low for d in (p.dimension for p in sheet.placed) if hasattr(d, "axis")}
    assert ends == {0: 100.0, 1: 0.0, 2: 18.0}
    assert not sheet.open and not sheet.spare and texts_amiss(sheet) == (0, 0)


def test_what_a_hand_has_done_to_dimensions_survives_a_change_of_the_part() -> None:
    as_it_comes = sheet_of([plate()], Wishes())
    moved = hand(as_it_comes, "80", along=4.0, away=3.0)
    hands = (
        moved,
        hand(as_it_comes, "45", state="dropped"),
        hand(as_it_comes, "⌀8", form="radius"),
        hand(as_it_comes, "60", form="brackets"),
    )
    for body, hole, long in ((plate(), "20", "100"), (plate(24.0, 110.0), "24", "110")):
        sheet = sheet_of([body], Wishes(hands=hands))
        assert {hole, long, "R4", "(60)"} <= set(texts(sheet)) and "45" not in texts(sheet) and not sheet.lost
        assert {o.text.split(" of a ")[0] for o in sheet.open} == {"y 45 mm", "y 60 mm"}, "what was dropped is told"
        plain = {p.text: p for p in sheet_of([body], Wishes()).placed}
        here = next(p for p in sheet.placed if p.text == "80")
        before, views = plain["80"], (sheet.views, sheet_of([body], Wishes()).views)
        corner = [next(v.at for v in some if v.view.name == here.dimension.view) for some in views]
        off = np.subtract(here.middle, corner[0]) - np.subtract(before.middle, corner[1])
        assert off == pytest.approx([4.0, 3.0])
    other = Body.of(
        "10:p", "bar", prism((bar := Figure().circle(0, 0, 9).regions()), bar.profiles[0], frame_of("top"), 0, 5, 90)
    )
    assert len(sheet_of([other], Wishes(hands=hands)).lost) == len(hands)


def test_a_dimension_is_added_between_two_faces_and_goes_with_them() -> None:
    sheet = sheet_of([plate()], Wishes())
    ends = {p.text: held_by(p.dimension) for p in sheet.placed if p.text in ("20", "80")}
    between = replace(ends["20"], low=ends["20"].high, high=ends["80"].high, value=60.0)
    hands = (ByHand(between, "added"),)
    assert texts(sheet_of([plate()], Wishes(hands=hands)))["60"] == 2
    changed = sheet_of([plate(30.0)], Wishes(hands=hands))
    assert texts(changed)["50"] == 1 and [d.value for d in changed.spare] == [50.0], "others fix it already"


def test_a_section_through_a_hole_follows_it_and_what_cannot_be_drawn_is_told() -> None:
    sheet = sheet_of([plate()], Wishes())
    owners = next(held_by(p.dimension).high for p in sheet.placed if p.text == "20")
    cuts = (Cut(0, 500.0), Cut(0, 20.0, owners))
    found = sheet_of([plate(32.0)], Wishes(cuts=cuts, details=(Detail("rear", (0, 0), 5, 2.0),)))
    assert [m.letter for m in found.marks] == ["B"] and found.marks[0].at == pytest.approx(32.0)  # type: ignore[union-attr]
    assert found.refused == (
        "The section at x 500 mm misses the part: it reaches from 0 to 100 mm there.",
        "The sheet has no view “rear” for detail C.",
    )


def test_the_page_is_told_where_everything_can_be_taken_hold_of() -> None:
    workpiece = Workpiece(bodies=(plate(),))
    params = DrawSheetParams(sections=({"axis": "x", "at": "2 cm"},), sheet="A3")  # type: ignore[arg-type]
    told = sheet_told(drawn_sheet(workpiece, params, {}))
    view = next(v for v in told["views"] if v["name"] == "top")
    for mark in told["marks"]:
        if mark["axis"] == "x" and mark["view"] == "top":
            x = (mark["at"][0] - view["origin"][0]) / view["scale"]
            assert x == pytest.approx(mark["mm"]), "its place on the paper is its place on the part"
    one = next(d for d in told["dimensions"] if d["text"] == "80")
    again = drawn_sheet(
        workpiece,
        DrawSheetParams(by_hand=({**one["held"], "along": 2.0},)),
        {},  # type: ignore[arg-type]
    )
    moved = next(d for d in sheet_told(again)["dimensions"] if d["text"] == "80")
    assert moved["hand"] == 0 and moved["moved"] == [2.0, 0.0]


def test_an_unnamed_shape_has_dimensions_that_can_be_held_too() -> None:
    bare = Body.of("1:s", "brought in", NamedShape.of(plate().shape, []))
    sheet = sheet_of([bare], Wishes())
    without = sheet_of([bare], Wishes(hands=(hand(sheet, "45", state="dropped"),)))
    assert texts(sheet) - texts(without) == Counter({"45": 1})
