"""Lofts and profiles along a path, held against closed forms, Pappus and a second integration."""

from __future__ import annotations

import itertools
import json
import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import TURN, Figure
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tectogon.building.along import carried, centred, swept_along
from tectogon.building.lofting import Section, loft
from tectogon.building.tapering import at_height
from tectogon.cli import main
from tectogon.curves.affine import IDENTITY, FloatArray, about_point, after, moved, scaled
from tectogon.errors import BadValue
from tectogon.profiles.matching import chord_of, matched
from tectogon.profiles.paths import path_of, rounded
from tectogon.profiles.rings import rings_of
from tectogon.route import Run
from tectogon.solids import measure
from tectogon.solids.features import Feature
from tectogon.solids.mesh import mesh_of
from tectogon.views import Frame, frame_of

ALL = {"rule": "material"}
Case = Callable[..., Run]


def section(figure: Figure, height: float = 0.0, change: FloatArray = IDENTITY, frame: Frame | None = None) -> Section:
    regions = figure.regions()
    return Section(regions, regions.profiles[0], frame or at_height(frame_of("top"), height), change)


def lofted(*sections: Section, smooth: bool = False, square: bool = False) -> Feature:
    return loft(sections, smooth=smooth, square=square, step=20)


def foil(count: int, chord: float = 100.0, thick: float = 0.12, tail: float = 0.0) -> Figure:
    """A symmetrical foil by `count` points, its trailing edge sharp or `tail` thick."""
    x = 0.5 * (1 - np.cos(np.linspace(0, math.pi, count // 2 + 1)))
    y = 5 * thick * (0.2969 * np.sqrt(x) - 0.126 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4) + tail / 2 * x
    points = np.concatenate([np.column_stack([x, y])[::-1], np.column_stack([x, -y])[1:]]) * chord
    return Figure().chain(*map(tuple, (points if tail else points[:-1]).tolist()))


def shoelace(points: np.ndarray) -> float:
    x, y = points.T
    return 0.5 * abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    count=st.integers(3, 9),
    scale=st.floats(0.2, 2.0),
    twist=st.floats(-60, 60),
    height=st.floats(1, 80),
    shift=st.floats(-20, 20),
)
def test_a_polygon_to_another_size_turned_and_shifted(
    count: int, scale: float, twist: float, height: float, shift: float
) -> None:
    angles = TURN * np.arange(count) / count
    points = 10 * np.column_stack([np.cos(angles), np.sin(angles)])
    figure = Figure().chain(*map(tuple, points.tolist()))
    change = after(moved(shift, 0), about_point((0.0, 0.0), scale, math.radians(twist)))
    made = lofted(section(figure), section(figure, height, change))
    top = points @ change[:, :2].T + change[:, 2]
    middle = shoelace((points + top) / 2)  # straight lines between matched corners: Simpson's rule is exact
    expected = height / 6 * (shoelace(points) + 4 * middle + shoelace(top))
    assert made.named.volume == pytest.approx(expected, rel=2e-8), "a face that is flat within the tolerance is flat"


@pytest.mark.parametrize("tails", [(0.0, 0.0), (0.0, 0.02), (0.02, 0.0), (0.02, 0.01)], ids=str)
@pytest.mark.parametrize("counts", [(160, 90), (40, 120), (60, 60)], ids=str)
def test_foils_of_other_counts_and_tails(counts: tuple[int, int], tails: tuple[float, float]) -> None:
    low, high = foil(counts[0], tail=tails[0]), foil(counts[1], 60.0, tail=tails[1])
    made = lofted(section(low), section(high, 200.0))
    a, b = (f.regions().profiles[0].area for f in (low, high))
    between = 200 / 3 * (a + b + math.sqrt(a * b))
    assert made.named.volume == pytest.approx(between, rel=2e-2), "about the frustum of two outlines that are alike"
    assert mesh_of(made.named.shape).watertight


def test_sections_of_other_kinds_match_corner_to_corner() -> None:
    square, ring = Figure().rectangle(-5, -5, 10, 10), Figure().circle(0, 0, 5)
    (a, n), (b, m) = (rings_of((r := f.regions()), r.profiles[0]) for f in (square, ring))
    found = matched([a[0], b[0]], [n[0], m[0]])
    corners = [np.asarray(e.points(np.array([0.0])))[0] for e in found.ends[0] if not isinstance(e, tuple)]
    assert {tuple(np.round(c, 6)) for c in corners} >= {(-5, -5), (5, -5), (5, 5), (-5, 5)}
    made = lofted(section(square), section(ring, 8), section(square, 16, scaled(0.5)))
    assert 16 * 25 < made.named.volume < 16 * 100


def test_smooth_through_sections_passes_all_of_them() -> None:
    ring = Figure().circle(0, 0, 10)
    heights, radii = [0.0, 10.0, 25.0, 40.0], [10.0, 14.0, 12.0, 6.0]
    some = [section(ring, h, scaled(r / 10)) for h, r in zip(heights, radii, strict=True)]
    smooth, ruled = lofted(*some, smooth=True).named, lofted(*some).named
    frusta = [
        math.pi / 3 * (b - a) * (r * r + r * s + s * s)
        for a, b, r, s in zip(heights, heights[1:], radii, radii[1:], strict=False)
    ]
    assert ruled.volume == pytest.approx(sum(frusta), rel=1e-9)
    assert smooth.volume > ruled.volume
    flared = lofted(section(ring), section(ring, 20.0, scaled(0.5)), square=True).named
    s = np.linspace(0, 1, 20001)
    radius = 10 - 5 * (3 * s**2 - 2 * s**3)
    assert flared.volume == pytest.approx(20 * np.trapezoid(math.pi * radius**2, s), rel=1e-6)


def test_sections_in_planes_that_stand_at_an_angle() -> None:
    top = frame_of("top")
    c, s = math.cos(0.4), math.sin(0.4)
    tilted = Frame((0.0, 0.0, 30.0), (c, 0.0, -s), (0.0, 1.0, 0.0))
    square = Figure().rectangle(-5, -5, 10, 10)
    made = lofted(section(square, frame=top), section(square, frame=tilted))
    faces = np.array([[-5, -5], [5, -5], [5, 5], [-5, 5]], float)
    low, high = top.place(faces), tilted.place(faces)
    total = 0.0
    for n in range(4):  # the sides are flat or ruled between straight edges: a fine sum of pyramids
        k = (n + 1) % 4
        t = np.linspace(0, 1, 401)
        for a, b in itertools.pairwise(t):
            corner = [low[n] + q * (low[k] - low[n]) for q in (a, b)] + [
                high[n] + q * (high[k] - high[n]) for q in (a, b)
            ]
            total += (
                np.dot(corner[0], np.cross(corner[1], corner[3])) + np.dot(corner[0], np.cross(corner[3], corner[2]))
            ) / 6
    total += 100 * 30 * float(np.array(tilted.normal)[2]) / 3
    assert made.named.volume == pytest.approx(total, rel=1e-5)


@pytest.mark.parametrize(
    ("sections", "words"),
    [
        ([section(Figure().circle(0, 0, 5)), section(Figure().circle(0, 0, 5))], "one plane"),
        (
            [section(Figure().rectangle(0, 0, 9, 9).circle(4, 4, 2)), section(Figure().rectangle(0, 0, 9, 9), 5)],
            "Section 2 has 0 holes and section 1 has 1 hole",
        ),
        (
            [
                section(Figure().circle(0, 0, 5)),
                section(Figure().circle(0, 0, 5), frame=Frame((0.0, 0.0, 1.0), (0.6, 0.0, -0.8), (0.0, 1.0, 0.0))),
            ],
            "cross inside the body",
        ),
    ],
    ids=["one plane", "a hole in one", "crossing planes"],
)
def test_sections_that_do_not_go_together_are_told(sections: list[Section], words: str) -> None:
    with pytest.raises(BadValue, match=words) as raised:
        lofted(*sections)
    assert raised.value.place.curves or raised.value.place.point


def test_a_fin_in_one_sentence(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(foil(80, 250.0).draw())
    fin = {"profiles": ALL, "to": "chord", "chord": 140, "apart": 600, "back": 80, "turned": -2, "about": 25}
    run = on_card(path, ("loft", fin))
    assert run.failed is None, run.failed
    body = run.workpiece.bodies[0]
    area, k = run.workpiece.drawing.regions.profiles[0].area, 140 / 250
    straight = 600 / 3 * area * (1 + k + k * k)
    assert body.volume == pytest.approx(straight, rel=2e-3), "a twist of 2° takes off little"
    assert "from a chord of its own to 140 mm, 600 mm apart" in "".join(t.text for t in run.steps[1].sentence)
    lead, trail = chord_of(rings_of((r := foil(80, 250.0).regions()), r.profiles[0])[0][0])
    assert lead == pytest.approx((0, 0), abs=1e-9) and trail == pytest.approx((250, 0), abs=1e-9)


def profile(figure: Figure) -> Any:
    regions = figure.regions()
    return centred(regions, regions.profiles[0])


def along(shape: Figure, line: Figure, radius: float = 0.0) -> Feature:
    path = path_of(line.table, 1e-6)
    return swept_along(profile(shape), rounded(path, radius) if radius else path, step=20)


TUBE = Figure().circle(0, 0, 3).circle(0, 0, 2)
BAR = Figure().rectangle(-3, -1, 6, 2)


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    turns=st.lists(st.floats(-100, 100), min_size=1, max_size=6),
    length=st.floats(30, 60),
    radius=st.one_of(st.just(0.0), st.floats(5, 9)),
    tube=st.booleans(),
)
def test_along_lines_and_arcs_it_is_area_times_way(
    turns: list[float], length: float, radius: float, tube: bool
) -> None:
    points, way = [np.zeros(2)], 0.0
    for turn in [0.0, *turns]:
        way += math.radians(turn)
        points.append(points[-1] + length * np.array([math.cos(way), math.sin(way)]))
    line = Figure().chain(*(tuple(p.tolist()) for p in points), close=False)
    shape = TUBE if tube else BAR
    try:
        made = along(shape, line, radius)
    except BadValue as refused:
        assert refused.place.point is not None, refused.sentence
        return
    area = shape.regions().profiles[0].area
    lost = sum(2 * math.tan(abs(t) / 2) - abs(t) for t in map(math.radians, turns)) * radius
    assert made.named.volume == pytest.approx(area * (length * (len(turns) + 1) - lost), rel=1e-6)


@pytest.mark.parametrize("shape", [TUBE, BAR], ids=["tube", "bar"])
def test_along_closed_and_free_paths(shape: Figure) -> None:
    area = shape.regions().profiles[0].area
    ring = along(shape, Figure().circle(0, 0, 20))
    assert ring.named.volume == pytest.approx(area * TURN * 20, rel=1e-9)
    frame = along(shape, Figure().rectangle(0, 0, 80, 50))
    assert frame.named.volume == pytest.approx(area * 260, rel=1e-9)
    rounded_frame = along(shape, Figure().rectangle(0, 0, 80, 50), 10.0)
    assert rounded_frame.named.volume == pytest.approx(area * (260 - 80 + TURN * 10), rel=1e-9)
    wave = Figure().spline((0, 0), (30, 40), (60, -40), (90, 0))
    assert along(shape, wave).named.volume == pytest.approx(area * wave.curves[0].length, rel=1e-5)


def test_held_by_another_point_it_goes_as_pappus_says() -> None:
    regions = BAR.regions()
    held = carried(regions, regions.profiles[0], (-3.0, 0.0))  # the bar lies 3 mm to the left of the path
    made = swept_along(held, path_of(Figure().circle(0, 0, 20).table, 1e-6), step=20)
    assert made.named.volume == pytest.approx(12 * TURN * 17, rel=1e-9)


def test_kept_parallel_it_is_area_times_how_far_it_gets() -> None:
    path = path_of(Figure().line(0, 0, 40, 0).line(40, 0, 60, 15).arc(60, 45, 30, -90, 50).table, 1e-6)
    made = swept_along(profile(TUBE), path, step=20, parallel=True)
    end = float(np.asarray(path.curves[-1].points(np.array([1.0])))[0, 0])
    assert made.named.volume == pytest.approx(TUBE.regions().profiles[0].area * end, rel=1e-6)
    with pytest.raises(BadValue, match=r"does not get on near x 40\.00"):
        swept_along(
            profile(TUBE), path_of(Figure().line(0, 0, 40, 0).line(40, 0, 40, 9).table, 1e-6), step=20, parallel=True
        )


def test_points_that_are_pressed_match(drawing: Callable[..., Path], on_card: Case) -> None:
    """A square matched to itself from its next corner is a twist by a right angle: the mean of both has half."""
    path = drawing(Figure().rectangle(0, 0, 20, 20).rectangle(100, 0, 20, 20).draw())
    squares = on_card(path).workpiece.drawing.regions.profiles
    ordered = sorted(squares, key=lambda r: r.bounds[0])
    both = {"picks": [{"id": r.id, "at": r.inside, "area": r.area} for r in ordered]}
    plain = {"profiles": both, "to": "next", "apart": 30, "placed": "centred"}
    assert on_card(path, ("loft", plain)).workpiece.bodies[0].volume == pytest.approx(12000)
    pressed = {**plain, "matched": "pressed", "starts": [{"at": (0, 0)}, {"at": (120, 0)}]}
    run = on_card(path, ("loft", pressed))
    assert run.failed is None, run.failed
    assert run.workpiece.bodies[0].volume == pytest.approx(30 / 6 * (400 + 4 * 200 + 400))


@pytest.mark.parametrize(
    ("line", "radius", "words"),
    [
        (Figure().line(0, 0, 10, 0).line(10.5, 0, 30, 0), 0.0, "gap of 0.5 mm near x 10.25"),
        (Figure().line(0, 0, 40, 0).arc(40, 2, 2, -90, 90), 0.0, "bends with a radius of 2 mm"),
        (Figure().chain((0, 0), (40, 0), (40, 4), (0, 4), close=False), 0.0, "mitres"),
        (Figure().chain((0, 0), (60, 0), (60, 40), (30, 40), (30, -20), close=False), 0.0, "so near to itself"),
        (Figure().chain((0, 0), (40, 0), (40, 40), close=False), 50.0, "no room for an arc of 50 mm"),
        (Figure().chain((0, 0), (40, 0), (1, 0.5), close=False), 0.0, "turns back"),
        (Figure().line(0, 0, 40, 0).arc(40, 20, 20, -90, 90).line(60, 20, 90, 20), 0.0, "corner at a curve"),
    ],
    ids=["gap", "tight", "mitres", "itself", "no room", "cusp", "corner at an arc"],
)
def test_paths_that_can_not_be_followed_say_where(line: Figure, radius: float, words: str) -> None:
    with pytest.raises(BadValue, match=words) as raised:
        along(TUBE, line, radius)
    assert raised.value.place.point is not None


def test_a_handle_from_a_drawing(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(Figure().circle(-40, 0, 5).chain((0, 0), (0, 50), (120, 50), (120, 0), close=False).draw())
    run = on_card(path, ("carry", {"profiles": ALL, "corners": "rounded", "radius": 15}))
    assert run.failed is None, run.failed
    way = 220 - 4 * 15 + math.pi * 15
    assert run.workpiece.bodies[0].volume == pytest.approx(math.pi * 25 * way, rel=1e-6)
    placed = on_card(path, ("carry", {"profiles": ALL, "held": "placed"}))
    assert placed.failed is not None and "off square to the path" in placed.failed.message


def test_the_command_line_lofts_and_carries(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    def svg(name: str, inner: str) -> str:
        text = f'<svg xmlns="http://www.w3.org/2000/svg" width="99mm" height="99mm" viewBox="0 0 99 99">{inner}</svg>'
        (tmp_path / name).write_text(text)
        return str(tmp_path / name)

    square = svg("square.svg", '<path d="M0 0h20v20h-20z"/>')
    line = svg("line.svg", '<path fill="none" stroke="black" d="M10 10h40a20 20 0 0 1 20 20v20"/>')

    def told(*words: str) -> dict[str, Any]:
        main([*words, "--json"])
        return dict(json.loads(capsys.readouterr().out.splitlines()[-1]))

    tapered = told("build", square, "--thickness", "10", "--taper", "-5")
    t = math.tan(math.radians(5))
    assert tapered["volume_mm3"] == pytest.approx(4000 + 80 * t * 50 + 4 * t * t * 1000 / 3, rel=1e-6)
    assert told("build", square, "--thickness", "9", "--to-point")["volume_mm3"] == pytest.approx(1200, rel=1e-6)
    frustum = told("loft", square, "--at", "0,30", "--scale", "1,.5", "--out", str(tmp_path / "loft.step"))
    assert frustum["volume_mm3"] == pytest.approx(10 * (400 + 200 + 100), rel=1e-6) and Path(frustum["out"]).exists()
    bar = told("sweep", square, "--along", line)
    assert (bar["status"] == "bad_value" and "bends with a radius of 20 mm" not in bar["message"]) or bar["path_mm"]
    assert told("loft", square, "--at", "0")["status"] == "usage"
    assert told("loft", square, "--at", "0,1", "--scale", "1")["status"] == "usage"


@pytest.mark.parametrize("tube", [True, False], ids=["tube", "bar"])
@pytest.mark.parametrize("turn", [1e-7, 3e-6, 1e-5, 1e-4, 1e-3, 0.02, 0.4])
def test_a_path_that_hardly_turns_is_no_trouble(turn: float, tube: bool) -> None:
    shape = TUBE if tube else BAR
    points, way = [np.zeros(2)], 0.0
    for by in (0.0, turn, -turn, turn):
        way += math.radians(by)
        points.append(points[-1] + 30.0 * np.array([math.cos(way), math.sin(way)]))
    made = along(shape, Figure().chain(*(tuple(p.tolist()) for p in points), close=False))
    assert made.named.volume == pytest.approx(shape.regions().profiles[0].area * 120, rel=1e-6)


@pytest.mark.parametrize("square", [True, False], ids=["square", "smooth"])
@pytest.mark.parametrize("shift", [0.0, 30.0, 120.0])
def test_sides_that_leave_square_never_pass_the_other_section(square: bool, shift: float) -> None:
    """A low loft that is shifted far: the sides rise all the way, so that nothing lies over the upper section."""
    figure = Figure().circle(0, 0, 10)
    low, high = section(figure), section(figure, 8.0, moved(shift, 0))
    made = lofted(low, high, smooth=not square, square=square)
    box = measure.bounds(made.named.shape)
    assert (box[2], box[5]) == pytest.approx((0, 8), abs=1e-5)
    assert made.named.volume == pytest.approx(made.expected, rel=1e-6)
    assert made.named.volume == pytest.approx(math.pi * 100 * 8, rel=0.05), "every level is about the circle"
    assert mesh_of(made.named.shape).watertight


def test_sections_that_make_the_sides_turn_back_or_cross_are_refused() -> None:
    angle = Figure().chain((0, 0), (40, 0), (40, 6), (6, 6), (6, 40), (0, 40))
    with pytest.raises(BadValue, match="sections 1 and 2 the sides would cross themselves") as refused:
        lofted(section(angle), replace(section(angle, 20.0), start=0.5))
    assert refused.value.place.curves
    square = Figure().rectangle(-10, -10, 20, 20)
    with pytest.raises(BadValue, match="sections 2 and 3 the sides would turn back"):
        lofted(section(square), section(square, 199.0, moved(400, 0)), section(square, 200.0), smooth=True)


def test_lofts_that_overlap_become_one_body_within_their_volumes(drawing: Callable[..., Path], on_card: Case) -> None:
    path = drawing(Figure().rectangle(0, 0, 40, 30).rectangle(60, 0, 20, 20).draw())
    wide = {"profiles": ALL, "to": "share", "share": 2.2, "apart": 25, "result": "new"}
    run = on_card(path, ("loft", wide))
    assert run.failed is None, run.failed
    each = [25 / 3 * (1 + 2.2 + 2.2**2) * area for area in (1200, 400)]
    whole = sum(b.volume for b in run.workpiece.bodies)
    assert max(each) < whole < sum(each) and all(b.volume > 0 for b in run.workpiece.bodies)
