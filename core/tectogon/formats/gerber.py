"""Gerber (RS-274X) and drill files, parsed by gerbonara: the painted image as true regions, drill holes as circles.

Traps of the parser that are met here: its step-and-repeat drops copies, and an aperture that clears (a hole, a macro
with exposure off) must clear within itself alone, not what lies under it.
"""

from __future__ import annotations

import copy
import itertools
import math
import re
import warnings
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from gerbonara import ExcellonFile, GerberFile
from gerbonara import graphic_objects as go
from gerbonara import graphic_primitives as gp
from gerbonara.rs274x import GerberParser

from tectogon.curves import Arc, Curve, CurveTable, Line, affine
from tectogon.curves.shapes import TURN
from tectogon.errors import Note, OverLimit, TectogonError, UnreadableFile
from tectogon.formats.graphics import Art
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import DRILL, GERBER, UNNAMED, ReadLimits, ReadResult
from tectogon.profiles import Filled, painted
from tectogon.profiles.chains import find_chains
from tectogon.profiles.stroke import Pen, inked
from tectogon.tolerances import HAIR, resolution
from tectogon.units import show_count

EDGE = "edge"
_LAYERS = {
    "copper": "copper",
    "profile": EDGE,
    "soldermask": "mask",
    "legend": "legend",
    "paste": "paste",
    "glue": "glue",
    "plated": "drill",
    "nonplated": "drill",
}
"""Names of layers by the file functions of the Gerber format's attributes."""
_HAIR_PEN = Pen(HAIR, "round", "round")
"""Of a line that is kept as its centre line: how wide it was drawn says nothing."""
_MACRO_PARTS = 20_000
_MOST_CORNERS = 10_000


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """What a Gerber file paints, in its own unit. Raises UnreadableFile or OverLimit."""
    text = _text(path)
    if len(text) > 40_000_000:
        raise OverLimit(f"{path.name} holds more than 40 MB of statements; split it.")
    file = GerberFile()
    parser = _Parser(file, limits)
    faults = _guarded(path, "Gerber file", lambda: parser.parse(text, filename=path.name))
    unit = getattr(file, "unit", None) or parser.file_settings.unit
    inches = "inch" in str(unit).lower() or str(unit).lower() == "in"
    function = _function(text)
    art = Art(limits.max_curves)
    if len(file.objects) > limits.max_entities:
        raise OverLimit(
            f"{path.name} paints {show_count(len(file.objects))} objects; up to"
            f" {show_count(limits.max_entities)} are taken."
        )
    layer = _LAYERS.get(function.partition(",")[0].lower(), UNNAMED)
    side = next((word for word in ("top", "bottom") if word in function.lower().replace("bot", "bottom")), "")
    centres = _centre_lines(file.objects, unit) if options.edge != "inked" else None
    if centres is not None and (layer == EDGE or options.edge == "centre" or _closes(centres)):
        for number, curve in enumerate(centres):
            art.entities["draw"] += 1
            key = f"g{number + 1}"
            art.add(key, [[curve]], affine.IDENTITY, layer=EDGE, colour="#000000", fill=None, pen=_HAIR_PEN)
        art.notes.append(Note("edge", "The board's edge is the centre line of the pen that drew it.", good=True))
    else:
        apertures: dict[int, list[list[list[Curve]]]] = {}
        for number, thing in enumerate(file.objects):
            _paint(art, thing, f"g{number + 1}", apertures, unit, f"{layer} {side}".strip())
    if not art.paths and not file.objects:
        raise UnreadableFile(f"{path.name} paints nothing: it holds statements, but no flash, draw or region.")
    art.notes += faults
    linework = art.linework(outlines=False)
    return ReadResult(linework=linework, format=GERBER, version="RS-274X", declared_unit="in" if inches else "mm")


