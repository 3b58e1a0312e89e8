"""What is certainly not geometry, as proposals: each with its reason. Only what is certain; the rest is for people to
decide.

Glossary
    aside: curves that should be left out, and why.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
import shapely

from tectogon.curves.table import IntArray
from tectogon.findings.border import find_border
from tectogon.findings.centre_marks import find_centre_marks
from tectogon.findings.character import character_of
from tectogon.findings.detail_circles import find_detail_circles
from tectogon.findings.dimensions import find_dimensions
from tectogon.findings.hatching import find_hatching
from tectogon.findings.item_numbers import find_item_numbers
from tectogon.findings.pictorial import find_pictorial
from tectogon.findings.projection_symbols import find_projection_symbols
from tectogon.findings.signs import find_signs
from tectogon.linework import Linework
from tectogon.profiles import find_regions
from tectogon.tolerances import SEEN_CHORD, resolution

ASIDES = {
    "layer_off": "layers that are off",
    "guides": "centre lines and guides",
    "layer": "layers of text and dimensions",
    "border": "border and title block",
    "projection_symbol": "symbol of the angle of projection",
    "signs": "signs of surface finish and datums",
    "detail_circles": "circles round details",
    "item_numbers": "item numbers",
    "dimensions": "dimension lines and leaders",
    "centre_marks": "centre marks",
    "hatching": "hatching",
    "pictorial": "pictorial view",
}
"""What can be proposed, in words."""

_APART = r"[^a-zß-ÿ]"
_LAYER_WORDS = re.compile(
    rf"(?:^|{_APART})(?:"
    r"border|title|title\W?block|frame|rahmen|schriftfeld|plankopf|cadre|cartouche|cornice|cartiglio|squadratura|marco"
    r"|caj[eé]t[ií]n|dims?|dimensions?|bema(?:ß|ss|sz)ung(?:en)?|ma(?:ß|ss)e|cotes?|cotations?|quot[ea]|quotatur[ea]"
    r"|cotas?|acotad[oa]s?|text[eos]?|testi?|testo|notes?|notas?|beschriftung|defpoints|cent(?:er|re)(?:\W?lines?)?"
    r"|axis|axes?|mittel(?:linien?)?|achsen?|ass[ei]|ejes?|symboles?|symbols?|symbole|simbol[io]s?"
    rf")(?:{_APART}|$)",
    re.IGNORECASE,
)
"""Words for borders, texts, sizes and axes in names of layers: English, German, French, Italian, Spanish."""
_HATCH_WORDS = re.compile(
    rf"(?:^|{_APART})(?:hatch|hatching|schraff(?:ur(?:en)?)?|hachures?|campitur[ea]|retin[oi]|rayados?|sombreados?)"
    rf"(?:{_APART}|$)",
    re.IGNORECASE,
)
_SNUG = 5e-4
_MOST_CURVES = 60_000
_GAP = 1e-3
"""Gaps up to this share of the drawing do not keep what hatching lies in from closing."""
_HELD = 0.95


@dataclass(frozen=True)
class Aside:
    """Curves to leave out and why: rows (k,) of the linework."""

    why: str
    kind: str
    rows: IntArray


def find_not_geometry(linework: Linework) -> list[Aside]:
    """Everything that should be left out, by reason. Never everything there is.

    Dashed lines never: they bound no profile, and tell depths. In plain shapes only what layers and line types say, and
    hatching that closes nothing. On a sheet layers that are off, guides, layers named for what is not geometry, border
    and title block, circles round details, item numbers, dimensions in plain lines, centre marks, hatching and
    pictorial views; on more than 60,000 curves only what line types and layers say is looked at, and the border.
    """
    found: list[Aside] = []
    left = np.ones(len(linework), bool)

    def take(kind: str, why: str, rows: IntArray) -> None:
        fresh = rows[left[rows]]
        if len(fresh) and len(fresh) < left.sum():
            left[fresh] = False
            found.append(Aside(why, kind, fresh))

    if not len(linework):
        return found
    off = np.array([not layer.on for layer in linework.layers], bool)
    take(
        "layer_off",
        "on layers that the file has switched off",
        np.flatnonzero(off[linework.layer_of]) if len(off) else np.zeros(0, np.int64),
    )
    take("guides", "drawn as centre lines or guides", np.flatnonzero(linework.is_guide))
    left[linework.behind(left)] = False  # they bound no profile and tell depths: nothing to leave out
    hatch = np.array([bool(_HATCH_WORDS.search(layer.name)) for layer in linework.layers], bool)
    if hatch.any():
        take("hatching", "on layers named for hatching", np.flatnonzero(hatch[linework.layer_of]))
    named = np.array([bool(_LAYER_WORDS.search(layer.name)) for layer in linework.layers], bool)
    if named.any():
        take("layer", "on layers named for borders, text or dimensions", np.flatnonzero(named[linework.layer_of]))
    if character_of(linework).kind != "sheet":
        if left.sum() <= _MOST_CURVES:
            take(
                "hatching",
                "slanted lines side by side at one spacing that only part what is closed without them",
                _parting(linework, np.flatnonzero(left)),
            )
        return found
    take(
        "border",
        "the frame round everything, and the cells with words on its side",
        find_border(linework, np.flatnonzero(left)),
    )
    if left.sum() > _MOST_CURVES:
        return found
    reach = linework.size * _SNUG
    take(
        "projection_symbol",
        "a cut cone beside its circles: the sign of the angle of projection",
        find_projection_symbols(linework.table, np.flatnonzero(left)),
    )
    rows = np.flatnonzero(left)
    hatching = find_hatching(linework.table.take(rows), reach=reach * 0.2)
    take("hatching", "slanted lines side by side at one spacing", rows[hatching])
    take(
        "signs",
        "a tick beside a surface finish, or a letter in a square on a stem",
        find_signs(linework, np.flatnonzero(left)),
    )
    take(
        "detail_circles",
        "round a place that is drawn larger beside, with its letter",
        find_detail_circles(linework, np.flatnonzero(left)),
    )
    take(
        "item_numbers",
        "numbers in circles, with the leaders that begin at them",
        find_item_numbers(linework, np.flatnonzero(left)),
    )
    take(
        "dimensions",
        "lines with arrows and a number beside them, with what they measure from, and leaders to texts",
        find_dimensions(linework, np.flatnonzero(left)),
    )
    rows = np.flatnonzero(left)
    marks = find_centre_marks(linework.table.take(rows), reach=reach)
    take("centre_marks", "crosses at the centres of circles", rows[marks])
    rows = np.flatnonzero(left)
    for group in find_pictorial(linework.table.take(rows), reach=reach):
        take(
            "pictorial",
            "its lines run along three slanted axes, while the rest of the sheet is level and upright",
            rows[group],
        )
    return found


def _parting(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of hatching that lies in regions which close without it; none where it bounds something of its own."""
    table = linework.table.take(rows)
    lines = find_hatching(table, reach=linework.size * _SNUG * 0.2)
    if not len(lines):
        return lines
    rest = np.setdiff1d(np.arange(len(table)), lines)
    tol = max(resolution(table.size), _GAP * table.size)
    whole, closed = (
        find_regions(table.take(some), tuple(map(str, some.tolist())), join_tol=tol)
        for some in (np.arange(len(table)), rest)
    )
    if not closed.regions or len(closed.open_ends) > len(whole.open_ends):
        return lines[:0]
    chord = table.size * SEEN_CHORD
    filled = shapely.union_all([closed.ring_area(r.outer, chord) for r in closed.regions])
    held = shapely.covers(shapely.buffer(filled, chord), shapely.points(table.ends[lines].mean(axis=1)))
    return rows[lines] if held.mean() >= _HELD else lines[:0]
