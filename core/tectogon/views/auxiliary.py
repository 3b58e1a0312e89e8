"""Auxiliary views: drawn square to an inclined edge of another view, they show the face that stands on that edge in its
true size.

Along the edge both views show the same; square to it the auxiliary view shows the depth of the part, nearest to the
other view what is nearest to its viewer in third angle, what is farthest in first angle.
"""

from __future__ import annotations

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE, IntArray
from tectogon.tolerances import LEAST_SIZE, TINY
from tectogon.views.align import Shown, on_axis
from tectogon.views.frame import Frame
from tectogon.views.view import Box

_ASLANT = np.radians(2.0)
_PARALLEL = np.radians(0.2)
_MOSTLY = 0.55


def auxiliary_frame(
    base: Frame, edge: FloatArray, box: Box, lows: dict[int, float], table: CurveTable, rows: IntArray, *, third: bool
) -> Frame:
    """The frame of an auxiliary view.

    base: of the view whose edge (2, 2 on the sheet) it is drawn square to.  box: of the auxiliary view.  lows: the
    lowest coordinate of the part along each axis that is known, by axis.  rows: its curves.
    """
    along = (edge[1] - edge[0]) / max(float(np.hypot(*(edge[1] - edge[0]))), TINY)
    away = np.array([-along[1], along[0]])
    if (np.array([box[0] + box[2], box[1] + box[3]]) / 2.0 - edge.mean(axis=0)) @ away < 0:
        away = -away
    x, y, normal = np.array(base.x_dir), np.array(base.y_dir), np.array(base.normal)
    e, m, d = along[0] * x + along[1] * y, away[0] * x + away[1] * y, -normal if third else normal
    x_dir, y_dir = np.round(along[0] * e + away[0] * d, 15), np.round(along[1] * e + away[1] * d, 15)
    points, _ = table.take(rows).flatten(1e-3 * max(box[2] - box[0], box[3] - box[1], LEAST_SIZE))
    depth = points @ away
    axis = int(np.abs(d).argmax())
    on_d = lows.get(axis, 0.0) - (float(depth.min()) if d[axis] > 0 else -float(depth.max()))
    o = np.array(base.origin)
    at_edge = base.place(edge.mean(axis=0))
    origin = (o @ e) * e + on_d * np.abs(d) + (at_edge @ m) * m
    (a, b, c), (p, q, r), (u, v, w) = origin.tolist(), x_dir.tolist(), y_dir.tolist()
    return Frame((a, b, c), (p, q, r), (u, v, w))


def inclined_edge(table: CurveTable, rows: IntArray, box: Box, views: list[Shown]) -> tuple[Shown, FloatArray] | None:
    """The view and its inclined edge (2, 2) that a group is drawn square to; None where most of the group does not run
    along or across one."""
    part = table.take(rows)
    lines = part.rows_of(LINE)
    if not len(lines):
        return None
    step = part.data[lines, 2:4] - part.data[lines, 0:2]
    length, angle = np.hypot(*step.T), np.mod(np.arctan2(step[:, 1], step[:, 0]), np.pi / 2)
    middle = np.array([box[0] + box[2], box[1] + box[3]]) / 2.0
    best: tuple[float, Shown, FloatArray] | None = None
    for view in views:
        own = table.take(view.rows)
        for row in own.rows_of(LINE).tolist():
            edge = own.data[row, :4].reshape(2, 2)
            way = edge[1] - edge[0]
            size, turned = float(np.hypot(*way)), float(np.mod(np.arctan2(way[1], way[0]), np.pi / 2))
            if min(turned, np.pi / 2 - turned) < _ASLANT or size <= 0:
                continue
            off = np.abs(np.mod(angle - turned + np.pi / 4, np.pi / 2) - np.pi / 4)
            if length[off < _PARALLEL].sum() < _MOSTLY * length.sum():
                continue
            beside = abs(float((middle - edge.mean(axis=0)) @ way) / size)
            if beside <= 0.5 * size and (best is None or size > best[0]):
                best = (size, view, edge)
    return None if best is None else (best[1], best[2])


def lows_of(table: CurveTable, views: list[Shown]) -> dict[int, float]:
    """The lowest coordinate of the part along each axis that views show."""
    out: dict[int, float] = {}
    for view in views:
        for axis in range(3):
            found = on_axis(table, view, axis)
            if found is not None and len(found):
                out[axis] = min(out.get(axis, np.inf), float(found[0]))
    return out
