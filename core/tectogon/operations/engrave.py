"""Art on a face in one sentence: engraved or raised, at a width, in the middle of the face or off it, turned, mirrored.

The art stays in its file: it is read here, brought to its width, smoothed within a deviation and laid on the face; the
sheet is left as it is.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from tectogon.curves.affine import after, moved, scaled, turned
from tectogon.errors import BadValue, Change, Note, NothingToBuild, PickGone, Place, Unfinished
from tectogon.operations import read, smooth
from tectogon.tolerances import KERNEL_TOL, LEAST_SIZE
from tectogon.units import parse_length, parse_number, show_length, show_number
from tectogon.views import Plane
from tectogon.workpiece.making import STANDS, SidesParams, lean_of, sides_tokens
from tectogon.workpiece.model import Drawing, Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import OWN, Angle, FacePick, Length, OwnLength
from tectogon.workpiece.sentence import (
    Sentence,
    choice_token,
    count_of,
    face_token,
    file_token,
    length_token,
    number_token,
    words,
)

if TYPE_CHECKING:
    from tectogon.views import Frame

HOWS = {"engrave": "Engrave", "raise": "Raise"}
_STANDS = {key: said for key, said in STANDS.items() if key != "point_over"}
MIRRORED = {"no": "not mirrored", "yes": "mirrored"}
_MOST_DRAWN = 6000
"""Points of its outline that a screen gets."""
_FITS = 0.8
_DENSE = 400
"""Art of fewer pieces is taken as it is."""


class EngraveParams(SidesParams):
    """`x`, `y`: off the middle of the face (mm), x as level as it can be; `turned` counter-clockwise as one looks at
    the face; `within`: the largest deviation (mm) that smoothing may cost, nothing for none."""

    source: str = ""
    how: Literal["engrave", "raise"] = "engrave"
    face: FacePick | None = None
    depth: Length = 0.5
    width: OwnLength = OWN
    x: Length = 0.0
    y: Length = 0.0
    turned: Angle = 0.0
    mirrored: Literal["no", "yes"] = "no"
    within: Length = 0.02


def apply(workpiece: Workpiece, params: EngraveParams, context: Context) -> Workpiece:
    """Art cut into a flat face or raised from it (mm).

    Raises Unfinished without art or face, PickGone, NothingToBuild where the art closes nothing or lies off the face,
    and what reading and `with_features` raise.
    """
    from tectogon.building.extrusion import extrusions
    from tectogon.building.on_face import frame_on, outline_of
    from tectogon.building.tapering import Sides
    from tectogon.solids.features import with_features
    from tectogon.solids.picking import find_face

    if not params.source:
        raise Unfinished("Choose the art: drop a file on a face of the part, or take one that was brought in.")
    if params.sides == "point_over":
        raise BadValue("Art runs to a point over the middle of each shape; choose “to a point over its centroid”.")
    if params.face is None:
        raise Unfinished("Press the flat face that the art goes on.")
    if params.source not in context.sources:
        raise PickGone(f"The art “{params.source[:80]}” is not among the files of this part any more; choose another.")
    depth = parse_length(params.depth)
    if depth <= 10 * KERNEL_TOL:
        raise BadValue("The depth must be more than nothing; type one such as 0.5 mm.")
    f = params.face
    face = find_face(workpiece.bodies, f.name, body=f.body, beside=f.beside, normal=f.normal, point=f.point)
    art = _art(params, context)
    frame = frame_on(face)
    art = _laid(art, frame)
    regions = art.drawing.regions.profiles
    if not regions:
        ends = len(art.drawing.regions.open_ends)
        raise NothingToBuild(f"{params.source} closes no shape that could be cut: {ends} ends are open. Mend it first.")
    notes = [*art.notes, *_off_the_face(params, art, outline_of(face, frame), frame, context.number), _told(art, frame)]
    span = (0.0, -depth) if params.how == "engrave" else (0.0, depth)
    sides = Sides(lean_of(params), to_point=params.sides == "point")
    features = extrusions(art, regions, [span] * len(regions), context.number, sides)
    result: Literal["cut", "join"] = "cut" if params.how == "engrave" else "join"
    bodies = with_features(workpiece.bodies, features, result, face.body.key, context.number)
    return replace(workpiece, bodies=bodies, art=workpiece.art | {context.number}).with_notes(*notes)


def _art(params: EngraveParams, context: Context) -> Workpiece:
    """The art alone, at its width and place: what its file paints, its middle at the origin before it is placed."""
    asked = read.ReadParams(source=params.source, strokes="outline")
    art = read.apply(Workpiece(), asked, context)
    drawing = art.drawing
    asides = frozenset(drawing.linework.ids[r] for aside in drawing.proposals for r in aside.rows.tolist())
    kept = replace(drawing, left_out=asides)
    rows = kept.bounding if len(kept.bounding) else np.arange(len(drawing.linework))
    x0, y0, x1, y1 = drawing.linework.table.take(rows).extents.tolist()
    wide = max(x1 - x0, LEAST_SIZE)
    scale = 1.0 if params.width == OWN else parse_length(params.width) / wide
    if not scale * wide > 10 * KERNEL_TOL:
        raise BadValue("The width must be more than nothing; type one such as 50 mm.")
    change = after(scaled(scale), moved(-(x0 + x1) / 2.0, -(y0 + y1) / 2.0))
    if params.mirrored == "yes":
        change = after(scaled(-1.0, 1.0), change)
    change = after(turned(math.radians(parse_number(params.turned))), change)
    change = after(moved(parse_length(params.x), parse_length(params.y)), change)
    drawing = Drawing(drawing.linework.transformed(change), left_out=asides)
    return _smoothed(replace(art, drawing=drawing), params, context)


def _smoothed(art: Workpiece, params: EngraveParams, context: Context) -> Workpiece:
    """Dense art as fewer curves, with a note that counts them."""
    if parse_length(params.within) <= 0.0 or len(art.drawing.bounding) < _DENSE:
        return art
    try:
        return smooth.apply(art, smooth.SmoothParams(deviation=params.within), context)
    except NothingToBuild:
        return art


def _laid(art: Workpiece, frame: Frame) -> Workpiece:
    curves = frozenset(art.drawing.linework.ids)
    x0, y0, x1, y1 = art.drawing.linework.extents.tolist()
    return replace(art, planes=(Plane("art", curves, frame, (x0, y0, x1, y1), 0),))


def _told(art: Workpiece, frame: Frame) -> Note:
    """How large the art is, and its outline in the plane of the face, so that it can be dragged there."""
    regions = art.drawing.regions
    x0, y0, x1, y1 = art.drawing.linework.take(art.drawing.bounding).extents.tolist()
    chord = max(x1 - x0, y1 - y0) * 2e-3
    lines, points = [], 0
    for region in sorted(regions.profiles, key=lambda r: -r.area):
        for ring in (region.outer, *region.holes):
            flat = regions.ring_points(ring, chord).round(4).tolist()
            points += len(flat)
            if points <= _MOST_DRAWN:
                lines.append(flat)
    return Note(
        "art_laid",
        f"{count_of(len(regions.profiles), 'shape')}, {show_number(x1 - x0, 2)} × {show_number(y1 - y0, 2)} mm.",
        Place(point=frame.at((x0 + x1) / 2.0, (y0 + y1) / 2.0)),
        good=True,
        drawn={"origin": frame.origin, "x": frame.x_dir, "y": frame.y_dir, "lines": lines},
    )


def _off_the_face(params: EngraveParams, art: Workpiece, face: BaseGeometry, frame: Frame, step: int) -> list[Note]:
    """What is to be said of art that reaches over the edge of its face. Raises NothingToBuild where it lies off it
    altogether."""
    regions = art.drawing.regions
    points = np.concatenate([regions.ring_points(r.outer, 0.05) for r in regions.profiles])
    off = np.asarray(shapely.distance(face, shapely.points(points)))
    worst = int(off.argmax())
    if off[worst] <= 1e-6:
        return []
    x, y, z = frame.at(*points[worst].tolist())
    place = Place(point=(x, y, z))
    box = shapely.box(*art.drawing.linework.extents.tolist())
    if not face.intersects(box):
        raise NothingToBuild(
            f"{params.source} lies beside its face: {show_number(float(off.min()), 2)} mm off. Move it nearer to the"
            " middle.",
            place,
        )
    return [
        Note(
            "art_over_edge",
            f"The art reaches {show_number(float(off[worst]), 2)} mm over the edge of its face, near x {x:.2f},"
            f" y {y:.2f}, z {z:.2f} mm; make it narrower, or move it.",
            place,
            _narrower(face, art, step),
        )
    ]


def _narrower(face: BaseGeometry, art: Workpiece, step: int) -> Change | None:
    """The offer to make art fit its face; none for art that is smaller and only lies off."""
    x0, y0, x1, y1 = face.bounds
    a0, b0, a1, b1 = art.drawing.linework.take(art.drawing.bounding).extents.tolist()
    share = min((x1 - x0) / (a1 - a0), (y1 - y0) / (b1 - b0))
    if share >= 1.0:
        return None
    width = float(f"{_FITS * share * (a1 - a0):.2g}")
    return Change(step, f"Make it {show_length(width)} wide, in the middle", {"width": width, "x": 0, "y": 0})


def sentence(params: EngraveParams, workpiece: Workpiece | None) -> Sentence:
    out = [choice_token("how", params.how, HOWS), words(" "), file_token("source", params.source)]
    out += [words(" in " if params.how == "engrave" else " on "), face_token("face", params.face)]
    out += [words(" by "), length_token("depth", params.depth), words(", "), length_token("width", params.width)]
    out += [
        words(" wide, off its middle by x "),
        length_token("x", params.x),
        words(", y "),
        length_token("y", params.y),
    ]
    out += [words(", turned "), number_token("turned", params.turned, "°"), words(", ")]
    out += [choice_token("mirrored", params.mirrored, MIRRORED), *sides_tokens(params, _STANDS)]
    return [*out, words(", smoothed within "), length_token("within", params.within)]


OPERATION = Operation(
    "engrave",
    "build",
    "Engrave",
    "Art cut into a face or raised from it",
    EngraveParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    wants="body",
    serves="engraves",
)
