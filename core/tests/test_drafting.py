"""Drawing sheets: what must be fixed, what the dimensions fix, how they stand, and the files."""

from __future__ import annotations

import io
import itertools
import math
import re
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pypdfium2
import pytest
import shapely
from defusedxml import ElementTree
from drawn_parts import made_part, read_back, texts_amiss, unfixed
from figures import Figure
from tectogon.curves import Arc, Line
from tectogon.curves.once import each_once
from tectogon.display.drawing_sheet import drawn_sheet
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.as_pdf import pdf_of
from tectogon.drafting.as_svg import svg_of
from tectogon.drafting.dimensions import Length, Roundness, chosen, left_open, stated_twice
from tectogon.drafting.drawn_views import drawn_view
from tectogon.drafting.ink import Text
from tectogon.drafting.needs import needs_of
from tectogon.drafting.paper import SHEETS, Title, drawing_area, parse_scale, scale_text
from tectogon.drafting.sheet import DrawnSheet, Wishes, sheet_of
from tectogon.errors import BadValue, NothingToBuild, OverLimit
from tectogon.operations import OPERATIONS
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.reconstruction.part_from_views import build_from_views
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import Context, SourceFile


def part(figure: Figure, thick: float = 8.0) -> Body:
    regions = figure.regions()
    return Body.of("10:p", "part", prism(regions, regions.profiles[0], frame_of("top"), 0.0, thick, 10))


def texts(sheet: DrawnSheet) -> Counter[str]:
    return Counter(p.text for p in sheet.placed)


PLATE = Figure().rectangle(0, 0, 100, 60).circle(20, 15, 4).circle(80, 45, 4)


def test_a_sheet_is_labelled_in_german() -> None:
    said = {
        language: {t.text for t in sheet_of([part(PLATE)], Wishes(language=language, title=Title("date"))).ink.texts}
        for language in ("en", "de")
    }
    assert {"drawn by", "general tolerances", "sizes in millimetres", "date"} <= said["en"]
    assert {"gezeichnet von", "Allgemeintoleranzen", "Maße in Millimetern", "Datum"} <= said["de"]
    assert "date" in said["de"], "the name of a part is nobody's to translate"


def test_a_plate_is_fixed_by_each_coordinate_once() -> None:
    body = part(PLATE)
    needs = needs_of([body])
    assert [[round(c.value, 9) for c in needs.on(axis)] for axis in range(3)] == [
        [0, 20, 80, 100],
        [0, 15, 45, 60],
        [0, 8],
    ]
    sheet = sheet_of([body], Wishes())
    assert texts(sheet) == Counter({"20": 1, "80": 1, "100": 1, "15": 1, "45": 1, "60": 1, "8": 1, "2× ⌀8": 1})
    assert not sheet.open and not sheet.spare and not unfixed(body, sheet)


def test_a_slot_is_fixed_by_its_middles_and_its_radius() -> None:
    slot = Figure().rectangle(0, 0, 90, 40)
    slot.line(20, 15, 50, 15).arc(50, 20, 5, -90, 180).line(50, 25, 20, 25).arc(20, 20, 5, 90, 180)
    sheet = sheet_of([part(slot)], Wishes())
    assert texts(sheet) == Counter({"20": 2, "50": 1, "90": 1, "40": 1, "8": 1, "2× R5": 1}), "no side of the slot"


def test_rounded_corners_need_a_radius_and_no_place() -> None:
    figure = Figure()
    for (x, y), start in zip(((54, 34), (6, 34), (6, 6), (54, 6)), (0, 90, 180, 270), strict=True):
        figure.arc(x, y, 6, start, 90)
    figure.line(54, 40, 6, 40).line(0, 34, 0, 6).line(6, 0, 54, 0).line(60, 6, 60, 34)
    body = part(figure)
    assert [c.value for c in needs_of([body]).on(0)] == pytest.approx([0, 60])
    assert texts(sheet_of([body], Wishes())) == Counter({"60": 1, "40": 1, "8": 1, "4× R6": 1})


def test_equal_steps_are_one_dimension_and_many_rows_run_from_the_datum() -> None:
    row = Figure().rectangle(0, 0, 120, 20)
    for n in range(10):
        row.circle(15 + 10 * n, 10, 2)
    assert texts(sheet_of([part(row)], Wishes()))["9× 10 (=90)"] == 1
    uneven = Figure().rectangle(0, 0, 200, 20)
    places = [10 + 15 * n + 0.37 * n * n for n in range(11)]
    for x in places:
        uneven.circle(x, 10, 2)
    sheet = sheet_of([part(uneven)], Wishes())
    running = [p for p in sheet.placed if p.running]
    assert len(running) == len(places) + 1 and not sheet.open and texts_amiss(sheet) == (0, 0)


