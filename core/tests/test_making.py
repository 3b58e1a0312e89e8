"""Operations that make linework, on cards: smooth, thicken, offset, put together, draw, repeat, guides, levels."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import shapely
from figures import Figure
from tectogon.curves import Arc, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.chain_fit import fit_chain
from tectogon.route import Run
from tectogon.solids import measure
from tectogon.workpiece.model import Drawing

DEMO = Path(__file__).resolve().parents[2] / "demo" / "files"


def kept(run: Run) -> Drawing:
    assert run.failed is None, run.failed
    return run.workpiece.drawing


def areas(run: Run) -> list[float]:
    return [r.area for r in kept(run).regions.profiles]


def picks(run: Run, *numbers: int) -> dict[str, Any]:
    found = kept(run).regions.regions
    return {
        "rule": "picked",
        "picks": [{"id": found[n].id, "at": found[n].inside, "area": found[n].area} for n in numbers],
    }


def point(x: float, y: float) -> dict[str, Any]:
    return {"at": [x, y]}


def test_a_trim_strip_of_400_pieces_becomes_a_dozen_and_its_solid_has_as_many_faces(
    on_card: Callable[..., Run],
) -> None:
    path = DEMO / "trim-strip.dxf"
    before = areas(on_card(path))
    run = on_card(path, ("smooth", {"deviation": 0.02}), ("extrude", {"profiles": {"rule": "material"}, "length": 5}))
    pieces = int(kept(run).kept.sum())
    assert pieces < 15
    assert areas(run) == pytest.approx(before, rel=1e-3)
    (body,) = run.workpiece.bodies
    assert len(body.faces) == pieces + 2
    assert "400 pieces became" in run.workpiece.notes[-1].text


def test_smoothing_keeps_corners_and_the_reverse_gives_segments(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    round_end = [(20 + 10 * math.cos(a), 10 * math.sin(a)) for a in (math.pi / 2 - math.pi * n / 60 for n in range(61))]
    path = drawing(Figure().chain((0, 10), *round_end, (0, -10)).draw())
    run = on_card(path, ("smooth", {"deviation": 0.03}))
    curves = kept(run).linework.table.curves()
    assert len(curves) == 4
    assert [c.radius for c in curves if isinstance(c, Arc)] == pytest.approx([10], abs=0.05)
    back = on_card(path, ("smooth", {"deviation": 0.03}), ("smooth", {"into": "segments", "deviation": 0.05}))
    assert len(kept(back).linework) > 15
    assert areas(back) == pytest.approx(areas(run), rel=2e-3)
    refused = on_card(drawing(Figure().rectangle(0, 0, 5, 5).draw(), name="b.dxf"), ("smooth", {}))
    assert "No chain of short pieces" in refused.steps[1].message


def test_the_cable_tray_drawn_as_one_line_becomes_a_section(on_card: Callable[..., Run]) -> None:
    run = on_card(DEMO / "cable-tray.dxf", ("thicken", {"thickness": "1.2 mm", "side": "left"}))
    (area,) = areas(run)
    inside, outside = (240.0 * 1.2 + sign * 4 * 1.44 for sign in (-1, 1))
    assert inside <= area <= outside
    other = areas(on_card(DEMO / "cable-tray.dxf", ("thicken", {"thickness": 1.2, "side": "right"})))[0]
    both = areas(on_card(DEMO / "cable-tray.dxf", ("thicken", {"thickness": 2.4})))[0]
    assert area + other == pytest.approx(both, rel=1e-9)


def test_offset_and_put_together_keep_true_arcs(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    path = drawing(Figure().rectangle(0, 0, 40, 20).circle(60, 10, 8).draw())
    first = on_card(path)
    wider = on_card(path, ("offset", {"profiles": picks(first, 0), "distance": 2, "corners": "round"}))
    assert sorted(areas(wider)) == pytest.approx(sorted([64 * math.pi, 800 + 240 + 4 * math.pi]), rel=1e-9)
    assert (
        "Nothing is left"
        in on_card(path, ("offset", {"profiles": picks(first, 0), "distance": 11, "way": "inwards"})).steps[1].message
    )
    over = drawing(Figure().rectangle(0, 0, 40, 20).circle(40, 10, 6).draw(), name="over.dxf")
    seen = on_card(over)
    whole = on_card(over, ("combine", {"how": "unite", "profiles": picks(seen, 0, 1, 2)}))
    assert areas(whole) == pytest.approx([800 + 18 * math.pi], rel=1e-9)
    assert "Two or more" in on_card(over, ("combine", {"profiles": picks(seen, 0)})).steps[1].message


@pytest.mark.parametrize(
    ("params", "length"),
    [
        ({"shape": "line", "points": [point(0, 0), point(3, 4)]}, 5),
        ({"shape": "line", "points": [point(0, 0), point(3, 4)], "length": "2 cm"}, 20),
        ({"shape": "rectangle", "points": [point(0, 0), point(30, 10)]}, 80),
        ({"shape": "circle", "points": [point(5, 5)], "length": 4}, 8 * math.pi),
        ({"shape": "circle", "points": [point(5, 5), point(5, 7)]}, 4 * math.pi),
        ({"shape": "arc_through", "points": [point(10, 0), point(0, 10), point(-10, 0)]}, 10 * math.pi),
        ({"shape": "arc_through", "points": [point(10, 0), point(0, -10), point(-10, 0)]}, 10 * math.pi),
        ({"shape": "arc_about", "points": [point(0, 0), point(10, 0), point(0, 3)]}, 5 * math.pi),
        ({"shape": "arc_of_radius", "points": [point(10, 0), point(-10, 0)], "length": 10}, 10 * math.pi),
        ({"shape": "spline", "points": [point(0, 0), point(5, 0), point(10, 0)]}, 10),
    ],
)
def test_what_is_drawn_measures_what_was_asked(
    drawing: Callable[..., Path], on_card: Callable[..., Run], params: dict[str, Any], length: float
) -> None:
    run = on_card(drawing(Figure().circle(200, 200, 5).draw()), ("draw", params))
    assert kept(run).linework.table.lengths[1:].sum() == pytest.approx(length, rel=1e-9)


def test_a_drawn_line_closes_a_gap_on_the_ends_it_was_snapped_to(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(Figure().chain((0, 0), (50, 0), (50, 30), (0, 30), close=False).draw())
    ids = kept(on_card(path)).linework.ids
    ends = [{"at": [0, 30], "curve": ids[-1], "kind": "end"}, {"at": [0, 0], "curve": ids[0], "kind": "start"}]
    assert areas(on_card(path, ("draw", {"points": ends}))) == pytest.approx([1500])
    assert "Press 1 more point" in on_card(path, ("draw", {"points": ends[:1]})).steps[1].message


def test_copies_in_a_row_a_grid_and_a_circle(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    path = drawing(Figure().circle(30, 0, 2).draw())
    (key,) = kept(on_card(path)).linework.ids
    row = on_card(path, ("repeat", {"curves": [key], "count": 5, "x": 7, "y": 1}))
    assert kept(row).linework.extents.tolist() == pytest.approx([28, -2, 60, 6])
    assert (
        len(areas(on_card(path, ("repeat", {"curves": [key], "how": "grid", "count": 4, "rows": 3, "rise": 9})))) == 12
    )
    round_about = on_card(path, ("repeat", {"curves": [key], "how": "circle", "count": 6, "centre": [point(0, 0)]}))
    assert [math.hypot(*r.centroid) for r in kept(round_about).regions.profiles] == pytest.approx([30] * 6)


def test_a_guide_bounds_nothing_and_the_solid_that_stood_on_it_says_so(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(Figure().rectangle(0, 0, 50, 30).line(20, 0, 20, 30).draw())
    first = on_card(path)
    chosen = picks(first, 0)
    row = next(
        k
        for k, c in zip(
            first.workpiece.drawing.linework.ids, first.workpiece.drawing.linework.table.curves(), strict=True
        )
        if getattr(c, "x0", 0) == 20 == getattr(c, "x1", 0)
    )
    run = on_card(path, ("guide", {"curves": [row]}), ("extrude", {"profiles": chosen, "length": 5}))
    assert "a curve of it is a guide now" in run.steps[2].message
    assert len(run.workpiece.drawing.regions.profiles) == 1
    assert on_card(path, ("extrude", {"profiles": chosen, "length": 5})).failed is None


def test_each_level_goes_to_its_own_thickness(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    path = drawing(Figure().rectangle(0, 0, 40, 40).circle(20, 20, 10).circle(20, 20, 4).draw())
    run = on_card(path, ("extrude_levels", {"outside": 3, "first": 1, "second": "5 mm"}))
    (body,) = run.workpiece.bodies
    ring, hole, pin = 1600 - 100 * math.pi, 84 * math.pi, 16 * math.pi
    assert body.volume == pytest.approx(3 * ring + hole + 5 * pin, rel=1e-9)
    assert "Every level" in on_card(path, ("extrude_levels", {"outside": 0, "second": 0})).steps[1].message


@pytest.mark.parametrize(
    ("by", "extra"), [("line", 0.0), ("arc", 0.5 * math.pi * 25), ("pull", None), ("smooth", None)]
)
def test_a_gap_between_two_picked_ends_is_bridged(
    drawing: Callable[..., Path], on_card: Callable[..., Run], by: str, extra: float | None
) -> None:
    path = drawing(Figure().chain((50, 10), (0, 10), (0, 0), (50, 0), close=False).draw())
    ids = kept(on_card(path)).linework.ids
    ends = [{"at": [50, 0], "curve": ids[2], "kind": "end"}, {"at": [50, 10], "curve": ids[0], "kind": "start"}]
    run = on_card(path, ("bridge", {"points": ends, "by": by}))
    (area,) = areas(run)
    if extra is not None:
        assert area == pytest.approx(500 + extra, rel=1e-9)
    elif by == "smooth":
        assert 500 < area < 560
    else:
        assert area == pytest.approx(500 - 2 * 0.5 * 50 * 5, rel=1e-9)
    assert "no end of a curve" in on_card(path, ("bridge", {"points": [point(1, 1), point(2, 2)]})).steps[1].message


def test_curves_are_split_where_others_cross_and_touch(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(Figure().line(0, 0, 30, 0).line(10, -5, 10, 5).line(20, 0, 20, 8).draw())
    run = on_card(path, ("split", {}))
    assert sorted(kept(run).linework.table.lengths.round(9)) == [5, 5, 8, 10, 10, 10]
    one = kept(on_card(path)).linework.ids[0]
    assert len(kept(on_card(path, ("split", {"curves": [one]}))).linework) == 5
    assert "Nothing crosses" in on_card(path, ("split", {}), ("split", {})).steps[2].message


TWO_SQUARES = Figure().rectangle(0, 0, 10, 10).rectangle(10, 10, 10, 10)
HOLE_AT_THE_EDGE = Figure().chain((0, 10), (0, 0), (20, 0), (20, 20), (0, 20)).chain((0, 10), (5, 5), (10, 10), (5, 15))
DISC = math.pi * 0.2**2


@pytest.mark.parametrize(
    ("figure", "how", "expected"),
    [
        (TWO_SQUARES, "gap", [100 - DISC / 4, 100 - DISC / 4]),
        (TWO_SQUARES, "neck", [200 + DISC / 2]),
        (HOLE_AT_THE_EDGE, "gap", [350 - DISC / 4]),
        (HOLE_AT_THE_EDGE, "neck", [350 + 0.75 * DISC]),
    ],
)
def test_a_boundary_that_touches_itself_is_parted_by_a_width(
    drawing: Callable[..., Path], on_card: Callable[..., Run], figure: Figure, how: str, expected: list[float]
) -> None:
    path = drawing(figure.draw())
    run = on_card(
        path,
        ("separate", {"how": how, "width": 0.4, "points": [point(10, 10) if figure is TWO_SQUARES else point(0, 10)]}),
    )
    assert areas(run) == pytest.approx(expected, rel=1e-9)
    assert len(kept(run).regions.pinches) == 0
    everywhere = on_card(
        path,
        ("separate", {"how": how, "width": "0.4 mm"}),
        ("extrude", {"profiles": {"rule": "material"}, "length": 3}),
    )
    assert sum(measure.volume(b.shape) for b in everywhere.workpiece.bodies) == pytest.approx(
        3 * sum(expected), rel=1e-9
    )
    assert (
        "nothing to part"
        in on_card(drawing(Figure().rectangle(0, 0, 5, 5).draw(), name="plain.dxf"), ("separate", {})).steps[1].message
    )
    assert "touches itself near x 3.00" in on_card(path, ("separate", {"points": [point(3, 3)]})).steps[1].message


def test_what_is_drawn_a_hair_off_is_trued_up_and_still_closes(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    path = drawing(
        Figure()
        .chain((0, 0), (100, 0.3), (100, 50), (0, 50))
        .circle(30, 20, 5)
        .circle(60, 20, 5.004)
        .arc(80, 20, 4, 0, 356)
        .draw()
    )
    plain = on_card(path)
    offered = {f.kind: f for f in kept(plain).findings.offered}
    assert {"nearly_straight", "nearly_equal", "nearly_round"} <= set(offered)
    ids = [kept(plain).linework.ids[row] for row in kept(plain).bounding.tolist()]

    def named(kind: str) -> list[str]:
        return [ids[row] for row in offered[kind].rows]

    run = on_card(
        path,
        ("regularise", {"curves": named("nearly_straight")}),
        ("regularise", {"curves": named("nearly_equal"), "how": "radius", "radius": 5}),
        ("regularise", {"curves": named("nearly_round"), "how": "circle"}),
    )
    assert areas(run) == pytest.approx([100 * 49.85 - 66 * math.pi], rel=1e-12)
    assert not {"nearly_straight", "nearly_equal", "nearly_round"} & {f.kind for f in kept(run).findings.offered}
    assert next(n.text for n in run.workpiece.notes if n.code == "trued_up").endswith("moved by more than 0.15 mm.")
    assert "Only lines" in on_card(path, ("regularise", {"curves": named("nearly_round")})).steps[1].message


def test_drawn_points_that_touch_curves_follow_them(drawing: Callable[..., Path], on_card: Callable[..., Run]) -> None:
    def at(x: float, y: float, kind: str, n: int, other: int | None = None) -> dict[str, Any]:
        return {"at": [x, y], "kind": kind, "curve": ids[n], "other": None if other is None else ids[other]}

    def ends(run: Run) -> list[list[float]]:
        table = kept(run).linework.table
        return [p.round(9).tolist() for p in table.ends[-1]]

    path = drawing(Figure().circle(0, 0, 3).line(-20, 8, 20, 8).circle(0, 8, 4).draw())
    ids = kept(on_card(path)).linework.ids
    tangent = on_card(path, ("draw", {"points": [point(5, 0), at(1.8, 2.4, "tangent", 0)]}))
    assert ends(tangent) == [[5, 0], [1.8, 2.4]]
    square = on_card(path, ("draw", {"points": [point(7, 1), at(7, 8, "perpendicular", 1)]}))
    assert ends(square) == [[7, 1], [7, 8]]
    crossing = [point(0, 0), at(4, 8, "crossing", 1, 2)]
    assert ends(on_card(path, ("draw", {"points": crossing}))) == [[0, 0], [4, 8]]
    larger = on_card(path, ("scale", {"factor": 2, "about": "origin"}), ("draw", {"points": crossing}))
    assert ends(larger) == [[0, 0], [8, 16]]
    gone = on_card(path, ("draw", {"points": [point(1, 0), at(1.8, 2.4, "tangent", 0)]}))
    assert "tangent picked at x 1.80" in gone.steps[1].message


def test_the_deviation_that_smoothing_tells_is_true_and_within_what_was_asked(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    """Long sides of many pieces, joined by rounds: the distance is from the line itself, not from its ends."""
    from tectogon.units import parse_length

    figure = Figure()
    points = [(x, 0.01 * (n % 2)) for n, x in enumerate(np.linspace(0, 400, 60).tolist())]
    points += [(400 + 40 * math.sin(a), 40 - 40 * math.cos(a)) for a in np.linspace(0.05, math.pi / 2, 40).tolist()]
    points += [(440, 300), (0, 300)]
    figure.chain(*points)
    for asked in (0.5, 0.05):
        run = on_card(drawing(figure.draw()), ("smooth", {"deviation": asked}))
        told = next(n for n in run.workpiece.notes if n.code == "smoothed").text
        off = parse_length(told.rsplit("more than ", 1)[1].rstrip("."))
        assert 0 < off <= asked
        dense = run.workpiece.drawing.linework.table.flatten(1e-3)[0]
        lines = shapely.LinearRing(dense) if len(dense) > 3 else shapely.LineString(dense)
        pieces = shapely.LinearRing(points)
        true = max(
            shapely.distance(lines, shapely.points(np.array(points))).max(),
            shapely.distance(pieces, shapely.points(dense)).max(),
        )
        assert off == pytest.approx(true, abs=0.06 * asked)


def rounded(corners: list[tuple[float, float]], radius: float, pieces: int, decimals: int | None) -> FloatArray:
    """A polygon with rounded corners as a trim profile has it: straight pieces, so many for each round (k, 2)."""
    out = []
    for a, b, c in zip(np.roll(corners, 1, 0), np.array(corners), np.roll(corners, -1, 0), strict=True):
        u, v = (a - b) / np.hypot(*(a - b)), (c - b) / np.hypot(*(c - b))
        half = math.acos(float(u @ v)) / 2
        centre = b + (u + v) / np.hypot(*(u + v)) * radius / math.sin(half)
        begin, end = (b + w * radius / math.tan(half) - centre for w in (u, v))
        first = math.atan2(begin[1], begin[0])
        turn = (math.atan2(end[1], end[0]) - first + math.pi) % math.tau - math.pi
        angles = first + turn * np.linspace(0, 1, pieces + 1)
        out.append(centre + radius * np.column_stack([np.cos(angles), np.sin(angles)]))
    points = np.concatenate(out)
    return points if decimals is None else np.round(points, decimals)


TRIM = [(0, 0), (60, 0), (60, 10), (40, 10), (40, 6), (20, 6), (20, 30), (60, 30), (60, 40), (0, 40), (0, 25), (-6, 12)]


@pytest.mark.parametrize("decimals", [None, 4, 3, 2])
@pytest.mark.parametrize("pieces", [5, 7, 16])
@pytest.mark.parametrize("begins", [0, 3, 8])
def test_lines_and_arcs_come_first_and_straight_walls_stay_straight(
    decimals: int | None, pieces: int, begins: int
) -> None:
    points = np.roll(rounded(TRIM, 1.5, pieces, decimals), begins, axis=0)
    lines = 0
    for deviation in (0.3, 0.1, 0.05, 0.02, 0.005, 0.001):
        made = fit_chain(points, closed=True, deviation=deviation, corner=math.radians(25))
        kinds = Counter(type(c).__name__ for c in made)
        if deviation >= 0.05:
            assert kinds == {"Line": 12, "Arc": 12}
            walls = [c for c in made if isinstance(c, Line)]
            ends = np.concatenate([c.points(np.array([0.0, 1.0])) for c in walls])
            away = np.hypot(*(ends[:, None] - points[None]).transpose(2, 0, 1)).min(axis=1)
            assert away.max() < (1e-6 if decimals is None else 3 * 10.0**-decimals)
        assert kinds["Line"] >= lines, "a finer tolerance never gives fewer lines"
        lines = kinds["Line"]


@pytest.mark.parametrize("pieces", [60, 200, 400])
def test_a_free_curve_is_no_row_of_arcs(pieces: int) -> None:
    t = np.linspace(0, math.tau, pieces, endpoint=False)
    for points in (
        np.column_stack([50 * np.cos(t), 30 * np.sin(t)]),
        np.column_stack([(50 + 6 * np.sin(3 * t)) * np.cos(t), (50 + 6 * np.sin(3 * t)) * np.sin(t)]),
    ):
        made = fit_chain(points, closed=True, deviation=0.1, corner=math.radians(25))
        assert len(made) <= 9, Counter(type(c).__name__ for c in made)


def test_dashed_lines_are_not_proposed_and_old_cards_still_leave_them_out(
    drawing: Callable[..., Path], on_card: Callable[..., Run]
) -> None:
    def draw(space: Any, document: Any) -> None:
        document.linetypes.add("DASHED", pattern=[0.75, 0.5, -0.25])
        Figure().rectangle(0, 0, 60, 40).rectangle(80, 0, 60, 40).draw()(space, document)
        space.add_line((80, 20), (140, 20), dxfattribs={"linetype": "DASHED"})

    path = drawing(draw)
    run = on_card(path)
    assert not [a for a in run.workpiece.drawing.proposals if a.kind == "hidden"]
    assert len(run.workpiece.drawing.regions.regions) == 2
    old = on_card(path, ("leave_out", {"proposals": ["hidden"]}))
    assert old.failed is None and len(old.workpiece.drawing.left_out) == 1
    assert "dashed lines" in "".join(t.text for t in old.steps[-1].sentence)
