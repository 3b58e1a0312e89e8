"""Whether a part can be printed: pieces that hang loose, thin walls, narrow gaps, sharp tips, overhang, what does not
fit the bed.

A wall is as thick as the material that a ray passes from a point of the surface straight in, where the face on the
other side looks away from it; a gap is as wide as the air that it passes straight out. Points lie everywhere on the
surface, no further apart than finds the thinnest place of a round wall within a few per cent. An edge is sharp where
the material between its two faces is, a point where that between the facets round it is.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import IntArray
from tectogon.errors import KernelRefused, OverLimit, UnreadableFile
from tectogon.solids.body import Body
from tectogon.solids.combine import combine
from tectogon.solids.mesh import Mesh, mesh_of

_CHORD, _ANGLE = 0.01, 0.12
"""The mesh that is looked at: closer than the one on the screen (mm, radians)."""
_SAMPLES = 12_000
_MOST_TRIANGLES = 2_000_000
_MOST_BYTES = 400 * 1024 * 1024
_OPPOSITE = -0.85
"""Two faces make a wall where their normals' cosine is less."""
_SHARP = math.radians(30.0)
"""Edges are told where less lies between their sides."""
_TIP = 2.0 * math.pi * math.sin(_SHARP / 2.0)
"""The angles of the facets round a point add up to so much on a cone with that angle between its sides."""
_OVERHANG = math.sin(math.radians(45.0))
_ON_BED = 0.02
_MOST_PLACES = 40
_BESIDE = 4.0
"""Points hang together that are no further apart than so many times their usual distance."""
Place3 = tuple[float, float, float]


@dataclass(frozen=True)
class Thin:
    """A place where material, or a gap, is thinner than asked for (mm)."""

    width: float
    at: Place3


@dataclass(frozen=True)
class Sharp:
    """An edge or a point at which the material runs out: the angle between its sides (degrees), its length (mm; 0 for
    a point), and a place on it."""

    angle: float
    length: float
    at: Place3


@dataclass(frozen=True)
class Piece:
    """A piece of the part that touches no other: its volume (mm³), a point of it."""

    volume: float
    at: Place3


@dataclass(frozen=True)
class PrintCheck:
    """What is to be known before a part is printed; `loose`: every piece but the largest; `thinnest` (mm): the
    thinnest wall, and where; None for what has none."""

    pieces: int
    loose: tuple[Piece, ...]
    thin: tuple[Thin, ...]
    narrow: tuple[Thin, ...]
    thinnest: Thin | None
    sharp: tuple[Sharp, ...]
    overhang: float
    watertight: bool
    volume: float
    too_large: str


def print_check(
    triangles: FloatArray, *, wall: float = 0.8, tool: float = 0.0, bed: Sequence[float] | None = None
) -> PrintCheck:
    """Looks at a closed mesh (n, 3, 3), outward, mm: walls under `wall`, gaps under `tool` where that is given, and
    whether it fits a bed (x, y, z)."""
    mesh = Mesh(triangles, np.zeros(len(triangles), np.int32))
    points, index = mesh.welded
    corners = points[index]
    number = _pieces(index, len(points))
    normal, area = _facets(corners)
    pieces = [_piece(corners[number == n], area[number == n]) for n in range(number.max() + 1)] if len(index) else []
    largest = max(range(len(pieces)), key=lambda n: pieces[n].volume, default=0)
    at, way = _samples(corners, normal, area)
    inwards = _passed(corners, normal, at, -way, 1.0)
    outwards = _passed(corners, normal, at, way, -1.0) if tool > 0.0 else np.full(len(at), np.inf)
    reach = _BESIDE * math.sqrt(float(area.sum()) / _SAMPLES)
    thinnest = int(inwards.argmin()) if len(inwards) else -1
    low = float(points[:, 2].min()) if len(points) else 0.0
    hanging = (normal[:, 2] < -_OVERHANG) & (corners[:, :, 2].max(axis=1) > low + _ON_BED)
    return PrintCheck(
        len(pieces),
        tuple(p for n, p in enumerate(pieces) if n != largest),
        _places(at, inwards, wall, reach),
        _places(at, outwards, tool, reach),
        Thin(float(inwards[thinnest]), _triple(at[thinnest]))
        if np.isfinite(inwards[thinnest : thinnest + 1]).any()
        else None,
        _sharp(points, index, normal),
        float(area[hanging].sum()),
        mesh.watertight,
        mesh.volume,
        _too_large(points, bed),
    )


def triangles_of(bodies: Sequence[Body]) -> FloatArray:
    """Bodies as one mesh, close enough to be looked at; those that touch are one piece, as they come off the bed.
    Raises KernelRefused."""
    shapes = [b.shape for b in bodies]
    if len(bodies) > 1:
        with suppress(KernelRefused):  # then each is looked at for itself
            shapes = [combine("join", [bodies[0].named], [b.named for b in bodies[1:]]).shape]
    return np.concatenate([mesh_of(s, chord_tol=_CHORD, angle_tol=_ANGLE).triangles for s in shapes])


