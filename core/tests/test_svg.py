"""SVG against closed forms, against shapely for what is painted, and against files that are broken or hostile."""

from __future__ import annotations

import gzip
import math
from pathlib import Path

import numpy as np
import pytest
import shapely
import svgelements
from hypothesis import given, settings
from hypothesis import strategies as st
from tectogon.curves import Arc, EllipticArc, Spline
from tectogon.errors import OverLimit, UnreadableFile
from tectogon.formats import ReadOptions, ReadResult, read_drawing
from tectogon.formats.svg_path import parse_path
from tectogon.workpiece.model import Drawing

HEAD = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="100mm" height="100mm"'
    ' viewBox="0 0 100 100">'
)


def read(folder: Path, body: str, head: str = HEAD, **options: object) -> ReadResult:
    path = folder / "art.svg"
    path.write_text(f"{head}{body}</svg>")
    return read_drawing(path, ReadOptions.model_validate(options))


def area(result: ReadResult) -> float:
    return sum(r.area for r in Drawing(result.linework).regions.profiles)


@pytest.mark.parametrize(
    ("body", "expected"),
    [
        ('<rect x="10" y="10" width="30" height="20"/>', 600),
        ('<rect x="10" y="10" width="30" height="20" rx="5"/>', 600 - (4 - math.pi) * 25),
        ('<circle cx="50" cy="50" r="10"/><circle cx="50" cy="50" r="4" fill="white"/>', math.pi * 84),
        ('<ellipse cx="50" cy="50" rx="20" ry="10" transform="rotate(30 50 50)"/>', math.pi * 200),
        ('<path d="M0 0h40v40h-40z M10 10h20v20h-20z"/>', 1600),
        ('<path fill-rule="evenodd" d="M0 0h40v40h-40z M10 10h20v20h-20z"/>', 1200),
        ('<path d="M0 0h40v40h-40z M10 10v20h20v-20z"/>', 1200),
        ('<polygon points="0,0 40,0 40,40" transform="matrix(-1 0 0 1 50 0)"/>', 800),
        ('<rect width="30" height="30"/><rect x="20" width="30" height="30" fill="#c00"/>', 1500),
        (
            (
                '<g style="fill:none"><rect width="9" height="9" style="fill:#123"/></g><rect x="50" width="9"'
                ' height="9" fill="none"/>'
            ),
            81,
        ),
        (
            (
                "<style>.a{fill:none} g .b{fill:black} #c{fill:none}</style><g class='a'><rect class='b' width='5'"
                " height='5'/><rect id='c' class='b' width='7' height='7'/></g>"
            ),
            25,
        ),
        (
            (
                '<defs><g id="two"><rect width="4" height="4"/><rect x="6" width="4" height="4"/></g></defs><use'
                ' href="#two"/><use xlink:href="#two" x="20" y="5"/>'
            ),
            64,
        ),
        (
            (
                '<symbol id="s" viewBox="0 0 10 10"><rect width="10" height="10"/></symbol><use href="#s" width="20"'
                ' height="40"/>'
            ),
            400,
        ),
        (
            '<svg x="10" y="10" width="50" height="50" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5"/></svg>',
            math.pi * 625,
        ),
        ('<path d="M10 10 A 20 20 0 1 1 10 10.000001 z"/>', math.pi * 400),
        ('<path d="M0 50a25 25 0 0150 0z"/>', math.pi * 625 / 2),
    ],
)
def test_what_is_painted(tmp_path: Path, body: str, expected: float) -> None:
    result = read(tmp_path, body)
    assert result.declared_unit == "mm"
    assert area(result) == pytest.approx(expected, rel=1e-6)


def test_curves_stay_what_they_are(tmp_path: Path) -> None:
    body = (
        '<g fill="none" stroke="#000"><circle cx="50" cy="20" r="10"/><path d="M0 0C10 30 20 -30 30 0"/><ellipse cx="9"'
        ' cy="9" rx="4" ry="2"/></g>'
    )
    curves = read(tmp_path, body).linework.table.curves()
    assert [type(c) for c in curves] == [Arc, Spline, EllipticArc]
    assert isinstance(curves[0], Arc)
    assert (curves[0].cx, curves[0].cy, curves[0].radius) == pytest.approx((50, 80, 10))


@pytest.mark.parametrize(
    ("head", "declared", "width"),
    [
        ('<svg width="200" height="100">', "px", 10),
        ('<svg width="2in" height="1in" viewBox="0 0 2 1">', "in", 10),
        ('<svg width="50mm" viewBox="0 0 100 100">', "0.5", 10),
        ('<svg viewBox="0 0 100 100">', None, 10),
        ('<svg width="100%" height="100%" viewBox="0 0 100 100">', None, 10),
        ('<svg width="72pt" height="72pt" viewBox="0 0 72 72">', "pt", 10),
    ],
)
def test_the_unit_comes_from_the_page(tmp_path: Path, head: str, declared: str | None, width: float) -> None:
    result = read(tmp_path, '<rect width="10" height="4"/>', head)
    assert result.declared_unit == declared
    x0, _, x1, _ = result.linework.extents
    assert x1 - x0 == pytest.approx(width)