def test_slanted_corners_and_turned_steps_are_fixed() -> None:
    house = Figure().chain((0, 0), (50, 0), (50, 20), (25, 38), (0, 20))
    assert [c.value for c in needs_of([part(house)]).on(1)] == pytest.approx([0, 20, 38])
    shaft = made_part(3)
    needs = needs_of([shaft])
    along = max(range(3), key=lambda a: len(needs.on(a)))
    assert len(needs.on(along)) >= 3
    assert not left_open(needs, chosen(needs, [drawn_view([shaft], v, needs.rounds) for v in ("front", "right")]))


def test_what_is_left_open_and_what_is_said_twice() -> None:
    body = part(PLATE)
    needs = needs_of([body])
    views = [drawn_view([body], v, needs.rounds) for v in ("front", "top", "left")]
    full = chosen(needs, views)
    assert not left_open(needs, full) and not stated_twice(needs, full)
    for n, one in enumerate(full):
        found = left_open(needs, full[:n] + full[n + 1 :])
        assert len(found) == (1 if isinstance(one, Length) else 2), "each is needed; a diameter is that of two holes"
        assert f"{one.value:.6g} mm" in found[0].text
    first = next(d for d in full if isinstance(d, Length) and d.value == 20)
    last = next(d for d in full if isinstance(d, Length) and d.value == 100)
    between = Length(first.view, 0, 20, 100, first.high_at, last.high_at)
    assert stated_twice(needs, [*full, between]) == [between]
    chained = [d for d in full if d is not last] + [between]
    assert not left_open(needs, chained), "a chain fixes it as well"


def test_a_free_outline_is_told_as_one_thing() -> None:
    blob = Figure().rectangle(0, 0, 80, 60)
    corners = np.array([(20, 20), (40, 15), (60, 30), (30, 45), (20, 20)], float)
    for a, b in itertools.pairwise(corners):
        out = 0.1 * np.array([b[1] - a[1], a[0] - b[0]])
        blob.spline(*(tuple(p.tolist()) for p in (a, a + (b - a) / 3 + out, a + (b - a) / 1.5 + out, b)))
    sheet = sheet_of([part(blob)], Wishes())
    assert len(sheet.open) == 1 and "free" in sheet.open[0].text
    assert texts(sheet) == Counter({"80": 1, "60": 1, "8": 1})


@pytest.mark.parametrize("seed", range(8))
def test_a_sheet_read_again_gives_the_part(seed: int, tmp_path: Path) -> None:
    body = made_part(seed)
    sheet = sheet_of([body], Wishes(projection="first" if seed % 2 else "third"))
    path = tmp_path / "sheet.dxf"
    path.write_bytes(dxf_of(sheet))
    workpiece = read_back(path)
    bodies, _ = build_from_views(workpiece, 10)
    assert sum(b.volume for b in bodies) == pytest.approx(body.volume, rel=1e-3)
    assert texts_amiss(sheet) == (0, 0) and not sheet.open and not unfixed(body, sheet)
    stated = sorted(s.drawn_mm or 0.0 for s in workpiece.drawing.linework.stated)
    assert stated == pytest.approx(sorted(p.dimension.value for p in sheet.placed), abs=1e-6), "each is one in the file"


