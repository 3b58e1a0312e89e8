"""Generated parts through the drawing sheet and back: drawn, read as a stranger's sheet, built from its views; whether
texts stand free, and whether the dimensions alone give every coordinate."""

from __future__ import annotations

import contextlib
import io
import itertools
import json
import random
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import made_views
import numpy as np
import shapely
from tectogon.cli import main
from tectogon.curves import CurveTable
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.dimensions import Length, Roundness
from tectogon.drafting.needs import needs_of
from tectogon.drafting.sheet import DrawnSheet, Wishes, sheet_of
from tectogon.solids.body import Body


@dataclass
class Drawn:
    """What came of one part: the share by which its volume is off after the round trip, and what is wrong on its
    sheet."""

    seed: int
    off: float
    overlapping: int
    crossing: int
    open: int
    unfixed: int
    message: str = ""


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


def round_trip(seed: int, folder: Path) -> Drawn:
    """One part drawn, read again and built."""
    body = made_part(seed)
    sheet = sheet_of([body], Wishes(projection="first" if seed % 2 else "third"))
    path = folder / f"sheet-{seed}.dxf"
    path.write_bytes(dxf_of(sheet))
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        main(["views", str(path), "--build", str(folder / f"{seed}.step"), "--json"])
    told = json.loads(out.getvalue())
    volume = told.get("volume_mm3") or 0.0
    overlapping, crossing = texts_amiss(sheet)
    return Drawn(
        seed,
        abs(volume / body.volume - 1.0),
        overlapping,
        crossing,
        len(sheet.open),
        unfixed(body, sheet),
        "; ".join([str(told["message"]), *(r["text"] for r in told.get("remarks", []) if not r["good"])]),
    )


def round_trips(count: int, first: int = 0) -> list[Drawn]:
    """So many generated parts."""
    with tempfile.TemporaryDirectory() as folder:
        return [round_trip(first + n, Path(folder)) for n in range(count)]


if __name__ == "__main__":
    found = round_trips(int(sys.argv[1]) if len(sys.argv) > 1 else 20, int(sys.argv[2]) if len(sys.argv) > 2 else 0)
    for d in found:
        if d.off > 1e-3 or d.overlapping or d.crossing or d.open or d.unfixed:
            print(d)
    print(f"back within 0.1 %: {np.mean([d.off <= 1e-3 for d in found]):.0%} of {len(found)}")
