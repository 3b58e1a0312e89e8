"""Faces as planes to draw on."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from tectogon.curves.affine import FloatArray
from tectogon.solids import measure
from tectogon.solids.mesh import mesh_of
from tectogon.solids.picking import Face
from tectogon.views import Frame


def frame_on(face: Face) -> Frame:
    """A flat face as a frame: its middle the origin, x as level as it can be, y to its left, seen from outside."""
    plane = measure.plane_of(face.body.faces[face.number])
    assert plane is not None
    return frame_at(plane[0], plane[1], np.zeros(2))


def frame_at(centre: FloatArray, normal: FloatArray, at: FloatArray) -> Frame:
    """A frame square to a normal (3,): x runs as level as it can, the sheet point `at` (2,) lies on `centre` (3,)."""
    up = np.array([0.0, 0.0, 1.0]) if abs(normal[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
    x = np.cross(up, normal)
    x /= np.linalg.norm(x)
    y = np.cross(normal, x)
    a, b, c = (centre - at[0] * x - at[1] * y).tolist()
    xd, yd = tuple(np.round(x, 15).tolist()), tuple(np.round(y, 15).tolist())
    return Frame((a, b, c), (xd[0], xd[1], xd[2]), (yd[0], yd[1], yd[2]))


def outline_of(face: Face, frame: Frame) -> BaseGeometry:
    """A flat face in the plane of a frame, with its holes, by straight pieces."""
    mesh = mesh_of(face.body.faces[face.number])
    space = mesh.triangles.reshape(-1, 3, 3) - np.array(frame.origin)
    flat = np.stack([space @ np.array(frame.x_dir), space @ np.array(frame.y_dir)], axis=-1)
    return shapely.union_all(shapely.make_valid(shapely.polygons(flat)))
