"""What runs in the warm child process: the core, no Django. It may be killed at any time; it writes whole files only.

Preloaded by the fork server, so that a fresh child is ready within a second.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import json
import logging
import os
import resource
import tempfile
import threading
import time
from collections.abc import Callable
from dataclasses import asdict
from functools import partial, wraps
from pathlib import Path
from typing import Any
from uuid import uuid4

import tectogon.building.extrusion  # noqa: F401  (loads the solid kernel ahead)
from tectogon.budget import watching
from tectogon.confine import confine
from tectogon.display.blank_out import bend_csv, blank_dxf
from tectogon.display.blank_told import blank_told
from tectogon.display.bundle import bundle_of
from tectogon.display.drawing_sheet import drawn_sheet, sheet_bytes, sheet_told
from tectogon.display.issues import issues_told
from tectogon.display.match_report import report_of
from tectogon.display.part import distance_between, figures_of, part_parcel, weights_told
from tectogon.display.parts_list import list_csv, parts_list
from tectogon.display.picture import part_picture
from tectogon.display.sheet import drawing_figures, lines_parcel, placements_parcel, regions_parcel
from tectogon.display.two_solids import two_solids
from tectogon.display.views import check_told, depths_told
from tectogon.drafting.sheet import DrawnSheet
from tectogon.errors import NothingToBuild, PickGone
from tectogon.formats.coordinates_out import linework_as_coordinates
from tectogon.formats.dxf_out import linework_as_dxf, regions_as_dxf
from tectogon.formats.svg_out import linework_as_svg
from tectogon.library.archive import read_library
from tectogon.library.cleaning import Sizes, cleaned
from tectogon.library.told import cleaned_told, section_of_profile, section_told
from tectogon.operations.draw_sheet import OPERATION as DRAW_SHEET_OPERATION
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.operations.sheet_metal import blank_of, sheet_body
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.route import Run, run_card
from tectogon.route.cache import DiskStore, write_whole
from tectogon.route.card import card_from
from tectogon.route.gauges import checked_gauges, gauges_of
from tectogon.route.keys import Keys, regions_key
from tectogon.route.replace import NEWER, THEN
from tectogon.solids import exchange
from tectogon.solids.print_check import print_check, triangles_of
from tectogon.workpiece.model import FIRST_SHEET, Workpiece

Made = Callable[[dict[str, Any], dict[str, str], str, str, str, dict[str, Any]], dict[str, Any]]
_SAY_NOTHING_FOR = 0.3
_LARGE = 20_000
"""A drawing of so many curves is shown by its lines before anything is found in it."""

RESIDENT_LIMIT = 1_200_000_000
"""A child that takes more memory than this after a call lets go of what it keeps (bytes)."""

_SECRETS = ("TECTOGON_SECRET", "TECTOGON_DB_PASSWORD", "TECTOGON_MAIL_PASSWORD", "TECTOGON_METRICS_TOKEN")
_log = logging.getLogger(__name__)
_STORES: dict[str, DiskStore] = {}


def start(memory: int, results: str, program: str) -> None:
    """Called once in each child: a limit on its memory. What is loaded by now stays, so the collector need not look at
    it again; and a drawing of 100,000 curves is made without its looking through them a hundred times (a quarter of the
    time). From here on it has no network, no passwords, and writes beneath the folder for results alone."""
    gc.freeze()
    gc.set_threshold(500_000, 20, 100)
    if memory:
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    for name in _SECRETS:
        os.environ.pop(name, None)
    scratch = Path(results) / "scratch"
    scratch.mkdir(parents=True, exist_ok=True)
    tempfile.tempdir = os.environ["TMPDIR"] = str(scratch)
    if not confine([Path(results), Path("/dev/shm")], [Path(results), Path(program)]):
        _log.warning("this system can't confine what reads files; see docs/OPERATE.md")


def warm() -> bool:
    return True


def let_go() -> None:
    """Let go of everything that was kept to be quick."""
    for store in _STORES.values():
        store.clear()
    gc.collect()
    _give_back()


def keep_within() -> None:
    """Let go of what is kept where this process has grown past its share."""
    if _resident() > RESIDENT_LIMIT:
        let_go()


def _resident() -> int:
    """Bytes of memory that this process really takes."""
    with Path("/proc/self/statm").open() as facts:
        return int(facts.read().split()[1]) * resource.getpagesize()


def _give_back() -> None:
    """Hand freed memory back to the system, where the C library can."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def run(card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, progress_file: str) -> dict[str, Any]:
    """Run a card and leave what the screen needs in the results folder. Returns the report. Raises OSError where the
    disk is full."""
    results = Path(folder)
    teller = _Teller(progress_file, results)
    store = _store(folder)
    with watching() as clock:
        outcome = run_card(
            card_from(card), _paths(sources), scope=scope, store=store, progress=teller.step, drawn=teller.drawn
        )
        workpiece, keys = outcome.workpiece, outcome.keys
        sheets = [_sheet_told(one, keys) for one in workpiece.on_each_sheet]
        figures = figures_of(workpiece)
        parcels = _parcels(workpiece, keys.whole, sheets, figures)
        fresh = {name: made() for name, made in parcels.items() if not (results / name).exists()}
        report = {
            "keys": {"whole": keys.whole, "sheets": sheets},
            "steps": [s.as_json() for s in outcome.steps],
            "gauges": [g.as_json() for g in gauges_of(workpiece, outcome.steps)],
            "figures": figures,
            "drawing": drawing_figures(workpiece),
            "notes": [n.as_json() for n in workpiece.notes],
        }
    once = "" if outcome.settled and not clock.mattered else _once()
    if once:
        fresh = {name: fresh.get(name) or made() for name, made in parcels.items()}
        of_sheets = [{k: v if k == "name" else once + v for k, v in sheet.items()} for sheet in sheets]
        report["keys"] = {"whole": once + keys.whole, "sheets": of_sheets}
    for name, data in fresh.items():
        write_whole(results / (once + name), data)
    write_whole(results / f"{once}{keys.whole}.report", json.dumps(report).encode())
    threading.Thread(target=store.flush, daemon=True).start()
    return report


