"""The faces of a network of pieces, as rings of half-edges.

Each piece gives two half-edges, one for either direction: 2k runs along piece k, 2k + 1 against it. Round every node
they are ordered by direction (equal directions by curvature); following "next to the right of the way back" closes
rings, the face lying on the left. Rings that pass a node twice are parted there, so that shapes which touch in a point
stay shapes of their own. Pieces with the same face on both sides bound nothing and are dropped.

Most nodes of a drawing join two pieces and need no angle: only the others are ordered.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import IntArray
from tectogon.profiles.network import Network
from tectogon.tolerances import TANGENT_TOL, TINY


@dataclass(frozen=True)
class Faces:
    """Rings of half-edges, ring after ring in order (h,), and where each begins, starts (r + 1,).

    live: pieces that bound something.  twice: nodes that a face passed more than once before it was parted there.
    """

    order: IntArray
    starts: IntArray
    live: IntArray
    twice: IntArray

    @property
    def count(self) -> int:
        """How many faces there are, those outside of everything too."""
        return len(self.starts) - 1

    @property
    def ring(self) -> IntArray:
        """The ring of each half-edge of `order`."""
        return np.repeat(np.arange(self.count), np.diff(self.starts))


def find_faces(net: Network) -> Faces:
    """The faces on both sides of all pieces that bound one; rings round the outside of a block of pieces run
    clockwise."""
    live = _without_dead_ends(net.node, np.arange(len(net.node)), len(net.points))
    twice = np.zeros(0, np.int64)
    for _ in range(4):
        following = _following(net.table, net.node, live)
        label = _cycle_labels(following, live)
        bridge = live[label[2 * live] == label[2 * live + 1]]
        if not len(bridge):
            touching, twice = _part_at_touching_nodes(following, label, net.node, live)
            if len(twice):
                following, label = touching, _cycle_labels(touching, live)
            break
        stays = np.ones(len(net.table), bool)
        stays[bridge] = False
        live = live[stays[live]]
        live = live[_without_dead_ends(net.node, live, len(net.points))]
    order, starts = _ring_order(following, label, live)
    return Faces(order, starts, live, twice)


def _without_dead_ends(node: IntArray, live: IntArray, count: int) -> IntArray:
    """Positions in `live` of the pieces that are left when pieces with a free end are taken off again and again."""
    ends = node[live]
    degree = np.bincount(ends.ravel(), minlength=count)
    seeds = np.flatnonzero(degree == 1)
    if not len(seeds):
        return np.arange(len(live))
    order = np.argsort(ends.ravel(), kind="stable")
    begin = np.concatenate([[0], np.cumsum(degree)])
    gone = np.zeros(len(live), bool)
    stack = seeds.tolist()
    while stack:
        at = stack.pop()
        if degree[at] != 1:
            continue
        for slot in order[begin[at] : begin[at + 1]].tolist():
            k = slot >> 1
            if not gone[k]:
                gone[k] = True
                for other in (int(ends[k, 0]), int(ends[k, 1])):
                    degree[other] -= 1
                    if degree[other] == 1:
                        stack.append(other)
                break
    return np.flatnonzero(~gone)


def _following(pieces: CurveTable, node: IntArray, live: IntArray) -> IntArray:
    """The half-edge that comes after each, (2 × pieces,), -1 for those of pieces that are not live."""
    following = np.full(2 * len(pieces), -1, np.int64)
    if not len(live):
        return following
    half = (2 * live[:, None] + np.arange(2)).ravel()
    tail = node[live].ravel()
    degree = np.bincount(tail)
    plain = np.flatnonzero(degree[tail] == 2)
    pair = half[plain[np.argsort(tail[plain], kind="stable")]].reshape(-1, 2)
    following[pair[:, 0] ^ 1], following[pair[:, 1] ^ 1] = pair[:, 1], pair[:, 0]

    several = np.flatnonzero(degree[tail] != 2)
    if len(several):
        half, tail = half[several], tail[several]
        tangent, bend = pieces.directions(half >> 1, (half & 1).astype(float))
        way = np.where(half & 1, -1.0, 1.0)
        angle = np.mod(np.arctan2(way * tangent[:, 1], way * tangent[:, 0]) + 2.2831, 2.0 * np.pi)
        bend = way * bend
        order = np.lexsort((bend, angle, tail))
        order = _equal_directions_by_bend(order, tail, angle, bend, pieces.lengths[half >> 1])
        half, tail = half[order], tail[order]
        start = np.searchsorted(tail, tail, side="left")
        end = np.searchsorted(tail, tail, side="right")
        place = np.arange(len(half))
        following[half ^ 1] = half[np.where(place > start, place - 1, end - 1)]
    return following


def _equal_directions_by_bend(
    order: IntArray, tail: IntArray, angle: FloatArray, bend: FloatArray, length: FloatArray
) -> IntArray:
    """Half-edges that leave a node in one direction are ordered by curvature: the one that bends left comes later.

    Two that differ in direction by d and in curvature by k meet again 2 d / k further on. Where that is within both of
    them they would have been parted there: so d is but the rounding of a file, and they are tangent.
    """
    t, a, b = tail[order], angle[order], bend[order]
    reach = np.minimum(length[order], 0.5 / np.maximum(np.abs(b), TINY))
    apart, turns = a[1:] - a[:-1], b[:-1] - b[1:]
    meet_again = 2.0 * apart < turns * np.minimum(reach[1:], reach[:-1])
    near = (t[1:] == t[:-1]) & ((apart < TANGENT_TOL) | meet_again)
    if not near.any():
        return order
    run = np.concatenate([[0], np.cumsum(~near)])
    return order[np.lexsort((bend[order], run))]


def _cycle_labels(following: IntArray, live: IntArray) -> IntArray:
    """A number for the cycle each live half-edge belongs to, (half-edges,), -1 for the others."""
    label = np.full(len(following), -1, np.int64)
    half = np.concatenate([2 * live, 2 * live + 1])
    if not len(half):
        return label
    graph = coo_array((np.ones(len(half), np.int8), (half, following[half])), shape=(len(following), len(following)))
    _, all_labels = connected_components(graph, directed=False)
    used = np.zeros(len(following), np.int64)
    used[all_labels[half]] = 1
    label[half] = (np.cumsum(used) - 1)[all_labels[half]]
    return label


def _part_at_touching_nodes(
    following: IntArray, label: IntArray, node: IntArray, live: IntArray
) -> tuple[IntArray, IntArray]:
    """Rings that pass a node more than once are parted there into rings that don't; and those nodes."""
    half = (2 * live[:, None] + np.arange(2)).ravel()
    tail = node[live].ravel()
    crowded = np.bincount(tail)[tail] > 2 if len(tail) else np.zeros(0, bool)
    if not crowded.any():
        return following, np.zeros(0, np.int64)
    tails = np.full(len(following), -1, np.int64)
    tails[half] = tail
    half, tail = half[crowded], tail[crowded]
    key = label[half] * (int(tail.max()) + 1) + tail
    order = np.argsort(key)
    same = np.diff(key[order]) == 0
    again = np.zeros(len(half), bool)
    again[order[1:][same]] = again[order[:-1][same]] = True
    if not again.any():
        return following, np.zeros(0, np.int64)
    following = following.copy()
    first_of = {int(lab): int(h) for h, lab in zip(half[again].tolist(), label[half[again]].tolist(), strict=True)}
    for start in first_of.values():
        walk = [start]
        while (at := int(following[walk[-1]])) != start:
            walk.append(at)
        _part_walk(walk, tails, following)
    return following, np.unique(tail[again])


