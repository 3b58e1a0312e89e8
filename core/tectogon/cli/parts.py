"""Parts from STEP files, cards and drawings, and what is made of them: the commands `draw`, `match` and
`printcheck`."""

from __future__ import annotations

import argparse
import functools
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tectogon.cli.answers import Answer, WrongCall, guarded
from tectogon.cli.cards import card_run
from tectogon.cli.drawings import drawing_of, mended
from tectogon.cli.solids import put
from tectogon.cli.views import folded_views
from tectogon.errors import NothingToBuild, TectogonError
from tectogon.workpiece.model import Workpiece

if TYPE_CHECKING:
    from tectogon.drafting.sheet import DrawnSheet, Wishes


def part_of(path: Path, options: argparse.Namespace, answer: Answer) -> Workpiece:
    """The part that a file is or makes: a STEP's solids, what a card builds, what the views of a sheet give, or the
    profiles of a drawing raised by `--thickness`. Raises NothingToBuild, and what reading and building raise."""
    from tectogon.building.brought_in import brought_in
    from tectogon.formats.signatures import is_step

    head = _head(path)
    if is_step(head):
        bodies, notes = brought_in(path)
        answer.warnings += [note.as_json() for note in notes]
        return Workpiece(bodies=bodies)
    if path.suffix.lower() == ".json":
        run = card_run(path, options.source)
        if run.failed:
            text = f"Operation {run.failed.number}: {run.failed.message}"
            answer.warnings.append({"code": run.failed.code, "text": text, "where": None})
        if not run.workpiece.bodies:
            raise NothingToBuild(f"{path.name} builds no body{f': {run.failed.message}' if run.failed else ''}")
        return run.workpiece
    if options.thickness is None:
        try:
            return _from_views(path, options, answer)
        except NothingToBuild as problem:
            raise NothingToBuild(
                f"{problem.sentence} A flat drawing becomes a part with --thickness.", problem.place
            ) from None
    return _raised(path, options, answer)


def _head(path: Path) -> bytes:
    try:
        with path.open("rb") as file:
            return file.read(4096)
    except OSError:
        return b""


def _from_views(path: Path, options: argparse.Namespace, answer: Answer) -> Workpiece:
    from tectogon.building.part_of_views import part_of_views

    workpiece, _, stated = folded_views(path, options, answer)
    return replace(workpiece, bodies=part_of_views(workpiece, 10, stated).bodies)


def _raised(path: Path, options: argparse.Namespace, answer: Answer) -> Workpiece:
    from tectogon.building.extrusion import extrusions
    from tectogon.solids.features import with_features

    drawing, _ = mended(drawing_of(path, options, answer), options, answer)
    profiles = drawing.regions.profiles
    if not profiles:
        raise NothingToBuild(f"{path.name}: no closed profile; {len(drawing.regions.open_ends)} ends are open.")
    workpiece = Workpiece(drawing=drawing)
    features = extrusions(workpiece, profiles, [(0.0, options.thickness)] * len(profiles), 10)
    return replace(workpiece, bodies=with_features((), features, "new", None, 10))


