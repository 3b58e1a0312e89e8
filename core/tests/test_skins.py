"""What skins are made of: curves as splines, surfaces through sections, outlines moved and matched, paths; each against
a second way to find the same."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import pytest
import shapely
from figures import TURN, Figure
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from OCP.BRepAdaptor import BRepAdaptor_Surface
from tectogon.curves import Arc, Curve, CurveTable, EllipticArc, Line, Spline
from tectogon.curves.as_spline import as_spline
from tectogon.errors import BadValue, NothingToBuild, Place
from tectogon.profiles.leaning import ClosesUp, leaning
from tectogon.profiles.matching import Matched, chord_of, matched, share_at
from tectogon.profiles.paths import Path, path_of, rounded, way_at
from tectogon.profiles.rings import rings_of
from tectogon.solids import kernel, measure, proof
from tectogon.solids.mesh import mesh_of
from tectogon.solids.skin import Patch, Skin, Span, Turn, ends_of, volume_of
from tectogon.solids.skinned import skinned
from tectogon.solids.surfaces import in_one_basis, surface_through
from tectogon.views import Frame, frame_of

SOME = settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))


def outline(figure: Figure) -> tuple[list[Curve], list[str]]:
    regions = figure.regions()
    rings, names = rings_of(regions, regions.profiles[0])
    return rings[0], names[0]


def level(height: float) -> Frame:
    return Frame((0.0, 0.0, height), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0))


# curves ------------------------------------------------------------------------------------------


@SOME
@given(start=st.floats(-7, 7), sweep=st.floats(0.05, TURN), back=st.booleans(), ratio=st.floats(0.1, 3))
def test_round_curves_are_splines_to_the_last_digit(start: float, sweep: float, back: bool, ratio: float) -> None:
    turned = -sweep if back else sweep
    arc, spline = Arc(3, -2, 7, start, turned), as_spline(Arc(3, -2, 7, start, turned))
    points = spline.points(np.linspace(0, 1, 40))
    assert np.abs(np.hypot(*(points - [3, -2]).T) - 7).max() < 1e-12
    assert np.allclose(points[[0, -1]], arc.points(np.array([0.0, 1.0])), atol=1e-12)
    assert spline.length == pytest.approx(arc.length, rel=1e-9)
    bent = EllipticArc(1, 2, 4, 3, ratio, start, turned)
    assert as_spline(bent).length == pytest.approx(bent.length, rel=1e-8)


def test_curves_in_one_basis_are_the_same_curves() -> None:
    curves = [
        as_spline(Line(0, 0, 9, 1)),
        as_spline(Arc(0, 0, 5, 0.2, 2.4)),
        Spline.bezier(np.array([[0, 0], [1, 5], [6, 5], [8, 0]], float)),
        Spline.of(2, np.array([0, 0, 0, 0.3, 0.8, 1, 1, 1]), np.array([[0, 0], [1, 3], [4, 4], [6, 1], [9, 0]], float)),
    ]
    degree, knots, poles = in_one_basis(curves)
    t = np.linspace(0, 1, 60)
    for curve, some in zip(curves, poles, strict=True):
        same = Spline(degree, knots, some[:, :2] / some[:, 2:], some[:, 2])
        assert np.abs(same.points(t) - curve.points(t)).max() < 1e-10


def test_a_surface_passes_through_the_curves_it_was_made_of() -> None:
    rings = [as_spline(Arc(0, 0, r, 0.0, 2.0)) for r in (10, 12, 9, 4)]
    frames = [level(h) for h in (0, 8, 20, 31)]
    heights = np.array([0.0, 0.3, 0.6, 1.0])
    surface = surface_through(rings, frames, heights)
    found = surface.points(np.linspace(0, 1, 30), heights)
    for k, (ring, frame) in enumerate(zip(rings, frames, strict=True)):
        assert np.abs(found[:, k] - frame.place(ring.points(np.linspace(0, 1, 30)))).max() < 1e-9
    ruled = surface_through(rings[:2], frames[:2]).points(np.linspace(0, 1, 9), np.array([0.5]))
    assert np.hypot(*np.moveaxis(ruled[:, 0, :2], -1, 0)) == pytest.approx(np.full(9, 11.0), rel=1e-9)


# outlines that move ------------------------------------------------------------------------------


@SOME
@given(radii=st.lists(st.floats(14, 30), min_size=4, max_size=10), moved=st.floats(-4, 3), hole=st.floats(2, 4))
def test_a_moved_outline_has_the_area_that_a_second_library_finds(
    radii: list[float], moved: float, hole: float
) -> None:
    angles = TURN * np.arange(len(radii)) / len(radii)
    points = np.column_stack([np.cos(angles), np.sin(angles)]) * np.array(radii)[:, None]
    figure = Figure().chain(*map(tuple, points.tolist())).circle(0, 0, hole)
    regions = figure.regions()
    rings, names = rings_of(regions, regions.profiles[0])
    try:
        found = leaning(rings, names, moved).area(moved)
    except ClosesUp as closing:
        assert abs(closing.distance) <= abs(moved)
        return
    outer = shapely.Polygon(points).buffer(-moved, join_style="mitre", mitre_limit=50)
    assert found == pytest.approx(outer.area - math.pi * (hole + moved) ** 2, rel=1e-7)


def test_events_come_in_the_order_of_their_size() -> None:
    """Two chamfers of other sizes vanish one after the other; what is left are the four sides."""
    figure = Figure().chain((0, 0), (40, 0), (40, 20), (39, 21), (3, 21), (0, 18))
    curves, names = outline(figure)
    found = leaning([curves], [names], 8.0)
    counts = [len(stage.rings[0]) for stage in found.stages]
    assert counts == [6, 5, 4] and found.stages[-1].end == 8.0
    first, second = (stage.end for stage in found.stages[:2])
    assert first == pytest.approx(1 / (2 - math.sqrt(2)), rel=1e-6)
    assert second == pytest.approx(3 / (2 - math.sqrt(2)), rel=1e-6)
    assert found.area(8.0) == pytest.approx(24 * 5, rel=1e-9)
    assert found.area(second) == pytest.approx((40 - 2 * second) * (21 - 2 * second), rel=1e-5)


@pytest.mark.parametrize(
    ("figure", "moved", "at"),
    [
        (Figure().rectangle(0, 0, 30, 8), 5.0, 4.0),
        (Figure().circle(0, 0, 6), 9.0, 6.0),
        (Figure().rectangle(0, 0, 30, 30).circle(15, 15, 5), -6.0, -5.0),
        (Figure().rectangle(0, 0, 30, 30).circle(15, 8, 5), 4.0, 1.5),
        (Figure().chain((0, 0), (30, 0), (30, 10), (18, 10), (18, 4), (12, 4), (12, 10), (0, 10)), 3.0, 2.0),
    ],
    ids=["a strip", "a disc", "a hole", "a hole and the edge", "a neck"],
)
def test_what_closes_up_does_so_where_it_must(figure: Figure, moved: float, at: float) -> None:
    regions = figure.regions()
    rings, names = rings_of(regions, regions.profiles[0])
    with pytest.raises(ClosesUp) as closing:
        leaning(rings, names, moved)
    assert closing.value.distance == pytest.approx(at, rel=1e-3)


# outlines that match -----------------------------------------------------------------------------


def whole(found: Matched, outlines: Sequence[Sequence[Curve]]) -> None:
    """Each outline is all there, piece after piece, and nothing of it twice; shares under two millionths are one."""
    for ends, curves in zip(found.ends, outlines, strict=True):
        assert len(ends) == len(found.names)
        lengths = [0.0 if isinstance(e, tuple) else e.length for e in ends]
        assert sum(lengths) == pytest.approx(sum(c.length for c in curves), rel=1e-5)
        for before, after in zip(ends, ends[1:] + ends[:1], strict=True):
            assert np.hypot(*(ends_of(before)[1] - ends_of(after)[0])) < 1e-3


@SOME
@given(
    counts=st.lists(st.integers(3, 40), min_size=2, max_size=4),
    turns=st.lists(st.floats(0, TURN), min_size=4, max_size=4),
    wave=st.floats(0, 0.3),
)
def test_outlines_of_any_counts_match_whole(counts: list[int], turns: list[float], wave: float) -> None:
    outlines, names = [], []
    for count, turn in zip(counts, turns, strict=False):
        angles = turn + TURN * np.arange(count) / count
        radius = 10 * (1 + wave * np.cos(2 * angles))
        points = np.column_stack([radius * np.cos(angles), radius * np.sin(angles)])
        curves, ids = outline(Figure().chain(*map(tuple, points.tolist())))
        outlines.append(curves)
        names.append(ids)
    whole(matched(outlines, names), outlines)


def test_a_blunt_tail_runs_to_a_sharp_one() -> None:
    sharp = Figure().chain((100, 0), (50, 8), (0, 0), (50, -8))
    blunt = Figure().chain((100, -1), (100, 1), (50, 8), (0, 0), (50, -8))
    (a, n), (b, m) = outline(sharp), outline(blunt)
    found = matched([a, b], [n, m])
    whole(found, [a, b])
    tips = [k for k, end in enumerate(found.ends[0]) if isinstance(end, tuple)]
    assert len(tips) == 1 and found.ends[0][tips[0]] == pytest.approx((100, 0))
    tail = found.ends[1][tips[0]]
    assert not isinstance(tail, tuple) and tail.length == pytest.approx(2.0)


def test_the_chord_runs_from_the_blunter_end() -> None:
    drop, _ = outline(Figure().arc(0, 0, 5, 60, 240).line(2.5, -4.330127, 30, 0).line(30, 0, 2.5, 4.330127))
    lead, trail = chord_of(drop)
    assert lead == pytest.approx((-5, 0), abs=1e-3) and trail == pytest.approx((30, 0), abs=1e-9)
    assert share_at(drop, np.array([30.0, 0.1])) == pytest.approx(share_at(drop, np.array([30.0, 0.0])))


# paths -------------------------------------------------------------------------------------------


def test_a_path_begins_where_the_first_curve_does_and_keeps_its_order() -> None:
    pieces = Figure().line(0, 0, 10, 0).line(20, 5, 10, 0).arc(20, 15, 10, -90, 90)
    path = path_of(pieces.table, 1e-6)
    assert not path.closed and ends_of(path.curves[0])[0] == pytest.approx((0, 0))
    assert path.length == pytest.approx(10 + math.hypot(10, 5) + 5 * math.pi)
    assert path.turn(1) == pytest.approx(math.atan2(5, 10)) and path.turn(0) == 0.0
    ring = path_of(Figure().rectangle(0, 0, 30, 20).table, 1e-6)
    assert ring.closed and [round(math.degrees(ring.turn(n))) for n in range(4)] == [90] * 4
    with pytest.raises(NothingToBuild):
        path_of(CurveTable.of([]), 1e-6)
    with pytest.raises(BadValue, match="forks"):
        path_of(Figure().line(0, 0, 9, 0).line(9, 0, 18, 5).line(9, 0, 18, -5).table, 1e-6)


@SOME
@given(turn=st.floats(-150, 150).filter(lambda t: abs(t) > 2), radius=st.floats(0.5, 6), bent=st.booleans())
def test_rounded_corners_are_tangent_on_both_sides(turn: float, radius: float, bent: bool) -> None:
    a = math.radians(turn)
    second: Curve = Line(60, 0, 60 + 60 * math.cos(a), 60 * math.sin(a))
    if bent:
        side = math.copysign(1.0, turn)
        centre = (60 - side * 40 * math.sin(a), side * 40 * math.cos(a))
        second = Arc(*centre, 40, a - side * math.pi / 2, side * 1.2)
    try:
        path = rounded(Path((Line(0, 0, 60, 0), second), False), radius)
    except BadValue as refused:
        assert refused.place.point is not None
        return
    assert len(path.curves) == 3 and isinstance(path.curves[1], Arc)
    assert path.curves[1].radius == pytest.approx(radius)
    for before, after in zip(path.curves, path.curves[1:], strict=False):
        assert ends_of(before)[1] == pytest.approx(ends_of(after)[0], abs=1e-9)
        assert way_at(before, 1.0) == pytest.approx(way_at(after, 0.0), abs=1e-6)


# bodies ------------------------------------------------------------------------------------------


def ring_of(radius: float, way: int = 1) -> list[Curve]:
    return [Arc(0, 0, radius, k * math.pi * way, way * math.pi) for k in range(2)]


def patches(
    low: Sequence[Curve | tuple[float, float]], high: Sequence[Curve | tuple[float, float]]
) -> tuple[Patch, ...]:
    return tuple(Patch(a, b, f"c{n}") for n, (a, b) in enumerate(zip(low, high, strict=True)))


def test_a_tube_through_three_sections_keeps_its_kinds_of_face() -> None:
    spans = [
        Span((patches(ring_of(9), ring_of(6)), patches(ring_of(4, -1), ring_of(4, -1)))),
        Span((patches(ring_of(6), ring_of(6)), patches(ring_of(4, -1), ring_of(2, -1)))),
    ]
    skin = Skin((level(0), level(10), level(24)), tuple(spans))
    body = skinned(skin, 20, "p", Place())
    frusta = math.pi * (10 / 3 * (81 + 54 + 36) - 160 + 14 * 36 - 14 / 3 * (16 + 8 + 4))
    assert volume_of(skin) == pytest.approx(frusta, rel=1e-12) and body.volume == pytest.approx(frusta, rel=1e-9)
    kinds = [str(BRepAdaptor_Surface(f).GetType()).rpartition("_")[2] for f in kernel.faces_of(body.shape)]
    assert sorted(kinds) == ["Cone"] * 4 + ["Cylinder"] * 4 + ["Plane"] * 2
    assert proof.is_sound(body.shape) and mesh_of(body.shape).watertight


@pytest.mark.parametrize("angle", [0.4, 1.5, 2.3])
def test_what_turns_is_what_pappus_says(angle: float) -> None:
    square = [Line(*a, *b) for a, b in (((-2, -1), (2, -1)), ((2, -1), (2, 1)), ((2, 1), (-2, 1)), ((-2, 1), (-2, -1)))]
    c, s = math.cos(angle), math.sin(angle)
    end = Frame((20 - 20 * c, 0.0, 20 * s), (c, 0.0, -s), (0.0, 1.0, 0.0))
    turn = Turn((20.0, 0.0, 0.0), (0.0, 1.0, 0.0), angle)
    skin = Skin((level(0), end), (Span((patches(square, square), patches(ring_of(0.5, -1), ring_of(0.5, -1))), turn),))
    body = skinned(skin, 20, "p", Place())
    assert body.volume == pytest.approx((8 - math.pi / 4) * 20 * angle, rel=1e-9)
    assert volume_of(skin) == pytest.approx(body.volume, rel=1e-9)
    assert proof.is_sound(body.shape)


@SOME
@given(
    counts=st.integers(3, 12),
    twist=st.floats(-1.2, 1.2),
    scale=st.floats(0.3, 1.6),
    height=st.floats(2, 40),
    shift=st.tuples(st.floats(-9, 9), st.floats(-9, 9)),
)
def test_two_ways_to_a_volume_agree(
    counts: int, twist: float, scale: float, height: float, shift: tuple[float, float]
) -> None:
    """The divergence theorem over the faces, the kernel's own integration, and the sum over a fine mesh."""
    angles = TURN * np.arange(counts) / counts
    low = 10 * np.column_stack([np.cos(angles), np.sin(angles)])
    high = scale * 10 * np.column_stack([np.cos(angles + twist), np.sin(angles + twist)]) + np.array(shift)

    def chain(points: np.ndarray) -> list[Curve]:
        return [Line(*a, *b) for a, b in zip(points.tolist(), np.roll(points, -1, axis=0).tolist(), strict=True)]

    skin = Skin((level(0), level(height)), (Span((patches(chain(low), chain(high)),)),))
    body = skinned(skin, 20, "p", Place())
    assert body.volume == pytest.approx(volume_of(skin), rel=1e-9)
    assert mesh_of(body.shape, chord_tol=0.01).volume == pytest.approx(body.volume, rel=5e-3)


def test_a_face_aslant_with_many_edges_is_measured_at_once() -> None:
    """Its plane passes near the origin, where the kernel's adaptive integration never ends."""
    teeth = [(x, (x % 2) * 0.5) for x in range(60)]
    points = [*teeth, (59, 20), (0, 20)]
    curves = [Line(*a, *b) for a, b in zip(points, points[1:] + points[:1], strict=True)]
    c, s = math.cos(0.3), math.sin(0.3)
    below, above = (Frame((h * s, 0.0, h * c), (c, 0.0, -s), (0.0, 1.0, 0.0)) for h in (0.0, 7.0))
    skin = Skin((below, above), (Span((patches(curves, curves),)),))
    body = skinned(skin, 20, "p", Place())
    area = shapely.Polygon(points).area
    assert measure.volume(body.shape) == pytest.approx(7 * area, rel=1e-12)
    assert frame_of("top").normal == (0, 0, 1)
