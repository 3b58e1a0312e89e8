"""Turned parts with what breaks the turned shape: out of a section along the axis and an end view, drawn here."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from tectogon.cli import main
from tectogon.route import Run

HOLES = 4
FLANGE = math.pi * (40**2 * 10 + 18**2 * 20 - 8**2 * 30 - HOLES * 4**2 * 10)
KEY = 30 * (6 * 11 - (3 * math.sqrt(64 - 9) + 64 * math.asin(3 / 8)))
"""What a key of 6 takes out of the hub beyond the bore, up to 11 over the middle."""


def sheet(folder: Path, *, half: bool, key: bool = False) -> Path:
    """A flange with a hub, a bore and four holes: cut along its axis, whole or half, and seen from its end."""
    document = ezdxf.new("R2010", units=4)
    document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4])
    space = document.modelspace()

    def chain(*points: tuple[float, float], closed: bool = True) -> None:
        space.add_lwpolyline(points, close=closed)

    def axis(*ends: tuple[float, float]) -> None:
        space.add_line(*ends, dxfattribs={"linetype": "CENTER"})

    for way in (1,) if half else (1, -1):
        inner = [(0, 8), (30, 8), (30, 18), (10, 18), (10, 25), (0, 25)]
        rim = [(0, 33), (10, 33), (10, 40), (0, 40)]
        for ring in (inner, rim):
            flipped = [(x, way * y) for x, y in ring]
            chain(*flipped)
            hatch = space.add_hatch(dxfattribs={"layer": "SECTION"})
            hatch.set_pattern_fill("ANSI31", scale=0.5)
            hatch.paths.add_polyline_path(flipped, is_closed=True)
        for x in (0, 10):
            space.add_line((x, way * 25), (x, way * 33))
        for x in (0, 30):
            space.add_line((x, 0), (x, way * 8))
        axis((-3, way * 29), (13, way * 29))
    if half:
        chain((0, 0), (0, -40), (10, -40), (10, -18), (30, -18), (30, 0), closed=False)
        space.add_line((10, -18), (10, 0))
    axis((-6, 0), (36, 0))
    x, y = 120.0, 0.0
    for radius in (40, 18):
        space.add_circle((x, y), radius)
    if key:
        out = math.sqrt(64 - 9)
        start = math.degrees(math.atan2(out, 3))
        space.add_arc((x, y), 8, 180 - start, 360 + start)
        chain((x + 3, y + out), (x + 3, y + 11), (x - 3, y + 11), (x - 3, y + out), closed=False)
    else:
        space.add_circle((x, y), 8)
    for n in range(HOLES):
        a = math.pi / 2 * n
        space.add_circle((x + 29 * math.cos(a), y + 29 * math.sin(a)), 4)
    axis((x - 45, y), (x + 45, y))
    axis((x, y - 45), (x, y + 45))
    document.saveas(folder / "flange.dxf")
    return folder / "flange.dxf"


@pytest.mark.parametrize("half", [True, False])
@pytest.mark.parametrize("key", [True, False])
def test_a_flange_is_turned_and_its_holes_and_key_are_cut(
    half: bool, key: bool, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = sheet(tmp_path, half=half, key=key)
    assert main(["views", str(path), "--build", str(tmp_path / "part.step"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["volume_mm3"] == pytest.approx(FLANGE - key * KEY, rel=1e-6)
    assert [r["code"] for r in told["remarks"]] == ["part_revolved"] and told["certain"] is False


def test_its_steps_make_the_same_part(tmp_path: Path, on_card: Callable[..., Run]) -> None:
    path = sheet(tmp_path, half=True)
    arranged: tuple[str, dict[str, Any]] = ("arrange", {})
    run = on_card(path, arranged, ("from_views", {}))
    assert run.failed is None, run.failed
    again = on_card(path, arranged, *run.workpiece.as_steps)
    assert again.failed is None, again.failed
    for made in (run, again):
        assert sum(b.volume for b in made.workpiece.bodies) == pytest.approx(FLANGE, rel=1e-6)


def over_disc(radius: float, height: Callable[[float], float]) -> float:
    """The integral over a disc of a height that depends on y alone."""
    y = np.linspace(-radius, radius, 200_001)
    return float(np.trapezoid(2 * np.sqrt(np.maximum(radius**2 - y**2, 0)) * np.vectorize(height)(y), y))


def shaft(folder: Path) -> tuple[Path, float]:
    """A shaft of three steps with a hole in its left end, a cross hole, and a key seat on its right step, seen
    lengthwise and from the right (third angle); and its volume (mm³)."""
    document = ezdxf.new("R2010", units=4)
    document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4])
    document.linetypes.add("HIDDEN", pattern=[6, 4, -2])
    space = document.modelspace()

    def line(a: tuple[float, float], b: tuple[float, float], kind: str = "CONTINUOUS") -> None:
        space.add_line(a, b, dxfattribs={"linetype": kind})

    steps = [(0, 40, 10), (40, 80, 15), (80, 120, 12)]
    for n, (x0, x1, r) in enumerate(steps):
        line((x0, r), (x1, r))
        line((x0, -r), (x1, -r))
        before = steps[n - 1][2] if n else 0
        line((x0, -max(r, before)), (x0, max(r, before)))
    line((120, -steps[-1][2]), (120, steps[-1][2]))
    for ends in (((0, 4), (15, 4)), ((15, 4), (15, -4)), ((15, -4), (0, -4))):
        line(*ends, "HIDDEN")
    space.add_circle((60, 0), 3)
    line((-8, 0), (128, 0), "CENTER")
    x = 190.0
    line((x - 20, 0), (x + 20, 0), "CENTER")
    line((x, -20), (x, 20), "CENTER")
    for r, kind in ((15, "CONTINUOUS"), (12, "CONTINUOUS"), (10, "HIDDEN"), (4, "HIDDEN")):
        space.add_circle((x, 0), r, dxfattribs={"linetype": kind})
    for y in (3, -3):
        reach = math.sqrt(15**2 - y**2)
        line((x - reach, y), (x + reach, y), "HIDDEN")
    volume = math.pi * (10**2 * 40 + 15**2 * 40 + 12**2 * 40 - 4**2 * 15)
    volume -= over_disc(3, lambda y: 2 * math.sqrt(15**2 - y * y))
    space.add_arc((92, 0), 4, 90, 270)
    space.add_arc((108, 0), 4, 270, 90)
    line((92, 4), (108, 4))
    line((92, -4), (108, -4))
    reach = math.sqrt(12**2 - 4**2)
    for a, b in (((8, 4), (8, -4)), ((8, 4), (reach, 4)), ((8, -4), (reach, -4))):
        line((x - a[0], a[1]), (x - b[0], b[1]), "HIDDEN")
    y = np.linspace(-4, 4, 200_001)
    volume -= 16 * float(np.trapezoid(np.sqrt(12**2 - y**2) - 8, y))
    volume -= over_disc(4, lambda y: math.sqrt(12**2 - y * y) - 8)
    document.saveas(folder / "shaft.dxf")
    return folder / "shaft.dxf", volume


def test_a_shaft_has_its_holes_and_its_key_seat(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path, volume = shaft(tmp_path)
    assert main(["views", str(path), "--build", str(tmp_path / "part.step"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["volume_mm3"] == pytest.approx(volume, rel=1e-6)
    assert told["certain"] is False


def shaft_with_flats(folder: Path) -> Path:
    """A shaft of 40 and 30 across, two flats 22 apart on the last 15 of its 60."""
    document = ezdxf.new("R2010", units=4)
    document.linetypes.add("CENTER", pattern=[32, 20, -4, 4, -4])
    space = document.modelspace()
    for way in (1, -1):
        outline = [(0, 0), (0, 20), (30, 20), (30, 15), (45, 15), (45, 11), (60, 11), (60, 0)]
        space.add_lwpolyline([(x, way * y) for x, y in outline])
    space.add_line((30, -15), (30, 15))
    space.add_line((-6, 0), (66, 0), dxfattribs={"linetype": "CENTER"})
    for radius in (20, 15):
        space.add_circle((120, 0), radius)
    run = math.sqrt(15**2 - 11**2)
    for y in (11, -11):
        space.add_line((120 - run, y), (120 + run, y))
    space.add_line((95, 0), (145, 0), dxfattribs={"linetype": "CENTER"})
    space.add_line((120, -25), (120, 25), dxfattribs={"linetype": "CENTER"})
    document.saveas(folder / "flats.dxf")
    return folder / "flats.dxf"


def test_flats_are_as_deep_as_their_chords(tmp_path: Path, on_card: Callable[..., Run]) -> None:
    path = shaft_with_flats(tmp_path)
    run = on_card(path, ("arrange", {"projection": "third"}), ("from_views", {}))
    assert run.failed is None, run.failed
    assert [kind for kind, _ in run.workpiece.as_steps].count("revolve") == 1
    between = 2.0 * (11 * math.sqrt(15**2 - 11**2) + 15**2 * math.asin(11 / 15))
    exact = math.pi * (20**2 * 30 + 15**2 * 15) + between * 15
    assert sum(b.volume for b in run.workpiece.bodies) == pytest.approx(exact, rel=1e-6)
    apart = on_card(path, ("arrange", {"projection": "third"}), *run.workpiece.as_steps)
    assert apart.failed is None, apart.failed
    assert sum(b.volume for b in apart.workpiece.bodies) == pytest.approx(exact, rel=1e-6)
