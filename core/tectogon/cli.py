"""The command `tectogon`: batch work without a server. Its words and JSON keys are a public interface: keys are added,
never renamed."""

from __future__ import annotations

import argparse
import functools
import hashlib
import json
import math
import sys
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from pydantic import ValidationError

from tectogon.curves.affine import about_point
from tectogon.errors import BadValue, Note, NothingToBuild, OverLimit, TectogonError
from tectogon.findings.finding import counted
from tectogon.findings.not_geometry import Aside
from tectogon.findings.search import mend_certain
from tectogon.formats import FORMATS, OPTIONS, ReadLimits, ReadOptions, ReadResult, read_drawing
from tectogon.formats.options import Option
from tectogon.linework import Linework
from tectogon.linework.edit import replaced
from tectogon.linework.evidence import UnitEvidence, doubts, weigh_unit
from tectogon.profiles import Region, Regions
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import mm_per_unit, parse_length, parse_number
from tectogon.workpiece.model import Drawing, Workpiece

if TYPE_CHECKING:
    from tectogon.reconstruction.part_from_views import Found
    from tectogon.solids.features import Feature


@dataclass
class _Answer:
    """One JSON document, and the exit status it stands for."""

    file: str
    keys: dict[str, Any] = field(default_factory=dict)
    status: str = "ok"
    message: str = ""
    exit_status: int = 0
    warnings: list[dict[str, Any]] = field(default_factory=list)
    seconds: float = 0.0

    def as_json(self) -> dict[str, Any]:
        return {
            "file": self.file,
            "status": self.status,
            "message": self.message,
            "seconds": round(self.seconds, 4),
            "warnings": self.warnings,
            **self.keys,
        }


class WrongCall(TectogonError):
    """The command was called with values that don't fit."""

    code = "usage"
    exit_status = 2


def main(argv: list[str] | None = None) -> int:
    """Run the command with these arguments (those of the process, where none are given). Returns the exit status: the
    worst of all files."""
    parser = _parser()
    try:
        options = parser.parse_args(_bound(sys.argv[1:] if argv is None else argv))
    except SystemExit as leaving:
        return int(leaving.code or 0)
    worst = 0
    try:
        for answer in options.work(options):
            worst = max(worst, answer.exit_status)
            _print(answer, as_json=getattr(options, "json", False))
    except BrokenPipeError:
        return worst
    except KeyboardInterrupt:
        print("stopped", file=sys.stderr)
        return 130
    return worst


_MAYBE_NEGATIVE = ("--axis", "--taper", "--at", "--scale", "--twist")


