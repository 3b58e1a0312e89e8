"""Regions and linework as DXF: true arcs and splines, closed polylines where a boundary has lines and arcs alone. R12
and newer."""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import ezdxf
import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, EllipticArc, Line, Spline
from tectogon.curves.shapes import TURN
from tectogon.errors import BadValue, NothingToBuild
from tectogon.linework import Layer, Linework
from tectogon.profiles import Region, Regions, Ring
from tectogon.profiles.chains import find_chains
from tectogon.tolerances import resolution

VERSIONS = ("R12", "R2000", "R2010", "R2018")
_R12_CHORD = 1e-3


def regions_as_dxf(among: Iterable[Regions], ids: Sequence[str] | None, *, version: str = "R2010") -> bytes:
    """The chosen regions (all profiles of the first where none is) as a DXF in millimetres, outer boundaries and holes
    on layers of their own. among: regions by solid lines, and by others, looked through in this order.

    R12 knows no ellipses and splines: there they become polylines within 0.001 mm.
    Raises BadValue for an unknown version, NothingToBuild where no region is chosen.
    """
    _check_version(version)
    chosen: dict[str, tuple[Regions, Region]] = {}
    for regions in among:
        if ids is None:
            chosen = {r.id: (regions, r) for r in regions.profiles}
            break
        chosen = {r.id: (regions, r) for r in regions.regions if r.id in ids} | chosen
    if not chosen:
        raise NothingToBuild("There is no closed profile to write.")
    document = ezdxf.new(version, units=4)  # type: ignore[attr-defined]
    for layer in ("OUTLINE", "HOLES"):
        document.layers.add(layer)
    space = document.modelspace()
    for regions, region in chosen.values():
        _write_ring(space, regions, region.outer, "OUTLINE", version)
        for hole in region.holes:
            _write_ring(space, regions, hole, "HOLES", version)
    return _written(document)


def layered_dxf(
    regions: Mapping[str, tuple[Regions, Region]],
    curves: Mapping[str, Mapping[str, Sequence[Curve]]],
    texts: Mapping[str, Sequence[tuple[str, tuple[float, float], float]]],
    *,
    version: str = "R2010",
) -> bytes:
    """Regions with their holes, curves by line type and layer, and texts (a place and an angle in degrees), each on
    a layer of its own, as a DXF in millimetres. Raises BadValue for an unknown version."""
    _check_version(version)
    document = ezdxf.new(version, setup=["linetypes"], units=4)  # type: ignore[attr-defined]
    space = document.modelspace()
    for layer, (of, region) in regions.items():
        document.layers.add(layer)
        for ring in (region.outer, *region.holes):
            _write_ring(space, of, ring, layer, version)
    for linetype, layer, some in ((t, layer, some) for t, layers in curves.items() for layer, some in layers.items()):
        document.layers.add(layer, linetype=linetype)
        for curve in some:
            write_curve(space, curve, {"layer": layer}, version)
    for layer, words in texts.items():
        document.layers.add(layer)
        for text, at, angle in words:
            made = space.add_text(text.replace("°", "%%d"), height=2.5, rotation=angle, dxfattribs={"layer": layer})
            made.dxf.insert = at
    return _written(document)


def linework_as_dxf(linework: Linework, *, version: str = "R2010") -> bytes:
    """All curves as a DXF in millimetres on layers of their names, with their line types; closed polylines where lines
    and arcs close.

    R12 knows no ellipses and splines: there they become polylines within 0.001 mm. Raises BadValue for an unknown
    version,
    NothingToBuild on an empty drawing.
    """
    _check_version(version)
    if not len(linework):
        raise NothingToBuild("There is no linework to write.")
    document = ezdxf.new(version, setup=["linetypes"], units=4)  # type: ignore[attr-defined]
    space = document.modelspace()
    names: dict[tuple[str, str], str] = {}
    for layer, linetype in sorted({*zip(linework.layer_of.tolist(), linework.linetype_of.tolist(), strict=True)}):
        rows = np.flatnonzero((linework.layer_of == layer) & (linework.linetype_of == linetype))
        name = _layer_name(document, linework.layers[layer], names)
        attributes = {"layer": name, "linetype": _linetype(linework, linetype)}
        table = linework.table.take(rows)
        for chain in find_chains(table, join_tol=resolution(linework.size)):
            curves = [table.curve(row) for row in chain.rows.tolist()]
            whole = chain.closed and len(curves) > 1 and all(isinstance(c, (Line, Arc)) for c in curves)
            if whole:
                points = [_vertex(c, against) for c, against in zip(curves, chain.against.tolist(), strict=True)]
                _polyline(space, points, attributes, version)
            else:
                for curve in curves:
                    write_curve(space, curve, attributes, version)
    return _written(document)


