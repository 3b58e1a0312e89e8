"""The part: bodies as triangles and edges with what is known of each face and edge, and the figures of the whole."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.display.packing import pack
from tectogon.display.parts_list import list_told, parts_list
from tectogon.errors import KernelRefused, PickGone
from tectogon.linework import identity
from tectogon.solids import kernel, measure
from tectogon.solids.body import Body, FaceName
from tectogon.solids.mesh import edge_lines, mesh_of
from tectogon.solids.told_apart import within_and_without
from tectogon.solids.weights import weights_of
from tectogon.tolerances import LEAST_SIZE, MESH_ANGLE_TOL, TOUCHING
from tectogon.workpiece.model import Workpiece

_MOST_FACTS = 3000
_MOST_BODIES, _MOST_FACES, _MOST_PAIRS = 200, 80, 15
_MOST_FACE_PAIRS = 4000
"""Pairs of faces that neighbours may have together: some 3 s of looking at rounded ones that overlap."""
NEXT_TO = 2.0
"""Bodies that stand nearer to each other than this (mm) are told as neighbours."""


def figures_of(workpiece: Workpiece) -> dict[str, Any]:
    """Extents (mm), volume (mm³), surface (mm²), and mass (g) where the material of every body is known."""
    shapes = [b.shape for b in workpiece.bodies]
    volume = float(sum(b.volume for b in workpiece.bodies))
    materials = [workpiece.material_of(b) for b in workpiece.bodies] or [workpiece.material]
    known = [m for m in dict.fromkeys(materials) if m is not None]
    masses = [b.volume / 1000.0 * m.density for b, m in zip(workpiece.bodies, materials, strict=False) if m]
    return {
        "bodies": len(shapes),
        "bounds": list(measure.joint_bounds(shapes)),
        "volume_mm3": volume,
        "surface_mm2": float(sum(b.surface for b in workpiece.bodies)),
        "material": " and ".join(m.name for m in known) or None,
        "density": known[0].density if len(known) == 1 and None not in materials else None,
        "mass_g": float(sum(masses)) if known and None not in materials else None,
    }


def touching(workpiece: Workpiece) -> list[dict[str, Any]]:
    """Neighbours that touch, overlap, or stand less than a couple of millimetres apart: their numbers, from 0, a point
    (mm) where they do, the volume (mm³) that both have, and how far they are apart (mm). Looked at where there are few
    such pairs of plain bodies; the like of what was looked at is told without being looked at again."""
    bodies = workpiece.bodies
    if not 1 < len(bodies) <= _MOST_BODIES:
        return []
    boxes = np.array([measure.bounds(b.shape) for b in bodies])
    below = (boxes[:, None, :3] <= boxes[None, :, 3:] + NEXT_TO).all(axis=2)
    plain = np.array([len(b.names) <= _MOST_FACES for b in bodies])
    near = np.argwhere(np.triu(below & below.T & plain[:, None] & plain, 1)).tolist()
    known: dict[object, dict[str, Any]] = {}
    out = []
    left = _MOST_FACE_PAIRS
    for a, b in near:
        alike = _alike(bodies[a], bodies[b], boxes[a], boxes[b]) or (a, b)
        if alike not in known:
            left -= len(bodies[a].names) * len(bodies[b].names)
            if left < 0 or len(known) >= _MOST_PAIRS:
                continue
        told = known.get(alike) or known.setdefault(alike, _between(bodies[a], bodies[b], boxes[a, :3]))
        if told["apart_mm"] <= NEXT_TO:
            at = (np.array(told["off"]) + boxes[a, :3]).tolist()
            out.append({"bodies": [a, b], "at": at, "common_mm3": told["common_mm3"], "apart_mm": told["apart_mm"]})
    return out


def _alike(one: Body, other: Body, box: FloatArray, off: FloatArray) -> object:
    """What two neighbours have in common with others that stand to each other as they do; none for bodies that are
    nobody's copies."""
    if one.item is None or other.item is None:
        return None
    what = [(item.name, item.size, f"{body.volume:.6g}") for item, body in ((one.item, one), (other.item, other))]
    return (*what, *np.round(off - box, 4).tolist(), *np.round(box[3:] - box[:3], 4).tolist())


def _between(one: Body, other: Body, corner: FloatArray) -> dict[str, Any]:
    apart, first, _ = measure.distance(one.shape, other.shape)
    common = 0.0
    if apart <= TOUCHING:
        try:
            common = sum(piece.volume for piece in within_and_without([one.named], [other.named])[0])
        except KernelRefused:
            common = math.nan  # they meet; by how much can't be told
    return {
        "apart_mm": 0.0 if apart <= TOUCHING else apart,
        "off": (np.array(first) - corner).tolist(),
        "common_mm3": None if math.isnan(common) else common if common > LEAST_SIZE else 0.0,
    }