def _bound(argv: list[str]) -> list[str]:
    """The arguments, values that begin with a minus bound to their words: they are no options of their own."""
    out = list(argv)
    for n in range(len(out) - 2, -1, -1):
        if out[n] in _MAYBE_NEGATIVE and out[n + 1][:1] == "-":
            out[n : n + 2] = [f"{out[n]}={out[n + 1]}"]
    return out


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="tectogon", description="Flat linework becomes dimensioned solid parts.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def command(name: str, work: Callable[[argparse.Namespace], Any], text: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(work=work)
        return sub

    inspect = command("inspect", _each(_inspect), "say what a file holds: units, extents, layers, what was skipped")
    profiles = command("profiles", _each(_profiles), "find every closed profile")
    build = command("build", _each(_build), "raise all profiles to a solid of one thickness")
    revolve = command("revolve", _each(_revolve), "turn all profiles about an axis of the drawing")
    loft = command("loft", _loft, "run from section to section: one closed profile of each file, at heights of its own")
    sweep = command("sweep", _sweep, "carry a closed profile along a path")
    views = command("views", _each(_views), "find the orthographic views of a sheet, and build the part from them")
    run = command("run", _run, "replay a route card")
    command("formats", _formats, "list what is read and written, by ending")
    sweep.add_argument("files", nargs=1, metavar="PROFILE", type=Path)
    sweep.add_argument("--along", type=Path, required=True, metavar="PATH", help="a file with one chain of curves")
    for sub in (inspect, profiles, build, revolve, loft, views):
        sub.add_argument("files", nargs="+", metavar="FILE", type=Path)
    for sub in (inspect, profiles, build, revolve, loft, sweep, views):
        sub.add_argument(
            "--units",
            type=_unit,
            metavar="U",
            help="length of one unit of the file: um, mm, cm, m, in, ft, mil, px, pt or a number of mm",
        )
        for option in OPTIONS.values():
            if sub is loft and option.name == "smooth":
                sub.set_defaults(smooth=option.usual)
            elif option.described.flag:
                _offer(sub, option)
    views.add_argument("--build", type=Path, metavar="OUT.step", help="build the part from its views and write it")
    for sub in (profiles, build, revolve, loft, sweep, views):
        sub.add_argument(
            "--tolerance", type=_tolerance, default=None, metavar="auto|MM", help="joining distance in mm, or auto"
        )
        sub.add_argument("--no-mend", action="store_true", help="join nothing beyond the file's own resolution")
        sub.add_argument(
            "--layer", action="append", default=[], metavar="NAME", help="use only this layer; may be given again"
        )
        sub.add_argument("--keep-all", action="store_true", help="leave nothing out")
    build.add_argument("--thickness", type=_length, required=True, metavar="MM")
    sides = build.add_mutually_exclusive_group()
    sides.add_argument(
        "--taper", type=_taper, default=0.0, metavar="DEG", help="sides leaning in as they rise; negative: out"
    )
    sides.add_argument("--to-point", action="store_true", help="to a point over the centroid of each profile")
    revolve.add_argument(
        "--axis", type=_axis, required=True, metavar="x|y|X0,Y0,X1,Y1", help="the x or y axis, or a line in mm"
    )
    revolve.add_argument("--angle", type=_angle, default=360.0, metavar="DEG")
    loft.add_argument("--at", type=_numbers, required=True, metavar="MM,MM", help="the height of each section")
    loft.add_argument("--scale", type=_numbers, default=None, metavar="S,S", help="the scale of each section")
    loft.add_argument("--twist", type=_numbers, default=None, metavar="DEG,DEG", help="the turn of each section")
    loft.add_argument("--about", choices=("centroid", "start", "origin"), default="centroid")
    loft.add_argument(
        "--smooth", dest="smoothly", action="store_true", help="smooth through all sections, not straight between them"
    )
    for sub in (build, revolve, loft, sweep):
        sub.add_argument("--out", type=Path, metavar="PATH|DIR")
        sub.add_argument("--to", choices=("step", "stl", "3mf", "glb"), default=None)
    run.add_argument("card", type=Path, metavar="CARD.json")
    run.add_argument("--source", action="append", default=[], metavar="NAME=FILE")
    run.add_argument("--out", type=Path, required=True, metavar="DIR")
    for sub in (inspect, profiles, build, revolve, loft, sweep, views, run):
        sub.add_argument("--json", action="store_true", help="one JSON document per file, one a line")
    return parser


def _offer(parser: argparse.ArgumentParser, option: Option) -> None:
    """An option of reading as the command line has it."""
    flag = f"--{option.name.replace('_', '-')}"
    of = ", ".join(f.name for f in FORMATS if option.name in f.options)
    text = f"{option.described.help} ({of})"
    if option.type is bool:
        parser.add_argument(flag, action="store_true", help=text)
    elif option.choices:
        parser.add_argument(flag, choices=option.choices, default=option.usual, help=text)
    else:
        parser.add_argument(flag, type=option.type, default=option.usual, metavar="X", help=text)


def _unit(text: str) -> float:
    try:
        return mm_per_unit(text)
    except TectogonError as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None


