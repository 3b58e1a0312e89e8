"""Bodies somewhere else: the same faces under the same names."""

from __future__ import annotations

from dataclasses import replace

from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.gp import gp_Trsf, gp_Vec

from tectogon.curves.affine import FloatArray
from tectogon.errors import Place
from tectogon.solids import measure, proof
from tectogon.solids.body import Body


def shifted(body: Body, by: FloatArray) -> Body:
    """A body moved by a vector (3,), mm; its faces keep their order, and so their names."""
    move = gp_Trsf()
    move.SetTranslation(gp_Vec(*by.tolist()))
    return _transformed(body, move)


def placed(body: Body, matrix: FloatArray) -> Body:
    """A body moved, turned or mirrored by a map (3, 4) that keeps lengths. Raises KernelRefused where its volume would
    not stay."""
    move = gp_Trsf()
    move.SetValues(*matrix.ravel().tolist())
    moved = _transformed(body, move)
    proof.check_volume(measure.volume(moved.shape), body.volume, Place())
    return moved


def _transformed(body: Body, move: gp_Trsf) -> Body:
    moved = replace(body, shape=BRepBuilderAPI_Transform(body.shape, move, True).Shape())
    moved.__dict__.update({k: v for k, v in body.__dict__.items() if k in ("volume", "surface")})
    return moved