def _part_walk(walk: list[int], tails: IntArray, following: IntArray) -> None:
    """Cut simple cycles off a walk whenever it comes back to a node that it has passed."""
    path: list[int] = []
    at_node: dict[int, int] = {}
    for half in [*walk, walk[0]]:
        node = int(tails[half])
        if node in at_node:
            begin = at_node[node]
            cycle = path[begin:]
            for a, b in zip(cycle, [*cycle[1:], cycle[0]], strict=True):
                following[a] = b
            for h in cycle:
                at_node.pop(int(tails[h]), None)
            del path[begin:]
        at_node[node] = len(path)
        path.append(half)


def _ring_order(following: IntArray, label: IntArray, live: IntArray) -> tuple[IntArray, IntArray]:
    """The half-edges of all rings in order, ring after ring, and where each ring begins.

    Each ring starts with its lowest half-edge; the steps back to it are counted by leaps that double, so the longest
    ring sets the rounds.
    """
    if not len(live):
        return np.zeros(0, np.int64), np.zeros(1, np.int64)
    half = (2 * live[:, None] + np.arange(2)).ravel()
    at = np.empty(len(following), np.int64)
    at[half] = np.arange(len(half))
    ring = label[half]
    size = np.bincount(ring)
    first = np.empty(len(size), np.int64)
    first[ring[::-1]] = np.arange(len(half))[::-1]
    back = np.empty(len(half), np.int64)
    back[at[following[half]]] = np.arange(len(half))
    back[first] = first
    steps = np.ones(len(half), np.int64)
    steps[first] = 0
    for _ in range(int(size.max()).bit_length()):
        steps += steps[back]
        back = back[back]
    starts = np.concatenate([[0], np.cumsum(size)])
    order = np.empty(len(half), np.int64)
    order[starts[ring] + steps] = half
    return order, starts
