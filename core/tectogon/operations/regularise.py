"""True up what is drawn a hair off: lines made level or upright, arcs made full circles, radii made one. Ends that met
still meet."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from tectogon.curves import Arc, CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, LINE, IntArray
from tectogon.errors import BadValue, Note
from tectogon.findings.mending import with_ends
from tectogon.profiles.network import number_nodes
from tectogon.tolerances import ANGLE_TOL
from tectogon.units import parse_length, show_length
from tectogon.workpiece.made_curves import picked_rows
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import LINEWORK, Context, Operation
from tectogon.workpiece.parameters import PROPOSED, Params, ProposedLength
from tectogon.workpiece.sentence import Sentence, choice_token, count_of, curves_token, length_token, words

HOWS = {"level": "level or upright", "circle": "a full circle", "radius": "of one radius"}


class TrueUpParams(Params):
    """`radius`: the one for all, or proposed for the median of those picked."""

    curves: tuple[str, ...] = ()
    how: Literal["level", "circle", "radius"] = "level"
    radius: ProposedLength = PROPOSED


def apply(workpiece: Workpiece, params: TrueUpParams, context: Context) -> Workpiece:
    """Make lines level or upright, arcs full circles, or radii one (mm); what meets them goes along.

    Raises BadValue where the picked curves are of another kind.
    """
    drawing = workpiece.drawing
    rows = picked_rows(workpiece, params.curves, "to be trued up")
    table = drawing.linework.table
    wanted = LINE if params.how == "level" else ARC
    fits = rows[table.kind[rows] == wanted]
    if not len(fits):
        raise BadValue(
            f"Only {'lines' if wanted == LINE else 'arcs and circles'} can be made {HOWS[params.how]}; none is among"
            " the curves picked."
        )
    if params.how == "level":
        made, moved = _level(table, fits, drawing.tolerance)
    else:
        radius = (
            0.0
            if params.how == "circle"
            else float(np.median(table.data[fits, 2]))
            if params.radius == PROPOSED
            else parse_length(params.radius)
        )
        made, moved = _rounded(table, fits, radius)
    note = Note(
        "trued_up", f"{count_of(len(fits), 'curve')} trued up; nothing moved by more than {show_length(moved)}."
    )
    return replace(workpiece, drawing=replace(drawing, linework=replace(drawing.linework, table=made))).with_notes(note)


def _level(table: CurveTable, rows: IntArray, tol: float) -> tuple[CurveTable, float]:
    """Lines turned about their middles to level or upright, whichever is nearer; what met their ends goes along. And
    the furthest move (mm)."""
    ends = table.ends.reshape(-1, 2)
    node = number_nodes(ends, tol)
    target = ends.copy()
    for row in rows.tolist():
        a, b = target[2 * row], target[2 * row + 1]
        axis = int(abs(b[0] - a[0]) < abs(b[1] - a[1]))  # 0: made level, its y is one; 1: made upright, its x is one
        middle = float(a[1 - axis] + b[1 - axis]) / 2.0
        for end in (2 * row, 2 * row + 1):
            target[node == node[end], 1 - axis] = middle
    moved = np.hypot(*(target - ends).T)
    return with_ends(table, target.reshape(-1, 2, 2), (moved > 0).reshape(-1, 2)), float(moved.max())


def _rounded(table: CurveTable, rows: IntArray, radius: float) -> tuple[CurveTable, float]:
    """Arcs made full circles (radius 0), or of one radius: circles about their centres, arcs through their ends. And
    the furthest move (mm)."""
    curves = {row: table.curve(row) for row in rows.tolist()}
    made, furthest = [], 0.0
    for arc in curves.values():
        assert isinstance(arc, Arc)
        new = replace(arc, sweep=math.copysign(TURN, arc.sweep)) if radius == 0.0 else _of_radius(arc, radius)
        furthest = max(furthest, abs(new.radius - arc.radius) + math.hypot(new.cx - arc.cx, new.cy - arc.cy))
        made.append(new)
    rest = np.ones(len(table), bool)
    rest[rows] = False
    back = np.argsort(np.concatenate([np.flatnonzero(rest), rows]), kind="stable")
    return CurveTable.join([table.take(rest), CurveTable.of(made)]).take(back), furthest


def _of_radius(arc: Arc, radius: float) -> Arc:
    """The arc with another radius: a circle about its centre, an arc through its ends on the same side. Raises BadValue
    where none goes through."""
    if abs(arc.sweep) >= TURN - ANGLE_TOL:
        return replace(arc, radius=radius)
    ends: FloatArray = np.asarray(arc.points(np.array([0.0, 1.0])))
    half = float(np.hypot(*(ends[1] - ends[0]))) / 2.0
    if radius < half:
        raise BadValue(
            f"An arc of radius {radius:.4g} mm does not reach between ends that are {2 * half:.4g} mm apart."
        )
    middle = ends.mean(axis=0)
    to_centre = np.array([arc.cx, arc.cy]) - middle
    across = np.array([-(ends[1] - ends[0])[1], (ends[1] - ends[0])[0]]) / (2.0 * half)
    side = math.copysign(1.0, float(to_centre @ across))
    centre = middle + side * math.sqrt(max(radius * radius - half * half, 0.0)) * across
    first, last = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in ends)
    sweep = (last - first) % TURN if arc.sweep > 0 else -((first - last) % TURN)
    return Arc(float(centre[0]), float(centre[1]), radius, first, sweep)


def sentence(params: TrueUpParams, workpiece: Workpiece | None) -> Sentence:
    out = [words("True up "), curves_token(params.curves), words(", each "), choice_token("how", params.how, HOWS)]
    if params.how == "radius":
        shown = length_token("radius", params.radius)
        out += [words(" "), replace(shown, text="the middle one of theirs") if params.radius == PROPOSED else shown]
    return out


OPERATION = Operation(
    "regularise",
    "tidy",
    "True up",
    "Lines a hair off level, arcs a hair off a circle, radii a hair apart",
    TrueUpParams,
    apply,
    sentence,
    reads=LINEWORK,
    writes=LINEWORK,
)
