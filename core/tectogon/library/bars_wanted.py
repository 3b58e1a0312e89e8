"""The bars that cards want, for a cut list."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from tectogon.building.bar_ends import Ends
from tectogon.curves import affine
from tectogon.errors import TectogonError
from tectogon.library.cut_list import Cut
from tectogon.operations.bar import BarParams, laid
from tectogon.route.card import Card, params_of
from tectogon.units import parse_length, parse_number

_TOLD = 3


Outline = Sequence[Sequence[Sequence[float]]]


def bars_wanted(cards: Iterable[tuple[str, Card]], outlines: Mapping[str, Outline]) -> dict[str, list[Cut]]:
    """The bars of cards, each with its part's name, by section: the length overall of each, like ones together.
    `outlines`: of sections, as polygons (mm); what is asked along a line becomes a length overall by them. Steps that
    are off, or can't be read, want none."""
    found: dict[str, dict[tuple[float, tuple[float, float]], dict[str, int]]] = defaultdict(lambda: defaultdict(dict))
    for name, card in cards:
        for step in card.steps:
            if step.kind != "bar" or not step.on:
                continue
            try:
                params = params_of(step)
                assert isinstance(params, BarParams)
                ends = Ends(
                    parse_length(params.length), parse_number(params.start), parse_number(params.end), params.measured
                )
                count = int(parse_number(params.count))
                section = params.section or params.source
                longest = ends.overall(*_reach(params, outlines.get(section, ())))
            except TectogonError:
                continue
            row = found[section][(round(longest, _TOLD), (ends.start, ends.end))]
            row[name] = row.get(name, 0) + count
    return {
        section: [
            Cut(", ".join(parts), length, angles, sum(parts.values()))
            for (length, angles), parts in sorted(rows.items(), reverse=True)
        ]
        for section, rows in sorted(found.items())
    }


def _reach(params: BarParams, outline: Outline) -> tuple[float, float]:
    """How far a section reaches to both sides of the line that a bar lies on (mm)."""
    if not outline:
        return 0.0, 0.0
    points = np.concatenate([np.asarray(ring, float) for ring in outline])
    (x0, y0), (x1, y1) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    across = affine.apply(laid(params, (x0, y0, x1, y1), _centroid(outline)), points)[:, 0]
    return float(across.min()), float(across.max())


def _centroid(outline: Outline) -> tuple[float, float]:
    """The centroid of polygons, the first the outer boundary, the others its holes (shoelace formula)."""
    total = np.zeros(3)
    for n, ring in enumerate(outline):
        x, y = np.asarray(ring, float).T
        cross = x * np.roll(y, -1) - np.roll(x, -1) * y
        moments = np.array([cross.sum(), ((x + np.roll(x, -1)) * cross).sum(), ((y + np.roll(y, -1)) * cross).sum()])
        total += moments * (1.0 if n == 0 else -1.0) * np.sign(moments[0])
    area, mx, my = total.tolist()
    return (mx / (3.0 * area), my / (3.0 * area)) if area else (0.0, 0.0)