def _parcels(
    workpiece: Workpiece, whole: str, sheets: list[dict[str, str]], figures: dict[str, Any]
) -> dict[str, Callable[[], bytes]]:
    """The files that a page fetches of a run, by name, and how each is made."""
    parcels: dict[str, Callable[[], bytes]] = {f"{whole}.part": lambda: part_parcel(workpiece, figures)}
    for one, told in zip(workpiece.on_each_sheet, sheets, strict=True):
        parcels |= {
            f"{told['linework']}.lines": partial(lines_parcel, one),
            f"{told['regions']}.regions": partial(regions_parcel, one),
            f"{told['placements']}.placements": partial(placements_parcel, one),
        }
    return parcels


def _once() -> str:
    """What the names of results begin with that nobody finds but who asked for them: those that the clock decided."""
    return f"once-{uuid4().hex}-"


def kept_if_settled(made: Made) -> Made:
    """A function of a card that leaves a file under a key: one that depends on the clock is left under another, which
    is told as `key`."""

    @wraps(made)
    def call(
        card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
    ) -> dict[str, Any]:
        once = _once() + key
        with watching() as clock:
            told = made(card, sources, folder, scope, once, options)
        if not clock.mattered:
            (Path(folder) / f"{once}.file").replace(Path(folder) / f"{key}.file")
        return {**told, "key": once if clock.mattered else key}

    return call


def _sheet_told(workpiece: Workpiece, keys: Keys) -> dict[str, str]:
    """The name of the sheet in hand, and under which keys its parcels lie."""
    name = workpiece.sheet
    linework = keys.linework(name)
    return {
        "name": name,
        "linework": linework,
        "regions": regions_key(linework, workpiece.drawing.apart),
        "placements": keys.placements(name),
    }


def picture(card: dict[str, Any], sources: dict[str, str], folder: str, scope: str) -> bytes:
    """A small picture of the part."""
    return part_picture(_workpiece(card, sources, folder, scope))