@pytest.mark.parametrize("version", ["R12", "R2000", "R2010", "R2018"])
def test_the_dxf_has_true_dimensions_on_layers_by_purpose(version: str) -> None:
    sheet = sheet_of([part(PLATE)], Wishes(scale=0.5))
    document = ezdxf.read(
        io.StringIO(dxf_of(sheet, version).decode("cp1252" if version in ("R12", "R2000") else "utf8"))
    )
    assert not document.audit().errors
    space = document.modelspace()
    found = space.query("DIMENSION")
    assert Counter(d.dimtype for d in found) == Counter({0: 7, 3: 1})
    values = sorted(d.get_measurement() for d in found)
    assert values == pytest.approx([8, 8, 15, 20, 45, 60, 80, 100]), "measured from their points, in full size"
    for d in found:
        picture = document.blocks.get(d.dxf.geometry)
        texts = [e.dxf.text for e in picture.query("TEXT")]
        assert texts == [d.dxf.text] and texts[0].rpartition("%%c")[2] == f"{d.get_measurement():g}"
        assert picture.query("SOLID") and picture.query("LINE"), "heads and lines stand in its picture"
    assert not [e for e in space if e.dxf.layer == "DIMENSIONS" and e.dxftype() != "DIMENSION"], "and nowhere else"
    layers = {e.dxf.layer for e in space}
    assert {"OUTLINE", "HIDDEN", "CENTRE", "FRAME", "DIMENSIONS", "PICTORIAL"} <= layers
    outline = [e for e in space if e.dxf.layer == "OUTLINE" and e.dxftype() == "LINE"]
    assert max(abs(e.dxf.end.x - e.dxf.start.x) for e in outline) == pytest.approx(100), "in full size"
    with pytest.raises(BadValue):
        dxf_of(sheet, "R9")


def test_pdf_and_svg_are_true_to_scale_and_hold_the_words() -> None:
    title = Title(name="Träger für Σ-Sonde", number="FM-0012", material="brass", owner="Ferne & Moor", drawn_by="Инес")
    sheet = sheet_of([part(PLATE)], Wishes(sheet="A3", scale=1.0, title=title))
    page = pypdfium2.PdfDocument(pdf_of(sheet))[0]
    assert page.get_size() == pytest.approx((420 * 72 / 25.4, 297 * 72 / 25.4), abs=0.01)
    words = page.get_textpage().get_text_range()
    for wanted in ("2× ⌀8", "Träger für Σ-Sonde", "FM-0012", "Инес", "1 : 1"):
        assert wanted in words, wanted
    root = ElementTree.fromstring(svg_of(sheet))
    assert root.get("width") == "420mm" and root.get("viewBox") == "0 0 420 297"
    svg_words = {t.text for t in root.iter("{http://www.w3.org/2000/svg}text")}
    assert {"Ferne & Moor", "2× ⌀8", "100"} <= svg_words
    longest = 0.0
    for path in root.iter("{http://www.w3.org/2000/svg}path"):
        if path.get("stroke-width") == "0.5":
            for x0, y0, x1, y1 in re.findall(r"M([\d.]+) ([\d.]+)L([\d.]+) ([\d.]+)", path.get("d") or ""):
                longest = max(longest, math.hypot(float(x1) - float(x0), float(y1) - float(y0)))
    assert longest == pytest.approx(100, abs=1e-3)


def test_everything_stands_inside_the_frame_and_off_the_title_block() -> None:
    for seed in range(6):
        sheet = sheet_of([made_part(seed)], Wishes())
        x0, y0, x1, y1 = drawing_area(sheet.sheet)
        block = shapely.box(x1 - 180, y0, x1, y0 + 40)
        for one in sheet.placed:
            for text in one.ink.texts:
                box = shapely.Polygon(text.corners)
                assert shapely.box(x0, y0, x1, y1).contains(box) and not block.intersects(box), (seed, text)


def test_views_stand_as_the_angle_of_projection_has_it() -> None:
    body = part(Figure().rectangle(0, 0, 100, 60).circle(20, 15, 4), 20)
    for projection, up, right in (("first", -1, "left"), ("third", 1, "right")):
        sheet = sheet_of([body], Wishes(projection=projection))  # type: ignore[arg-type]
        at = {one.view.name: one.at for one in sheet.views}
        assert np.sign(at["top"][1] - at["front"][1]) == up and at["top"][0] == pytest.approx(at["front"][0])
        assert at[right][0] > at["front"][0] and at[right][1] == pytest.approx(at["front"][1])


def test_a_turned_part_has_no_view_twice() -> None:
    names = [one.view.name for one in sheet_of([made_part(7)], Wishes()).views]
    assert len(names) == 2


