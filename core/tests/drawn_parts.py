"""Generated parts on drawing sheets, and what can be asked of a sheet without asking who drew it: whether texts stand
free, and whether its dimensions alone give every coordinate."""

from __future__ import annotations

import argparse
import contextlib
import io
import itertools
import random
from pathlib import Path

import made_views
import numpy as np
import shapely
from figures import Figure
from tectogon.cli.answers import Answer
from tectogon.cli.views import folded_views
from tectogon.curves import CurveTable
from tectogon.drafting.dimensions import Length, Roundness
from tectogon.drafting.needs import needs_of
from tectogon.drafting.sheet import DrawnSheet
from tectogon.formats import OPTIONS
from tectogon.solids import measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.model import Workpiece


def made_part(seed: int) -> Body:
    """A plate, a part with bosses and pockets, one with turned faces, or a shaft."""
    chance = random.Random(seed)
    size = [float(chance.randrange(*span, 2)) for span in ((40, 120), (30, 80), (24, 70))]
    make = (made_views._part, made_views._rich_part, made_views._conical_part, made_views._shaft)[seed % 4]
    if seed % 4 == 3:
        size[2] = size[1]
    return Body.of("10:p", f"part {seed}", make(chance, *size))


def texts_amiss(sheet: DrawnSheet) -> tuple[int, int]:
    """How many pairs of texts of dimensions overlap, and how many texts lie across an outline."""
    boxes = [shapely.Polygon(t.corners) for one in sheet.placed for t in one.ink.texts]
    overlapping = sum(a.intersects(b) for a, b in itertools.combinations(boxes, 2))
    outlines = []
    for stroke in sheet.ink.strokes:
        if stroke.pen in ("outline", "frame", "grid"):
            outlines.append(shapely.LineString(CurveTable.of([stroke.curve]).flatten(0.02)[0]))
    tree = shapely.STRtree(outlines)
    return overlapping, sum(bool(len(tree.query(box, predicate="intersects"))) for box in boxes)


def unfixed(body: Body, sheet: DrawnSheet) -> int:
    """How many coordinates and radii of a part can't be had from the texts of its dimensions alone: what a length
    states is added on from what is known already, beginning with the smallest coordinate of each axis."""
    needs = needs_of([body])
    count = 0
    for axis in range(3):
        wanted = [c.value for c in needs.on(axis)]
        if not wanted:
            continue
        known = [wanted[0]]
        lengths = [(p.dimension, p.text) for p in sheet.placed if isinstance(p.dimension, Length)]
        for _ in range(len(lengths)):
            for d, text in lengths:
                if d.axis != axis or text.startswith("("):
                    continue
                for at in [k for k in known if abs(k - d.low) < 0.02]:
                    step = float(text.split()[1]) if d.count > 1 else float(text)
                    known += [at + step * (n + 1) for n in range(d.count)]
            known = sorted({round(k, 4) for k in known})
        count += sum(min(abs(k - v) for k in known) > 0.02 for v in wanted)
    stated = [p.dimension.radius for p in sheet.placed if isinstance(p.dimension, Roundness)]
    return count + sum(min((abs(r.radius - s) for s in stated), default=9.0) > 0.01 for r in needs.rounds)


def read_back(path: Path) -> Workpiece:
    """A sheet as a stranger reads it: its views found, lined up and folded."""
    usual = {name: option.usual for name, option in OPTIONS.items()}
    options = argparse.Namespace(
        **{**usual, "units": None, "tolerance": None, "no_mend": False, "layer": [], "keep_all": False}
    )
    with contextlib.redirect_stderr(io.StringIO()):
        workpiece, _, _ = folded_views(path, options, Answer(str(path)))
    return workpiece


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
