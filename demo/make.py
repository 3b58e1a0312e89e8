"""Write the demo company's files, their truths, and the route cards of its finished parts.

python demo/make.py        writes demo/files/, demo/truth.json and demo/cards/
"""

from __future__ import annotations

import hashlib
import json
import sys
import tempfile
from pathlib import Path
from typing import Any

import shapely
from tectogon.reconstruction.part_from_views import steps_from_views
from tectogon.route import Card, Run, Step, run_card
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.profile_picks import pick_of

HERE = Path(__file__).resolve().parent
sys.path.insert(0, str(HERE))

from drawings import BRACKET, DRAWINGS, write_drawing  # noqa: E402
from sources import SOURCES  # noqa: E402


class Writer:
    """Writes a card step by step, picking regions by a point as a person would by pointing."""

    def __init__(self, name: str, file: str, **reading: Any) -> None:
        self.name = name
        self.path = HERE / "files" / file
        self.file = file
        self.steps: list[Step] = []
        self.add("read", source=file, **reading)

    def run(self) -> Run:
        sha = hashlib.sha256(self.path.read_bytes()).hexdigest()
        return run_card(Card(steps=tuple(self.steps), sources={self.file: sha}), {self.file: self.path})

    def add(self, kind: str, **params: Any) -> None:
        self.steps.append(Step(number=10 * (len(self.steps) + 1), kind=kind, params=params))

    def pick(self, *points: tuple[float, float]) -> dict[str, Any]:
        workpiece = self.run().workpiece
        return {"rule": "picked", "picks": [_pick(workpiece, p) for p in points]}

    def write(self) -> Run:
        outcome = self.run()
        sha = hashlib.sha256(self.path.read_bytes()).hexdigest()
        card = {"name": self.name, **Card(steps=tuple(self.steps), sources={self.file: sha}).model_dump(mode="json")}
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
    w.add("material", material="aluminium")
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
        ("Keel fin", "keel-fin.dat", "60 mm", "aluminium", {"unit": "180"}),
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
    ):
        w = Writer(name, file)
        aside = sorted({a.kind for a in w.run().workpiece.drawing.proposals} - {"hidden", "guides"})
        if aside:
            w.add("leave_out", proposals=aside)
        w.add("mend")
        w.add("arrange")
        for kind, params in steps_from_views(w.run().workpiece):
            w.add(kind, **params)
        w.add("material", material=material)
        out.append(w)
    return out


def main() -> None:
    for folder in ("files", "cards"):
        (HERE / folder).mkdir(exist_ok=True)
    truths = {name: _kept(name) for name in (*DRAWINGS, *SOURCES)}
    (HERE / "truth.json").write_text(json.dumps(truths, indent=1) + "\n")
    from tectogon.solids import measure

    for writer in (clamp_bracket(), guide_rail(), three_thicknesses(), *flat_parts(), *parts_from_views()):
        outcome = writer.write()
        volume = sum(measure.volume(b.shape) for b in outcome.workpiece.bodies)
        for step in outcome.steps:
            print(f"  {step.number:4} {step.status:6} {''.join(t.text for t in step.sentence)}  {step.message}")
        print(
            f"{writer.name}: {len(outcome.workpiece.bodies)} bodies, {volume:.3f} mm³, truth"
            f" {truths[writer.file].get('volume_mm3', 0):.3f} mm³"
        )


def _kept(name: str) -> dict[str, Any]:
    """Write a drawing unless it is there: its bytes carry a date, and the cards name them by hash."""
    folder = HERE / "files"
    if (folder / name).exists() and "--again" not in sys.argv:
        return dict(DRAWINGS[name]()[1]) if name in DRAWINGS else SOURCES[name](Path(tempfile.mkdtemp()) / name)
    return write_drawing(name, folder) if name in DRAWINGS else SOURCES[name](folder / name)


if __name__ == "__main__":
    main()
