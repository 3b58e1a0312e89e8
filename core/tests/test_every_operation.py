"""What must hold of every operation, whatever its values: done again it gives the same; a value changed and changed
back leaves no trace; switched off it is as if it were not there; what was kept from before never shows."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tectogon.curves.nearest import nearest_on
from tectogon.operations import OPERATIONS
from tectogon.route import Run, run_card
from tectogon.route.cache import DiskStore
from tectogon.route.card import card_from
from tectogon.solids import exchange, measure
from tectogon.solids.body import Body
from tectogon.solids.prism import prism
from tectogon.views import frame_of
from test_replay import told

DEMO = Path(__file__).resolve().parents[2] / "demo" / "files"
ALL = {"rule": "material"}
Step = tuple[str, dict[str, Any]]


def work() -> Figure:
    """A plate of 100 × 50 with two holes; right of it two strips that overlap, a line with a gap, an open bent line,
    two squares that touch in a point, and a run of short pieces."""
    figure = Figure().rectangle(0, 0, 100, 50).circle(30, 25, 10).circle(70, 25, 5)
    figure.rectangle(200, 0, 40, 20).rectangle(220, 10, 40, 20)
    figure.line(300, 0, 340, 0).line(340.05, 0, 340, 30).line(340, 30, 300, 0)
    figure.rectangle(600, 0, 10, 10).rectangle(610, 10, 10, 10)
    figure.line(400, 0, 440, 0.2).line(440, 0.2, 440, 30)
    for n in range(20):
        figure.line(500 + 2 * n, 0.02 * (n % 2), 502 + 2 * n, 0.02 * ((n + 1) % 2))
    return figure


def near(run: Run, *places: tuple[float, float]) -> list[str]:
    """The curves nearest to some places."""
    linework = run.workpiece.drawing.linework
    every = np.arange(len(linework))
    return [
        linework.ids[int(nearest_on(linework.table, every, np.tile(place, (len(every), 1)))[1].argmin())]
        for place in places
    ]


def at(x: float, y: float) -> dict[str, Any]:
    return {"at": (x, y)}


def ends_of_bend(run: Run) -> list[dict[str, Any]]:
    first, last = near(run, (420, 0.1), (440, 15))
    return [{**at(400, 0), "curve": first, "kind": "start"}, {**at(440, 30), "curve": last, "kind": "end"}]


@dataclass(frozen=True)
class Sample:
    """An operation in use: the steps before it, and its parameters from a length of 1 to 9 mm and what is there."""

    params: Callable[[Run, float], dict[str, Any]]
    before: tuple[Step, ...] = ()
    views: bool = False
    """On a sheet with views instead of the plate."""


def plain(**values: Any) -> Sample:
    """Parameters that stand as they are; "x" is the length."""
    return Sample(lambda run, x: {k: x if v == "x" else v for k, v in values.items()})


MORE = {"how": "row", "count": 2, "x": 1}


def one(run: Run) -> dict[str, Any]:
    """The round hole's disc as a profile of its own."""
    region = min((r for r in run.workpiece.drawing.regions.regions if r.area > 60), key=lambda r: r.area)
    return {"picks": [{"id": region.id, "at": region.inside, "area": region.area}]}


def hole_in_blank(run: Run, x: float) -> dict[str, Any]:
    """One of two holes drawn on the blank."""
    wanted = (-14.0, 8.0) if x < 5 else (-14.0, 18.0)
    found = run.workpiece.drawing.regions.regions
    region = min(found, key=lambda r: math.dist(r.centroid, wanted) + r.area)
    return {"picks": [{"id": region.id, "at": region.inside, "area": region.area}]}


def lid(run: Run) -> dict[str, Any]:
    """The top of the largest body."""
    body = max(run.workpiece.bodies, key=lambda b: b.volume)
    return {"name": next(n.key for n in body.names if n.role == "end"), "body": body.key}


def edge_of(run: Run) -> dict[str, Any]:
    """An edge of the largest body."""
    body = max(run.workpiece.bodies, key=lambda b: b.volume)
    x, y, z = measure.edge_ends(body.edges[0]).mean(axis=0).tolist()
    return {"edge": {"faces": [], "point": (x, y, z)}}


PART: tuple[Step, ...] = (("extrude", {"profiles": ALL, "length": 10}),)
VIEWS: tuple[Step, ...] = (
    ("leave_out", {"layers": ["BORDER"], "proposals": ["guides"]}),
    ("join_ends", {"distance": 0.15}),
    ("arrange", {}),
)
BENT: tuple[Step, ...] = (("bring_solid", {"source": "angle.step"}), ("sheet_metal", {}))
IN_BLANK: tuple[Step, ...] = (
    ("blank_sheet", {}),
    *(("draw", {"shape": "circle", "points": [{"at": (-14, y)}], "length": 3}) for y in (8, 18)),
)
RIM: dict[str, Any] = {"pieces": [{"edge": {"faces": [], "point": (40.0, -12.5, 2.0)}}]}
"""The upper edge at the end of the angle's longer side."""
OFF_LINE: Step = ("line_up", {"view": "top", "how": "distance", "along": "x", "by": 0.1})

