"""Changing linework in an operation: rows replaced by others, curves added; ids say where each comes from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.table import IntArray
from tectogon.linework import Layer, LineType, Linework, identity


def replaced(linework: Linework, rows: IntArray, table: CurveTable, source: IntArray, number: IntArray) -> Linework:
    """Linework with the curves of `rows` replaced by those of a table.

    source: which of `rows` each new curve is of (k,).  number: 0 where it is the curve itself, else which piece of it.
    """
    stays = np.ones(len(linework), bool)
    stays[rows] = False
    rest = np.flatnonzero(stays)
    of = np.concatenate([rest, rows[source]])
    piece = np.concatenate([np.zeros(len(rest), np.int64), number])
    order = np.lexsort((piece, of))
    of = of[order]
    ids = list(map(linework.ids.__getitem__, of.tolist()))
    for n in np.flatnonzero(piece[order]).tolist():
        ids[n] = identity.cut(ids[n], int(piece[order[n]]))
    return replace(
        linework,
        table=CurveTable.join([linework.table.take(rest), table]).take(order),
        ids=tuple(ids),
        layer_of=linework.layer_of[of],
        linetype_of=linework.linetype_of[of],
        colour_of=linework.colour_of[of],
        in_block=linework.block_of[of],
    )


def added(linework: Linework, table: CurveTable, ids: tuple[str, ...], *, like: int | None = None) -> Linework:
    """Linework with more curves of these ids, on the layer and in the style of the curve `like`, or on a layer
    "drawn"."""
    count = len(table)
    layers, linetypes, colours = linework.layers, linework.linetypes, linework.colours
    if like is None:
        names = [layer.name for layer in layers]
        if "drawn" not in names:
            layers = (*layers, Layer("drawn"))
        plain = next((n for n, t in enumerate(linetypes) if not t.is_guide and not t.is_hidden), None)
        if plain is None:
            linetypes = (*linetypes, LineType("CONTINUOUS"))
        if "#000000" not in colours:
            colours = (*colours, "#000000")
        style = (
            [layer.name for layer in layers].index("drawn"),
            len(linetypes) - 1 if plain is None else plain,
            colours.index("#000000"),
        )
    else:
        style = (int(linework.layer_of[like]), int(linework.linetype_of[like]), int(linework.colour_of[like]))
    return replace(
        linework,
        table=CurveTable.join([linework.table, table]),
        ids=(*linework.ids, *ids),
        layer_of=np.concatenate([linework.layer_of, np.full(count, style[0])]),
        linetype_of=np.concatenate([linework.linetype_of, np.full(count, style[1])]),
        colour_of=np.concatenate([linework.colour_of, np.full(count, style[2])]),
        in_block=np.concatenate([linework.block_of, np.full(count, -1)]),
        layers=layers,
        linetypes=linetypes,
        colours=colours,
    )
