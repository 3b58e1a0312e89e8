"""Parts against drawings of them, half of the parts altered by one small feature; and the thinnest walls of parts that
were made with a wall of known width."""

from __future__ import annotations

import argparse
import contextlib
import io
import math
import random
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from drawing import made_part
from figures import Figure
from tectogon.cli.answers import Answer
from tectogon.cli.views import folded_views
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.sheet import Wishes, sheet_of
from tectogon.formats import OPTIONS
from tectogon.reconstruction.match import match
from tectogon.solids import measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.print_check import print_check, triangles_of
from tectogon.solids.prism import prism
from tectogon.views import frame_of

OPTION = {name: option.usual for name, option in OPTIONS.items()}


@dataclass
class Pair:
    """A part against a drawing: whether it was altered, whether it was found the same, and how far the nearest
    difference that was named lies from the feature in some view (mm)."""

    seed: int
    altered: str
    same: bool
    away: float


def altered(body: Body, chance: random.Random) -> tuple[Body, str, np.ndarray]:
    """A part with one more feature of half a millimetre and more, what it is, and where."""
    box = measure.bounds(body.shape)
    width, depth, _ = (box[k + 3] - box[k] for k in range(3))
    for _ in range(40):
        x, y = box[0] + width * chance.uniform(0.2, 0.8), box[1] + depth * chance.uniform(0.2, 0.8)
        kind = chance.choice(("hole", "pocket", "boss"))
        figure = Figure().circle(x, y, 1.5) if kind == "hole" else Figure().rectangle(x - 2, y - 2, 4, 4)
        top = max(measure.hits_along([body.shape], (x, y, 0.0), (0.0, 0.0, 1.0)), default=None)
        if top is None:
            continue
        low, high = {"hole": (top - 3.0, top + 1.0), "pocket": (top - 0.5, top + 1.0), "boss": (top - 0.5, top + 0.5)}[
            kind
        ]
        regions = figure.regions()
        tool = prism(regions, regions.profiles[0], frame_of("top"), low, high, 99)
        whole = NamedShape(body.shape, body.names)
        made = combine("join" if kind == "boss" else "cut", [whole], [tool])
        if abs(made.volume - body.volume) > 1.0 and len(made.solids()) == 1:
            return Body.of(body.key, body.name, made.solids()[0]), kind, np.array([x, y, top])
    raise RuntimeError("no room for a feature")


def pair(seed: int, folder: Path) -> Pair:
    """One part, drawn; itself or an altered one held against the drawing."""
    chance = random.Random(1000 + seed)
    body = made_part(seed)
    path = folder / f"{seed}.dxf"
    path.write_bytes(dxf_of(sheet_of([body], Wishes(projection="first" if seed % 2 else "third"))))
    options = argparse.Namespace(
        **{**OPTION, "units": None, "tolerance": None, "no_mend": False, "layer": [], "keep_all": False}
    )
    with contextlib.redirect_stderr(io.StringIO()):
        workpiece, _ = folded_views(path, options, Answer(str(path)))
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


def walled(seed: int) -> tuple[Body, float]:
    """A part with one wall that is thinner than all others, and its width (mm)."""
    chance = random.Random(seed)
    wall, figure = round(chance.uniform(0.3, 3.0), 2), Figure()
    kind, radius = seed % 4, round(chance.uniform(2.0, 6.0), 1)
    if kind == 0:  # a hole near an edge
        figure.rectangle(0, 0, 60, 40).circle(wall + radius, 20, radius)
    elif kind == 1:  # two holes side by side
        figure.rectangle(0, 0, 60, 40).circle(20, 20, radius).circle(20 + 2 * radius + wall, 20, radius)
    elif kind == 2:  # a ring
        figure.circle(0, 0, 20 + wall).circle(0, 0, 20)
    else:  # a frame
        figure.rectangle(0, 0, 40, 30).rectangle(wall, 6, 28, 18)
    regions = figure.regions()
    made = prism(regions, regions.profiles[0], frame_of("top"), 0.0, 8.0, 1)
    return Body.of("1:w", "wall", made), wall


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
