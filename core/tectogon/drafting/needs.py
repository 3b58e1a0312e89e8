"""What a drawing of a part must fix: the coordinates along each axis that its faces, corners and centres have, and the
radii of what is round.

A coordinate is counted where nothing else gives it: faces square to an axis, axes of what is round, corners of slanted
faces. Ends of tangent arcs are not: they follow from the radius and the faces beside.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.solids import kernel, measure
from tectogon.solids.body import Body
from tectogon.solids.edges import edges_at

_SQUARE = 1e-4
"""A direction runs along an axis if it is off by less (sine)."""
_BY_HAND = 3
_NEAR = 1e-5
"""Coordinates that differ by less than this share of the part's size are one."""
Triple = tuple[float, float, float]


@dataclass(frozen=True)
class Round:
    """Part of a cylinder, or a circle where a cone begins: the axis it runs along (0 x, 1 y, 2 z), its radius and
    centre (3,), mm, from where to where along the axis, by which angle it turns (radians), whether material lies
    outside, and whether it rounds an edge (tangent to what is beside it); `owners`: the names of its faces."""

    axis: int
    radius: float
    centre: tuple[float, float, float]
    low: float
    high: float
    turned: float
    inside: bool
    is_fillet: bool = False
    owners: frozenset[str] = frozenset()

    @property
    def whole(self) -> bool:
        """Whether it goes all round."""
        return self.turned > TURN - 1e-3


@dataclass(frozen=True)
class Coordinate:
    """A value (mm) along an axis that a drawing must fix, what has it ("face", "centre" or "corner"), and points (3,)
    of the part there; `owners`: the names of the faces that it belongs to, by which it is found again in a changed
    part."""

    axis: int
    value: float
    kind: str
    points: tuple[tuple[float, float, float], ...]
    owners: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Needs:
    """Everything that a drawing of a part must fix. `box` (mm): its extents. `free`: points on faces that no figure
    describes: free curves and surfaces."""

    box: tuple[float, ...]
    coordinates: tuple[Coordinate, ...]
    rounds: tuple[Round, ...]
    free: tuple[tuple[float, float, float], ...]

    def on(self, axis: int) -> list[Coordinate]:
        """The coordinates along an axis, in order."""
        return sorted((c for c in self.coordinates if c.axis == axis), key=lambda c: c.value)


def needs_of(bodies: Sequence[Body], art: Collection[int] = ()) -> Needs:
    """What a drawing of bodies must fix (mm). Of what the steps `art` have laid on faces that is where it begins and
    ends; its outlines are drawn, and no figures describe them."""
    box = measure.joint_bounds([b.shape for b in bodies])
    size = max(b - a for a, b in zip(box[:3], box[3:], strict=True)) or 1.0
    collected = _Collected(size * _NEAR)
    for body in bodies:
        collected.add(body, art)
    return Needs(box, collected.coordinates(), collected.rounds(), tuple(collected.free))


@dataclass(frozen=True)
class _Noted:
    """One thing that has a coordinate."""

    value: float
    kind: str = ""
    point: Triple = (0.0, 0.0, 0.0)
    owners: frozenset[str] = frozenset()


