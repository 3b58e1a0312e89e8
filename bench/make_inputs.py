"""Large inputs, made once and kept in var/bench."""

from __future__ import annotations

import math
from pathlib import Path

import ezdxf
import numpy as np
from tectogon.curves import CurveTable

FOLDER = Path(__file__).resolve().parents[1] / "var" / "bench"


def mixed_dxf(count: int) -> Path:
    """60 % lines, 12 % arcs, 12 % polylines with bulges, 8 % circles, 3 % splines, 5 % nested inserts."""
    path = FOLDER / f"mixed-{count}.dxf"
    if path.exists():
        return path
    FOLDER.mkdir(parents=True, exist_ok=True)
    chooser = np.random.default_rng(1)
    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    inner = document.blocks.new("INNER")
    for k in range(5):
        inner.add_line((k, 0), (k, 5))
    outer = document.blocks.new("OUTER")
    outer.add_blockref("INNER", (2, 2), dxfattribs={"rotation": 30})
    outer.add_circle((0, 0), 3)
    places = chooser.uniform(0, 5000, (count, 2))
    for n, (x, y) in enumerate(places.tolist()):
        kind = n % 100
        if kind < 60:
            space.add_line((x, y), (x + 7, y + 3))
        elif kind < 72:
            space.add_arc((x, y), 4, 20, 200)
        elif kind < 84:
            space.add_lwpolyline([(x, y, 0.4), (x + 5, y, 0), (x + 5, y + 5, -0.2), (x, y + 5, 0)], format="xyb", close=True)
        elif kind < 92:
            space.add_circle((x, y), 2.5)
        elif kind < 95:
            space.add_open_spline([(x, y), (x + 2, y + 5), (x + 5, y - 2), (x + 8, y + 1)])
        else:
            space.add_blockref("OUTER", (x, y), dxfattribs={"xscale": 1.5, "yscale": 1.5})
    document.saveas(path)
    return path


def short_lines_dxf(count: int) -> Path:
    """Many short lines, for the sheet."""
    path = FOLDER / f"short-{count}.dxf"
    if path.exists():
        return path
    FOLDER.mkdir(parents=True, exist_ok=True)
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    side = math.isqrt(count)
    for n in range(count):
        x, y = (n % side) * 2.0, (n // side) * 2.0
        space.add_line((x, y), (x + 1.2, y + 0.7 * (n % 3)))
    document.saveas(path)
    return path


def rings(count: int) -> CurveTable:
    """Rings of 12 segments with islands of 6, every tenth with a T junction, every twentieth crossing its neighbour."""
    cells = max(1, count // 19)
    side = math.ceil(math.sqrt(cells))
    rows = []
    for n in range(cells):
        x, y = (n % side) * 30.0, (n // side) * 30.0
        reach = 16.5 if n % 20 == 0 else 12.0
        for radius, corners in ((reach, 12), (5.0, 6)):
            angle = np.linspace(0.0, 2.0 * math.pi, corners + 1)
            p = np.column_stack([x + radius * np.cos(angle), y + radius * np.sin(angle)])
            p[-1] = p[0]
            rows.append(np.concatenate([p[:-1], p[1:]], axis=1))
        if n % 10 == 0:
            rows.append(np.array([[x - 20.0, y + 3.1, x + 0.93 * reach, y + 3.1]]))
        else:
            rows.append(np.array([[x - 1.0, y, x + 1.0, y]]))
    data = np.zeros((sum(len(r) for r in rows), 7))
    data[:, :4] = np.concatenate(rows)
    return CurveTable(np.zeros(len(data), np.uint8), data)