def _axis(text: str) -> tuple[float, float, float, float]:
    named = {"x": (0.0, 0.0, 1.0, 0.0), "y": (0.0, 0.0, 0.0, 1.0)}.get(text.strip().lower())
    if named:
        return named
    try:
        x0, y0, x1, y1 = (parse_length(part) for part in text.split(","))
    except (BadValue, ValueError):
        raise argparse.ArgumentTypeError(f"“{text}” is no axis; write x, y, or two points as X0,Y0,X1,Y1") from None
    if math.hypot(x1 - x0, y1 - y0) < KERNEL_TOL:
        raise argparse.ArgumentTypeError("the two points of the axis lie on top of each other")
    return x0, y0, x1, y1


def _angle(text: str) -> float:
    try:
        value = parse_number(text)
    except BadValue as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None
    if not 0.0 < abs(value) <= 360.0:
        raise argparse.ArgumentTypeError("the angle must be more than 0° and no more than 360°")
    return value


def _numbers(text: str) -> tuple[float, ...]:
    try:
        return tuple(parse_number(part) for part in text.split(","))
    except BadValue as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None


def _taper(text: str) -> float:
    try:
        value = parse_number(text)
    except BadValue as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None
    if abs(value) > 85.0:
        raise argparse.ArgumentTypeError("sides lean by no more than 85°")
    return value


def _length(text: str) -> float:
    try:
        value = parse_length(text)
    except TectogonError as bad:
        raise argparse.ArgumentTypeError(bad.sentence) from None
    if not 1e-6 <= value <= 1e6:
        raise argparse.ArgumentTypeError("must lie between 0.000001 and 1,000,000 mm")
    return value


def _tolerance(text: str) -> float | None:
    return None if text == "auto" else _length(text)


def _each(work: Callable[[Path, argparse.Namespace, _Answer], None]) -> Callable[[argparse.Namespace], Any]:
    """The same work on every file; one bad file never stops the rest."""

    def over(options: argparse.Namespace) -> Any:
        for path in options.files:
            yield _guarded(str(path), functools.partial(work, path, options))

    return over


def _guarded(name: str, work: Callable[[_Answer], None]) -> _Answer:
    answer = _Answer(name)
    started = time.perf_counter()
    try:
        work(answer)
    except TectogonError as problem:
        answer.status, answer.message, answer.exit_status = problem.code, problem.sentence, problem.exit_status
    except (MemoryError, RecursionError):
        answer.status, answer.message, answer.exit_status = "over_limit", "The file needs more memory than there is.", 3
    except Exception as bug:
        answer.status, answer.message, answer.exit_status = (
            "internal_error",
            f"An error of our own: {type(bug).__name__}: {bug}",
            6,
        )
    answer.seconds = time.perf_counter() - started
    return answer


def _read(path: Path, options: argparse.Namespace, answer: _Answer) -> tuple[ReadResult, UnitEvidence, Linework, float]:
    result = read_drawing(path, _read_options(options), ReadLimits(keep_pictures=False))
    evidence = weigh_unit(result.linework, result.declared_unit, result.kind_says)
    factor = options.units or mm_per_unit(evidence.proposed)
    if not evidence.sure and options.units is None:
        answer.warnings.append(
            {"code": "unit_unsure", "text": f"The unit is not certain; {evidence.proposed} was taken.", "where": None}
        )
    answer.warnings += [note.as_json() for note in result.linework.notes]
    linework = result.linework.scaled(factor)
    answer.warnings += [note.as_json() for note in doubts(linework)]
    return result, evidence, linework, factor


def _read_options(options: argparse.Namespace) -> ReadOptions:
    try:
        return ReadOptions.model_validate(
            {name: getattr(options, name) for name, option in OPTIONS.items() if option.described.flag}
        )
    except ValidationError as bad:
        first = bad.errors()[0]
        raise WrongCall(f"--{'-'.join(str(p) for p in first['loc'])}: {first['msg']}.") from None


