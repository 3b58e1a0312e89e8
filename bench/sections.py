"""Sections cleaned, bars made, and two issues of a drawing held against each other."""

from __future__ import annotations

import json
import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import shapely
from figures import Figure
from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.library.cleaning import cleaned
from tectogon.linework import Linework
from tectogon.linework.compare import compare
from tectogon.operations import OPERATIONS
from tectogon.solids.placing import shifted
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import Context, SourceFile

BASE = Path(__file__).resolve().parents[1]
Best = Callable[[Callable[[], object]], float]
Row = Callable[[str, str, str, float, float], None]


def bench_sections(best: Best, row: Row, *, quick: bool) -> None:
    """The supplier's catalogue that ships, 200 bars, and two issues of many curves."""
    folder = BASE / "demo" / "supplier"
    rows = json.loads((folder / "catalogue.json").read_text())["sections"][:: 8 if quick else 1]
    began = time.process_time()
    found = [(cleaned(folder / r["file"]).section, r) for r in rows]
    rate = len(rows) / (time.process_time() - began)
    row(f"{len(rows)} drawings cleaned to sections (CPU)", f"{rate:.1f} a second", "5 a second", 5.0 / rate, 1.0)
    wrong = sum(abs(s.said(material="steel").figures()["kg_per_m"] - r["kg_per_m"]) > 1e-3 for s, r in found)
    row(f"{len(rows)} sections: wrong", str(wrong), "none", float(wrong), 0.0)
    many, one = _bars(200), _bars(1)
    body = one().bodies[0]
    ours = best(many)
    theirs = best(one) + best(lambda: [shifted(body, np.array([0.0, 50.0 * n, 0.0])) for n in range(200)])
    row(
        "200 bars side by side (CPU)",
        f"{ours * 1e3:.0f} ms",
        f"one bar and 200 placements {theirs * 1e3:.0f} ms",
        ours / theirs,
        2.0,
    )
    old, new = _issues(5_000 if quick else 50_000)
    ours = best(lambda: compare(old, new))
    trees = best(lambda: [_asked(w) for w in (old, new)])
    row(
        f"Two issues of {len(old):,} curves (CPU)",
        f"{ours:.1f} s",
        f"shapely's tree asked {trees:.2f} s",
        ours / trees,
        1.5,
    )


def _bars(count: int) -> Callable[[], Workpiece]:
    path = Path(tempfile.mkdtemp()) / "section.dxf"
    import ezdxf

    document = ezdxf.new("R2010", units=4)
    Figure().rectangle(0, 0, 40, 30).rectangle(2, 2, 36, 26).draw()(document.modelspace(), document)
    document.saveas(path)
    kind = OPERATIONS["bar"]
    params = kind.params.model_validate({"source": "section.dxf", "count": count, "pitch": 50, "length": 1000})
    context = Context(10, {"section.dxf": SourceFile("section.dxf", path, "x")})
    return lambda: kind.apply(Workpiece(), params, context)


def _issues(count: int) -> tuple[Linework, Linework]:
    chance = random.Random(5)
    old: list[Curve] = []
    while len(old) < count:
        x, y = chance.uniform(0, 5000), chance.uniform(0, 5000)
        if chance.random() < 0.5:
            old.append(Line(x, y, x + chance.uniform(2, 30), y + chance.uniform(2, 30)))
        else:
            old.append(Arc(x, y, chance.uniform(1, 10), 0.0, chance.uniform(1, 6)))
    new = [c for c in old if chance.random() > 0.005]
    new += [Line(x, x, x + 7, x + 3) for x in (chance.uniform(0, 5000) for _ in range(count // 200))]
    return _linework(old), _linework(new)


def _linework(curves: list[Curve]) -> Linework:
    return Linework(CurveTable.of(curves), tuple(f"s1:{n}" for n in range(len(curves))))


def _asked(linework: Linework) -> object:
    boxes = shapely.box(*linework.table.bounds.T)
    return shapely.STRtree(boxes).query(boxes)
