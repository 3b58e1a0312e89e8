"""Everything that is wrong with linework, found in one go; and everything certain mended."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tectogon import budget
from tectogon.curves import CurveTable
from tectogon.curves.table import BoolArray
from tectogon.findings.doubles import find_doubles
from tectogon.findings.finding import Finding
from tectogon.findings.flagged import find_marked
from tectogon.findings.joining import Joining, propose, reach_of
from tectogon.findings.mending import Mended, mend, rows_about
from tectogon.findings.open_ends import find_ends
from tectogon.findings.short_curves import find_short, find_slivers
from tectogon.findings.suggestions import find_nearly, find_runs, find_strays
from tectogon.findings.touching import find_crossings, find_pinches, find_self_crossings
from tectogon.profiles import Regions
from tectogon.profiles.network import build_network
from tectogon.tolerances import LEAST_SIZE, resolution

_MOST_TRIED = 60
"""Up to so many certain findings are tried before they are called so."""
_SECONDS, _SECONDS_A_CURVE = 12.0, 3e-4
"""Time that mending may take: so much, and more for many curves."""


@dataclass(frozen=True, eq=False)
class Findings:
    """Faults, worst first within each kind; what is only offered; and the joining distance with its chart."""

    faults: tuple[Finding, ...]
    offered: tuple[Finding, ...]
    joining: Joining

    @property
    def certain(self) -> tuple[Finding, ...]:
        """The faults that have one remedy without a doubt."""
        return tuple(f for f in self.faults if f.sure)

    def sparing(self, aside: BoolArray) -> Findings:
        """The same, with nothing certain on curves (n,) that are to be let alone."""
        if not aside.any():
            return self
        return replace(self, faults=tuple(_spared(self.faults, aside)))


def find_all(
    table: CurveTable,
    *,
    within: float | None = None,
    regions: Regions | None = None,
    offers: bool = True,
    marks: Sequence[tuple[int, str, float]] = (),
) -> Findings:
    """All findings of the curves of a table; rows are the table's.

    `within`: the joining distance (mm) below which ends are certain partners, or None for the one proposed. `regions`:
    of the same table, for pinches and slivers; their network is taken where it was joined at the resolution. Without
    `offers` only faults are looked for. `marks`: what the file says of single rows (row, kind, mm).
    """
    size = max(table.size, LEAST_SIZE)
    fine = resolution(size)
    net = regions.net if regions is not None and regions.join_tol == fine else build_network(table, join_tol=fine)
    reach = max(reach_of(size), (within or 0.0) * 1.01)
    ends = find_ends(table, net, reach=reach, sure_within=reach if within is None else within)
    joining = propose(table, net, ends, resolution=fine)
    if within is None:
        limit = joining.proposed
        ends = [f if not f.sure or f.size <= limit else Finding(**{**f.__dict__, "sure": False}) for f in ends]
    ends = _settled(table, ends, within=joining.proposed if within is None else within, reach=reach)
    faults = [*ends, *find_doubles(table, net), *find_short(table, resolution=fine), *find_self_crossings(table, net)]
    told = find_marked(table, marks)
    faults += [f for f in told if f.is_fault]
    offered = [f for f in told if not f.is_fault]
    if regions is not None:
        faults += find_pinches(table, regions)
        offered += find_slivers(regions, resolution=fine) if offers else []
    if offers:
        offered += [*find_runs(table, join_tol=fine), *find_strays(table), *find_nearly(table), *find_crossings(net)]
    faults.sort(key=lambda f: (f.sure, -f.size if f.kind in ("double",) else f.size))
    return Findings(tuple(faults), tuple(offered), joining)


def _settled(table: CurveTable, ends: list[Finding], *, within: float, reach: float) -> list[Finding]:
    """The same findings, those not certain that would be there again once they are mended: two ends that each run past
    the other, say. Looked at where they are few, among the curves about them."""
    sure = [f for f in ends if f.sure and f.kind in ("gap", "undershoot", "overshoot")]
    if not 0 < len(sure) <= _MOST_TRIED:
        return ends
    rows = np.unique([r for f in sure for r in f.rows])
    about = rows_about(table, rows, 4.0 * max(within, reach))
    place = {int(row): n for n, row in enumerate(about.tolist())}
    trial = mend(table.take(about), [f.on(place) for f in sure], within=within)
    net = build_network(trial.table, join_tol=resolution(max(table.size, LEAST_SIZE)))
    left = {
        (f.kind, *(int(about[trial.source[e >> 1]]) * 2 + (e & 1) for e in f.ends))
        for f in find_ends(trial.table, net, reach=reach, sure_within=within)
        if f.sure
    }
    again = {id(f) for f in sure if (f.kind, *f.ends) in left}
    return [
        replace(f, sure=False, words=f"{f.words}; moving it does not settle it") if id(f) in again else f for f in ends
    ]


def _spared(faults: Sequence[Finding], aside: BoolArray) -> list[Finding]:
    return [replace(f, sure=False) if f.sure and aside[list(f.rows)].any() else f for f in faults]


def mend_certain(table: CurveTable, *, within: float | None, aside: BoolArray | None = None) -> tuple[Mended, float]:
    """Everything certain mended, again and again until nothing certain is left, but for curves `aside` (n,); and the
    joining distance that was used (mm)."""
    spared = np.zeros(len(table), bool) if aside is None else aside
    return budget.within(
        _SECONDS + _SECONDS_A_CURVE * len(table),
        "Mending takes too long; take a part of the drawing.",
        lambda: _mended(table, within, spared),
    )


def _mended(table: CurveTable, within: float | None, aside: BoolArray) -> tuple[Mended, float]:
    now, source, number = table, np.arange(len(table)), np.zeros(len(table), np.int64)
    done, moved, distance = 0, 0.0, within or 0.0
    for turn in range(5):
        found = find_all(now, within=within, offers=False)
        if turn == 0:
            distance = found.joining.proposed if within is None else within
            within = distance
        certain = [f for f in _spared(found.faults, aside[source]) if f.sure and f.kind != "open_end"]
        doubles = [f for f in certain if f.kind == "double"]
        certain = doubles or certain  # first: a curve that moves no longer lies on its double
        if not certain:
            break
        step = mend(now, certain, within=distance)
        if not step.done:
            break
        source, number, now = source[step.source], number[step.source] * 1000 + step.number, step.table
        done, moved = done + step.done, max(moved, step.moved)
    return Mended(now, source, number, done, moved), distance