def _inspect(path: Path, options: argparse.Namespace, answer: _Answer) -> None:
    result, evidence, linework, factor = _read(path, options, answer)
    counts = np.bincount(linework.layer_of, minlength=len(linework.layers)).tolist()
    answer.keys = {
        "format": result.format,
        "version": result.version,
        "units": {
            "declared": evidence.declared,
            "proposed": evidence.proposed,
            "mm_per_unit": factor,
            "evidence": [f.text for f in evidence.facts],
        },
        "extents_mm": [round(v, 9) for v in linework.extents.tolist()] if len(linework) else None,
        "entities": dict(linework.entities),
        "curves": len(linework),
        "layers": [
            {"name": a.name, "curves": n, "linetype": a.linetype, "on": a.on}
            for a, n in zip(linework.layers, counts, strict=True)
        ],
        "blocks": list(linework.blocks),
        "skipped": dict(linework.skipped),
        "dimensions": [{"text": s.text, "drawn_mm": s.drawn_mm, "stated": s.stated} for s in linework.stated],
        "curve_sets": [
            {
                "name": c.name,
                "points": c.points,
                "closed": c.closed,
                "trailing_edge": c.trailing_edge,
                "dropped": c.dropped,
                "chord": c.chord,
            }
            for c in result.curve_sets
        ],
    }
    if not len(linework):
        text = f"{path.name} was read well, but holds no lines, arcs or curves; there is nothing in it to build."
        answer.message = text
        answer.warnings.append({"code": "no_lines", "text": text, "where": None})


def _drawing_of(path: Path, options: argparse.Namespace, answer: _Answer) -> Drawing:
    _, _, linework, _ = _read(path, options, answer)
    if options.layer:
        wanted = {n for n, layer in enumerate(linework.layers) if layer.name in options.layer}
        missing = [name for name in options.layer if name not in {layer.name for layer in linework.layers}]
        if missing:
            raise NothingToBuild(
                f"{path.name} has no layer “{missing[0]}”; its layers are"
                f" {', '.join(layer.name for layer in linework.layers)[:300]}."
            )
        linework = linework.take(np.isin(linework.layer_of, list(wanted)))
    asides: tuple[Aside, ...] = ()
    if options.keep_all:
        linework = replace(
            linework,
            layers=tuple(replace(layer, on=True, linetype="CONTINUOUS") for layer in linework.layers),
            linetypes=tuple(replace(t, name="CONTINUOUS", pattern=()) for t in linework.linetypes),
        )
    else:
        asides = Drawing(linework).proposals
        for aside in asides:
            answer.warnings.append(
                {
                    "code": f"left_out_{aside.kind.replace(' ', '_')}",
                    "text": f"{len(aside.rows)} curves were left out: {aside.why}.",
                    "where": None,
                }
            )
    if not len(linework):
        raise NothingToBuild(f"{path.name} holds no lines, arcs or curves.")
    return _without(linework, asides)


def _without(linework: Linework, asides: Iterable[Aside]) -> Drawing:
    """A drawing with what is proposed left out: always before anything is mended."""
    return Drawing(linework, left_out=frozenset(linework.ids[r] for a in asides for r in a.rows.tolist()))


def _all_certain_mended(drawing: Drawing, within: float | None) -> tuple[Drawing, int, float]:
    """The drawing with everything certain mended, how much that is, and the joining distance that was used (mm)."""
    rows = drawing.bounding
    if not len(rows):
        return drawing, 0, drawing.tolerance
    step, used = mend_certain(drawing.linework.table.take(rows), within=within)
    linework = replaced(drawing.linework, rows, step.table, step.source, step.number)
    return replace(drawing, linework=linework), step.done, used


