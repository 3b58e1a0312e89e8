"""Write the demo company's files, their truths, and the route cards of its finished parts.

python demo/make.py        writes demo/files/, demo/truth.json and demo/cards/
"""

from __future__ import annotations

import hashlib
import json
import math
import sys
import tempfile
from pathlib import Path
from typing import Any

import shapely
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.route import Card, Run, Step, run_card
from tectogon.solids.body import Body
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.profile_picks import pick_of

HERE = Path(__file__).resolve().parent
sys.path.insert(0, str(HERE))

from drawings import BRACKET, DRAWINGS, write_drawing  # noqa: E402
from sources import SOURCES  # noqa: E402

Point = tuple[float, float, float]
NOSE = 15.0
"""The sensor bracket's end is rounded by so much, in the flat (mm)."""
TRAY = {"thick": 1.2, "radius": 1.5, "width": 500.0}


class Writer:
    """Writes a card step by step, picking regions by a point as a person would by pointing."""

    def __init__(self, name: str, file: str, **reading: Any) -> None:
        self.name = name
        self.path = HERE / "files" / file
        self.file = file
        self.art: list[str] = []
        self.steps: list[Step] = []
        self.add("read", source=file, **reading)

    def card(self) -> Card:
        files = (self.file, *self.art)
        hashes = {name: hashlib.sha256((HERE / "files" / name).read_bytes()).hexdigest() for name in files}
        return Card(steps=tuple(self.steps), sources=hashes)

    def run(self) -> Run:
        card = self.card()
        return run_card(card, {name: HERE / "files" / name for name in card.sources})

    def engrave(self, art: str, nearest: Point, **params: Any) -> None:
        """Art on the flat face whose middle is nearest to a place."""
        from tectogon.solids import measure

        self.art.append(art)
        flat = []
        for body in self.run().workpiece.bodies:
            for name, face in zip(body.names, body.faces, strict=True):
                plane = measure.plane_of(face)
                if plane is not None:
                    flat.append((math.dist(plane[0].tolist(), nearest), name.key, body.key, plane))
        _, key, body_key, plane = min(flat, key=lambda f: f[0])
        face = {
            "name": key,
            "body": body_key,
            "normal": plane[1].round(9).tolist(),
            "point": plane[0].round(6).tolist(),
        }
        self.add("engrave", source=art, face=face, **params)

    def edge(self, at: Point) -> dict[str, Any]:
        """The edge that passes nearest to a place, as a pick."""
        from tectogon.solids import kernel, measure

        body = self.run().workpiece.bodies[0]
        number = min(range(len(body.edges)), key=lambda n: measure.distance_to(body.edges[n], at))
        faces = kernel.faces_along_edges(body.shape)[number]
        return {"edge": {"faces": [body.names[f].key for f in faces], "point": at}}

    def add(self, kind: str, *, on: str = "", **params: Any) -> None:
        """One step more; `on`: the sheet that it works on."""
        self.steps.append(Step(number=10 * (len(self.steps) + 1), kind=kind, params=params, sheet=on))

    def pick(self, *points: tuple[float, float]) -> dict[str, Any]:
        workpiece = self.run().workpiece
        return {"rule": "picked", "picks": [_pick(workpiece, p) for p in points]}

    def write(self) -> Run:
        outcome = self.run()
        card = {"name": self.name, **self.card().model_dump(mode="json")}
        (HERE / "cards" / f"{self.path.stem}.json").write_text(json.dumps(card, indent=1) + "\n")
        return outcome


def _pick(workpiece: Workpiece, at: tuple[float, float]) -> dict[str, Any]:
    """The smallest region that holds the point, as a pick."""
    regions = workpiece.drawing.regions
    best = None
    for region in regions.regions:
        shape = shapely.Polygon(
            regions.ring_points(region.outer, 0.01), [regions.ring_points(h, 0.01) for h in region.holes]
        )
        if shapely.contains_xy(shape, *at) and (best is None or region.area < best.area):
            best = region
    assert best is not None, f"no closed region at {at}"
    return pick_of(regions, best).model_dump(mode="json")


