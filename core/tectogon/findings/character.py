"""What a drawing is, before anything is proposed to be left out of it.

Glossary
    sheet: a drawing of views with what goes with them: dashed and centre lines, sizes, words, a frame.
    shapes: closed shapes and nothing that speaks for a sheet: a profile, an icon, a board, a scan. In them a ring of
    lines is no frame, lines side by side are no hatching, and a cross in a circle is no centre mark.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import LINE
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE
from tectogon.views.groups import find_groups

_MOST_CURVES = 60_000
_SNUG = 2e-3
_LEVEL = 0.6
_SAME = 0.01


@dataclass(frozen=True)
class Character:
    """What a drawing is, and why it is taken for that, in words."""

    kind: Literal["sheet", "shapes"]
    why: str


def character_of(linework: Linework) -> Character:
    """Whether a drawing is a sheet; what speaks for it is named."""
    signs = []
    dashed, chain = int(linework.is_hidden.sum()), int(linework.is_guide.sum())
    if dashed:
        signs.append(f"{dashed} dashed {'line' if dashed == 1 else 'lines'}")
    if chain:
        signs.append(f"{chain} centre {'line' if chain == 1 else 'lines'}")
    if linework.stated:
        signs.append(f"{len(linework.stated)} stated {'size' if len(linework.stated) == 1 else 'sizes'}")
    numbers = sum(any(c.isdigit() for c in t.text) for t in linework.texts[:1000])
    if len(linework.texts) >= 2 and numbers:
        signs.append(f"{len(linework.texts)} texts")
    if not signs and len(linework) <= _MOST_CURVES and _views_in_line(linework.table):
        signs.append("groups of level and upright lines of one size, in line with each other")
    if signs:
        return Character("sheet", f"Taken for a sheet with views: {', '.join(signs)}.")
    return Character("shapes", "Taken for plain shapes: no dashed lines, no sizes, no words, no views in line.")


def _views_in_line(table: CurveTable) -> bool:
    """Whether two groups of lines, most of them level or upright, stand above or beside each other and have just one
    size along the direction that they share."""
    if len(table) < 8:
        return False
    lines = table.kind == LINE
    step = table.ends[:, 1] - table.ends[:, 0]
    level = lines & (np.abs(step).min(axis=1) <= 1e-6 * np.maximum(np.abs(step).max(axis=1), LEAST_SIZE))
    label = find_groups(table, reach=max(table.size, LEAST_SIZE) * _SNUG)
    boxes = []
    for k in range(min(int(label.max()) + 1, 40)):
        rows = np.flatnonzero(label == k)
        if len(rows) >= 4 and table.lengths[rows[level[rows]]].sum() >= _LEVEL * table.lengths[rows].sum():
            boxes.append(table.take(rows).extents)
    for n, a in enumerate(boxes):
        for b in boxes[n + 1 :]:
            for axis in (0, 1):
                size = max(a[axis + 2] - a[axis], b[axis + 2] - b[axis], LEAST_SIZE)
                same = np.abs(a[[axis, axis + 2]] - b[[axis, axis + 2]]).max() <= _SAME * size
                other = 1 - axis
                alike = abs((a[other + 2] - a[other]) - (b[other + 2] - b[other])) <= _SAME * size
                if same and not alike and (a[other + 2] <= b[other] or b[other + 2] <= a[other]):
                    return True
    return False
