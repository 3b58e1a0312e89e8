"""A part in layers: along one axis, between drawn heights, what the view that looks along it shows to hold anything.

Outlines put through each other and cut make faces that touch each other tangentially, where a round stands on a box
say, and the kernel loses cuts there. Layers stand on each other by level faces alone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tectogon.curves.table import BoolArray
from tectogon.profiles import Region, Regions, find_regions
from tectogon.profiles.shapes import boundary, combined
from tectogon.reconstruction.cells import AIR, Cells
from tectogon.reconstruction.depths import Seen, heights_of
from tectogon.reconstruction.prisms import ViewOfCells
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.workpiece.profile_picks import pick_of


@dataclass(frozen=True)
class Layer:
    """Regions of a view, raised from one height over its plane to another (mm)."""

    seen: Seen
    regions: Regions
    parts: tuple[Region, ...]
    low: float
    high: float

    def tools(self, number: int) -> list[NamedShape]:
        """The layer as solids made by step `number`, side by side. Raises KernelRefused."""
        table = combined(
            boundary(self.regions, self.parts[0]),
            [boundary(self.regions, r) for r in self.parts[1:]],
            "unite",
            join_tol=self.seen.tol,
        )
        whole = find_regions(table, tuple(map(str, range(len(table)))), join_tol=self.seen.tol)
        frame = self.seen.view.frame
        return [prism(whole, r, frame, self.low, self.high, number) for r in whole.profiles]

    def steps(self, *, first: bool) -> list[tuple[str, dict[str, Any]]]:
        """The layer as operations of their own: joined to what is there, the first region as a new body if it is the
        first layer."""
        groups = [("new", self.parts[:1]), ("join", self.parts[1:])] if first else [("join", self.parts)]
        return [
            (
                "extrude",
                {
                    "profiles": {
                        "rule": "picked",
                        "picks": [pick_of(self.regions, r).model_dump(mode="json") for r in some],
                    },
                    "length": self.high - self.low,
                    "start": self.low,
                    "result": result,
                },
            )
            for result, some in groups
            if some
        ]


def layers_of(cells: Cells, full: BoolArray) -> tuple[list[Layer], BoolArray]:
    """The layers along the axis in which they hold least beside the full cells; and which samples with a width lie in
    them."""
    inner = [np.flatnonzero(s.width > 0.0) for s in cells.samples]
    of = cells.of[np.ix_(*inner)]
    is_full = np.where(of == AIR, False, full[of])
    x, y, z = (s.width[i] for s, i in zip(cells.samples, inner, strict=True))
    whole = x[:, None, None] * y[None, :, None] * z[None, None, :]
    found = []
    for a in cells.atoms:
        view = ViewOfCells(cells, a, is_full)
        held = np.flatnonzero(~view.clear.ravel())
        within = np.isin(view.key, held)
        found.append((float(whole[within].sum()), view, within))
    _, view, within = min(found, key=lambda one: one[0])
    return _layers(cells, view), within


def _layers(cells: Cells, view: ViewOfCells) -> list[Layer]:
    held = ~view.clear
    levels = cells.samples[view.axis].levels
    s, regions = view.atoms.seen, view.atoms.regions
    starts = [k for k in range(view.slabs) if k == 0 or (held[:, k] != held[:, k - 1]).any()]
    out = []
    for a, b in zip(starts, [*starts[1:], view.slabs], strict=True):
        atoms = np.flatnonzero(held[:, a])
        if len(atoms):
            low, high = heights_of(s.view, s.axis, float(levels[a]), float(levels[b]))
            parts = tuple(regions.regions[n] for n in atoms.tolist())
            out.append(Layer(s, regions, parts, low, high))
    return out


def stacked(layers: Sequence[Layer], number: int) -> NamedShape:
    """The layers as one solid, made by step `number`. Raises KernelRefused."""
    tools = [tool for layer in layers for tool in layer.tools(number)]
    return tools[0] if len(tools) == 1 else combine("join", tools[:1], tools[1:])
