"""Circles round a place that is drawn larger elsewhere on the sheet: a letter stands at the circle, and another text
says that letter with a scale, or calls it a detail (ISO 128-3)."""

from __future__ import annotations

import re

import numpy as np

from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE

_LETTER = re.compile(r"[A-Z]")
_BESIDE, _CLEARLY = 2.5, 0.5
"""The letter stands no further from the circle than so many times its height, and from any other so many further."""
_SAME = 1e-3
_CALLED = r"(?:detail|einzelheit|d[ée]tail|detalle|view|ansicht)"
_SCALE = r"(?:scale|ma(?:ß|ss)stab|m)?\W*\d+(?:[.,]\d+)?\s*:\s*\d+(?:[.,]\d+)?\W*"


def find_detail_circles(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of circles round details, among `rows`."""
    table = linework.table
    round_ones = rows[(table.kind[rows] == ARC) & (np.abs(table.data[rows, 4]) >= TURN - 1e-6)]
    words = [t.text.strip() for t in linework.texts]
    drawn_larger = [
        t
        for t, word in zip(linework.texts, words, strict=True)
        if t.height > 0.0 and _LETTER.fullmatch(word) and any(_says(word, other) for other in words)
    ]
    x, y, radius = table.data[round_ones, :3].T
    apart = np.hypot(x[:, None] - x, y[:, None] - y) > _SAME * np.maximum(radius, LEAST_SIZE)
    alone = (apart | np.eye(len(x), dtype=bool)).all(axis=1)
    found = set()
    for t in drawn_larger:
        middle = t.at[0] + 0.4 * t.height, t.at[1] + 0.5 * t.height
        away = np.abs(np.hypot(middle[0] - x, middle[1] - y) - radius) / t.height
        near = np.flatnonzero(away <= _BESIDE)
        # circles about one centre belong to the part
        near = near[alone[near]] if alone[near].any() else near
        near = near[np.argsort(away[near], kind="stable")]
        if len(near) and (len(near) == 1 or away[near[1]] > away[near[0]] + _CLEARLY):
            found.add(int(round_ones[near[0]]))
    return np.array(sorted(found), np.int64)


def _says(letter: str, text: str) -> bool:
    """Whether a text is the title of the detail with this letter."""
    called = re.compile(rf"{_CALLED}\W*{letter}\b\W*(?:{_SCALE})?|{letter}\W*{_SCALE}", re.IGNORECASE)
    return bool(called.fullmatch(text))
