"""The report on a part and its drawing, and the bundle that goes out."""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path

import pypdfium2
from drawn_parts import made_part, read_back
from tectogon.display.bundle import bundle_of
from tectogon.display.match_report import report_of
from tectogon.display.views import check_told
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.sheet import Wishes, sheet_of
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.reconstruction.part_from_views import build_from_views
from tectogon.workpiece.model import Workpiece

TITLE = {"name": "Rib", "number": "FM-7", "issue": "2", "drawn_by": "Ines", "date": "2026-01-01", "owner": "Fernmoor"}


def rebuilt(tmp_path: Path, seed: int = 1) -> Workpiece:
    path = tmp_path / "sheet.dxf"
    path.write_bytes(dxf_of(sheet_of([made_part(seed)], Wishes())))
    workpiece = read_back(path)
    bodies, _ = build_from_views(workpiece, 10)
    return Workpiece(drawing=workpiece.drawing, views=workpiece.views, bodies=bodies)


def words_of(data: bytes) -> str:
    document = pypdfium2.PdfDocument(data)
    assert 1 <= len(document) <= 2
    return "".join(page.get_textpage().get_text_range() for page in document)


def test_the_report_of_a_part_that_agrees(tmp_path: Path) -> None:
    workpiece = rebuilt(tmp_path)
    told = check_told(workpiece)
    assert all(v["agrees"] and v["differences"] == 0 for v in told["views"])
    assert told["sizes"] and all(s["agrees"] for s in told["sizes"])
    words = words_of(report_of(workpiece, TITLE))
    assert "The part agrees with its drawing." in words and "FM-7, issue 2; Fernmoor" in words
    assert words.count("nothing differs") == len(told["views"])


def test_the_report_of_one_that_differs_names_it(tmp_path: Path) -> None:
    workpiece = rebuilt(tmp_path)
    other = Workpiece(drawing=workpiece.drawing, views=workpiece.views, bodies=(made_part(5),))
    words = words_of(report_of(other, TITLE))
    assert "The part differs from its drawing" in words and "no edge of the part" in words and "near x" in words
    german = words_of(report_of(other, TITLE, "de"))
    assert "weicht von seiner Zeichnung ab" in german and "bei x" in german and "Ausgabe 2; Fernmoor" in german
    assert not re.search(
        r"[Dd]rawing|\b(edge|near|drawn|view|stated|nothing|part)\b", german.replace(TITLE["name"], "")
    )


def test_what_was_left_out_within_a_view_is_counted(tmp_path: Path) -> None:
    workpiece = rebuilt(tmp_path)
    front = next(v for v in workpiece.views if v.name == "front")
    gone = sorted(front.curves)[0]
    drawing = workpiece.drawing
    less = Workpiece(
        drawing=type(drawing)(drawing.linework, left_out=drawing.left_out | {gone}),
        views=workpiece.views,
        bodies=workpiece.bodies,
    )
    before = next(v for v in check_told(workpiece)["views"] if v["name"] == "front")["left_out"]["curves"]
    told = next(v for v in check_told(less)["views"] if v["name"] == "front")
    assert told["left_out"]["curves"] == before + 1 and told["left_out"]["mm"] > 0.0


def test_the_bundle_has_the_report_and_says_what_it_lacks(tmp_path: Path) -> None:
    workpiece = rebuilt(tmp_path)
    data, missing = bundle_of(workpiece, DrawSheetParams(), TITLE, {"steps": []}, [])
    names = zipfile.ZipFile(io.BytesIO(data)).namelist()
    assert not missing and any(n.endswith("report.pdf") for n in names) and any(n.endswith("flat.dxf") for n in names)
    small = DrawSheetParams(sheet="A4", scale="10:1")
    data, missing = bundle_of(workpiece, small, TITLE, {"steps": []}, [])
    assert len(missing) == 1 and "no room" in missing[0]
    archive = zipfile.ZipFile(io.BytesIO(data))
    assert "no room" in archive.read(next(n for n in archive.namelist() if n.endswith("missing.txt"))).decode()