def _mended(drawing: Drawing, options: argparse.Namespace, answer: _Answer) -> tuple[Drawing, dict[str, Any]]:
    """The drawing with everything certain mended, unless it is to be left; and the keys that tell of it."""
    before = drawing.findings
    if drawing.too_much:
        raise OverLimit(drawing.too_much)
    tolerance, done = drawing.tolerance, 0
    if not options.no_mend and len(drawing.bounding):
        drawing, done, tolerance = _all_certain_mended(drawing, options.tolerance)
        if options.tolerance and options.tolerance >= before.joining.swallows:
            text = (
                f"The joining distance of {options.tolerance:g} mm is larger than the smallest closed curve"
                f" ({before.joining.swallows:.4g} mm across)."
            )
            answer.warnings.append({"code": "swallows_holes", "text": text, "where": None})
    after = drawing.findings if done else before
    return drawing, {
        "findings_before": counted(before.faults),
        "findings_after": counted(after.faults),
        "mended": done,
        "tolerance_mm": tolerance,
    }


def _profile_keys(drawing: Drawing, told: dict[str, Any]) -> tuple[Regions, dict[str, Any]]:
    regions = drawing.regions
    profiles = regions.profiles
    return regions, {
        **told,
        "profiles": [_profile(r) for r in profiles],
        "net_area_mm2": float(sum(r.area for r in profiles)),
        "open_length_mm": regions.open_length,
    }


def _profile(region: Region) -> dict[str, Any]:
    return {
        "id": region.id,
        "area_mm2": region.area,
        "perimeter_mm": region.perimeter,
        "centroid_mm": list(region.centroid),
        "bbox_mm": list(region.bounds),
        "holes": len(region.holes),
        "level": region.level,
    }


def _profiles(path: Path, options: argparse.Namespace, answer: _Answer) -> None:
    regions, answer.keys = _profile_keys(*_mended(_drawing_of(path, options, answer), options, answer))
    if not regions.regions:
        raise NothingToBuild(f"{path.name}: no closed profile; {len(regions.open_ends)} ends are open.")


def _build(path: Path, options: argparse.Namespace, answer: _Answer) -> None:
    from tectogon.building.extrusion import extrusions
    from tectogon.building.tapering import Sides

    workpiece, profiles = _with_profiles(path, options, answer)
    sides = Sides(options.taper, options.to_point)
    features = extrusions(workpiece, profiles, [(0.0, options.thickness)] * len(profiles), 10, sides)
    _write_new(workpiece, features, path, options, answer)


def _revolve(path: Path, options: argparse.Namespace, answer: _Answer) -> None:
    from tectogon.building.revolution import revolution
    from tectogon.solids.turned import Axis

    workpiece, profiles = _with_profiles(path, options, answer)
    (x0, y0, x1, y1), angle = options.axis, math.radians(options.angle)
    way = np.array([x1 - x0, y1 - y0])
    axis = Axis(np.array([x0, y0]), way / np.hypot(*way))
    features = [f for p in profiles for f in revolution(workpiece, p, axis, (0.0, angle), 10)]
    _write_new(workpiece, features, path, options, answer)


def _loft(options: argparse.Namespace) -> Any:
    yield _guarded(str(options.files[0]), functools.partial(_loft_files, options))


def _loft_files(options: argparse.Namespace, answer: _Answer) -> None:
    from tectogon.building.lofting import Section, loft
    from tectogon.building.tapering import at_height
    from tectogon.views import frame_of

    heights, count = options.at, len(options.at)
    scales, twists = options.scale or (1.0,) * count, options.twist or (0.0,) * count
    if count < 2:
        raise WrongCall("--at wants the height of two sections or more, as 0,50.")
    if len(options.files) > count:
        raise WrongCall(f"{len(options.files)} files are given and {count} heights; --at wants one for each.")
    for flag, values in (("--scale", scales), ("--twist", twists)):
        if len(values) != count:
            raise WrongCall(f"{flag} has {len(values)} values and --at {count}; give one for each height.")
    if min(scales) <= 0.0:
        raise WrongCall("--scale: a scale must be more than nothing.")
    read = [_only_profile(path, options, answer) for path in options.files]
    read += [read[0]] * (count - len(read))
    sections = []
    for (workpiece, region), height, scale, twist in zip(read, heights, scales, twists, strict=True):
        regions = workpiece.drawing.regions
        first = int(region.outer.rows.min())
        about = {"centroid": region.centroid, "origin": (0.0, 0.0)}.get(
            options.about, tuple(regions.pieces.ends[first, 0].tolist())
        )
        change = about_point(about, scale, math.radians(twist))
        sections.append(Section(regions, region, at_height(frame_of("top"), height), change))
    feature = loft(sections, smooth=options.smoothly, square=False, step=10)
    _write_new(read[0][0], [feature], options.files[0], options, answer, many=False)


