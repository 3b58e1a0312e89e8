"""Sheet metal found on a body: its thickness, the flat faces of one side, and the bends between them.

One side of the sheet, the *skin*, is followed from the fixed face over smooth edges: from a flat face into a cylinder
(a bend), out of it into the next flat face. Every face of the skin has a mate on the other side, one thickness away.
What is left are rims. That this is all there is shows in the volume: the area midway between skin and mates, times the
thickness.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tectogon.bending.corners import corner_cuts
from tectogon.bending.faces import SMOOTH, SheetFaces, triple
from tectogon.curves.affine import FloatArray
from tectogon.errors import KernelRefused, NothingToBuild
from tectogon.solids import measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import unified
from tectogon.solids.edges import Finish, edges_at, finished
from tectogon.solids.features import with_features

_SAME = 1e-3
"""How far off the volume may be (share)."""
_AS_WIDE = 0.5
"""A sheet is thinner than this share of the width of its largest face."""


@dataclass(frozen=True, eq=False)
class Bend:
    """A bend between two flat faces: numbers of its faces on the skin (several where it is interrupted), of the flat
    face it comes from and of the one it leads to; its axis by a point and a direction (3,), the inner radius and that
    of the skin (mm), the angle turned through (radians), whether it turns towards the skin's viewer; where it begins: a
    point of the parent's tangent line, and which way it goes on from there in the parent's plane (3,)."""

    faces: tuple[int, ...]
    parent: int
    child: int
    point: FloatArray
    axis: FloatArray
    inner: float
    skin: float
    angle: float
    up: bool
    start: FloatArray
    out: FloatArray
    length: float


@dataclass(frozen=True, eq=False)
class SheetPart:
    """A body of one thickness (mm) that unfolds: the number of the face that stays where it is, those of the other flat
    faces of its skin, and the bends, each after the one that leads to it."""

    body: Body
    thickness: float
    fixed: int
    flats: tuple[int, ...]
    bends: tuple[Bend, ...]
    normals: dict[int, FloatArray] = field(default_factory=dict)
    stays: FloatArray = field(default_factory=lambda: np.zeros(3))
    """A point well inside of the face that stays."""


def sheet_part(
    body: Body,
    *,
    fixed: int | None = None,
    at: FloatArray | None = None,
    radius: float | None = None,
    corner_gap: float | None = None,
    step: int = 0,
) -> SheetPart:
    """The sheet part that a body is. `fixed`: the number of the flat face that stays, or `at` a point that it has; the
    largest where none is given. `radius`: the inner radius (mm) that sharp corners get, one thickness where none is
    given. `corner_gap`: walls that meet in a corner are parted by it (mm) in the name of `step`.

    Raises NothingToBuild with a place where the body is not of one thickness, closes on itself, does not unfold, or a
    corner has no room for its radius.
    """
    named = unified(NamedShape(body.shape, body.names))
    whole = Body.of(body.key, body.name, named)
    at = at if fixed is None else SheetFaces(body).inner[fixed]
    faces = SheetFaces(whole)
    stays = _fixed(faces, at)
    thick = _thickness(faces, stays)
    inner = thick if radius is None else radius
    if corner_gap is not None:
        cuts = corner_cuts(faces, stays, thick, inner, corner_gap, step)
        if cuts:
            at = faces.inner[stays] if at is None else at
            (parted,) = with_features([whole], cuts, "cut", None, step)
            faces = SheetFaces(parted)
    rounded = _with_radii(faces, thick, inner)
    faces = faces if rounded is faces.body else SheetFaces(rounded)
    return _followed(faces, _fixed(faces, at), thick)


def _fixed(faces: SheetFaces, at: FloatArray | None) -> int:
    """The flat face that stays: the one a point lies on, else the largest."""
    flat = [n for n, f in enumerate(faces.facts) if f["kind"] == "flat"]
    if not flat:
        raise NothingToBuild("The body has no flat face; a sheet part begins at one.", faces.place(0))
    if at is not None:
        return min(flat, key=lambda n: measure.distance_to(faces.body.faces[n], triple(at)))
    return max(flat, key=lambda n: round(faces.body.areas[n], 6))


def _thickness(faces: SheetFaces, fixed: int) -> float:
    thick = faces.depth(fixed)
    if thick > _AS_WIDE * math.sqrt(faces.body.areas[fixed]):
        raise NothingToBuild(
            f"Behind its largest face the body is {thick:.4g} mm deep: that is a block, and no sheet.",
            faces.place(fixed),
        )
    return thick


def _with_radii(faces: SheetFaces, thick: float, radius: float) -> Body:
    """The body with its sharp corners bent: the inner edge by a radius, the outer by as much and the thickness."""
    inner: dict[float, list[int]] = defaultdict(list)
    outer: list[tuple[FloatArray, float]] = []
    for e, found in enumerate(faces.edges):
        if found is None or found.angle <= math.pi + SMOOTH:
            continue
        if measure.edge_facts(faces.body.edges[e])["kind"] != "straight":
            continue
        mates = [faces.mate(f, thick) for f in faces.along[e] if faces.facts[f]["kind"] == "flat"]
        a, b = mates if len(mates) == 2 else (None, None)
        if a is None or b is None:
            continue
        opposite = [faces.edges[n] for n in faces.around[a] if b in faces.along[n]]
        between = faces.run_into(a) & faces.run_into(b)
        if opposite and opposite[0] is not None:
            inner[radius].append(e)
            outer.append((opposite[0].middle, radius + thick))
        elif between:  # the outer corner is round: the inner has what is left of that
            own = float(faces.facts[min(between)].get("radius", 0.0)) - thick
            if own > 4.0 * faces.near:
                inner[own].append(e)
    body = faces.body
    middles = [(faces.edges[e].middle, r) for r, some in inner.items() for e in some]  # type: ignore[union-attr]
    for middle, r in [*middles, *outer]:
        numbers = [
            n for n, e in enumerate(edges_at(body)) if e and np.linalg.norm(e.middle - middle) <= 10 * faces.near
        ]
        if numbers:
            try:
                made = finished(body, numbers, Finish("round", r, r), 0)
            except KernelRefused as refused:
                x, y, z = middle.tolist()
                raise NothingToBuild(
                    f"The corner near x {x:.2f}, y {y:.2f}, z {z:.2f} mm can't be bent by {r:.4g} mm: two bends meet in"
                    " a corner there, or there is no room. Let corners be parted by a gap, or take a smaller radius.",
                    refused.place,
                ) from None
            body = Body.of(body.key, body.name, made.solids()[0])
    return body


def _followed(faces: SheetFaces, fixed: int, thick: float) -> SheetPart:
    """The skin from the fixed face on."""
    mates: dict[int, int] = {}
    flats, bends = [fixed], list[Bend]()
    reached = {fixed: -1}
    queue = [fixed]
    while queue:
        parent = queue.pop(0)
        mates[parent] = _mate_of(faces, parent, thick)
        for e in faces.around[parent]:
            bent = faces.across(e, parent)
            if bent is None or not faces.smooth(e) or any(bent in b.faces for b in bends):
                continue
            facts = faces.facts[bent]
            if facts["kind"] != "cylinder":
                raise NothingToBuild(
                    f"The body does not unfold: a {facts['kind']} face runs into a flat one.", faces.place(bent)
                )
            mates[bent] = _mate_of(faces, bent, thick)
            children = _children(faces, bent, parent)
            if len(children) != 1 or faces.facts[children[0]]["kind"] != "flat":
                curved = any(faces.facts[c]["kind"] != "flat" for c in children)
                told = (
                    "Two bends meet in a corner here, which can't be flattened: let corners be parted by a gap, or"
                    " cut a relief."
                    if curved
                    else "A bend does not lead from one flat face to one other."
                )
                raise NothingToBuild(told, faces.place(bent))
            child = children[0]
            known = next((n for n, b in enumerate(bends) if {b.parent, b.child} == {parent, child}), None)
            if known is not None and _continues(faces, bends[known], bent):
                b = bends[known]
                more = faces.body.areas[bent] / (b.skin * b.angle)
                bends[known] = replace(b, faces=(*b.faces, bent), length=b.length + more)
                continue
            if child in reached:
                raise NothingToBuild("The sheet closes on itself: a ring does not unfold.", faces.place(bent))
            reached[child] = parent
            bends.append(_bend(faces, e, bent, parent, child, thick))
            flats.append(child)
            queue.append(child)
    _prove(faces, thick, flats, bends, mates)
    normals = {n: faces.normal(n) for n in flats}
    return SheetPart(faces.body, thick, fixed, tuple(flats), tuple(bends), normals, faces.inner[fixed])


def _mate_of(faces: SheetFaces, n: int, thick: float) -> int:
    found = faces.mate(n, thick)
    if found is None:
        deep = faces.depth(n) if faces.facts[n]["kind"] == "flat" else math.nan
        told = (
            f"it is {deep:.4g} mm here and {thick:.4g} mm elsewhere"
            if math.isfinite(deep)
            else f"elsewhere {thick:.4g} mm"
        )
        raise NothingToBuild(f"The sheet is not of one thickness: {told}.", faces.place(n))
    return found


def _children(faces: SheetFaces, bent: int, parent: int) -> list[int]:
    """The faces that a bend runs into on its other side."""
    out: set[int] = set()
    for e in faces.around[bent]:
        other = faces.across(e, bent)
        if other is not None and other != parent and faces.smooth(e):
            out.add(other)
    return sorted(out)


def _continues(faces: SheetFaces, bend: Bend, bent: int) -> bool:
    """Whether a face is another piece of a bend that is interrupted."""
    facts = faces.facts[bent]
    off = np.array(facts["point"]) - bend.point
    aside = float(np.linalg.norm(off - (off @ bend.axis) * bend.axis))
    return aside <= 4.0 * faces.near and abs(facts["radius"] - bend.skin) <= 4.0 * faces.near


def _bend(faces: SheetFaces, e: int, bent: int, parent: int, child: int, thick: float) -> Bend:
    facts = faces.facts[bent]
    point, axis = np.array(facts["point"]), np.array(facts["direction"])
    up = bool(facts["inside"])
    skin = float(facts["radius"])
    normal = faces.normal(parent)
    start = measure.edge_ends(faces.body.edges[e])[0]
    out = np.cross(axis, normal)
    if float((start - faces.inner[parent]) @ out) < 0.0:
        out = -out
    angle = float(facts["turned"])
    return Bend(
        (bent,), parent, child, point, axis, skin if up else skin - thick, skin, angle, up, start, out,
        faces.body.areas[bent] / (skin * angle),
    )  # fmt: skip


def _prove(faces: SheetFaces, thick: float, flats: Sequence[int], bends: Sequence[Bend], mates: dict[int, int]) -> None:
    """Raises NothingToBuild where skin and mates, times the thickness, are not the body."""
    areas = faces.body.areas
    skin = [*flats, *(f for b in bends for f in b.faces)]
    total = sum(thick * (areas[n] + areas[mates[n]]) / 2.0 for n in skin)
    # the mean of the two sides of a bend is the area of its middle
    for n in flats:
        if abs(areas[n] - areas[mates[n]]) > _SAME * areas[n]:
            raise NothingToBuild(
                f"The sheet is not of one thickness all over: one side has {areas[n]:.1f} mm² here, the other"
                f" {areas[mates[n]]:.1f}. There is a pocket, or a rim that is not square.",
                faces.place(n),
            )
    if abs(total - faces.body.volume) <= _SAME * faces.body.volume:
        return
    known = {*skin, *mates.values()}
    beside = faces.body.neighbours
    rims = [n for n in range(len(areas)) if beside[n] & set(skin) and beside[n] & set(mates.values())]
    other = [n for n in range(len(areas)) if n not in known and n not in rims]
    worst = max(other or [skin[0]], key=lambda n: areas[n])
    deep = faces.depth(worst) if faces.facts[worst]["kind"] == "flat" else math.inf
    told = f" here it is {deep:.4g} mm deep," if math.isfinite(deep) and other else ""
    raise NothingToBuild(
        f"The sheet is not of one thickness all over:{told} where a sheet of {thick:.4g} mm would have"
        f" {total:.1f} mm³ in all, and the body has {faces.body.volume:.1f}.",
        faces.place(worst),
    )
