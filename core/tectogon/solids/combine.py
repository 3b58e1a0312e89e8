"""Bodies joined, cut and intersected in one call with a list of tools, their face names carried through."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain

from tectogon.errors import KernelRefused
from tectogon.solids import kernel
from tectogon.solids.body import FaceName, NamedShape
from tectogon.solids.kernel import Shape

_KINDS: dict[str, Any] = {"join": BRepAlgoAPI_Fuse, "cut": BRepAlgoAPI_Cut, "common": BRepAlgoAPI_Common}


def combine(kind: str, bodies: list[NamedShape], tools: list[NamedShape]) -> NamedShape:
    """`bodies` with `tools` joined to, cut from or made common with them; faces that continue each other become one.

    Never one after another (200 cuts: 15 s against 1 s), never a compound of overlapping tools (gives wrong results
    that pass for right).
    Raises KernelRefused when the kernel gives nothing.
    """
    return unified(built(_KINDS[kind](), bodies, tools, "combine"))


def built(builder: Any, bodies: Sequence[NamedShape], tools: Sequence[NamedShape], what: str) -> NamedShape:
    """What one of the kernel's builders makes of bodies and tools, face names carried through; `what` it does, for the
    sentence. Raises KernelRefused when the kernel gives nothing."""
    builder.SetArguments(kernel.list_of(b.shape for b in bodies))
    builder.SetTools(kernel.list_of(t.shape for t in tools))
    builder.SetToFillHistory(True)
    with kernel.refusals(f"The solid kernel could not {what} these bodies."):
        builder.Build()
    if not builder.IsDone():
        raise KernelRefused(f"The solid kernel could not {what} these bodies.")
    pairs = [pair for named in [*bodies, *tools] for pair in named.pairs()]
    return NamedShape.of(builder.Shape(), carried(pairs, builder))


def carried(pairs: list[tuple[Shape, FaceName]], history: Any) -> list[tuple[Shape, FaceName]]:
    """What became of named faces, by the kernel's own history."""
    out: list[tuple[Shape, FaceName]] = []
    for face, name in pairs:
        changed = kernel.each(history.Modified(face))
        out += [(f, name) for f in changed] if changed else [(face, name)]
    return out


def unified(named: NamedShape) -> NamedShape:
    """Neighbouring faces on one surface, and edges on one curve, made one."""
    unify = ShapeUpgrade_UnifySameDomain(named.shape, True, True, False)
    unify.Build()
    return NamedShape.of(unify.Shape(), carried(named.pairs(), unify.History()))
