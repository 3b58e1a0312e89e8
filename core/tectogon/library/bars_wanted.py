"""The bars that cards want, for a cut list."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping

from tectogon.errors import TectogonError
from tectogon.library.cut_list import Cut
from tectogon.operations.bar import BarParams
from tectogon.route.card import Card, params_of
from tectogon.units import parse_length, parse_number

_TOLD = 3


def bars_wanted(cards: Iterable[tuple[str, Card]], widths: Mapping[str, float]) -> dict[str, list[Cut]]:
    """The bars of cards, each with its part's name, by section: the longest length of each, like ones together.
    `widths`: how wide sections are (mm), by which mitred ends make a bar longer. Steps that are off, or can't be read,
    want none."""
    found: dict[str, dict[tuple[float, tuple[float, float]], dict[str, int]]] = defaultdict(lambda: defaultdict(dict))
    for name, card in cards:
        for step in card.steps:
            if step.kind != "bar" or not step.on:
                continue
            try:
                params = params_of(step)
                assert isinstance(params, BarParams)
                angles = parse_number(params.start), parse_number(params.end)
                length, count = parse_length(params.length), int(parse_number(params.count))
            except TectogonError:
                continue
            section = params.section or params.source
            lean = (math.tan(math.radians(a)) for a in angles)
            start, end = lean
            longest = length + abs(end - start) * widths.get(section, 0.0) / 2.0
            row = found[section][(round(longest, _TOLD), angles)]
            row[name] = row.get(name, 0) + count
    return {
        section: [
            Cut(", ".join(parts), length, angles, sum(parts.values()))
            for (length, angles), parts in sorted(rows.items(), reverse=True)
        ]
        for section, rows in sorted(found.items())
    }
