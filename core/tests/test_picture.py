"""Traced pictures against the figures they were drawn from: areas, centres, corners, number of pieces."""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from tectogon.curves import ARC, LINE, chain_fit
from tectogon.errors import OverLimit, UnreadableFile
from tectogon.formats import ReadLimits, ReadOptions, ReadResult, read_drawing
from tectogon.workpiece.model import Drawing

WIDE, HIGH = 640, 480


def coverage(inside: Any, fine: int = 6) -> np.ndarray:
    """Share of each pixel that a figure covers, by points within it; y upwards."""
    step = (np.arange(WIDE * fine) + 0.5) / fine
    x, y = np.meshgrid(step, HIGH - (np.arange(HIGH * fine) + 0.5) / fine)
    return inside(x, y).reshape(HIGH, fine, WIDE, fine).mean(axis=(1, 3))


def plate(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A plate with two straight and one slanting side, a round hole, and a triangular one."""
    body = (x > 50.3) & (y > 40.7) & (y < 400.2) & (x + 0.35 * y < 620.4)
    round_hole = np.hypot(x - 180.25, y - 220.6) < 80.4
    triangle = (y > 120) & (y < 120 + 2.0 * (x - 330)) & (y < 120 + 2.0 * (450 - x))
    return body & ~round_hole & ~triangle


def plate_area() -> float:
    low, high = 620.4 - 0.35 * 40.7 - 50.3, 620.4 - 0.35 * 400.2 - 50.3
    return (low + high) / 2 * (400.2 - 40.7) - math.pi * 80.4**2 - 120 * 120 / 2


def save(path: Path, share: np.ndarray, noise: float = 0.0, **more: Any) -> Path:
    values = 255 * (1 - share) + (np.random.default_rng(3).normal(0, noise, share.shape) if noise else 0)
    Image.fromarray(np.clip(values, 0, 255).astype(np.uint8)).save(path, **more)
    return path


def area(result: ReadResult) -> float:
    return sum(r.area for r in Drawing(result.linework).regions.profiles)


@pytest.mark.parametrize(("noise", "binary", "most"), [(0.0, False, 12), (6.0, False, 24), (0.0, True, 30)])
def test_a_plate_is_traced_to_lines_and_a_circle(tmp_path: Path, noise: float, binary: bool, most: int) -> None:
    share = coverage(plate)
    result = read_drawing(save(tmp_path / "p.png", np.round(share) if binary else share, noise))
    table = result.linework.table
    assert area(result) == pytest.approx(plate_area(), rel=2e-3 if noise or binary else 5e-4)
    assert len(table) <= most
    circle = next(c for c in table.curves() if getattr(c, "full", False))
    assert (circle.cx, circle.cy, circle.radius) == pytest.approx((180.25, 220.6, 80.4), abs=0.15)  # type: ignore[union-attr]
    if not noise and not binary:
        assert sorted(table.kind.tolist()) == [LINE] * 7 + [ARC]
        corner = np.array([620.4 - 0.35 * 40.7, 40.7])
        assert np.hypot(*(table.ends.reshape(-1, 2) - corner).T).min() < 0.3


def test_free_curves_become_few_pieces(tmp_path: Path) -> None:
    def bean(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        angle, r = np.arctan2(y - 240, x - 320), np.hypot(x - 320, y - 240)
        return r < 130 + 40 * np.cos(2 * angle) + 15 * np.sin(3 * angle)

    result = read_drawing(save(tmp_path / "bean.png", coverage(bean)))
    truth = math.pi * (130**2 + (40**2 + 15**2) / 2)
    assert area(result) == pytest.approx(truth, rel=1e-3)
    assert len(result.linework) <= 60


def test_points_of_one_line_have_no_circle_round_their_middle() -> None:
    """A side of a traced outline, straight but for its first points: what is fitted again without these stays flat."""
    side = np.array([(127.5, 255.54), (127.86, 256.5), (127.98, 257.5), *((127.9999, 258.5 + n) for n in range(236))])
    whole = chain_fit._circle(side)
    assert whole and whole[2] > 1e4
    x, _, r = chain_fit._refitted(side, chain_fit._Run(0, len(side) - 1, "arc", whole), 5).circle
    assert abs(abs(128.0 - x) - r) < 1.0


def test_choices(tmp_path: Path) -> None:
    share = coverage(lambda x, y: np.hypot(x - 300, y - 200) < 100)
    dark = save(tmp_path / "d.png", share, dpi=(254, 254))
    result = read_drawing(dark)
    assert float(result.declared_unit or 0) == pytest.approx(0.1, rel=1e-3)
    inverted = save(tmp_path / "i.png", 1 - share)
    assert area(read_drawing(inverted, ReadOptions(invert=True))) == pytest.approx(math.pi * 1e4, rel=5e-4)
    spotted = share.copy()
    spotted[30:32, 30:32] = 1.0
    spotted[280:282, 300:302] = 0.0
    assert len(read_drawing(save(tmp_path / "s.png", spotted)).linework) == 1
    assert len(read_drawing(save(tmp_path / "s.png", spotted), ReadOptions(speckle=0)).linework) > 2
    assert area(read_drawing(dark, ReadOptions(region=(300, 0, 340, 480)))) == pytest.approx(math.pi * 5e3, rel=1e-2)
    paint = np.full((HIGH, WIDE, 3), 255, np.uint8)
    paint[100:200, 100:300] = (200, 30, 30)
    paint[250:350, 100:300] = (30, 30, 200)
    Image.fromarray(paint).save(tmp_path / "c.png")
    assert area(read_drawing(tmp_path / "c.png", ReadOptions(colour="#c81e1e"))) == pytest.approx(20000, rel=5e-3)


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "BMP"])
def test_every_kind_of_picture(tmp_path: Path, kind: str) -> None:
    share = coverage(lambda x, y: (abs(x - 300) < 100.4) & (abs(y - 200) < 50.6), 4)
    result = read_drawing(save(tmp_path / "x.img", share, format=kind))
    assert result.format == kind
    assert area(result) == pytest.approx(200.8 * 101.2, rel=3e-3)


def test_broken_and_huge_pictures_are_refused(tmp_path: Path) -> None:
    buffer = io.BytesIO()
    Image.new("L", (50, 50), 0).save(buffer, "PNG")
    (tmp_path / "t.png").write_bytes(buffer.getvalue()[:60])
    with pytest.raises(UnreadableFile, match="damaged"):
        read_drawing(tmp_path / "t.png")
    Image.new("L", (400, 400), 255).save(tmp_path / "white.png")
    with pytest.raises(UnreadableFile, match="nothing stands out"):
        read_drawing(tmp_path / "white.png")
    with pytest.raises(OverLimit, match="pixels"):
        read_drawing(tmp_path / "white.png", limits=ReadLimits(max_pixels=1000))
    head = (
        b"BM"
        + (0).to_bytes(8, "little")
        + (54).to_bytes(4, "little")
        + (40).to_bytes(4, "little")
        + (100_000).to_bytes(4, "little") * 2
    )
    (tmp_path / "huge.bmp").write_bytes(head + (1).to_bytes(2, "little") + (24).to_bytes(2, "little") + bytes(24))
    with pytest.raises(OverLimit, match="100\u202f000"):
        read_drawing(tmp_path / "huge.bmp")


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 255), st.integers(0, 40), st.integers(20, 3000)), min_size=2, max_size=5),
    st.integers(0, 2**31),
)
def test_dark_and_light_are_parted_as_a_second_library_parts_them(heaps: list[tuple[int, int, int]], seed: int) -> None:
    """Otsu's level by the counts of grey values, against OpenCV's own on the pixels."""
    import cv2
    from tectogon.formats.picture import _histogram, _parting

    chance = np.random.default_rng(seed)
    values = np.concatenate([chance.normal(middle, spread, count) for middle, spread, count in heaps])
    grey = np.clip(values, 0, 255).astype(np.uint8)[None]
    counts = _histogram(grey)
    assert counts.sum() == grey.size
    theirs, _ = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    ours = _parting(counts)
    between = counts[min(ours, int(theirs)) + 1 : max(ours, int(theirs)) + 1]
    assert not between.any()  # the same pixels on either side, whichever empty value is named


@settings(max_examples=40, deadline=None)
@given(
    radius=st.floats(20, 200),
    straight=st.floats(30, 300),
    noise=st.floats(0.0, 0.15),
    turn=st.integers(0, 399),
    seed=st.integers(0, 2**31),
)
def test_a_ring_is_followed_within_its_deviation_wherever_it_begins(
    radius: float, straight: float, noise: float, turn: int, seed: int
) -> None:
    """A slot of two lines and two half circles, its points scattered a little: no point is further off than allowed,
    and the area is the slot's."""
    import shapely
    from tectogon.curves import CurveTable
    from tectogon.curves.chain_fit import fit_chain

    half = np.linspace(-np.pi / 2, np.pi / 2, 100, endpoint=False)
    ends = np.column_stack([straight / 2 + radius * np.cos(half), radius * np.sin(half)])
    side = np.column_stack([np.linspace(straight / 2, -straight / 2, 100, endpoint=False), np.full(100, radius)])
    ring = np.concatenate([ends, side, -ends, -side])
    points = np.roll(ring + np.random.default_rng(seed).normal(0, noise / 3, ring.shape).clip(-noise, noise), turn, 0)
    deviation = max(4 * noise, 0.05)
    made = fit_chain(points, closed=True, deviation=deviation, corner=np.radians(33), reach=5)
    table = CurveTable.of(made)
    outline = shapely.Polygon(table.flatten(1e-3)[0])
    assert shapely.distance(outline.exterior, shapely.points(points)).max() <= 2.0 * deviation
    truth = 2 * radius * straight + np.pi * radius**2
    assert outline.area == pytest.approx(truth, rel=4 * deviation / radius)
    assert len(made) <= 12
