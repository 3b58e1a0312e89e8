"""What lies inside what: faces as rings nested by containment.

Flattened rings only decide what lies inside what; no figure is taken from them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.meet_bent import boxes_as_lines
from tectogon.curves.table import IntArray
from tectogon.profiles.faces import Faces
from tectogon.profiles.network import Network


@dataclass(frozen=True)
class Nesting:
    """For each ring: its level (r,) and the rings that are its holes, holes[hole_starts[i]:hole_starts[i + 1]]."""

    level: IntArray
    holes: IntArray
    hole_starts: IntArray


def nest(
    faces: Faces, net: Network, area: FloatArray, boxes: FloatArray, chord_tol: float, planes: IntArray | None = None
) -> Nesting:
    """Nest rings with signed `area` (r,), negative round the outside of a block of pieces, and `boxes` (r, 4).
    `planes`: the plane of each curve; rings nest within their own.

    A block's outside is a hole of the smallest ring of another block that it lies in; its level is one more than that
    ring's. Within a block all rings have one level, but for those that lie between shapes which merely touch.
    """
    block, pieces = _blocks(faces), net.table
    between = _between(faces, net, area, block)
    outers, hulls = np.flatnonzero(area > 0), np.flatnonzero(area < 0)
    first = faces.order[faces.starts[:-1]] >> 1
    plane = np.zeros(faces.count, np.int64) if planes is None else planes[net.source[first]]
    parent = (
        _parents(FlatRings(faces, pieces, chord_tol), hulls, outers, block, area, boxes, plane)
        if len(hulls) > 1
        else np.full(len(hulls), -1)
    )
    placed = parent >= 0
    above = np.full(int(block.max()) + 1, -1)
    above[block[hulls[placed]]] = block[parent[placed]]
    extra = np.zeros(len(above), np.int64)
    extra[block[hulls[placed]]] = between[parent[placed]]
    within = np.argsort(parent[placed], kind="stable")
    counts = np.bincount(parent[placed], minlength=faces.count)
    level = _depth(above, extra)[block] + between
    return Nesting(level, hulls[placed][within], np.concatenate([[0], np.cumsum(counts)]))


def _between(faces: Faces, net: Network, area: FloatArray, block: IntArray) -> IntArray:
    """1 for rings that lie between shapes which touch each other in points all round, as the empty fields of a
    chequerboard do; 0 for all others (r,).

    Where every node of a block joins an even number of pieces, and no curve runs through one, each piece parts inside
    from outside; what is coloured like the outside is between.
    """
    out = np.zeros(faces.count, np.int64)
    node, source = net.node[faces.live], net.source[faces.live]
    degree = np.bincount(node.ravel(), minlength=len(net.points))
    if not (degree >= 4).any():
        return out
    side = _sides(faces)[faces.live]
    ends = np.column_stack([node.ravel(), np.repeat(source, 2)])
    met, times = np.unique(ends, axis=0, return_counts=True)
    through = np.zeros(len(net.points), bool)
    through[met[times > 1, 0]] = True
    odd = (degree % 2 == 1) | (through & (degree >= 4))
    barred = np.unique(block[side[odd[node].any(axis=1), 0]])
    touching = np.setdiff1d(block[side[(degree[node] >= 4).any(axis=1), 0]], barred)
    own = side[np.isin(block[side[:, 0]], touching)]
    like_outside = (area < 0) & np.isin(block, touching)
    while len(own):
        # two steps across pieces come back to the colour they began with
        reached = np.zeros(faces.count, bool)
        for a, b in (own.T, own.T[::-1]):
            reached[b[like_outside[a]]] = True
        again = like_outside.copy()
        for a, b in (own.T, own.T[::-1]):
            again[b[reached[a]]] = True
        if (again == like_outside).all():
            break
        like_outside = again
    out[like_outside & (area > 0)] = 1
    return out


def _depth(above: IntArray, extra: IntArray) -> IntArray:
    """How many steps up each thing has, where `above` names the next one up or is -1; steps count `extra` more."""
    depth = np.where(above >= 0, 1 + extra, 0)
    up = above.copy()
    for _ in range(len(above).bit_length()):
        rows = np.flatnonzero(up >= 0)
        if not len(rows):
            break
        depth[rows] += depth[up[rows]]
        up[rows] = up[up[rows]]
    return depth


def _blocks(faces: Faces) -> IntArray:
    """Rings that share a piece belong to one block; a number for each ring's block (r,)."""
    a, b = _sides(faces)[faces.live].T
    graph = coo_array((np.ones(len(a), np.int8), (a, b)), shape=(faces.count, faces.count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)


def _sides(faces: Faces) -> IntArray:
    """The rings on both sides of each piece (p, 2)."""
    side = np.empty((int(faces.live.max()) + 1, 2), np.int64)
    side[faces.order >> 1, faces.order & 1] = faces.ring
    return side


class FlatRings:
    """All rings as flattened rings, made at once."""

    def __init__(self, faces: Faces, pieces: CurveTable, chord_tol: float) -> None:
        points, offsets = pieces.flatten(chord_tol)
        piece, against = faces.order >> 1, faces.order & 1
        counts = np.diff(offsets)[piece] - 1
        begin = np.where(against, offsets[piece + 1] - 1, offsets[piece])
        before = np.cumsum(counts) - counts
        within = np.arange(int(counts.sum())) - np.repeat(before, counts)
        index = np.repeat(begin, counts) + np.repeat(1 - 2 * against, counts) * within
        self.points = points[index]
        self.starts = np.concatenate([before, [len(self.points)]])[faces.starts]

    def some(self, rings: IntArray) -> npt.NDArray[np.object_]:
        """The rings asked for as shapely's; one that is flat, with two points alone, has its last one three times."""
        own = self.starts[rings + 1] - self.starts[rings]
        counts = np.maximum(own, 4)
        before = np.cumsum(counts) - counts
        within = np.minimum(np.arange(int(counts.sum())) - np.repeat(before, counts), np.repeat(own - 1, counts))
        index = np.repeat(self.starts[rings], counts) + within
        return np.asarray(shapely.linearrings(self.points[index], indices=np.repeat(np.arange(len(rings)), counts)))

    def probes(self, rings: IntArray) -> FloatArray:
        """For each ring the middle of its longest straight piece (k, 2): no node, so no other ring's point."""
        following = np.arange(1, len(self.points) + 1)
        following[self.starts[1:] - 1] = self.starts[:-1]
        step = self.points[following] - self.points
        length = np.hypot(step[:, 0], step[:, 1])
        ring = np.repeat(np.arange(len(self.starts) - 1), np.diff(self.starts))
        is_longest = np.flatnonzero(length == np.maximum.reduceat(length, self.starts[:-1])[ring])
        longest = np.empty(len(self.starts) - 1, np.int64)
        longest[ring[is_longest[::-1]]] = is_longest[::-1]
        at = longest[rings]
        return np.asarray(self.points[at] + step[at] / 2.0)


def _parents(
    flat: FlatRings,
    hulls: IntArray,
    outers: IntArray,
    block: IntArray,
    area: FloatArray,
    boxes: FloatArray,
    plane: IntArray,
) -> IntArray:
    """For each hull (the outside of a block): the smallest ring of another block of its plane that it lies in, or
    -1."""
    out = np.full(len(hulls), -1)
    probes = flat.probes(hulls)
    tree = shapely.STRtree(boxes_as_lines(boxes[outers]))
    who, at = tree.query(np.asarray(shapely.points(probes)))
    ring = outers[at]
    keep = (block[hulls[who]] != block[ring]) & (plane[hulls[who]] == plane[ring])
    keep &= area[ring] > -area[hulls[who]] * (1.0 - 1e-9)
    who, ring = who[keep], ring[keep]
    if not len(who):
        return out
    asked, which, times = np.unique(ring, return_inverse=True, return_counts=True)
    polygons = np.asarray(shapely.polygons(flat.some(asked)))
    shapely.prepare(polygons[times > 4])
    inside = shapely.contains_xy(polygons[which], probes[who, 0], probes[who, 1])
    who, ring = who[inside], ring[inside]
    largest_first = np.argsort(-area[ring], kind="stable")
    out[who[largest_first]] = ring[largest_first]
    return out
