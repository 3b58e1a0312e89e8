"""Bars of a section: a length of it, its ends square or mitred, one or several side by side at their pitch."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from tectogon.building.bar_ends import Ends, Measured
from tectogon.building.copies import whole
from tectogon.curves import affine
from tectogon.errors import NothingToBuild, Unfinished
from tectogon.formats import ReadOptions, read_drawing
from tectogon.formats.unit import unit_evidence
from tectogon.linework import identity
from tectogon.profiles import Region, Regions, find_regions
from tectogon.tolerances import resolution
from tectogon.units import mm_per_unit, parse_length, parse_number, show_length
from tectogon.views import Frame
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, Angle, Length, Name, Number, OwnLength, Params
from tectogon.workpiece.sentence import Sentence, Token, choice_token, file_token, length_token, number_token, words

if TYPE_CHECKING:
    from tectogon.solids.body import Body

AXES = {"x": "along x", "y": "along y", "z": "along z"}
POINTS = {
    "own": "its own insertion point",
    "corner": "the lower left corner of its extents",
    "centre": "the middle of its extents",
    "centroid": "its centroid",
}
MEASURED = {"overall": "overall", "inside": "on its shortest side", "axis": "along the line it lies on"}
MIRRORED = {"no": "not mirrored", "yes": "mirrored"}
_FRAMES = {
    "x": Frame((0.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)),
    "y": Frame((0.0, 0.0, 0.0), (-1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "z": Frame((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)),
}


class BarParams(Params):
    """`section`: what it is called; `source`: the file that holds its one profile; `measured`: which length is meant
    where ends are mitred; `insertion` and `at`: the point of
    the section (mm, in its file) that lies on the line; `start`, `end`: by how much the ends lean from square
    (degrees); `count` and `pitch`: how many stand side by side, and how far apart, the section's width where it is not
    given; `issue`: of the section, as the library counts."""

    section: Name = ""
    source: str = ""
    issue: int = 1
    length: Length = 1000.0
    measured: Measured = "overall"
    along: Literal["x", "y", "z"] = "x"
    start: Angle = 0.0
    end: Angle = 0.0
    insertion: Literal["own", "corner", "centre", "centroid"] = "own"
    at: tuple[float, float] = (0.0, 0.0)
    turned: Angle = 0.0
    mirrored: Literal["no", "yes"] = "no"
    count: Number = 1
    pitch: OwnLength = OWN
    x: Length = 0.0
    y: Length = 0.0
    z: Length = 0.0


def apply(workpiece: Workpiece, params: BarParams, context: Context) -> Workpiece:
    """New bodies beside what is there. Raises NothingToBuild where the section is not one closed profile, BadValue for
    values that make no bar, and what reading a file raises."""
    from tectogon.building.bars import bar
    from tectogon.solids.body import Item
    from tectogon.solids.features import with_features
    from tectogon.solids.placing import shifted

    if not params.source:
        raise Unfinished("Choose a section of the library.")
    count = whole(params.count, "bars")
    angles = parse_number(params.start), parse_number(params.end)
    ends = Ends(parse_length(params.length), *angles, params.measured).checked()
    regions, region = _section(params, context)
    frame = _FRAMES[params.along]
    made = with_features((), [bar(regions, region, frame, ends, context.number)], "new", None, context.number)
    pitch = region.bounds[2] - region.bounds[0] if params.pitch == OWN else parse_length(params.pitch)
    step = pitch * np.array(frame.x_dir)
    begin = np.array([parse_length(v) for v in (params.x, params.y, params.z)])
    name = params.section or params.source.rpartition(".")[0]
    overall = ends.overall(region.bounds[0], region.bounds[2])
    size = show_length(overall) + (f", ends {angles[0]:g}° and {angles[1]:g}°" if any(angles) else "")
    bodies: list[Body] = []
    for n in range(count):
        one = shifted(made[0], begin + n * step)
        key = one.key if n == 0 else f"{one.key}/{n + 1}"
        item = Item(name, f"issue {params.issue}", size, key, one.volume)
        bodies.append(replace(one, key=key, name=name if count == 1 else f"{name}, {n + 1}", item=item))
    return replace(workpiece, bodies=(*workpiece.bodies, *bodies))


def _section(params: BarParams, context: Context) -> tuple[Regions, Region]:
    """The section's profile with the point that lies on the line in the origin, mirrored and turned."""
    file = context.source(params.source)
    result = read_drawing(file.path, ReadOptions(), called=params.source)
    linework = result.linework.scaled(mm_per_unit(unit_evidence(result).proposed))
    ids = identity.of_source(context.number, linework.ids)
    regions = find_regions(linework.table, ids, join_tol=resolution(max(linework.size, 1.0)))
    if len(regions.profiles) != 1:
        told = "no closed profile" if not regions.profiles else f"{len(regions.profiles)} profiles that lie apart"
        raise NothingToBuild(f"{params.source} holds {told}; a bar has one profile with its holes.")
    region = regions.profiles[0]
    change = laid(params, region.bounds, region.centroid)
    again = find_regions(linework.table.transformed(change), ids, join_tol=regions.join_tol)
    return again, again.profiles[0]


