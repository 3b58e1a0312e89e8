"""A plate out of one view, where the sheet states how thick it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from tectogon.building.extrusion import extrusions
from tectogon.errors import Note, NothingToBuild, Place
from tectogon.profiles import Region
from tectogon.solids.body import Body
from tectogon.solids.features import with_features
from tectogon.units import show_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.profile_picks import pick_of

_OUTSIDE = 0.02
"""Lines beside the view are told of where they are longer than this share of its own."""


@dataclass(frozen=True)
class Plate:
    """The material regions of the view, how thick they are raised (mm), and what is to be said of it: one note that
    says what it is, and one for each thing that one view leaves open."""

    thickness: float
    regions: tuple[Region, ...]
    notes: tuple[Note, ...]

    @property
    def certain(self) -> bool:
        """Whether nothing of the view is left open."""
        return len(self.notes) == 1

    def bodies(self, workpiece: Workpiece, number: int) -> tuple[Body, ...]:
        """The bodies of a workpiece with the plate as made by step `number`. Raises KernelRefused."""
        spans = [(0.0, self.thickness)] * len(self.regions)
        return with_features(workpiece.bodies, extrusions(workpiece, self.regions, spans, number), "new", None, number)

    def step(self, workpiece: Workpiece) -> tuple[str, dict[str, Any]]:
        """The plate as an ordinary operation."""
        picks = [pick_of(workpiece.drawing.regions, region).model_dump(mode="json") for region in self.regions]
        profiles = {"rule": "picked", "picks": picks}
        return "extrude", {"profiles": profiles, "length": self.thickness, "result": "new"}


def plate_of(workpiece: Workpiece, stated: list[tuple[float, str]]) -> Plate | None:
    """The plate that the only view of a sheet is, by the thickness that the sheet states (mm, with the words); None
    where there are more views. Raises NothingToBuild where no thickness is stated, several are, or nothing closes."""
    if len(workpiece.views) != 1:
        return None
    view, drawing = workpiece.views[0], workpiece.drawing
    if len(stated) != 1:
        told = " and ".join(f"{show_length(value)} (“{words}”)" for value, words in stated)
        raise NothingToBuild(
            f"One view does not give a part, and the sheet states more than one thickness: {told}. Extrude the"
            " profile by"
            " the one that is meant."
            if stated
            else "Two views or more are wanted to build a part from, or a thickness that the sheet states; fold another"
            " view, or extrude a profile by a length."
        )
    ((thickness, words),) = stated
    found = drawing.regions
    mine = tuple(r for r in found.profiles if view.curves.issuperset(found.curves_of(r.outer)))
    if not mine:
        raise NothingToBuild(f"The {view.name} view closes no outline. Mend it in Tidy first.")
    notes = [
        Note(
            "part_plate", f"One view, and the sheet says “{words}”: a plate, {show_length(thickness)} thick.", good=True
        )
    ]
    ids = drawing.linework.ids
    dashed = [ids[row] for row in np.flatnonzero(drawing.linework.is_hidden & drawing.kept).tolist()]
    behind = tuple(key for key in dashed if key in view.curves)
    if behind:
        notes.append(
            Note(
                "part_behind",
                "Dashed lines of this view show something whose depth one view does not give.",
                Place(behind[:200]),
            )
        )
    lengths, counts = drawing.linework.table.lengths, drawing.kept & ~drawing.guiding
    inside = np.array([key in view.curves for key in ids], bool)
    if lengths[counts & ~inside].sum() > _OUTSIDE * lengths[counts & inside].sum():
        outside = tuple(ids[row] for row in np.flatnonzero(counts & ~inside)[:200].tolist())
        notes.append(Note("part_outside", "Lines beside this view are not part of the plate.", Place(outside)))
    loose = tuple(key for key in (found.curve_ids[row] for row in found.open_rows.tolist()) if key in view.curves)
    if loose:
        notes.append(
            Note("part_loose", "Lines of this view bound nothing and are not part of the plate.", Place(loose[:200]))
        )
    edges = np.concatenate([ring.rows for r in mine for ring in (r.outer, *r.holes)])
    if len(np.unique(edges)) < len(edges):
        notes.append(
            Note(
                "part_parted",
                "Lines run across the plate from edge to edge: a step, a bend or a mark; one view does not say.",
            )
        )
    return Plate(thickness, mine, tuple(notes))