@dataclass
class _Collected:
    tol: float
    noted: tuple[list[_Noted], ...] = field(default_factory=lambda: ([], [], []))
    parts: dict[tuple[float, ...], list[Round]] = field(default_factory=lambda: defaultdict(list))
    free: list[tuple[float, float, float]] = field(default_factory=list)

    def add(self, body: Body, laid: Collection[int] = ()) -> None:
        """What one body has; faces that the steps `laid` have made are art."""
        faces = [measure.surface_facts(f) for f in body.faces]
        names = [n.key for n in body.names]
        along = kernel.faces_along_edges(body.shape)
        edges = [None if measure.is_degenerate(e) else measure.edge_facts(e) for e in body.edges]
        smooth = [e is not None and e.smooth for e in edges_at(body)]
        beside: dict[int, list[int]] = defaultdict(list)
        for n, numbers in enumerate(along):
            for f in numbers:
                beside[f].append(n)
        art = self._laid(body, laid)
        art |= self._art(body, faces, edges, along, art)
        slots = [f["kind"] == "cylinder" and f["turned"] > math.pi * 0.999 for f in faces]
        for n, (face, facts) in enumerate(zip(body.faces, faces, strict=True)):
            tangent = sum(smooth[e] and len(set(along[e])) == 2 for e in beside[n])
            implied = [f for e in beside[n] if smooth[e] for f in along[e] if f != n and slots[f]]
            if len(implied) < 2 and n not in art:
                self._face(face, facts, tangent, frozenset({names[n]}))
        for e, (edge, known) in enumerate(zip(body.edges, edges, strict=True)):
            if known is None or smooth[e] or art.intersection(along[e]):
                continue
            kinds = {faces[f]["kind"] for f in along[e]}
            if known["kind"] == "curved" and not kinds & {"cylinder", "cone", "sphere", "torus"}:
                self.free.append(_triple(measure.edge_ends(edge).mean(axis=0)))
            if known["kind"] == "round" and "cylinder" not in kinds:
                self._circle(known, frozenset(names[f] for f in along[e]))
            if known["kind"] == "straight":
                self._corner(edge, [faces[f] for f in along[e]], frozenset(names[f] for f in along[e]))

    def _laid(self, body: Body, steps: Collection[int]) -> set[int]:
        """The faces that steps have laid on as art; the box of each step's is noted."""
        out: set[int] = set()
        for step in steps:
            mine = {n for n, name in enumerate(body.names) if name.operation == step}
            if not mine:
                continue
            out |= mine
            box = np.array([measure.bounds(body.faces[n]) for n in mine])
            low, high = box[:, :3].min(axis=0), box[:, 3:].max(axis=0)
            middle = (low + high) / 2.0
            owners = frozenset(body.names[n].key for n in mine)
            for axis in range(3):
                for value in (low[axis], high[axis]):
                    at = middle.copy()
                    at[axis] = value
                    self._note(axis, float(value), "corner", at, owners)
        return out

    def _art(
        self,
        body: Body,
        faces: list[dict[str, Any]],
        edges: list[dict[str, Any] | None],
        along: list[list[int]],
        known_art: set[int],
    ) -> set[int]:
        """The faces that stand on outlines which are drawn by hand: with three free curves or more. Each such outline
        is one thing that no figure describes."""
        out: set[int] = set()
        for n, loops in enumerate(kernel.loops_of(body.shape)):
            if faces[n]["kind"] != "flat":
                continue
            for loop in loops:
                known = [edges[e] for e in loop]
                if sum(k is not None and k["kind"] == "curved" for k in known) < _BY_HAND:
                    continue
                beside = {f for e in loop for f in along[e]} - {n} - known_art
                if beside and not beside <= out:
                    self.free.append(measure.middle_of(body.faces[min(beside)]))
                out |= beside
        return out

    def _face(self, face: Any, facts: dict[str, Any], tangent: int, owners: frozenset[str]) -> None:
        if facts["kind"] == "flat":
            axis = _axis(facts["direction"])
            if axis is not None:
                self._note(axis, facts["point"][axis], "face", measure.middle_of(face), owners)
        elif facts["kind"] == "cylinder":
            axis = _axis(facts["direction"])
            box = measure.bounds(face)
            if axis is None:
                self.free.append(_triple(np.array(facts["point"])))
                return
            inside, turned = facts["inside"], facts["turned"]
            is_fillet = tangent >= 2 and turned < math.pi * 0.999
            low, high = box[axis], box[axis + 3]
            self._round(Round(axis, facts["radius"], facts["point"], low, high, turned, inside, is_fillet, owners))
        elif facts["kind"] == "cone":
            axis, box = _axis(facts["direction"]), measure.bounds(face)
            for end in (0, 3) if axis is not None else ():
                self._note(axis or 0, box[(axis or 0) + end], "corner", facts["point"], owners)
        elif facts["kind"] in ("sphere", "torus", "curved"):
            self.free.append(_triple(np.array(measure.middle_of(face))))

    def _circle(self, facts: dict[str, Any], owners: frozenset[str]) -> None:
        """A circle that no cylinder has: where a cone or a ball begins."""
        axis = _axis(facts["direction"])
        if axis is not None:
            turned = facts["length"] / facts["radius"]
            at = facts["point"][axis]
            self._round(Round(axis, facts["radius"], facts["point"], at, at, turned, False, False, owners))
            self._note(axis, at, "corner", facts["point"], owners)

    def _corner(self, edge: Any, faces: list[dict[str, Any]], owners: frozenset[str]) -> None:
        """The corner that a slanted face makes with another: an edge along an axis has two coordinates."""
        if not any(f["kind"] == "flat" and _axis(f["direction"]) is None for f in faces):
            return
        ends = measure.edge_ends(edge)
        for axis in range(3):
            values = ends[:, axis]
            if abs(values[0] - values[1]) <= self.tol:
                self._note(axis, float(values[0]), "corner", ends.mean(axis=0).tolist(), owners)

    def _note(self, axis: int, value: float, kind: str, point: Any, owners: frozenset[str]) -> None:
        self.noted[axis].append(_Noted(value, kind, _triple(np.array(point)), owners))

    def _round(self, one: Round) -> None:
        flat = [round(one.centre[k] / self.tol) * self.tol for k in range(3) if k != one.axis]
        key = (float(one.axis), round(one.radius / self.tol) * self.tol, *flat)
        self.parts[key].append(replace(one, centre=_triple(np.array(one.centre))))

    def rounds(self) -> tuple[Round, ...]:
        """What is round, the pieces of one cylinder as one."""
        out = []
        for parts in self.parts.values():
            first = parts[0]
            low, high = min(p.low for p in parts), max(p.high for p in parts)
            centre = list(first.centre)
            centre[first.axis] = low
            out.append(
                replace(
                    first,
                    centre=_triple(np.array(centre)),
                    low=low,
                    high=high,
                    turned=_turned(parts),
                    is_fillet=all(p.is_fillet for p in parts),
                    owners=frozenset().union(*(p.owners for p in parts)),
                )
            )
        return tuple(out)

    def coordinates(self) -> tuple[Coordinate, ...]:
        """All coordinates that must be fixed, what lies within the tolerance as one."""
        for r in self.rounds():
            if r.is_fillet:
                continue
            for axis in range(3):
                if axis != r.axis:
                    self._note(axis, r.centre[axis], "centre", r.centre, r.owners)
        out = []
        for axis, noted in enumerate(self.noted):
            group: list[_Noted] = []
            for one in [*sorted(noted, key=lambda n: (n.value, n.kind, n.point)), _Noted(math.inf)]:
                if group and one.value - group[-1].value > self.tol:
                    kinds = {n.kind for n in group}
                    kind = next(k for k in ("face", "centre", "corner") if k in kinds)
                    value = next(n.value for n in group if n.kind == kind)
                    owners = frozenset().union(*(n.owners for n in group))
                    out.append(Coordinate(axis, value, kind, tuple(n.point for n in group), owners))
                    group = []
                group.append(one)
        return tuple(out)


def _turned(parts: list[Round]) -> float:
    """By which angle the pieces of one cylinder turn where they turn furthest: those that lie at one height."""
    best = 0.0
    for one in parts:
        middle = (one.low + one.high) / 2.0
        best = max(best, sum(p.turned for p in parts if p.low <= middle <= p.high))
    return min(best, TURN)


def _axis(direction: Sequence[float]) -> int | None:
    """The axis that a direction runs along; None where it runs along none."""
    way = np.abs(np.array(direction))
    k = int(way.argmax())
    return k if float(np.linalg.norm(np.delete(way, k))) <= _SQUARE else None


def _triple(point: FloatArray) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in point)
    return x, y, z
