"""Suppliers' drawings that become sections of the library, the library as one file, and bars of its sections."""

from __future__ import annotations

import io
import itertools
import json
import math
import random
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from figures import Figure
from hypothesis import given, settings
from hypothesis import strategies as st
from tectogon.cli import main
from tectogon.curves import CurveTable, Line
from tectogon.errors import BadValue, NothingToBuild, OverLimit, TectogonError, UnreadableFile
from tectogon.library import archive, cut_list
from tectogon.library.bars_wanted import bars_wanted
from tectogon.library.cleaning import Sizes, cleaned
from tectogon.library.section import LibrarySection, SectionFacts, section_from
from tectogon.operations import OPERATIONS
from tectogon.route.card import card_from, params_of
from tectogon.route.run import Run, run_card
from tectogon.solids import measure
from tectogon.units import show_length
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import Context, SourceFile

CATALOGUE = 16


def drawn(path: Path, seed: int) -> dict[str, Any]:
    """A supplier's sheet with one section: a line for sheet, or a hollow or solid profile in loose pieces; its sizes,
    its number, its thickness and its pitch as texts; what is true of it."""
    chance = random.Random(seed)
    document = ezdxf.new("R2010", units=4, setup=True)
    space = document.modelspace()
    wide, high = chance.choice((40.0, 60.0, 85.0)), chance.choice((20.0, 35.0, 50.0))
    thick, number = chance.choice((0.8, 1.2, 2.0)), f"KR-{100 + seed}"
    x, y = chance.uniform(-200, 200), chance.uniform(-200, 200)
    pieces: list[tuple[tuple[float, float], tuple[float, float]]] = []
    line = seed % 2 == 0
    if line:
        lip = chance.choice((0.0, 8.0))
        way = [(0, high), (0, 0), (wide, 0), (wide, high)]
        way = [(lip, high), *way, (wide - lip, high)] if lip else way
        pieces = list(itertools.pairwise(way))
        long = sum(math.dist(*p) for p in pieces)
        area = thick * (long - thick * (len(pieces) - 1))  # its line is the outside of square corners
    else:
        ring = [(0, 0), (wide, 0), (wide, high), (0, high)]
        inner = [(thick, thick), (wide - thick, thick), (wide - thick, high - thick), (thick, high - thick)]
        for some in (ring, inner):
            pieces += zip(some, [*some[1:], some[0]], strict=True)
        area = wide * high - (wide - 2 * thick) * (high - 2 * thick)
    chance.shuffle(pieces)
    for a, b in pieces:
        a, b = (a, b) if chance.random() < 0.5 else (b, a)
        space.add_line((a[0] + x, a[1] + y), (b[0] + x, b[1] + y))
    for p1, p2, base, angle in (((x, y), (x + wide, y), (x, y - 12), 0), ((x, y), (x, y + high), (x - 12, y), 90)):
        space.add_linear_dim(base=base, p1=p1, p2=p2, angle=angle, override={"dimlfac": 1.0}).render()
    space.add_text(f"{number}", height=3).set_placement((x, y + high + 14))
    space.add_text(f"t = {thick:g} mm  pitch {wide - 2:g}", height=3).set_placement((x, y + high + 8))
    document.saveas(path)
    return {
        "number": number,
        "thickness_mm": thick,
        "area": area,
        "pitch_mm": wide - 2,
        "box": (x, y, x + wide, y + high),
    }


