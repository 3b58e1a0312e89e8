"""Curves that are certainly not geometry: each group with the reason why. Only what is certain; the rest is for people to decide."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from tectogon.curves.table import LINE, IntArray
from tectogon.linework import Linework
from tectogon.profiles import Region, Regions, find_regions
from tectogon.tolerances import resolution

_LAYER_WORDS = re.compile(
    r"(^|[^a-z])(border|title|titleblock|frame|dim|dims|dimension|dimensions|text|notes?|hatch|hatching|defpoints|cent(er|re)(lines?)?|axis)([^a-z]|$)",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Aside:
    """Curves to leave out and why: rows (k,) of the linework."""

    why: str
    kind: str
    rows: IntArray


def find_not_geometry(linework: Linework) -> list[Aside]:
    """Centre lines and other guides, layers named for what is not geometry, border and title block. Never everything there is."""
    found: list[Aside] = []
    left = np.ones(len(linework), bool)

    def take(kind: str, why: str, rows: IntArray) -> None:
        fresh = rows[left[rows]]
        if len(fresh) and len(fresh) < left.sum():
            left[fresh] = False
            found.append(Aside(why, kind, fresh))

    off = np.array([not layer.on for layer in linework.layers], bool)
    take("layer off", "on layers that the file has switched off", np.flatnonzero(off[linework.layer_of]) if len(off) else np.zeros(0, np.int64))
    take("guides", "drawn as centre lines or guides", np.flatnonzero(linework.is_guide))
    take("hidden", "drawn dashed: edges that lie behind", np.flatnonzero(linework.is_hidden))
    named = np.array([bool(_LAYER_WORDS.search(layer.name)) for layer in linework.layers], bool)
    if named.any():
        take("layer", "on layers named for borders, text or dimensions", np.flatnonzero(named[linework.layer_of]))
    take("border", "border and title block: the frame round everything, with cells that hold text", _border(linework, np.flatnonzero(left)))
    return found


def _border(linework: Linework, rows: IntArray) -> IntArray:
    """Rows of the frame round the sheet and of the title block that stands in it; empty where it is not certain."""
    none = np.zeros(0, np.int64)
    if len(linework.texts) < 2 or not (linework.table.kind[rows] == LINE).any():
        return none
    table = linework.table.take(rows)
    regions = find_regions(table, tuple(str(i) for i in range(len(table))), join_tol=resolution(linework.size))
    out: list[int] = []
    for block in _outer_blocks(regions):
        if _is_title_frame(block, regions, linework):
            out += [int(regions.piece_source[i]) for region in block for i in region.outer.rows.tolist()]
    if not out:
        return none
    sources = np.unique(out)
    box = table.take(sources).extents
    around = [
        r
        for r in regions.regions
        if r.level == 0 and _is_rectangle(r, regions) and r.bounds[0] <= box[0] and r.bounds[2] >= box[2] and r.bounds[1] <= box[1] and r.bounds[3] >= box[3]
    ]
    for region in around:
        sources = np.union1d(sources, regions.piece_source[region.outer.rows])
    return rows[sources]


def _outer_blocks(regions: Regions) -> list[list[Region]]:
    """Groups of neighbouring regions of level 0 or 1, by shared pieces, that reach nearly as far as the drawing does."""
    groups: list[list[Region]] = []
    owner: dict[int, int] = {}
    for region in regions.regions:
        if region.level > 1:
            continue
        mine = {owner[i] for i in region.outer.rows.tolist() if i in owner}
        target = min(mine) if mine else len(groups)
        if not mine:
            groups.append([])
        for other in sorted(mine - {target}):
            groups[target] += groups[other]
            groups[other] = []
        groups[target].append(region)
        for member in groups[target]:
            owner.update(dict.fromkeys(member.outer.rows.tolist(), target))
    extents = regions.pieces.extents
    wide, high = extents[2] - extents[0], extents[3] - extents[1]
    out = []
    for group in groups:
        if not group:
            continue
        b = np.array([r.bounds for r in group])
        if b[:, 2].max() - b[:, 0].min() >= 0.85 * wide and b[:, 3].max() - b[:, 1].min() >= 0.85 * high:
            out.append(group)
    return out


def _is_title_frame(block: list[Region], regions: Regions, linework: Linework) -> bool:
    """A frame of straight pieces with one big face that holds the drawing, and small cells of which two or more hold text."""
    if len(block) < 2:
        return False
    sides = np.concatenate([r.outer.rows for r in block])
    if (regions.pieces.kind[sides] != LINE).any():
        return False
    largest = max(block, key=lambda r: r.area)
    cells = [r for r in block if r is not largest]
    if not largest.holes or sum(r.area for r in cells) > 0.5 * largest.area:
        return False
    texts = sum(1 for t in linework.texts if any(r.bounds[0] <= t.at[0] <= r.bounds[2] and r.bounds[1] <= t.at[1] <= r.bounds[3] for r in cells))
    return texts >= 2


def _is_rectangle(region: Region, regions: Regions) -> bool:
    b = region.bounds
    full = (b[2] - b[0]) * (b[3] - b[1])
    rings = [regions.ring_points(region.outer, 1.0)]
    x, y = rings[0].T
    area = abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))) / 2.0
    return abs(area - full) <= 1e-6 * full
