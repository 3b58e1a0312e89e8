"""Pictures (PNG, JPEG, TIFF, BMP): the outline between dark and light, or round one colour, at sub-pixel accuracy, as
lines, arcs and splines.

OpenCV finds which pixels lie on an outline; only the cells round those are looked at, so a picture of ten million
pixels costs little more than finding them. One unit is a pixel; y runs upwards from the lower edge.
"""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image, UnidentifiedImageError

from tectogon.curves import Curve, CurveTable
from tectogon.curves.affine import FloatArray
from tectogon.curves.chain_fit import fit_chain
from tectogon.curves.table import IntArray
from tectogon.errors import Note, OverLimit, UnreadableFile
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.linework import Layer, LineType, Linework, Picture
from tectogon.tolerances import LEAST_SIZE
from tectogon.units import show_count

Grey = npt.NDArray[np.uint8]
Contour = Any
_CORNER = math.radians(33.0)
_REACH = 5
_MOST_OUTLINES = 50_000
_MOST_STEPS = 4_000_000
_BYTES_A_PIXEL = {"1": 1, "L": 1, "P": 1, "RGB": 3, "LA": 8, "RGBA": 8, "PA": 8, "CMYK": 7, "YCbCr": 6}
"""What unpacking takes in memory, by the mode of a picture; others, of 16 bits and of fractions, 20."""
_MOST_UNPACKED = 600_000_000
_MOST_SHOWN = 1600
_ENOUGH_COUNTED = 2_500_000


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The outlines of a picture in pixels. Raises UnreadableFile or OverLimit."""
    picture, dpi = _opened(path, limits, options)
    return trace(picture, dpi, path.name, limits, options)


def trace(image: Image.Image, dpi: float | None, name: str, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The outlines of an opened picture in pixels; `name` is the file's, for sentences. Raises UnreadableFile or
    OverLimit."""
    grey = _grey(image, options)
    counts = _histogram(grey)
    level = _level(counts, options)
    height = grey.shape[0]
    shift = np.zeros(2)
    if len(options.polygon) >= 3:
        grey = _masked(grey, options.polygon)
    if options.region:
        grey = _cropped(grey, options.region)
        shift = np.array([max(0, round(options.region[0])), max(0, round(options.region[1]))])
    outlines = _outlines(grey, level, options.speckle)
    if options.polygon or options.region:
        counts = _histogram(grey)
    stairs = _has_stairs(counts, sum(len(o) for o in outlines))
    if stairs:
        outlines = _outlines(cv2.GaussianBlur(grey, (0, 0), 1.0).astype(np.uint8), level, options.speckle)
    if not outlines:
        raise UnreadableFile(
            f"{name}: nothing stands out in this picture; change the threshold, or pick the colour that is material."
        )
    curves: list[Curve] = []
    ids: list[str] = []
    points = 0
    for number, outline in enumerate(outlines):
        made = fit_chain(
            outline + shift,
            closed=True,
            deviation=_deviation(outline, 0.4 if stairs else 0.2, options.smooth),
            corner=_CORNER,
            reach=_REACH,
        )
        curves += made
        ids += [f"o{number + 1}.{k + 1}" for k in range(len(made))]
        points += len(outline)
    zero = np.zeros(len(curves), np.int64)
    linework = Linework(
        table=CurveTable.of(curves),
        ids=tuple(ids),
        layer_of=zero,
        linetype_of=zero,
        colour_of=zero,
        layers=(Layer("outline"),),
        linetypes=(LineType("CONTINUOUS"),),
        colours=("#000000",),
        entities=(("outline", len(outlines)),),
        notes=(
            Note(
                "traced",
                f"{len(outlines)} outline{'s' if len(outlines) != 1 else ''} of {show_count(points)} points became"
                f" {show_count(len(curves))} pieces, none more than {options.smooth:g} pixels off.",
            ),
        ),
        pictures=(_under(image, height),) if limits.keep_pictures else (),
    )
    says = (
        f"The picture says {dpi:.4g} dots per inch, of the scan or of the screen"
        if dpi
        else "One unit is a pixel; the picture does not say how large it is"
    )
    kind = image.format or "picture"
    return ReadResult(
        linework=linework,
        format=kind,
        version="",
        declared_unit=f"{25.4 / dpi:.9g}" if dpi else "px",
        kind_says=says,
        unit_certain=False,
    )


