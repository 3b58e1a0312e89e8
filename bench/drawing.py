"""Generated parts through the drawing sheet and back: drawn, read as a stranger's sheet, built from its views; whether
texts stand free, and whether the dimensions alone give every coordinate."""

from __future__ import annotations

import contextlib
import io
import json
import math
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from drawn_parts import made_part, texts_amiss, unfixed
from figures import Figure
from tectogon.cli import main
from tectogon.display.drawing_sheet import drawn_sheet, sheet_told
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.sheet import _PICTORIAL, Wishes, sheet_of
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.route.card import card_from
from tectogon.route.run import run_card
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.solids.project import edges_seen
from tectogon.views import frame_of


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


def redrawn_bracket(best: Callable[[Callable[[], object]], float]) -> float:
    """How long the clamp bracket's sheet takes to be drawn again for the screen, without the kernel's hidden-line calls
    (s)."""
    folder = Path(__file__).resolve().parents[1] / "demo"
    card = card_from(json.loads((folder / "cards" / "clamp-bracket.json").read_text()))
    workpiece = run_card(card, {name: folder / "files" / name for name in card.sources}).workpiece
    params = DrawSheetParams.model_validate(next(s.params for s in card.steps if s.kind == "draw_sheet"))
    title = dict.fromkeys(("name", "number", "issue", "drawn_by", "date", "owner"), "")
    ours = best(lambda: sheet_told(drawn_sheet(workpiece, params, title)))
    shapes = [b.shape for b in workpiece.bodies]
    frames = [v.view.frame for v in drawn_sheet(workpiece, params, title).views if not v.view.rim]
    return ours - best(lambda: [edges_seen(shapes, frame) for frame in [*frames, _PICTORIAL]])


def plate_of_holes(count: int) -> Body:
    """A plate with so many holes in rows and columns."""
    columns = math.isqrt(2 * count)
    rows = count // columns
    figure = Figure().rectangle(0, 0, 400, 200)
    for n in range(columns * rows):
        figure.circle(15 + (n % columns) * 370 / (columns - 1), 15 + (n // columns) * 170 / (rows - 1), 2)
    regions = figure.regions()
    return Body.of("10:p", "Plate", prism(regions, regions.profiles[0], frame_of("top"), 0.0, 8.0, 10))


if __name__ == "__main__":
    found = round_trips(int(sys.argv[1]) if len(sys.argv) > 1 else 20, int(sys.argv[2]) if len(sys.argv) > 2 else 0)
    for d in found:
        if d.off > 1e-3 or d.overlapping or d.crossing or d.open or d.unfixed:
            print(d)
    print(f"back within 0.1 %: {np.mean([d.off <= 1e-3 for d in found]):.0%} of {len(found)}")
