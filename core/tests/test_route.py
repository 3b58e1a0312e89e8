"""The card: replay, caching, sentences, units as typed; the demo's finished parts; the command line."""

from __future__ import annotations

import json
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from figures import Figure
from hypothesis import given
from hypothesis import strategies as st
from tectogon.cli import main
from tectogon.display.packing import pack, unpack
from tectogon.display.part import figures_of, part_parcel
from tectogon.display.picture import part_picture
from tectogon.display.sheet import lines_parcel, regions_parcel
from tectogon.errors import BadValue, CardUnreadable
from tectogon.route import Run, run_card
from tectogon.route.cache import DiskStore
from tectogon.route.card import Card, card_from, parse_card
from tectogon.route.gauges import gauges_of
from tectogon.route.keys import key_of
from tectogon.solids import measure
from tectogon.units import parse_length, parse_number, parse_sizes, show_count, show_length
from tectogon.workpiece.sentence import plain

DEMO = Path(__file__).resolve().parents[2] / "demo"
TRUTH = json.loads((DEMO / "truth.json").read_text())


@pytest.mark.parametrize(
    ("text", "mm"),
    [
        ("12", 12),
        (" 12.5 ", 12.5),
        ("12,5", 12.5),
        ("3/8 in + 2 mm", 11.525),
        ("1 in", 25.4),
        ('2"', 50.8),
        ("-3 cm", -30),
        ("2*(3 mm + 1)", 8),
        ("1/4in", 6.35),
        ("10 mil", 0.254),
        ("1e2", 100),
        ("2*(1 + 3)", 8),
        ("(1 in + 1 mm) / 2", 13.2),
        ("6 / 2 in", 76.2),
        ("1 yd", 914.4),
        ("2 mm + (1 cm - 3 mm)", 9),
        ("3 1/2 in", 88.9),
        ("3½ in", 88.9),
        ("½ in", 12.7),
        ("-3 1/2 in", -88.9),
        ("≈ 3 1/64 in", 76.596875),
        ("2 ft 3 in", 685.8),
        ("5'6", 1676.4),
        ("5'6\"", 1676.4),
        ("-5' 6 1/2\"", -1689.1),
        ("1 m 20 cm", 1200),
        ("1\u202f000 mm", 1000),
        ("12 345", 12345),
        ("1,234,567", 1234567),
        ("1,234.5", 1234.5),
        ("1.234,5", 1234.5),
        ("0,125", 0.125),
        ("12,5", 12.5),
    ],
)
def test_lengths_as_people_type_them(text: str, mm: float) -> None:
    assert parse_length(text) == pytest.approx(mm)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "twelve",
        "12 parsecs",
        "1/0",
        "(((",
        "2 ** 9",
        "__import__('os')",
        "1" * 300,
        "nan",
        "inf",
        "5 mm mm mm +",
        "5 in in",
        "10 in / 2 in",
        "2 in * 3 mm",
        "2 (3 mm)",
        "1 / (2 mm)",
        ")(",
        "3 4",
        "1,00,000",
        "1,000,5",
        "2 ft 30 in",
        "2 in 1 ft",
        "1'000",
        "3 - 1/2 in",
    ],
)
def test_lengths_that_mean_nothing_are_refused(text: str) -> None:
    with pytest.raises(BadValue):
        parse_length(text)


@pytest.mark.parametrize(
    ("text", "readings"),
    [
        ("1,000 mm", ("1.000", "1000")),
        ("12,500", ("12.500", "12500")),
        ("999,999 in", ("999.999", "999999")),
        ("3-1/2 in", ("3 1/2", "3 - 1/2")),
    ],
)
def test_what_could_be_either_is_refused_with_both_readings(text: str, readings: tuple[str, str]) -> None:
    with pytest.raises(BadValue) as refused:
        parse_length(text)
    assert all(f"“{one}”" in refused.value.sentence for one in readings)


@given(st.integers(0, 10**12))
def test_a_count_shown_is_read_back(count: int) -> None:
    assert parse_number(show_count(count)) == count


@given(st.integers(0, 20), st.integers(0, 63), st.sampled_from(["in", '"']))
def test_inches_in_sixty_fourths_are_read_back(whole: int, part: int, unit: str) -> None:
    shown = f"{whole} {Fraction(part, 64)}" if part else f"{whole}"
    assert parse_length(f"{shown} {unit}") == pytest.approx((whole + part / 64) * 25.4)


