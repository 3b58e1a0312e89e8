"""Many copies of a few curves, each under a map of its own: how a block that is placed a thousand times is laid out."""

from __future__ import annotations

import numpy as np

from tectogon.curves import affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, LINE, CurveTable


def copies(table: CurveTable, matrices: FloatArray) -> CurveTable:
    """The table once for each of the maps (k, 2, 3), copy after copy.

    Lines and arcs go through all maps at once where circles stay circles; anything else one map at a time.
    """
    if (
        len(matrices) < 3
        or not np.isin(table.kind, (LINE, ARC)).all()
        or ((table.kind == ARC).any() and not all(map(affine.is_similarity, matrices)))
    ):
        return CurveTable.join([table.transformed(m) for m in matrices])
    count = len(matrices)
    data = np.broadcast_to(table.data, (count, *table.data.shape)).copy()
    linear, shift = matrices[:, None, :, :2], matrices[:, None, :, 2]

    def mapped(points: FloatArray) -> FloatArray:
        return linear[..., 0] * points[..., :1] + linear[..., 1] * points[..., 1:] + shift

    lines, arcs = table.kind == LINE, table.kind == ARC
    data[:, lines, 0:2], data[:, lines, 2:4] = mapped(data[:, lines, 0:2]), mapped(data[:, lines, 2:4])
    if arcs.any():
        det = matrices[:, 0, 0] * matrices[:, 1, 1] - matrices[:, 0, 1] * matrices[:, 1, 0]
        way = np.where(det < 0.0, -1.0, 1.0)[:, None]
        data[:, arcs, 0:2] = mapped(data[:, arcs, 0:2])
        data[:, arcs, 2] *= np.sqrt(np.abs(det))[:, None]
        data[:, arcs, 3] = np.arctan2(matrices[:, 1, 0], matrices[:, 0, 0])[:, None] + way * data[:, arcs, 3]
        data[:, arcs, 4] *= way
    return CurveTable(np.tile(table.kind, count), data.reshape(-1, 7))