@kept_if_settled
def export(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """Write a file of the part into the results folder under `key`."""
    workpiece = _workpiece(card, sources, folder, scope, options)
    kind, name = options["kind"], options["name"]
    watertight: bool | None = None
    missing: list[str] = []
    if kind == "zip":
        data, missing = bundle_of(
            workpiece, _sheet_params(card), options["title"], card, options.get("profiles") or [], options["language"]
        )
    elif options.get("what") == "report":
        data = report_of(workpiece, options["title"], options["language"])
    elif options.get("what") == "picture":
        data = part_picture(workpiece, 240, 160)
    elif options.get("what") == "parts_list":
        data = list_csv(parts_list(workpiece))
    elif options.get("what") == "blank":
        data = _blank_file(workpiece, kind, options.get("version", "R2010"))
    elif options.get("what") == "drawing":
        data = sheet_bytes(_drawn(card, sources, folder, scope, options), kind, options.get("version", "R2010"))
    elif kind in ("dxf", "svg", "dat"):
        data = _flat(workpiece, kind, options)
    else:
        chord, angle = float(options.get("chord_mm", 0.05)), float(options.get("angle_rad", 0.35))
        data, watertight = exchange.write(workpiece.bodies, kind, name, chord_tol=chord, angle_tol=angle)
    write_whole(Path(folder) / f"{key}.file", data)
    return {"bytes": len(data), "watertight": watertight, "missing": missing}


def _blank_file(workpiece: Workpiece, kind: str, version: str) -> bytes:
    """The blank as DXF, or its bend table as CSV."""
    found = blank_of(workpiece)
    marks = workpiece.sheet_metal.marks if workpiece.sheet_metal else ()
    return bend_csv(found) if kind == "csv" else blank_dxf(found, marks, version)


def _flat(workpiece: Workpiece, kind: str, options: dict[str, Any]) -> bytes:
    """Profiles or linework as a flat file."""
    version = options.get("version", "R2010")
    if kind == "dxf" and options.get("what", "profiles") == "profiles":
        return regions_as_dxf(workpiece.drawing.all_regions, options.get("profiles") or None, version=version)
    kept = workpiece.drawing.linework.take(workpiece.drawing.kept)
    if kind == "svg":
        return linework_as_svg(kept)
    if kind == "dat":
        return linework_as_coordinates(kept, chord_tol=float(options.get("chord_mm", 0.01)))
    return linework_as_dxf(kept, version=version)


@kept_if_settled
def drawing(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The drawing sheet that the card asks for; as it is usual where no step asks."""
    return _left(folder, key, sheet_told(_drawn(card, sources, folder, scope, options)))


def _drawn(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, options: dict[str, Any]
) -> DrawnSheet:
    return drawn_sheet(_workpiece(card, sources, folder, scope), _sheet_params(card), options["title"])


def _sheet_params(card: dict[str, Any]) -> DrawSheetParams:
    """How the last step that draws the part wants its sheet; as usual where none does."""
    steps = [s for s in card_from(card).steps if s.kind == DRAW_SHEET_OPERATION.name and s.on]
    return DrawSheetParams.model_validate(steps[-1].params if steps else {})


@kept_if_settled
def blank(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The flat blank of the part that the card makes sheet."""
    workpiece = _workpiece(card, sources, folder, scope)
    found = blank_of(workpiece)
    marks = workpiece.sheet_metal.marks if workpiece.sheet_metal else ()
    return _left(folder, key, blank_told(found, workpiece.material_of(sheet_body(workpiece)), marks))


@kept_if_settled
def clean(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """A supplier's drawing, the one source of a card, as a section of the library."""
    ((name, path),) = sources.items()
    found = cleaned(Path(path), family=options["family"], called=name, sizes=Sizes(**options.get("sizes", {})))
    return _left(folder, key, cleaned_told(found))


@kept_if_settled
def library(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The sections of a library that another workshop handed over."""
    (path,) = sources.values()
    sections, problems = read_library(Path(path).read_bytes())
    return _left(folder, key, {"sections": [section_told(s) for s in sections], "problems": problems})


@kept_if_settled
def section(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """A picked profile of a part as a section of the library."""
    workpiece = _workpiece(card, sources, folder, scope, options)
    source = workpiece.sources[-1].name if workpiece.sources else ""
    return _left(folder, key, section_told(section_of_profile(workpiece, options["profile"], options["name"], source)))


@kept_if_settled
def issues(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """A newer issue of a source against the one that the card reads."""
    new = Path(sources.pop(NEWER))
    old = options["old"]
    whole = card_from({**card, "sources": {k: v for k, v in card["sources"].items() if k != NEWER}})
    told = issues_told(whole, (old, Path(sources[old])), (options["new"], new), card["sources"][NEWER])
    return _left(folder, key, told)


@kept_if_settled
def solids(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """An earlier state of the part and it as it is now, as solids against each other: a parcel as the part pane has
    it."""
    other = options["then"]
    earlier = {name: sources.pop(THEN + name) for name in other.get("sources", {})}
    mine = {**card, "sources": {k: v for k, v in card["sources"].items() if not k.startswith(THEN)}}
    then, now = (_workpiece(c, s, folder, scope) for c, s in ((other, earlier), (mine, sources)))
    held = two_solids(then, now)
    data = part_parcel(held, figures_of(held))
    write_whole(Path(folder) / f"{key}.file", data)
    return {"bytes": len(data)}


@kept_if_settled
def printing(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """Whether the part can be printed."""
    bodies = _workpiece(card, sources, folder, scope).bodies
    if not bodies:
        raise NothingToBuild("There is no body to print yet; build one first.")
    found = print_check(triangles_of(bodies), wall=options["wall"], tool=options["tool"], bed=options["bed"] or None)
    return _left(folder, key, asdict(found))


@kept_if_settled
def distance(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The distance between two pieces of the part."""
    return _left(
        folder,
        key,
        distance_between(_workpiece(card, sources, folder, scope), *(tuple(options[name]) for name in ("a", "b"))),
    )


@kept_if_settled
def weights(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """Mass, centroid and moments of inertia of the part."""
    return _left(folder, key, weights_told(_workpiece(card, sources, folder, scope)))


@kept_if_settled
def check(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The views of a part against the part itself."""
    outcome = _outcome(card, sources, folder, scope)
    found = check_told(outcome.workpiece)
    looked = [(view["percent"], view["differences"]) for view in found["views"]]
    gauges = checked_gauges(outcome.workpiece, outcome.steps, looked)
    return _left(folder, key, {**found, "gauges": [g.as_json() for g in gauges]})


@kept_if_settled
def depths(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The depths proposed for one profile."""
    return _left(folder, key, depths_told(_workpiece(card, sources, folder, scope, options), str(options["profile"])))


@kept_if_settled
def steps(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, key: str, options: dict[str, Any]
) -> dict[str, Any]:
    """The operations that build the part from its views."""
    workpiece = _workpiece(card, sources, folder, scope, options)
    found = workpiece.as_steps or steps_from_views(workpiece)
    return _left(folder, key, {"steps": [{"kind": kind, "params": params} for kind, params in found]})


def _left(folder: str, key: str, found: dict[str, Any]) -> dict[str, Any]:
    """What was found, left in the results folder under `key`."""
    write_whole(Path(folder) / f"{key}.file", json.dumps(found).encode())
    return found


def _workpiece(
    card: dict[str, Any], sources: dict[str, str], folder: str, scope: str, options: dict[str, Any] | None = None
) -> Workpiece:
    """The workpiece of a card, with the sheet in hand that the options name."""
    outcome = _outcome(card, sources, folder, scope)
    if outcome.failed and not outcome.workpiece.bodies and not len(outcome.workpiece.drawing.linework):
        raise NothingToBuild(outcome.failed.message)
    sheet = str((options or {}).get("sheet", FIRST_SHEET))
    if sheet not in outcome.workpiece.sheet_names:
        raise PickGone(f"The sheet “{sheet}” is gone.")
    return outcome.workpiece.on_sheet(sheet)


def _outcome(card: dict[str, Any], sources: dict[str, str], folder: str, scope: str) -> Run:
    return run_card(card_from(card), _paths(sources), scope=scope, store=_store(folder))


def _paths(sources: dict[str, str]) -> dict[str, Path]:
    return {name: Path(path) for name, path in sources.items()}


def _store(folder: str) -> DiskStore:
    """The one store of this process. Its keys hold whose they are; a memory of its own for each workshop would be as
    many budgets."""
    if folder not in _STORES:
        _STORES[folder] = DiskStore(Path(folder), late=True)
    return _STORES[folder]


class _Teller:
    """Says which step is at work, for those who have waited a while already, and leaves the lines of the drawing as
    soon as they are there."""

    def __init__(self, path: str, results: Path) -> None:
        self.path, self.results = Path(path), results
        self.started = time.monotonic()
        self.facts: dict[str, Any] = {}

    def step(self, step: int, steps: int, sentence: str) -> None:
        self.facts |= {"step": step + 1, "steps": steps, "text": sentence[:250]}
        self._tell()

    def drawn(self, workpiece: Workpiece, keys: Keys) -> None:
        key = keys.linework(workpiece.sheet)
        path = self.results / f"{key}.lines"
        if not path.exists():
            write_whole(path, lines_parcel(workpiece))
        self.facts["drawn"] = {**self.facts.get("drawn", {}), workpiece.sheet: key}
        self._tell(at_once=len(workpiece.drawing.linework) > _LARGE)

    def _tell(self, *, at_once: bool = False) -> None:
        if at_once or time.monotonic() - self.started >= _SAY_NOTHING_FOR:
            write_whole(self.path, json.dumps(self.facts).encode())