@pytest.mark.parametrize(
    "text", ["220 x 210,5 x 250", "220×210.5×250", "220 210.5 250", "220; 210.5; 250", "22 x 21.05 x 25 cm"]
)
def test_sizes_are_read_however_they_are_set_apart(text: str) -> None:
    assert parse_sizes(text) == pytest.approx((220, 210.5, 250))


@given(st.floats(-1e6, 1e6).map(lambda v: round(v, 4)))
def test_a_length_shown_is_read_back(value: float) -> None:
    assert parse_length(show_length(value)) == pytest.approx(value, abs=1e-9)


FIRST_VERSION = Path(__file__).parent / "first_version"


@pytest.mark.parametrize(
    "card",
    [*sorted(DEMO.glob("cards/*.json")), *sorted(FIRST_VERSION.glob("*.json"))],
    ids=lambda p: f"{p.parent.name}-{p.stem}",
)
def test_the_demo_parts_have_their_true_volume(card: Path) -> None:
    data = json.loads(card.read_text())
    file = data["steps"][0]["params"]["source"]
    run = run_card(card_from(data), {name: DEMO / "files" / name for name in data["sources"]})
    assert run.failed is None, run.failed
    truth = dict(TRUTH[file])
    if {s["kind"] for s in data["steps"]} & {"loft", "round_edges", "engrave", "sheet_metal", "sheet_from_line"}:
        truth["volume_mm3"] = truth["finished_mm3"]
    volume = sum(measure.volume(b.shape) for b in run.workpiece.bodies)
    if "volume_mm3" in truth:
        assert volume == pytest.approx(truth["volume_mm3"], rel=truth.get("within", 2e-6))
    else:
        thickness = next(parse_length(s["params"]["length"]) for s in data["steps"] if s["kind"] == "extrude")
        assert volume == pytest.approx(
            thickness * sum(r.area for r in run.workpiece.drawing.regions.profiles), rel=1e-6
        )
    if "bounds_mm" in truth:
        b = measure.bounds(run.workpiece.bodies[0].shape)
        assert [b[k + 3] - b[k] for k in range(3)] == pytest.approx(truth["bounds_mm"], abs=0.01)
    held = "none" if any(one.views for one in run.workpiece.on_each_sheet) else "agreed"  # views are checked apart
    assert {g.stage: g.state for g in gauges_of(run.workpiece, run.steps)}["build"] == held
    assert part_picture(run.workpiece).startswith(b"\x89PNG")


def test_a_changed_value_carries_through(
    drawing: Callable[..., Path], on_card: Callable[..., Run], plate: Figure, tmp_path: Path
) -> None:
    store, path = DiskStore(tmp_path / "cache"), drawing(plate.draw())
    first = on_card(path, ("extrude", {"profiles": {"rule": "material"}, "length": 12}), ("material", {}), store=store)
    second = on_card(
        path, ("extrude", {"profiles": {"rule": "material"}, "length": "15 mm"}), ("material", {}), store=store
    )
    assert measure.volume(second.workpiece.bodies[0].shape) / measure.volume(
        first.workpiece.bodies[0].shape
    ) == pytest.approx(15 / 12)
    assert first.keys.whole != second.keys.whole
    assert first.keys.linework() == second.keys.linework()
    assert plain(second.steps[1].sentence) == (
        "Extrude all material by 15 mm, to one side, towards you, starting at 0 mm, its sides upright,"
        " each as a new body"
    )
    again = on_card(
        path,
        ("extrude", {"profiles": {"rule": "material"}, "length": 12}),
        ("material", {}),
        store=DiskStore(tmp_path / "cache"),
    )
    assert measure.volume(again.workpiece.bodies[0].shape) == pytest.approx(
        measure.volume(first.workpiece.bodies[0].shape), rel=1e-12
    )
    assert again.workpiece.bodies[0].names == first.workpiece.bodies[0].names


