"""The command `views`: the views of a sheet, and the part out of them."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from tectogon.errors import Note, NothingToBuild
from tectogon.reconstruction.stated_thickness import thicknesses_in
from tectogon.workpiece.model import Drawing, Workpiece

if TYPE_CHECKING:
    from tectogon.findings.not_geometry import Aside
    from tectogon.views.find import FoundViews
from tectogon.cli.answers import Answer
from tectogon.cli.drawings import all_certain_mended, read_file, without
from tectogon.cli.solids import body_keys, target_of, write_part


def folded_views(
    path: Path, options: argparse.Namespace, answer: Answer
) -> tuple[Workpiece, str, list[tuple[float, str]]]:
    """The views of a sheet, lined up and folded, its angle of projection, and the thicknesses that it states (mm, with
    the words). Raises NothingToBuild without any view."""
    from tectogon.operations.arrange import arranged

    drawing, found, _, factor = _found(path, options, answer)
    if not found.views:
        raise NothingToBuild(f"{path.name}: no view is found; {found.why}.")
    drawing, folded = arranged(drawing, found, 10, scale=True)
    return Workpiece(drawing=drawing, views=folded), found.projection, thicknesses_in(drawing.linework, factor)


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
    from tectogon.building.part_of_views import part_of_views
    from tectogon.reconstruction.depths import sides_seen, unclosed
    from tectogon.reconstruction.straight_on import straight_on

    drawing, folded = arranged(drawing, found, 10, scale=True)
    workpiece = Workpiece(drawing=drawing, views=folded)
    for fault in filter(None, map(unclosed, sides_seen(workpiece))):
        answer.warnings.append(Note("outline_open", *fault).as_json())
    part = part_of_views(workpiece, 10, stated)
    workpiece = replace(workpiece, bodies=part.bodies)
    answer.keys |= body_keys(workpiece) | {
        "answers": [{"volume_mm3": volume, "off_mm": off} for volume, off in part.answers],
        "certain": part.certain,
        "remarks": [note.as_json() for note in part.notes],
    }
    answer.keys |= write_part(
        workpiece, "step", path.stem, target_of(options.build, path, "step", many=len(options.files) > 1)
    )
    answer.keys["explained"] = [{"view": v.name, "percent": v.percent} for v in straight_on(workpiece)]