@pytest.mark.parametrize("seed", range(CATALOGUE))
def test_a_catalogue_comes_by_itself(seed: int, tmp_path: Path) -> None:
    truth = drawn(tmp_path / "sheet.dxf", seed)
    found = cleaned(tmp_path / "sheet.dxf", family="Trays")
    facts = found.section.facts
    assert not found.remarks, found.remarks
    assert (facts.number, facts.thickness_mm, facts.pitch_mm) == (
        truth["number"], truth["thickness_mm"], pytest.approx(truth["pitch_mm"]),
    )  # fmt: skip
    assert found.section.region.area == pytest.approx(truth["area"], rel=1e-6)
    assert found.section.region.bounds == pytest.approx(truth["box"], abs=1e-6), "the stated sizes hold"
    assert facts.insertion_mm == pytest.approx(truth["box"][:2], abs=1e-6)
    again = run_card(found.card, {"sheet.dxf": tmp_path / "sheet.dxf"})
    assert again.failed is None and len(again.workpiece.drawing.regions.profiles) == 1


def test_the_command_makes_a_library_of_a_folder(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder = tmp_path / "Trays"
    folder.mkdir()
    truths = [drawn(folder / f"{n}.dxf", n) for n in range(4)]
    (folder / "copy.dxf").write_bytes((folder / "0.dxf").read_bytes())
    (folder / "broken.dxf").write_bytes(b"0\nSECTION\n")
    out = tmp_path / "lib.zip"
    assert main(["library", str(folder), "--out", str(out), "--json"]) == 3
    told = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [t["status"] for t in told] == ["ok"] * 4 + ["unreadable", "ok", "ok"]
    assert told[-1]["sections"] == 5 and told[0]["family"] == "Trays"
    twice = [t for t in told if any("comes twice" in w["text"] for w in t["warnings"])]
    assert len(twice) == 1 and twice[0]["number"] == f"{truths[0]['number']} (2)"
    sections, problems = archive.read_library(out.read_bytes())
    assert not problems and {s.facts.number for s in sections} == {t["number"] for t in told if "number" in t}
    assert main(["library", str(folder / "broken.dxf"), "--out", str(out)]) in (3, 4)


def made(number: str = "C-60", **facts: Any) -> LibrarySection:
    table = Figure().rectangle(0, 0, 60, 40).rectangle(2, 2, 56, 36).table
    return section_from(table, SectionFacts(number=number, material="steel", **facts))


def test_a_library_goes_out_and_comes_in_whole() -> None:
    sections = [made(), made("D/../7", pitch_mm=58, insertion_mm=(1.0, 2.0), notes="ä “x”", issue=3)]
    data = archive.write_library(sections)
    assert all(".." not in name for name in zipfile.ZipFile(io.BytesIO(data)).namelist())
    again, problems = archive.read_library(data)
    assert not problems
    for a, b in zip(sections, again, strict=True):
        assert a.facts == b.facts and a.region.area == pytest.approx(b.region.area)
    assert again[0].figures()["kg_per_m"] == pytest.approx((60 * 40 - 56 * 36) * 7.85e-3)
    twice, problems = archive.read_library(archive.write_library([made(), made()]))
    assert len(twice) == 2 and problems == ["The number C-60 comes 2 times."]


@pytest.mark.parametrize(
    ("data", "error"),
    [
        (b"PK", UnreadableFile),
        (b"", UnreadableFile),
        (lambda a: a.writestr("other.json", "{}"), UnreadableFile),
        (lambda a: a.writestr("library.json", "[" * 50_000), UnreadableFile),
        (lambda a: a.writestr("library.json", '{"sections": 3}'), UnreadableFile),
        (lambda a: [a.writestr(f"{n}", "") for n in range(10_100)], OverLimit),
        (lambda a: a.writestr("library.json", json.dumps({"sections": [{}] * 6000})), OverLimit),
    ],
)
def test_a_strangers_library_ends_in_a_sentence(data: Any, error: type[TectogonError]) -> None:
    with pytest.raises(error):
        archive.read_library(data if isinstance(data, bytes) else packed(data))


def packed(write: Any) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as opened:
        write(opened)
    return out.getvalue()


def test_rows_that_can_not_be_read_are_named_and_the_others_come() -> None:
    good = archive.write_library([made()])
    rows = [
        {"number": "A-1", "file": "../../etc/passwd"},
        {"number": "A-2", "file": "open.dxf"},
        {"number": "", "file": "open.dxf"},
        {"number": "A-4", "file": "bad.dxf", "thickness_mm": 1},
        7,
    ]
    open_ends = ezdxf.new("R2010", units=4)
    open_ends.modelspace().add_line((0, 0), (1, 1))
    text = io.StringIO()
    open_ends.write(text)

    def write(opened: zipfile.ZipFile) -> None:
        old = zipfile.ZipFile(io.BytesIO(good))
        index = json.loads(old.read("library.json"))
        opened.writestr("library.json", json.dumps({"sections": [*index["sections"], *rows]}))
        opened.writestr(index["sections"][0]["file"], old.read(index["sections"][0]["file"]))
        opened.writestr("open.dxf", text.getvalue())
        opened.writestr("bad.dxf", b"nonsense")

    sections, problems = archive.read_library(packed(write))
    assert [s.facts.number for s in sections] == ["C-60"] and len(problems) == 5
    assert "A-1: its drawing is not in the library" in problems[0] and "closes no profile" in problems[1]


def test_a_section_that_does_not_close_is_none() -> None:
    open_line = CurveTable.of([Line(0, 0, 10, 0), Line(10, 0, 10, 5)])
    with pytest.raises(NothingToBuild, match="closes no profile"):
        section_from(open_line, SectionFacts(number="X"))
    apart = Figure().rectangle(0, 0, 5, 5).rectangle(10, 0, 5, 5).table
    with pytest.raises(NothingToBuild, match="2 profiles that lie apart"):
        section_from(apart, SectionFacts(number="X"))


def bars(tmp_path: Path, **params: Any) -> Workpiece:
    path = tmp_path / "c60.dxf"
    path.write_bytes(made().dxf())
    kind = OPERATIONS["bar"]
    context = Context(20, {"c60.dxf": SourceFile("c60.dxf", path, "x")})
    values = {"source": "c60.dxf", "section": "C-60", **params}
    return kind.apply(Workpiece(), kind.params.model_validate(values), context)


AREA = 60.0 * 40 - 56 * 36


@settings(max_examples=25, deadline=None)
@given(
    start=st.floats(-60, 60), end=st.floats(-60, 60), turned=st.sampled_from([0, 30, 90]), along=st.sampled_from("xyz"),
    mirrored=st.booleans(), insertion=st.sampled_from(["own", "corner", "centre", "centroid"]),
)  # fmt: skip
def test_a_bar_has_its_sections_area_times_the_length_at_its_centroid(
    tmp_path_factory: pytest.TempPathFactory, start: float, end: float, turned: int, along: str, mirrored: bool,
    insertion: str,
) -> None:  # fmt: skip
    made_bar = bars(
        tmp_path_factory.mktemp("bar"), length=1250, start=start, end=end, turned=turned, along=along,
        mirrored="yes" if mirrored else "no", insertion=insertion, at=(10, 5), measured="axis",
    )  # fmt: skip
    at = {"own": (10.0, 5.0), "corner": (0.0, 0.0)}.get(insertion, (30.0, 20.0))
    x, y = (30.0 - at[0]) * (-1 if mirrored else 1), 20.0 - at[1]
    angle = math.radians(turned)
    u = x * math.cos(angle) - y * math.sin(angle)
    length = 1250 + u * (math.tan(math.radians(end)) - math.tan(math.radians(start)))
    (body,) = made_bar.bodies
    assert body.name == "C-60" and body.volume == pytest.approx(AREA * length, rel=1e-7)


@pytest.mark.parametrize("measured", ["overall", "inside", "axis"])
@pytest.mark.parametrize(("start", "end"), [(0, 45), (45, 0), (30, 45), (-45, 45), (20, -35)])
@pytest.mark.parametrize("laid", [{}, {"insertion": "centre"}, {"mirrored": "yes", "turned": 30}])
def test_the_typed_length_of_a_mitred_bar_is_the_one_that_is_said(
    measured: str, start: float, end: float, laid: dict[str, Any], tmp_path: Path
) -> None:
    values = {"length": "1234.5", "start": start, "end": end, "measured": measured, **laid}
    (body,) = bars(tmp_path, **values).bodies
    box = measure.bounds(body.shape)
    overall, wide = box[3] - box[0], box[4] - box[1]
    start_lean, end_lean = math.tan(math.radians(start)), math.tan(math.radians(end))
    if measured == "overall":
        assert overall == pytest.approx(1234.5, abs=1e-6)
    elif measured == "inside" and start_lean * end_lean <= 0:
        assert overall == pytest.approx(1234.5 + wide * abs(end_lean - start_lean), abs=1e-6)
    assert body.item is not None and body.item.size.startswith(show_length(overall))
    step = {"number": 10, "kind": "bar", "params": {"source": "x", "section": "C", **values}}
    outline = [[[0, 0], [60, 0], [60, 40], [0, 40]]]
    (cut,) = bars_wanted([("a", card_from({"version": 5, "steps": [step]}))], {"C": outline})["C"]
    assert (cut.length, cut.angles) == (pytest.approx(overall, abs=1e-3), (start, end))


def test_a_mitred_bar_of_an_older_card_keeps_its_length() -> None:
    step = {"number": 10, "kind": "bar", "params": {"source": "x", "length": 100, "end": 45}}
    old, new = (card_from({"version": version, "steps": [step]}).steps[0] for version in (4, 5))
    assert [params_of(s).model_dump()["measured"] for s in (old, new)] == ["axis", "overall"]


def test_bars_stand_side_by_side_at_their_pitch(tmp_path: Path) -> None:
    row = bars(tmp_path, length=500, count=3, x=100)
    boxes = [measure.bounds(b.shape) for b in row.bodies]
    assert [b.name for b in row.bodies] == ["C-60, 1", "C-60, 2", "C-60, 3"]
    assert [box[1] for box in boxes] == pytest.approx([0, 60, 120], abs=1e-6), "as wide as the section"
    assert all((box[0], box[3]) == pytest.approx((100, 600), abs=1e-6) for box in boxes)
    apart = bars(tmp_path, length=500, count=2, pitch=75)
    assert measure.bounds(apart.bodies[1].shape)[1] == pytest.approx(75, abs=1e-6)
    for wrong in ({"length": 0}, {"start": 89}, {"length": 5, "start": 60, "end": -60}, {"count": 0}, {"count": 1e6}):
        with pytest.raises(BadValue):
            bars(tmp_path, **wrong)


def test_a_card_without_a_drawing_is_a_bar(tmp_path: Path) -> None:
    path = tmp_path / "c60.dxf"
    path.write_bytes(made().dxf())
    step = {"number": 10, "kind": "bar", "params": {"source": "c60.dxf", "section": "C-60", "length": "1250 mm"}}
    run: Run = run_card(card_from({"version": 4, "steps": [step], "sources": {"c60.dxf": "x"}}), {"c60.dxf": path})
    assert run.failed is None and run.workpiece.bodies[0].volume == pytest.approx(AREA * 1250)
    text = "".join(t.text for t in run.steps[0].sentence)
    assert text.startswith("A bar of section C-60 issue 1, 1250 mm long, along x")


@pytest.mark.parametrize("seed", range(8))
def test_bars_are_packed_into_as_few_lengths_as_can_be(seed: int) -> None:
    """Stock lengths that were cut into pieces without a rest are found again."""
    chance = random.Random(seed)
    stocks, kerf = chance.randint(2, 7), chance.choice((0.0, 3.0))
    lengths: list[float] = []
    for _ in range(stocks):
        cuts = sorted(chance.sample(range(200, 5800), chance.randint(1, 4)))
        lengths += [b - a - (kerf if a else 0.0) for a, b in itertools.pairwise([0, *cuts, 6000])]
    found = cut_list.packed(lengths, 6000.0, kerf)
    assert found.count == stocks or (found.count == stocks + 1 and not found.best), "never called best when it is not"
    cut = sorted(v for s in found.stocks for v in s.cuts for _ in range(s.count))
    assert cut == pytest.approx(sorted(lengths), abs=0.02), "every bar once"
    assert all(s.left >= -0.02 and sum(s.cuts) + kerf * (len(s.cuts) - 1) <= 6000.02 for s in found.stocks)
    assert found.waste == pytest.approx(1 - sum(lengths) / (6000 * found.count))


def test_a_cut_list_says_what_can_not_be_cut() -> None:
    with pytest.raises(BadValue, match="longer than the stock"):
        cut_list.packed([6001.0], 6000.0)
    with pytest.raises(BadValue):
        cut_list.packed([1.0], 0.0)
    assert cut_list.packed([], 6000.0).count == 0
    many = cut_list.packed([1000.0] * 400, 6000.0)
    assert (many.count, many.best) == (67, True)


def test_the_bars_of_cards_are_gathered_by_section() -> None:
    def bar(n: int, **params: Any) -> dict[str, Any]:
        return {"number": n, "kind": "bar", "params": {"source": "x.dxf", **params}, "on": params.pop("on", True)}

    one = card_from({"version": 5, "steps": [bar(10, section="C-60", length="1 m", count=2), bar(20, section="T")]})
    two = card_from({"version": 5, "steps": [bar(10, section="C-60", length=1000), bar(20, section="C-60", end=45)]})
    found = bars_wanted([("Deck", one), ("Rack", two)], {"C-60": [[[0, 0], [60, 0], [60, 40], [0, 40]]]})
    assert [(c.length, c.count, c.angles) for c in found["C-60"]] == [(1000.0, 1, (0.0, 45.0)), (1000.0, 3, (0.0, 0.0))]
    assert found["C-60"][1].name == "Deck, Rack" and [c.count for c in found["T"]] == [1]


def test_sizes_of_the_suppliers_table_are_held_against_the_drawing(tmp_path: Path) -> None:
    truth = drawn(tmp_path / "sheet.dxf", 2)
    x0, y0, x1, y1 = truth["box"]
    right = Sizes(x1 - x0, y1 - y0, truth["thickness_mm"])
    assert not cleaned(tmp_path / "sheet.dxf", sizes=right).remarks
    wrong = cleaned(tmp_path / "sheet.dxf", sizes=replace(right, high_mm=y1 - y0 + 5)).remarks
    assert len(wrong) == 1 and "states a height of" in wrong[0]


def test_the_catalogue_that_ships_comes_whole_and_right() -> None:
    folder = Path(__file__).resolve().parents[2] / "demo" / "supplier"
    rows = json.loads((folder / "catalogue.json").read_text())["sections"]
    for row in rows[::5]:
        found = cleaned(folder / row["file"], sizes=Sizes(row["wide_mm"], row["high_mm"], row["thickness_mm"]))
        assert not found.remarks, (row["number"], found.remarks)
        assert found.section.facts.number.upper() == row["number"]
        assert found.section.said(material="steel").figures()["kg_per_m"] == pytest.approx(row["kg_per_m"], abs=1e-4)


@pytest.mark.parametrize("seed", range(12))
def test_a_library_damaged_in_one_entry_gives_the_others(seed: int) -> None:
    """Bytes changed within the compressed data of an archive: its checks, or the unpacking itself, find it."""
    chance = random.Random(seed)
    data = bytearray(archive.write_library([made("A-1"), made("B-2"), made("C-3")]))
    at = data.find(b"B-2")
    for _ in range(30):
        data[chance.randrange(at + 40, at + 400)] = chance.randrange(256)
    try:
        sections, problems = archive.read_library(bytes(data))
    except UnreadableFile:
        return
    assert len(sections) + len(problems) >= 3 and all(p.endswith(".") for p in problems)
