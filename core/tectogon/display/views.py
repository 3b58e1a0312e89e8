"""How well views agree, and how well the part agrees with them, as plain data for a screen."""

from __future__ import annotations

from typing import Any

import numpy as np

from tectogon.errors import TectogonError
from tectogon.linework import Linework
from tectogon.linework.evidence import contradictions
from tectogon.tolerances import SEEN_TOL
from tectogon.views import View
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

    region = next((r for some in workpiece.drawing.all_regions if (r := some.with_id(profile))), None)
    if region is None:
        return {"depths": [], "why": "This profile is no longer closed."}
    try:
        return {"depths": [p.as_json() for p in proposals_of(workpiece, region)], "why": ""}
    except TectogonError as problem:
        return {"depths": [], "why": problem.sentence}


def check_told(workpiece: Workpiece) -> dict[str, Any]:
    """Each view of every sheet against the part seen straight on: per cent explained, and the lines that are too many
    or lacking (on its sheet, mm)."""
    if not workpiece.bodies:
        return {"views": []}
    from tectogon.reconstruction.stated_sizes import sizes_on_part
    from tectogon.reconstruction.straight_on import straight_on

    told = []
    left_out = {(w.sheet, v.name): _left_out_at(w, v) for w in workpiece.on_each_sheet for v in w.views}
    for sheet, view in [(w.sheet, view) for w in workpiece.on_each_sheet for view in straight_on(w)]:
        lines = dict(view.differences)
        lengths = {
            f"{name}_mm": float(sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in found))
            for name, found in lines.items()
        }
        told.append(
            {
                "sheet": sheet,
                "name": view.name,
                "percent": view.percent,
                "agrees": view.agrees,
                "differences": view.count,
                "left_out": left_out[(sheet, view.name)],
                **lengths,
                **{name: [line.tolist() for line in found[:_MOST_LINES]] for name, found in lines.items()},
            }
        )
    sizes = [
        {"sheet": w.sheet, **size.as_json()}
        for w in workpiece.on_each_sheet
        if w.views
        for size in sizes_on_part(w, w.bodies)
    ]
    return {"views": told, "sizes": sizes}


def _left_out_at(workpiece: Workpiece, view: View) -> dict[str, Any]:
    """What was left out of the drawing and lies within a view: how many curves, and how long they are (mm)."""
    linework = workpiece.drawing.linework
    rows = np.array([linework.row_of[key] for key in workpiece.drawing.left_out if key in linework.row_of], np.int64)
    if not len(rows):
        return {"curves": 0, "mm": 0.0}
    x0, y0, x1, y1 = view.box
    boxes, near = linework.table.take(rows).bounds, SEEN_TOL * max(view.box[2] - view.box[0], view.box[3] - view.box[1])
    inside = (boxes[:, :2] >= [x0 - near, y0 - near]).all(axis=1) & (boxes[:, 2:] <= [x1 + near, y1 + near]).all(axis=1)
    return {"curves": int(inside.sum()), "mm": float(linework.table.take(rows[inside]).lengths.sum())}
