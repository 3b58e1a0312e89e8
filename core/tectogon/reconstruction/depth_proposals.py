"""Depths proposed for a profile: what the other views allow, the likeliest first, each ready to be written."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import LINE
from tectogon.errors import BadValue
from tectogon.profiles import Region
from tectogon.reconstruction.depths import Seen, heights_of, on_part_box, seen_with
from tectogon.reconstruction.stated_thickness import stated_thicknesses
from tectogon.tolerances import LEAST_SIZE, SEEN_LOOSE, SEEN_SLACK, SEEN_TOL
from tectogon.units import show_length
from tectogon.views.align import axes_shown
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.parameters import PointPick

_MOST = 6


@dataclass(frozen=True)
class Proposal:
    """A depth: what it is in words, the kind of operation and its values (but for the profiles), and from which to
    which height (mm)."""

    words: str
    kind: str
    values: dict[str, Any]
    low: float
    high: float
    likely: float

    def as_json(self) -> dict[str, Any]:
        return {"words": self.words, "kind": self.kind, "values": self.values, "low": self.low, "high": self.high}


@dataclass(frozen=True)
class _Drawn:
    """Lines that a view draws along the depth, at one side of a region or at both: their stretch of the axis, and picks
    of its two ends."""

    view: str
    hidden: bool
    both: bool
    first: float
    last: float
    ends: tuple[PointPick, PointPick]


def proposals_of(workpiece: Workpiece, region: Region) -> list[Proposal]:
    """Depths for a region, the likeliest first: what other views draw, and what the sheet states. Raises BadValue where
    neither says anything for want of views."""
    stated = _stated(workpiece) if region.level == 0 else []
    try:
        mine, seen, box = seen_with(workpiece, region)
    except BadValue:
        if not stated:
            raise
        return stated
    axis = mine.axis
    low, high = heights_of(mine.view, axis, *box[axis])
    joins = "join" if workpiece.bodies else "new"
    whole = show_length(high - low)
    out = list(stated)
    if region.level == 0:
        view, own = np.array(mine.table.extents), np.array(region.bounds)
        entire = bool(np.abs(view - own).max() <= SEEN_LOOSE * float(np.ptp(view)))
        names = [s.view.name for s in seen if s is not mine and axis in axes_shown(s.view.frame)]
        out.append(
            Proposal(
                f"Raise it {whole}: all that the {' and '.join(names)}"
                f" {'view shows' if len(names) == 1 else 'views show'}",
                "extrude",
                {"extent": "as_seen", "result": joins},
                low,
                high,
                0.7 if entire else 0.45,
            )
        )
        out.append(
            Proposal(
                f"Raise it {show_length((high - low) / 2)}: half of that",
                "extrude",
                {"extent": "half_as_seen", "result": joins},
                low,
                (low + high) / 2,
                0.2,
            )
        )
    elif workpiece.bodies:
        out.append(Proposal(f"Cut it through, {whole}", "cut", {"depth": "through"}, low, high, 0.7))
    for drawn in _drawn(mine, region, seen, box, axis):
        a, b = heights_of(mine.view, axis, drawn.first, drawn.last)
        if abs(a - low) + abs(b - high) <= SEEN_LOOSE * (high - low):
            continue
        picks = [
            {"point": p.model_dump(mode="json")}
            for p in (drawn.ends if _height_of(mine, axis, drawn.last) == a else drawn.ends[::-1])
        ]
        likely = (1.0 if drawn.hidden else 0.9) if drawn.both else (0.5 if drawn.hidden else 0.4)
        likely += 0.1 * (abs(a - low) <= SEEN_TOL * (high - low))  # what stands on the foot of the part
        side = "" if drawn.both else " at one side of it"
        if drawn.hidden and workpiece.bodies:
            out.append(
                Proposal(
                    f"Cut it {show_length(b - a)} deep: dashed in the {drawn.view} view{side}",
                    "cut",
                    {"depth": "picked", "ends": picks[::-1]},
                    a,
                    b,
                    likely,
                )
            )
        else:
            how = "dashed" if drawn.hidden else "drawn"
            out.append(
                Proposal(
                    f"Raise it {show_length(b - a)}: {how} in the {drawn.view} view{side}",
                    "extrude",
                    {"extent": "picked", "ends": picks, "result": joins},
                    a,
                    b,
                    likely,
                )
            )
    best: dict[tuple[str, float, float], Proposal] = {}
    for proposal in sorted(out, key=lambda p: -p.likely):
        best.setdefault((proposal.kind, round(proposal.low, 4), round(proposal.high, 4)), proposal)
    return list(best.values())[:_MOST]


def _stated(workpiece: Workpiece) -> list[Proposal]:
    """The thicknesses that the sheet states in words."""
    result = "join" if workpiece.bodies else "new"
    return [
        Proposal(
            f"Raise it {show_length(value)}: the sheet says “{words}”",
            "extrude",
            {"length": value, "extent": "one_side", "result": result},
            0.0,
            value,
            0.8,
        )
        for value, words in stated_thicknesses(workpiece)
    ]


def _height_of(mine: Seen, axis: int, value: float) -> float:
    """One coordinate of the part's axis as a height over the view's plane."""
    return heights_of(mine.view, axis, value, value)[0]


def _drawn(
    mine: Seen, region: Region, seen: list[Seen], box: dict[int, tuple[float, float]], axis: int
) -> list[_Drawn]:
    """Every stretch of the depth that another view draws where one of a region's two sides lies."""
    spans = on_part_box(mine.view, np.array(region.bounds))
    out = []
    for other in seen:
        shown = axes_shown(other.view.frame)
        shared = [a for a in spans if a in shown]
        if other is mine or axis not in shown or not shared:
            continue
        across = shared[0]
        for hidden in (True, False):
            sides = [_lines_at(other, at, across, axis, hidden) for at in spans[across]]
            for first, last, ends in [*sides[0], *sides[1]]:
                tol = SEEN_SLACK * max(last - first, LEAST_SIZE)
                both = all(any(abs(a - first) <= tol and abs(b - last) <= tol for a, b, _ in side) for side in sides)
                out.append(_Drawn(other.view.name, hidden, both, first, last, ends))
    return out


def _lines_at(
    s: Seen, at: float, across: int, along: int, hidden: bool
) -> list[tuple[float, float, tuple[PointPick, PointPick]]]:
    """Lines of a view that run along one axis where another is `at`: their stretch, and picks of its ends, lowest
    first."""
    rows = s.table.rows_of(LINE)
    rows = rows[np.isin(rows, s.hidden) == hidden]
    flat: FloatArray = s.table.data[rows, :4].reshape(-1, 2, 2)
    ends = s.view.frame.place(flat)
    tol = max(SEEN_LOOSE * float(np.ptp(ends[..., across])) if len(ends) else 0.0, 2.0 * s.tol)
    fits = (np.abs(ends[..., across] - at) <= tol).all(axis=1) & (np.abs(ends[:, 0, along] - ends[:, 1, along]) > tol)
    out = []
    for n in np.flatnonzero(fits).tolist():
        low = int(ends[n, 1, along] < ends[n, 0, along])
        picks = [
            PointPick(
                at=(float(flat[n, k, 0]), float(flat[n, k, 1])), curve=s.ids[int(rows[n])], kind=("start", "end")[k]
            )
            for k in (low, 1 - low)
        ]
        out.append((float(ends[n, low, along]), float(ends[n, 1 - low, along]), (picks[0], picks[1])))
    return out
