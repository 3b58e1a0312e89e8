"""Parts against drawings of them, half of the parts altered by one small feature; and the thinnest walls of parts that
were made with a wall of known width."""

from __future__ import annotations

import math
import random
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from drawn_parts import altered, made_part, read_back, walled
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.sheet import Wishes, sheet_of
from tectogon.reconstruction.match import match
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.solids.print_check import print_check, triangles_of
from tectogon.workpiece.model import Workpiece


@dataclass
class Pair:
    """A part against a drawing: whether it was altered, whether it was found the same, and how far the nearest
    difference that was named lies from the feature in some view (mm)."""

    seed: int
    altered: str
    same: bool
    away: float


def pair(seed: int, folder: Path) -> Pair:
    """One part, drawn; itself or an altered one held against the drawing."""
    chance = random.Random(1000 + seed)
    body = made_part(seed)
    path = folder / f"{seed}.dxf"
    path.write_bytes(dxf_of(sheet_of([body], Wishes(projection="first" if seed % 2 else "third"))))
    workpiece = read_back(path)
    if seed % 2:
        found = match(workpiece, [body])
        return Pair(seed, "", found.same, 0.0)
    other, kind, at = altered(body, chance)
    found = match(workpiece, [other])
    away = math.inf
    shift = np.array(measure.bounds(found.bodies[0].shape)[:3]) - np.array(measure.bounds(other.shape)[:3])
    frames = {v.name: v.frame for v in workpiece.views}
    for view in found.views:
        frame = frames[view.name]
        place = at + shift - np.array(frame.origin)
        flat = np.array([place @ np.array(frame.x_dir), place @ np.array(frame.y_dir)])
        for _, lines in view.differences:
            for line in lines:
                near = np.hypot(*(line - flat).T).min()
                away = min(away, float(near))
    return Pair(seed, kind, found.same, max(0.0, away - 3.0))


def pairs(count: int) -> list[Pair]:
    """So many pairs, half of them altered."""
    with tempfile.TemporaryDirectory() as folder:
        return [pair(n, Path(folder)) for n in range(count)]


def drawn_plate(body: Body) -> tuple[Workpiece, list[str]]:
    """A part's own sheet as a stranger reads it, and the names of its views."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plate.dxf"
        path.write_bytes(dxf_of(sheet_of([body], Wishes())))
        workpiece = read_back(path)
    return workpiece, [v.name for v in workpiece.views]


def walls(count: int) -> list[tuple[float, float]]:
    """The wall of each part, and the thinnest that was found."""
    out = []
    for n in range(count):
        body, wall = walled(n)
        found = print_check(triangles_of([body]), wall=10.0).thinnest
        out.append((wall, found.width if found else math.inf))
    return out


if __name__ == "__main__":
    found = pairs(int(sys.argv[1]))
    for p in found:
        if p.same is bool(p.altered) or p.away > 2.0:
            print(p)
    print(f"right: {np.mean([p.same is not bool(p.altered) for p in found]):.0%} of {len(found)}")
    off = [abs(b / a - 1.0) for a, b in walls(int(sys.argv[2]))]
    print(f"thinnest wall: worst off by {max(off):.2%}", [round(o, 4) for o in off][:8])
