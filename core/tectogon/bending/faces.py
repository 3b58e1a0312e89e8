"""The faces of a body as a sheet part is looked for on it: what each runs into, and its mate on the other side."""

from __future__ import annotations

import math
from collections import defaultdict
from typing import Any

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import Place
from tectogon.solids import kernel, measure
from tectogon.solids.body import Body
from tectogon.solids.edges import edges_at
from tectogon.solids.mesh import mesh_of

_NEAR = 1e-5
"""Lengths are the same that differ by less than this share of the body's size."""
_THICK = 2e-3
"""A sheet is of one thickness within so much (mm)."""
SMOOTH = math.radians(0.5)
"""Faces run into each other that are no further from it."""


class SheetFaces:
    """The faces of a body with what is asked of them again and again."""

    def __init__(self, body: Body) -> None:
        self.body = body
        self.facts: list[dict[str, Any]] = [measure.surface_facts(f) for f in body.faces]
        self.planes = [measure.plane_of(f) for f in body.faces]
        box = np.array(measure.bounds(body.shape))
        self.near = _NEAR * float((box[3:] - box[:3]).max())
        self.tol = min(4.0 * self.near, _THICK)
        self.along = kernel.faces_along_edges(body.shape)
        self.edges = edges_at(body)
        self.around: dict[int, list[int]] = defaultdict(list)
        for n, numbers in enumerate(self.along):
            for f in set(numbers):
                self.around[f].append(n)
        self.inner = self._inner()

    def _inner(self) -> list[FloatArray]:
        """A point well inside of each face: the middle of its largest triangle."""
        mesh = mesh_of(self.body.shape)
        a, b, c = (mesh.triangles[:, k] for k in range(3))
        area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
        out = []
        for n in range(len(self.body.faces)):
            mine = np.flatnonzero(mesh.face == n)
            point = mesh.triangles[mine[int(area[mine].argmax())]].mean(axis=0)
            plane = self.planes[n]
            # a mesh is rounded: what lies on a flat face shall lie in it
            out.append(point if plane is None else point - ((point - plane[0]) @ plane[1]) * plane[1])
        return out

    def normal(self, n: int) -> FloatArray:
        """The outward normal of a flat face."""
        plane = self.planes[n]
        assert plane is not None
        return plane[1]

    def depth(self, n: int) -> float:
        """How far the material reaches straight in behind a flat face (mm)."""
        start, way = self.inner[n], -self.normal(n)
        hits = measure.hits_along([self.body.shape], triple(start), triple(way))
        return next((h for h in hits if h > 2.0 * self.near), math.inf)

    def smooth(self, e: int) -> bool:
        """Whether the faces along an edge run into each other."""
        found = self.edges[e]
        return found is not None and abs(found.angle - math.pi) < SMOOTH

    def run_into(self, n: int) -> set[int]:
        """The faces that a face runs into without an edge."""
        return {g for e in self.around[n] if self.smooth(e) for g in self.along[e] if g != n}

    def across(self, e: int, f: int) -> int | None:
        """The face on the other side of an edge."""
        return next((g for g in self.along[e] if g != f), None)

    def mate(self, n: int, thick: float) -> int | None:
        """The face on the other side of the sheet; None where there is none at this thickness."""
        facts = self.facts[n]
        for m, other in enumerate(self.facts):
            if m == n or other["kind"] != facts["kind"]:
                continue
            if facts["kind"] == "flat":
                if float(self.normal(n) @ self.normal(m)) > -1.0 + 1e-9:
                    continue
                off = float((self.planes[m][0] - self.inner[n]) @ self.normal(n))  # type: ignore[index]
                behind = self.inner[n] - thick * self.normal(n)
                if (
                    abs(off + thick) <= self.tol
                    and measure.distance_to(self.body.faces[m], triple(behind)) <= 4.0 * self.near
                ):
                    return m
            elif facts["kind"] == "cylinder" and other["inside"] is not facts["inside"]:
                gap = other["radius"] - facts["radius"]
                if abs(gap - (thick if facts["inside"] else -thick)) <= self.tol and self._one_axis(n, m):
                    return m
        return None

    def _one_axis(self, n: int, m: int) -> bool:
        a, b = self.facts[n], self.facts[m]
        way = np.array(a["direction"])
        off = np.array(b["point"]) - a["point"]
        aside = float(np.linalg.norm(off - (off @ way) * way))
        return abs(abs(float(way @ b["direction"])) - 1.0) < 1e-9 and aside <= 4.0 * self.near

    def place(self, n: int) -> Place:
        """A place on a face."""
        return Place(point=triple(self.inner[n]))


def triple(point: FloatArray) -> tuple[float, float, float]:
    """A point as plain numbers."""
    x, y, z = (float(v) for v in point)
    return x, y, z
