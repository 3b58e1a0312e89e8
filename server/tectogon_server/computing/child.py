"""What runs in the warm child process: the core, no Django. It may be killed at any time; it writes whole files only.

Preloaded by the fork server, so that a fresh child is ready within a second.
"""

from __future__ import annotations

import gc
import json
import resource
import threading
import time
from pathlib import Path
from typing import Any

import tectogon.operations.building  # noqa: F401  (loads the solid kernel ahead)
from tectogon.display.part import distance_between, figures_of, part_parcel
from tectogon.display.picture import part_picture
from tectogon.display.sheet import drawing_figures, lines_parcel, regions_parcel
from tectogon.display.views import check_told, depths_told
from tectogon.errors import NothingToBuild
from tectogon.formats.coordinates_out import linework_as_coordinates
from tectogon.formats.dxf_out import linework_as_dxf, regions_as_dxf
from tectogon.formats.svg_out import linework_as_svg
from tectogon.operations.viewing import steps_from_views
from tectogon.operations.workpiece import Workpiece
from tectogon.route import run_card
from tectogon.route.cache import DiskStore, write_whole
from tectogon.route.card import Card, card_from
from tectogon.route.gauges import gauges_of
from tectogon.solids import exchange

_SAY_NOTHING_FOR = 0.3
_LARGE = 20_000
"""A drawing of so many curves is shown by its lines before anything is found in it."""

_STORES: dict[str, DiskStore] = {}


def start(memory: int) -> None:
    """Called once in each child: a limit on its memory. What is loaded by now stays, so the collector need not look at it again; and a drawing
    of 100,000 curves is made without its looking through them a hundred times (a quarter of the time)."""
    gc.freeze()
    gc.set_threshold(500_000, 20, 100)
    if memory:
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))


def warm() -> bool:
    return True


def run(card: dict[str, Any], sources: dict[str, str], folder: str, progress_file: str) -> dict[str, Any]:
    """Run a card and leave what the screen needs in the results folder. Returns the report."""
    results = Path(folder)
    teller = _Teller(progress_file, results)
    outcome = run_card(card_from(card), {n: Path(p) for n, p in sources.items()}, store=_store(folder), progress=teller.step, drawn=teller.drawn)
    workpiece = outcome.workpiece
    for what, parcel in (("lines", lines_parcel), ("regions", regions_parcel)):
        if not (results / f"{outcome.drawing_key}.{what}").exists():
            write_whole(results / f"{outcome.drawing_key}.{what}", parcel(workpiece))
    figures = figures_of(workpiece)
    if not (results / f"{outcome.key}.part").exists():
        write_whole(results / f"{outcome.key}.part", part_parcel(workpiece, figures))
    report = {
        "key": outcome.key,
        "drawing_key": outcome.drawing_key,
        "steps": [s.as_json() for s in outcome.steps],
        "gauges": [g.as_json() for g in gauges_of(workpiece, outcome.steps)],
        "figures": figures,
        "drawing": drawing_figures(workpiece),
    }
    write_whole(results / f"{outcome.key}.report", json.dumps(report).encode())
    threading.Thread(target=_store(folder).flush, daemon=True).start()
    return report


def picture(card: dict[str, Any], sources: dict[str, str], folder: str) -> bytes:
    """A small picture of the part."""
    return part_picture(_workpiece(card, sources, folder))


def export(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """Write a file of the part into the results folder under `key`."""
    workpiece = _workpiece(card, sources, folder)
    kind, name = options["kind"], options["name"]
    watertight: bool | None = None
    if kind in ("dxf", "svg", "dat"):
        data = _flat(workpiece, kind, options)
    else:
        chord, angle = float(options.get("chord_mm", 0.05)), float(options.get("angle_rad", 0.35))
        data, watertight = exchange.write(workpiece.bodies, kind, name, chord_tol=chord, angle_tol=angle)
    write_whole(Path(folder) / f"{key}.file", data)
    return {"bytes": len(data), "watertight": watertight}


def _flat(workpiece: Workpiece, kind: str, options: dict[str, Any]) -> bytes:
    """Profiles or linework as a flat file."""
    version = options.get("version", "R2010")
    if kind == "dxf" and options.get("what", "profiles") == "profiles":
        return regions_as_dxf(workpiece.drawing.regions, options.get("profiles") or None, version=version)
    kept = workpiece.drawing.linework.take(workpiece.drawing.kept)
    if kind == "svg":
        return linework_as_svg(kept)
    if kind == "dat":
        return linework_as_coordinates(kept, chord_tol=float(options.get("chord_mm", 0.01)))
    return linework_as_dxf(kept, version=version)


def distance(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """The distance between two pieces of the part, left in the results folder under `key`."""
    found = distance_between(_workpiece(card, sources, folder), *(tuple(options[name]) for name in ("a", "b")))
    write_whole(Path(folder) / f"{key}.file", json.dumps(found).encode())
    return found


def check(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """The views of a part against the part itself, left in the results folder under `key`."""
    found = check_told(_workpiece(card, sources, folder))
    write_whole(Path(folder) / f"{key}.file", json.dumps(found).encode())
    return found


def depths(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """The depths proposed for one profile, left in the results folder under `key`."""
    found = depths_told(_workpiece(card, sources, folder), str(options["profile"]))
    write_whole(Path(folder) / f"{key}.file", json.dumps(found).encode())
    return found


def steps(card: dict[str, Any], sources: dict[str, str], folder: str, key: str, options: dict[str, Any]) -> dict[str, Any]:
    """The operations that build the part from its views, left in the results folder under `key`."""
    found = {"steps": [{"kind": kind, "params": params} for kind, params in steps_from_views(_workpiece(card, sources, folder))]}
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
        _STORES[folder] = DiskStore(Path(folder), late=True)
    return _STORES[folder]


class _Teller:
    """Says which step is at work, for those who have waited a while already, and leaves the lines of the drawing as soon as they are there."""

    def __init__(self, path: str, results: Path) -> None:
        self.path, self.results = Path(path), results
        self.started = time.monotonic()
        self.facts: dict[str, Any] = {}

    def step(self, step: int, steps: int, sentence: str) -> None:
        self.facts |= {"step": step + 1, "steps": steps, "text": sentence[:250]}
        self._tell()

    def drawn(self, workpiece: Workpiece, drawing_key: str) -> None:
        path = self.results / f"{drawing_key}.lines"
        if not path.exists():
            write_whole(path, lines_parcel(workpiece))
        self.facts["drawn"] = drawing_key
        self._tell(at_once=len(workpiece.drawing.linework) > _LARGE)

    def _tell(self, *, at_once: bool = False) -> None:
        if at_once or time.monotonic() - self.started >= _SAY_NOTHING_FOR:
            write_whole(self.path, json.dumps(self.facts).encode())
