"""A face or an edge that was pressed, found on the bodies as they are now: it is the thing that was meant, or it is
gone.

A name alone is not enough: a slot parts one face into two of the same name. So a pick also keeps the body, the faces
beside it, its outward normal and the point that was pressed, and they are asked in this order, each only to tell apart
what the ones before leave over. Place comes last, as it changes with every length; where even place does not clearly
tell, nothing is guessed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.errors import PickGone, Place
from tectogon.linework import identity
from tectogon.solids import kernel, measure
from tectogon.solids.body import Body, FaceName
from tectogon.tolerances import ALIKE_NORMAL, CLEARLY_NEARER, ON_FACE_TOL

Point = tuple[float, float, float]
T = TypeVar("T")


@dataclass(frozen=True)
class Face:
    """A face of a body: `number` counts in the body's own order of faces."""

    body: Body
    number: int

    @property
    def name(self) -> FaceName:
        """Its name."""
        return self.body.names[self.number]

    @property
    def beside(self) -> frozenset[str]:
        """Keys of the faces that meet this one along an edge."""
        return frozenset(self.body.names[n].key for n in self.body.neighbours[self.number])


def find_face(
    bodies: Sequence[Body],
    name: str,
    *,
    body: str | None = None,
    beside: Sequence[str] = (),
    normal: Point | None = None,
    point: Point | None = None,
    flat: bool = True,
) -> Face:
    """The face that a pick means, a flat one where that is wanted. Raises PickGone where there is none, or where two
    could be meant."""
    found = _called(bodies, name)
    if flat:
        found = [f for f in found if measure.plane_of(f.body.faces[f.number]) is not None]
    if not found:
        raise PickGone(
            f"The {'flat ' if flat else ''}face that was pressed is no longer there. Press another.", Place(point=point)
        )
    if body is not None:
        found = (
            _kept(found, lambda f: f.body.key == body)
            or _kept(found, lambda f: f.body.key.startswith(f"{body}/"))
            or found
        )
    if len(found) > 1 and beside:
        found = _most_alike(found, frozenset(beside))
    if len(found) > 1 and normal is not None:
        found = _kept(found, lambda f: _outward(f) @ np.array(normal) > ALIKE_NORMAL) or found
    return (
        _nearest(found, [measure.distance_to(f.body.faces[f.number], point) for f in found], point)
        if len(found) > 1 and point
        else _only(found, point)
    )


def find_edge(bodies: Sequence[Body], faces: Sequence[str], point: Point) -> tuple[Body, int]:
    """The body and the number of the edge between the named faces that passes nearest to where it was pressed. Raises
    PickGone."""
    found = list(_edges_between(bodies, faces))
    away = [measure.distance_to(body.edges[n], point) for body, n in found]
    if not found or (not faces and min(away) > ON_FACE_TOL):  # an edge without names is where it was, or gone
        raise PickGone("The edge that was picked is no longer there. Press another.", Place(point=point))
    return _nearest(found, away, point)


def _edges_between(bodies: Sequence[Body], faces: Sequence[str]) -> Iterator[tuple[Body, int]]:
    """Edges at which faces of all these names meet."""
    for body in bodies:
        for n, numbers in enumerate(kernel.faces_along_edges(body.shape)):
            if all(any(body.names[k].is_called(name) for k in numbers) for name in faces):
                yield body, n


def find_edge_end(bodies: Sequence[Body], faces: Sequence[str], point: Point) -> FloatArray:
    """The end (3,), mm, of the edge between the named faces that lies nearest to where it was pressed. Raises
    PickGone."""
    found: list[tuple[float, FloatArray]] = []
    for body, n in _edges_between(bodies, faces):
        ends = measure.edge_ends(body.edges[n])
        near = ends[np.linalg.norm(ends - np.array(point), axis=1).argmin()]
        found.append((measure.distance_to(body.edges[n], point), near))
    if not found:
        raise PickGone("The edge that was picked is no longer there. Press another.", Place(point=point))
    return _nearest([end for _, end in found], [away for away, _ in found], point)


def _called(bodies: Sequence[Body], name: str) -> list[Face]:
    """Faces of this name; where there are none, other pieces of the same curve that the same profile was raised on."""
    faces = [Face(b, n) for b in bodies for n in range(len(b.names))]
    exact = [f for f in faces if f.name.is_called(name)]
    if exact or not name.startswith("side/"):
        return exact
    role, step, profile, curve = name.split("/", 3)
    return [
        f
        for f in faces
        if f.name.role == role
        and str(f.name.operation) == step
        and identity.whole(f.name.curve or "") == identity.whole(curve)
        and f.name.profile == profile
    ]


def _kept(found: list[Face], wanted: Callable[[Face], bool]) -> list[Face]:
    return [f for f in found if wanted(f)]


def _outward(face: Face) -> FloatArray:
    plane = measure.plane_of(face.body.faces[face.number])
    assert plane is not None
    return plane[1]


def _most_alike(found: list[Face], beside: frozenset[str]) -> list[Face]:
    """Those that share most of their neighbours with the face that was pressed."""
    shares = [len(f.beside & beside) / max(len(f.beside | beside), 1) for f in found]
    return [f for f, share in zip(found, shares, strict=True) if share == max(shares)]


def _only(found: list[Face], point: Point | None) -> Face:
    if len(found) > 1:
        raise PickGone(
            f"{len(found)} faces could be meant now: what was pressed has become several. Press the one that is meant.",
            Place(point=point),
        )
    return found[0]


def _nearest(found: list[T], away: list[float], point: Point) -> T:
    """The one that is clearly nearest to where it was pressed. Raises PickGone where two are about as near."""
    order = np.argsort(away, kind="stable")
    first = away[order[0]]
    if len(order) > 1 and first > ON_FACE_TOL and first > CLEARLY_NEARER * away[order[1]]:
        raise PickGone(
            "More than one could be meant now, and neither is where it was pressed. Press the one that is meant.",
            Place(point=point),
        )
    return found[order[0]]
