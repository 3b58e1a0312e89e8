"""PDF pages written by hand, so that every operator is known, against closed forms."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import pypdfium2 as pdfium
import pytest
from tectogon.curves import LINE, SPLINE
from tectogon.errors import UnreadableFile
from tectogon.formats import ReadOptions, ReadResult, read_drawing
from tectogon.workpiece.model import Drawing


def write_pdf(path: Path, *pages: str, form: str = "", extra: str = "", rotate: int = 0) -> Path:
    """A PDF whose pages draw what the strings say; /F1 is a form."""
    objects = [
        "<< /Type /Catalog /Pages 2 0 R >>",
        f"<< /Type /Pages /Kids [{' '.join(f'{4 + 2 * n} 0 R' for n in range(len(pages)))}] /Count {len(pages)} >>",
    ]
    objects.append(
        f"<< /Type /XObject /Subtype /Form /BBox [-1000 -1000 2000 2000] /Matrix [1 0 0 1 10 0] /Length {len(form)}"
        f" >>\nstream\n{form}\nendstream"
    )
    for n, content in enumerate(pages):
        objects.append(
            f"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 300 200] /Rotate {rotate} {extra} /Resources << /XObject <<"
            f" /F1 3 0 R >> >> /Contents {5 + 2 * n} 0 R >>"
        )
        objects.append(f"<< /Length {len(content)} >>\nstream\n{content}\nendstream")
    out, places = b"%PDF-1.6\n", []
    for n, body in enumerate(objects, 1):
        places.append(len(out))
        out += f"{n} 0 obj\n{body}\nendobj\n".encode()
    table = "".join(f"{p:010d} 00000 n \n" for p in places)
    out += (
        f"xref\n0 {len(places) + 1}\n0000000000 65535 f \n{table}trailer << /Size {len(places) + 1} /Root 1 0 R"
        f" >>\nstartxref\n{len(out)}\n%%EOF".encode()
    )
    path.write_bytes(out)
    return path


def area(result: ReadResult) -> float:
    return sum(r.area for r in Drawing(result.linework).regions.profiles)


K = 0.5522847498307936
CIRCLE = (
    f"70 50 m 70 {50 + 20 * K} {50 + 20 * K} 70 50 70 c {50 - 20 * K} 70 30 {50 + 20 * K} 30 50 c 30 {50 - 20 * K}"
    f" {50 - 20 * K} 30 50 30 c {50 + 20 * K} 30 70 {50 - 20 * K} 70 50 c h"
)


@pytest.mark.parametrize(
    ("content", "expected"),
    [
        ("10 10 40 20 re f", 800),
        (f"{CIRCLE} f", math.pi * 400),
        ("0 0 40 40 re 10 10 20 20 re f*", 1200),
        ("0 0 40 40 re 10 10 20 20 re f", 1600),
        ("0 0 40 40 re f 1 g 10 10 20 20 re f", 1200),
        ("q 2 0 0 3 5 5 cm 0 0 10 10 re f Q", 600),
        ("q 0.866 0.5 -0.5 0.866 100 50 cm 0 0 10 10 re f Q", 100 * (0.866**2 + 0.25)),
        ("q 2 0 0 2 0 0 cm /F1 Do Q", 4 * 50),
    ],
)
def test_filled_shapes(tmp_path: Path, content: str, expected: float) -> None:
    result = read_drawing(write_pdf(tmp_path / "a.pdf", content, form="0 0 5 10 re f"))
    assert area(result) == pytest.approx(expected, rel=1e-3 if "c h" in content else 1e-5)
    assert (result.format, result.version, result.declared_unit) == ("PDF", "1.6", "pt")


def test_what_is_filled_beyond_the_page_is_cut_off_and_said(tmp_path: Path) -> None:
    """A page of 300 × 200: a square of 40 half over its left edge, one wholly beyond it, a line over its edge."""
    result = read_drawing(write_pdf(tmp_path / "a.pdf", "-20 10 40 40 re f 320 10 40 40 re f 280 100 m 340 100 l S"))
    assert area(result) == pytest.approx(20 * 40, rel=1e-9)
    assert [n.text for n in result.linework.notes if n.code == "over_the_edge"] == [
        "2 filled shapes run over the edge of the page; what lies beyond it is not shown by the page, and was cut off:"
        f" at most {40 * 40 * (25.4 / 72) ** 2:.4g} mm², near x 119.9, y 10.58 mm of the page."
    ]
    assert result.linework.table.extents[2] == pytest.approx(340)  # strokes stay whole: they are the linework


def test_an_outline_that_could_not_be_cut_is_followed_and_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The exact arrangement is made to lose a piece: the second opinion notices, stands in, and says so."""
    from tectogon.profiles import fills

    exact = fills._exactly

    def losing(*args: Any) -> Any:
        outline, area = exact(*args)
        return outline, 0.7 * area

    monkeypatch.setattr(fills, "_exactly", losing)
    result = read_drawing(write_pdf(tmp_path / "a.pdf", f"{CIRCLE} f 5 45 100 10 re f"))
    (note,) = [n for n in result.linework.notes if n.code == "outline_followed"]
    assert "followed within" in note.text
    monkeypatch.undo()
    truth = read_drawing(tmp_path / "a.pdf")
    assert not [n for n in truth.linework.notes if n.code == "outline_followed"]
    assert area(result) == pytest.approx(area(truth), rel=1e-3)


