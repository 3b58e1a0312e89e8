"""The command `compare`: two issues of a drawing."""

from __future__ import annotations

import argparse
import functools
from typing import Any

from tectogon.cli.answers import Answer, guarded
from tectogon.cli.drawings import read_file
from tectogon.errors import NothingToBuild
from tectogon.linework.compare import compare

_ANOTHER = 0.2
"""Where less of the older drawing is the same, the newer one is another part altogether."""


def compare_issues(options: argparse.Namespace) -> Any:
    """The command `compare`."""
    yield guarded(str(options.new), functools.partial(_compared, options))


def _compared(options: argparse.Namespace, answer: Answer) -> None:
    _, _, old, _ = read_file(options.old, options, answer)
    _, _, new, _ = read_file(options.new, options, answer)
    for path, linework in ((options.old, old), (options.new, new)):
        if not len(linework):
            raise NothingToBuild(f"{path.name} holds no lines, arcs or curves; there is nothing to compare.")
    found = compare(old, new)
    if found.share < _ANOTHER and not found.identical:
        text = f"Only {found.share:.0%} of {options.old.name} is the same: this may be another part altogether."
        answer.warnings.append({"code": "another_part", "text": text, "where": None})
    answer.keys = {
        "shift_mm": list(found.shift),
        "same": found.same,
        "share_same": found.share,
        "changed": [
            {"kind": c.kind, "what": c.what, "at": list(c.at), "from": _plain(c.before), "to": _plain(c.after)}
            for c in found.changed
        ],
        "dimensions": [{"text_old": d.old, "text_new": d.new, "at": list(d.at)} for d in found.dimensions],
        "identical": found.identical,
    }


def _plain(value: tuple[float, float] | float | None) -> list[float] | float | None:
    return list(value) if isinstance(value, tuple) else value
