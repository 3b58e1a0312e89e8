"""Whether a result is what it should be: nothing is shown that has not passed.

The kernel's own check is not enough (two wrong results in eighty passed it), so three independent figures are held
against it:

1. the kernel's validity check (up to a thousand edges; it takes 22 s for 5,000);
2. volume: area × length for prisms, and for the others  |A ∪ B| = |A| + |B| - |A ∩ B|,  |A \\ B| = |A| - |A ∩ B|;
3. witnesses: points whose place, inside or outside, is known from the flat profiles and the body before.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_State

from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused, Place
from tectogon.solids import kernel
from tectogon.solids.body import NamedShape
from tectogon.solids.kernel import Shape
from tectogon.solids.mesh import Mesh
from tectogon.tolerances import LEAST_SIZE, MOST_EDGES_CHECKED, VOLUME_TOL

_MOST_WITNESSES = 24


@dataclass(frozen=True)
class Witness:
    """A point (3,) and whether the tool holds it."""

    point: tuple[float, float, float]
    in_tool: bool
    curves: tuple[str, ...]


class Inside:
    """Asks whether points lie inside a shape of one or more solids: True, False, or None on the boundary."""

    def __init__(self, shape: Shape) -> None:
        self.classifiers = [BRepClass3d_SolidClassifier(s) for s in kernel.solids_of(shape)]

    def __call__(self, point: tuple[float, float, float]) -> bool | None:
        for classifier in self.classifiers:
            classifier.Perform(gp_Pnt(*point), 1e-7)
            state = classifier.State()
            if state == TopAbs_State.TopAbs_ON:
                return None
            if state == TopAbs_State.TopAbs_IN:
                return True
        return False


def check_prism(named: NamedShape, area: float, length: float, place: Place) -> None:
    """A prism against its closed form. Raises KernelRefused."""
    check_valid(named, place)
    check_volume(named.volume, area * length, place)


def check_valid(named: NamedShape, place: Place) -> None:
    """Raises KernelRefused where the kernel's own check finds the shape invalid."""
    if not kernel.solids_of(named.shape):
        raise KernelRefused("The solid kernel gave no solid for these curves.", place)
    if not is_sound(named.shape):
        raise KernelRefused(
            "The solid kernel made a body that is not sound here; look for boundaries that touch or cross themselves.",
            place,
        )


def is_valid(shape: Shape, mesh: Mesh, volume: float) -> bool:
    """Whether a body is proven valid: by the kernel's own check, or where it has too many edges for that by its mesh,
    which must be closed and enclose the body's volume (mm³) within half a per cent."""
    if len(kernel.edges_of(shape)) <= MOST_EDGES_CHECKED:
        return is_sound(shape)
    return mesh.watertight and abs(mesh.volume - volume) <= 5e-3 * abs(volume)


def is_sound(shape: Shape) -> bool:
    """Whether the kernel's own check passes, and there is something solid. It takes 22 s for 5,000 edges: larger bodies
    rest on their volume and their witnesses alone (`Body.checked_whole`)."""
    return bool(kernel.solids_of(shape)) and (
        len(kernel.edges_of(shape)) > MOST_EDGES_CHECKED or bool(BRepCheck_Analyzer(shape).IsValid())
    )


def check_volume(found: float, expected: float, place: Place) -> None:
    """Raises KernelRefused where a volume (mm³) is off from the expected one by more than VOLUME_TOL of it."""
    if not np.isfinite(found) or abs(found - expected) > VOLUME_TOL * max(abs(expected), LEAST_SIZE):
        raise KernelRefused(
            f"The body would have {found:.3f} mm³ where its profile gives {expected:.3f} mm³; it was not kept. The"
            " boundary may touch or cross itself.",
            place,
        )


def check_witnesses(
    before: Shape | None, after: Shape, witnesses: list[Witness], rule: Callable[[bool, bool], bool]
) -> None:
    """Points known from the flat profile must lie where `rule(in body before, in tool)` says. Raises KernelRefused
    naming the curves."""
    was_in = Inside(before) if before is not None else None
    is_in = Inside(after)
    chosen = (
        witnesses
        if len(witnesses) <= _MOST_WITNESSES
        else [witnesses[int(i)] for i in np.linspace(0, len(witnesses) - 1, _MOST_WITNESSES)]
    )
    for witness in chosen:
        inside_before = was_in(witness.point) if was_in else False
        inside_after = is_in(witness.point)
        if inside_before is None or inside_after is None:
            continue
        if inside_after != rule(inside_before, witness.in_tool):
            x, y, z = witness.point
            raise KernelRefused(
                f"The solid kernel's result is wrong at x {x:.3f}, y {y:.3f}, z {z:.3f} mm and was not kept; look at"
                " the boundary of this profile there.",
                Place(witness.curves, witness.point),
            )


def depths(low: float, high: float) -> FloatArray:
    """Heights at which witnesses stand."""
    return low + (high - low) * np.array([0.04, 0.513, 0.96])