def test_sheets_and_scales_suit_the_part() -> None:
    assert sheet_of([part(Figure().rectangle(0, 0, 20, 10))], Wishes()).scale > 1.0
    large = sheet_of([part(Figure().rectangle(0, 0, 2000, 900), 30)], Wishes())
    assert large.scale < 1.0
    assert [parse_scale(t) for t in ("1:2", "2 : 1", "1:1")] == [0.5, 2.0, 1.0]
    assert (scale_text(0.05), scale_text(5.0)) == ("1 : 20", "5 : 1")
    for bad in ("", "0:1", "a:b", "1:0"):
        with pytest.raises(BadValue):
            parse_scale(bad)
    with pytest.raises(OverLimit, match=r"has no room on A4 at 1 : 1; take a larger sheet"):
        sheet_of([part(PLATE, 300)], Wishes(sheet="A4", scale=1.0))
    with pytest.raises(OverLimit, match="2000000 mm long"):
        sheet_of([part(Figure().rectangle(0, 0, 2e6, 10))], Wishes())
    with pytest.raises(NothingToBuild):
        sheet_of([], Wishes())
    with pytest.raises(BadValue):
        sheet_of([part(PLATE)], Wishes(sheet="B5"))


def test_edges_are_drawn_once_and_hidden_ones_only_where_nothing_lies_over_them() -> None:
    visible = [Line(0, 0, 5, 0), Line(5, 0, 9, 0), Arc(0, 0, 4, 0, math.pi), Arc(0, 0, 4, math.pi, math.pi)]
    hidden = [Line(7, 0, 20, 0), Line(8, 0, 12, 0), Arc(0, 0, 4, 1, 1), Line(0, 1, 0, 3), Line(0, 3, 0, 1)]
    seen, behind = each_once(visible, hidden)
    assert sorted(round(c.length, 9) for c in seen) == sorted([9.0, round(8 * math.pi, 9)])
    assert sorted(c.length for c in behind) == pytest.approx([2, 11])


def test_texts_know_the_room_they_fill() -> None:
    upright = Text(10, 10, "120", 2.5, math.pi / 2, "middle")
    x0, y0 = upright.corners.min(axis=0)
    x1, y1 = upright.corners.max(axis=0)
    assert x1 - x0 == pytest.approx(2.5) and y1 - y0 == pytest.approx(upright.width)
    assert (y0 + y1) / 2 == pytest.approx(10) and x1 == pytest.approx(10)
    assert Text(0, 0, "1000").width == pytest.approx(4 * Text(0, 0, "0").width)


def test_every_sheet_has_its_frame() -> None:
    for name, (width, height) in SHEETS.items():
        x0, y0, x1, y1 = drawing_area(name)
        assert (x0, y0, width - x1, height - y1) == (20, 10, 10, 10)


def test_a_diameter_is_shown_at_a_circle_of_its_size() -> None:
    body = part(PLATE)
    needs = needs_of([body])
    views: Any = [drawn_view([body], v, needs.rounds) for v in ("front", "top")]
    shown = [d for d in chosen(needs, views) if isinstance(d, Roundness)]
    assert len(shown) == 1 and shown[0].view == "top" and shown[0].count == 2 and shown[0].inside
    assert tuple(round(v, 6) for v in shown[0].centre) == (80, 45)


@pytest.mark.parametrize("how", ["engrave", "raise"])
def test_art_is_drawn_and_not_dimensioned_but_for_its_size_and_place(how: str, tmp_path: Path) -> None:
    star = " ".join(f"{20 + 9 * math.cos(a) * (1 + k % 2):.3f},{20 + 9 * math.sin(a) * (1 + k % 2):.3f}"
                    for k, a in enumerate(np.linspace(0, math.tau, 40, endpoint=False)))  # fmt: skip
    (tmp_path / "star.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="40mm" viewBox="0 0 40 40">'
        f'<polygon points="{star}"/></svg>'
    )
    plate = part(PLATE)
    bare = texts(sheet_of([plate], Wishes()))
    face = next(n for n in plate.names if n.role == "end")
    kind = OPERATIONS["engrave"]
    params = kind.params.model_validate(
        {"source": "star.svg", "face": {"name": face.key, "body": plate.key}, "how": how, "depth": 1, "width": 20}
    )
    source = SourceFile("star.svg", tmp_path / "star.svg", "x")
    workpiece = kind.apply(Workpiece(bodies=(plate,)), params, Context(20, {"star.svg": source}))
    assert len(workpiece.bodies[0].faces) > 40
    sheet = drawn_sheet(workpiece, DrawSheetParams(), {})
    more = Counter(texts(sheet)) - bare
    assert sum(more.values()) <= 6, "low and high along each axis at most"
    assert sum(texts(drawn_sheet(replace(workpiece, art=frozenset()), DrawSheetParams(), {})).values()) > 20
    assert any(s.pen == "outline" for s in sheet.ink.strokes) and not sheet.open
