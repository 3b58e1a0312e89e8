"""Bodies somewhere else: the same faces under the same names."""

from __future__ import annotations

from dataclasses import replace

from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.gp import gp_Trsf, gp_Vec

from tectogon.curves.affine import FloatArray
from tectogon.solids.body import Body


def shifted(body: Body, by: FloatArray) -> Body:
    """A body moved by a vector (3,), mm; its faces keep their order, and so their names."""
    move = gp_Trsf()
    move.SetTranslation(gp_Vec(*by.tolist()))
    moved = replace(body, shape=BRepBuilderAPI_Transform(body.shape, move, True).Shape())
    moved.__dict__.update({k: v for k, v in body.__dict__.items() if k in ("volume", "surface")})
    return moved
