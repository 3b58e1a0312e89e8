"""Solids that come from elsewhere as STEP."""

from __future__ import annotations

from pathlib import Path

import pytest
from figures import Figure
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
from OCP.gp import gp_Pnt, gp_Trsf, gp_Vec
from OCP.Interface import Interface_Static
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFDoc import XCAFDoc_DocumentTool
from tectogon.errors import NothingToBuild, OverLimit, UnreadableFile, UnsupportedFile
from tectogon.solids import exchange, kernel, measure, step_in
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.solids.step_in import bodies_of_step
from tectogon.views import frame_of


def body(name: str = "Plate", width: float = 30.0) -> Body:
    regions = Figure().rectangle(0, 0, width, 20).circle(10, 10, 4).regions()
    return Body.of("1:a", name, prism(regions, regions.profiles[0], frame_of("top"), 0, 5, 1))


def test_bodies_come_back_with_their_names_and_volumes(tmp_path: Path) -> None:
    path = tmp_path / "two.step"
    path.write_bytes(exchange.step_bytes([body("Träger"), body("Lid", 40)], "Cap"))
    bodies, notes = bodies_of_step(path, 30)
    assert [b.name for b in bodies] == ["Träger", "Lid"] and not notes
    assert [b.volume for b in bodies] == pytest.approx([body().volume, body("", 40).volume])
    assert [b.key for b in bodies] == ["30:b1", "30:b2"]
    assert len({n.key for n in bodies[0].names}) == len(bodies[0].faces) == 7, "each face has a name of its own"


@pytest.mark.parametrize(("unit", "factor"), [("MM", 1.0), ("INCH", 1.0), ("M", 1.0)])
def test_units_are_honoured(tmp_path: Path, unit: str, factor: float) -> None:
    path = tmp_path / "part.step"
    Interface_Static.SetCVal_s("write.step.unit", unit)
    try:
        writer = STEPControl_Writer()
        writer.Transfer(body().shape, STEPControl_StepModelType.STEPControl_AsIs)
        writer.Write(str(path))
    finally:
        Interface_Static.SetCVal_s("write.step.unit", "MM")
    (found,), _ = bodies_of_step(path)
    assert found.volume == pytest.approx(body().volume * factor, rel=1e-6), "a file in inches is 25.4 times as large"


def test_an_assembly_gives_every_part_where_it_stands(tmp_path: Path) -> None:
    document = TDocStd_Document(TCollection_ExtendedString("part"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    part = tool.AddShape(body().shape, False)
    TDataStd_Name.Set_s(part, TCollection_ExtendedString("Rib", True))
    whole = tool.NewShape()
    for n in range(3):
        move = gp_Trsf()
        move.SetTranslation(gp_Vec(0.0, 0.0, 50.0 * n))
        tool.AddComponent(whole, part, TopLoc_Location(move))
    tool.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    writer.SetNameMode(True)
    writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs)
    path = tmp_path / "assembly.step"
    writer.Write(str(path))
    bodies, _ = bodies_of_step(path)
    assert len(bodies) == 3
    assert sorted(measure.bounds(b.shape)[2] for b in bodies) == pytest.approx([0, 50, 100], abs=1e-6)
    assert all(b.volume == pytest.approx(body().volume) for b in bodies)


def test_files_that_hold_no_solid_are_refused_in_a_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    good = exchange.step_bytes([body()], "Plate")
    path = tmp_path / "part.step"

    def refused(data: bytes, error: type[Exception], words: str) -> None:
        path.write_bytes(data)
        with pytest.raises(error, match=words):
            bodies_of_step(path)

    refused(good[: len(good) // 2], UnreadableFile, "cut off")
    refused(good[:2000] + b"\nEND-ISO-10303-21;", UnreadableFile, "could not be read")
    refused(b"0\nSECTION\n", UnsupportedFile, "no STEP file")
    refused(b"", UnsupportedFile, "no STEP file")
    surfaces = STEPControl_Writer()
    for face in body().faces[:3]:
        surfaces.Transfer(face, STEPControl_StepModelType.STEPControl_AsIs)
    surfaces.Write(str(path))
    with pytest.raises(NothingToBuild, match="no solid"):
        bodies_of_step(path)
    curves = STEPControl_Writer()
    edge = BRepBuilderAPI_MakeEdge(gp_Pnt(0, 0, 0), gp_Pnt(1, 0, 0)).Edge()
    curves.Transfer(kernel.compound_of([edge]), STEPControl_StepModelType.STEPControl_AsIs)
    curves.Write(str(path))
    with pytest.raises(NothingToBuild, match="no solid"):
        bodies_of_step(path)
    monkeypatch.setattr(step_in, "MOST_BYTES", 1000)
    refused(good, OverLimit, "are read")
    with pytest.raises(UnreadableFile, match="can't be opened"):
        bodies_of_step(tmp_path / "gone.step")


@pytest.mark.parametrize("prefix", ["KILO", "MEGA", "HECTO"])
def test_a_unit_in_which_no_part_is_drawn_is_refused_at_once(prefix: str, tmp_path: Path) -> None:
    text = exchange.step_bytes([body()], "Plate").replace(b".MILLI.,.METRE.", f".{prefix}.,.METRE.".encode())
    (tmp_path / "odd.step").write_bytes(text)
    with pytest.raises(UnreadableFile, match=f"{prefix.lower()}metre"):
        bodies_of_step(tmp_path / "odd.step")