SAMPLES: dict[str, Sample] = {
    "read": Sample(lambda run, x: {"source": "work.dxf", "place": "beside"}),
    "leave_out": Sample(lambda run, x: {"inside": (195, -1, 195 + 10 * x, 40)}),
    "scale": plain(factor="x"),
    "move": plain(x="x"),
    "turn": plain(angle="x"),
    "mirror": Sample(lambda run, x: {"across": "points", "points": [at(0, 0), at(10, x)]}),
    "mend": plain(what="certain", distance="x"),
    "bridge": Sample(lambda run, x: {"points": ends_of_bend(run), "by": "line" if x < 5 else "smooth"}),
    "split": Sample(lambda run, x: {"curves": near(run, (220, 15), (240, 10 if x < 5 else 15))}),
    "smooth": Sample(lambda run, x: {"curves": near(run, *((501 + 2 * n, 0) for n in range(20))), "deviation": x / 10}),
    "regularise": Sample(lambda run, x: {"curves": near(run, (420, 0.1)), "how": "level"}),
    "guide": Sample(lambda run, x: {"curves": near(run, (420, 0.1), (500 + 4 * x, 0))}),
    "draw": Sample(lambda run, x: {"shape": "circle", "points": [at(30, 100)], "length": x}),
    "join_ends": Sample(lambda run, x: {"distance": x / 50}),
    "thicken": Sample(lambda run, x: {"curves": near(run, (420, 0.1), (440, 15)), "thickness": x}),
    "offset": Sample(lambda run, x: {"profiles": ALL, "distance": x / 10, "way": "inwards"}),
    "combine": Sample(lambda run, x: {"profiles": ALL, "how": "unite"}),
    "separate": Sample(lambda run, x: {"how": "gap", "width": x / 10, "points": [at(610, 10)]}),
    "repeat": Sample(lambda run, x: {"curves": near(run, (70, 30)), "how": "row", "count": 2, "x": x}),
    "arrange": Sample(lambda run, x: {"projection": "third" if x < 5 else "first"}, VIEWS[:2], views=True),
    "fold": Sample(lambda run, x: {"view": "front", "box": (-5, -5, 110 + x, 90)}, VIEWS[:2], views=True),
    "name_view": Sample(lambda run, x: {"view": "front", "to": "rear" if x < 5 else "none"}, VIEWS, views=True),
    "line_up": Sample(lambda run, x: {"view": "top", "how": "distance", "along": "x", "by": x}, VIEWS, views=True),
    "turn_view": Sample(lambda run, x: {"view": "top", "angle": 10 * x}, VIEWS, views=True),
    "origin": Sample(lambda run, x: {"at": "centre" if x < 5 else "foot"}, VIEWS, views=True),
    "snap_views": Sample(lambda run, x: {"within": 0.11 + x / 50}, (*VIEWS, OFF_LINE), views=True),
    "lay": Sample(lambda run, x: {"curves": near(run, (70, 30)), "onto": "front", "height": x}),
    "extrude": Sample(lambda run, x: {"profiles": ALL, "length": x}),
    "cut": Sample(lambda run, x: {"profiles": ALL, "depth": "depth", "length": x, "start": 2}, PART),
    "revolve": Sample(lambda run, x: {"profiles": ALL, "points": [at(0, -x), at(50, -x)], "angle": 30 * x}),
    "board": Sample(lambda run, x: {"edge": "0", "thickness": 1 + x / 10}),
    "extrude_levels": plain(outside="x"),
    "from_views": Sample(lambda run, x: {}, VIEWS, views=True),
    "outline": Sample(lambda run, x: {"view": "front" if x < 5 else "top"}, VIEWS, views=True),
    "loft": Sample(lambda run, x: {"profiles": one(run), "apart": x, "turned": x}),
    "carry": Sample(lambda run, x: {"profiles": one(run), "curves": near(run, (420, 0.1)), "turned": 10 * x}),
    "engrave": Sample(lambda run, x: {"source": "work.dxf", "face": lid(run), "width": 40, "depth": x / 10}, PART),
    "blank_sheet": Sample(lambda run, x: {}, BENT),
    "cut_flat": Sample(lambda run, x: {"profiles": hole_in_blank(run, x)}, (*BENT, *IN_BLANK)),
    "sheet_metal": Sample(lambda run, x: {"radius": x / 5}, (("bring_solid", {"source": "angle.step"}),)),
    "place_part": Sample(lambda run, x: {"source": "lid.step", "name": "Lid", "x": x, "angle": 10 * x}),
    "bar": Sample(lambda run, x: {"source": "section.dxf", "length": 10 * x, "end": 5 * x, "count": 2}),
    "sheet_from_line": Sample(lambda run, x: {"curves": near(run, (420, 0.1), (440, 15)), "thickness": x / 5}),
    "flange": Sample(lambda run, x: {**RIM, "length": 10 + x}, BENT),
    "bend_reliefs": Sample(
        lambda run, x: {"width": x / 5}, (*BENT, ("flange", {**RIM, "start": 5, "stands": "flush"}))
    ),
    "corner_flat": Sample(lambda run, x: {"size": x / 5}, BENT),
    "engrave_flat": Sample(
        lambda run, x: {"curves": near(run, (-15.5 if x < 5 else -12.5, 8), (-14, 19.5))[: 1 + (x > 5)]},
        (*BENT, *IN_BLANK),
    ),
    "round_edges": Sample(lambda run, x: {"which": "upright", "size": x / 10}, PART),
    "combine_bodies": Sample(lambda run, x: {"how": "common" if x < 5 else "cut"}, (*PART, ("place_bodies", MORE))),
    "part_bodies": Sample(lambda run, x: {"by": "z", "at": x}, PART),
    "place_bodies": Sample(lambda run, x: {"how": "move", "x": x}, PART),
    "name_body": Sample(lambda run, x: {"name": f"Plate {x}"}, PART),
    "dimension": Sample(lambda run, x: {"pieces": [edge_of(run)], "tolerance": f"±{x:.2f}"}, PART),
    "bring_solid": plain(source="lid.step"),
    "draw_sheet": Sample(lambda run, x: {"sheet": "A3" if x < 5 else "A2"}, PART),
    "material": Sample(lambda run, x: {"material": "steel" if x < 5 else "brass"}, PART),
}


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    import ezdxf

    document = ezdxf.new("R2010", units=4)
    work().draw()(document.modelspace(), document)
    path = tmp_path_factory.mktemp("drawn") / "work.dxf"
    document.saveas(path)
    lid = Figure().circle(30, 25, 20).regions()
    solid = Body.of("1:l", "Lid", prism(lid, lid.profiles[0], frame_of("top"), 10.0, 14.0, 1))
    path.with_name("lid.step").write_bytes(exchange.step_bytes([solid], "Lid"))
    bent = Figure().chain((0, 0), (40, 0), (40, 2), (2, 2), (2, 30), (0, 30)).regions()
    angle = Body.of("1:b", "Angle", prism(bent, bent.profiles[0], frame_of("front"), 0.0, 25.0, 1))
    path.with_name("angle.step").write_bytes(exchange.step_bytes([angle], "Angle"))
    section = ezdxf.new("R2010", units=4)
    Figure().rectangle(0, 0, 20, 30).rectangle(2, 2, 16, 26).draw()(section.modelspace(), section)
    section.saveas(path.with_name("section.dxf"))
    return path