def read_drill(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """Holes as circles and slots as their outlines, in the file's own unit. Raises UnreadableFile."""
    text = _text(path)
    parsed: list[Any] = []
    faults = _guarded(path, "drill file", lambda: parsed.append(ExcellonFile.from_string(text, filename=path.name)))
    inches = (
        re.search(r"^[ \t]*+(INCH|M72)", text, re.MULTILINE) is not None
        and re.search(r"^[ \t]*+(METRIC|M71)", text, re.MULTILINE) is None
    )
    scale = 25.4 if inches else 1.0
    art = Art(limits.max_curves)
    for number, thing in enumerate(parsed[0].objects):
        if not _has_tool(thing):
            art.skipped["hole without the size of its tool"] += 1
            continue
        key, layer = f"d{number + 1}", f"drill {2 * _radius(thing):.4g} mm"
        art.entities["hole" if isinstance(thing, go.Flash) else "slot"] += 1
        if isinstance(thing, go.Flash):
            x, y = thing.unit.convert_to("mm", thing.x) / scale, thing.unit.convert_to("mm", thing.y) / scale
            art.add(
                key,
                [[Arc(x, y, _radius(thing) / scale, 0.0, TURN)]],
                affine.IDENTITY,
                layer=layer,
                colour="#000000",
                fill="nonzero",
                pen=None,
            )
        else:
            for k, shape in enumerate(_stroke(thing, "mm")):
                art.add(
                    f"{key}.{k}",
                    [shape],
                    affine.scaled(1.0 / scale),
                    layer=layer,
                    colour="#000000",
                    fill="nonzero",
                    pen=None,
                )
    if not art.paths:
        raise UnreadableFile(f"{path.name} is a drill file without a single hole.")
    art.notes += faults
    return ReadResult(
        linework=art.linework(outlines=False), format=DRILL, version="", declared_unit="in" if inches else "mm"
    )


def _text(path: Path) -> str:
    data = path.read_bytes()
    if b"\x00" in data:
        raise UnreadableFile(f"{path.name} holds zero bytes among its statements; it is damaged.")
    return data.decode("utf-8", "replace")


def _guarded(path: Path, what: str, work: Callable[[], object]) -> list[Note]:
    """Run a parser; what it warns of becomes a note, what it raises a sentence."""
    with warnings.catch_warnings(record=True) as said:
        warnings.simplefilter("always")
        try:
            work()
        except (TectogonError, MemoryError):
            raise
        except Exception as problem:
            if isinstance(problem.__cause__, TectogonError):
                raise problem.__cause__ from None
            where = re.search(r"line (\d+)", str(problem))
            raise UnreadableFile(
                f"{path.name} starts like a {what} but breaks off or is"
                f" damaged{f' at line {where[1]}' if where else ''}. Ask for it once more."
            ) from None
    told = Counter(str(w.message).split("\n")[0][:160] for w in said if not issubclass(w.category, DeprecationWarning))
    return [Note("odd_statement", f"{n} × {text}") for text, n in told.most_common(5)]


class _Parser(GerberParser):  # type: ignore[misc]
    """The parser with step-and-repeat that repeats, counted before it is laid out, and macros that can't run away."""

    def __init__(self, target: GerberFile, limits: ReadLimits) -> None:
        super().__init__(target, include_dir=None, override_settings=None)
        self.limits = limits
        self.repeat: tuple[int, int, float, float] | None = None
        self.repeat_from = 0

    def _parse_step_repeat(self, match: Any) -> None:
        objects = self.target.objects
        if match["coords"]:
            if self.repeat:
                raise SyntaxError("step-and-repeat within step-and-repeat")
            self.repeat = (int(match["X"]), int(match["Y"]), float(match["I"]), float(match["J"]))
            self.repeat_from = len(objects)
            return
        if not self.repeat:
            return
        nx, ny, dx, dy = self.repeat
        self.repeat = None
        once = objects[self.repeat_from :]
        if not once:
            return  # nothing, however often
        total = self.repeat_from + len(once) * max(nx, 1) * max(ny, 1)
        if total > self.limits.max_entities:
            raise OverLimit(
                f"The step-and-repeat lays out {show_count(total)} objects; up to"
                f" {show_count(self.limits.max_entities)} are taken."
            )
        for i in range(nx):
            for j in range(ny):
                if i or j:
                    for thing in once:
                        moved = copy.deepcopy(thing) if isinstance(thing, go.Region) else copy.copy(thing)
                        moved.offset(i * dx, j * dy, unit=self.file_settings.unit)
                        objects.append(moved)


# painting ----------------------------------------------------------------------


def _function(text: str) -> str:
    """What a file says it is for: the value of the attribute FileFunction, also where it stands in a comment."""
    found = re.search(r"TF\.FileFunction,([^*%\r\n]{1,80})", text[:20_000])
    return found[1] if found else ""


def _centre_lines(objects: list[Any], unit: Any) -> list[Curve] | None:
    """The middle of each draw, where there is nothing but draws in the dark."""
    out: list[Curve] = []
    for thing in objects:
        if isinstance(thing, (go.Flash, go.Region)) or not thing.polarity_dark:
            return None
        for part in thing.to_primitives(unit):
            if isinstance(part, gp.Line):
                if (part.x1, part.y1) != (part.x2, part.y2):
                    out.append(Line(float(part.x1), float(part.y1), float(part.x2), float(part.y2)))
            elif isinstance(part, gp.Arc):
                out.append(_arc(part.x1, part.y1, part.x2, part.y2, part.cx, part.cy, part.clockwise))
            else:
                return None
    return out or None


def _closes(curves: list[Curve]) -> bool:
    """Whether curves make closed outlines and nothing else, as an edge does and no conductor or legend."""
    table = CurveTable.of(curves)
    chains = find_chains(table, join_tol=resolution(table.size))
    return len(curves) > 1 and all(chain.closed for chain in chains)


def _paint(
    art: Art, thing: Any, key: str, apertures: dict[int, list[list[list[Curve]]]], unit: Any, layer: str
) -> None:
    clear = not thing.polarity_dark
    shapes: list[list[list[Curve]]]
    if isinstance(thing, go.Flash):
        art.entities["flash"] += 1
        if id(thing.aperture) not in apertures:
            apertures[id(thing.aperture)] = _aperture(thing.aperture, unit)
        x, y = thing.unit.convert_to(unit, thing.x), thing.unit.convert_to(unit, thing.y)
        shapes = [[[_moved(c, x, y) for c in chain] for chain in shape] for shape in apertures[id(thing.aperture)]]
    elif isinstance(thing, go.Region):
        art.entities["region"] += 1
        shapes = [[_poly(p)] for p in thing.to_primitives(unit)]
    else:
        art.entities["draw"] += 1
        shapes = [[shape] for shape in _stroke(thing, unit)]
    for k, shape in enumerate(shapes):
        chains = [chain for chain in shape if chain]
        if chains:
            rule = "evenodd" if len(chains) > 1 else "nonzero"
            art.add(
                f"{key}.{k + 1}" if len(shapes) > 1 else key,
                chains,
                affine.IDENTITY,
                layer=layer,
                colour="#000000",
                fill=rule,  # type: ignore[arg-type]
                pen=None,
                clear=clear,
            )


def _aperture(aperture: Any, unit: Any) -> list[list[list[Curve]]]:
    """The shapes of one flash at the origin; where parts of it clear, one shape with its holes."""
    corners = getattr(aperture, "n_vertices", 0) or 0
    if not 0 <= corners <= _MOST_CORNERS:
        raise OverLimit(
            f"An aperture is a polygon of {corners:.4g} corners; up to {show_count(_MOST_CORNERS)} are taken."
        )
    parts = list(itertools.islice(aperture.flash(0.0, 0.0, unit, True), _MACRO_PARTS + 1))
    if len(parts) > _MACRO_PARTS:
        raise OverLimit(f"An aperture is made of more than {show_count(_MACRO_PARTS)} parts; so many are taken.")
    outlines = [_outline(part) for part in parts]
    if all(part.polarity_dark for part in parts):
        return [[outline] for outline in outlines if outline]
    curves: list[Curve] = []
    fills = []
    for part, outline in zip(parts, outlines, strict=True):
        fills.append(Filled(len(curves), len(curves) + len(outline), "nonzero", not part.polarity_dark))
        curves += outline
    table = CurveTable.of(curves)
    size = float(np.ptp(table.extents.reshape(2, 2), axis=0).max())
    left = painted(table, tuple(str(n) for n in range(len(curves))), fills, join_tol=resolution(size))
    return [_chains(left.table)]


def _chains(table: CurveTable) -> list[list[Curve]]:
    """Loose curves of an outline in closed chains, so that a shape can be made of them."""
    from tectogon.profiles import find_regions

    size = float(np.ptp(table.extents.reshape(2, 2), axis=0).max()) if len(table) else 1.0
    regions = find_regions(table, tuple(str(n) for n in range(len(table))), join_tol=resolution(size))
    out = []
    for region in regions.profiles:
        for ring in (region.outer, *region.holes):
            curves = [regions.pieces.curve(int(row)) for row in ring.rows]
            out.append(
                [c.reversed() if against else c for c, against in zip(curves, ring.against.tolist(), strict=True)]
            )
    return out


def _moved(curve: Curve, dx: float, dy: float) -> Curve:
    if isinstance(curve, Line):
        return Line(curve.x0 + dx, curve.y0 + dy, curve.x1 + dx, curve.y1 + dy)
    assert isinstance(curve, Arc)
    return Arc(curve.cx + dx, curve.cy + dy, curve.radius, curve.start_angle, curve.sweep)


def _outline(part: Any) -> list[Curve]:
    """The closed outline of one primitive."""
    if isinstance(part, gp.Circle):
        return [Arc(part.x, part.y, part.r, 0.0, TURN)] if part.r > 0 else []
    if isinstance(part, gp.Rectangle):
        c, s, w, h = math.cos(part.rotation), math.sin(part.rotation), part.w / 2.0, part.h / 2.0
        corners = [(part.x + c * u - s * v, part.y + s * u + c * v) for u, v in ((-w, -h), (w, -h), (w, h), (-w, h))]
        return [Line(*corners[n - 1], *corners[n]) for n in range(4)] if w > 0 and h > 0 else []
    if isinstance(part, gp.Line):
        return _capsule(part.x1, part.y1, part.x2, part.y2, part.width / 2.0)
    if isinstance(part, gp.ArcPoly):
        return _poly(part)
    raise ValueError(f"a primitive that is not known: {type(part).__name__}")


def _poly(part: Any) -> list[Curve]:
    if not part.outline:
        return []
    out: list[Curve] = []
    for (x0, y0), (x1, y1), (clockwise, centre) in part.segments:
        if clockwise is None:
            if (x0, y0) != (x1, y1):
                out.append(Line(float(x0), float(y0), float(x1), float(y1)))
        else:
            out.append(_arc(x0, y0, x1, y1, centre[0], centre[1], clockwise))
    return out


def _arc(x0: float, y0: float, x1: float, y1: float, cx: float, cy: float, clockwise: bool) -> Arc:
    """An arc whose centre is rounded in the file: the radius is the mean of both ends' distances."""
    start, end = math.atan2(y0 - cy, x0 - cx), math.atan2(y1 - cy, x1 - cx)
    sweep = (start - end) % TURN if clockwise else (end - start) % TURN
    sweep = sweep if sweep > 1e-9 else TURN
    radius = (math.hypot(x0 - cx, y0 - cy) + math.hypot(x1 - cx, y1 - cy)) / 2.0
    return Arc(cx, cy, radius, start, -sweep if clockwise else sweep)


def _capsule(x0: float, y0: float, x1: float, y1: float, half: float) -> list[Curve]:
    length = math.hypot(x1 - x0, y1 - y0)
    if half <= 0:
        return []
    if length <= HAIR * half:
        return [Arc(x0, y0, half, 0.0, TURN)]
    nx, ny = -(y1 - y0) / length * half, (x1 - x0) / length * half
    angle = math.atan2(ny, nx)
    return [
        Line(x1 + nx, y1 + ny, x0 + nx, y0 + ny),
        Arc(x0, y0, half, angle, math.pi),
        Line(x0 - nx, y0 - ny, x1 - nx, y1 - ny),
        Arc(x1, y1, half, angle + math.pi, math.pi),
    ]


def _stroke(thing: Any, unit: Any) -> list[list[Curve]]:
    """A draw or a slot: a line or an arc with round ends."""
    out: list[list[Curve]] = []
    for part in thing.to_primitives(unit):
        if isinstance(part, gp.Line):
            out.append(_capsule(part.x1, part.y1, part.x2, part.y2, part.width / 2.0))
        elif isinstance(part, gp.Arc) and part.width > 0:
            arc = _arc(part.x1, part.y1, part.x2, part.y2, part.cx, part.cy, part.clockwise)
            shapes = inked(CurveTable.of([arc]), np.zeros(1, np.int64), Pen(part.width, "round", "round"))
            out += [shape.curves() for shape in shapes]
        elif not isinstance(part, gp.Arc):
            out.append(_outline(part))
    return [shape for shape in out if shape]


def _has_tool(thing: Any) -> bool:
    size = getattr(thing.aperture, "diameter", None)
    return isinstance(size, (int, float)) and 0.0 < size < 1e6 and thing.aperture.unit is not None


def _radius(thing: Any) -> float:
    tool = thing.aperture
    return float(tool.unit.convert_to("mm", tool.diameter)) / 2.0