def _only_profile(path: Path, options: argparse.Namespace, answer: _Answer) -> tuple[Workpiece, Region]:
    """The one closed profile of a file. Raises NothingToBuild where there are several."""
    keys = dict(answer.keys)
    workpiece, profiles = _with_profiles(path, options, answer)
    answer.keys = keys or answer.keys
    if len(profiles) > 1:
        raise NothingToBuild(
            f"{path.name} has {len(profiles)} closed profiles where one is wanted; leave out the others."
        )
    return workpiece, profiles[0]


def _sweep(options: argparse.Namespace) -> Any:
    yield _guarded(str(options.files[0]), functools.partial(_sweep_files, options))


def _sweep_files(options: argparse.Namespace, answer: _Answer) -> None:
    from tectogon.building.along import centred, swept_along
    from tectogon.profiles.paths import path_of

    workpiece, region = _only_profile(options.files[0], options, answer)
    drawing, _ = _mended(_drawing_of(options.along, options, answer), options, answer)
    path = path_of(drawing.linework.table.take(drawing.bounding), drawing.tolerance)
    feature = swept_along(centred(workpiece.drawing.regions, region), path, step=10)
    answer.keys["path_mm"] = path.length
    _write_new(workpiece, [feature], options.files[0], options, answer, many=False)


def _with_profiles(path: Path, options: argparse.Namespace, answer: _Answer) -> tuple[Workpiece, tuple[Region, ...]]:
    """The mended drawing and its profiles. Raises NothingToBuild where none is closed."""
    drawing, told = _mended(_drawing_of(path, options, answer), options, answer)
    regions, answer.keys = _profile_keys(drawing, told)
    if not regions.profiles:
        raise NothingToBuild(f"{path.name}: no closed profile; {len(regions.open_ends)} ends are open.")
    return Workpiece(drawing=drawing), regions.profiles


def _write_new(
    workpiece: Workpiece,
    features: list[Feature],
    path: Path,
    options: argparse.Namespace,
    answer: _Answer,
    *,
    many: bool | None = None,
) -> None:
    """The bodies that features make, told and written."""
    from tectogon.solids.features import with_features

    workpiece = replace(workpiece, bodies=with_features((), features, "new", None, 10))
    kind = options.to or (options.out.suffix.lstrip(".").lower() if options.out and options.out.suffix else "step")
    answer.keys |= _body_keys(workpiece)
    if kind not in ("step", "stp", "stl", "3mf", "glb"):
        raise WrongCall(f"“.{kind}” is not written; use step, stl, 3mf or glb.")
    kind = "step" if kind == "stp" else kind
    answer.keys |= _write(
        workpiece,
        kind,
        path.stem,
        _target(options.out, path, kind, many=len(options.files) > 1 if many is None else many),
    )


def _percents(workpiece: Workpiece) -> list[float] | None:
    """How much of each view the part explains; None where there are no views or no body."""
    sheets = [one for one in workpiece.on_each_sheet if one.views]
    if not sheets or not workpiece.bodies:
        return None
    from tectogon.reconstruction.straight_on import straight_on

    return [view.percent for one in sheets for view in straight_on(one)]