def clamp_bracket() -> Writer:
    w = Writer("Clamp bracket", "clamp-bracket.dxf")
    w.add("leave_out", layers=["BORDER"])
    w.add("join_ends", distance="0.15 mm")
    w.add("fold", view="front", box=[-5, -5, 115, 90])
    w.add("fold", view="top", box=[-5, 125, 116, 196])
    w.add("fold", view="right", box=[145, -5, 215, 90])
    w.add("extrude", profiles=w.pick((50, 6)), length=f"{BRACKET['width']:g} mm", side="away")
    w.add("cut", profiles=w.pick((180, 6), (155, 30), (180, 52)), takes="outside")
    w.add("cut", profiles=w.pick((180, 52)))
    w.add("cut", profiles=w.pick((80.4, 144), (80.4, 176)))
    w.add("round_edges", pieces=[w.edge((BRACKET["upright"], BRACKET["width"] / 2, BRACKET["base"]))], size="8 mm")
    w.add("material", material="aluminium")
    inside = {"view": "front", "at": (BRACKET["upright"] + 3.0, BRACKET["base"] + 3.0), "radius": 9.0, "times": 2.0}
    w.add("draw_sheet", sections=[{"axis": "y", "at": BRACKET["width"] / 2}], details=[inside])
    return w


def keel_fin() -> Writer:
    w = Writer("Keel fin", "keel-fin.dat", unit="180")
    fin = {"to": "chord", "chord": "110 mm", "apart": "300 mm", "back": "40 mm", "turned": -2, "about": 25}
    w.add("loft", profiles={"rule": "material"}, **fin)
    w.add("material", material="aluminium")
    return w


def carrying_handle() -> Writer:
    w = Writer("Carrying handle", "carrying-handle.dxf")
    w.add("leave_out", layers=["BORDER"])
    w.add("carry", profiles=w.pick((-42, 20)), turned=90)
    w.add("material", material="brass")
    return w


def guide_rail() -> Writer:
    w = Writer("Guide rail, 250 mm", "guide-rail.dxf")
    w.add("extrude", profiles={"rule": "material"}, length="250 mm")
    w.add("material", material="aluminium")
    return w


def three_thicknesses() -> Writer:
    w = Writer("Plate of three thicknesses", "plate-three-thicknesses.dxf")
    w.add("extrude", profiles=w.pick((78, 45)), length="14 mm", extent="half_each_side")
    w.add("extrude", profiles=w.pick((45, 30)), length="8 mm", extent="half_each_side", result="join")
    w.add("extrude", profiles=w.pick((5, 30)), length="4 mm", extent="half_each_side", result="join")
    w.add("material", material="steel")
    return w


def flat_parts() -> list[Writer]:
    """Parts that are one thickness of what a file holds."""
    out = []
    for name, file, thickness, material, reading in (
        ("Heron badge", "heron-badge.svg", "2 mm", "brass", {}),
        ("Antenna coupler image", "antenna-coupler.gbr", "0.5 mm", "copper", {}),
        ("Gauge board lettering", "gauge-board-lettering.pdf", "3 mm", "aluminium", {"strokes": "outline"}),
        ("Gasket", "gasket.png", "2 mm", "nitrile_rubber", {}),
    ):
        w = Writer(name, file, **reading)
        if file == "gauge-board-lettering.pdf":
            frame = [key for key in w.run().workpiece.drawing.linework.ids if ":o5." in key]
            w.add("leave_out", curves=frame)
            w.add("extrude", profiles={"rule": "material"}, length=thickness)
        else:
            w.add("extrude", profiles={"rule": "material"}, length=thickness)
        w.add("material", material=material)
        out.append(w)
    return out


def parts_from_views() -> list[Writer]:
    """Parts that are built from the views of their sheets, in the ordinary steps that come of it."""
    out = []
    for name, file, material in (
        ("Sensor bracket", "sensor-bracket.dxf", "aluminium"),
        ("Sonde cap", "sonde-cap.svg", "brass"),
        ("Mast shoe", "mast-shoe.dwg", "steel"),
        ("Winch spindle", "winch-spindle.dxf", "stainless_steel"),
    ):
        w = Writer(name, file)
        aside = sorted({a.kind for a in w.run().workpiece.drawing.proposals} - {"hidden", "guides"})
        if aside:
            w.add("leave_out", proposals=aside)
        w.add("mend")
        w.add("arrange")
        for kind, params in steps_from_views(w.run().workpiece):
            w.add(kind, **params)
        if file == "sonde-cap.svg":
            box = w.run().workpiece.bodies[0]
            w.engrave("heron-badge.svg", _highest(box), depth="0.4 mm", width="20 mm")
        if file == "sensor-bracket.dxf":
            w.add("sheet_metal")
            w.add("blank_sheet", on="Blank")
            w.add("corner_flat", on="Blank", which="picked", points=nose_of(w.run().workpiece), size=f"{NOSE:g} mm")
        w.add("material", material=material)
        if file == "sonde-cap.svg":
            w.add("draw_sheet", projection="third")
        out.append(w)
    return out


