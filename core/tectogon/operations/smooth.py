"""Smooth chains of short pieces into lines, arcs and splines within a deviation, corners kept; or the reverse, into
straight pieces."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
import shapely

from tectogon.curves import Curve, CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.chain_fit import fit_chain
from tectogon.curves.shapes import Line
from tectogon.curves.table import LINE, IntArray
from tectogon.errors import BadValue, Note, NothingToBuild
from tectogon.linework import Linework
from tectogon.linework.edit import replaced
from tectogon.profiles.chains import Chain, find_chains, points_along
from tectogon.units import parse_length, parse_number, show_count, show_length
from tectogon.workpiece.made_curves import picked_rows
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Angle, Length, Params
from tectogon.workpiece.sentence import Sentence, choice_token, curves_token, length_token, number_token, words

INTO = {"curves": "into lines, arcs and splines", "segments": "into straight pieces"}
_FEWEST = 4
_CLOSER = (1.0, 0.7, 0.4)
"""Where neighbours that were made to meet end up further off than allowed, less is allowed."""


class SmoothParams(Params):
    """All chains of straight pieces where none are picked."""

    curves: tuple[str, ...] = ()
    into: Literal["curves", "segments"] = "curves"
    deviation: Length = 0.05
    corner: Angle = 25.0


def apply(workpiece: Workpiece, params: SmoothParams, context: Context) -> Workpiece:
    """Few lines, arcs and splines for many short pieces, within a deviation (mm), crisp from a corner angle on
    (degrees).

    Raises BadValue, NothingToBuild where no chain becomes fewer.
    """
    deviation, corner = parse_length(params.deviation), math.radians(parse_number(params.corner))
    if not 0.0 < deviation <= max(workpiece.drawing.linework.size, 1.0):
        raise BadValue("The deviation must be more than nothing and less than the drawing is large.")
    if not math.radians(1) <= corner <= math.radians(179):
        raise BadValue("The angle of a corner must lie between 1° and 179°.")
    drawing = workpiece.drawing
    rows = np.sort(picked_rows(workpiece, params.curves, "to be smoothed") if params.curves else drawing.bounding)
    table = drawing.linework.table.take(rows)
    made: list[Curve] = []
    source: list[int] = []
    number: list[int] = []
    worst, before = 0.0, 0
    touched: list[int] = []
    for chain in find_chains(table, join_tol=drawing.tolerance):
        if not _is_meant(table, chain, params.into, picked=bool(params.curves)):
            continue
        fresh, off = _changed(table, chain, params.into, deviation, corner)
        if params.into == "curves" and len(fresh) >= len(chain.rows):
            continue
        touched += chain.rows.tolist()
        before, worst = before + len(chain.rows), max(worst, off)
        made += fresh
        source += [int(chain.rows.min())] * len(fresh)
        number += range(1, len(fresh) + 1) if len(fresh) > 1 else [0]
    if not touched:
        raise NothingToBuild(
            "No chain of short pieces becomes fewer within this deviation; allow more, or pick the pieces."
        )
    gone = np.array(touched, np.int64)
    linework = _exchanged(
        workpiece, rows[gone], CurveTable.of(made), rows[np.array(source, np.int64)], np.array(number, np.int64)
    )
    note = Note(
        "smoothed",
        f"{show_count(before)} pieces became {show_count(len(made))}; nothing is off by more than"
        f" {show_length(worst)}.",
    )
    return replace(workpiece, drawing=replace(drawing, linework=linework)).with_notes(note)


def _is_meant(table: CurveTable, chain: Chain, into: str, *, picked: bool) -> bool:
    if into == "segments":
        return bool(picked or (table.kind[chain.rows] != LINE).any())
    return len(chain.rows) >= _FEWEST and (picked or bool((table.kind[chain.rows] == LINE).all()))


def _changed(table: CurveTable, chain: Chain, into: str, deviation: float, corner: float) -> tuple[list[Curve], float]:
    """The new curves of a chain, and the largest distance of the old points from them (mm)."""
    if into == "segments":
        points = points_along(table, chain, deviation)
        points = np.concatenate([points, points[:1]]) if chain.closed else points
        return [Line(*a, *b) for a, b in zip(points[:-1].tolist(), points[1:].tolist(), strict=True)], deviation
    points = points_along(table, chain, deviation / 4.0)
    for closer in _CLOSER:
        fresh = fit_chain(points, closed=chain.closed, deviation=closer * deviation, corner=corner)
        off = _off(points, chain.closed, CurveTable.of(fresh), deviation)
        if off <= deviation:
            return fresh, off
    return table.take(chain.rows).curves(), 0.0


def _off(points: FloatArray, closed: bool, table: CurveTable, deviation: float) -> float:
    """The largest distance of points (k, 2) from the curves of a table, and of these from the straight pieces between
    the points, to a twentieth of the deviation."""
    flat, offsets = table.flatten(deviation / 20.0)
    lines = [shapely.LineString(flat[a:b]) for a, b in itertools.pairwise(offsets.tolist())]
    before = np.concatenate([points, points[:1]]) if closed else points
    pieces = [shapely.LineString(ends) for ends in np.stack([before[:-1], before[1:]], axis=1)]
    return max(_farthest(points, lines), _farthest(flat, pieces))


def _farthest(points: FloatArray, lines: Sequence[shapely.LineString]) -> float:
    """The largest distance of points from the nearest of some lines."""
    _, away = shapely.STRtree(lines).query_nearest(shapely.points(points), all_matches=False, return_distance=True)
    return float(away.max(initial=0.0))


def _exchanged(workpiece: Workpiece, gone: IntArray, made: CurveTable, source: IntArray, number: IntArray) -> Linework:
    """Rows replaced by curves that take the place of one row each; the others of `gone` vanish."""
    where = {int(r): n for n, r in enumerate(gone.tolist())}
    return replaced(
        workpiece.drawing.linework, gone, made, np.array([where[int(s)] for s in source.tolist()], np.int64), number
    )


def sentence(params: SmoothParams, workpiece: Workpiece | None) -> Sentence:
    what = (
        curves_token(params.curves)
        if params.curves
        else words("every chain of short pieces" if params.into == "curves" else "every curve")
    )
    out = [
        words("Smooth " if params.into == "curves" else "Break up "),
        what,
        words(" "),
        choice_token("into", params.into, INTO),
    ]
    out += [words(" within "), length_token("deviation", params.deviation)]
    return (
        [*out, words(", corners over "), number_token("corner", params.corner, "°"), words(" kept")]
        if params.into == "curves"
        else out
    )


OPERATION = Operation(
    "smooth",
    "tidy",
    "Smooth",
    "Many short pieces become few lines, arcs and splines",
    SmoothParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
