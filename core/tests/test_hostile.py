"""Files made to hang or to eat the memory: each ends soon, in a sentence. All are small, and written here."""

from __future__ import annotations

import gzip
import io
import json
import time
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from tectogon.cli import main
from tectogon.formats import format_of
from tectogon.formats.signatures import is_number, is_row

SECONDS = 40.0


def pdf(*objects: bytes) -> bytes:
    """A PDF of these objects, numbered from 1; the first is the catalogue."""
    out = io.BytesIO(b"%PDF-1.5\n")
    out.seek(0, 2)
    places = []
    for n, body in enumerate(objects, 1):
        places.append(out.tell())
        out.write(b"%d 0 obj\n%s\nendobj\n" % (n, body))
    start = out.tell()
    out.write(
        b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1) + b"".join(b"%010d 00000 n \n" % p for p in places)
    )
    out.write(b"trailer << /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF" % (len(objects) + 1, start))
    return out.getvalue()


def stream(dictionary: bytes, data: bytes) -> bytes:
    return b"<< %s /Length %d >>\nstream\n%s\nendstream" % (dictionary, len(data), data)


CATALOGUE = b"<< /Type /Catalog /Pages 2 0 R >>"
PAGES = b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>"
PAGE = (
    b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 200 200] /Contents 4 0 R /Resources << /XObject << /F 5 0 R >> >> >>"
)


def form_that_calls_itself() -> bytes:
    form = stream(
        b"/Type /XObject /Subtype /Form /BBox [0 0 200 200] /Resources << /XObject << /F 5 0 R >> >>",
        b"/F Do /F Do 0 0 m 9 9 l S",
    )
    return pdf(CATALOGUE, PAGES, PAGE, stream(b"", b"/F Do"), form)


def form_that_doubles() -> bytes:
    forms = []
    for n in range(5, 29):
        forms.append(
            stream(
                b"/Type /XObject /Subtype /Form /BBox [0 0 200 200] /Resources << /XObject << /F %d 0 R >> >>"
                % (n + 1),
                b"/F Do /F Do",
            )
        )
    forms.append(stream(b"/Type /XObject /Subtype /Form /BBox [0 0 200 200]", b"0 0 m 9 9 l S"))
    return pdf(CATALOGUE, PAGES, PAGE, stream(b"", b"/F Do"), *forms)


def packed_twice() -> bytes:
    inner = zlib.compress(b"0 0 m 1 1 l S\n" * 30_000_000, 9)
    return pdf(CATALOGUE, PAGES, PAGE, stream(b"/Filter [/FlateDecode /FlateDecode]", zlib.compress(inner, 9)))


def huge_picture_in_a_page() -> bytes:
    data = zlib.compress(b"\0" * 30_000_000, 9)
    image = stream(
        b"/Type /XObject /Subtype /Image /Width 30000 /Height 30000 /ColorSpace /DeviceRGB /BitsPerComponent 8 /Filter"
        b" /FlateDecode",
        data,
    )
    return pdf(CATALOGUE, PAGES, PAGE, stream(b"", b"q 200 0 0 200 0 0 cm /F Do Q"), image)


def packed_svg() -> bytes:
    return gzip.compress(b'<svg xmlns="http://www.w3.org/2000/svg">' + b"<g/>" * 60_000_000, 9)


def noise(mode: str) -> Callable[[], bytes]:
    def made() -> bytes:
        chooser = np.random.default_rng(1)
        out = io.BytesIO()
        pixels = chooser.integers(0, 256, (5000, 5000), np.uint8)
        Image.fromarray(pixels if mode == "L" else pixels.astype(np.uint16) * 256).save(out, "PNG", compress_level=1)
        return out.getvalue()

    return made


def deep_picture() -> bytes:
    out = io.BytesIO()
    Image.new("I;16", (10_900, 10_900)).save(out, "TIFF", compression="tiff_lzw")
    return out.getvalue()


GERBER = b"%FSLAX46Y46*%\n%MOMM*%\n"


def crossing_lines() -> bytes:
    lines = "".join(
        f'<path d="M0 {n} L1000 {1000 - n} M{n} 0 L{1000 - n} 1000" stroke="black" fill="none"/>' for n in range(1200)
    )
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000">{lines}</svg>'.encode()


def repeated_block() -> bytes:
    foil = "".join(f"{(1 - t / 40) ** 2:.5f} {0.1 * (t / 40) * (1 - t / 40):.5f}\n" for t in range(41))
    return ("hull\n" + foil * 400).encode()


