"""Mass, centroid and moments of inertia of bodies. mm, g/cm³, g, g·mm².

The kernel integrates each body; what it finds is held against the body's own volume, which is proven, and integrated
span by span, then over a fine mesh, where it differs. Bodies are put together by the parallel axis theorem.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps

from tectogon.curves.affine import FloatArray
from tectogon.errors import NothingToBuild
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.solids.mesh import mesh_of

_AGREES, _SPANS = 1e-6, 1e-9
_MM3 = 1e-3
"""A mm³ in cm³."""
_CHORD, _ANGLE = 1e-4, 0.05
"""A mesh that stands in: how far off at most, as a share of the body's size, and in radians."""


@dataclass(frozen=True, eq=False)
class Weights:
    """Mass (g), centroid (3,) mm, and the moments of inertia (3, 3) about axes through it, g·mm²."""

    mass: float
    centroid: FloatArray
    inertia: FloatArray

    @property
    def principal(self) -> list[float]:
        """The principal moments of inertia, the least first, g·mm²."""
        return sorted(float(v) for v in np.linalg.eigvalsh(self.inertia))


def weights_of(bodies: Sequence[Body], densities: Sequence[float]) -> Weights:
    """What bodies of these densities (g/cm³) weigh together, and how they turn. Raises NothingToBuild for none."""
    if not bodies:
        raise NothingToBuild("There is no body to weigh yet; build one first.")
    single = [
        Weights(one.mass * d * _MM3, one.centroid, one.inertia * d * _MM3)
        for one, d in zip(map(_of_one, bodies), densities, strict=True)
    ]
    mass = sum(w.mass for w in single)
    centroid = sum((w.mass * w.centroid for w in single), np.zeros(3)) / mass
    inertia = sum((w.inertia + w.mass * _shifted(w.centroid - centroid) for w in single), np.zeros((3, 3)))
    return Weights(mass, centroid, inertia)


def _shifted(by: FloatArray) -> FloatArray:
    """What one unit of mass at a distance adds to the moments of inertia (Steiner)."""
    return np.asarray(float(by @ by) * np.eye(3) - np.outer(by, by))


def _of_one(body: Body) -> Weights:
    """A body of density 1: its volume (mm³), centroid and moments."""
    found = GProp_GProps()
    BRepGProp.VolumeProperties_s(body.shape, found, False, False, False)
    if abs(found.Mass() - body.volume) > _AGREES * body.volume:
        found = GProp_GProps()
        BRepGProp.VolumePropertiesGK_s(body.shape, found, _SPANS, False, True, True, True, False)
    if abs(found.Mass() - body.volume) > _AGREES * body.volume:
        return _by_mesh(body)
    matrix: Any = found.MatrixOfInertia()
    at = found.CentreOfMass()
    inertia = np.array([[matrix.Value(r, c) for c in (1, 2, 3)] for r in (1, 2, 3)])
    return Weights(found.Mass(), np.array([at.X(), at.Y(), at.Z()]), inertia)


def _by_mesh(body: Body) -> Weights:
    """Tetrahedra from a point to each triangle of a fine mesh, brought to the body's own volume."""
    box = np.array(measure.bounds(body.shape)).reshape(2, 3)
    size = float((box[1] - box[0]).max())
    base = box.mean(axis=0)
    corners = mesh_of(body.shape, chord_tol=_CHORD * size, angle_tol=_ANGLE).triangles - base
    a, b, c = (corners[:, k] for k in range(3))
    volume = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6.0
    total = float(volume.sum())
    centroid = (volume[:, None] * (a + b + c)).sum(axis=0) / 4.0 / total
    # second moments of a tetrahedron with one corner at the base (F. Tonon, 2004)
    s = a + b + c
    second = sum(np.einsum("n,ni,nj->ij", volume, p, p) for p in (a, b, c, s)) / 20.0
    inertia = float(np.trace(second)) * np.eye(3) - second - total * _shifted(centroid)
    scale = body.volume / total
    return Weights(body.volume, centroid + base, inertia * scale)