def cable_tray_section() -> Writer:
    w = Writer("Cable tray, 500 mm", "cable-tray.dxf")
    w.add(
        "sheet_from_line",
        thickness=f"{TRAY['thick']:g} mm",
        width=f"{TRAY['width']:g} mm",
        radius=f"{TRAY['radius']:g} mm",
    )
    w.add("material", material="steel")
    return w


def nose_of(workpiece: Workpiece) -> list[dict[str, Any]]:
    """The two corners of the blank that lie farthest from its one bend."""
    from tectogon.operations.sheet_metal import blank_of

    blank = blank_of(workpiece, at_origin=False)
    (zone,) = blank.zones
    x0, y0, x1, y1 = blank.region.bounds
    corners = sorted(((x, y) for x in (x0, x1) for y in (y0, y1)), key=lambda c: abs((c - zone.start) @ zone.across))
    return [{"at": [round(v, 6) for v in c]} for c in corners[-2:]]


def _tray() -> float:
    """The tray's volume: its line is the outside of four bends of 90° (mm³)."""
    thick, radius = TRAY["thick"], TRAY["radius"]
    flats = 240.0 - 8.0 * (radius + thick)
    return TRAY["width"] * (flats * thick + math.pi * ((radius + thick) ** 2 - radius**2))


def _painted(width: float) -> float:
    """What the badge paints at a width, mm²."""
    regions = Writer("Heron badge", "heron-badge.svg").run().workpiece.drawing.regions
    low, high = (f(r.bounds[k] for r in regions.regions) for f, k in ((min, 0), (max, 2)))
    return sum(r.area for r in regions.profiles) * (width / (high - low)) ** 2


def _highest(body: Body) -> Point:
    """A place over the top of a body."""
    from tectogon.solids import measure

    x0, y0, _, x1, y1, z1 = measure.bounds(body.shape)
    return ((x0 + x1) / 2, (y0 + y1) / 2, z1)


def main() -> None:
    for folder in ("files", "cards"):
        (HERE / folder).mkdir(exist_ok=True)
    truths = {name: _kept(name) for name in (*DRAWINGS, *SOURCES)}
    # its corner bent by 1.5 mm inside and 3 mm outside, 30 mm wide
    bent = (1.0 - math.pi / 4.0) * (3.0**2 - 1.5**2) * 30.0
    rounded = 2.0 * (1.0 - math.pi / 4.0) * NOSE**2 * 1.5
    truths["sensor-bracket.dxf"]["finished_mm3"] = truths["sensor-bracket.dxf"]["volume_mm3"] - bent - rounded
    truths["cable-tray.dxf"]["finished_mm3"] = _tray()
    truths["sonde-cap.svg"]["finished_mm3"] = truths["sonde-cap.svg"]["volume_mm3"] - 0.4 * _painted(20.0)
    (HERE / "truth.json").write_text(json.dumps(truths, indent=1) + "\n")
    from tectogon.solids import measure

    for writer in (
        clamp_bracket(),
        guide_rail(),
        three_thicknesses(),
        keel_fin(),
        carrying_handle(),
        cable_tray_section(),
        *flat_parts(),
        *parts_from_views(),
    ):
        outcome = writer.write()
        volume = sum(measure.volume(b.shape) for b in outcome.workpiece.bodies)
        for step in outcome.steps:
            print(f"  {step.number:4} {step.status:6} {''.join(t.text for t in step.sentence)}  {step.message}")
        print(
            f"{writer.name}: {len(outcome.workpiece.bodies)} bodies, {volume:.3f} mm³, truth"
            f" {truths[writer.file].get('finished_mm3', truths[writer.file].get('volume_mm3', 0)):.3f} mm³"
        )


def _kept(name: str) -> dict[str, Any]:
    """Write a drawing unless it is there: its bytes carry a date, and the cards name them by hash."""
    folder = HERE / "files"
    if (folder / name).exists() and "--again" not in sys.argv:
        return dict(DRAWINGS[name]()[1]) if name in DRAWINGS else SOURCES[name](Path(tempfile.mkdtemp()) / name)
    return write_drawing(name, folder) if name in DRAWINGS else SOURCES[name](folder / name)


if __name__ == "__main__":
    main()
