"""The command's public interface: every document has the keys that others rely on, on good files and on bad ones, and
no input whatever ends in an error of our own."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from drawn_parts import made_part
from figures import Figure
from tectogon.cli import main
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.sheet import Wishes, sheet_of
from tectogon.solids import exchange

ALWAYS = {"file", "status", "message", "seconds", "warnings"}
PROFILES = {"findings_before", "findings_after", "mended", "tolerance_mm", "profiles", "net_area_mm2", "open_length_mm"}
BODIES = {"bodies", "volume_mm3", "surface_mm2", "bbox_mm", "valid", "watertight", "faces", "out"}
VIEWS = {"projection", "views", "left_out", "agreement"}
Told = Callable[..., tuple[int, dict[str, Any]]]


@pytest.fixture
def told(capsys: pytest.CaptureFixture[str]) -> Told:
    def run(*words: object) -> tuple[int, dict[str, Any]]:
        status = main([*map(str, words), "--json"])
        lines = capsys.readouterr().out.splitlines()
        return status, json.loads(lines[0]) if lines else {}

    return run


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """A plate, an open bent line, a sheet with views, a solid, and a card over the plate."""
    folder = tmp_path_factory.mktemp("files")

    def drawn(name: str, figure: Figure) -> Path:
        document = ezdxf.new("R2010", units=4)
        figure.draw()(document.modelspace(), document)
        document.saveas(folder / name)
        return folder / name

    body = made_part(1)
    sheet, step, card = folder / "sheet.dxf", folder / "part.step", folder / "card.json"
    sheet.write_bytes(dxf_of(sheet_of([body], Wishes())))
    step.write_bytes(exchange.step_bytes([body], "Part"))
    steps = [
        {"number": 10, "kind": "read", "params": {"source": "plate.dxf"}},
        {"number": 20, "kind": "extrude", "params": {"profiles": {"rule": "material"}, "length": 5}},
    ]
    card.write_text(json.dumps({"version": 4, "steps": steps, "sources": {"plate.dxf": "x"}}))
    return {
        "plate": drawn("plate.dxf", Figure().rectangle(0, 0, 60, 40).circle(20, 20, 5)),
        "path": drawn("path.dxf", Figure().line(0, 0, 80, 0).line(80, 0, 80, 60)),
        "tight": drawn("tight.dxf", Figure().line(0, 0, 50, 0).arc(50, 1, 1, -90, 90)),
        "sheet": sheet,
        "step": step,
        "card": card,
    }


def test_every_command_answers_with_its_keys(told: Told, files: dict[str, Path], tmp_path: Path) -> None:
    plate, path, sheet, step, card = (files[k] for k in ("plate", "path", "sheet", "step", "card"))
    calls: list[tuple[set[str], tuple[object, ...]]] = [
        ({"format", "version", "units", "extents_mm", "entities", "curves", "layers"}, ("inspect", plate)),
        ({"blocks", "skipped", "dimensions", "curve_sets"}, ("inspect", plate)),
        (PROFILES, ("profiles", plate)),
        (PROFILES | BODIES, ("build", plate, "--thickness", 5, "--out", tmp_path / "a.step")),
        (BODIES, ("build", plate, "--thickness", 5, "--taper", 3)),
        (BODIES, ("build", plate, "--thickness", 5, "--to-point")),
        (BODIES, ("revolve", plate, "--axis", "x", "--angle", 90)),
        (BODIES, ("loft", plate, "--at", "0,10", "--scale", "1,0.5")),
        (BODIES | {"path_mm"}, ("sweep", plate, "--along", path)),
        (VIEWS, ("views", sheet)),
        (VIEWS | BODIES | {"explained"}, ("views", sheet, "--build", tmp_path / "b.step")),
        ({"operations", "gauges", "outputs"}, ("run", card, "--out", tmp_path / "run")),
        (
            {"sheet", "scale", "projection", "views", "dimensions", "undimensioned", "out"},
            ("draw", step, "--out", tmp_path / "c.dxf"),
        ),
        ({"sheet", "out"}, ("draw", card, "--out", tmp_path / "d.pdf")),
        ({"sheet", "out"}, ("draw", plate, "--thickness", 4, "--out", tmp_path / "e.svg")),
        ({"sheet", "out"}, ("draw", sheet, "--out", tmp_path / "f.dxf")),
        ({"explained", "unexplained", "lacking", "sizes", "projection", "same"}, ("match", step, sheet)),
        (
            {"pieces", "loose", "thin", "thinnest_mm", "overhang_mm2", "watertight", "volume_mm3"},
            ("printcheck", step, "--wall", 1.2),
        ),
    ]
    for keys, words in calls:
        status, document = told(*words)
        assert status == 0 and document["status"] == "ok", (words, document.get("message"))
        assert ALWAYS | keys <= set(document), (words, (ALWAYS | keys) - set(document))


def test_the_same_part_by_every_road(told: Told, files: dict[str, Path], tmp_path: Path) -> None:
    """Drawing → part → drawing → part closes, and the solid, its card and its drawing agree."""
    _, built = told("views", files["sheet"], "--build", tmp_path / "built.step")
    _, drawn = told("draw", tmp_path / "built.step", "--out", tmp_path / "again.dxf")
    assert drawn["undimensioned"] == []
    _, again = told("views", tmp_path / "again.dxf", "--build", tmp_path / "again.step")
    assert again["volume_mm3"] == pytest.approx(built["volume_mm3"], rel=1e-6)
    for part in ("built.step", "again.step"):
        for drawing in (files["sheet"], tmp_path / "again.dxf"):
            assert told("match", tmp_path / part, drawing)[1]["same"] is True, (part, drawing)


@pytest.mark.parametrize(
    ("words", "status"),
    [
        (("draw", "{gone}", "--out", "{out}.dxf"), 3),
        (("draw", "{path}", "--out", "{out}.dxf"), 4),
        (("draw", "{plate}", "--out", "{out}.dxf"), 4),
        (("draw", "{step}", "--out", "{out}.png"), 2),
        (("draw", "{step}", "--out", "{out}.dxf", "--sheet", "A7"), 2),
        (("draw", "{step}", "--out", "{out}.dxf", "--sheet", "A4", "--scale", "10:1"), 3),
        (("match", "{plate}", "{sheet}"), 4),
        (("match", "{sheet}", "{gone}"), 3),
        (("printcheck", "{gone}"), 3),
        (("printcheck", "{path}"), 4),
        (("printcheck", "{step}", "--wall", "-1"), 2),
        (("printcheck", "{step}", "--bed", "50,50"), 2),
        (("build", "{plate}", "--thickness", "300", "--taper", "10"), 4),
        (("build", "{plate}", "--thickness", "5", "--taper", "95"), 2),
        (("build", "{plate}", "--thickness", "-1"), 2),
        (("sweep", "{plate}", "--along", "{tight}"), 4),
        (("revolve", "{plate}", "--axis", "30,0,29,40"), 4),
        (("loft", "{plate}", "--at", "0,0"), 4),
        (("inspect", "{step}"), 3),
        (("run", "{step}", "--out", "{out}"), 3),
    ],
)
def test_what_can_t_be_done_has_its_exit_status(
    words: tuple[str, ...], status: int, told: Told, files: dict[str, Path], tmp_path: Path
) -> None:
    known = {name: str(path) for name, path in files.items()} | {"gone": "gone.dxf", "out": str(tmp_path / "out")}
    found, document = told(*(word.format(**known) for word in words))
    assert found == status, document.get("message")
    if status > 2:
        assert document["status"] != "ok" and document["message"].endswith((".", "!"))


def test_one_bad_file_never_stops_the_rest(files: dict[str, Path], tmp_path: Path, capsys: Any) -> None:
    assert main(["draw", "gone.step", str(files["step"]), "--out", str(tmp_path), "--json"]) == 3
    first, second = (json.loads(line) for line in capsys.readouterr().out.splitlines())
    assert first["status"] == "unreadable" and second["status"] == "ok"
    assert Path(second["out"]).parent == tmp_path


@pytest.mark.parametrize("command", ["draw", "printcheck"])
def test_damaged_solids_end_in_a_sentence(command: str, told: Told, files: dict[str, Path], tmp_path: Path) -> None:
    """Bytes of a STEP file exchanged, cut out and doubled: read all the same, or refused; never an error of ours."""
    whole, chance = files["step"].read_bytes(), random.Random(7)
    for n in range(12):
        data = bytearray(whole)
        for _ in range(chance.randint(1, 12)):
            at, long = chance.randrange(len(data)), chance.randint(1, 40)
            piece = data[at : at + long]
            data[at : at + long] = chance.choice((b"", bytes(piece[::-1]), bytes(piece * 3), b"(#1,$,*)"))
        path = tmp_path / f"{n}.step"
        path.write_bytes(bytes(data))
        more = ("--out", tmp_path / f"{n}.dxf") if command == "draw" else ()
        status, document = told(command, path, *more)
        assert status in (0, 3, 4, 5), (n, document)
        assert document["status"] != "internal_error", (n, document["message"])
