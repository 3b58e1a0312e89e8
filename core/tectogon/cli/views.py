"""The command `views`: the views of a sheet, and the part out of them."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tectogon.errors import Note, NothingToBuild
from tectogon.reconstruction.stated_thickness import thicknesses_in
from tectogon.workpiece.model import Drawing, Workpiece

if TYPE_CHECKING:
    from tectogon.findings.not_geometry import Aside
    from tectogon.reconstruction.part_from_views import Found
    from tectogon.views.find import FoundViews
from tectogon.cli.answers import Answer
from tectogon.cli.drawings import all_certain_mended, read_file, without
from tectogon.cli.solids import body_keys, target_of, write_part


def folded_views(path: Path, options: argparse.Namespace, answer: Answer) -> tuple[Workpiece, str]:
    """The views of a sheet, lined up and folded, and its angle of projection. Raises NothingToBuild without any."""
    from tectogon.operations.arrange import arranged

    drawing, found, _, _ = _found(path, options, answer)
    if not found.views:
        raise NothingToBuild(f"{path.name}: no view is found; {found.why}.")
    drawing, folded = arranged(drawing, found, 10, scale=True)
    return Workpiece(drawing=drawing, views=folded), found.projection


def _found(path: Path, options: argparse.Namespace, answer: Answer) -> tuple[Drawing, FoundViews, list[Aside], float]:
    """The geometry of a file, the views in it, what was left out, and how many mm a unit of the file has."""
    from tectogon.operations.arrange import found_in

    _, _, linework, factor = read_file(path, options, answer)
    proposals = list(Drawing(linework).proposals)
    drawing = without(linework, proposals)
    if not options.no_mend:
        drawing, _, _ = all_certain_mended(drawing, options.tolerance)
    return drawing, found_in(drawing), proposals, factor


def views_of_file(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    from tectogon.operations.arrange import arranged

    drawing, found, proposals, factor = _found(path, options, answer)
    stated = thicknesses_in(drawing.linework, factor)
    answer.keys = {
        "projection": found.projection,
        "why": found.why,
        "views": [{"name": v.name, "bbox_mm": list(v.box), "curves": len(v.rows)} for v in found.views],
        "left_out": (
            [{"why": a.why, "curves": len(a.rows)} for a in proposals]
            + [{"why": why, "curves": len(rows)} for why, rows in found.left_out]
        ),
        "advice": list(found.advice),
        "thickness_mm": stated[0][0] if len(stated) == 1 else None,
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
    from tectogon.building.plates import plate_of
    from tectogon.building.turned_views import turned_from_views
    from tectogon.reconstruction.depths import sides_seen, unclosed
    from tectogon.reconstruction.part_from_views import build_from_views
    from tectogon.reconstruction.straight_on import straight_on

    drawing, folded = arranged(drawing, found, 10, scale=True)
    workpiece = Workpiece(drawing=drawing, views=folded)
    for fault in filter(None, map(unclosed, sides_seen(workpiece))):
        answer.warnings.append(Note("outline_open", *fault).as_json())
    plate = plate_of(workpiece, stated)
    if plate is not None:
        workpiece = replace(workpiece, bodies=plate.bodies(workpiece, 10))
        told = {
            "answers": [{"volume_mm3": sum(b.volume for b in workpiece.bodies), "off_mm": 0.0}],
            "certain": plate.certain,
            "remarks": [note.as_json() for note in plate.notes],
        }
    elif (turned := turned_from_views(workpiece, 10)) is not None:
        workpiece = turned.workpiece
        told = {
            "answers": [{"volume_mm3": sum(b.volume for b in workpiece.bodies), "off_mm": 0.0}],
            "certain": False,
            "remarks": [note.as_json() for note in turned.notes],
        }
    else:
        bodies, part = build_from_views(workpiece, 10)
        workpiece = replace(workpiece, bodies=bodies)
        told = _certainty_keys(part, sum(b.volume for b in bodies))
    answer.keys |= body_keys(workpiece) | told
    answer.keys |= write_part(
        workpiece, "step", path.stem, target_of(options.build, path, "step", many=len(options.files) > 1)
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
