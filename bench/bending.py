"""Sheet parts unfolded against what is known of how they were made, and cut in the flat."""

from __future__ import annotations

import math
import random
from collections.abc import Callable

from figures import Figure
from made_sheets import made_sheet, profile
from tectogon.bending.in_the_flat import flat_tools
from tectogon.bending.recognise import sheet_part
from tectogon.bending.unfold import unfold
from tectogon.errors import TectogonError
from tectogon.solids.body import Body
from tectogon.solids.features import with_features
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from tectogon.workpiece.bend_allowance import Rule

K = Rule(0.44)
Row = Callable[[str, str, str, float, float], None]


def bench_bending(best: Callable[[Callable[[], object]], float], row: Row, *, quick: bool) -> None:
    """Blanks of generated parts, blocks and plates with pockets refused, cuts in the flat found again, and a part of
    twenty bends. Other seeds than the tests'."""
    count = 20 if quick else 200
    wrong = sum(not _right(seed) for seed in range(1000, 1000 + count))
    what = f"{count} sheet parts: blank, size or a bend wrong"
    row(what, str(wrong), f"{0.01 * count:g} in {count}", wrong / (0.01 * count), 1.0)
    taken = sum(not _refused(seed) for seed in range(count // 4))
    row(f"{count // 4} parts of two thicknesses: taken for sheet", str(taken), "none", float(taken), 0.0)
    worst = max(_cut_again(seed) for seed in range(count // 4))
    row(f"{count // 4} cuts in the flat, unfolded again: area off", f"{worst:.1e}", "1e-4", worst / 1e-4, 1.0)
    zigzag, _ = profile(1.0, [20.0] * 21, [(math.radians(60 * (-1) ** n), 1.5) for n in range(20)])
    body = _raised(zigzag, 40.0)
    seconds = best(lambda: unfold(sheet_part(body), K))
    row("Blank of a part of 20 bends (CPU)", f"{seconds:.2f} s", "1 s", seconds, 1.0)


def _raised(figure: Figure, width: float) -> Body:
    regions = figure.regions()
    return Body.of("1:a", "part", prism(regions, regions.profiles[0], frame_of("front"), 0.0, width, 1))


def _right(seed: int) -> bool:
    made = made_sheet(seed)
    try:
        blank = unfold(sheet_part(made.body), K)
    except TectogonError:
        return False
    long, region = made.length(0.44), blank.region
    sizes = sorted((region.bounds[2] - region.bounds[0], region.bounds[3] - region.bounds[1]))
    bends = sorted((round(abs(a), 6), r) for a, r in made.bends)
    found = sorted((round(z.bend.angle, 6), z.bend.inner) for z in blank.zones)
    return (
        abs(region.area / (long * made.width - sum(made.holes)) - 1.0) <= 1e-4
        and max(abs(a - b) for a, b in zip(sizes, sorted((long, made.width)), strict=True)) <= 0.01
        and len(found) == len(bends)
        and all(abs(a - c) < 2e-6 and abs(b - d) < 1e-5 for (a, b), (c, d) in zip(found, bends, strict=True))
    )


def _refused(seed: int) -> bool:
    """An angle whose legs differ in thickness by 0.01 mm and more."""
    chance = random.Random(seed)
    t = chance.choice((1.0, 1.5, 2.0))
    other = t + chance.choice((0.01, 0.05, 0.3, -0.02))
    figure = Figure().chain((0, 0), (40, 0), (40, other), (t, other), (t, 30), (0, 30))
    try:
        unfold(sheet_part(_raised(figure, 25.0)), K)
    except TectogonError:
        return True
    return False


def _cut_again(seed: int) -> float:
    """How far the area of a cut in the flat is off when the part is unfolded again (share)."""
    chance = random.Random(seed)
    angle = chance.choice((-1, 1)) * math.radians(chance.choice((30, 60, 90, 120)))
    section, _ = profile(1.5, [40.0, 35.0], [(angle, chance.uniform(1.0, 4.0))])
    part = sheet_part(_raised(section, 40.0))
    blank = unfold(part, K, at_origin=False)
    zone = blank.zones[0]
    at = zone.start + (zone.allowance / 2.0 + chance.uniform(-8, 8)) * zone.across + sum(zone.span) / 2.0 * zone.along
    x, y = at.tolist()
    figure = Figure().circle(x, y, chance.uniform(1, 6)) if seed % 2 else Figure().rectangle(x - 5, y - 3, 10, 6)
    drawn = figure.regions()
    bodies = with_features((part.body,), flat_tools(blank, drawn, drawn.profiles, 9), "cut", None, 9)
    again = unfold(sheet_part(bodies[0], at=part.stays), K, at_origin=False)
    return abs((blank.region.area - again.region.area) / drawn.profiles[0].area - 1.0)