def _under(image: Image.Image, height: int) -> Picture:
    """The picture itself, made smaller, to lie under its outline: a JPEG over the square from the origin to its width
    and height in pixels."""
    small: Any = np.asarray(image.convert("RGB"))
    share = min(1.0, _MOST_SHOWN / max(image.size))
    if share < 1.0:
        small = cv2.resize(small, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".jpg", small[:, :, ::-1], [cv2.IMWRITE_JPEG_QUALITY, 85])
    return Picture(
        "", data.tobytes(), np.array([[float(image.size[0]), 0.0, 0.0], [0.0, float(height), 0.0]]), image.size
    )


def _masked(grey: Grey, polygon: tuple[tuple[float, float], ...]) -> Grey:
    """Paper outside of a polygon given in pixels from the lower left corner."""
    corners = np.array([(x, grey.shape[0] - y) for x, y in polygon]).round().astype(np.int32)
    inside = cv2.fillPoly(np.zeros_like(grey), [corners], 1)
    return np.where(inside > 0, grey, np.uint8(255))


def _opened(path: Path, limits: ReadLimits, options: ReadOptions) -> tuple[Image.Image, float | None]:
    Image.MAX_IMAGE_PIXELS = None  # the limit is our own, looked at before a pixel is unpacked
    try:
        image = Image.open(io.BytesIO(path.read_bytes()))
        width, height = image.size
        if width * height > limits.max_pixels:
            raise OverLimit(
                f"{path.name} has {show_count(width)} × {show_count(height)} pixels; up to"
                f" {limits.max_pixels / 1e6:.0f} million are taken."
                " Cut out the part that matters."
            )
        if width * height * _BYTES_A_PIXEL.get(image.mode, 20) > _MOST_UNPACKED:
            raise OverLimit(
                f"{path.name} unpacks to too much: {show_count(width)} × {show_count(height)} pixels of the"
                f" kind {image.mode}. Save it as"
                " plain grey, or cut out the part that matters."
            )
        if options.page > 1:
            image.seek(options.page - 1)
        told = image.info.get("dpi")
        image.load()
    except OverLimit:
        raise
    except EOFError:
        raise UnreadableFile(f"{path.name} has no page {options.page}.") from None
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, ArithmeticError, KeyError, IndexError, TypeError):
        raise UnreadableFile(
            f"{path.name} starts like a picture but breaks off or is damaged. Ask for it once more."
        ) from None
    if width < 3 or height < 3:
        raise UnreadableFile(f"{path.name} has {width} × {height} pixels; there is nothing to trace in it.")
    image.format = image.format or "picture"
    try:
        dpi = float(told[0]) if told else None
    except (TypeError, ValueError, IndexError, ZeroDivisionError):
        dpi = None
    return image, dpi if dpi and 20 < dpi < 100_000 else None


def _grey(image: Image.Image, options: ReadOptions) -> Grey:
    """Grey values in which material is dark; see-through parts are paper."""
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        paper = Image.new("RGBA", image.size, (255, 255, 255, 255))
        image = Image.alpha_composite(paper, image.convert("RGBA"))
    if options.colour:
        wanted = np.array([int(options.colour[k : k + 2], 16) for k in (1, 3, 5)], np.int16)
        off = np.abs(np.asarray(image.convert("RGB"), np.int16) - wanted).max(axis=2)
        return np.minimum(off * (128.0 / max(options.tolerance, 1)), 255).astype(np.uint8)
    if image.mode.startswith(("I", "F")):
        values = np.asarray(image, np.float64)
        low, high = float(values.min()), float(values.max())
        grey = ((values - low) * (255.0 / max(high - low, LEAST_SIZE))).astype(np.uint8)
    else:
        grey = np.asarray(image if image.mode == "L" else image.convert("L"))
    if options.contrast != 1.0:
        grey = cv2.convertScaleAbs(grey, alpha=options.contrast, beta=128.0 * (1.0 - options.contrast)).astype(np.uint8)
    if options.invert:
        grey = 255 - grey
    return grey


def _level(counts: IntArray, options: ReadOptions) -> float:
    """The grey value below which is material: what was asked for, else halfway between the usual dark and light."""
    if options.colour:
        return 128.0
    if options.threshold is not None:
        level = float(options.threshold if not options.invert else 255 - options.threshold)
    else:
        parted = _parting(counts)
        level = (_middle(counts[: parted + 1]) + _middle(counts[parted + 1 :]) + parted + 1) / 2.0
    return level + 0.01


