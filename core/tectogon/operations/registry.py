"""All kinds of operation, in the order in which the interface offers them."""

from __future__ import annotations

from tectogon.errors import CardUnreadable
from tectogon.operations import (
    arrange,
    bridge,
    combine_profiles,
    cut,
    draw,
    extrude,
    fold,
    from_views,
    guide,
    join_ends,
    lay,
    leave_out,
    levels,
    line_up,
    material,
    mend,
    mirror,
    move,
    name_view,
    offset,
    origin,
    outline,
    part,
    read,
    repeat,
    right_view,
    scale,
    smooth,
    snap_views,
    split,
    thicken,
    true_up,
    turn,
)
from tectogon.operations.kind import Kind

_ALL = (
    (read, leave_out, scale, move, turn, mirror),
    (mend, bridge, split, smooth, true_up, guide, draw),
    (join_ends, thicken, offset, combine_profiles, part, repeat),
    (arrange, fold, name_view, line_up, right_view, origin, snap_views, lay),
    (extrude, cut, levels, from_views, outline, material),
)

KINDS: dict[str, Kind] = {module.KIND.name: module.KIND for stage in _ALL for module in stage}


def kind_named(name: str) -> Kind:
    """Raises CardUnreadable for a kind that is not known."""
    if name not in KINDS:
        raise CardUnreadable(f"The card asks for “{name[:60]}”, an operation that is not known here; known are {', '.join(KINDS)}.")
    return KINDS[name]