def _check_version(version: str) -> None:
    if version not in VERSIONS:
        raise BadValue(f"DXF is written as {', '.join(VERSIONS)}, not “{version[:20]}”.")


def _written(document: Any) -> bytes:
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode(document.output_encoding, "dxfreplace")


def _layer_name(document: Any, layer: Layer, names: dict[tuple[str, str], str]) -> str:
    """The layer in the document, made when it is first asked for; signs that DXF does not allow in names become
    dashes."""
    key = (layer.name, layer.colour)
    if key not in names:
        plain = re.sub(r'[<>/\\":;?*|=`,\x00-\x1f]', "-", layer.name)[:200].strip() or "0"
        name, n = plain, 2
        while name != "0" and name in document.layers:
            name, n = f"{plain} {n}", n + 1
        if name not in document.layers:
            document.layers.add(name)
        names[key] = name
    return names[key]


def _linetype(linework: Linework, number: int) -> str:
    linetype = linework.linetypes[number]
    return "CENTER" if linetype.is_guide else "DASHED" if linetype.is_hidden else "CONTINUOUS"


def _polyline(space: Any, points: list[tuple[float, float, float]], attributes: dict[str, str], version: str) -> None:
    add = space.add_polyline2d if version == "R12" else space.add_lwpolyline
    add(points, format="xyb", close=True, dxfattribs=attributes)


def write_curve(space: Any, curve: Curve, attributes: dict[str, str], version: str) -> None:
    """A single curve: a circle where it closes, a fine polyline where R12 knows none of its kind."""
    if isinstance(curve, Arc) and curve.full:
        space.add_circle((curve.cx, curve.cy), curve.radius, dxfattribs=attributes)
    elif version == "R12" and isinstance(curve, (EllipticArc, Spline)):
        space.add_polyline2d(CurveTable.of([curve]).flatten(_R12_CHORD)[0].tolist(), dxfattribs=attributes)
    else:
        _write_plain(space, curve, attributes)


def _write_ring(space: Any, regions: Regions, ring: Ring, layer: str, version: str) -> None:
    curves = [regions.pieces.curve(i) for i in ring.rows.tolist()]
    attributes = {"layer": layer}
    if len(curves) == 1 and isinstance(curves[0], Arc):
        space.add_circle((curves[0].cx, curves[0].cy), curves[0].radius, dxfattribs=attributes)
    elif all(isinstance(c, (Line, Arc)) for c in curves):
        points = [_vertex(c, against) for c, against in zip(curves, ring.against.tolist(), strict=True)]
        _polyline(space, points, attributes, version)
    elif version == "R12":
        flat = regions.ring_points(ring, _R12_CHORD)
        space.add_polyline2d(flat.tolist(), close=True, dxfattribs=attributes)
    else:
        for curve in curves:
            _write_plain(space, curve, attributes)


def _vertex(curve: Curve, against: bool) -> tuple[float, float, float]:
    """Start point and bulge of a line or arc, run in the ring's direction."""
    assert isinstance(curve, (Line, Arc))
    x, y = np.asarray(curve.points(np.array(1.0 if against else 0.0))).tolist()
    bulge = math.tan(curve.sweep / 4.0) if isinstance(curve, Arc) else 0.0
    return x, y, -bulge if against else bulge


def _write_plain(space: Any, curve: Curve, attributes: dict[str, str]) -> None:
    if isinstance(curve, Line):
        space.add_line((curve.x0, curve.y0), (curve.x1, curve.y1), dxfattribs=attributes)
    elif isinstance(curve, Arc):
        start, end = math.degrees(curve.start_angle), math.degrees(curve.start_angle + curve.sweep)
        space.add_arc(
            (curve.cx, curve.cy),
            curve.radius,
            *((start, end) if curve.sweep > 0 else (end, start)),
            dxfattribs=attributes,
        )
    elif isinstance(curve, EllipticArc):
        start, sweep = (
            (curve.start_param, curve.sweep) if curve.sweep > 0 else (curve.start_param + curve.sweep, -curve.sweep)
        )
        space.add_ellipse(
            (curve.cx, curve.cy),
            (curve.mx, curve.my),
            curve.ratio,
            start,
            start + min(sweep, TURN),
            dxfattribs=attributes,
        )
    elif isinstance(curve, Spline):
        spline = space.add_spline(degree=curve.degree, dxfattribs=attributes)
        spline.control_points = [(x, y, 0.0) for x, y in curve.poles.tolist()]
        spline.knots = curve.knots.tolist()
        spline.weights = curve.weights.tolist() if curve.weights is not None else []
