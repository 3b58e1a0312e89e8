"""Which cells are full: a weighted satisfiability question whose clauses are what the drawing shows and leaves out.

Looking along a view's direction, each column of cells is air and full by turns, and what is seen is the carrier through
which the first full cell is entered. Between two neighbouring columns

    no line        what is seen is the same; if the sheet draws hidden edges, all that lies behind is the same as well
    a solid line   what is seen differs
    a dashed line  what is seen is the same, and something behind it differs (unless it is the middle of a round)

A section is looked at from its plane on: what is cut is one surface, and full where it is hatched, else empty. It draws
no hidden edges.

Each holds or costs the length of line that goes against it, so the best part explains most of what is drawn and adds
least that is not. Solved by OR-Tools' CP-SAT; other parts that go against as little are asked for afterwards.
"""

from __future__ import annotations

import math
import time
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from ortools.sat.python import cp_model

from tectogon.budget import time_decided
from tectogon.curves.table import BoolArray, IntArray
from tectogon.reconstruction.carriers import flat_of
from tectogon.reconstruction.cells import AIR, AXIS, DASHED, HATCHED, NO_LINE, SOLID, UNHATCHED, Atoms, Cells
from tectogon.reconstruction.sections import CutView
from tectogon.reconstruction.sight import Column, Surface, between, columns_of, neighbours
from tectogon.tolerances import LEAST_SIZE
from tectogon.workpiece.operation import untold

_UNIT = 10000
"""Weights are whole numbers: shares of the part's size in so many steps."""
_HALF, _QUARTER = 0.5, 0.25
"""What a dashed line counts for, and a hidden edge that is not drawn."""
_FACE = 1000
"""A face counts for so many thousandths of the part's volume, where several parts explain the drawing alike."""
_UNSEEN = 3
"""A surface with edges that are not drawn counts for so many faces: a hole goes through rather than to some depth, and
is there only if something shows it."""
_SECONDS_PLAIN = 5.0
_CRUMB = 1e-4
"""Parts that differ by cells of no more than this share of the whole are one."""

Literal = Any
"""A variable of the model that is true or false, or the opposite of one."""


@dataclass(frozen=True)
class Contradiction:
    """What goes against an answer: in a view, a line that is no edge of the part (`drawn` SOLID or DASHED), or an edge
    that is not drawn (NO_LINE); how long it is (mm), what it counts for (mm), and a point of it on the sheet."""

    view: str
    drawn: int
    length: float
    counts: float
    at: tuple[float, float]


@dataclass(frozen=True)
class Answer:
    """One part: which cells are full (n,), the length that goes against it (mm) and where, the longest first, and
    whether no better one exists."""

    full: BoolArray
    off: float
    best: bool
    against: tuple[Contradiction, ...]

    @property
    def lacks(self) -> float:
        """The length of edges that the drawing lacks (mm)."""
        return sum(c.counts for c in self.against if c.drawn == NO_LINE)


@dataclass(frozen=True)
class _Clause:
    """What one clause costs if it does not hold, whether it holds not, and which columns of which view it compares, or
    the point of the sheet it is about."""

    weight: int
    off: Any
    view: int
    columns: tuple[int, int]
    drawn: int
    length: float
    at: tuple[float, float] | None = None


class _Heard(cp_model.CpSolverSolutionCallback):
    """Says how much of `drawn` mm is explained by the best part so far, and by any at most."""

    def __init__(self, drawn: float, units: float, tell: Callable[[str], None]) -> None:
        super().__init__()
        self.drawn, self.units, self.tell = max(drawn, LEAST_SIZE), units, tell
        self.off, self.least = math.inf, 0.0

    def on_solution_callback(self) -> None:
        """A better part was found."""
        self.off = self.objective_value / self.units
        self._say()

    def bound(self, least: float) -> None:
        """No part goes against less."""
        self.least = least / self.units
        self._say()

    def _say(self) -> None:
        if math.isfinite(self.off):
            now, most = (max(0.0, 100.0 * (1.0 - off / self.drawn)) for off in (self.off, self.least))
            self.tell(f"{now:.1f} % of the lines explained so far, {most:.1f} % at most")


