"""Where a part comes to stand by what it shares with another: a flat face on a flat face, an axis on an axis."""

from __future__ import annotations

from typing import Literal

import numpy as np

from tectogon.building.rotations import rotation
from tectogon.curves.affine import FloatArray
from tectogon.errors import BadValue
from tectogon.solids import kernel, measure


def mated(own: kernel.Shape, other: kernel.Shape, how: Literal["faces", "axes"]) -> FloatArray:
    """The motion (3, 4) of a part that lays one of its flat faces on another, looking at it, or one of its round faces'
    axes into another's. Of all such motions the one that turns it least, and moves it only square to the face, or to
    the axis. Raises BadValue where a face is not flat, or not round."""
    if how == "faces":
        mine, theirs = measure.plane_of(own), measure.plane_of(other)
        if mine is None or theirs is None:
            raise BadValue("Both faces must be flat; press two flat faces, or choose axis in axis.")
        (p, n), (q, m) = mine, theirs
        turn = rotation(n, -m)
        return np.column_stack([turn, m * float((q - turn @ p) @ m)])
    facts = [measure.surface_facts(f) for f in (own, other)]
    if any(f["kind"] not in ("cylinder", "cone") for f in facts):
        raise BadValue("Both faces must be round; press two round faces, or choose face on face.")
    (p, d), (q, e) = ((np.array(f["point"]), np.array(f["direction"])) for f in facts)
    e = e if float(d @ e) >= 0.0 else -e
    turn = rotation(d, e)
    off = q - turn @ p
    return np.column_stack([turn, off - e * float(off @ e)])