@pytest.mark.parametrize(
    ("style", "expected"),
    [
        ("stroke-linecap='butt' stroke-linejoin='miter'", 40 * 4 + 40 * 4),
        ("stroke-linecap='square' stroke-linejoin='miter'", 40 * 4 + 40 * 4 + 2 * 2 * 4),
        ("stroke-linecap='round' stroke-linejoin='round'", 2 * 40 * 4 + math.pi * 4 - 4 + math.pi),
        ("stroke-linecap='butt' stroke-linejoin='bevel'", 2 * 40 * 4 - 2),
    ],
)
def test_the_inked_outline_of_a_stroke(tmp_path: Path, style: str, expected: float) -> None:
    body = f"<path fill='none' stroke='#000' stroke-width='4' {style} d='M10 10h40v40'/>"
    assert area(read(tmp_path, body, strokes="outline")) == pytest.approx(expected, rel=1e-9)


def test_a_curved_stroke_has_its_length_times_its_width(tmp_path: Path) -> None:
    body = (
        "<g fill='none' stroke='#000' stroke-width='2'><path d='M10 50C30 20 60 80 90 50'/><circle cx='50' cy='80'"
        " r='9'/></g>"
    )
    table = read(tmp_path, body).linework.table
    assert area(read(tmp_path, body, strokes="outline")) == pytest.approx(2 * float(table.lengths.sum()), rel=1e-5)


@settings(deadline=None, max_examples=25)
@given(st.integers(0, 10**6), st.sampled_from(["nonzero", "evenodd"]))
def test_overlapping_shapes_paint_what_their_union_covers(
    tmp_path_factory: pytest.TempPathFactory, seed: int, rule: str
) -> None:
    chooser = np.random.default_rng(seed)
    body, inked = "", shapely.Polygon()
    for n in range(7):
        points = np.round(chooser.uniform(0, 100, (3, 2)), 3)
        shape = shapely.Polygon(points)
        white = n > 2 and chooser.random() < 0.3
        inked = inked.difference(shape) if white else inked.union(shape)
        body += (
            f'<polygon fill-rule="{rule}" fill="{"#fff" if white else "#000"}"'
            f' points="{" ".join(f"{x},{y}" for x, y in points)}"/>'
        )
    assert area(read(tmp_path_factory.mktemp("s"), body)) == pytest.approx(inked.area, rel=1e-6, abs=1e-3)


@settings(deadline=None, max_examples=60)
@given(
    st.lists(
        st.tuples(st.sampled_from("lLhHvVcCsSqQtTaAmMz"), st.lists(st.integers(-50, 50), min_size=7, max_size=7)),
        max_size=9,
    )
)
def test_path_data_ends_where_another_parser_ends(commands: list[tuple[str, list[int]]]) -> None:
    wants = {"m": 2, "l": 2, "h": 1, "v": 1, "c": 6, "s": 4, "q": 4, "t": 2, "a": 7, "z": 0}
    text = before = "M3 4"
    for letter, numbers in commands:
        if (letter in "sS" and before not in "cCsS") or (letter in "tT" and before not in "qQtT"):
            continue  # what the other parser mirrors there is not what the standard says
        before = letter
        n = numbers[: wants[letter.lower()]]
        if letter in "aA":
            n = [abs(n[0]) + 1, abs(n[1]) + 1, n[2], n[3] % 2, n[4] % 2, n[5], n[6]]
        text += letter + " ".join(map(str, n))
    mine, theirs = parse_path(text), svgelements.Path(text)
    assert not mine.broken
    length = sum(c.length for chain in mine.chains for c in chain)
    assert length == pytest.approx(theirs.length(error=1e-7), rel=1e-4, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "error", "words"),
    [
        ("<svg><rect width='5'", UnreadableFile, "breaks off"),
        ("<html><svg ", UnreadableFile, "breaks off"),
        ('<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><svg>&b;</svg>', UnreadableFile, "not opened"),
        (
            '<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg><text>&x;</text></svg>',
            UnreadableFile,
            "not opened",
        ),
        ('<svg><g id="a"><use href="#a"/></g></svg>', UnreadableFile, "uses itself"),
        ("<svg>" + "<g>" * 5000 + "</g>" * 5000 + "</svg>", OverLimit, "deeper than"),
        (
            "<svg><defs><rect id='n0' width='1' height='1'/>"
            + "".join(f"<g id='n{k}'>" + f"<use href='#n{k - 1}'/>" * 10 + "</g>" for k in range(1, 9))
            + "</defs><use href='#n8'/></svg>",
            OverLimit,
            "laid out",
        ),
    ],
)
def test_broken_and_hostile_files_are_refused(tmp_path: Path, text: str, error: type[Exception], words: str) -> None:
    path = tmp_path / "bad.svg"
    path.write_text(text)
    with pytest.raises(error, match=words):
        read_drawing(path)


def test_harmless_oddities_are_read(tmp_path: Path) -> None:
    entity = (
        '<?xml version="1.0"?><!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "x" [<!ENTITY ns'
        ' "http://www.w3.org/2000/svg">]><svg xmlns="&ns;" viewBox="0 0 9 9">'
    )
    assert area(read(tmp_path, '<rect width="3" height="3"/>', entity)) == pytest.approx(9)
    (tmp_path / "p.svgz").write_bytes(gzip.compress(f'{HEAD}<rect width="3" height="3"/></svg>'.encode()))
    assert area(read_drawing(tmp_path / "p.svgz")) == pytest.approx(9)
    broken = read(
        tmp_path,
        '<path fill="none" stroke="#000" d="M0 0L10 0L10 nonsense"/><text>A</text><image/><line x1="1e999" x2="3"/>',
    )
    assert len(broken.linework) == 1
    assert {"text": 1, "image": 1}.items() <= dict(broken.linework.skipped).items()
    assert any(n.code == "text_without_outline" for n in broken.linework.notes)