def test_strokes_give_centre_lines_or_their_ink(tmp_path: Path) -> None:
    path = write_pdf(
        tmp_path / "a.pdf",
        "4 w 0 J 10 10 m 60 10 l S 2 w 1 J q 2 0 0 2 0 0 cm 20 40 m 50 40 l S Q [6 2 1 2] 0 d 10 100 m 90 100 l S 0 0 m"
        " 10 30 20 30 30 0 c S",
    )
    lines = read_drawing(path).linework
    assert sorted(lines.table.kind.tolist()) == [LINE, LINE, LINE, SPLINE]
    dashed = lines.linetypes[int(lines.linetype_of[2])]
    assert dashed.is_guide
    ink = read_drawing(
        write_pdf(tmp_path / "b.pdf", "4 w 0 J 10 10 m 60 10 l S 2 w 1 J q 2 0 0 2 0 0 cm 20 40 m 50 40 l S Q"),
        ReadOptions(strokes="outline"),
    )
    assert area(ink) == pytest.approx(200 + 60 * 4 + math.pi * 4, rel=1e-6)


def test_pages_scale_region_and_rotation(tmp_path: Path) -> None:
    path = write_pdf(tmp_path / "a.pdf", "0 0 10 10 re f", "0 0 20 10 re f 100 100 30 30 re f")
    assert area(read_drawing(path)) == pytest.approx(100)
    second = read_drawing(path, ReadOptions(page=2))
    assert (second.pages, area(second)) == (2, pytest.approx(1100))
    assert area(read_drawing(path, ReadOptions(page=2, drawing_scale=2.0, region=(90, 90, 60, 60)))) == pytest.approx(
        3600
    )
    with pytest.raises(UnreadableFile, match="has 2 pages"):
        read_drawing(path, ReadOptions(page=3))
    turned = read_drawing(write_pdf(tmp_path / "r.pdf", "0 0 20 10 re f", rotate=90)).linework.extents
    assert turned == pytest.approx([0, 280, 10, 300], abs=1e-4)


def test_what_can_t_be_read_is_said(tmp_path: Path) -> None:
    (tmp_path / "x.pdf").write_bytes(b"%PDF-1.4\nnonsense")
    with pytest.raises(UnreadableFile, match="damaged"):
        read_drawing(tmp_path / "x.pdf")
    with pytest.raises(UnreadableFile, match="no lines"):
        read_drawing(write_pdf(tmp_path / "e.pdf", ""))
    assert len(pdfium.PdfDocument(tmp_path / "e.pdf")) == 1