def distance_between(workpiece: Workpiece, a: tuple[str, int], b: tuple[str, int]) -> dict[str, Any]:
    """The least distance (mm) between two pieces, each ("face" or "edge", number in the part's parcel), and where.
    Raises PickGone."""

    def piece(kind: str, index: int) -> Any:
        all_of = [p for body in workpiece.bodies for p in (body.faces if kind == "face" else body.edges)]
        if not 0 <= index < len(all_of):
            raise PickGone("What was picked is no longer there.")
        return all_of[index]

    length, first, second = measure.distance(piece(*a), piece(*b))
    return {"mm": length, "from": first, "to": second}


def weights_told(workpiece: Workpiece) -> dict[str, Any]:
    """Mass (g), centroid (mm) and moments of inertia (g·mm²) about axes through it, and the principal ones; bodies
    without a material count as 1 g/cm³, which is told. Raises NothingToBuild without bodies."""
    materials = [workpiece.material_of(b) for b in workpiece.bodies]
    found = weights_of(workpiece.bodies, [1.0 if m is None else m.density for m in materials])
    return {
        "mass_g": found.mass,
        "centroid": found.centroid.tolist(),
        "inertia": found.inertia.tolist(),
        "principal": found.principal,
        "unknown": sum(m is None for m in materials),
    }


def _shown(name: FaceName) -> str:
    """A face's name as people read it: its role and the operation that made it."""
    return f"{name.role} of operation {name.operation}"


def chord_for(bounds: list[float]) -> float:
    """A chord tolerance that looks round for a part of this size (mm)."""
    size = max((bounds[k + 3] - bounds[k] for k in range(3)), default=1.0)
    return max(size * 4e-4, 1e-4)


def part_parcel(workpiece: Workpiece, figures: dict[str, Any]) -> bytes:
    """Everything the part pane shows, as a parcel, with its `figures_of`. Points are float32 relative to `facts.origin`
    (mm)."""
    bounds = figures["bounds"]
    origin = np.round((np.array(bounds[:3]) + np.array(bounds[3:])) / 2.0)
    chord = chord_for(bounds)
    triangles, normals, faces, edge_points, edge_ends = [], [], [], [], [0]
    bodies: list[dict[str, Any]] = []
    face_facts: list[dict[str, Any]] = []
    edge_facts: list[dict[str, Any]] = []
    first_face = first_edge = 0
    for body in workpiece.bodies:
        mesh = mesh_of(body.shape, chord_tol=chord, angle_tol=MESH_ANGLE_TOL)
        triangles.append(mesh.triangles - origin)
        normals.append(mesh.normals)
        faces.append(mesh.face + first_face)
        lines = edge_lines(body.shape, chord_tol=chord, angle_tol=MESH_ANGLE_TOL)
        for line in lines:
            edge_points.append(line - origin)
            edge_ends.append(edge_ends[-1] + len(line))
        few = len(face_facts) + len(body.faces) <= _MOST_FACTS
        for n, (face, name) in enumerate(zip(body.faces, body.names, strict=True)):
            facts = measure.face_facts(face, measured=body.areas[n]) if few else {"kind": "face"}
            along_curves = identity.lineage(name.curve) if name.curve else ()
            face_facts.append(
                {
                    **facts,
                    "key": name.key,
                    "name": _shown(name),
                    "curves": along_curves,
                    "operation": name.operation,
                    "body": body.key,
                }
            )
        along = kernel.faces_along_edges(body.shape) if few else [[]] * len(body.edges)
        for edge, numbers in zip(body.edges, along, strict=True):
            facts = measure.edge_facts(edge) if few and not measure.is_degenerate(edge) else {"kind": "edge"}
            edge_facts.append({**facts, "body": body.key, "faces": [first_face + n for n in numbers]})
        material = workpiece.material_of(body)
        bodies.append(
            {
                "key": body.key,
                "name": body.name,
                "volume_mm3": body.volume,
                "material": material.name if material else None,
                "density": material.density if material else None,
                "faces": [first_face, first_face + len(body.faces)],
                "edges": [first_edge, first_edge + len(lines)],
            }
        )
        first_face += len(body.faces)
        first_edge += len(lines)
    empty = np.zeros((0, 3))
    arrays = {
        "triangles": (
            np.concatenate(triangles).reshape(-1, 3).astype(np.float32) if triangles else empty.astype(np.float32)
        ),
        "normals": np.concatenate(normals).reshape(-1, 3).astype(np.float32) if normals else empty.astype(np.float32),
        "face": np.concatenate(faces).astype(np.uint32) if faces else np.zeros(0, np.uint32),
        "edge_points": np.concatenate(edge_points).astype(np.float32) if edge_points else empty.astype(np.float32),
        "edge_ends": np.array(edge_ends, np.uint32),
    }
    facts = {
        "origin": origin.tolist(),
        "figures": figures,
        "bodies": bodies,
        "items": list_told(parts_list(workpiece)),
        "touching": touching(workpiece),
        "faces": face_facts,
        "edges": edge_facts,
    }
    return pack(facts, arrays)
