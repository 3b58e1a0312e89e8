"""What runs in the warm child process: the core, no Django. It may be killed at any time; it writes whole files only.

Preloaded by the fork server, so that a fresh child is ready within a second.
"""

from __future__ import annotations

import gc
import json
import resource
import time
from pathlib import Path
from typing import Any

import tectogon.operations.building  # noqa: F401  (loads the solid kernel ahead)
from tectogon.display.part import distance_between, figures_of, part_parcel
from tectogon.display.picture import part_picture
from tectogon.display.sheet import sheet_parcel
from tectogon.errors import NothingToBuild
from tectogon.formats.dxf_out import regions_as_dxf
from tectogon.operations.workpiece import Workpiece
from tectogon.route import run_card
from tectogon.route.cache import DiskStore, write_whole
from tectogon.route.card import Card, card_from
from tectogon.route.gauges import gauges_of
from tectogon.solids import exchange

_SAY_NOTHING_FOR = 0.3

_STORES: dict[str, DiskStore] = {}


def start(memory: int) -> None:
    """Called once in each child: a limit on its memory. What is loaded by now stays, so the collector need not look at it again."""
    gc.freeze()
    if memory:
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))


def warm() -> bool:
    return True


def run(card: dict[str, Any], sources: dict[str, str], folder: str, progress_file: str) -> dict[str, Any]:
    """Run a card and leave what the screen needs in the results folder. Returns the report."""
    results = Path(folder)
    outcome = run_card(card_from(card), {n: Path(p) for n, p in sources.items()}, store=_store(folder), progress=_teller(progress_file))
    workpiece = outcome.workpiece
    if not (results / f"{outcome.drawing_key}.sheet").exists():
        write_whole(results / f"{outcome.drawing_key}.sheet", sheet_parcel(workpiece))
    figures = figures_of(workpiece)
    if not (results / f"{outcome.key}.part").exists():
        write_whole(results / f"{outcome.key}.part", part_parcel(workpiece, figures))
    report = {
        "key": outcome.key,
        "drawing_key": outcome.drawing_key,
        "steps": [s.as_json() for s in outcome.steps],
        "gauges": [g.as_json() for g in gauges_of(workpiece, outcome.steps)],
        "figures": figures,
    }
    write_whole(results / f"{outcome.key}.report", json.dumps(report).encode())
    return report


def picture(card: dict[str, Any], sources: dict[str, str], folder: str) -> bytes:
    """A small picture of the part."""
    return part_picture(_workpiece(card, sources, folder))


def export(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """Write a file of the part into the results folder under `key`."""
    workpiece = _workpiece(card, sources, folder)
    kind, name = options["kind"], options["name"]
    watertight: bool | None = None
    if kind == "dxf":
        data = regions_as_dxf(workpiece.drawing.regions, options.get("profiles") or None, version=options.get("version", "R2010"))
    else:
        chord, angle = float(options.get("chord_mm", 0.05)), float(options.get("angle_rad", 0.35))
        data, watertight = exchange.write(workpiece.bodies, kind, name, chord_tol=chord, angle_tol=angle)
    write_whole(Path(folder) / f"{key}.file", data)
    return {"bytes": len(data), "watertight": watertight}


def distance(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """The distance between two pieces of the part, left in the results folder under `key`."""
    found = distance_between(_workpiece(card, sources, folder), *(tuple(options[name]) for name in ("a", "b")))
    write_whole(Path(folder) / f"{key}.file", json.dumps(found).encode())
    return found


def _workpiece(card: dict[str, Any], sources: dict[str, str], folder: str) -> Workpiece:
    checked: Card = card_from(card)
    outcome = run_card(checked, {n: Path(p) for n, p in sources.items()}, store=_store(folder))
    if outcome.failed and not outcome.workpiece.bodies and not len(outcome.workpiece.drawing.linework):
        raise NothingToBuild(outcome.failed.message)
    return outcome.workpiece


def _store(folder: str) -> DiskStore:
    if folder not in _STORES:
        _STORES[folder] = DiskStore(Path(folder))
    return _STORES[folder]


def _teller(path: str) -> Any:
    """Says which step is at work, for those who have waited a while already."""
    started = time.monotonic()

    def tell(step: int, steps: int, sentence: str) -> None:
        if time.monotonic() - started < _SAY_NOTHING_FOR:
            return
        write_whole(Path(path), json.dumps({"step": step + 1, "steps": steps, "text": sentence[:250]}).encode())

    return tell
