"""How well views agree, and how well the part agrees with them, as plain data for a screen."""

from __future__ import annotations

from typing import Any

import numpy as np

from tectogon.errors import TectogonError
from tectogon.linework import Linework
from tectogon.linework.evidence import contradictions
from tectogon.views.align import AXES, rows_showing, shown_of
from tectogon.workpiece.model import Workpiece

_MOST_LINES = 2000
_MOST_ALONE = 200


def agreements_told(workpiece: Workpiece) -> list[dict[str, Any]]:
    """Each pair of views and axis they share, with the curves that show what only one of the two does."""
    linework = workpiece.drawing.linework
    views = {v.name: shown_of(v, linework) for v in workpiece.views}
    told = []
    for a in workpiece.agreements:
        rows = [
            row
            for name, values in zip(a.pair, a.alone, strict=True)
            for row in rows_showing(linework.table, views[name], AXES.index(a.axis), values)
        ]
        told.append(
            {
                "pair": list(a.pair),
                "axis": a.axis,
                "matched": a.matched,
                "unmatched": a.unmatched,
                "worst": a.worst,
                "off": a.off,
                "holds": bool(a.holds),
                "alone": [linework.ids[row] for row in rows[:_MOST_ALONE]],
            }
        )
    return told


def contradictions_told(linework: Linework) -> list[dict[str, Any]]:
    """Stated sizes that the drawing does not have: what is written, what it states and what is drawn (mm), and
    where."""
    return [
        {"text": c.text, "stated": c.stated, "drawn": c.drawn, "at": list(c.at) if c.at else None}
        for c in contradictions(linework)
    ]


def depths_told(workpiece: Workpiece, profile: str) -> dict[str, Any]:
    """Depths proposed for a profile; none, with the sentence why, where no view shows any."""
    from tectogon.reconstruction.depth_proposals import proposals_of

    regions = workpiece.drawing.regions
    if profile not in regions.by_id:
        return {"depths": [], "why": "This profile is no longer closed."}
    try:
        return {
            "depths": [p.as_json() for p in proposals_of(workpiece, regions.regions[regions.by_id[profile]])],
            "why": "",
        }
    except TectogonError as problem:
        return {"depths": [], "why": problem.sentence}


def check_told(workpiece: Workpiece) -> dict[str, Any]:
    """Each view of every sheet against the part seen straight on: per cent explained, and the lines that are too many
    or lacking (on its sheet, mm)."""
    if not workpiece.bodies:
        return {"views": []}
    from tectogon.reconstruction.straight_on import straight_on

    told = []
    for sheet, view in [(w.sheet, view) for w in workpiece.on_each_sheet for view in straight_on(w)]:
        lines = {"unexplained": view.unexplained, "lacking": view.lacking}
        lengths = {
            f"{name}_mm": float(sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in found))
            for name, found in lines.items()
        }
        told.append(
            {
                "sheet": sheet,
                "name": view.name,
                "percent": view.percent,
                **lengths,
                **{name: [line.tolist() for line in found[:_MOST_LINES]] for name, found in lines.items()},
            }
        )
    return {"views": told}
