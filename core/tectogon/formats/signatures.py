"""What the first bytes of a file say it is; the file's name is never asked. Without any of the libraries that read
it."""

from __future__ import annotations

import re

_LONGEST_NUMBER = 64
_MARKS = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"II*\x00", b"MM\x00*", b"BM")


def is_dxf(head: bytes) -> bool:
    """A group code 0 or 999 on the first line of text, or the mark of the binary form."""
    if head[:22].endswith(b"Binary DXF\r\n\x1a\x00"):
        return True
    lines = head.lstrip(b"\xef\xbb\xbf \r\n\t").split(b"\n", 2)
    if b"\x00" in head or len(lines) < 2:
        return False
    return lines[0].strip() == b"999" or (lines[0].strip() == b"0" and lines[1].strip().upper() == b"SECTION")


def is_dwg(head: bytes) -> bool:
    """The version mark "AC10…" or older and newer ones, at the very start."""
    return head[:2] == b"AC" and head[2:6].isdigit() and b"\n" not in head[:6]


def is_svg(head: bytes) -> bool:
    """An <svg element among the first tags, or a packed file (looked into when it is read)."""
    if head[:2] == b"\x1f\x8b":
        return True
    text = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    if text[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "<svg" in head.decode("utf-16", "ignore")
    return text[:1] == b"<" and re.search(rb"<(?:\w+:)?svg[\s>]", head) is not None


def is_pdf(head: bytes) -> bool:
    """Whether the first bytes of a file are those of a PDF."""
    return b"%PDF-" in head[:1024]


def is_gerber(head: bytes) -> bool:
    """A format or unit statement of RS-274X, or the head of a drill file."""
    return re.search(rb"%(?:FS[LTD]|MO(?:MM|IN)\*|ADD\d|AM\w|TF\.)", head) is not None


def is_drill(head: bytes) -> bool:
    """Whether the first bytes of a file are those of a drill table."""
    lines = head.split(b"\n")
    return any(line.strip() == b"M48" for line in lines[:60]) and b"\x00" not in head


def is_picture(head: bytes) -> bool:
    """Whether the first bytes of a file are those of a picture of pixels."""
    return head.startswith(_MARKS)


def is_coordinates(head: bytes) -> bool:
    """Two rows of two or more numbers, in plain text."""
    if b"\x00" in head or head.lstrip()[:1] in (b"<", b"{", b"%"):
        return False
    text = head.decode("latin-1")
    lines = text.splitlines()[: -1 if len(head) >= 4096 else None]
    return sum(is_row(line.partition("#")[0]) for line in lines) >= 2


def is_step(head: bytes) -> bool:
    """The first line of a STEP file."""
    return b"ISO-10303-21" in head[:256].lstrip(b"\xef\xbb\xbf \t\r\n")


def is_row(line: str) -> bool:
    """Whether a line holds two or more numbers and nothing else. Without a pattern: one that tells numbers apart can be
    made to try for ever.

    >>> is_row("1.0, 2e-3;"), is_row("12 3 ab"), is_row("1" * 200)
    (True, False, False)
    """
    parts = line.replace(",", " ").replace(";", " ").split()
    return len(parts) >= 2 and all(map(is_number, parts))


def is_number(text: str) -> bool:
    """Whether a text is a number as files write them: digits with a point and an exponent, which may be a D."""
    if len(text) > _LONGEST_NUMBER or (not text[-1:].isdigit() and text[-1:] != "."):
        return False
    if text[0] not in "+-.0123456789" or "_" in text:
        return False
    try:
        float(text.replace("D", "e").replace("d", "e"))
    except ValueError:
        return False
    return True