def test_a_pick_is_found_again_on_a_changed_drawing(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    old = on_card(
        drawing(Figure().rectangle(0, 0, 100, 50).circle(30, 25, 10).draw())
    ).workpiece.drawing.regions.regions[1]
    pick = {"picks": [{"id": "gone", "at": old.inside, "area": old.area}]}
    run = on_card(
        drawing(Figure().rectangle(0, 0, 110, 50).circle(31, 25, 10.5).draw()), ("extrude", {"profiles": pick})
    )
    assert run.failed is None
    assert measure.volume(run.workpiece.bodies[0].shape) == pytest.approx(10 * 3.141592653589793 * 10.5**2)


def test_the_likeliest_new_pick_is_offered_where_one_is_gone(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """Two pins stand on circles; on the newer drawing one is where it was, the other has become a larger one beside its
    old place, of other curves."""
    path = drawing(Figure().rectangle(0, 0, 100, 60).circle(25, 30, 5).circle(75, 30, 5).draw())
    regions = on_card(path).workpiece.drawing.regions
    holes = [r for r in regions.regions if r.area < 100]
    picks = [{"id": r.id if r.inside[0] < 50 else "gone", "curves": [], "at": r.inside, "area": r.area} for r in holes]
    newer = drawing(Figure().rectangle(0, 0, 100, 60).circle(25, 30, 5).circle(86, 42, 7).draw())
    report = on_card(newer, ("extrude", {"profiles": {"picks": picks}})).steps[-1]
    assert report.status == "failed" and report.likely is not None
    assert report.likely["field"] == "profiles" and "153.94 mm² near x 86.00" in report.likely["text"]
    again = on_card(newer, ("extrude", {"profiles": report.likely["value"]}))
    assert sum(b.volume for b in again.workpiece.bodies) == pytest.approx(10 * 3.141592653589793 * (25 + 49))
    gone = on_card(drawing(Figure().rectangle(0, 0, 1, 1).draw()), ("extrude", {"profiles": {"picks": picks}})).steps[
        -1
    ]
    assert gone.likely is None, "nothing is at all like it"


def test_switched_off_steps_change_nothing_but_stay_on_the_card(drawing: Callable[..., Path], plate: Figure) -> None:
    path = drawing(plate.draw())
    steps: list[dict[str, Any]] = [
        {"number": 10, "kind": "read", "params": {"source": path.name}},
        {"number": 20, "kind": "material", "params": {}, "on": False},
    ]
    run = run_card(Card.model_validate({"steps": steps}), {path.name: path})
    assert run.steps[1].status == "off"
    assert run.workpiece.material is None
    assert run.keys.whole == key_of(Card.model_validate({"steps": steps[:1]}))


@pytest.mark.parametrize(
    "text",
    [
        "",
        "[]",
        "{",
        '{"steps": [{"number": 1}]}',
        '{"steps": [{"number": 5, "kind": "read"}, {"number": 5, "kind": "read"}]}',
        "[" * 99999,
    ],
)
def test_cards_that_are_none_are_refused_in_a_sentence(text: str) -> None:
    with pytest.raises(CardUnreadable, match="card"):
        parse_card(text)


def test_parcels_hold_what_the_screen_needs(
    drawing: Callable[..., Path], on_card: Callable[..., Run], plate: Figure
) -> None:
    run = on_card(drawing(plate.draw()), ("extrude", {"profiles": {"rule": "material"}, "length": 12}))
    facts, arrays = unpack(lines_parcel(run.workpiece))
    assert len(facts["ids"]) == len(arrays["offsets"]) - 1 == 6
    facts, arrays = unpack(regions_parcel(run.workpiece))
    assert [r["level"] for r in facts["regions"]] == [0, 1, 1]
    assert int(arrays["ring_ends"][-1]) == len(arrays["ring_points"])
    facts, arrays = unpack(part_parcel(run.workpiece, figures_of(run.workpiece)))
    assert len(facts["faces"]) == 8
    assert int(arrays["face"].max()) == 7
    facts, arrays = unpack(pack({"a": 1}, {"empty": [], "b": [1.5]}))
    assert (facts, arrays["b"].tolist(), len(arrays["empty"])) == ({"a": 1}, [1.5], 0)


def told(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, list[dict[str, Any]]]:
    status = main(list(words))
    return status, [json.loads(line) for line in capsys.readouterr().out.splitlines() if line.startswith("{")]


def test_the_command_inspects_and_finds_profiles(
    drawing: Callable[..., Path], plate: Figure, capsys: pytest.CaptureFixture[str]
) -> None:
    path = str(drawing(plate.draw(), units=1))
    status, (answer,) = told(capsys, "inspect", path, "--json")
    assert status == 0
    assert {
        "format",
        "version",
        "units",
        "extents_mm",
        "entities",
        "curves",
        "layers",
        "blocks",
        "skipped",
        "dimensions",
        "curve_sets",
    } <= set(answer)
    assert answer["units"]["declared"] == "in"
    assert answer["extents_mm"] == pytest.approx([0, 0, 2540, 1270])
    status, (answer,) = told(capsys, "profiles", path, "--units", "mm", "--json")
    assert answer["net_area_mm2"] == pytest.approx(5000 - 125 * 3.141592653589793)
    assert set(answer["profiles"][0]) >= {"id", "area_mm2", "perimeter_mm", "centroid_mm", "bbox_mm", "holes", "level"}


def test_the_command_leaves_out_border_and_title_block(capsys: pytest.CaptureFixture[str]) -> None:
    path = str(DEMO / "files" / "clamp-bracket.dxf")
    _, (all_in,) = told(capsys, "profiles", path, "--keep-all", "--json")
    _, (answer,) = told(capsys, "profiles", path, "--tolerance", "0.15", "--json")
    assert max(p["bbox_mm"][2] - p["bbox_mm"][0] for p in all_in["profiles"]) == pytest.approx(330)
    assert max(p["bbox_mm"][2] - p["bbox_mm"][0] for p in answer["profiles"]) < 200
    assert answer["findings_before"] == {"double": 3, "gap": 2}
    assert answer["findings_after"] == {}


@pytest.mark.parametrize("kind", ["step", "stl", "3mf", "glb"])
def test_the_command_builds(
    drawing: Callable[..., Path], plate: Figure, tmp_path: Path, capsys: pytest.CaptureFixture[str], kind: str
) -> None:
    bad = tmp_path / "bad.dxf"
    bad.write_text("no drawing")
    status, answers = told(
        capsys,
        "build",
        str(drawing(plate.draw())),
        str(bad),
        "--thickness",
        "12",
        "--to",
        kind,
        "--out",
        str(tmp_path / "out"),
        "--json",
    )
    assert status == 3
    assert [a["status"] for a in answers] == ["ok", "unsupported"]
    assert answers[0]["volume_mm3"] == pytest.approx(12 * (5000 - 125 * 3.141592653589793))
    assert (answers[0]["valid"], answers[0]["watertight"], answers[0]["faces"]) == (True, True, 8)
    assert Path(answers[0]["out"]).stat().st_size > 500


def test_the_command_replays_a_card(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    card = DEMO / "cards" / "guide-rail.json"
    status, (answer,) = told(
        capsys,
        "run",
        str(card),
        "--source",
        f"guide-rail.dxf={DEMO / 'files' / 'guide-rail.dxf'}",
        "--out",
        str(tmp_path),
        "--json",
    )
    assert status == 0
    assert [o["status"] for o in answer["operations"]] == ["ok"] * 3
    assert all(Path(p).exists() for p in answer["outputs"])
    status, (answer,) = told(capsys, "run", str(card), "--out", str(tmp_path), "--json")
    assert status == 3  # its source is not beside it


@pytest.mark.parametrize(
    ("words", "status"),
    [
        (["profiles"], 2),
        (["build", "x.dxf"], 2),
        (["inspect", "x.dxf", "--units", "parsec"], 2),
        (["nonsense"], 2),
        (["inspect", "none.dxf"], 3),
        (["formats"], 0),
    ],
)
def test_exit_statuses(words: list[str], status: int) -> None:
    assert main(words) == status


def test_nothing_to_build_is_said_so(drawing: Callable[..., Path], capsys: pytest.CaptureFixture[str]) -> None:
    status, (answer,) = told(
        capsys, "build", str(drawing(Figure().line(0, 0, 10, 0).draw())), "--thickness", "3", "--json"
    )
    assert (status, answer["status"]) == (4, "nothing_to_build")
    status, (answer,) = told(capsys, "inspect", str(drawing(lambda space, _: space.add_text("only text"))), "--json")
    assert (status, answer["skipped"], answer["curves"]) == (0, {"TEXT": 1}, 0)
    assert "holds no lines, arcs or curves" in answer["message"]


def test_a_value_that_cannot_be_read_stays_in_its_sentence_as_it_was_typed() -> None:
    """And all that can be read is said as ever."""
    from tectogon.route.card import Step
    from tectogon.route.run import sentence_of, tokens_of

    picks = [{"id": "p1"}, {"id": "p2"}]
    step = Step(
        number=10, kind="extrude", params={"length": "12 furlongs", "profiles": {"rule": "picked", "picks": picks}}
    )
    (token,) = [t for t in tokens_of(step, None) if t.field == "length"]
    assert token.text == "12 furlongs" and token.editor is not None
    assert token.editor["value"] == "12 furlongs" and token.editor["refused"]
    assert "2 profiles by 12 furlongs" in sentence_of(step)
    unknown = Step(number=10, kind="extrude", params={"lenght": 3})
    assert sentence_of(unknown)
