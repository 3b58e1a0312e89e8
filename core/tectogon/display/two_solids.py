"""Two states of a part held against each other as solids: what both have, what only the one, what only the other."""

from __future__ import annotations

from typing import Literal

from tectogon.errors import KernelRefused, NothingToBuild
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.tolerances import VOLUME_TOL
from tectogon.workpiece.model import Workpiece

SHARES = {"common": "in both", "then": "only then", "now": "only now"}
_SLIVER = 1e-7
"""What is smaller than so much of the whole is a rounding of the kernel."""


def two_solids(then: Workpiece, now: Workpiece) -> Workpiece:
    """Bodies named by `SHARES`, their keys beginning with its codes. What both have and what only one has must add up
    to that one's volume.

    Raises NothingToBuild where one of the two has no body, KernelRefused where they do not add up.
    """
    before, after = ([b.named for b in one.bodies] for one in (then, now))
    if not before or not after:
        raise NothingToBuild(f"There was no body {'then' if not before else 'now'}: nothing to hold against the other.")
    common = _combined("common", before, after)
    only_then, only_now = _combined("cut", before, after), _combined("cut", after, before)
    shared = sum(s.volume for s in common)
    for bodies, rest in ((then.bodies, only_then), (now.bodies, only_now)):
        whole = sum(b.volume for b in bodies)
        if abs(shared + sum(s.volume for s in rest) - whole) > 10.0 * VOLUME_TOL * whole:
            raise KernelRefused("The solid kernel could not tell what these two have in common; nothing is shown.")
    held = [
        Body.of(f"{share}:{n}", SHARES[share] + (f", piece {n}" if len(solids) > 1 else ""), solid)
        for share, solids in (("common", common), ("then", only_then), ("now", only_now))
        for n, solid in enumerate(solids, 1)
    ]
    return Workpiece(bodies=tuple(held), material=now.material)


def _combined(how: Literal["common", "cut"], some: list[NamedShape], others: list[NamedShape]) -> list[NamedShape]:
    whole = sum(s.volume for s in some)
    return [s for s in combine(how, some, others).solids() if s.volume > _SLIVER * whole]
