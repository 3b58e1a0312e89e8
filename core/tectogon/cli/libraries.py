"""The command `library`: suppliers' drawings become sections of one library."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from tectogon.cli.answers import Answer, WrongCall, guarded
from tectogon.cli.solids import put


def library_of_files(options: argparse.Namespace) -> Any:
    """The command `library`: one answer a drawing, and the library once all are read."""
    from tectogon.errors import NothingToBuild, TectogonError
    from tectogon.library.archive import write_library
    from tectogon.library.cleaning import Cleaned, Numbers, cleaned

    numbers = Numbers()
    kept: list[Cleaned] = []
    if options.out.is_dir():
        raise WrongCall("--out: a file such as LIB.zip is wanted, not a folder.")
    for path, family in _drawings(options.files):

        def one(answer: Answer, path: Path = path, family: str = family) -> None:
            found = numbers.apart(cleaned(path, family=options.family or family, unit=options.units or "auto"))
            kept.append(found)
            section = found.section
            figures = section.figures()
            answer.warnings += [{"code": "look", "text": r, "where": None} for r in found.remarks]
            answer.keys = {
                **section.facts.model_dump(mode="json"),
                "needs_look": bool(found.remarks),
                "closed": True,
                "area_mm2": figures["area"],
                "perimeter_mm": figures["perimeter"],
                "bbox_mm": figures["bbox_mm"],
                "holes": figures["holes"],
                "kg_per_m": figures["kg_per_m"],
                "steps": [s.kind for s in found.card.steps],
            }

        yield guarded(str(path), one)

    def written(answer: Answer) -> None:
        if not kept:
            raise NothingToBuild("No drawing became a section; no library is written.")
        put(options.out, write_library([c.section for c in kept]))
        answer.keys = {"out": str(options.out), "sections": len(kept)}

    try:
        yield guarded(str(options.out), written)
    except TectogonError as problem:
        raise WrongCall(problem.sentence) from None


def _drawings(paths: list[Path]) -> Iterator[tuple[Path, str]]:
    """Files as they are given, and those of folders by name, each with the name of its folder as its family."""
    from tectogon.formats import FORMATS

    endings = {e for f in FORMATS if f.reads and not f.solid for e in f.endings}
    for path in paths:
        if path.is_dir():
            inside = sorted(p for p in path.rglob("*") if p.is_file() and p.suffix.lower() in endings)
            yield from ((p, p.parent.name) for p in inside)
        else:
            yield path, ""
