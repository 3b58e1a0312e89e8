"""The catalogue of a made-up supplier: some forty thin sections, tubes and rails as drawings, with a table of sizes.

python demo/supplier.py        writes demo/supplier/
"""

from __future__ import annotations

import itertools
import json
import math
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import ezdwg
import ezdxf
from reportlab.lib.pagesizes import A4
from reportlab.pdfgen.canvas import Canvas

TO = Path(__file__).resolve().parent / "supplier"
NAME = "Ostrel Profiles"
Point = tuple[float, float]
STEEL = 7.85e-3
"""kg per metre and mm²."""


def line_of(way: list[Point]) -> list[tuple[Point, Point]]:
    return list(itertools.pairwise(way))


def ring(*points: Point) -> list[tuple[Point, Point]]:
    return list(zip(points, (*points[1:], points[0]), strict=True))


def trays() -> Iterator[dict[str, Any]]:
    for wide in (50, 75, 100, 150, 200):
        for high, thick in ((30, 1.0), (60, 1.5)):
            lip = 8.0
            way = [(lip, high), (0, high), (0, 0), (wide, 0), (wide, high), (wide - lip, high)]
            yield {"number": f"OT-{wide}-{high}", "family": "Trays", "line": line_of(way), "thick": thick}


def channels() -> Iterator[dict[str, Any]]:
    for wide, high in ((20, 10), (30, 15), (40, 20), (40, 40), (60, 30), (80, 40)):
        thick = 1.2 if wide < 40 else 2.0
        way = [(0, high), (0, 0), (wide, 0), (wide, high)]
        yield {"number": f"OU-{wide}-{high}", "family": "Channels", "line": line_of(way), "thick": thick}


def angles() -> Iterator[dict[str, Any]]:
    for a, b in ((20, 20), (30, 20), (30, 30), (40, 40), (50, 30), (60, 60)):
        yield {"number": f"OL-{a}-{b}", "family": "Angles", "line": line_of([(0, b), (0, 0), (a, 0)]), "thick": 2.0}


def tubes() -> Iterator[dict[str, Any]]:
    for wide, high, thick in ((20, 20, 1.5), (30, 20, 1.5), (30, 30, 2), (40, 20, 2), (40, 40, 2), (50, 30, 2.5),
                              (60, 40, 3), (80, 40, 3)):  # fmt: skip
        t = thick
        inner = ring((t, t), (wide - t, t), (wide - t, high - t), (t, high - t))
        outer = ring((0, 0), (wide, 0), (wide, high), (0, high))
        yield {"number": f"OR-{wide}-{high}", "family": "Tubes", "ring": outer + inner, "thick": float(thick)}


def rails() -> Iterator[dict[str, Any]]:
    for wide, high in (
        (20, 8),
        (25, 10),
        (30, 12),
        (35, 15),
        (45, 15),
        (50, 20),
        (60, 20),
        (70, 25),
        (80, 30),
        (90, 30),
    ):
        w, h, s = wide, high, wide / 5
        points = [(0, 0), (w, 0), (w, h), (w - s, h), (w - s, h / 2), (s, h / 2), (s, h), (0, h)]
        yield {"number": f"OG-{wide}-{high}", "family": "Rails", "ring": ring(*points), "thick": None}


def sections() -> list[dict[str, Any]]:
    return [*trays(), *channels(), *angles(), *tubes(), *rails()]


def draw(section: dict[str, Any], chance: random.Random, path: Path) -> None:
    """A sheet as the supplier draws it: loose pieces in no order somewhere on the sheet, texts and sizes beside. Its
    tubes and angles are DWG, with the sizes taken apart into lines and texts."""
    x, y = chance.uniform(-300, 300), chance.uniform(-300, 300)
    pieces = list(section.get("line") or section["ring"])
    chance.shuffle(pieces)
    lines = []
    for a, b in pieces:
        a, b = (a, b) if chance.random() < 0.5 else (b, a)
        lines.append(((a[0] + x, a[1] + y), (b[0] + x, b[1] + y)))
    wide, high = extents(section)
    told = [section["number"], f"{section['family']} steel"]
    if section["thick"]:
        told.append(f"t = {section['thick']:g} mm")
    if section["family"] == "Trays":
        told.append(f"pitch {wide:g}")
    texts = [(text, (x, y + high + 8 + 4 * n)) for n, text in enumerate(told)]
    (_draw_dwg if path.suffix == ".dwg" else _draw_dxf)(path, lines, texts, (x, y, wide, high))