def draw_part(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    """The command `draw`."""
    from tectogon.display.drawing_sheet import SHEET_FORMATS, sheet_bytes
    from tectogon.drafting.paper import Title, parse_scale
    from tectogon.drafting.sheet import Wishes, sheet_of

    kind = options.out.suffix.lstrip(".").lower() or "dxf"
    if kind not in SHEET_FORMATS:
        raise WrongCall(f"“.{kind}” is not drawn; use {', '.join(SHEET_FORMATS)}.")
    try:
        scale = None if options.scale == "auto" else parse_scale(options.scale)
    except TectogonError as bad:
        raise WrongCall(f"--scale: {bad.sentence}") from None
    workpiece = part_of(path, options, answer)
    title = Title(name=options.title or path.stem, number=options.number, material=_material(workpiece))
    wishes = Wishes(options.projection, options.sheet, scale, not options.no_dimensions, title=title)
    sheet = sheet_of(workpiece.bodies, wishes)
    target = target_of(options, path, kind)
    put(target, sheet_bytes(sheet, kind))
    answer.keys = _sheet_keys(sheet, wishes, kind) | {"out": str(target)}


def _material(workpiece: Workpiece) -> str:
    from tectogon.display.part import figures_of

    return str(figures_of(workpiece)["material"] or "")


def target_of(options: argparse.Namespace, path: Path, kind: str) -> Path:
    """Where a file goes: to `--out`, or into it where that is a folder or several files are written."""
    if options.out.is_dir() or len(options.files) > 1:
        folder = options.out if not options.out.suffix else options.out.parent
        return Path(folder) / f"{path.stem}.{kind}"
    return Path(options.out) if options.out.suffix else options.out.with_suffix(f".{kind}")


def _sheet_keys(sheet: DrawnSheet, wishes: Wishes, kind: str) -> dict[str, Any]:
    """What stands on a sheet; places in the file's own millimetres: a DXF has the part in full size."""
    from tectogon.drafting.paper import scale_text

    factor = 1.0 / sheet.scale if kind == "dxf" else 1.0
    boxes = [(one.view.name, *one.at, *one.size) for one in sheet.views]
    return {
        "sheet": sheet.sheet,
        "scale": scale_text(sheet.scale).replace(" ", ""),
        "projection": wishes.projection,
        "views": [
            {"name": name, "bbox_mm": [v * factor for v in (x, y, x + wide, y + high)]}
            for name, x, y, wide, high in boxes
        ],
        "dimensions": [
            {"text": p.text, "value_mm": p.dimension.value, "kind": p.dimension.kind, "view": p.dimension.view}
            for p in sheet.placed
        ],
        "undimensioned": [{"text": o.text, "at": list(o.at)} for o in sheet.open] if wishes.dimensions else [],
    }


def match_part(options: argparse.Namespace) -> Any:
    """The command `match`."""
    yield guarded(str(options.part), functools.partial(_matched, options))


def _matched(options: argparse.Namespace, answer: Answer) -> None:
    from tectogon.reconstruction.match import length_of, match
    from tectogon.reconstruction.stated_sizes import sizes_on_part

    part = part_of(options.part, options, answer)
    workpiece, projection, _ = folded_views(options.drawing, options, answer)
    found = match(workpiece, part.bodies)
    kinds = {
        "unexplained": ("unexplained",),
        "lacking": ("lacking", "lacking_hidden"),
        "drawn_otherwise": ("dashed_but_seen", "solid_but_hidden"),
    }
    answer.keys = {
        "projection": projection,
        "explained": [{"view": v.name, "percent": v.percent} for v in found.views],
        **{
            key: [
                {"view": v.name, "length_mm": length_of(line), "at": line[len(line) // 2].tolist(), "kind": kind}
                for v in found.views
                for kind, lines in v.differences
                if kind in names
                for line in lines
            ]
            for key, names in kinds.items()
        },
        "sizes": [size.as_json() for size in sizes_on_part(workpiece, found.bodies)],
        "same": found.same,
    }


def check_print(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    """The command `printcheck`."""
    from tectogon.solids.print_check import print_check, read_stl, triangles_of

    volume = None
    if path.suffix.lower() == ".stl":
        triangles = read_stl(path)
    else:
        bodies = part_of(path, options, answer).bodies
        triangles, volume = triangles_of(bodies), sum(b.volume for b in bodies)
    found = print_check(triangles, wall=options.wall, tool=options.tool or 0.0, bed=options.bed)
    if found.too_large:
        answer.warnings.append({"code": "bed_too_small", "text": f"The part is {found.too_large}.", "where": None})
    answer.keys = {
        "pieces": found.pieces,
        "loose": [{"volume_mm3": p.volume, "at": list(p.at)} for p in found.loose],
        "thin": [{"wall_mm": t.width, "at": list(t.at)} for t in found.thin],
        "narrow": [{"gap_mm": t.width, "at": list(t.at)} for t in found.narrow],
        "thinnest_mm": found.thinnest.width if found.thinnest else None,
        "thinnest_at": list(found.thinnest.at) if found.thinnest else None,
        "sharp": [{"angle_deg": s.angle, "length_mm": s.length, "at": list(s.at)} for s in found.sharp],
        "overhang_mm2": found.overhang,
        "watertight": found.watertight,
        "volume_mm3": found.volume if volume is None else volume,
        "mesh_volume_mm3": found.volume,
        "fits_bed": not found.too_large if options.bed else None,
    }