def test_every_operation_has_a_sample() -> None:
    assert set(SAMPLES) == set(OPERATIONS)


@pytest.mark.parametrize("name", SAMPLES)
def test_values_changed_back_and_steps_switched_on_leave_no_trace(
    name: str, drawn: Path, tmp_path_factory: pytest.TempPathFactory
) -> None:
    sample = SAMPLES[name]
    path = DEMO / "clamp-bracket.dxf" if sample.views else drawn

    def run(*steps: Step, on: bool = True, store: DiskStore | None = None) -> Run:
        every = (("read", {"source": path.name}), *sample.before, *steps)
        numbered = [
            {"number": 10 * n, "kind": kind, "params": params, "on": on or n <= len(sample.before) + 1}
            for n, (kind, params) in enumerate(every, 1)
        ]
        files = {path.name: path, **{name: drawn.with_name(name) for name in ("lid.step", "angle.step", "section.dxf")}}
        card = card_from({"version": 2, "steps": numbered, "sources": dict.fromkeys(files, "x")})
        return run_card(card, files, store=store)

    bare = run()
    assert bare.failed is None, bare.failed
    without = told(bare)

    @settings(max_examples=3, deadline=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
    @given(x=st.floats(1.1, 9), y=st.floats(1.1, 9))
    def check(x: float, y: float) -> None:
        store = DiskStore(tmp_path_factory.mktemp("store"))
        step, other = ((name, sample.params(bare, v)) for v in (x, y))
        first = told(run(step, store=store))
        done = first["steps"][-1]
        assert done[1] == "ok", done
        changed = {k: first[k] for k in first if k != "steps"} != {k: without[k] for k in without if k != "steps"}
        assert changed is bool(OPERATIONS[name].writes)
        assert told(run(other, store=store)) == told(run(other))
        assert told(run(step, store=store)) == first
        off = told(run(step, on=False, store=store))
        assert {k: off[k] for k in off if k != "steps"} == {k: without[k] for k in without if k != "steps"}
        assert told(run(step)) == told(run(step, store=DiskStore(store.folder))) == first

    check()
