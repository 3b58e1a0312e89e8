"""Linework as a coordinate table: each chain a block of rows under its title, points within a chord tolerance."""

from __future__ import annotations

from tectogon.errors import BadValue, NothingToBuild
from tectogon.linework import Linework
from tectogon.profiles.chains import find_chains, points_along
from tectogon.tolerances import resolution


def linework_as_coordinates(linework: Linework, *, chord_tol: float = 0.01) -> bytes:
    """Two columns, x and y in mm, blocks parted by empty lines; a closed curve repeats its first point at its end.

    Raises NothingToBuild on an empty drawing, BadValue for a chord tolerance that is no positive length.
    """
    if not len(linework):
        raise NothingToBuild("There is no linework to write.")
    if not 1e-6 <= chord_tol <= 1e3:
        raise BadValue("The chord tolerance must lie between 0.000001 and 1000 mm.")
    out = []
    for number, chain in enumerate(find_chains(linework.table, join_tol=resolution(linework.size)), 1):
        points = points_along(linework.table, chain, chord_tol).tolist()
        layer = linework.layers[int(linework.layer_of[int(chain.rows[0])])].name
        name = " ".join(layer.split())[:60]
        out.append(f"curve {number} of layer {name}, {'closed' if chain.closed else 'open'}")
        out += [f"{x:.6f} {y:.6f}" for x, y in (points + points[:1] if chain.closed else points)]
        out.append("")
    return "\n".join(out).encode()
