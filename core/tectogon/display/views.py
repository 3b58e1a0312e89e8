"""How well views agree, and how well the part agrees with them, as plain data for a screen."""

from __future__ import annotations

from typing import Any

import numpy as np

from tectogon.operations.workpiece import Workpiece
from tectogon.views.align import Agreement

_MOST_LINES = 2000


def agreements_told(agreements: list[Agreement]) -> list[dict[str, Any]]:
    return [
        {"pair": list(a.pair), "axis": a.axis, "matched": a.matched, "unmatched": a.unmatched, "worst": a.worst, "off": a.off, "holds": bool(a.holds)}
        for a in agreements
    ]  # fmt: skip


def check_told(workpiece: Workpiece) -> dict[str, Any]:
    """Each view against the part seen straight on: per cent explained, and the lines that are too many or lacking (on the sheet, mm)."""
    if not workpiece.views or not workpiece.bodies:
        return {"views": []}
    from tectogon.operations.straight_on import straight_on

    told = []
    for view in straight_on(workpiece):
        lines = {"unexplained": view.unexplained, "lacking": view.lacking}
        lengths = {f"{name}_mm": float(sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in found)) for name, found in lines.items()}
        told.append({"name": view.name, "percent": view.percent, **lengths, **{name: [line.tolist() for line in found[:_MOST_LINES]] for name, found in lines.items()}})
    return {"views": told}
