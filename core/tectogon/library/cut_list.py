"""Bars cut from stock lengths: how many lengths are wanted, what is cut from each, and what is left over.

Cutting stock in one dimension: bars of one section are packed into as few stock lengths as can be, asked of a solver
(OR-Tools, CP-SAT) that starts from first fit decreasing and proves how far from the best it is.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from tectogon.errors import BadValue

_EFFORT, _SECONDS = 2.0, 10.0
"""How far the solver goes: its own measure of work, and seconds at most."""
_MOST_ASKED = 300
"""More bars than this are packed by first fit alone."""
_GRAIN = 100
"""Lengths are taken to a hundredth of a millimetre."""


@dataclass(frozen=True)
class Cut:
    """A bar that is wanted: what it is called, its length at the longest (mm), the angles of its ends, and how many."""

    name: str
    length: float
    angles: tuple[float, float]
    count: int


@dataclass(frozen=True)
class Stock:
    """One stock length: the lengths that are cut from it, longest first, and what is left over (mm)."""

    cuts: tuple[float, ...]
    left: float
    count: int = 1


@dataclass(frozen=True)
class Packed:
    """All stock lengths, like ones together; how many, the share that is left over, and whether fewer can't do."""

    stocks: tuple[Stock, ...]
    count: int
    waste: float
    best: bool


def packed(lengths: Sequence[float], stock: float, kerf: float = 0.0) -> Packed:
    """Bars cut from stock of one length (mm); each cut takes a kerf. Raises BadValue where a bar is longer than the
    stock, or sizes make no sense."""
    if stock <= 0.0 or kerf < 0.0:
        raise BadValue("A stock length is more than nothing, and a saw cut 0 mm or more.")
    longest = max(lengths, default=0.0)
    if longest > stock + 1e-9:
        raise BadValue(f"A bar of {longest:.6g} mm is longer than the stock of {stock:.6g} mm.")
    room, sizes = _whole(stock + kerf), sorted((_whole(v + kerf) for v in lengths), reverse=True)
    bins = _first_fit(sizes, room)
    least = -(-sum(sizes) // room) if sizes else 0
    best = len(bins) <= least
    if not best and len(sizes) <= _MOST_ASKED:
        bins, best = _asked(sizes, room, bins, least)
    used = Counter(tuple(sorted((s / _GRAIN - kerf for s in one), reverse=True)) for one in bins)
    stocks = [
        Stock(cuts, round(stock - sum(cuts) - kerf * (len(cuts) - 1), 4), n)
        for cuts, n in sorted(used.items(), reverse=True)
    ]
    total = stock * len(bins)
    waste = 1.0 - sum(lengths) / total if total else 0.0
    return Packed(tuple(stocks), len(bins), waste, best)


def _whole(mm: float) -> int:
    return round(mm * _GRAIN)


def _first_fit(sizes: list[int], room: int) -> list[list[int]]:
    bins: list[list[int]] = []
    free: list[int] = []
    for size in sizes:
        n = next((k for k, f in enumerate(free) if f >= size), None)
        if n is None:
            bins.append([size])
            free.append(room - size)
        else:
            bins[n].append(size)
            free[n] -= size
    return bins


def _asked(sizes: list[int], room: int, first: list[list[int]], least: int) -> tuple[list[list[int]], bool]:
    """As few bins as the solver finds in its time, and whether fewer can't do."""
    from ortools.sat.python import cp_model

    kinds = sorted(Counter(sizes).items(), reverse=True)
    most = len(first)
    model = cp_model.CpModel()
    used = [model.new_bool_var(f"u{b}") for b in range(most)]
    x = [[model.new_int_var(0, min(n, room // size), f"x{k}.{b}") for b in range(most)] for k, (size, n) in
         enumerate(kinds)]  # fmt: skip
    for k, (_, n) in enumerate(kinds):
        model.add(sum(x[k]) == n)
    for b in range(most):
        model.add(sum(size * x[k][b] for k, (size, _) in enumerate(kinds)) <= room * used[b])
        if b:
            model.add(used[b] <= used[b - 1])
    model.add(sum(used) >= least)
    model.minimize(sum(used))
    for b, one in enumerate(first):
        counts = Counter(one)
        for k, (size, _) in enumerate(kinds):
            model.add_hint(x[k][b], counts.get(size, 0))
    solver = cp_model.CpSolver()
    solver.parameters.max_deterministic_time = _EFFORT  # the same on every machine
    solver.parameters.max_time_in_seconds = _SECONDS
    solver.parameters.num_workers = 1
    status = solver.solve(model)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return first, False
    bins = [
        [size for k, (size, _) in enumerate(kinds) for _ in range(solver.value(x[k][b]))]
        for b in range(most)
        if solver.value(used[b])
    ]
    return bins, status == cp_model.OPTIMAL