def read_stl(path: Path) -> FloatArray:
    """The triangles (n, 3, 3) of an STL file, text or binary, mm. Raises UnreadableFile, OverLimit."""
    try:
        size = path.stat().st_size
        if size > _MOST_BYTES:
            raise OverLimit(f"{path.name} has {size / 1e6:.0f} MB; meshes up to {_MOST_BYTES / 1e6:.0f} MB are read.")
        data = path.read_bytes()
    except OSError as problem:
        raise UnreadableFile(f"{path.name} can't be opened: {problem.strerror}.") from None
    count = struct.unpack_from("<I", data, 80)[0] if len(data) >= 84 else 0
    if len(data) >= 84 and len(data) == 84 + 50 * count:
        record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
        out = np.frombuffer(data, record, offset=84)["corners"].astype(np.float64)
    elif data.lstrip()[:5].lower() == b"solid":
        out = _from_text(data, path.name)
    else:
        raise UnreadableFile(f"{path.name} is cut off: it says {count} triangles and holds {(len(data) - 84) // 50}.")
    if not len(out) or not np.isfinite(out).all():
        raise UnreadableFile(f"{path.name} holds no triangles that make sense.")
    if len(out) > _MOST_TRIANGLES:
        raise OverLimit(f"{path.name} has {len(out)} triangles; up to {_MOST_TRIANGLES} are looked at.")
    return np.asarray(out)


def _from_text(data: bytes, name: str) -> FloatArray:
    words = data.split()
    at = [n for n, word in enumerate(words) if word == b"vertex"]
    try:
        values = np.array([[float(words[n + k]) for k in (1, 2, 3)] for n in at])
    except (ValueError, IndexError):
        raise UnreadableFile(f"{name} breaks off, or a corner of it is no three numbers.") from None
    if not len(values) or len(values) % 3:
        raise UnreadableFile(f"{name} holds {len(values)} corners, which make no triangles.")
    return values.reshape(-1, 3, 3)


def _pieces(index: IntArray, count: int) -> IntArray:
    """For each triangle the number of the piece that it belongs to: those that share corners are one."""
    ones = np.ones(2 * len(index))
    rows, columns = np.concatenate([index[:, 0], index[:, 0]]), np.concatenate([index[:, 1], index[:, 2]])
    _, label = connected_components(coo_matrix((ones, (rows, columns)), shape=(count, count)), directed=False)
    _, number = np.unique(label[index[:, 0]], return_inverse=True) if len(index) else (None, np.zeros(0, np.int64))
    return np.asarray(number.ravel(), np.int64)


def _facets(corners: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Normals of length 1 and areas (mm²) of triangles."""
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    double = np.linalg.norm(cross, axis=1)
    return cross / np.maximum(double, 1e-300)[:, None], double / 2.0


def _piece(corners: FloatArray, area: FloatArray) -> Piece:
    a, b, c = (corners[:, k] for k in range(3))
    volume = float(np.sum(a * np.cross(b, c)) / 6.0)
    largest = corners[int(area.argmax())].mean(axis=0)
    return Piece(volume, _triple(largest))


def _samples(corners: FloatArray, normal: FloatArray, area: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Points on the surface and the normals there: in every triangle one, in large ones more, evenly."""
    if not len(corners):
        return np.zeros((0, 3)), np.zeros((0, 3))
    each = np.maximum(1, np.ceil(_SAMPLES * area / max(float(area.sum()), 1e-300))).astype(np.int64)
    side = np.ceil((np.sqrt(8.0 * each + 1.0) - 1.0) / 2.0).astype(np.int64)
    points, ways = [], []
    for n in np.unique(side).tolist():
        some = np.flatnonzero(side == n)
        i, j = np.array([(i, j) for i in range(n) for j in range(n - i)]).T
        u, v = (i + 1.0 / 3.0) / n, (j + 1.0 / 3.0) / n
        a, b, c = (corners[some, k][:, None, :] for k in range(3))
        points.append((a + u[None, :, None] * (b - a) + v[None, :, None] * (c - a)).reshape(-1, 3))
        ways.append(np.repeat(normal[some], len(u), axis=0))
    return np.concatenate(points), np.concatenate(ways)


def _passed(corners: FloatArray, normal: FloatArray, at: FloatArray, way: FloatArray, leaving: float) -> FloatArray:
    """How far a ray from each point runs until it meets a face that looks the other way than the one it left; infinite
    where it meets none, or one aslant. `leaving`: 1 through material, where it leaves by that face, -1 through air."""
    from trimesh import Trimesh

    out = np.full(len(at), np.inf)
    if not len(at):
        return out
    mesh = Trimesh(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3), process=False, validate=False)
    size = float(np.ptp(corners.reshape(-1, 3), axis=0).max())
    start = at + way * 1e-6 * size
    where, ray, triangle = mesh.ray.intersects_location(start, way, multiple_hits=False)
    if not len(ray):
        return out
    opposite = leaving * np.einsum("ij,ij->i", normal[triangle], way[ray]) > -_OPPOSITE
    length = np.linalg.norm(where - at[ray], axis=1)
    kept = opposite & (length > 1e-5 * size)
    out[ray[kept]] = length[kept]
    return out


