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
            space.add_lwpolyline(
                [(x, y, 0.4), (x + 5, y, 0), (x + 5, y + 5, -0.2), (x, y + 5, 0)], format="xyb", close=True
            )
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


def mixed_dwg(count: int) -> Path:
    """Lines, arcs, circles, polylines with bulges and placements of a block, as DWG."""
    path = FOLDER / f"mixed-{count}.dwg"
    if path.exists():
        return path
    FOLDER.mkdir(parents=True, exist_ok=True)
    import ezdwg

    drawing = ezdwg.new()
    block = drawing.blocks.new("CROSS")
    block.add_line((-1, 0, 0), (1, 0, 0))
    block.add_line((0, -1, 0), (0, 1, 0))
    space = drawing.modelspace()
    for n, (x, y) in enumerate(np.random.default_rng(2).uniform(0, 5000, (count, 2)).tolist()):
        kind = n % 20
        if kind < 12:
            space.add_line((x, y, 0), (x + 7, y + 3, 0))
        elif kind < 15:
            space.add_arc((x, y, 0), 4, 20, 200)
        elif kind < 17:
            space.add_circle((x, y, 0), 2.5)
        elif kind < 19:
            space.add_lwpolyline([(x, y), (x + 5, y), (x + 5, y + 5), (x, y + 5)], closed=True)
        else:
            space.add_blockref("CROSS", (x, y, 0))
    drawing.save(str(path))
    return path


def paths_svg(segments: int) -> Path:
    """Closed paths of lines, cubic and quadratic Béziers and arcs, 40 segments each."""
    path = FOLDER / f"paths-{segments}.svg"
    if path.exists():
        return path
    FOLDER.mkdir(parents=True, exist_ok=True)
    chooser, out = np.random.default_rng(3), []
    for n in range(segments // 40):
        x, y = 60.0 * (n % 25), 60.0 * (n // 25)
        words = [f"M {x + 20:.3f} {y:.3f}"]
        for k in range(1, 41):
            a = 2 * math.pi * k / 40
            r = 20 + 3 * chooser.random() if k < 40 else 20.0
            px, py = x + r * math.cos(a), y + r * math.sin(a)
            cx, cy = x + 23 * math.cos(a - 0.08), y + 23 * math.sin(a - 0.08)
            words.append(
                (
                    f"L {px:.3f} {py:.3f}",
                    f"C {cx:.3f} {cy:.3f} {cx:.3f} {cy:.3f} {px:.3f} {py:.3f}",
                    f"Q {cx:.3f} {cy:.3f} {px:.3f} {py:.3f}",
                    f"A 9 9 0 0 1 {px:.3f} {py:.3f}",
                )[k % 4]
            )
        out.append(f'<path d="{" ".join(words)} Z"/>')
    path.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="1500mm" height="1500mm" viewBox="0 0 1500 1500">'
        + "".join(out)
        + "</svg>"
    )
    return path


def large_picture() -> tuple[Path, float]:
    """Ten megapixels of discs, rounded bars and letters' worth of corners, smooth at the edges; and the dark area in
    pixels."""
    path = FOLDER / "large.png"
    truth = FOLDER / "large.txt"
    if not path.exists():
        import cv2

        FOLDER.mkdir(parents=True, exist_ok=True)
        fine = np.full((2625 * 4, 3810 * 4), 255, np.uint8)
        for n in range(24):
            cx, cy = 600 + 2000 * (n % 6) + 500, 1300 + 2500 * (n // 6)
            if n % 3 == 0:
                cv2.circle(fine, (cx, cy), 700, 0, -1)
                cv2.circle(fine, (cx, cy), 300, 255, -1)
            elif n % 3 == 1:
                cv2.fillPoly(
                    fine,
                    [
                        np.array(
                            [(cx - 700, cy - 800), (cx + 650, cy - 500), (cx + 500, cy + 700), (cx - 300, cy + 300)],
                            np.int32,
                        )
                    ],
                    0,
                )
            else:
                cv2.ellipse(fine, (cx, cy), (750, 350), 25.0, 0, 360, 0, -1)
        truth.write_text(str(float((fine == 0).sum()) / 16.0))
        cv2.imwrite(str(path), fine.reshape(2625, 4, 3810, 4).mean(axis=(1, 3)).round().astype(np.uint8))
    return path, float(truth.read_text())


def foil_tables(count: int) -> list[Path]:
    """Foil sections of 80 points."""
    folder = FOLDER / f"foils-{count}"
    paths = [folder / f"foil-{n}.dat" for n in range(count)]
    if not paths[-1].exists():
        folder.mkdir(parents=True, exist_ok=True)
        t = np.linspace(0.0, 2 * math.pi, 81)
        for n, path in enumerate(paths):
            x = 0.5 * (1 + np.cos(t))
            y = (0.08 + 1e-5 * n) * np.sin(t) * (1 - x) ** 0.5 * np.where(x > 0.999999, 0.0, 1.0) + 0.0
            path.write_text(
                f"foil {n}\n"
                + "\n".join(f"{a:.6f} {b:.6f}" for a, b in zip(x.tolist(), y.tolist(), strict=True))
                + "\n"
            )
    return paths


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
