"""Two states of a part held against each other as solids: what both have, what only the one, what only the other."""

from __future__ import annotations

from tectogon.errors import KernelRefused, NothingToBuild
from tectogon.solids.body import Body
from tectogon.solids.told_apart import within_and_without
from tectogon.tolerances import VOLUME_TOL
from tectogon.workpiece.model import Workpiece

SHARES = {"common": "in both", "then": "only then", "now": "only now"}
_SLIVER = 1e-7
"""What is smaller than so much of the whole is a rounding of the kernel."""


def two_solids(then: Workpiece, now: Workpiece) -> Workpiece:
    """Bodies named by `SHARES`, their keys beginning with its codes. What both have must be the
    same whichever of the two it is taken from.

    Raises NothingToBuild where one of the two has no body, KernelRefused where that can't be told.
    """
    before, after = ([b.named for b in one.bodies] for one in (then, now))
    if not before or not after:
        raise NothingToBuild(f"There was no body {'then' if not before else 'now'}: nothing to hold against the other.")
    common, only_then = within_and_without(before, after)
    again, only_now = within_and_without(after, before)
    shared, shared_now = (sum(s.volume for s in some) for some in (common, again))
    if abs(shared - shared_now) > 10.0 * VOLUME_TOL * max(shared, shared_now):
        raise KernelRefused("The solid kernel could not tell what these two have in common; nothing is shown.")
    whole = max(sum(s.volume for s in some) for some in (before, after))
    held = [
        Body.of(f"{share}:{n}", SHARES[share] + (f", piece {n}" if len(solids) > 1 else ""), solid)
        for share, solids in (("common", common), ("then", only_then), ("now", only_now))
        for n, solid in enumerate(solids, 1)
        if solid.volume > _SLIVER * whole
    ]
    return Workpiece(bodies=tuple(held), material=now.material)
