"""The workpiece: everything the operations before this one have made."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar
from weakref import WeakKeyDictionary

import numpy as np

from tectogon.budget import outermost, within
from tectogon.curves.table import EMPTY, LINE, BoolArray, IntArray
from tectogon.errors import Note, OutOfTime
from tectogon.findings.not_geometry import Aside, find_not_geometry
from tectogon.findings.search import Findings, find_all
from tectogon.formats.result import CurveSet
from tectogon.linework import Linework
from tectogon.linework.evidence import UnitEvidence
from tectogon.profiles import Region, Regions, find_regions
from tectogon.profiles.regions import no_regions
from tectogon.tolerances import resolution
from tectogon.views import Frame, Plane, View, frame_of
from tectogon.views.align import Agreement, agreements_of, shown_of

if TYPE_CHECKING:
    from tectogon.curves import Curve
    from tectogon.solids.body import Body
    from tectogon.workpiece.bend_allowance import Rule


_MOST_OFFERED = 60_000
_SECONDS, _SECONDS_A_CURVE = 12.0, 3e-4
"""Time that finding regions may take: so much, and more for many curves."""
_TOO_MUCH = "Finding what this linework closes takes too long; take a part of the drawing."
_HIDDEN_GAP = 1e-5
"""Ends of dashed lines that are no further apart than this share of the drawing's size count as met."""
_PROPOSALS: WeakKeyDictionary[Linework, tuple[Aside, ...]] = WeakKeyDictionary()
"""What was proposed to be left out of linework that is still there: many drawings share one linework."""