class Question:
    """The cells of a part of some size (mm) and everything its views say of them, as one model. `cut`: which of the
    views are sections, and where they cut."""

    def __init__(self, cells: Cells, *, size: float, cut: Mapping[int, CutView] | None = None) -> None:
        self.cells, self.size, self.cut = cells, size, cut or {}
        self.model = cp_model.CpModel()
        self.full: list[Literal] = [self.model.new_bool_var("") for _ in range(cells.count)]
        self.clauses: list[_Clause] = []
        self.complete = False
        """Whether it is proven that no other part goes against as little; known once the answers are there."""
        self._numbers: list[IntArray] = []
        self._clear: dict[tuple[int, ...], Literal] = {}
        self._first: dict[tuple[int, ...], Literal] = {}
        self._differ: dict[tuple[int, int], Literal] = {}
        self._faces: dict[tuple[str, int, int], list[Literal]] = defaultdict(list)
        self._hidden: dict[int, Literal] = defaultdict(lambda: self.model.new_bool_var(""))
        self._about: tuple[int, tuple[int, int], int, float] = (0, (0, 0), 0, 0.0)
        hides = any(len(a.seen.hidden) for a in cells.atoms)
        for n in range(len(cells.atoms)):
            self._ask(n, hides=hides)

    def answers(self, *, seconds: float, most: int, tell: Callable[[str], None] = untold) -> list[Answer]:
        """The part that goes against least of the drawing, found within so many seconds, then others that go against no
        more of it, at most so many; none where none is found. Of parts that are alike in that, the one with fewest
        faces comes first, and of those the largest: holes go through, and what nothing shows is full. `tell` hears how
        much is explained so far."""
        until = time.monotonic() + seconds
        off = sum(c.weight * c.off for c in self.clauses)
        self.model.minimize(off)
        found = self._solved(seconds, _Heard(self._drawn(), _UNIT / self.size, tell))
        if found is None or not found.best:
            return [] if found is None else [found]
        least = found.off
        self.model.add(off <= round(least * _UNIT / self.size))
        self.model.minimize(self._plainness())
        out: list[Answer] = []
        while len(out) < most:
            left = until - time.monotonic()
            other = self._solved(min(max(1.0, left), _SECONDS_PLAIN)) if not out or left > 0.0 else None
            if other is None:
                break
            out.append(replace(other, off=least, best=True))
            self._another(other.full)
        return out or [found]

    def _drawn(self) -> float:
        """The length that the views draw in all (mm)."""
        return sum(float(a.seen.table.lengths.sum()) for a in self.cells.atoms)

    def _another(self, full: BoolArray) -> None:
        """Ask for a part that differs by more than crumbs."""
        volume = self.cells.volume
        large = np.flatnonzero(volume > _CRUMB * float(volume.sum())).tolist()
        self.model.add_bool_or([self.full[n].negated() if full[n] else self.full[n] for n in large])

    def _solved(self, seconds: float, heard: _Heard | None = None) -> Answer | None:
        """The best part that was found; the next search begins with it."""
        solver = cp_model.CpSolver()
        settings = solver.parameters
        settings.max_time_in_seconds = seconds
        # one raises the bound by unsatisfiable cores, one looks for better parts; simplifying the model first, and
        # linear relaxations, take longer here than they save (12 s against 6 on the slowest sheets)
        settings.num_workers = 2
        settings.subsolvers.extend(["core", "no_lp"])
        settings.max_presolve_iterations, settings.cp_model_probing_level = 1, 0
        settings.symmetry_level, settings.linearization_level = 0, 0
        if heard is not None:
            solver.best_bound_callback = heard.bound
        status = solver.solve(self.model, heard)
        self.complete = bool(status == cp_model.INFEASIBLE)
        if status not in (cp_model.OPTIMAL, cp_model.INFEASIBLE):
            time_decided()
        if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            return None
        self.model.clear_hints()  # type: ignore[no-untyped-call]
        for n, value in enumerate(solver.response_proto.solution):
            self.model.add_hint(self.model.get_bool_var_from_proto_index(n), value)
        full = np.array([solver.boolean_value(v) for v in self.full], bool)
        broken = [c for c in self.clauses if solver.boolean_value(c.off)]
        off = sum(c.weight for c in broken) * self.size / _UNIT
        return Answer(full, off, bool(status == cp_model.OPTIMAL), self._contradictions(broken))

    def _contradictions(self, broken: list[_Clause]) -> tuple[Contradiction, ...]:
        out = []
        for c in broken:
            a, number = self.cells.atoms[c.view], self._numbers[c.view]
            counts = c.weight * self.size / _UNIT
            at = c.at or between(self.cells, a, number, c.columns, c.drawn)
            out.append(Contradiction(a.seen.view.name, c.drawn, c.length, counts, at))
        return tuple(sorted(out, key=lambda c: -c.counts))

    def _plainness(self) -> Any:
        """How many faces square to a view a part has, how many surfaces have edges that a sheet without dashed lines
        does not show, and far behind that how much is missing from it."""
        faces = []
        for key in sorted(self._faces):
            used = self.model.new_bool_var("")
            for change in self._faces[key]:
                self.model.add_implication(change, used)
            faces.append(used)
        share = self.cells.volume / max(float(self.cells.volume.sum()), LEAST_SIZE)
        empty = sum(round(_FACE * float(v)) * c.negated() for v, c in zip(share, self.full, strict=True))
        return _FACE * (sum(faces) + _UNSEEN * sum(self._hidden.values())) + empty

    # what is seen, as literals

    def _is_clear(self, before: tuple[int, ...]) -> Literal:
        """Whether all of these cells are empty; None for no cells."""
        if not before:
            return None
        if before not in self._clear:
            var, rest, last = self.model.new_bool_var(""), self._is_clear(before[:-1]), self.full[before[-1]]
            all_of = [last.negated()] if rest is None else [rest, last.negated()]
            self.model.add_bool_and(all_of).only_enforce_if(var)
            self.model.add_bool_or([var, *(x.negated() for x in all_of)])
            self._clear[before] = var
        return self._clear[before]

    def _is_first(self, upto: tuple[int, ...]) -> Literal:
        """Whether the last of these cells is full and all before are empty."""
        if upto not in self._first:
            rest, own = self._is_clear(upto[:-1]), self.full[upto[-1]]
            if rest is None:
                self._first[upto] = own
            else:
                var = self.model.new_bool_var("")
                self.model.add_bool_and([rest, own]).only_enforce_if(var)
                self.model.add_bool_or([var, rest.negated(), own.negated()])
                self._first[upto] = var
        return self._first[upto]

    def _change(self, a: int, b: int) -> Literal:
        """Whether one of two neighbouring cells is full and the other is not."""
        if AIR in (a, b):
            return self.full[max(a, b)]
        key = (min(a, b), max(a, b))
        if key not in self._differ:
            var, x, y = self.model.new_bool_var(""), self.full[a], self.full[b]
            self.model.add_bool_or([x.negated(), y.negated(), var.negated()])
            self.model.add_bool_or([x, y, var.negated()])
            self.model.add_bool_or([x.negated(), y, var])
            self.model.add_bool_or([x, y.negated(), var])
            self._differ[key] = var
        return self._differ[key]

    def _seen(self, column: Column) -> dict[Surface | None, list[Literal]]:
        """Whether each surface is the one that is seen; None: nothing is, one sees through."""
        out: dict[Surface | None, list[Literal]] = defaultdict(list)
        at = 0
        for _, into, surface in column.walls:
            if into != AIR:
                at += 1
                out[surface].append(self._is_first(column.cells[:at]))
        if column.cells:
            out[None].append(self._is_clear(column.cells))
        return out

    def _alike(self, surface: Surface | None, among: dict[Any, list[Any]]) -> list[Any]:
        """What is told of a surface and of those that it passes into smoothly."""
        if surface is None:
            return list(among.get(None, []))
        near = self.cells.carriers.smooth.get(surface[0], ())
        return [x for s, found in among.items() if s is not None and (s == surface or s[0] in near) for x in found]

    # clauses

    def _ask(self, view: int, *, hides: bool) -> None:
        a = self.cells.atoms[view]
        columns, number = columns_of(self.cells, a)
        self._count_faces(a, columns, number)
        section = self.cut.get(view)
        if section is not None:
            columns, number = columns_of(self.cells, a, section.cut.at)
            self._ask_hatched(view, columns, number, section.section.hatched)
        self._numbers.append(number)
        for (p, q, kind), length in neighbours(self.cells, a, number).items():
            first, second = columns[p], columns[q]
            self._about = view, (p, q), kind, length
            if not first.cells and not second.cells:
                continue
            if kind == SOLID:
                self._seen_differs(first, second)
            elif kind == DASHED:
                self._seen_same(first, second, _HALF)
                self._behind_differs(first, second, _HALF)
            elif kind == AXIS:
                self._seen_same(first, second, _HALF)
            else:
                self._seen_same(first, second, 1.0)
                if section is not None:
                    continue
                if hides:
                    self._behind_same(first, second, _QUARTER)
                else:
                    self._count_hidden(first, second)

    def _ask_hatched(self, view: int, columns: list[Column], number: IntArray, hatched: frozenset[int]) -> None:
        """What is hatched is full where it is cut, all else is empty; each costs the side of a square as large."""
        if not hatched:
            return
        a = self.cells.atoms[view]
        first, second = (self.cells.samples[k] for k in a.axes)
        at = [s.at[s.pixels] for s in (first, second)]
        area = np.outer(first.width[first.pixels], second.width[second.pixels])
        label = a.label[np.ix_(first.pixels, second.pixels)]
        whole = np.bincount(label[label >= 0], weights=area[label >= 0], minlength=len(a.regions))
        rows = np.column_stack([number.ravel(), label.ravel()])
        pairs, where, back = np.unique(rows, axis=0, return_index=True, return_inverse=True)
        sums = np.bincount(back.ravel(), weights=area.ravel())
        for (column, atom), place, part in zip(pairs.tolist(), where.tolist(), sums.tolist(), strict=True):
            if atom == AIR or part <= 0.0:
                continue
            i, j = np.unravel_index(place, label.shape)
            x, y = flat_of(a.seen, np.array([[at[0][i], at[1][j]]]))[0].tolist()
            full = self._is_cut(columns[column])
            if full is None and atom not in hatched:
                continue
            length = part / math.sqrt(whole[atom])
            off = self.model.new_bool_var("")
            weight = max(1, round(_UNIT * length / self.size))
            kind = HATCHED if atom in hatched else UNHATCHED
            self.clauses.append(_Clause(weight, off, view, (column, column), kind, length, (x, y)))
            if atom in hatched:
                self.model.add_bool_or([off] if full is None else [full, off])
            else:
                self.model.add_bool_or([full.negated(), off])

    def _is_cut(self, column: Column) -> Literal:
        """Whether the cell that a section's plane runs through is full; None where there is none."""
        if not column.walls:
            return None
        _, into, (carrier, _) = column.walls[0]
        return self.full[into] if into != AIR and self.cells.carriers.keys[carrier][0][0] == "cut" else None

    def _cost(self, share: float) -> Literal:
        """A clause about what is being compared: whether it does not hold, at a share of its length."""
        view, columns, drawn, length = self._about
        off = self.model.new_bool_var("")
        weight = max(1, round(_UNIT * share * length / self.size))
        self.clauses.append(_Clause(weight, off, view, columns, drawn, length))
        return off

    def _count_faces(self, a: Atoms, columns: list[Column], number: IntArray) -> None:
        """What shows that a plane square to a view is a face somewhere in one of its atoms."""
        first, second = (self.cells.samples[k].pixels for k in a.axes)
        label = a.label[np.ix_(first, second)]
        pairs = np.unique(np.column_stack([number.ravel(), label.ravel()]), axis=0)
        known: set[tuple[int, int, int, int]] = set()
        for column, atom in pairs.tolist():
            for m, n, (carrier, _) in columns[column].walls:
                key = (atom, carrier, min(m, n), max(m, n))
                if self.cells.carriers.is_plane(carrier) and key not in known:
                    known.add(key)
                    self._faces[(a.seen.view.name, atom, carrier)].append(self._change(m, n))

    def _seen_same(self, p: Column, q: Column, share: float) -> None:
        off = self._cost(share)
        if not p.cells or not q.cells:
            self.model.add_bool_or([self._is_clear(p.cells or q.cells), off])
            return
        one, other = self._seen(p), self._seen(q)
        for surface, literals in one.items():
            for literal in literals:
                self.model.add_bool_or([literal.negated(), off, *self._alike(surface, other)])

    def _seen_differs(self, p: Column, q: Column) -> None:
        off = self._cost(1.0)
        if not p.cells or not q.cells:
            self.model.add_bool_or([self._is_clear(p.cells or q.cells).negated(), off])
            return
        one, other = self._seen(p), self._seen(q)
        for surface, literals in one.items():
            for x in literals:
                for y in other.get(surface, []):
                    self.model.add_bool_or([x.negated(), y.negated(), off])

    def _walls_apart(self, p: Column, q: Column) -> dict[Surface, list[list[Literal]]]:
        """For every surface that two columns do not pass between the same cells: whether each changes there, and
        whether each changes where the surface passes on smoothly."""
        found: list[dict[Any, list[tuple[int, int]]]] = []
        for column in (p, q):
            of: dict[Any, list[tuple[int, int]]] = defaultdict(list)
            for a, b, surface in column.walls:
                of[surface].append((min(a, b), max(a, b)))
            found.append(of)
        out = {}
        for surface in sorted(found[0].keys() | found[1].keys()):
            one, other = (f.get(surface, []) for f in found)
            if sorted(one) != sorted(other):
                near = [self._alike(surface, f) for f in found]
                out[surface] = [[self._change(*wall) for wall in walls] for walls in (one, other, *near)]
        return out

    def _behind_same(self, p: Column, q: Column, share: float) -> None:
        apart = self._walls_apart(p, q)
        if not apart:
            return
        off = self._cost(share)
        for one, other, near_one, near_other in apart.values():
            for x in one:
                self.model.add_bool_or([x.negated(), off, *near_other])
            for y in other:
                self.model.add_bool_or([y.negated(), off, *near_one])

    def _count_hidden(self, p: Column, q: Column) -> None:
        """What shows that a surface has an edge that is not seen, between two columns."""
        for surface, (one, other, near_one, near_other) in self._walls_apart(p, q).items():
            hidden = self._hidden[surface[0]]
            for x in one:
                self.model.add_bool_or([x.negated(), hidden, *near_other])
            for y in other:
                self.model.add_bool_or([y.negated(), hidden, *near_one])

    def _behind_differs(self, p: Column, q: Column, share: float) -> None:
        off, tell = self._cost(share), []
        for one, other, _, _ in self._walls_apart(p, q).values():
            for mine, others in ((one, other), (other, one)):
                for x in mine:
                    var = self.model.new_bool_var("")
                    self.model.add_bool_and([x, *(y.negated() for y in others)]).only_enforce_if(var)
                    tell.append(var)
        self.model.add_bool_or([off, *tell])
