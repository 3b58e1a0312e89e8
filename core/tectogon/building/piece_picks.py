"""Edges of bodies that were pressed, found again."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from tectogon.errors import BadValue
from tectogon.workpiece.parameters import EndPick

if TYPE_CHECKING:
    from tectogon.solids.body import Body


def edges_picked(bodies: Sequence[Body], pieces: Sequence[EndPick]) -> dict[str, list[int]]:
    """The numbers of edges by the key of their body; a face stands for all edges round it. Raises PickGone for what is
    no longer there, BadValue for a point of the sheet."""
    from tectogon.solids import kernel
    from tectogon.solids.picking import find_edge, find_face

    out: dict[str, list[int]] = {}
    for pick in pieces:
        if pick.edge is not None:
            body, number = find_edge(bodies, pick.edge.faces, pick.edge.point)
            out.setdefault(body.key, []).append(number)
        elif pick.face is not None:
            f = pick.face
            face = find_face(bodies, f.name, body=f.body, beside=f.beside, normal=f.normal, point=f.point)
            along = kernel.faces_along_edges(face.body.shape)
            out.setdefault(face.body.key, []).extend(n for n, some in enumerate(along) if face.number in some)
        else:
            raise BadValue("A point of the sheet is no edge; press edges or faces on the part.")
    return out