def _body_keys(workpiece: Workpiece) -> dict[str, Any]:
    from tectogon.display.part import figures_of
    from tectogon.solids.mesh import mesh_of
    from tectogon.solids.proof import is_valid

    figures = figures_of(workpiece)
    meshes = [mesh_of(b.shape) for b in workpiece.bodies]
    return {
        "bodies": figures["bodies"],
        "volume_mm3": figures["volume_mm3"],
        "surface_mm2": figures["surface_mm2"],
        "bbox_mm": figures["bounds"],
        "valid": all(is_valid(b.shape, mesh, b.volume) for b, mesh in zip(workpiece.bodies, meshes, strict=True)),
        "checked": (
            "kernel, volume, witnesses" if all(b.checked_whole for b in workpiece.bodies) else "volume, witnesses"
        ),
        "watertight": all(mesh.watertight for mesh in meshes),
        "faces": sum(len(b.faces) for b in workpiece.bodies),
        "out": None,
    }


def _target(out: Path | None, source: Path, kind: str, *, many: bool) -> Path | None:
    if out is None:
        return None
    if out.is_dir() or many or not out.suffix:
        out.mkdir(parents=True, exist_ok=True)
        return out / f"{source.stem}.{kind}"
    return out


def _write(workpiece: Workpiece, kind: str, name: str, target: Path | None) -> dict[str, Any]:
    if target is None:
        return {}
    from tectogon.solids import exchange

    data, watertight = exchange.write(workpiece.bodies, kind, name)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    except OSError as problem:
        raise WrongCall(f"{target} can't be written: {problem.strerror}.") from None
    return {"out": str(target)} | ({} if watertight is None else {"watertight": watertight})


def _views(path: Path, options: argparse.Namespace, answer: _Answer) -> None:
    from tectogon.operations.arrange import arranged, found_in

    _, _, linework, _ = _read(path, options, answer)
    proposals = list(Drawing(linework).proposals)
    drawing = _without(linework, proposals)
    if not options.no_mend:
        drawing, _, _ = _all_certain_mended(drawing, options.tolerance)
    found = found_in(drawing)
    answer.keys = {
        "projection": found.projection,
        "why": found.why,
        "views": [{"name": v.name, "bbox_mm": list(v.box), "curves": len(v.rows)} for v in found.views],
        "left_out": (
            [{"why": a.why, "curves": len(a.rows)} for a in proposals]
            + [{"why": why, "curves": len(rows)} for why, rows in found.left_out]
        ),
        "advice": list(found.advice),
        "agreement": [
            {"pair": list(a.pair), "axis": a.axis, "matched": a.matched, "unmatched": a.unmatched, "worst_mm": a.worst}
            for a in found.agreements
        ],
    }
    if not found.views:
        raise NothingToBuild(
            f"{path.name}: no view is found; {found.why}. If it holds texts alone, ask for the drawing with its lines."
        )
    if options.build is None:
        return
    from tectogon.reconstruction.depths import sides_seen, unclosed
    from tectogon.reconstruction.part_from_views import build_from_views
    from tectogon.reconstruction.straight_on import straight_on

    drawing, folded = arranged(drawing, found, 10, scale=True)
    workpiece = Workpiece(drawing=drawing, views=folded)
    for fault in filter(None, map(unclosed, sides_seen(workpiece))):
        answer.warnings.append(Note("outline_open", *fault).as_json())
    bodies, part = build_from_views(workpiece, 10)
    workpiece = replace(workpiece, bodies=bodies)
    answer.keys |= _body_keys(workpiece)
    answer.keys |= _certainty_keys(part, sum(b.volume for b in bodies))
    answer.keys |= _write(
        workpiece, "step", path.stem, _target(options.build, path, "step", many=len(options.files) > 1)
    )
    answer.keys["explained"] = [{"view": v.name, "percent": v.percent} for v in straight_on(workpiece)]