HOSTILE: dict[str, Callable[[], bytes]] = {
    "digits-then-a-word.txt": lambda: b" ".join([b"123"] * 16) + b" x\n" + b" ".join([b"123"] * 16) + b" x\n",
    "one-long-number.dat": lambda: b"1" * 3_000_000 + b"\n2 3\n4 5\n",
    "repeated-block.dat": repeated_block,
    "calls-itself.pdf": form_that_calls_itself,
    "doubles.pdf": form_that_doubles,
    "packed-twice.pdf": packed_twice,
    "huge-picture.pdf": huge_picture_in_a_page,
    "packed.svgz": packed_svg,
    "comments.svg": lambda: (
        b'<!DOCTYPE svg [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg">' + b"<!--" * 200_000
    ),
    "rules.svg": lambda: (
        b'<svg xmlns="http://www.w3.org/2000/svg"><style>'
        + b"a{" * 300_000
        + b"</style><rect width='9' height='9'/></svg>"
    ),
    "style-comments.svg": lambda: (
        b'<svg xmlns="http://www.w3.org/2000/svg"><style>'
        + b"/*" * 300_000
        + b"</style><rect width='9' height='9'/></svg>"
    ),
    "length.svg": lambda: (
        b'<svg xmlns="http://www.w3.org/2000/svg"><rect stroke-width="'
        + b"1" * 300_000
        + b'x" width="9" height="9"/></svg>'
    ),
    "spaces.svg": lambda: (
        b'<svg xmlns="http://www.w3.org/2000/svg"><rect stroke-width="1'
        + b" " * 300_000
        + b'x" width="9" height="9"/></svg>'
    ),
    "repeats-nothing.gbr": lambda: GERBER + b"%SRX1000000Y1000000I1J1*%\n%SR*%\n%ADD10C,1*%\nD10*\nX0Y0D03*\nM02*\n",
    "corners.gbr": lambda: GERBER + b"%ADD10P,1X1000000000*%\nD10*\nX0Y0D03*\nM02*\n",
    "macro-thermal.gbr": lambda: GERBER + b"%AMT*7,0,0,1,0.5,0.1,0*%\n%ADD10T*%\nD10*\nX0Y0D03*\nM02*\n",
    "macro-parameter.gbr": lambda: GERBER + b"%AMT*1,1,$999999999,0,0*%\n%ADD10T,1*%\nD10*\nX0Y0D03*\nM02*\n",
    "newlines.drl": lambda: b"M48\n" + b"\n" * 400_000 + b"X\n",
    "noise.png": noise("L"),
    "noise-16-bit.png": noise("I;16"),
    "deep.tiff": deep_picture,
    "crossing-lines.svg": crossing_lines,
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_ends_soon_in_a_sentence(name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / name
    path.write_bytes(HOSTILE[name]())
    for command in ("inspect", "profiles"):
        started = time.monotonic()
        status = main([command, str(path), "--json"])
        took = time.monotonic() - started
        answer: dict[str, Any] = json.loads(capsys.readouterr().out)
        assert status in (0, 3, 4), answer["message"]
        assert status == 0 or len(answer["message"]) > 20
        assert took < SECONDS, f"{command} took {took:.0f} s"


@pytest.mark.parametrize(
    "head",
    [
        b" ".join([b"123"] * 16) + b" word",
        b"1" * 4096,
        b"1." * 2048,
        b"-" * 4096,
        b"1e" * 2000,
        b" \t" * 2048,
        b"%" * 4096,
        b"<" * 4096,
    ],
)
def test_telling_a_file_by_its_first_bytes_takes_no_time(head: bytes) -> None:
    started = time.monotonic()
    for _ in range(20):
        format_of(head)
    assert time.monotonic() - started < 1.0


def test_rows_and_numbers_are_told_without_a_pattern() -> None:
    assert all(map(is_number, ("1", "-1.", "+.5", "1e5", "1.5D-03", "2E+7")))
    assert not any(map(is_number, ("", "-", "1e", "nan", "inf", "1_0", "0x1", "1 2", "e5", ".", "1" * 65)))
    assert is_row(" 1.0,  2.0 ;")
    assert not is_row("1.0")


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("far.svg", '<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0H5e8V10H0z"/></svg>'),
        ("far.dat", "hull\n0 0\n1e8 0\n1e8 5\n0 5\n"),
        ("far.gbr", "%FSLAX66Y66*%\n%MOIN*%\n%ADD10C,1*%\nD10*\nX0Y0D03*\nX999999999999Y0D03*\nM02*\n"),
        ("one-wild-point.dat", "hull\n" + "".join(f"{n} {n % 7}\n" for n in range(60)) + "9e7 3\n"),
    ],
)
def test_absurd_extents_are_doubted_in_words(
    name: str, text: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / name).write_text(text)
    main(["inspect", str(tmp_path / name), "--json"])
    answer = json.loads(capsys.readouterr().out)
    assert {"extents_absurd", "unit_unsure"} <= {w["code"] for w in answer["warnings"]}, answer


CORPUS = sorted(p for p in (Path(__file__).parent / "corpus").iterdir() if p.suffix != ".md")


@pytest.mark.parametrize("path", CORPUS, ids=lambda p: p.name)
def test_what_once_was_a_fault_is_none_any_more(path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for command in ("inspect", "profiles"):
        assert main([command, str(path), "--json"]) in (0, 3, 4), capsys.readouterr().err
