"""Files read as drawings, and their closed profiles: the commands `inspect` and `profiles`."""

from __future__ import annotations

import argparse
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from tectogon.cli.answers import Answer, WrongCall
from tectogon.errors import NothingToBuild, OutOfTime
from tectogon.findings.finding import counted
from tectogon.findings.not_geometry import Aside
from tectogon.findings.search import mend_certain
from tectogon.formats import OPTIONS, ReadLimits, ReadOptions, ReadResult, read_drawing
from tectogon.formats.unit import unit_evidence
from tectogon.linework import Linework
from tectogon.linework.edit import replaced
from tectogon.linework.evidence import UnitEvidence, doubts
from tectogon.profiles import Region, Regions
from tectogon.units import mm_per_unit
from tectogon.workpiece.model import Drawing


def read_file(
    path: Path, options: argparse.Namespace, answer: Answer
) -> tuple[ReadResult, UnitEvidence, Linework, float]:
    result = read_drawing(path, _read_options(options), ReadLimits(keep_pictures=False))
    evidence = unit_evidence(result)
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


def inspect_file(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    result, evidence, linework, factor = read_file(path, options, answer)
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


def drawing_of(path: Path, options: argparse.Namespace, answer: Answer) -> Drawing:
    _, _, linework, _ = read_file(path, options, answer)
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
    return without(linework, asides)


def without(linework: Linework, asides: Iterable[Aside]) -> Drawing:
    """A drawing with what is proposed left out: always before anything is mended."""
    return Drawing(linework, left_out=frozenset(linework.ids[r] for a in asides for r in a.rows.tolist()))


def all_certain_mended(drawing: Drawing, within: float | None) -> tuple[Drawing, int, float]:
    """The drawing with everything certain mended, how much that is, and the joining distance that was used (mm)."""
    rows = drawing.bounding
    if not len(rows):
        return drawing, 0, drawing.tolerance
    step, used = mend_certain(drawing.linework.table.take(rows), within=within)
    linework = replaced(drawing.linework, rows, step.table, step.source, step.number)
    return replace(drawing, linework=linework), step.done, used


def mended(drawing: Drawing, options: argparse.Namespace, answer: Answer) -> tuple[Drawing, dict[str, Any]]:
    """The drawing with everything certain mended, unless it is to be left; and the keys that tell of it."""
    before = drawing.findings
    if drawing.too_much:
        raise OutOfTime(drawing.too_much)
    tolerance, done = drawing.tolerance, 0
    if not options.no_mend and len(drawing.bounding):
        drawing, done, tolerance = all_certain_mended(drawing, options.tolerance)
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


def profile_keys(drawing: Drawing, told: dict[str, Any]) -> tuple[Regions, dict[str, Any]]:
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


def profiles_of_file(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    regions, answer.keys = profile_keys(*mended(drawing_of(path, options, answer), options, answer))
    if not regions.regions:
        raise NothingToBuild(f"{path.name}: no closed profile; {len(regions.open_ends)} ends are open.")