def _certainty_keys(part: Found, volume: float) -> dict[str, Any]:
    """The parts that explain the drawing alike, with about the volume of each, the one that was built first; whether it
    is the only one and leaves nothing unexplained; and everything that is to be said of it."""
    from tectogon.reconstruction.certainty import notes_of

    by_samples = [float(part.cells.volume[a.full].sum()) for a in part.answers]
    remarks = notes_of(part, 0)
    return {
        "answers": [
            {"volume_mm3": volume + v - by_samples[part.chosen], "off_mm": a.off}
            for v, a in zip(by_samples, part.answers, strict=True)
        ],
        "certain": [note.code for note in remarks] in (["part_only"], ["part_turned"]),
        "remarks": [note.as_json() for note in remarks],
    }


def _run(options: argparse.Namespace) -> Any:
    yield _guarded(str(options.card), lambda answer: _run_card(options, answer))


def _run_card(options: argparse.Namespace, answer: _Answer) -> None:
    from tectogon.errors import UnreadableFile
    from tectogon.route import run_card
    from tectogon.route.card import parse_card
    from tectogon.route.gauges import gauges_of

    try:
        card = parse_card(options.card.read_bytes())
    except OSError as problem:
        raise UnreadableFile(f"{options.card.name} can't be opened: {problem.strerror}.") from None
    sources = {name: options.card.parent / name for name in card.sources}
    for given in options.source:
        name, _, file = given.partition("=")
        if not file:
            raise WrongCall(f"--source wants NAME=FILE, not “{given}”.")
        sources[name] = Path(file)
    hashes = {name: hashlib.sha256(path.read_bytes()).hexdigest() for name, path in sources.items() if path.is_file()}
    run = run_card(
        card.model_copy(update={"sources": {**card.sources, **hashes}}),
        sources,
        progress=lambda n, of, text: print(f"{n + 1} of {of}: {text}", file=sys.stderr),
    )
    outputs = []
    if run.workpiece.bodies:
        for kind in ("step", "stl"):
            outputs.append(
                _write(run.workpiece, kind, options.card.stem, options.out / f"{options.card.stem}.{kind}")["out"]
            )
    answer.keys = {
        "operations": [
            {
                "number": s.number,
                "kind": s.kind,
                "sentence": "".join(t.text for t in s.sentence),
                "status": s.status,
                "message": s.message,
            }
            for s in run.steps
        ],
        "gauges": {
            g.stage: {"state": g.state, "figure": g.figure, "words": g.words}
            for g in gauges_of(run.workpiece, run.steps, _percents(run.workpiece))
        },
        "outputs": outputs,
    }
    if run.workpiece.bodies:
        answer.keys |= {k: v for k, v in _body_keys(run.workpiece).items() if k != "out"}
    if run.failed:
        answer.status, answer.message, answer.exit_status = (
            run.failed.code,
            f"Operation {run.failed.number}: {run.failed.message}",
            run.failed.exit_status,
        )


def _formats(options: argparse.Namespace) -> Any:
    for entry in FORMATS:
        ways = " and ".join(word for word, on in (("read", entry.reads), ("written", entry.writes)) if on)
        print(f"{' '.join(entry.endings):14} {entry.name:6} {ways}")
    return iter(())


def _print(answer: _Answer, *, as_json: bool) -> None:
    if as_json:
        print(json.dumps(answer.as_json(), allow_nan=False, default=float), flush=True)
        return
    print(f"{answer.file}: {answer.status}{': ' + answer.message if answer.message else ''} ({answer.seconds:.2f} s)")
    for key, value in answer.keys.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            print(f"  {key}:")
            for item in value[:100]:
                print("    " + ", ".join(f"{k} {_short(v)}" for k, v in item.items()))
        else:
            print(f"  {key}: {_short(value)}")
    for warning in answer.warnings:
        print(f"  note: {warning['text']}")


def _short(value: Any) -> str:
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, list):
        return "[" + ", ".join(_short(v) for v in value) + "]"
    return str(value)


if __name__ == "__main__":
    sys.exit(main())
