"""A library as one file, so that it can be handed to another workshop: a zip with `library.json`, which says what each
section is, and a DXF in millimetres for each.

    library.json    {"version": 1, "sections": [{"file": "sections/1 C-60.dxf", "number": "C-60", …}]}

A file from a stranger is read with limits, in memory alone: no name in it becomes a path.
"""

from __future__ import annotations

import io
import json
import re
import tempfile
import zipfile
import zlib
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from pydantic import ValidationError

from tectogon.curves import CurveTable
from tectogon.errors import OverLimit, TectogonError, UnreadableFile
from tectogon.formats import ReadOptions, read_drawing
from tectogon.library.section import LibrarySection, SectionFacts, section_from

VERSION = 1
MOST_SECTIONS = 5000
MOST_BYTES = 400_000_000
_MOST_ENTRY = 20_000_000
_DAMAGED = (zipfile.BadZipFile, zlib.error, ValueError, NotImplementedError, EOFError, OSError, RuntimeError)
"""What damaged archives are met with."""
_INDEX = "library.json"


def write_library(sections: Sequence[LibrarySection]) -> bytes:
    """The sections as one file."""
    out = io.BytesIO()
    index = []
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for n, section in enumerate(sections, 1):
            name = f"sections/{n} {re.sub(r'[^A-Za-z0-9_-]+', '-', section.facts.number)[:60]}.dxf"
            archive.writestr(zipfile.ZipInfo(name), section.dxf(), zipfile.ZIP_DEFLATED)
            index.append({"file": name, **section.facts.model_dump(mode="json"), "figures": section.figures()})
        text = json.dumps({"version": VERSION, "sections": index}, indent=1, ensure_ascii=False)
        archive.writestr(zipfile.ZipInfo(_INDEX), text.encode(), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_library(data: bytes) -> tuple[list[LibrarySection], list[str]]:
    """The sections of a file, and in sentences which of them can't be read. Raises UnreadableFile for what is no
    library, OverLimit."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = {entry.filename: entry for entry in archive.infolist()}
        if len(entries) > 2 * MOST_SECTIONS or len(archive.infolist()) > 2 * MOST_SECTIONS:
            raise OverLimit(f"The library has {len(archive.infolist())} entries; {2 * MOST_SECTIONS} are read at most.")
        if sum(e.file_size for e in entries.values()) > MOST_BYTES:
            raise OverLimit(f"The library unfolds to more than {MOST_BYTES // 1_000_000} MB.")
        if _INDEX not in entries:
            raise UnreadableFile(f"This is no library of sections: it has no {_INDEX}.")
        index = json.loads(_entry(archive, entries[_INDEX]))
        rows = index["sections"]
        if not isinstance(rows, list):
            raise TypeError
    except (*_DAMAGED, KeyError, TypeError, RecursionError):
        raise UnreadableFile("This is no library of sections, or it is damaged.") from None
    if len(rows) > MOST_SECTIONS:
        raise OverLimit(f"The library has {len(rows)} sections; {MOST_SECTIONS} are read at most.")
    sections: list[LibrarySection] = []
    problems: list[str] = []
    drawings: dict[bytes, CurveTable] = {}
    for n, row in enumerate(rows, 1):
        called = str(row.get("number", n))[:60] if isinstance(row, dict) else str(n)
        try:
            facts = SectionFacts.model_validate(row)
            entry = entries.get(str(row.get("file", "")))
            if entry is None:
                problems.append(f"Section {called}: its drawing is not in the library.")
                continue
            data = _entry(archive, entry)
            if data not in drawings:
                drawings[data] = _read(data, facts)
            sections.append(section_from(drawings[data], facts))
        except ValidationError as problem:
            where = ".".join(map(str, problem.errors()[0]["loc"])) or "it"
            problems.append(f"Section {called}: “{where}” can't be read.")
        except _DAMAGED:
            problems.append(f"Section {called}: its drawing is damaged.")
        except TectogonError as problem:
            problems.append(f"Section {called}: {problem.sentence}")
    counts = Counter(s.facts.number for s in sections)
    problems += [f"The number {number} comes {k} times." for number, k in counts.items() if k > 1]
    return sections, problems


def _entry(archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> bytes:
    if entry.file_size > _MOST_ENTRY or entry.flag_bits & 1:
        raise OverLimit(f"“{entry.filename[:80]}” is too large, or locked.")
    with archive.open(entry) as opened:
        return opened.read(_MOST_ENTRY + 1)


def _read(data: bytes, facts: SectionFacts) -> CurveTable:
    with tempfile.NamedTemporaryFile(suffix=".dxf") as file:
        Path(file.name).write_bytes(data)
        found = read_drawing(Path(file.name), ReadOptions(), called=f"the drawing of {facts.number}")
    return found.linework.table