def _places(at: FloatArray, width: FloatArray, under: float, reach: float) -> tuple[Thin, ...]:
    """The thinnest places under a width: one for all that hangs together, point by point within a reach (mm)."""
    thin = np.flatnonzero(width < under)
    if not len(thin):
        return ()
    pairs = cKDTree(at[thin]).query_pairs(reach, output_type="ndarray")
    joined = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(thin), len(thin)))
    _, label = connected_components(joined, directed=False)
    order = np.argsort(width[thin], kind="stable")
    _, first = np.unique(label[order], return_index=True)
    return tuple(Thin(float(width[k]), _triple(at[k])) for k in thin[order[np.sort(first)]][:_MOST_PLACES].tolist())


def _sharp(points: FloatArray, index: IntArray, normal: FloatArray) -> tuple[Sharp, ...]:
    """Sharp edges, those that hang together as one, and sharp points; the sharpest first."""
    sides = np.concatenate([index[:, [0, 1]], index[:, [1, 2]], index[:, [2, 0]]])
    facet = np.tile(np.arange(len(index)), 3)
    third = np.concatenate([index[:, 2], index[:, 0], index[:, 1]])
    ends = np.sort(sides, axis=1)
    order = np.lexsort((ends[:, 1], ends[:, 0]))
    ends, facet, third = ends[order], facet[order], third[order]
    same = np.flatnonzero((ends[1:] == ends[:-1]).all(axis=1))
    a, b = facet[same], facet[same + 1]
    outward = np.einsum("ij,ij->i", points[third[same + 1]] - points[ends[same, 0]], normal[a]) < 0.0
    between = math.pi - np.arccos(np.clip(np.einsum("ij,ij->i", normal[a], normal[b]), -1.0, 1.0))
    edges = same[outward & (between < _SHARP)]
    angle = between[outward & (between < _SHARP)]
    out = []
    if len(edges):
        pairs = ends[edges]
        joined = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
        _, label = connected_components(joined, directed=False)
        length = np.linalg.norm(points[pairs[:, 1]] - points[pairs[:, 0]], axis=1)
        for n in np.unique(label[pairs[:, 0]]):
            mine = np.flatnonzero(label[pairs[:, 0]] == n)
            longest = pairs[mine[int(length[mine].argmax())]]
            at = _triple(points[longest].mean(axis=0))
            out.append(Sharp(math.degrees(float(angle[mine].min())), float(length[mine].sum()), at))
    out += _tips(points, index, set(ends[edges].ravel().tolist()))
    return tuple(sorted(out, key=lambda s: s.angle)[:_MOST_PLACES])


def _tips(points: FloatArray, index: IntArray, known: set[int]) -> list[Sharp]:
    """Points round which the facets' angles add up to little, and that stand out: not those on sharp edges."""
    total, inwards = np.zeros(len(points)), np.zeros((len(points), 3))
    for k in range(3):
        at, first, second = points[index[:, k]], points[index[:, (k + 1) % 3]], points[index[:, (k + 2) % 3]]
        u, v = ((p - at) / np.maximum(np.linalg.norm(p - at, axis=1), 1e-300)[:, None] for p in (first, second))
        np.add.at(total, index[:, k], np.arccos(np.clip(np.einsum("ij,ij->i", u, v), -1.0, 1.0)))
        np.add.at(inwards, index[:, k], np.cross(u, v))
    tips = [n for n in np.flatnonzero((total > 0.0) & (total < _TIP)).tolist() if n not in known]
    out = []
    for n in tips:
        mine = np.flatnonzero((index == n).any(axis=1))
        away = points[index[mine]].mean(axis=(0, 1)) - points[n]
        if float(away @ inwards[n]) < 0.0:  # the facets look away from what lies behind the point
            out.append(
                Sharp(math.degrees(2.0 * math.asin(min(1.0, total[n] / (2.0 * math.pi)))), 0.0, _triple(points[n]))
            )
    return out


def _too_large(points: FloatArray, bed: Sequence[float] | None) -> str:
    """In words by how much the part is larger than the bed, turned as suits; empty where it fits."""
    if bed is None or not len(points):
        return ""
    x, y, z = np.ptp(points, axis=0).tolist()
    flat = min(((max(x - a, 0.0), max(y - b, 0.0)) for a, b in ((bed[0], bed[1]), (bed[1], bed[0]))), key=sum)
    over = [(name, by) for name, by in zip("xyz", (*flat, max(z - bed[2], 0.0)), strict=True) if by > 1e-6]
    return ", ".join(f"{by:.4g} mm too long in {name}" for name, by in over)


def _triple(point: FloatArray) -> Place3:
    x, y, z = (float(v) for v in point)
    return x, y, z
