"""Bodies as triangles and polylines, for the screen and for mesh files.

The triangles leave the kernel through its binary STL writer, whose order of faces is known: 16 ms for 50,000 triangles
against 540 ms one node at a time.
"""

from __future__ import annotations

import math
import tempfile
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
import numpy.typing as npt
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GCPnts import GCPnts_TangentialDeflection
from OCP.GeomAbs import GeomAbs_CurveType
from OCP.StlAPI import StlAPI_Writer
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused
from tectogon.solids import kernel, measure
from tectogon.solids.kernel import Shape
from tectogon.tolerances import MESH_ANGLE_TOL, MESH_CHORD_TOL, TINY

_FINEST = 1e-6
"""No mesh is finer than this share of its shape's size: the files that it goes into hold no more digits."""
_STL_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles (n, 3, 3) in mm, each with the number of its face from 0, outward."""

    triangles: FloatArray
    face: npt.NDArray[np.int32]

    @cached_property
    def welded(self) -> tuple[FloatArray, npt.NDArray[np.int64]]:
        """Distinct points (k, 3) and triangles as indices into them (m, 3); triangles that lost their area are
        dropped."""
        flat = self.triangles.reshape(-1, 3).astype(np.float32)
        points, inverse = np.unique(flat, axis=0, return_inverse=True)
        index = inverse.reshape(-1, 3)
        whole = (index[:, 0] != index[:, 1]) & (index[:, 1] != index[:, 2]) & (index[:, 2] != index[:, 0])
        return points.astype(np.float64), index[whole].astype(np.int64)

    @property
    def watertight(self) -> bool:
        """Whether every edge is shared by two triangles that run it in opposite directions."""
        _, index = self.welded
        edges = np.concatenate([index[:, [0, 1]], index[:, [1, 2]], index[:, [2, 0]]])
        size = int(index.max()) + 1 if len(index) else 1
        forward = np.sort(edges[:, 0] * size + edges[:, 1])
        backward = np.sort(edges[:, 1] * size + edges[:, 0])
        return len(index) > 0 and bool(np.array_equal(forward, backward))

    @property
    def volume(self) -> float:
        """Volume enclosed by the triangles (mm³)."""
        a, b, c = (self.triangles[:, k] for k in range(3))
        return float(np.sum(a * np.cross(b, c)) / 6.0)

    @cached_property
    def normals(self) -> FloatArray:
        """A normal for each corner (n, 3, 3), smooth inside a face, broken between faces."""
        a, b, c = (self.triangles[:, k] for k in range(3))
        facet = np.cross(b - a, c - a)
        corners = self.triangles.reshape(-1, 3).astype(np.float32)
        key = np.column_stack([np.repeat(self.face, 3).astype(np.float32), corners])
        _, inverse = np.unique(key, axis=0, return_inverse=True)
        inverse = inverse.ravel()
        each = np.repeat(facet, 3, axis=0)
        summed = np.column_stack([np.bincount(inverse, each[:, k]) for k in range(3)])[inverse]
        return (summed / np.maximum(np.linalg.norm(summed, axis=1), TINY)[:, None]).reshape(-1, 3, 3)


def _triangles(shape: Shape) -> tuple[list[int], list[int]]:
    """How many triangles each face of a meshed shape has, in the order in which they are written, and its number among
    the faces."""
    counts, ids = [], []
    numbers = kernel.map_of(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    explorer = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while explorer.More():
        face = TopoDS.Face(explorer.Current())
        triangulation = BRep_Tool.Triangulation_s(face, TopLoc_Location())
        counts.append(triangulation.NbTriangles() if triangulation is not None else 0)
        ids.append(numbers.FindIndex(face) - 1)
        explorer.Next()
    return counts, ids


def mesh_of(shape: Shape, *, chord_tol: float = MESH_CHORD_TOL, angle_tol: float = MESH_ANGLE_TOL) -> Mesh:
    """The mesh of a shape within `chord_tol` (mm), or a millionth of its size where that is more, and
    `angle_tol` (radians). Raises KernelRefused when the kernel gives none."""
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box, False)
    size = 0.0 if box.IsVoid() else math.sqrt(box.SquareExtent())
    for finer in (1.0, 0.1, 0.02):  # a sliver narrower than the chord is left out, and comes with a finer one
        BRepTools.Clean_s(shape)
        BRepMesh_IncrementalMesh(shape, max(finer * chord_tol, _FINEST * size), False, angle_tol, False)
        counts, ids = _triangles(shape)
        if 0 not in counts:
            break
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mesh.stl"
        writer = StlAPI_Writer()
        writer.ASCIIMode = False
        if not writer.Write(shape, str(path)):
            raise KernelRefused("The body could not be meshed.")
        data = path.read_bytes()
    records = np.frombuffer(data, _STL_RECORD, offset=84)
    if len(records) != sum(counts) or 0 in counts:
        raise KernelRefused("The body could not be meshed whole: a face gave no triangles.")
    return Mesh(records["corners"].astype(np.float64), np.repeat(np.array(ids, np.int32), counts))


def edge_lines(
    shape: Shape, *, chord_tol: float = MESH_CHORD_TOL, angle_tol: float = MESH_ANGLE_TOL
) -> list[FloatArray]:
    """Each edge as a polyline (k, 3); empty for seams of closed faces and degenerate edges, in the kernel's order of
    edges."""
    seams = _seams(shape)
    out = []
    for n, edge in enumerate(kernel.edges_of(shape)):
        if n in seams or measure.is_degenerate(edge):
            out.append(np.zeros((0, 3)))
            continue
        adaptor = BRepAdaptor_Curve(edge)
        if adaptor.GetType() == GeomAbs_CurveType.GeomAbs_Line:
            ends = [adaptor.Value(adaptor.FirstParameter()), adaptor.Value(adaptor.LastParameter())]
        else:
            points = GCPnts_TangentialDeflection(adaptor, angle_tol / 2.0, chord_tol)
            ends = [points.Value(i) for i in range(1, points.NbPoints() + 1)]
        out.append(np.array([(p.X(), p.Y(), p.Z()) for p in ends]))
    return out


def _seams(shape: Shape) -> set[int]:
    """Numbers of edges that a closed face meets itself in."""
    numbers = kernel.map_of(shape, TopAbs_ShapeEnum.TopAbs_EDGE)
    found: set[int] = set()
    for face in kernel.faces_of(shape):
        found.update(numbers.FindIndex(edge) - 1 for edge in kernel.edges_of(face) if BRep_Tool.IsClosed_s(edge, face))
    return found


def point_inside(shape: Shape) -> tuple[float, float, float]:
    """A point inside a solid, a hair under the middle of one of its larger triangles. Raises KernelRefused."""
    from tectogon.solids.proof import Inside

    mesh = mesh_of(shape)
    a, b, c = (mesh.triangles[:, k] for k in range(3))
    outward = np.cross(b - a, c - a)
    area = np.linalg.norm(outward, axis=1)
    inside = Inside(shape)
    for t in np.argsort(-area)[:50].tolist():
        middle = mesh.triangles[t].mean(axis=0)
        for depth in (1e-2, 1e-3, 1e-4):
            x, y, z = (middle - outward[t] / area[t] * depth * np.sqrt(area[t])).tolist()
            if inside((x, y, z)):
                return (x, y, z)
    raise KernelRefused("The body is too thin to find a point inside it.")