def _histogram(grey: Grey) -> IntArray:
    """About how many pixels have each grey value (256,): of a large picture, some rows tell."""
    step = max(1, grey.size // _ENOUGH_COUNTED)
    some = np.ascontiguousarray(grey[::step])
    return step * np.asarray(cv2.calcHist([some], [0], None, [256], [0, 256]).ravel(), np.int64)


def _parting(counts: IntArray) -> int:
    """The last grey value of the dark side, where dark and light are each most alike (Otsu 1979)."""
    dark = np.cumsum(counts)[:-1].astype(float)
    light = counts.sum() - dark
    dark_sum = np.cumsum(counts * np.arange(256.0))
    apart = dark_sum[:-1] / np.maximum(dark, 1.0) - (dark_sum[-1] - dark_sum[:-1]) / np.maximum(light, 1.0)
    return int(np.argmax(dark * light * apart**2))


def _middle(counts: IntArray) -> float:
    """The median of values counted from 0."""
    return float(np.searchsorted(np.cumsum(counts), counts.sum() / 2.0))


def _cropped(grey: Grey, region: tuple[float, float, float, float]) -> Grey:
    x, y, w, h = (round(v) for v in region)
    height = grey.shape[0]
    top = max(0, height - y - h)
    return grey[top : max(0, height - y), max(0, x) : max(0, x + w)]


def _has_stairs(counts: IntArray, edges: int) -> bool:
    """Whether a picture is of black and white alone, so that its outlines (of so many points) run in stairs; a slight
    blur gives back where they ran."""
    values = np.flatnonzero(counts)
    if not len(values):
        return False
    low, high = float(values[0]), float(values[-1])
    between = counts[(np.arange(256) > low + 0.15 * (high - low)) & (np.arange(256) < high - 0.15 * (high - low))]
    return int(between.sum()) < 0.4 * edges


def _deviation(outline: FloatArray, least: float, most: float) -> float:
    """How closely an outline is followed: a few times the scatter of its points about their neighbours, never more than
    asked for."""
    if len(outline) < 16:
        return most
    near = sum(np.roll(outline, k, axis=0) for k in (-3, -2, -1, 1, 2, 3)) / 6.0
    scatter = float(np.median(np.hypot(*(outline - near).T)))
    return min(most, max(least, 6.0 * scatter))


def _outlines(grey: Grey, level: float, speckle: int) -> list[FloatArray]:
    """Closed chains of points (k, 2) where the grey value passes `level`, material on the left, spots below `speckle`
    pixels gone."""
    height, width = grey.shape if grey.size else (0, 0)
    if height < 2 or width < 2:
        return []
    padded: Any = cv2.copyMakeBorder(np.ascontiguousarray(grey), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=255)
    mask = _below(padded, level)
    some = mask[:-1:4], mask[1::4]  # one row in four tells noise
    steps = 4 * int(np.count_nonzero(some[0][:, 1:] != some[0][:, :-1]) + np.count_nonzero(some[0] != some[1]))
    if steps > _MOST_STEPS:
        raise OverLimit(
            f"The picture is full of noise: its outlines would have {show_count(steps)} steps; up to"
            f" {show_count(_MOST_STEPS)} are traced."
            " Smooth it, or choose another threshold."
        )
    contours, padded = _without_speckles(padded, mask, level, speckle)
    if len(contours) > _MOST_OUTLINES:
        raise OverLimit(
            f"The picture has {show_count(len(contours))} outlines; up to {show_count(_MOST_OUTLINES)} are"
            " traced. Raise the speckle size,"
            " or choose another threshold."
        )
    if not contours:
        return []
    pixels = np.concatenate([c[:, 0] for c in contours])
    rows, cols = pixels[:, 1].astype(np.int64), pixels[:, 0].astype(np.int64)
    wide = padded.shape[1]
    near = np.zeros(padded.size, bool)
    for i, j in ((-1, -1), (-1, 0), (0, -1), (0, 0)):
        near[(rows + i) * wide + cols + j] = True
    cells = np.flatnonzero(near)
    return _followed(padded, cells, level, height)


def _below(grey: Grey, level: float) -> Grey:
    """1 where a pixel is darker than the level, else 0."""
    return np.asarray(cv2.threshold(grey, math.ceil(level) - 1, 1, cv2.THRESH_BINARY_INV)[1], np.uint8)


def _without_speckles(grey: Grey, mask: Grey, level: float, speckle: int) -> tuple[list[Contour], Grey]:
    """Small spots painted over, dark and light alike, and the outlines that are left."""
    found, above = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    small = [n for n, c in enumerate(found) if len(c) < 6 * speckle and _pixels(c, above[0][n][3] >= 0) <= speckle]
    if not small:
        return list(found), grey
    grey = grey.copy()
    for n in small:
        x, y = found[n][0, 0].tolist()
        is_hole = above[0][n][3] >= 0
        ink = int(grey[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2].min())
        cv2.drawContours(grey, [found[n]], -1, ink if is_hole else 255, thickness=cv2.FILLED)
    left, _ = cv2.findContours(_below(grey, level), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    return list(left), grey


def _pixels(contour: Contour, is_hole: bool) -> float:
    """How many pixels a spot has (Pick's rule); the outline of a light one runs over the dark pixels round it."""
    return float(cv2.contourArea(contour)) + (-1 if is_hole else 1) * len(contour) / 2.0 + 1.0


# cell corners in turn from the upper left: bits 1, 2, 4, 8; sides: 0 top, 1 right, 2 bottom, 3 left. Material (dark)
# lies on the left of each
# step as seen with y upwards.
_STEPS: dict[int, tuple[tuple[int, int], ...]] = {
    1: ((0, 3),),
    2: ((1, 0),),
    3: ((1, 3),),
    4: ((2, 1),),
    6: ((2, 0),),
    7: ((2, 3),),
    8: ((3, 2),),
    9: ((0, 2),),
    11: ((1, 2),),
    12: ((3, 1),),
    13: ((0, 1),),
    14: ((3, 0),),
}


def _followed(grey: Grey, cells: IntArray, level: float, height: int) -> list[FloatArray]:
    """Marching squares over the cells named by their upper left pixel; sides are numbered, and each is left by one
    step."""
    wide = grey.shape[1]
    flat = grey.ravel()
    a, b, c, d = (
        flat[cells] < level,
        flat[cells + 1] < level,
        flat[cells + wide + 1] < level,
        flat[cells + wide] < level,
    )
    case = a * 1 + b * 2 + c * 4 + d * 8
    start: list[IntArray] = []
    end: list[IntArray] = []

    def side(which: int, at: IntArray) -> IntArray:
        """Sides by the pixel on their upper or left end: twice its number, and one more for upright sides."""
        return np.asarray({0: 2 * at, 1: 2 * (at + 1) + 1, 2: 2 * (at + wide), 3: 2 * at + 1}[which], np.int64)

    def step(rows: npt.NDArray[np.bool_], one: int, two: int) -> None:
        at = cells[rows]
        start.append(side(one, at))
        end.append(side(two, at))

    for number, steps in _STEPS.items():
        for one, two in steps:
            step(case == number, one, two)
    middle = (flat[cells].astype(float) + flat[cells + 1] + flat[cells + wide + 1] + flat[cells + wide]) / 4.0 < level
    for number, joined, parted in ((5, ((0, 1), (2, 3)), ((0, 3), (2, 1))), (10, ((3, 0), (1, 2)), ((1, 0), (3, 2)))):
        for rows, steps in (((case == number) & middle, joined), ((case == number) & ~middle, parted)):
            for one, two in steps:
                step(rows, one, two)
    return _chains(np.concatenate(start), np.concatenate(end), flat, wide, level, height)


def _chains(start: IntArray, end: IntArray, flat: Grey, wide: int, level: float, height: int) -> list[FloatArray]:
    order = np.argsort(start)
    start, end = start[order], end[order]
    following = np.searchsorted(start, end)
    following[following >= len(start)] = 0
    whole = start[following] == end
    at = start >> 1
    upright = (start & 1).astype(bool)
    other = at + np.where(upright, wide, 1)
    g0, g1 = flat[at].astype(float), flat[other].astype(float)
    share = np.clip((level - g0) / np.where(g1 == g0, 1.0, g1 - g0), 0.02, 0.98)
    x = (at % wide) + np.where(upright, 0.0, share) - 0.5
    y = (at // wide) + np.where(upright, share, 0.0) - 0.5
    points = np.column_stack([x, height - y])
    out = []
    seen = [False] * len(start)
    nexts, fine = following.tolist(), whole.tolist()
    for begin in range(len(start)):
        if seen[begin]:
            continue
        walk, now = [], begin
        while not seen[now] and fine[now]:
            seen[now] = True
            walk.append(now)
            now = nexts[now]
        seen[now] = True
        if now == begin and len(walk) >= 4:
            out.append(points[walk])
    return out
