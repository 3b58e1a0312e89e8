"""Where boundaries touch or cross: pinches to a point, curves that cross or end on another without being joined."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from tectogon.curves import CurveTable
from tectogon.curves.table import ELLIPSE
from tectogon.findings.finding import Finding
from tectogon.profiles import Regions
from tectogon.profiles.network import Network

_MOST = 5000


def find_pinches(table: CurveTable, regions: Regions) -> list[Finding]:
    """Places where a boundary passes the same point twice."""
    if not len(regions.pinches):
        return []
    ends = regions.pieces.ends.reshape(-1, 2)
    near: Any = cKDTree(ends).query_ball_point(regions.pinches, regions.join_tol * 2.0 + 1e-9)
    out = []
    for point, hits in zip(regions.pinches.tolist(), near, strict=True):
        rows = tuple(dict.fromkeys(int(regions.piece_source[h >> 1]) for h in hits))
        out.append(Finding("pinch", 0.0, (point[0], point[1]), rows, False, "the boundary touches itself here"))
    return out


def find_crossings(net: Network) -> list[Finding]:
    """Nodes where curves cross, or one ends on another, without being split there; regions treat them as joined all the
    same."""
    cut = np.flatnonzero(net.cut)
    if not len(cut):
        return []
    inner = np.concatenate([net.node[cut, 0][net.number[cut] > 0]])
    degree = np.bincount(net.node.ravel(), minlength=len(net.points))
    rows_at: dict[int, list[int]] = {}
    for piece in cut.tolist():
        for node in net.node[piece].tolist():
            rows_at.setdefault(node, []).append(int(net.source[piece]))
    out = []
    for node in np.unique(inner)[:_MOST].tolist():
        kind = "touching" if degree[node] == 3 else "crossing"
        x, y = net.points[node].tolist()
        words = (
            "ends on a curve that is not split there"
            if kind == "touching"
            else "curves cross without being split there"
        )
        out.append(Finding(kind, 0.0, (x, y), tuple(dict.fromkeys(rows_at[node])), True, words))
    return out


def find_self_crossings(table: CurveTable, net: Network) -> list[Finding]:
    """Curves that are met by none but themselves: a spline that crosses itself."""
    out = []
    for row in np.unique(net.source[net.cut & (table.kind[net.source] >= ELLIPSE)]).tolist():
        nodes = net.node[net.source == row]
        inner, times = np.unique(nodes, return_counts=True)
        if (times > 2).any():
            x, y = net.points[int(inner[times > 2][0])].tolist()
            out.append(Finding("self_crossing", 0.0, (x, y), (row,), False, "the curve crosses itself here"))
    return out
