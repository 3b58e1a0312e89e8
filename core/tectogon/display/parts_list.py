"""The parts list: what the bodies are counted as, how many of each, of what size and mass."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any

from tectogon.display.table_cells import plain_cell
from tectogon.solids import measure
from tectogon.solids.body import Body, Item
from tectogon.units import show_sizes
from tectogon.workpiece.model import Workpiece

_ALIKE = 6
"""Volumes are alike where they agree to so many digits."""
CHANGED = "changed here"


@dataclass(frozen=True)
class ListRow:
    """One item: its number on the drawing, from 1; how many; name, issue and size as people read them; material, and
    mass (g) of one and of all, none where a density is not known; the keys of its bodies."""

    number: int
    count: int
    name: str
    issue: str
    size: str
    material: str
    mass_each: float | None
    mass: float | None
    bodies: tuple[str, ...]


def parts_list(workpiece: Workpiece) -> list[ListRow]:
    """Parts of the shelf and bars by what they are, one and one alike together, changed ones apart; every other body by
    itself. In the order in which they came."""
    copies: dict[str, list[Body]] = {}
    for body in workpiece.bodies:
        copies.setdefault(body.item.copy if body.item else body.key, []).append(body)
    alike: dict[tuple[object, ...], list[list[Body]]] = {}
    for key, bodies in copies.items():
        item = bodies[0].item
        facts = tuple((_material(workpiece, b), f"{b.volume:.{_ALIKE}g}") for b in bodies)
        alike.setdefault((item.name, item.issue, item.size, facts) if item else (key,), []).append(bodies)
    return [_row(workpiece, n, some) for n, some in enumerate(alike.values(), 1)]


def _row(workpiece: Workpiece, number: int, copies: list[list[Body]]) -> ListRow:
    first = copies[0]
    item = first[0].item
    masses = [_mass(workpiece, b) for b in first]
    each = None if None in masses else sum(m for m in masses if m is not None)
    return ListRow(
        number,
        len(copies),
        item.name if item else first[0].name,
        item.issue + (f", {CHANGED}" if _changed(first, item) else "") if item else "",
        item.size if item else _extents(first[0]),
        " and ".join(dict.fromkeys(m for m in (_material(workpiece, b) for b in first) if m)),
        each,
        None if each is None else each * len(copies),
        tuple(b.key for bodies in copies for b in bodies),
    )


def _changed(bodies: list[Body], item: Item) -> bool:
    return any(b.item is None or abs(b.volume - b.item.volume) > 10**-_ALIKE * item.volume for b in bodies)


def _material(workpiece: Workpiece, body: Body) -> str:
    material = workpiece.material_of(body)
    return material.name if material else ""


def _mass(workpiece: Workpiece, body: Body) -> float | None:
    material = workpiece.material_of(body)
    return body.volume / 1000.0 * material.density if material else None


def _extents(body: Body) -> str:
    box = measure.bounds(body.shape)
    return show_sizes(box[k + 3] - box[k] for k in range(3))


def list_told(rows: list[ListRow]) -> list[dict[str, Any]]:
    """As plain data for a screen."""
    return [
        {
            "number": r.number,
            "count": r.count,
            "name": r.name,
            "issue": r.issue,
            "size": r.size,
            "material": r.material or None,
            "mass_each_g": r.mass_each,
            "mass_g": r.mass,
            "bodies": list(r.bodies),
        }
        for r in rows
    ]


def list_csv(rows: list[ListRow]) -> bytes:
    """As a table for other programs, UTF-8: masses in grams."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(("item", "count", "name", "issue", "size", "material", "mass each g", "mass g"))
    for r in rows:
        masses = ("" if m is None else f"{m:.3f}" for m in (r.mass_each, r.mass))
        table.writerow((r.number, r.count, *map(plain_cell, (r.name, r.issue, r.size, r.material)), *masses))
    return out.getvalue().encode("utf-8-sig")
