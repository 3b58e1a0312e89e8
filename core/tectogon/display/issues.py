"""A newer issue of a drawing held against the one that a card reads, as plain data; and the card on the newer one."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from tectogon.errors import NothingToBuild
from tectogon.formats import read_drawing
from tectogon.formats.unit import unit_evidence
from tectogon.linework import Linework
from tectogon.linework.compare import compare
from tectogon.operations.read import ReadParams
from tectogon.route.card import Card, params_of
from tectogon.route.replace import replace_source
from tectogon.units import mm_per_unit

_ANOTHER = 0.2
"""Where less of the older drawing is the same, the newer one is another part altogether."""
_MOST_TOLD = 400


def issues_told(card: Card, old: tuple[str, Path], new: tuple[str, Path], sha256: str) -> dict[str, Any]:
    """What changed from one issue of a source to the next (mm, on the newer sheet), what is to be doubted, and the card
    that reads the newer one. Each is read in its own unit, unless the card says one. Raises NothingToBuild for a file
    without curves, what reading raises, and BadValue where the names don't go together."""
    options = next(
        (p for s in card.steps if s.kind == "read" and (p := _read_of(s)) is not None and p.source == old[0]),
        ReadParams(source=old[0]),
    )
    replaced = replace_source(card, old[0], new[0], sha256)
    before, unit_before = _linework(old, options)
    after, unit_after = _linework(new, options)
    found = compare(before, after)
    doubts = []
    if unit_before != unit_after:
        doubts.append(f"{old[0]} is in {unit_before}, {new[0]} in {unit_after}: look at its unit.")
    if found.share < _ANOTHER and not found.identical:
        doubts.append(f"Only {found.share:.0%} of {old[0]} is the same: this may be another part altogether.")
    changed = [{**asdict(c), "before": _plain(c.before), "after": _plain(c.after)} for c in found.changed]
    if len(changed) > _MOST_TOLD:
        doubts.append(f"{len(changed)} things changed; the first {_MOST_TOLD} are listed.")
    return {
        "old": old[0],
        "new": new[0],
        "shift": list(found.shift),
        "same": found.same,
        "share": found.share,
        "changed": changed[:_MOST_TOLD],
        "counts": {k: sum(c["kind"] == k for c in changed) for k in ("added", "removed", "moved", "resized")},
        "dimensions": [asdict(d) for d in found.dimensions[:_MOST_TOLD]],
        "identical": found.identical,
        "doubts": doubts,
        "card": replaced.model_dump(mode="json"),
    }


def _read_of(step: Any) -> ReadParams | None:
    params = params_of(step)
    return params if isinstance(params, ReadParams) else None


def _linework(file: tuple[str, Path], options: ReadParams) -> tuple[Linework, str]:
    name, path = file
    result = read_drawing(path, options, called=name)
    if not len(result.linework):
        raise NothingToBuild(f"{name} holds no lines, arcs or curves; there is nothing to compare.")
    unit = unit_evidence(result).proposed
    if options.unit != "auto":
        unit = options.unit
    return result.linework.scaled(mm_per_unit(unit)), unit


def _plain(value: tuple[float, float] | float | None) -> list[float] | float | None:
    return list(value) if isinstance(value, tuple) else value
