"""Chains: curves that follow one another end to end, without a fork, open or closed.

Glossary
    node: a place where ends meet, within a joining distance.
    chain: the longest run of curves through nodes that join exactly two of them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import BoolArray, IntArray
from tectogon.profiles.network import number_nodes


@dataclass(frozen=True)
class Chain:
    """Rows of a table in order, which of them run against their own direction, and whether the last meets the first."""

    rows: IntArray
    against: BoolArray
    closed: bool


def find_chains(table: CurveTable, *, join_tol: float, stop_at: BoolArray | None = None) -> list[Chain]:
    """All curves as chains; `stop_at` (n, 2) marks ends that no chain runs through. A curve that closes on itself is a
    chain of its own.

    An empty table gives none.
    """
    if not len(table):
        return []
    node = number_nodes(table.ends.reshape(-1, 2), join_tol).reshape(-1, 2)
    degree = np.bincount(node.ravel())
    through = degree == 2
    if stop_at is not None:
        through[node[stop_at]] = False
    partner = _partners(node, through)
    out: list[Chain] = []
    seen = np.zeros(len(table), bool)
    starts = np.flatnonzero((partner < 0).ravel())
    for half in [*starts.tolist(), *(2 * np.arange(len(table))).tolist()]:
        row = half >> 1
        if not seen[row]:
            out.append(_walk(half, partner, seen, bool(node[row, 0] == node[row, 1])))
    return out


def _partners(node: IntArray, through: BoolArray) -> IntArray:
    """For each end (numbered 2 × row + side) the other end at its node (n, 2), -1 where the chain stops."""
    flat = node.ravel()
    partner = np.full(len(flat), -1, np.int64)
    ends = np.flatnonzero(through[flat] & (np.repeat(node[:, 0] != node[:, 1], 2)))
    ends = ends[np.argsort(flat[ends], kind="stable")]
    pairs = ends[: len(ends) // 2 * 2].reshape(-1, 2)
    fits = flat[pairs[:, 0]] == flat[pairs[:, 1]]
    if not fits.all():
        ends = ends[np.isin(flat[ends], np.flatnonzero(np.bincount(flat[ends], minlength=len(through)) == 2))]
        pairs = ends.reshape(-1, 2)
    partner[pairs[:, 0]], partner[pairs[:, 1]] = pairs[:, 1], pairs[:, 0]
    return partner


def _walk(half: int, partner: IntArray, seen: BoolArray, alone: bool) -> Chain:
    rows, against = [], []
    start, closed = half, alone
    while True:
        row, side = half >> 1, half & 1
        rows.append(row)
        against.append(side == 1)
        seen[row] = True
        half = int(partner[half ^ 1])
        if half < 0:
            break
        if half == start or seen[half >> 1]:
            closed = True
            break
    return Chain(np.array(rows), np.array(against), closed)


def points_along(table: CurveTable, chain: Chain, chord_tol: float) -> FloatArray:
    """A chain as a polyline (k, 2); the first point is not repeated where it is closed."""
    points, offsets = table.take(chain.rows).flatten(chord_tol)
    parts = []
    for n, against in enumerate(chain.against.tolist()):
        part = points[offsets[n] : offsets[n + 1]]
        part = part[::-1] if against else part
        parts.append(part if n == 0 else part[1:])
    out = np.concatenate(parts)
    return out[:-1] if chain.closed and len(out) > 1 else out
