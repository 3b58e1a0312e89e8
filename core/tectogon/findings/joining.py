"""The right joining distance, seen and not guessed: the gaps in order of size, and how many loops are closed at each
distance.

How many loops close is told by counting: closing a gap between two parts of the same connected piece of linework closes
one loop more, between two different pieces none (the cycle rank of the network, edges - nodes + pieces).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.findings.finding import Finding
from tectogon.profiles.network import Network, joined_numbers
from tectogon.tolerances import LEAST_SIZE, ROUNDING
from tectogon.units import show_small

_WIDEST = 0.02
"""Nothing above this share of the drawing's size is taken for a gap of drawing."""


@dataclass(frozen=True)
class Joining:
    """sizes: of gaps, undershoots and overshoots, rising, mm (k,).  loops: closed before any, and after each (k + 1,).
    proposed: a distance in mm; reason: why.  swallows: from this distance on a hole would be lost, mm."""

    sizes: FloatArray
    loops: FloatArray
    proposed: float
    reason: str
    swallows: float


def reach_of(size: float) -> float:
    """How far partners are looked for in a drawing of this size (mm)."""
    return size * _WIDEST


def smallest_hole(table: CurveTable) -> float:
    """Across the smallest closed curve, or the shortest curve that matters: what a joining distance must stay below
    (mm)."""
    closed = table.closed
    if not closed.any():
        return float("inf")
    b = table.bounds[closed]
    return float(np.minimum(b[:, 2] - b[:, 0], b[:, 3] - b[:, 1]).min())


def propose(table: CurveTable, net: Network, ends: list[Finding], *, resolution: float) -> Joining:
    """The natural joining distance: where most loops that can close have closed, and none does for a good stretch above
    it."""
    reach = reach_of(max(table.size, LEAST_SIZE)) if len(table) else 1.0
    swallows = smallest_hole(table)
    chosen = sorted(
        (f for f in ends if f.kind in ("gap", "undershoot", "overshoot") and f.size > 0), key=lambda f: f.size
    )
    sizes = np.array([f.size for f in chosen])
    loops = _loops(net, chosen)
    if not len(sizes):
        return Joining(sizes, loops, resolution, "Nothing is apart by more than the file's own resolution.", swallows)
    top = min(reach, 0.5 * swallows)
    usable = sizes <= top
    if not usable.any():
        return Joining(
            sizes,
            loops,
            resolution,
            f"The smallest gap, {show_small(sizes[0])} mm, is too large to be one of drawing; look at it.",
            swallows,
        )
    bounds = np.append(sizes[usable], max(top, sizes[usable][-1] * 1.5))
    if usable.sum() < len(sizes):
        bounds[-1] = min(bounds[-1], sizes[usable.sum()])
    width = np.log(np.maximum(bounds[1:], ROUNDING) / np.maximum(bounds[:-1], ROUNDING))
    gained = loops[1 : len(bounds)] - loops[0]
    score = gained / max(float(gained.max()), 1.0) + 0.3 * np.minimum(width, 3.0) / 3.0
    k = int(score.argmax())
    low, high = float(bounds[k]), float(bounds[k + 1])
    proposed = _round_between(max(low, resolution), high)
    closed = int(loops[k + 1])
    more = f"Nothing more is apart before {show_small(high)} mm" if k + 1 < len(sizes) else "Nothing else is apart"
    reason = f"At {show_small(proposed, 4)} mm {closed} {'loop closes' if closed == 1 else 'loops close'}. {more}"
    reason += f", and from {show_small(swallows)} mm on holes would be swallowed." if np.isfinite(swallows) else "."
    return Joining(sizes, loops, proposed, reason, swallows)


def _loops(net: Network, chosen: list[Finding]) -> FloatArray:
    """Loops that are closed before any of the findings is mended, and after each in turn."""
    if not len(net.node):
        return np.zeros(len(chosen) + 1)
    label = joined_numbers(len(net.points), net.node)
    used = np.bincount(net.node.ravel(), minlength=len(net.points)) > 0
    pieces = np.count_nonzero(np.bincount(label[used]))
    base = len(net.node) - np.count_nonzero(used) + pieces
    parent = list(range(int(label.max()) + 1))

    def root(n: int) -> int:
        while parent[n] != n:
            parent[n] = parent[parent[n]]
            n = parent[n]
        return n

    at = _piece_of_rows(net, label)
    out = [float(base)]
    for finding in chosen:
        gained = 0
        if finding.kind != "overshoot":
            rows = finding.rows if len(finding.rows) > 1 else finding.rows * 2
            a, b = (root(at.get(r, 0)) for r in rows[:2])
            gained = int(a == b)
            parent[a] = b
        out.append(out[-1] + gained)
    return np.array(out)


def _piece_of_rows(net: Network, label: np.ndarray) -> dict[int, int]:
    return dict(zip(net.source.tolist(), label[net.node[:, 0]].tolist(), strict=True))


def _round_between(low: float, high: float) -> float:
    """A round figure above `low` and below `high`: no more digits than it takes."""
    target = float(np.sqrt(low * min(high, low * 10.0)))
    for digits in range(1, 8):
        scale = 10.0 ** (digits - 1 - int(np.floor(np.log10(target))))
        value = round(target * scale) / scale
        if low < value < high:
            return float(value)
    return target
