"""Solids of profiles: the commands `build`, `revolve`, `loft` and `sweep`; and bodies as keys and as files."""

from __future__ import annotations

import argparse
import functools
import math
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tectogon.curves.affine import about_point
from tectogon.errors import NothingToBuild
from tectogon.profiles import Region
from tectogon.workpiece.model import Workpiece

if TYPE_CHECKING:
    from tectogon.solids.features import Feature
from tectogon.cli.answers import Answer, WrongCall, guarded
from tectogon.cli.drawings import drawing_of, mended, profile_keys


def build_file(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    from tectogon.building.extrusion import extrusions
    from tectogon.building.tapering import Sides

    workpiece, profiles = with_profiles(path, options, answer)
    sides = Sides(options.taper, options.to_point)
    features = extrusions(workpiece, profiles, [(0.0, options.thickness)] * len(profiles), 10, sides)
    _write_new(workpiece, features, path, options, answer)


def revolve_file(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    from tectogon.building.revolution import revolution
    from tectogon.solids.turned import Axis

    workpiece, profiles = with_profiles(path, options, answer)
    (x0, y0, x1, y1), angle = options.axis, math.radians(options.angle)
    way = np.array([x1 - x0, y1 - y0])
    axis = Axis(np.array([x0, y0]), way / np.hypot(*way))
    features = [f for p in profiles for f in revolution(workpiece, p, axis, (0.0, angle), 10)]
    _write_new(workpiece, features, path, options, answer)


def loft_files(options: argparse.Namespace) -> Any:
    yield guarded(str(options.files[0]), functools.partial(_lofted, options))


def _lofted(options: argparse.Namespace, answer: Answer) -> None:
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


def _only_profile(path: Path, options: argparse.Namespace, answer: Answer) -> tuple[Workpiece, Region]:
    """The one closed profile of a file. Raises NothingToBuild where there are several."""
    keys = dict(answer.keys)
    workpiece, profiles = with_profiles(path, options, answer)
    answer.keys = keys or answer.keys
    if len(profiles) > 1:
        raise NothingToBuild(
            f"{path.name} has {len(profiles)} closed profiles where one is wanted; leave out the others."
        )
    return workpiece, profiles[0]


def sweep_files(options: argparse.Namespace) -> Any:
    yield guarded(str(options.files[0]), functools.partial(_swept, options))


def _swept(options: argparse.Namespace, answer: Answer) -> None:
    from tectogon.building.along import centred, swept_along
    from tectogon.profiles.paths import path_of

    workpiece, region = _only_profile(options.files[0], options, answer)
    drawing, _ = mended(drawing_of(options.along, options, answer), options, answer)
    path = path_of(drawing.linework.table.take(drawing.bounding), drawing.tolerance)
    feature = swept_along(centred(workpiece.drawing.regions, region), path, step=10)
    answer.keys["path_mm"] = path.length
    _write_new(workpiece, [feature], options.files[0], options, answer, many=False)


def with_profiles(path: Path, options: argparse.Namespace, answer: Answer) -> tuple[Workpiece, tuple[Region, ...]]:
    """The mended drawing and its profiles. Raises NothingToBuild where none is closed."""
    drawing, told = mended(drawing_of(path, options, answer), options, answer)
    regions, answer.keys = profile_keys(drawing, told)
    if not regions.profiles:
        raise NothingToBuild(f"{path.name}: no closed profile; {len(regions.open_ends)} ends are open.")
    return Workpiece(drawing=drawing), regions.profiles


def _write_new(
    workpiece: Workpiece,
    features: list[Feature],
    path: Path,
    options: argparse.Namespace,
    answer: Answer,
    *,
    many: bool | None = None,
) -> None:
    """The bodies that features make, told and written."""
    from tectogon.solids.features import with_features

    workpiece = replace(workpiece, bodies=with_features((), features, "new", None, 10))
    kind = options.to or (options.out.suffix.lstrip(".").lower() if options.out and options.out.suffix else "step")
    answer.keys |= body_keys(workpiece)
    if kind not in ("step", "stp", "stl", "3mf", "glb"):
        raise WrongCall(f"“.{kind}” is not written; use step, stl, 3mf or glb.")
    kind = "step" if kind == "stp" else kind
    answer.keys |= write_part(
        workpiece,
        kind,
        path.stem,
        target_of(options.out, path, kind, many=len(options.files) > 1 if many is None else many),
    )


def body_keys(workpiece: Workpiece) -> dict[str, Any]:
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


def target_of(out: Path | None, source: Path, kind: str, *, many: bool) -> Path | None:
    if out is None:
        return None
    if out.is_dir() or many or not out.suffix:
        out.mkdir(parents=True, exist_ok=True)
        return out / f"{source.stem}.{kind}"
    return out


def write_part(workpiece: Workpiece, kind: str, name: str, target: Path | None) -> dict[str, Any]:
    if target is None:
        return {}
    from tectogon.solids import exchange

    data, watertight = exchange.write(workpiece.bodies, kind, name)
    put(target, data)
    return {"out": str(target)} | ({} if watertight is None else {"watertight": watertight})


def put(target: Path, data: bytes) -> None:
    """Write a file, and the folders it stands in. Raises WrongCall."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    except OSError as problem:
        raise WrongCall(f"{target} can't be written: {problem.strerror}.") from None
