"""A small picture of the real part: clay with ink edges, drawn with a depth buffer in numpy, so that a worker needs no
graphics."""

from __future__ import annotations

import itertools
from io import BytesIO
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from tectogon.curves.affine import FloatArray
from tectogon.display.part import chord_for
from tectogon.solids import measure
from tectogon.solids.mesh import edge_lines, mesh_of
from tectogon.tolerances import LEAST_SIZE
from tectogon.workpiece.model import Workpiece

Pixels: TypeAlias = NDArray[np.uint8]
_CLAY = np.array([216.0, 203.0, 178.0])
_INK = np.array([35, 39, 43], dtype=np.uint8)
_PAPER = np.array([245, 242, 234], dtype=np.uint8)
_OVER = 2
_MOST_LINES = 60_000
_ROUND = 1e-4
"""By so much of a triangle its edge may be passed, so that none is left between two."""


def part_picture(workpiece: Workpiece, width: int = 480, height: int = 320) -> bytes:
    """A PNG of all bodies seen from the upper front right, on paper; of the linework where there is no body yet."""
    w, h = width * _OVER, height * _OVER
    image = np.broadcast_to(_PAPER, (h, w, 3)).copy()
    if workpiece.bodies:
        _draw(image, workpiece)
    elif len(workpiece.drawing.linework):
        _draw_linework(image, workpiece)
    out = BytesIO()
    Image.fromarray(image).reduce(_OVER).save(out, "PNG")
    return out.getvalue()


def _draw_linework(image: Pixels, workpiece: Workpiece) -> None:
    h, w = image.shape[:2]
    drawing = workpiece.drawing
    table = drawing.linework.table.take(drawing.kept)
    if not len(table):
        return
    low = table.extents
    wide, high = max(low[2] - low[0], LEAST_SIZE), max(low[3] - low[1], LEAST_SIZE)
    scale = 0.84 * min(w / wide, h / high)
    points, offsets = table.flatten(1.0 / scale)
    shown = np.column_stack(
        [(points[:, 0] - (low[0] + low[2]) / 2) * scale + w / 2, h / 2 - (points[:, 1] - (low[1] + low[3]) / 2) * scale]
    )
    canvas = Image.fromarray(image)
    pen = ImageDraw.Draw(canvas)
    for a, b in itertools.pairwise(offsets[:_MOST_LINES].tolist()):
        pen.line([tuple(p) for p in shown[a:b].tolist()], fill=tuple(int(v) for v in _INK), width=3)
    image[:] = np.asarray(canvas)


def _looking() -> FloatArray:
    """Rows: right, up, towards the viewer."""
    back = np.array([0.75, -1.0, 0.72])
    back /= np.linalg.norm(back)
    right = np.cross([0.0, 0.0, 1.0], back)
    right /= np.linalg.norm(right)
    return np.array([right, np.cross(back, right), back])


def _draw(image: Pixels, workpiece: Workpiece) -> None:
    h, w = image.shape[:2]
    look = _looking()
    chord = chord_for(list(measure.joint_bounds([b.shape for b in workpiece.bodies])))
    meshes = [mesh_of(b.shape, chord_tol=chord) for b in workpiece.bodies]
    triangles = np.concatenate([m.triangles for m in meshes]) @ look.T
    normals = np.concatenate([m.normals.mean(axis=1) for m in meshes]) @ look.T
    low, high = triangles.reshape(-1, 3).min(axis=0), triangles.reshape(-1, 3).max(axis=0)
    scale = 0.84 * min(w / max(high[0] - low[0], LEAST_SIZE), h / max(high[1] - low[1], LEAST_SIZE))
    middle = (low + high) / 2.0

    def to_pixels(points: FloatArray) -> FloatArray:
        out = (points - middle) * scale
        return np.stack([out[..., 0] + w / 2.0, h / 2.0 - out[..., 1], out[..., 2]], axis=-1)

    depth = np.full((h, w), -np.inf, dtype=np.float32)
    light = np.array([-0.35, 0.62, 0.70])
    shade = 0.58 + 0.42 * np.clip(normals @ light, 0.0, 1.0)
    for corners, tone, facing in zip(to_pixels(triangles), shade.tolist(), normals[:, 2].tolist(), strict=True):
        if facing > -0.05:
            _fill(image, depth, corners, (_CLAY * tone).astype(np.uint8))
    for body in workpiece.bodies:
        for line in edge_lines(body.shape, chord_tol=chord):
            if len(line) > 1:
                _ink(image, depth, to_pixels(line @ look.T))


def _fill(image: Pixels, depth: NDArray[np.float32], p: FloatArray, colour: Pixels) -> None:
    h, w = depth.shape
    x0, x1 = max(int(p[:, 0].min()), 0), min(int(p[:, 0].max()) + 2, w)
    y0, y1 = max(int(p[:, 1].min()), 0), min(int(p[:, 1].max()) + 2, h)
    (ax, ay, az), (bx, by, bz), (cx, cy, cz) = p.tolist()
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if x0 >= x1 or y0 >= y1 or abs(area) < 1e-9:
        return
    right = np.arange(x0, x1, dtype=np.float32) + np.float32(0.5 - ax)
    down = (np.arange(y0, y1, dtype=np.float32) + np.float32(0.5 - ay))[:, None]

    def plane(at_b: float, at_c: float) -> NDArray[np.float32]:
        """What is nothing at the first corner and so much at the others, at every pixel."""
        across = (at_b * (cy - ay) - at_c * (by - ay)) / area
        along = (at_c * (bx - ax) - at_b * (cx - ax)) / area
        return right * np.float32(across) + down * np.float32(along)

    part = depth[y0:y1, x0:x1]
    z = plane(bz - az, cz - az) + np.float32(az)
    hit = (plane(1.0, 0.0) >= -_ROUND) & (plane(0.0, 1.0) >= -_ROUND) & (plane(1.0, 1.0) <= 1.0 + _ROUND) & (z > part)
    part[hit] = z[hit]
    image[y0:y1, x0:x1][hit] = colour


def _ink(image: Pixels, depth: NDArray[np.float32], line: FloatArray) -> None:
    h, w = depth.shape
    slack = 0.006 * w
    for a, b in itertools.pairwise(line):
        count = int(np.hypot(*(b - a)[:2])) * 2 + 2
        points = a + np.linspace(0.0, 1.0, count)[:, None] * (b - a)
        x, y = points[:, 0].astype(int), points[:, 1].astype(int)
        inside = (x >= 1) & (x < w - 1) & (y >= 1) & (y < h - 1)
        x, y, z = x[inside], y[inside], points[inside, 2]
        seen = z + slack >= depth[y, x]
        for dx, dy in ((0, 0), (1, 0), (0, 1)):
            image[y[seen] + dy, x[seen] + dx] = _INK
