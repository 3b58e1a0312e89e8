"""All kinds of operation, in the order in which the interface offers them."""

from __future__ import annotations

from tectogon.errors import CardUnreadable
from tectogon.operations import cut, extrude, fold, join_ends, lay, leave_out, material, mend, mirror, move, read, scale, turn
from tectogon.operations.kind import Kind

KINDS: dict[str, Kind] = {kind.name: kind for kind in (
    read.KIND, leave_out.KIND, scale.KIND, move.KIND, turn.KIND, mirror.KIND, mend.KIND, join_ends.KIND, fold.KIND, lay.KIND, extrude.KIND, cut.KIND, material.KIND,
)}  # fmt: skip


def kind_named(name: str) -> Kind:
    """Raises CardUnreadable for a kind that is not known."""
    if name not in KINDS:
        raise CardUnreadable(f"The card asks for “{name[:60]}”, an operation that is not known here; known are {', '.join(KINDS)}.")
    return KINDS[name]