def laid(params: BarParams, box: tuple[float, float, float, float], centroid: tuple[float, float]) -> affine.FloatArray:
    """How a section lies about the line that the bar is on, from its own box (x0, y0, x1, y1) and centroid (mm): an
    affine map (2, 3)."""
    x0, y0, x1, y1 = box
    at = {"own": params.at, "corner": (x0, y0), "centre": ((x0 + x1) / 2.0, (y0 + y1) / 2.0), "centroid": centroid}[
        params.insertion
    ]
    turn = affine.turned(math.radians(parse_number(params.turned)))
    flip = affine.scaled(-1.0 if params.mirrored == "yes" else 1.0, 1.0)
    return affine.after(turn, affine.after(flip, affine.moved(-at[0], -at[1])))


def _section_token(params: BarParams) -> Token:
    if params.source and not params.section:
        return file_token("source", params.source)
    text = f"{params.section} issue {params.issue}" if params.section else "choose one of the library"
    return Token(text, "section", {"type": "section", "value": params.section})


def _measured_tokens(params: BarParams) -> list[Token]:
    """Which length is meant: all are one where the ends are square."""
    square = all(str(angle).strip() in ("0", "0.0", "-0") for angle in (params.start, params.end))
    if square:
        return [words(" long, ")]
    return [words(" "), choice_token("measured", params.measured, MEASURED), words(", ")]


def sentence(params: BarParams, workpiece: Workpiece | None) -> Sentence:
    several = params.count not in (1, 1.0, "1")
    out = [
        number_token("count", params.count) if several else words("A bar"),
        words(" bars of section " if several else " of section "),
        _section_token(params),
        words(", "),
        length_token("length", params.length),
        *_measured_tokens(params),
        choice_token("along", params.along, AXES),
        words(", ends mitred by "),
        number_token("start", params.start, "°"),
        words(" and "),
        number_token("end", params.end, "°"),
        words(", "),
    ]
    if several:
        out += [length_token("pitch", params.pitch, "side by side"), words(" apart, ")]
    else:
        out += [words("in a row of "), number_token("count", params.count), words(", ")]
    return [
        *out,
        choice_token("insertion", params.insertion, POINTS),
        words(" at x "),
        length_token("x", params.x),
        words(", y "),
        length_token("y", params.y),
        words(", z "),
        length_token("z", params.z),
        words(", turned "),
        number_token("turned", params.turned, "°"),
        words(", "),
        choice_token("mirrored", params.mirrored, MIRRORED),
    ]


OPERATION = Operation(
    "bar",
    "build",
    "Bar",
    "A length of a section from the library",
    BarParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    begins_sheet=True,
    serves="takes_section",
)
