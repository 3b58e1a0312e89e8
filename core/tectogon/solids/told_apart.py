"""Solids parted by others, and each piece told by a point inside it: what the kernel's own cut and common part rightly
but, where two solids nearly coincide, may take for the wrong side."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BRepAlgoAPI import BRepAlgoAPI_Splitter

from tectogon.errors import KernelRefused, Place
from tectogon.solids import proof
from tectogon.solids.body import NamedShape
from tectogon.solids.combine import built, unified
from tectogon.solids.mesh import point_inside
from tectogon.tolerances import VOLUME_TOL


def within_and_without(
    some: Sequence[NamedShape], others: Sequence[NamedShape]
) -> tuple[list[NamedShape], list[NamedShape]]:
    """The pieces of some solids that lie within any of others, and those that lie without.

    Raises KernelRefused where the pieces do not add up to what was parted, or one is sound on neither side.
    """
    pieces = built(BRepAlgoAPI_Splitter(), some, others, "part").solids()
    whole = sum(s.volume for s in some)
    if abs(sum(p.volume for p in pieces) - whole) > VOLUME_TOL * whole:
        raise KernelRefused("The solid kernel lost some of these bodies as it parted them; nothing was kept.")
    holds = [proof.Inside(s.shape) for s in others]
    within: list[NamedShape] = []
    without: list[NamedShape] = []
    for piece in pieces:
        point = point_inside(piece.shape)
        places = [held(point) for held in holds]
        if None in places and True not in places:
            raise KernelRefused("Two faces lie too near to each other to be told apart here.", Place(point=point))
        (within if True in places else without).append(unified(piece))
    return within, without
