"""Sheet parts that are found and unfolded against what is known of how they were made; and what is no sheet part."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np
import pytest
import shapely
from figures import Figure
from made_sheets import made_sheet, profile
from tectogon.bending.checks import remarks_of
from tectogon.bending.in_the_flat import flat_tools
from tectogon.bending.recognise import sheet_part
from tectogon.bending.unfold import Blank, unfold
from tectogon.cli import main
from tectogon.display.blank_out import bend_csv, bend_table, blank_dxf
from tectogon.display.blank_told import blank_told
from tectogon.display.drawing_sheet import drawn_sheet, sheet_bytes
from tectogon.errors import BadValue, KernelRefused, NothingToBuild
from tectogon.linework import Linework
from tectogon.operations import OPERATIONS
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.operations.sheet_metal import blank_of as blank_now
from tectogon.profiles import Regions
from tectogon.route.card import card_from
from tectogon.route.run import Run, run_card
from tectogon.solids import exchange, kernel, measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.edges import edges_at
from tectogon.solids.features import with_features
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.bend_allowance import DIN_6935, Rule
from tectogon.workpiece.made_curves import with_drawn
from tectogon.workpiece.model import Drawing, Material, Workpiece
from tectogon.workpiece.operation import Context

K = Rule(0.44)
T, A, B, W = 1.5, 40.0, 30.0, 25.0


def raised(figure: Figure, width: float = W, view: str = "front") -> Body:
    regions = figure.regions()
    return Body.of("1:a", "part", prism(regions, regions.profiles[0], frame_of(view), 0.0, width, 1))


def angle_of(thick: float = T, other: float = T) -> Figure:
    return Figure().chain((0, 0), (A, 0), (A, other), (thick, other), (thick, B), (0, B))


def cut(body: Body, figure: Figure, low: float, high: float) -> Body:
    regions = figure.regions()
    tool = prism(regions, regions.profiles[0], frame_of("top"), low, high, 9)
    return Body.of("1:a", "part", combine("cut", [NamedShape(body.shape, body.names)], [tool]).solids()[0])


def pan() -> Body:
    """A tray of one thickness whose walls meet in its corners."""
    outer = raised(Figure().rectangle(0, 0, 60, 40), 20, "top")
    return cut(outer, Figure().rectangle(T, T, 60 - 2 * T, 40 - 2 * T), T, 30.0)


def blank_of(body: Body, rule: Rule = K) -> Blank:
    return unfold(sheet_part(body), rule)


@pytest.mark.parametrize("seed", range(40))
def test_generated_sheets_unfold_to_what_they_were_made_of(seed: int) -> None:
    made = made_sheet(seed)
    blank = blank_of(made.body)
    region, long = blank.region, made.length(0.44)
    assert blank.part.thickness == pytest.approx(made.thick, abs=1e-6)
    assert sorted((round(math.degrees(z.bend.angle), 6), round(z.bend.inner, 6)) for z in blank.zones) == sorted(
        (round(math.degrees(abs(a)), 6), round(r, 6)) for a, r in made.bends
    )
    sizes = sorted((region.bounds[2] - region.bounds[0], region.bounds[3] - region.bounds[1]))
    assert sizes == pytest.approx(sorted((long, made.width)), abs=1e-5)
    assert region.area == pytest.approx(long * made.width - sum(made.holes), rel=1e-7)
    assert len(region.holes) == len(made.holes)
    assert all(z.bend.length == pytest.approx(made.width) for z in blank.zones)
    ups = {z.bend.up for z in blank.zones}
    assert len(ups) == len({a > 0.0 for a, _ in made.bends}), "bends of one way have one direction, others the other"


def test_sharp_corners_get_a_radius_and_the_outside_follows() -> None:
    for radius in (T, 3.0):
        blank = unfold(sheet_part(raised(angle_of()), radius=radius), K)
        assert [(z.bend.inner, z.bend.up) for z in blank.zones] == [(pytest.approx(radius), False)]
        long = A + B - 2.0 * (radius + T) + math.pi / 2.0 * (radius + 0.44 * T)
        assert blank.region.area == pytest.approx(long * W, rel=1e-9)
        solid = (A + B - 2.0 * (radius + T)) * T + math.pi / 4.0 * ((radius + T) ** 2 - radius**2)
        assert blank.part.body.volume == pytest.approx(solid * W, rel=1e-9)


def test_the_face_that_stays_is_chosen_and_which_way_a_bend_goes_is_seen_from_it() -> None:
    figure, _ = profile(T, [40.0, 25.0], [(math.pi / 2.0, 2.0)])
    body = raised(figure)
    part = sheet_part(body)
    inner = next(n for n, f in enumerate(body.faces) if f is not None and body.areas[n] == pytest.approx(40.0 * W))
    assert {z.bend.up for z in unfold(part, K).zones} <= {True, False}
    areas = {n: body.areas[n] for n in range(len(body.faces))}
    both = [n for n, a in areas.items() if a == pytest.approx(40.0 * W)]
    seen = [unfold(sheet_part(body, fixed=n), K) for n in both]
    assert sorted(b.zones[0].bend.up for b in seen) == [False, True], "from above and from below"
    assert seen[0].region.area == pytest.approx(seen[1].region.area) and inner in both


def test_a_notch_and_a_hole_over_a_bend_are_laid_flat_with_it() -> None:
    figure, _ = profile(T, [40.0, 25.0], [(math.pi / 2.0, 2.0)])
    whole = raised(figure)
    long = 65.0 + math.pi / 2.0 * (2.0 + 0.44 * T)
    corner = 40.0 + 2.0 + T
    # up to 6 mm in the flat on both sides of the bend, 5 mm wide
    notched = cut(whole, Figure().rectangle(34.0, -15.0, corner - 34.0 + 1.0, 5.0), -1.0, 2.0 + T + 6.0)
    blank = blank_of(notched)
    taken = (6.0 + 6.0 + math.pi / 2.0 * (2.0 + 0.44 * T)) * 5.0
    assert len(blank.zones) == 1 and blank.zones[0].bend.length == pytest.approx(W - 5.0)
    assert len(blank.zones[0].bend.faces) == 2 and len(blank.region.holes) == 1
    assert blank.region.area == pytest.approx(long * W - taken, rel=1e-7)


def test_the_allowance_by_one_k_and_by_the_table() -> None:
    assert Rule(0.5).allowance(math.pi, 1.0, 2.0) == pytest.approx(math.pi * 2.0)
    assert Rule().k_of(10.0, 2.0) == pytest.approx(0.5, abs=1e-3)
    assert Rule().k_of(2.0, 2.0) == pytest.approx(0.325)
    assert Rule().k_of(1e-9, 1.0) == DIN_6935[0][1] and Rule().k_of(99.0, 1.0) == DIN_6935[-1][1]
    assert Rule(table=((1.0, 0.3), (3.0, 0.5))).k_of(2.0, 1.0) == pytest.approx(0.4)
    assert Rule(stated=2.5).allowance(1.0, 1.0, 1.0) == 2.5
    # two lengths outside less the deduction: 20 + 30 - 3.2, of which the flats are 17 and 27
    assert Rule(deduction=3.2).allowance(math.pi / 2.0, 1.5, 1.5) == pytest.approx(46.8 - 44.0)
    assert Rule(stated=math.pi).k_at(math.pi / 2.0, 1.0, 2.0) == pytest.approx(0.5)
    for wrong in (
        {"k": 1.5},
        {"table": ()},
        {"table": ((2.0, 0.3), (1.0, 0.4))},
        {"table": ((1.0, 1.3),)},
        {"stated": 0.0},
    ):
        with pytest.raises(BadValue):
            Rule(**wrong)  # type: ignore[arg-type]
    with pytest.raises(BadValue, match="less than 6 mm"):
        Rule(deduction=7.0).allowance(math.pi / 2.0, 1.5, 1.5)


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (lambda: raised(angle_of(T, 2.0)), "not of one thickness"),
        (lambda: raised(angle_of(T, T + 0.01)), "not of one thickness"),
        (lambda: raised(Figure().rectangle(0, 0, 20, 20), 20), "that is a block"),
        (lambda: raised(Figure().rectangle(0, 0, 40, 30).rectangle(T, T, 40 - 2 * T, 30 - 2 * T)), "closes on itself"),
        (lambda: pan(), "Two bends meet in a corner here"),
        (lambda: raised(Figure().circle(0, 0, 20).circle(0, 0, 18)), "one flat face to one other|block|thickness"),
        (
            lambda: cut(raised(Figure().rectangle(0, 0, 60, 40), 4, "top"), Figure().circle(20, 20, 8), 2, 5),
            "thickness",
        ),
    ],
)
def test_what_is_no_sheet_says_where(body: object, words: str) -> None:
    with pytest.raises((NothingToBuild, KernelRefused), match=words) as refused:
        blank_of(body())  # type: ignore[operator]
    assert refused.value.place is not None


def test_the_blank_goes_to_the_laser_and_its_bends_to_the_brake(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    made = made_sheet(3)
    blank = blank_of(made.body)
    drawn = ezdxf.read(io.StringIO(blank_dxf(blank).decode())).modelspace()
    up, down = (len(drawn.query(f"*[layer=='BEND_{way}']")) for way in ("UP", "DOWN"))
    assert (up, down) == tuple(sum(z.bend.up is way for z in blank.zones) for way in (True, False))
    assert up + down == len(made.bends) == len(drawn.query("*[layer=='NOTES']"))
    rows = list(csv.DictReader(io.StringIO(bend_csv(blank).decode())))
    assert [float(r["allowance_mm"]) for r in rows] == [pytest.approx(z.allowance, abs=1e-4) for z in blank.zones]
    assert all(row["direction"] in ("up", "down") for row in bend_table(blank))
    step = tmp_path / "part.step"
    step.write_bytes(exchange.step_bytes([made.body], "part"))
    assert main(["blank", str(step), "--k", "0.44", "--out", str(tmp_path / "blank.dxf"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["blank"]["area_mm2"] == pytest.approx(blank.region.area, rel=1e-6) and told["k"] == 0.44
    assert main(["profiles", str(tmp_path / "blank.dxf"), "--json"]) == 0
    again = json.loads(capsys.readouterr().out)["profiles"]
    assert [p["area_mm2"] for p in again] == [pytest.approx(blank.region.area, rel=1e-6)]
    block = tmp_path / "block.step"
    block.write_bytes(exchange.step_bytes([raised(Figure().rectangle(0, 0, 20, 20), 20)], "block"))
    assert main(["blank", str(block), "--json"]) == 4
    assert "block" in json.loads(capsys.readouterr().out)["message"]
    assert main(["blank", str(step), "--k", "7", "--json"]) == 2


def test_what_a_brake_can_not_do_is_told_with_its_place() -> None:
    figure, _ = profile(T, [40.0, 5.0], [(math.pi / 2.0, 0.5)])
    body = cut(raised(figure), Figure().circle(37.0, -12.0, 2.0), -1.0, T + 1.0)
    blank = blank_of(body)
    told = remarks_of(blank, "aluminium")
    assert [re.sub(r"[\d.]+", "#", r.text).split(" ")[0:3] for r in told] == [
        ["Bend", "#", "has"],
        ["The", "flange", "beside"],
        ["A", "hole", "stands"],
    ]
    assert "5 mm long; the brake wants 6.5 mm" in told[1].text and "1 mm off bend 1" in told[2].text
    for remark in told[1:]:
        assert measure.distance_to(blank.part.body.shape, remark.at) < 2.1, "on the part, or in the hole"
    assert not remarks_of(blank_of(raised(profile(T, [40.0, 20.0], [(math.pi / 2.0, 2.0)])[0])), "aluminium")
    assert [r.text[:6] for r in remarks_of(blank, None)] == ["The fl", "A hole"], "no radius is asked of no material"


def test_the_pieces_of_a_blank_are_the_blank() -> None:
    for seed in range(6):
        blank = blank_of(made_sheet(seed).body)
        told = blank_told(blank, Material("steel", 7.85))
        areas = [shapely.Polygon(p["rings"][0], p["rings"][1:]).area for p in (*told["flats"], *told["slices"])]
        assert sum(areas) == pytest.approx(blank.region.area, rel=2e-3)
        assert {p["face"] for p in told["flats"]} == set(blank.laid)
        assert told["figures"]["mass_g"] == pytest.approx(blank.part.body.volume * 7.85e-3)
        home = np.array(told["home"])
        for piece in told["flats"]:
            if piece["face"] == told["fixed"]:
                x, y = piece["rings"][0][0]
                at = home @ [x, y, 0.0, 1.0]
                assert measure.distance_to(blank.part.body.faces[told["fixed"]], tuple(at.tolist())) < 1e-3


@pytest.mark.parametrize(
    ("away", "figure"),
    [
        (-9.0, lambda x, y: Figure().circle(x, y, 3)),
        (0.0, lambda x, y: Figure().circle(x, y, 1)),
        (0.0, lambda x, y: Figure().circle(x, y, 4)),
        (0.0, lambda x, y: Figure().rectangle(x - 6, y - 2, 12, 4).circle(x, y, 1)),
        (2.0, lambda x, y: Figure().chain((x - 7, y), (x, y - 3), (x + 9, y + 1), (x, y + 4))),
    ],
)
@pytest.mark.parametrize("angle", [90, -60, 135])
def test_what_is_cut_in_the_flat_is_there_again_when_it_is_unfolded(away: float, figure: object, angle: int) -> None:
    section, _ = profile(T, [40.0, 25.0], [(math.radians(angle), 2.0)])
    part = sheet_part(raised(section))
    blank = unfold(part, K, at_origin=False)
    zone = blank.zones[0]
    x, y = zone.start + (zone.allowance / 2.0 + away) * zone.across + sum(zone.span) / 2.0 * zone.along
    drawn = figure(x, y).regions()  # type: ignore[operator]
    chosen = [r for r in drawn.regions if r.level == 0]
    bodies = with_features((part.body,), flat_tools(blank, drawn, chosen, 9), "cut", None, 9)
    again = unfold(sheet_part(max(bodies, key=lambda b: b.volume), at=part.stays), K, at_origin=False)
    assert again.region.bounds == pytest.approx(blank.region.bounds, abs=1e-6), "it stays where it is"
    assert blank.region.area - again.region.area == pytest.approx(chosen[0].area + sum_of_holes(drawn), rel=2e-5)
    beside = Figure().circle(x + 500.0, y, 2).regions()
    with pytest.raises(NothingToBuild, match="beside the blank"):
        flat_tools(blank, beside, beside.profiles, 9)


def sum_of_holes(drawn: Regions) -> float:
    """What a hole in a profile leaves standing falls out of the sheet: it hangs on nothing."""
    return sum(r.area for r in drawn.regions if r.level > 0)


def test_the_card_lays_the_blank_out_and_cuts_in_the_flat(tmp_path: Path) -> None:
    step_file = tmp_path / "angle.step"
    step_file.write_bytes(exchange.step_bytes([raised(angle_of())], "Angle"))

    def run(*steps: tuple[str, dict[str, object]]) -> Run:
        numbered = [
            {"number": 10 * n, "kind": kind, "params": params, "sheet": sheet}
            for n, (kind, params, sheet) in enumerate(
                [("bring_solid", {"source": "angle.step"}, ""), ("sheet_metal", {"rule": "k", "k": 0.44}, "")]
                + [(kind, params, "Blank") for kind, params in steps],
                1,
            )
        ]
        card = {"version": 4, "steps": numbered, "sources": {"angle.step": "x"}}
        return run_card(card_from(card), {"angle.step": step_file})

    laid = run(("blank_sheet", {}))
    assert laid.failed is None, laid.failed
    blank = laid.workpiece.on_sheet("Blank")
    outline = blank.drawing.regions.profiles
    assert len(outline) == 1 and len(blank.drawing.linework) == len(outline[0].outer.rows) + 1, "a guide for the bend"
    x, y = outline[0].centroid
    hole = ("draw", {"shape": "circle", "points": [{"at": (x, y)}], "length": 2})
    drawn = run(("blank_sheet", {}), hole).workpiece.on_sheet("Blank")
    region = min(drawn.drawing.regions.regions, key=lambda r: r.area)
    pick = {"picks": [{"id": region.id, "at": region.inside, "area": region.area}]}
    cut_out = run(("blank_sheet", {}), hole, ("cut_flat", {"profiles": pick}))
    assert cut_out.failed is None, cut_out.failed
    whole, less = (r.workpiece.bodies[0].volume for r in (laid, cut_out))
    assert whole - less == pytest.approx(math.pi * 4 * T, rel=1e-6)
    assert len(blank_now(cut_out.workpiece).region.holes) == 1


def as_sheet(body: Body, **params: object) -> Workpiece:
    return applied(Workpiece(bodies=(body,)), "sheet_metal", rule="k", **params)


def applied(workpiece: Workpiece, name: str, number: int = 20, **params: object) -> Workpiece:
    kind = OPERATIONS[name]
    return kind.apply(workpiece, kind.params.model_validate(params), Context(number, {}))


def edge_near(body: Body, x: float, y: float, z: float) -> dict[str, object]:
    along = kernel.faces_along_edges(body.shape)
    found = [e for e in edges_at(body) if e is not None]
    nearest = min(found, key=lambda e: float(np.linalg.norm(e.middle - [x, y, z])))
    faces = [body.names[f].key for f in along[nearest.number]]
    return {"edge": {"faces": faces, "point": (x, y, z)}}


def plate() -> Body:
    return raised(Figure().rectangle(0, 0, 60, 40), T, "top")


TAKES = math.pi / 2.0 * (T + 0.44 * T)
"""What a bend of 90° with the thickness inside takes of the flat."""


def test_walls_that_meet_in_a_corner_are_parted_by_a_gap() -> None:
    gap = 0.3
    part = as_sheet(pan(), corners="parted", gap=gap)
    blank = blank_now(part)
    assert len(blank.zones) == 4 and {z.bend.inner for z in blank.zones} == {T}
    assert all(not z.bend.up for z in blank.zones), "the largest face is the floor seen from below"
    high, inside = 20.0 - 2 * T, (60.0 - 4 * T, 40.0 - 4 * T)
    floor = inside[0] * inside[1]
    bends = 2 * sum(inside) * TAKES
    # above the bends every wall runs to the corner, or ends a gap before the wall that does
    walls = (2 * (60.0 + 40.0) - 4 * (T + gap)) * high
    assert blank.region.area == pytest.approx(floor + bends + walls, rel=1e-7)
    with pytest.raises(NothingToBuild, match="parted by a gap"):
        as_sheet(pan())
    with pytest.raises(BadValue, match="gap"):
        as_sheet(pan(), corners="parted", gap=0)


@pytest.mark.parametrize("stands", ["beyond", "flush"])
@pytest.mark.parametrize("degrees", [30, 90, 135])
def test_a_flange_adds_its_bend_and_its_flat(stands: str, degrees: int) -> None:
    angle, radius = math.radians(degrees), 2.0
    setback = (radius + T) * math.tan(min(angle, math.pi / 2.0) / 2.0)
    made = applied(
        as_sheet(plate(), radius=radius), "flange", pieces=[edge_near(plate(), 30, 0, T)], length=20, angle=degrees,
        stands=stands, start=4, end=6,
    )  # fmt: skip
    blank = blank_now(made)
    (zone,) = blank.zones
    assert (zone.bend.angle, zone.bend.inner) == (pytest.approx(angle), pytest.approx(radius))
    back = setback if stands == "flush" else 0.0
    grown = 50.0 * (angle * (radius + 0.44 * T) + 20.0 - setback - back)
    assert blank.region.area == pytest.approx(60.0 * 40.0 + grown, rel=1e-9)
    solid = 50.0 * (angle / 2.0 * ((radius + T) ** 2 - radius**2) + (20.0 - setback - back) * T)
    assert made.bodies[0].volume == pytest.approx(60.0 * 40.0 * T + solid, rel=1e-9)
    if degrees == 90:
        low, high = np.array(measure.bounds(made.bodies[0].shape)).reshape(2, 3)
        assert high[2] - 0.0 == pytest.approx(20.0), "its length is measured outside"
        assert low[1] == pytest.approx(-setback if stands == "beyond" else 0.0, abs=1e-6)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"length": 2}, "all bend: make it longer than 3 mm"),
        ({"angle": 180}, "less than 180°"),
        ({"radius": 0}, "inner radius above 0"),
        ({"start": 40, "end": 30}, "the edge is 60 mm long"),
        ({"length": 60, "angle": 170, "pieces": [(30, 0, T), (30, 40, T)]}, "would pass through the part|lies over"),
        ({"pieces": [(0, 0, T / 2)]}, "no rim of the sheet"),
    ],
)
def test_a_flange_that_can_not_stand_says_why_and_where(values: dict[str, object], words: str) -> None:
    body = plate()
    at = values.pop("pieces", [(30, 0, T)])
    pieces = [edge_near(body, *p) for p in at]  # type: ignore[union-attr]
    with pytest.raises((NothingToBuild, BadValue), match=words) as refused:
        applied(as_sheet(body), "flange", pieces=pieces, **values)
    assert refused.value.place.point is not None


def test_reliefs_part_a_bend_from_what_is_not_bent() -> None:
    flush = applied(
        as_sheet(plate()), "flange", pieces=[edge_near(plate(), 30, 0, T)], length=20, stands="flush", start=5, end=5
    )
    before = blank_now(flush).region.area
    square = blank_now(applied(flush, "bend_reliefs", 30, width=2, depth=1.5)).region.area
    # beside the bend the plate reaches 2 T past where the bend begins
    assert before - square == pytest.approx(2 * 2.0 * (1.5 + 2 * T), rel=1e-6)
    found = blank_now(applied(flush, "bend_reliefs", 30, width=2, depth=1.5, shape="round")).region.area
    assert found - square == pytest.approx(2 * (2.0 - math.pi / 2.0), rel=1e-4)
    whole = applied(as_sheet(plate()), "flange", pieces=[edge_near(plate(), 30, 0, T)])
    with pytest.raises(NothingToBuild, match="no relief is wanted"):
        applied(whole, "bend_reliefs", 30)


def test_corners_are_made_round_in_the_flat() -> None:
    part = applied(as_sheet(plate()), "flange", pieces=[edge_near(plate(), 30, 0, T)], start=5, end=5)
    before = blank_now(part).region
    every = blank_now(applied(part, "corner_flat", 30, size=2)).region
    assert before.area - every.area == pytest.approx(6 * (4.0 - math.pi), rel=1e-4), (
        "two at the flange, four at the plate"
    )
    at = [{"at": (before.bounds[0], before.bounds[1])}]
    one = blank_now(applied(part, "corner_flat", 30, how="chamfer", size=3, which="picked", points=at)).region
    assert before.area - one.area == pytest.approx(4.5, rel=1e-9)
    with pytest.raises(BadValue, match="no room for 30 mm; the largest is"):
        applied(part, "corner_flat", 30, size=30)


def test_a_blank_that_would_lie_over_itself_says_where() -> None:
    notched = raised(Figure().chain((0, 0), (60, 0), (60, 40), (20, 40), (20, 30), (0, 30)), T, "top")
    one = applied(as_sheet(notched), "flange", pieces=[edge_near(notched, 10, 30, T)], start=6, end=6)
    with pytest.raises(NothingToBuild, match="lies over itself by") as refused:
        applied(one, "flange", 30, pieces=[edge_near(notched, 20, 35, T)], length=20, start=0, end=6)
    assert measure.distance_to(notched.shape, refused.value.place.point) < 20.0  # type: ignore[arg-type]


def test_a_bent_line_is_sheet_at_once() -> None:
    figure = Figure().chain((0, 0), (40, 0), (40, 30), (60, 30), close=False)
    line = with_drawn(Workpiece(), figure.table, 10)
    for side in ("left", "right", "both"):
        made = applied(line, "sheet_from_line", side=side, width=50, thickness=T, radius=2, rule="k")
        blank = blank_now(made)
        assert [round(z.bend.inner, 6) for z in blank.zones] == [2.0, 2.0]
        # the line is one side, or the middle: outside its corner lies (r + T), r or r + T/2 from where the bend begins
        shares = {"left": (2.0, 2.0 + T), "right": (2.0 + T, 2.0), "both": (2.0 + T / 2, 2.0 + T / 2)}[side]
        long = 90.0 - 2 * sum(shares) + 2 * math.pi / 2.0 * (2.0 + 0.44 * T)
        assert blank.region.area == pytest.approx(long * 50.0, rel=1e-7), side
        assert made.sheet_metal is not None and made.sheet_metal.thickness == pytest.approx(T)


def test_what_is_engraved_lies_on_the_blank_and_takes_nothing_away() -> None:
    part = applied(as_sheet(plate()), "flange", pieces=[edge_near(plate(), 30, 0, T)])
    x0, y0, x1, y1 = blank_of_sheet(part)
    mark = Figure().chain((x0 + 5, y0 + 5), (x1 - 5, y1 - 5), close=False)
    on = replace(part, drawing=Drawing(Linework(mark.table, ("s10:0",))))
    made = applied(on, "engrave_flat", 40, curves=("s10:0",))
    assert made.bodies == part.bodies and made.sheet_metal is not None
    blank = unfold(sheet_part(made.bodies[0]), K)
    told = blank_told(blank, None, made.sheet_metal.marks)
    size = sum(shapely.LineString(m["line"]).length for m in told["marks"])
    assert size == pytest.approx(math.hypot(x1 - x0 - 10, y1 - y0 - 10), rel=1e-6), "in pieces, none lost"
    assert {m["zone"] for m in told["marks"]} == {None, 0}
    drawn = ezdxf.read(io.StringIO(blank_dxf(blank, made.sheet_metal.marks).decode())).modelspace()
    assert len(drawn.query("*[layer=='ENGRAVE']")) == 1
    outside = Figure().chain((x0, y0), (x1 + 50, y1), close=False)
    off = replace(part, drawing=Drawing(Linework(outside.table, ("s10:0",))))
    with pytest.raises(NothingToBuild, match="leaves the blank"):
        applied(off, "engrave_flat", 40, curves=("s10:0",))


def blank_of_sheet(part: Workpiece) -> tuple[float, float, float, float]:
    assert part.sheet_metal is not None
    found = unfold(sheet_part(part.bodies[0], at=np.array(part.sheet_metal.stays)), K, at_origin=False)
    return found.region.bounds


def test_the_sheet_with_its_blank_gives_the_part_again(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    part = applied(as_sheet(plate()), "flange", pieces=[edge_near(plate(), 30, 0, T), edge_near(plate(), 60, 20, T)])
    title = dict.fromkeys(("name", "number", "issue", "drawn_by", "date", "owner"), "")
    sheet = drawn_sheet(part, DrawSheetParams(), title)
    assert [v.view.title[:10] for v in sheet.views if v.view.alone] == ["Flat blank"]
    (tmp_path / "sheet.dxf").write_bytes(sheet_bytes(sheet, "dxf"))
    assert main(["views", str(tmp_path / "sheet.dxf"), "--build", str(tmp_path / "again.step"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["volume_mm3"] == pytest.approx(part.bodies[0].volume, rel=1e-6)
    assert any("laid flat" in left["why"] for left in told["left_out"]), told["left_out"]