@dataclass(frozen=True, eq=False)
class Drawing:
    """The linework with what was left out of it, and the regions that the rest closes. Lengths in mm."""

    linework: Linework = field(default_factory=Linework)
    left_out: frozenset[str] = frozenset()
    join_tol: float | None = None
    guides: frozenset[str] = frozenset()
    apart: tuple[frozenset[str], ...] = ()
    """Curves, by id, that lie in planes of their own: they bound nothing with those of another plane."""

    @cached_property
    def guiding(self) -> BoolArray:
        """Which curves are guides: drawn as centre lines, or made guides by a step."""
        marked = (
            np.array([key in self.guides for key in self.linework.ids], bool)
            if self.guides
            else np.zeros(len(self.linework), bool)
        )
        return self.linework.is_guide | marked

    @cached_property
    def kept(self) -> BoolArray:
        """Which curves count: on a layer that is on, and not left out."""
        linework = self.linework
        on = np.array([layer.on for layer in linework.layers], bool)
        kept = on[linework.layer_of] if len(on) else np.ones(len(linework), bool)
        if self.left_out:
            kept = kept & np.array([key not in self.left_out for key in linework.ids], bool)
        return kept

    @cached_property
    def proposals(self) -> tuple[Aside, ...]:
        """What is certainly not geometry in the whole drawing, with the reason."""
        found = _PROPOSALS.get(self.linework)
        if found is None:
            found = _PROPOSALS[self.linework] = tuple(find_not_geometry(self.linework))
        return found

    @cached_property
    def set_aside(self) -> BoolArray:
        """Which curves of `bounding` are proposed to be left out: they are not mended, so that a frame is still known
        for one whatever is done first."""
        rows = [rows for _, rows in self.asides]
        return np.isin(self.bounding, np.concatenate(rows) if rows else [])

    @cached_property
    def findings(self) -> Findings:
        """Everything that is wrong with the curves that can bound a profile; rows are those of `bounding`."""
        place = {key: n for n, key in enumerate(self.bounding_ids)} if self.linework.marks else {}
        marks = [(place[m.curve], m.kind, m.size) for m in self.linework.marks if m.curve in place]
        table = self.linework.table.take(self.bounding)
        if self.too_much:
            return find_all(EMPTY)
        found = find_all(
            table, within=self.join_tol, regions=self.regions, offers=len(self.bounding) <= _MOST_OFFERED, marks=marks
        )
        return found.sparing(self.set_aside)

    @property
    def asides(self) -> list[tuple[str, IntArray]]:
        """Rows of what is proposed to be left out, by kind of reason."""
        merged: dict[str, list[IntArray]] = {}
        for aside in self.proposals:
            merged.setdefault(aside.kind, []).append(aside.rows)
        return [(kind, np.concatenate(rows)) for kind, rows in merged.items()]

    @cached_property
    def bounding(self) -> IntArray:
        """Rows of the curves that can bound a profile: kept, neither centre lines nor, unless nearly all lines are,
        dashed ones."""
        kept = self.kept & ~self.guiding
        return np.flatnonzero(kept & ~self.linework.behind(kept))

    @cached_property
    def bounding_ids(self) -> tuple[str, ...]:
        """Ids of the curves of `bounding`."""
        return tuple(map(self.linework.ids.__getitem__, self.bounding.tolist()))

    @cached_property
    def tolerance(self) -> float:
        """The joining distance in force: the chosen one, never below the resolution."""
        size = self.linework.table.take(self.bounding).size if len(self.bounding) else 0.0
        return max(self.join_tol or 0.0, resolution(size))

    @property
    def hidden_tolerance(self) -> float:
        """The joining distance of dashed lines (mm)."""
        return max(self.tolerance, _HIDDEN_GAP * self.linework.size)

    @property
    def _closing(self) -> tuple[Regions, str]:
        """The regions; none, with the sentence why, where finding them took too long. That is kept for as long as the
        work goes on in which it did, and then tried anew."""
        kept: Regions | None = self.__dict__.get("_closed")
        clock, given_up = self.__dict__.get("_given_up", (None, None))
        if kept is not None:
            return kept, ""
        if given_up is not None and clock is outermost():
            return given_up
        try:
            seconds = _SECONDS + _SECONDS_A_CURVE * len(self.bounding)
            closed = within(seconds, _TOO_MUCH, lambda: self._closed_by(self.bounding, self.tolerance))
        except OutOfTime as problem:
            nothing = no_regions(self.bounding_ids, join_tol=self.tolerance), problem.sentence
            self.__dict__["_given_up"] = outermost(), nothing
            return nothing
        self.__dict__["_closed"] = closed
        return closed, ""

    def __getstate__(self) -> dict[str, Any]:
        return {name: value for name, value in self.__dict__.items() if name != "_given_up"}

    @property
    def regions(self) -> Regions:
        """What the curves of `bounding` close; none where there is too much to look at (`too_much` says why)."""
        return self._closing[0]

    @property
    def too_much(self) -> str:
        """Why no regions could be looked for; empty where they were."""
        return self._closing[1]

    @cached_property
    def behind(self) -> Regions:
        """What dashed lines alone close: holes and pockets that lie on the far side of a view. Dashed lines are not
        mended, so more is let pass."""
        rows = np.flatnonzero(self.linework.behind(self.kept & ~self.guiding))
        return self._closed_by(rows, self.hidden_tolerance)

    @cached_property
    def together(self) -> Regions:
        """What solid and dashed lines close together: pockets that are dashed on three sides and open at the fourth."""
        rows = np.flatnonzero(self.kept & ~self.guiding)
        return self._closed_by(rows, self.hidden_tolerance)

    @cached_property
    def parted(self) -> Regions:
        """What solid lines and lines drawn as centre lines close together: the half of a turned part over its axis.
        Those part though they were left out with all that is no geometry; what was made a guide by a step bounds
        nothing."""
        on = np.array([layer.on for layer in self.linework.layers], bool)[self.linework.layer_of]
        parting = on & self.linework.is_guide & (self.linework.table.kind == LINE)
        rows = np.union1d(self.bounding, np.flatnonzero(parting))
        return self._closed_by(rows, self.hidden_tolerance)

    def _closed_by(self, rows: IntArray, tolerance: float) -> Regions:
        ids = tuple(map(self.linework.ids.__getitem__, rows.tolist()))
        return find_regions(self.linework.table.take(rows), ids, join_tol=tolerance, planes=self.planes_of(rows))

    def planes_of(self, rows: IntArray) -> IntArray | None:
        """A number for the plane that each of some curves lies in, 0 for all that lie in none; None where all do."""
        if not self.apart:
            return None
        number = {key: n + 1 for n, curves in enumerate(self.apart) for key in curves}
        return np.array([number.get(self.linework.ids[row], 0) for row in rows.tolist()], np.int64)

    @property
    def all_regions(self) -> Iterator[Regions]:
        """The regions that solid lines close; where lines are dashed those behind and those of both together, and
        those that centre lines part."""
        yield self.regions
        if self.linework.is_hidden.any():
            yield self.behind
            yield self.together
        if self.linework.is_guide.any():
            yield self.parted

    def regions_of(self, region: Region) -> Regions:
        """The regions that one is among. One id may stand for several, with other holes where other lines count."""
        return next((some for some in self.all_regions if some.holds(region)), self.regions)


@dataclass(frozen=True)
class Source:
    """A file brought in: its name, the hash of its bytes, what it was read as, and how sure its unit is."""

    name: str
    sha256: str
    format: str
    version: str
    unit: str
    evidence: UnitEvidence
    step: int = 0
    """The number of the step that read it: what the ids of its curves begin with."""
    chosen: bool = False
    """Whether somebody has said the unit."""
    curve_sets: tuple[CurveSet, ...] = ()
    pages: int = 1
    options: tuple[str, ...] = ()
    """The fields of `ReadOptions` that could have made a difference."""


@dataclass(frozen=True)
class Material:
    """A material and its density in g/cm³."""

    name: str
    density: float


@dataclass(frozen=True, eq=False)
class SheetMetal:
    """Which body is sheet, by its key; how its bends are allowed for, the inner radius (mm) of sharp corners (none: the
    thickness), and a point (mm) of the face that stays where it is. What was found: its thickness (mm) and the inner
    radius of each bend. `marks`: what is engraved on the blank, in its plane."""

    body: str
    rule: Rule
    radius: float | None
    stays: tuple[float, float, float]
    thickness: float
    bent: tuple[float, ...]
    marks: tuple[Curve, ...] = ()


