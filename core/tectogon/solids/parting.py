"""Bodies parted by a tool: what lies inside of it and what lies outside, both kept."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tectogon.curves import CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused, Place
from tectogon.profiles import find_regions
from tectogon.solids import measure, proof
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.kernel import Shape
from tectogon.solids.prism import prism
from tectogon.tolerances import VOLUME_TOL
from tectogon.views import Frame


def parted_by(body: Body, tools: Sequence[NamedShape]) -> list[NamedShape]:
    """The pieces of a body inside and outside of some tools; one where they do not part it. Raises KernelRefused where
    together they are not what it was."""
    whole = NamedShape(body.shape, body.names)
    pieces = [*combine("common", [whole], list(tools)).solids(), *combine("cut", [whole], list(tools)).solids()]
    if len(pieces) < 2:
        return [whole]
    total = sum(p.volume for p in pieces)
    if abs(total - body.volume) > VOLUME_TOL * body.volume:
        raise KernelRefused(
            f"The pieces of {body.name} would have {total:.3f} mm³ together where it has {body.volume:.3f}; they were"
            " not kept."
        )
    for piece in pieces:
        proof.check_valid(piece, Place())
    return pieces


def half_space(shapes: Sequence[Shape], point: FloatArray, normal: FloatArray, step: int) -> NamedShape:
    """A block that holds all of some bodies on the side of a plane to which its normal (3,) points."""
    box = np.array(measure.joint_bounds(list(shapes))).reshape(2, 3)
    size = 4.0 * float(np.abs(box - point).max()) + 10.0
    up = np.eye(3)[int(np.abs(normal).argmin())]
    x = np.cross(up, normal)
    x /= np.linalg.norm(x)
    y = np.cross(normal, x)
    (a, b, c), (d, e, f), (g, h, i) = (v.tolist() for v in (point, x, y))
    corners = [(-size, -size), (size, -size), (size, size), (-size, size)]
    table = CurveTable.of(Line(*corners[n], *corners[(n + 1) % 4]) for n in range(4))
    found = find_regions(table, ("plane",) * 4, join_tol=1e-6)
    return prism(found, found.regions[0], Frame((a, b, c), (d, e, f), (g, h, i)), 0.0, size, step)
