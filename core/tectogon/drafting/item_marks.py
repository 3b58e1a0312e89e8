"""The parts list over the title block (ISO 7573) and the item numbers round the pictorial view (ISO 6433). Millimetres
of paper."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tectogon.curves import Arc
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.drafting.ink import Ink, Stroke
from tectogon.drafting.paper import BLOCK_HEIGHT, BLOCK_WIDTH, drawing_area, fitting
from tectogon.drafting.placing import spread
from tectogon.solids.body import Body
from tectogon.solids.mesh import mesh_of
from tectogon.views import Frame
from tectogon.words import Language, told

ROW = 6.0
MOST_ROWS = 30
MARGIN = 16.0
"""How much room the numbers take on the left and on the right of what they are at."""
_RADIUS, _OFF = 4.0, 10.0
_PIXELS = 240
_COLUMNS = ((0.0, "item"), (11.0, "count"), (23.0, "name"), (72.0, "issue"), (98.0, "size"), (160.0, "mass in all"))


@dataclass(frozen=True)
class Listed:
    """A row: its item number, how many, what stands in the other columns, and the numbers of its bodies, from 0."""

    number: int
    count: int
    name: str
    issue: str
    size: str
    mass: str
    bodies: tuple[int, ...]


def list_height(rows: Sequence[Listed]) -> float:
    """How much the parts list takes over the title block; nothing without rows."""
    return ROW * (min(len(rows), MOST_ROWS) + 1) if rows else 0.0


def list_ink(sheet: str, rows: Sequence[Listed], language: Language = "en") -> Ink:
    """The parts list, its heading at the foot, over the title block."""
    ink = Ink()
    if not rows:
        return ink
    _, y0, x1, _ = drawing_area(sheet)
    left, foot = x1 - BLOCK_WIDTH, y0 + BLOCK_HEIGHT
    shown = rows[:MOST_ROWS]
    top = foot + list_height(rows)
    ink.line(left, foot, left, top, pen="frame")
    ink.line(left, top, x1, top, pen="frame")
    ends = [*(at for at, _ in _COLUMNS[1:]), BLOCK_WIDTH]
    for n, ((at, heading), end) in enumerate(zip(_COLUMNS, ends, strict=True)):
        if n:
            ink.line(left + at, foot, left + at, top, pen="grid")
        ink.write(left + at + 1.2, foot + 2.0, told(heading, language), height=1.8)
        for k, row in enumerate(shown, 1):
            text = (str(row.number), str(row.count), row.name, row.issue, row.size, row.mass)[n]
            ink.write(left + at + 1.2, foot + ROW * k + 1.8, fitting(text, end - at - 2.4, 2.5))
    for k in range(1, len(shown) + 1):
        ink.line(left, foot + ROW * k, x1, foot + ROW * k, pen="grid")
    return ink


def seen_at(bodies: Sequence[Body], frame: Frame) -> dict[int, tuple[float, float]]:
    """For each body that is seen when looked at along a frame's normal, a point in the middle of what is seen of it, in
    the frame's plane (mm): the nearest body of each of some 240 × 240 places."""
    import cv2

    axes = np.array([frame.x_dir, frame.y_dir, frame.normal]).T
    meshes = [mesh_of(b.shape, chord_tol=0.5, angle_tol=0.6).triangles @ axes for b in bodies]
    flat = np.concatenate([m[..., :2].reshape(-1, 2) for m in meshes])
    low = flat.min(axis=0)
    step = float((flat.max(axis=0) - low).max()) / _PIXELS or 1.0
    wide, high = (np.ceil((flat.max(axis=0) - low) / step).astype(int) + 1).tolist()
    depth = np.full((high, wide), -np.inf)
    owner = np.full((high, wide), -1)
    for n, triangles in enumerate(meshes):
        for corners in triangles:
            _fill(depth, owner, n, corners - [*low, 0.0], step)
    out = {}
    for n in range(len(bodies)):
        mine = np.pad((owner == n).astype(np.uint8), 1)
        if mine.any():
            inside = cv2.distanceTransform(mine, cv2.DIST_L2, 5)[1:-1, 1:-1]
            j, i = np.unravel_index(int(inside.argmax()), inside.shape)
            out[n] = (float(low[0] + i * step), float(low[1] + j * step))
    return out


def _fill(depth: FloatArray, owner: np.ndarray, n: int, corners: FloatArray, step: float) -> None:  # type: ignore[type-arg]
    """Enter a triangle (3, 3) wherever it is nearer than what was there."""
    (ax, ay, az), (bx, by, bz), (cx, cy, cz) = corners.tolist()
    area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
    if abs(area) < 1e-12:
        return
    i0, i1 = math.ceil(min(ax, bx, cx) / step), math.floor(max(ax, bx, cx) / step)
    j0, j1 = math.ceil(min(ay, by, cy) / step), math.floor(max(ay, by, cy) / step)
    if i1 < i0 or j1 < j0:
        return
    x, y = np.meshgrid(np.arange(i0, i1 + 1) * step, np.arange(j0, j1 + 1) * step)
    u = ((x - ax) * (cy - ay) - (cx - ax) * (y - ay)) / area
    v = ((bx - ax) * (y - ay) - (x - ax) * (by - ay)) / area
    z = az + u * (bz - az) + v * (cz - az)
    part = np.s_[j0 : j1 + 1, i0 : i1 + 1]
    nearer = (u >= 0.0) & (v >= 0.0) & (u + v <= 1.0) & (z > depth[part])
    depth[part][nearer] = z[nearer]
    owner[part][nearer] = n


def room_for(count: int) -> float:
    """How high what is numbered must have room for the numbers on both of its sides."""
    return math.ceil(count / 2) * (2.0 * _RADIUS + 2.0)


def numbers_ink(marked: Sequence[tuple[int, tuple[float, float]]], box: tuple[float, float, float, float]) -> Ink:
    """Numbers in circles on the left and the right of a box, each with a leader to its point, which ends in a dot."""
    ink = Ink()
    x0, y0, x1, y1 = box
    in_order = sorted(marked, key=lambda m: m[1][0])
    half = (len(in_order) + 1) // 2 if len(in_order) > 1 else 0
    for side, some in ((-1.0, in_order[:half]), (1.0, in_order[half:])):
        some = sorted(some, key=lambda m: m[1][1])
        if not some:
            continue
        x = x0 - _OFF if side < 0 else x1 + _OFF
        levels = spread([float(at[1]) for _, at in some], 2.0 * _RADIUS + 2.0, (y0 + y1) / 2.0)
        for (number, (px, py)), y in zip(some, levels, strict=True):
            long = max(math.hypot(px - x, py - y), 1e-9)
            ux, uy = (px - x) / long, (py - y) / long
            ink.strokes.append(Stroke(Arc(x, y, _RADIUS, 0.0, TURN), "thin"))
            ink.line(x + ux * _RADIUS, y + uy * _RADIUS, px, py)
            ink.strokes.append(Stroke(Arc(px, py, 0.4, 0.0, TURN), "mark"))
            ink.write(x, y - 1.75, str(number), height=3.5, anchor="middle")
    return ink
