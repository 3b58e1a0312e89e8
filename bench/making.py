"""Ways to make a solid against the bare kernel calls that would make it, sound or not."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from figures import Figure
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakePolygon, BRepBuilderAPI_MakeWire
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeOffset, BRepOffsetAPI_MakePipeShell, BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.GC import GC_MakeArcOfCircle
from OCP.GeomAbs import GeomAbs_JoinType
from OCP.gp import gp_Dir, gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS
from tectogon.building.along import centred, swept_along
from tectogon.building.lofting import Section, loft
from tectogon.building.tapering import Sides, at_height, tapers
from tectogon.curves.affine import IDENTITY
from tectogon.linework import Linework
from tectogon.profiles import Regions
from tectogon.profiles.paths import path_of, rounded
from tectogon.solids import kernel
from tectogon.solids.body import Body
from tectogon.solids.features import with_features
from tectogon.solids.prism import face_of, prism
from tectogon.views import frame_of
from tectogon.workpiece.model import Drawing, Workpiece

Best = Callable[[Callable[[], object]], float]
Row = Callable[[str, str, str, float, float], None]


def bench_making(best: Best, row: Row) -> None:
    for what, ours, theirs, goal in (
        ("Loft of two foils of 160 and 90 points", *_foils(), 1.5),
        ("Taper of a profile of 40 edges", *_taper(), 2.0),
        ("Along a path of 20 pieces", *_path(), 1.5),
        ("Emblem of 300 curves engraved", *_emblem(), 1.3),
    ):
        a, b = best(ours), best(theirs)
        row(f"{what}, proven (CPU)", f"{a * 1e3:.0f} ms", f"the bare kernel {b * 1e3:.0f} ms", a / b, goal)


def _polygon(points: np.ndarray, height: float) -> Any:
    wire = BRepBuilderAPI_MakePolygon()
    for x, y in points.tolist():
        wire.Add(gp_Pnt(x, y, height))
    wire.Close()
    return wire.Wire()


def _foil(count: int, chord: float) -> np.ndarray:
    x = 0.5 * (1 - np.cos(np.linspace(0, math.pi, count // 2 + 1)))
    y = 0.6 * (0.2969 * np.sqrt(x) - 0.126 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)
    return np.concatenate([np.column_stack([x, y])[::-1], np.column_stack([x, -y])[1:-1]]) * chord


def _regions(points: np.ndarray) -> Regions:
    return Figure().chain(*map(tuple, points.tolist())).regions()


def _foils() -> tuple[Callable[[], object], Callable[[], object]]:
    low, high = _foil(160, 250.0), _foil(90, 140.0)
    sections = [
        Section(r, r.profiles[0], at_height(frame_of("top"), h), IDENTITY)
        for r, h in ((_regions(low), 0.0), (_regions(high), 600.0))
    ]

    def bare() -> object:
        maker = BRepOffsetAPI_ThruSections(True, True)
        maker.AddWire(_polygon(low, 0.0))
        maker.AddWire(_polygon(high, 600.0))
        maker.Build()
        return maker.Shape()

    return lambda: loft(sections, smooth=False, square=False, step=10), bare


def _star() -> np.ndarray:
    angles = 2 * math.pi * np.arange(40) / 40
    return np.column_stack([np.cos(angles), np.sin(angles)]) * np.where(np.arange(40) % 2, 40.0, 34.0)[:, None]


def _taper() -> tuple[Callable[[], object], Callable[[], object]]:
    points = _star()
    figure = Figure().chain(*map(tuple, points.tolist()))
    workpiece = Workpiece(drawing=Drawing(Linework(figure.table, tuple(f"s10:{n}" for n in range(40)))))
    regions = workpiece.drawing.regions.profiles

    def bare() -> object:
        low = _polygon(points, 0.0)
        moved = BRepOffsetAPI_MakeOffset(low, GeomAbs_JoinType.GeomAbs_Intersection)
        moved.Perform(-10 * math.tan(math.radians(3)), 10.0)
        maker = BRepOffsetAPI_ThruSections(True, True)
        maker.AddWire(low)
        maker.AddWire(TopoDS.Wire(kernel.map_of(moved.Shape(), TopAbs_ShapeEnum.TopAbs_WIRE).FindKey(1)))
        maker.Build()
        return maker.Shape()

    return lambda: tapers(workpiece, regions, [(0.0, 10.0)], Sides(3.0), 10), bare


def _path() -> tuple[Callable[[], object], Callable[[], object]]:
    corners = [(40.0 * n, 25.0 * (n % 2)) for n in range(12)]
    path = rounded(path_of(Figure().chain(*corners, close=False).table, 1e-6), 8.0)
    section = Figure().rectangle(-3, -2, 6, 4).regions()
    assert len(path.curves) in (20, 21), len(path.curves)

    def bare() -> object:
        spine = BRepBuilderAPI_MakeWire()
        for curve in path.curves:
            a, m, b = (gp_Pnt(*p, 0.0) for p in np.asarray(curve.points(np.array([0.0, 0.5, 1.0]))).tolist())
            bent = hasattr(curve, "radius")
            edge = (
                BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(a, m, b).Value()) if bent else BRepBuilderAPI_MakeEdge(a, b)
            )
            spine.Add(edge.Edge())
        start, way = (f(np.array([0.0]))[0] for f in (path.curves[0].points, path.curves[0].derivatives))
        dx, dy = (way / np.hypot(*way)).tolist()
        profile = BRepBuilderAPI_MakePolygon()
        for u, v in ((-3, -2), (3, -2), (3, 2), (-3, 2)):
            profile.Add(gp_Pnt(start[0] - u * dy, start[1] + u * dx, v))
        profile.Close()
        maker = BRepOffsetAPI_MakePipeShell(spine.Wire())
        maker.SetMode(gp_Dir(0, 0, 1))
        maker.Add(profile.Wire())
        maker.Build()
        maker.MakeSolid()
        return maker.Shape()

    return lambda: swept_along(centred(section, section.profiles[0]), path, step=10), bare


def _emblem() -> tuple[Callable[[], object], Callable[[], object]]:
    figure = Figure()
    for x, y, radius, count in ((0, 0, 20, 80), (0, 0, 12, 40), (45, 0, 20, 100), (20, 38, 16, 80)):
        angles = 2 * math.pi * np.arange(count) / count
        wavy = radius * np.where(np.arange(count) % 2, 1.0, 0.9)
        figure.chain(*((x + r * math.cos(a), y + r * math.sin(a)) for r, a in zip(wavy, angles, strict=True)))
    ids = tuple(f"s10:{n}" for n in range(len(figure.curves)))
    art = Workpiece(drawing=Drawing(Linework(figure.table, ids)))
    regions = art.drawing.regions
    block = Figure().rectangle(-30, -30, 110, 100).regions()
    frame = at_height(frame_of("top"), 10.0)
    body = Body.of("10:p", "Block", prism(block, block.profiles[0], frame_of("top"), 0.0, 10.0, 10))

    from tectogon.building.extrusion import extrusions
    from tectogon.views import Plane

    x0, y0, x1, y1 = figure.table.extents.tolist()
    laid = Workpiece(drawing=art.drawing, planes=(Plane("art", frozenset(ids), frame, (x0, y0, x1, y1), 0),))

    def ours() -> object:
        spans = [(0.0, -0.5)] * len(regions.profiles)
        return with_features((body,), extrusions(laid, regions.profiles, spans, 20), "cut", None, 20)

    def bare() -> object:
        tools = []
        for region in regions.profiles:
            face, _ = face_of(regions, region, frame, 0.0)
            tools.append(BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, -0.5)).Shape())
        maker = BRepAlgoAPI_Cut()
        maker.SetArguments(kernel.list_of([body.shape]))
        maker.SetTools(kernel.list_of(tools))
        maker.Build()
        return maker.Shape()

    return ours, bare