FIRST_SHEET = ""
"""The name of the sheet that every part has; all others are named by the step that begins them."""


@dataclass(frozen=True, eq=False)
class Sheet:
    """A sheet of its own: its linework, the files it came from, and the views and planes that parts of it lie in."""

    name: str = FIRST_SHEET
    drawing: Drawing = field(default_factory=Drawing)
    sources: tuple[Source, ...] = ()
    views: tuple[View, ...] = ()
    planes: tuple[Plane, ...] = ()


@dataclass(frozen=True, eq=False)
class Workpiece:
    """Immutable; operations give a new one. A workpiece has one or more sheets and the bodies made from them. One sheet
    is in hand, and `drawing`, `sources`, `views` and `planes` are that sheet's; an operation never sees another.
    `drawing` is shared between workpieces that do not change it."""

    drawing: Drawing = field(default_factory=Drawing)
    sources: tuple[Source, ...] = ()
    views: tuple[View, ...] = ()
    planes: tuple[Plane, ...] = ()
    """Where linework lies that is no view: on faces, and free in space."""
    bodies: tuple[Body, ...] = ()
    material: Material | None = None
    materials: Mapping[str, Material] = field(default_factory=dict)
    """What single bodies are made of, by their keys, where that is not the material of the part."""
    sheet_metal: SheetMetal | None = None
    """How the body that is sheet unfolds; none where none is."""
    art: frozenset[int] = frozenset()
    """The steps that laid art on a face: a drawing gives its size and place, not its outlines."""
    notes: tuple[Note, ...] = ()
    as_steps: tuple[tuple[str, Mapping[str, Any]], ...] = ()
    """The ordinary operations, kind and values, that the last step is recorded as where it stands for several."""
    sheet: str = FIRST_SHEET
    """The sheet in hand."""
    sheet_names: tuple[str, ...] = (FIRST_SHEET,)
    """All sheets, in the order in which they were begun."""
    put_by: tuple[Sheet, ...] = ()
    """The sheets that are not in hand."""

    def material_of(self, body: Body) -> Material | None:
        """What a body is made of; pieces of one are made of what it was."""
        key = body.key
        while key:
            if key in self.materials:
                return self.materials[key]
            key = key.rpartition("/")[0]
        return self.material

    def on_sheet(self, name: str) -> Workpiece:
        """The same workpiece with this sheet in hand; an empty one where there was none of the name."""
        if name == self.sheet:
            return self
        mine = Sheet(self.sheet, self.drawing, self.sources, self.views, self.planes)
        taken = next((s for s in self.put_by if s.name == name), Sheet(name))
        return replace(
            self,
            drawing=taken.drawing,
            sources=taken.sources,
            views=taken.views,
            planes=taken.planes,
            sheet=name,
            sheet_names=self.sheet_names if name in self.sheet_names else (*self.sheet_names, name),
            put_by=(*(s for s in self.put_by if s.name != name), mine),
        )

    @property
    def on_each_sheet(self) -> list[Workpiece]:
        """The workpiece with each of its sheets in hand, in order."""
        return [self.on_sheet(name) for name in self.sheet_names]

    @property
    def drawings(self) -> dict[str, Drawing]:
        """The drawing of each sheet, by name."""
        return {self.sheet: self.drawing, **{s.name: s.drawing for s in self.put_by}}

    def with_drawings(self, drawings: Mapping[str, Drawing]) -> Workpiece:
        """The workpiece with other drawings on its sheets, by name; the inverse of `drawings`."""
        put_by = tuple(replace(s, drawing=drawings[s.name]) for s in self.put_by)
        return replace(self, drawing=drawings[self.sheet], put_by=put_by)

    @cached_property
    def agreements(self) -> list[Agreement]:
        """How well the folded views agree along the axes they share."""
        linework = self.drawing.linework
        found = [shown_of(v, linework) for v in self.views]
        return agreements_of(linework.table, [f for f in found if len(f.rows)])

    def with_notes(self, *notes: Note) -> Workpiece:
        """The workpiece with more to be said."""
        return replace(self, notes=(*self.notes, *notes))

    def view_of(self, region: Region) -> View | None:
        """The view that holds most of a region's outline, if any was folded."""
        return _holding(self.views, self.drawing.regions_of(region).curves_of(region.outer))

    def frame_of(self, region: Region) -> Frame:
        """Where a region lies in space: in its plane or its view's, else flat on the ground as seen from the top."""
        return self.frame_of_curves(self.drawing.regions_of(region).curves_of(region.outer))

    def frame_of_curves(self, curves: Sequence[str]) -> Frame:
        """Where curves lie in space, as `frame_of`."""
        holds = _holding(self.planes, curves) or _holding(self.views, curves)
        return holds.frame if holds else frame_of("top")


Holding = TypeVar("Holding", View, Plane)


def _holding(among: tuple[Holding, ...], curves: Sequence[str]) -> Holding | None:
    """The one that holds most of some curves; None where none holds any."""
    best = max(among, key=lambda one: len(one.curves.intersection(curves)), default=None)
    return best if best is not None and best.curves.intersection(curves) else None
