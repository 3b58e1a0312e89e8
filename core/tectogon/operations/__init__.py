"""What can be done to a workpiece: one module an operation, all of one shape, in the order in which the interface
offers them.

Glossary
    operation: one recorded step: its name, its parameters, its picks; a pure function Workpiece → Workpiece.
    sentence: an operation in words, its values marked, so that it can be read and edited in place.
    pick: the id of something with a small fingerprint, so that it can be found again on a changed drawing.

Adding an operation is adding a module with an `OPERATION`, and its name in the list below.
"""

from __future__ import annotations

from tectogon.errors import CardUnreadable
from tectogon.formats import format_of
from tectogon.operations import (
    arrange,
    bar,
    bend_reliefs,
    blank_sheet,
    board,
    bridge,
    bring_solid,
    carry,
    combine_bodies,
    combine_profiles,
    corner_flat,
    cut,
    cut_flat,
    dimension,
    draw,
    draw_sheet,
    engrave,
    engrave_flat,
    extrude,
    extrude_levels,
    flange,
    fold,
    from_views,
    guide,
    join_ends,
    lay,
    leave_out,
    line_up,
    loft,
    material,
    mend,
    mirror,
    move,
    name_body,
    name_view,
    offset,
    origin,
    outline,
    part_bodies,
    place_bodies,
    place_part,
    read,
    regularise,
    repeat,
    revolve,
    round_edges,
    scale,
    separate,
    sheet_from_line,
    sheet_metal,
    smooth,
    snap_views,
    split,
    thicken,
    turn,
    turn_view,
)
from tectogon.workpiece.operation import Operation

_ALL = (
    (read, bring_solid, leave_out, scale, move, turn, mirror),
    (mend, bridge, split, smooth, regularise, guide, draw),
    (join_ends, thicken, offset, combine_profiles, separate, repeat),
    (arrange, fold, name_view, line_up, turn_view, origin, snap_views, lay),
    (extrude, cut, revolve, extrude_levels, from_views, loft, carry, engrave, round_edges),
    (combine_bodies, part_bodies, place_bodies, name_body, outline, material),
    (bar, place_part, board),
    (sheet_metal, sheet_from_line, flange, bend_reliefs, blank_sheet, cut_flat, corner_flat, engrave_flat),
    (dimension,),
    (draw_sheet,),
)

OPERATIONS: dict[str, Operation] = {module.OPERATION.name: module.OPERATION for stage in _ALL for module in stage}


def bringing_in(head: bytes) -> str:
    """The operation that brings in a file which begins with these bytes."""
    found = format_of(head)
    return bring_solid.OPERATION.name if found is not None and found.solid else read.OPERATION.name


def operation_named(name: str) -> Operation:
    """Raises CardUnreadable for an operation that is not known."""
    if name not in OPERATIONS:
        raise CardUnreadable(
            f"The card asks for “{name[:60]}”, an operation that is not known here; known are {', '.join(OPERATIONS)}."
        )
    return OPERATIONS[name]
