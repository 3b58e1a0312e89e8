"""Pieces between nodes: the curves split where they meet, their ends brought together, doubles dropped.

Only true meetings split a curve: of 100 segments of a usual drawing some 15 pairs do, and the rest pass through as
columns.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.meet import find_meetings
from tectogon.curves.table import EMPTY, LINE, BoolArray, IntArray
from tectogon.tolerances import LEAST_SIZE, ROUNDING, TINY


@dataclass(frozen=True)
class Network:
    """Pieces and nodes.

    table: the pieces as curves, ends on their nodes.  source: row of the curve each piece is cut from (p,).
    number: which piece of that curve it is, from 0 (p,).  cut: whether the curve was split at all (p,).
    node: numbers of start and end nodes (p, 2).  points: the nodes (q, 2).
    doubles: rows of curves that were dropped because they lie on top of another, whole or in part.
    """

    table: CurveTable
    source: IntArray
    number: IntArray
    cut: BoolArray
    node: IntArray
    points: FloatArray
    doubles: IntArray


_COLUMNS = ("source", "number", "cut", "node", "points", "doubles")


def build_network(table: CurveTable, *, join_tol: float) -> Network:
    """Split curves where they meet and bring ends within `join_tol` (mm) together.

    A node sits where an arc or a spline ends, else in the middle of the ends it joins, so that lines give way to
    curves.
    """
    long = table.lengths > join_tol
    rows = np.flatnonzero(long)
    if not len(rows):
        none = np.zeros(0, np.int64)
        return Network(EMPTY, none, none, np.zeros(0, bool), np.zeros((0, 2), np.int64), np.zeros((0, 2)), none)
    work = table if len(rows) == len(table) else table.take(rows)
    ends = work.ends.reshape(-1, 2)
    # crumbs are no pieces, but what they lead from and to is one node, however many lie in a row
    crumbs = table.ends[~long].reshape(-1, 2)
    clusters = _Clusters(np.concatenate([ends, crumbs]), join_tol)
    meetings = find_meetings(work, clusters.number[: len(ends)].reshape(-1, 2), tol=join_tol)

    points = np.concatenate([ends, meetings.point])
    node = clusters.with_points(meetings.point)
    if len(crumbs):
        node = np.delete(node, np.s_[len(ends) : len(ends) + len(crumbs)])
        node = np.unique(node, return_inverse=True)[1]
    piece_row, t0, t1, nodes, number, cut = _split(
        len(work), node[: len(ends)].reshape(-1, 2), meetings.row, meetings.t, node[len(ends) :]
    )
    pieces = work.parts(piece_row, t0, t1) if len(meetings.t) else work

    short = (nodes[:, 0] == nodes[:, 1]) & (pieces.lengths <= 4.0 * join_tol)
    if short.any():
        keep = np.flatnonzero(~short)
        pieces, piece_row, nodes, number, cut = pieces.take(keep), piece_row[keep], nodes[keep], number[keep], cut[keep]
    firm = np.concatenate([np.repeat(work.kind, 2) != LINE, np.zeros(len(meetings.t), bool)])
    place = places_of_nodes(points, node, firm, work, join_tol)
    pieces = _on_nodes(pieces, nodes, place)

    twin = _doubles(pieces, nodes, join_tol)
    if not twin.any():
        return Network(pieces, rows[piece_row], number, cut, nodes, place, np.zeros(0, np.int64))
    first = ~twin
    return Network(
        pieces.take(first),
        rows[piece_row[first]],
        number[first],
        cut[first],
        nodes[first],
        place,
        np.unique(rows[piece_row[twin]]),
    )


def build_networks(table: CurveTable, planes: IntArray, *, join_tol: float) -> Network:
    """The same for curves of several planes (n,), which have nothing in common: those of one neither split nor join
    those of another, wherever they lie on the sheet."""
    parts: list[Network] = []
    nodes = 0
    for plane in np.unique(planes).tolist():
        rows = np.flatnonzero(planes == plane)
        net = build_network(table.take(rows), join_tol=join_tol)
        parts.append(replace(net, source=rows[net.source], node=net.node + nodes, doubles=rows[net.doubles]))
        nodes += len(net.points)
    return Network(
        CurveTable.join([net.table for net in parts]),
        *(np.concatenate([getattr(net, name) for net in parts]) for name in _COLUMNS),
    )


def number_nodes(points: FloatArray, tol: float) -> IntArray:
    """A number for each point (k, 2) so that points within `tol` (mm) of each other, in a chain of any length, share
    one."""
    return _Clusters(points, tol).number


def _normals(table: CurveTable, ends: IntArray) -> FloatArray:
    """A unit vector across the line of each end (numbered 2 × row + side), zero for ends of other curves and for
    numbers past the table."""
    out = np.zeros((len(ends), 2))
    line = np.flatnonzero(ends < 2 * len(table))
    line = line[table.kind[ends[line] >> 1] == LINE]
    d = table.data[ends[line] >> 1]
    step = d[:, 2:4] - d[:, 0:2]
    out[line] = np.column_stack([-step[:, 1], step[:, 0]]) / np.maximum(np.hypot(*step.T), TINY)[:, None]
    return out


class _Clusters:
    """Points (k, 2) that lie within `tol` of each other, in a chain of any length, share a number (k,)."""

    def __init__(self, points: FloatArray, tol: float) -> None:
        self.tol = tol
        self.plain, self.like = _distinct(points + 0.0)
        self.tree = cKDTree(self.plain, balanced_tree=False, compact_nodes=False)
        pairs = self.tree.query_pairs(tol, output_type="ndarray")
        self.label = joined_numbers(len(self.plain), pairs) if len(pairs) else np.arange(len(self.plain))
        self.number = self.label[self.like]

    def with_points(self, more: FloatArray) -> IntArray:
        """Numbers for the points and `more` of them together, which may join clusters that were apart."""
        if not len(more):
            return self.number
        own = _Clusters(more, self.tol)
        count, size = int(self.label.max()) + 1, int(own.label.max()) + 1
        near = np.asarray(self.tree.query(own.plain, k=8, distance_upper_bound=self.tol * (1.0 + ROUNDING))[1])
        here, column = np.nonzero(near < len(self.plain))
        links = np.column_stack([self.label[near[here, column]], count + own.label[here]])
        for crowded in np.unique(here[column == 7]).tolist():
            every = np.array(self.tree.query_ball_point(own.plain[crowded], self.tol), np.int64)
            links = np.concatenate(
                [links, np.column_stack([self.label[every], np.full(len(every), count + own.label[crowded])])]
            )
        joined = joined_numbers(count + size, links)
        return np.concatenate([joined[self.number], joined[count + own.number]])


def joined_numbers(count: int, pairs: IntArray) -> IntArray:
    """A number for each of `count` things so that those linked by pairs (k, 2) share one."""
    graph = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)


def _stirred(bits: npt.NDArray[np.uint64], factor: int) -> npt.NDArray[np.uint64]:
    """Bits of floats spread over the whole word; round numbers have all theirs at the top."""
    mixed = (bits ^ (bits >> np.uint64(32))) * np.uint64(factor)
    return mixed ^ (mixed >> np.uint64(29))


def _distinct(points: FloatArray) -> tuple[FloatArray, IntArray]:
    """The distinct points and, for each point, the number of its like. By hash: sorting pairs of floats takes ten times
    as long."""
    bits = np.ascontiguousarray(points).view(np.uint64)
    key = _stirred(bits[:, 0], 0x9E3779B97F4A7C15) + np.uint64(0x165667B19E3779F9) * _stirred(
        bits[:, 1], 0xC2B2AE3D27D4EB4F
    )
    order = np.argsort(key)
    fresh = np.concatenate([[True], np.diff(key[order]) != 0])
    first = order[fresh]
    inverse = np.empty(len(key), np.int64)
    inverse[order] = np.cumsum(fresh) - 1
    if np.array_equal(points[first][inverse], points):
        return points[first], inverse
    plain, inverse = np.unique(points, axis=0, return_inverse=True)  # two points with one hash
    return plain, inverse.ravel()


def _split(
    count: int, end_node: IntArray, row: IntArray, t: FloatArray, node: IntArray
) -> tuple[IntArray, FloatArray, FloatArray, IntArray, IntArray, BoolArray]:
    """Pieces from splitting: row, t0, t1, nodes (k, 2), number within the curve, whether the curve was split."""
    met = np.zeros(count, bool)
    met[row] = True
    whole, split = np.flatnonzero(~met), np.flatnonzero(met)
    piece_row, t0, t1, nodes = whole, np.zeros(len(whole)), np.ones(len(whole)), end_node[whole]
    if len(split):
        all_row = np.concatenate([split, split, row])
        all_t = np.concatenate([np.zeros(len(split)), np.ones(len(split)), t])
        all_node = np.concatenate([end_node[split, 0], end_node[split, 1], node])
        order = np.lexsort((all_t, all_row))
        r, at, n = all_row[order], all_t[order], all_node[order]
        fresh = np.ones(len(r), bool)
        fresh[1:] = (r[1:] != r[:-1]) | (n[1:] != n[:-1]) | (at[1:] - at[:-1] > 0.4)
        last = np.ones(len(r), bool)
        last[:-1] = r[1:] != r[:-1]
        keep = fresh | last
        r, at, n = r[keep], at[keep], n[keep]
        same = r[1:] == r[:-1]
        piece_row = np.concatenate([whole, r[:-1][same]])
        back = np.argsort(piece_row, kind="stable")
        t0, t1 = np.concatenate([t0, at[:-1][same]])[back], np.concatenate([t1, at[1:][same]])[back]
        nodes = np.concatenate([nodes, np.column_stack([n[:-1][same], n[1:][same]])])[back]
        piece_row = piece_row[back]
    many = np.bincount(piece_row, minlength=count)
    number = np.arange(len(piece_row)) - (np.cumsum(many) - many)[piece_row]
    return piece_row, t0, t1, nodes, number, many[piece_row] > 1


def places_of_nodes(points: FloatArray, node: IntArray, firm: BoolArray, table: CurveTable, tol: float) -> FloatArray:
    """Where each node sits: points (k, 2), the first of them the ends of the table's curves, with their nodes (k,).

    The mean of its firm points (ends of arcs and splines) if it has any. Ends of lines alone meet where the lines,
    drawn out, cross: the least squares of the distances to them, with a slight pull to the mean for lines that are
    parallel.
    """
    count = int(node.max()) + 1
    out = np.empty((count, 2))
    out[node[::-1]] = points[::-1]
    offset = points - out[node]
    apart = np.flatnonzero((np.abs(offset[:, 0]) > 0.0) | (np.abs(offset[:, 1]) > 0.0))
    if not len(apart):
        return out
    unsettled = np.zeros(count, bool)
    unsettled[node[apart]] = True
    rows = np.flatnonzero(unsettled[node])
    which, at = np.unique(node[rows], return_inverse=True)
    out[which] += _settled(offset[rows], at, len(which), firm[rows], _normals(table, rows), tol)
    return out


def _settled(
    offset: FloatArray, node: IntArray, count: int, firm: BoolArray, normal: FloatArray, tol: float
) -> FloatArray:
    """As above, for points given as offsets (k, 2) from any place of their node; `normal` (k, 2) is across each point's
    line, or zero."""
    weight = np.where(firm, 1.0, LEAST_SIZE)
    mean = (
        np.column_stack([np.bincount(node, weight * offset[:, k], count) for k in (0, 1)])
        / np.bincount(node, weight, count)[:, None]
    )
    loose = (np.bincount(node, firm, count) == 0) & (
        np.bincount(node, np.abs(offset).max(axis=1) > ROUNDING, count) > 0
    )
    if loose.any():
        pull = 1e-6
        xx, xy, yy = (
            np.bincount(node, normal[:, i] * normal[:, j], count).astype(float) for i, j in ((0, 0), (0, 1), (1, 1))
        )
        across = np.sum(normal * offset, axis=1)
        bx, by = (np.bincount(node, normal[:, k] * across, count) + pull * mean[:, k] for k in (0, 1))
        xx, yy = xx + pull, yy + pull
        det = np.maximum(xx * yy - xy * xy, TINY)
        crossing = np.column_stack([(yy * bx - xy * by) / det, (xx * by - xy * bx) / det])
        near = np.hypot(*(crossing - mean).T) <= 2.0 * tol
        mean = np.where((loose & near)[:, None], crossing, mean)
    return mean


def _on_nodes(pieces: CurveTable, nodes: IntArray, place: FloatArray) -> CurveTable:
    ends = pieces.ends
    target = place[nodes]
    size = max(float(np.abs(ends).max()), 1.0)
    off = np.abs(ends - target).reshape(-1, 4)
    moved = np.maximum(np.maximum(off[:, 0], off[:, 1]), np.maximum(off[:, 2], off[:, 3])) > 4e-16 * size
    return pieces.with_ends(target[:, 0], target[:, 1], moved) if moved.any() else pieces


def _doubles(pieces: CurveTable, nodes: IntArray, tol: float) -> BoolArray:
    """Pieces that run between the same nodes as an earlier one and lie on it within `tol` halfway."""
    key = np.minimum(nodes[:, 0], nodes[:, 1]) * (int(nodes.max()) + 1) + np.maximum(nodes[:, 0], nodes[:, 1])
    order = np.argsort(key)
    same = key[order][1:] == key[order][:-1]
    out = np.zeros(len(pieces), bool)
    if not same.any():
        return out
    group = np.concatenate([[0], np.cumsum(~same)])
    several = np.isin(group, group[1:][same])
    rows, group = order[several], group[several]
    probes = np.stack([pieces.points(rows, np.full(len(rows), t)) for t in (0.5, 0.25, 0.75)], axis=1)
    reach = max(3.0 * tol, LEAST_SIZE)
    for begin, end in _runs(group):
        members = rows[begin:end]
        order_in = np.argsort(members)
        kept: list[int] = []
        for k in order_in.tolist():
            mine = probes[begin + k]
            if any(_lies_on(mine, probes[begin + other], reach) for other in kept):
                out[members[k]] = True
            else:
                kept.append(k)
    return out


def _lies_on(a: FloatArray, b: FloatArray, reach: float) -> bool:
    if np.hypot(*(a[0] - b[0])) > reach:
        return False
    straight = max(float(np.hypot(*(a[1] - b[1]))), float(np.hypot(*(a[2] - b[2]))))
    turned = max(float(np.hypot(*(a[1] - b[2]))), float(np.hypot(*(a[2] - b[1]))))
    return min(straight, turned) <= 2.0 * reach


def _runs(group: IntArray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(group)) + 1
    bounds = [0, *edges.tolist(), len(group)]
    return list(itertools.pairwise(bounds))