def _draw_dxf(path: Path, lines: Any, texts: Any, box: tuple[float, float, float, float]) -> None:
    x, y, wide, high = box
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    document.header["$TDCREATE"] = document.header["$TDUPDATE"] = 2461000.5
    for a, b in lines:
        space.add_line(a, b)
    for p1, p2, base, turn in (((x, y), (x + wide, y), (x, y - 10), 0), ((x, y), (x, y + high), (x - 10, y), 90)):
        space.add_linear_dim(base=base, p1=p1, p2=p2, angle=turn, override={"dimlfac": 1.0}).render()
    for text, at in texts:
        space.add_text(text, height=2.5).set_placement(at)
    document.saveas(path)


def _draw_dwg(path: Path, lines: Any, texts: Any, box: tuple[float, float, float, float]) -> None:
    x, y, wide, high = box
    document = ezdwg.new()
    document.header["insunits"] = 4
    space = document.modelspace()
    off, beyond, head = 10.0, 2.0, 2.5
    size = [((x, y - 1), (x, y - off - beyond)), ((x + wide, y - 1), (x + wide, y - off - beyond))]
    size += [((x, y - off), (x + wide, y - off))]
    size += [((x, y - off), (x + head, y - off + s * 0.4)) for s in (-1, 1)]
    size += [((x + wide, y - off), (x + wide - head, y - off + s * 0.4)) for s in (-1, 1)]
    size += [((x - 1, y), (x - off - beyond, y)), ((x - 1, y + high), (x - off - beyond, y + high))]
    size += [((x - off, y), (x - off, y + high))]
    size += [((x - off, y), (x - off + s * 0.4, y + head)) for s in (-1, 1)]
    size += [((x - off, y + high), (x - off + s * 0.4, y + high - head)) for s in (-1, 1)]
    for a, b in [*lines, *size]:
        space.add_line((*a, 0), (*b, 0))
    for text, at in [*texts, (f"{wide:g}", (x + wide / 2 - 2, y - off + 1))]:
        space.add_text(text, (*at, 0), 2.5)
    space.add_text(f"{high:g}", (x - off - 1, y + high / 2 - 2, 0), 2.5, rotation=90)
    document.save(str(path))


def extents(section: dict[str, Any]) -> Point:
    points = [p for piece in (section.get("line") or section["ring"]) for p in piece]
    return max(p[0] for p in points), max(p[1] for p in points)


def area(section: dict[str, Any]) -> float:
    """mm², by the polygon's own formula: a line with square corners is the outside of its sheet."""
    if "line" in section:
        long = sum(math.dist(a, b) for a, b in section["line"])
        return float(section["thick"] * (long - section["thick"] * (len(section["line"]) - 1)))
    wide, high = extents(section)
    if section["family"] == "Tubes":
        t = section["thick"]
        return float(wide * high - (wide - 2 * t) * (high - 2 * t))
    return float(wide * high - (wide - 2 * wide / 5) * high / 2)


def main() -> None:
    TO.mkdir(exist_ok=True)
    chance = random.Random(11)
    rows = []
    for section in sections():
        name = f"{section['number'].lower()}.{'dwg' if section['family'] in ('Tubes', 'Angles') else 'dxf'}"
        if not (TO / name).exists():
            draw(section, chance, TO / name)
        wide, high = extents(section)
        rows.append(
            {
                "number": section["number"],
                "family": section["family"],
                "file": name,
                "wide_mm": wide,
                "high_mm": high,
                "thickness_mm": section["thick"],
                "kg_per_m": round(area(section) * STEEL, 4),
            }
        )
    (TO / "catalogue.json").write_text(json.dumps({"name": NAME, "sections": rows}, indent=1) + "\n")
    page = Canvas(str(TO / "sizes.pdf"), pagesize=A4, invariant=1)
    page.setFont("Helvetica-Bold", 14)
    page.drawString(50, 790, f"{NAME}: sizes in mm")
    page.setFont("Helvetica", 9)
    for n, row in enumerate(rows):
        y = 765 - 17 * n
        for x, key in ((50, "number"), (150, "family"), (250, "wide_mm"), (310, "high_mm"), (370, "thickness_mm"), (430, "kg_per_m")):  # noqa: E501  # fmt: skip
            page.drawString(x, y, "" if row[key] is None else f"{row[key]}")
    page.save()
    print(f"{len(rows)} sections")


if __name__ == "__main__":
    main()
