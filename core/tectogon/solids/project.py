"""Bodies seen straight on: their edges, visible and hidden, flat in the plane of a view. Exact hidden-line removal by
the kernel."""

from __future__ import annotations

from dataclasses import dataclass

from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
from OCP.BRepLib import BRepLib
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.HLRAlgo import HLRAlgo_Projector
from OCP.HLRBRep import HLRBRep_Algo, HLRBRep_HLRToShape

from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused
from tectogon.solids import kernel
from tectogon.solids.kernel import Shape
from tectogon.solids.mesh import edge_lines
from tectogon.views import Frame

_VISIBLE, _SMOOTH = ("VCompound", "OutLineVCompound"), ("Rg1LineVCompound", "RgNLineVCompound")
_HIDDEN = ("HCompound", "Rg1LineHCompound", "OutLineHCompound")
"""Not those of the N-th order: where a turned face meets itself there is no edge, and hidden, nobody draws it."""

_TANGENT = 1e-4


@dataclass(frozen=True)
class Projection:
    """Edges as polylines in the sheet's coordinates of a view (mm): visible, visible but tangent (drawn or not, as one
    likes), hidden."""

    visible: list[FloatArray]
    smooth: list[FloatArray]
    hidden: list[FloatArray]


def project(shapes: list[Shape], frame: Frame, *, chord_tol: float) -> Projection:
    """All edges of bodies as a viewer of this frame sees them. Raises KernelRefused where the kernel gives none."""
    algorithm = HLRBRep_Algo()
    for shape in shapes:
        copy = BRepBuilderAPI_Copy(shape).Shape()
        BRepLib.EncodeRegularity_s(copy, _TANGENT)
        algorithm.Add(copy)
    with kernel.refusals("The part could not be projected."):
        algorithm.Projector(
            HLRAlgo_Projector(gp_Ax2(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x_dir)))
        )
        algorithm.Update()
        algorithm.Hide()
        found = HLRBRep_HLRToShape(algorithm)
        visible = [line for name in _VISIBLE for line in _lines(getattr(found, name)(), chord_tol)]
        smooth = [line for name in _SMOOTH for line in _lines(getattr(found, name)(), chord_tol)]
        hidden = [line for name in _HIDDEN for line in _lines(getattr(found, name)(), chord_tol)]
    if not visible:
        raise KernelRefused("The part could not be projected: no edge is seen from there.")
    return Projection(visible, smooth, hidden)


def _lines(compound: Shape, chord_tol: float) -> list[FloatArray]:
    if compound is None or compound.IsNull():
        return []
    BRepLib.BuildCurves3d_s(compound)
    return [line[:, :2] for line in edge_lines(compound, chord_tol=chord_tol) if len(line) > 1]
