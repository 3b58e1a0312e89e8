"""Values and picks that nobody would choose, on every way to build: each ends in a result that is proven, or in a
sentence, with the bodies as they were."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from figures import Figure
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tectogon.errors import TectogonError
from tectogon.route import Card, Run, run_card
from tectogon.solids import proof

ALL = {"rule": "material"}
LENGTHS = st.one_of(
    st.floats(0.5, 15).map(lambda v: round(v, 2)),
    st.floats(-1e3, 1e3).map(lambda v: round(v, 3)),
    st.sampled_from([0, 1e-7, -5, 1e7, "3/8 in", "1e400", "abc", "", "12 furlongs", "٣ mm"]),
)
NUMBERS = st.one_of(
    st.floats(1, 40).map(lambda v: round(v, 1)),
    st.floats(-400, 400).map(lambda v: round(v, 2)),
    st.sampled_from([0, 90, 180, "1/0", "x", 1e300]),
)
POINTS = st.lists(
    st.tuples(st.floats(-50, 150), st.floats(-50, 150)).map(lambda p: {"at": (round(p[0], 2), round(p[1], 2))}),
    max_size=3,
)
FACES = st.sampled_from(
    [
        None,
        {"name": "end/20//"},
        {"name": "side/20/gone/gone"},
        {"name": "round/30//", "body": "99:x", "normal": (0, 0, 0), "point": (1e9, 0, 0)},
    ]
)
PICKS = st.lists(
    st.one_of(
        st.fixed_dictionaries({"edge": st.just({"faces": ["end/20//", "side/20//"], "point": (0, 0, 10)})}),
        st.fixed_dictionaries({"edge": st.just({"faces": [], "point": (1e9, 0, 0)})}),
        st.fixed_dictionaries({"face": FACES.filter(bool)}),
    ),
    max_size=3,
)
BODIES = st.sampled_from(["", "20", "20:gone", "no such body"])
SIDES = {"sides": st.sampled_from(["upright", "in", "out", "point", "point_over"]), "lean": NUMBERS, "over": POINTS}
WAYS: dict[str, dict[str, st.SearchStrategy[Any]]] = {
    "extrude": {
        **SIDES,
        "profiles": st.just(ALL),
        "length": LENGTHS,
        "start": LENGTHS,
        "extent": st.sampled_from(["one_side", "half_each_side", "two_lengths", "next_face"]),
        "result": st.sampled_from(["new", "each", "join", "cut", "common"]),
    },
    "cut": {
        **SIDES,
        "profiles": st.just(ALL),
        "depth": st.sampled_from(["through", "depth", "next_face"]),
        "length": LENGTHS,
        "side": st.sampled_from(["towards", "away"]),
        "takes": st.sampled_from(["inside", "outside"]),
        "body": BODIES,
    },
    "loft": {
        "profiles": st.just(ALL),
        "to": st.sampled_from(["share", "chord", "next"]),
        "share": NUMBERS,
        "chord": LENGTHS,
        "chord_from": LENGTHS,
        "apart": LENGTHS,
        "back": LENGTHS,
        "turned": NUMBERS,
        "about": NUMBERS,
        "between": st.sampled_from(["ruled", "smooth", "square"]),
        "placed": st.sampled_from(["drawn", "centred"]),
        "matched": st.sampled_from(["corners", "pressed"]),
        "starts": POINTS,
        "result": st.sampled_from(["new", "join", "cut"]),
    },
    "carry": {
        "profiles": st.just(ALL),
        "held": st.sampled_from(["centroid", "point", "placed"]),
        "at": POINTS,
        "turned": NUMBERS,
        "stands": st.sampled_from(["square", "parallel"]),
        "corners": st.sampled_from(["mitred", "rounded"]),
        "radius": LENGTHS,
    },
    "round_edges": {
        "how": st.sampled_from(["round", "chamfer", "chamfer_two", "chamfer_angle"]),
        "which": st.sampled_from(["picked", "upright", "top", "bottom", "every"]),
        "pieces": PICKS,
        "size": LENGTHS,
        "second": LENGTHS,
        "angle": NUMBERS,
        "body": BODIES,
    },
    "combine_bodies": {
        "how": st.sampled_from(["join", "cut", "common"]),
        "body": BODIES,
        "with_body": BODIES,
        "other": st.sampled_from(["goes", "stays"]),
    },
    "part_bodies": {
        "by": st.sampled_from(["x", "y", "z", "face", "profile"]),
        "at": LENGTHS,
        "face": FACES,
        "profiles": st.just(ALL),
        "body": BODIES,
    },
    "place_bodies": {
        "how": st.sampled_from(["move", "turn", "mirror", "row", "grid", "circle"]),
        "body": BODIES,
        "x": LENGTHS,
        "z": LENGTHS,
        "axis": st.sampled_from(["x", "y", "z"]),
        "about": st.sampled_from(["middle", "origin"]),
        "angle": NUMBERS,
        "count": NUMBERS,
        "rows": NUMBERS,
        "rise": LENGTHS,
        "kept": st.sampled_from(["moved", "both"]),
    },
    "engrave": {
        **SIDES,
        "source": st.sampled_from(["sheet.dxf", "gone.svg", ""]),
        "how": st.sampled_from(["engrave", "raise"]),
        "face": FACES,
        "depth": LENGTHS,
        "width": LENGTHS,
        "x": LENGTHS,
        "turned": NUMBERS,
        "mirrored": st.sampled_from(["no", "yes"]),
        "within": LENGTHS,
    },
}


@pytest.fixture(scope="module")
def sheet(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two plates, one with a hole, and an open line."""
    document = ezdxf.new("R2010", units=4)
    figure = Figure().rectangle(0, 0, 40, 30).circle(12, 15, 5).rectangle(60, 0, 20, 20)
    figure.line(0, 60, 40, 60).line(40, 60, 60, 80)
    figure.draw()(document.modelspace(), document)
    path = tmp_path_factory.mktemp("hostile") / "sheet.dxf"
    document.saveas(path)
    return path


@pytest.fixture(scope="module")
def built(sheet: Path) -> Callable[..., Run]:
    """The plates raised by 10 mm, and a step more."""

    def run(*steps: tuple[str, dict[str, Any]]) -> Run:
        every = [("read", {"source": sheet.name}), ("extrude", {"profiles": ALL, "length": 10}), *steps]
        numbered = [{"number": 10 * n, "kind": k, "params": p} for n, (k, p) in enumerate(every, 1)]
        card = Card.model_validate({"steps": numbered, "sources": {sheet.name: "x"}})
        return run_card(card, {sheet.name: sheet})

    return run


@pytest.mark.parametrize("kind", WAYS)
def test_any_values_end_in_a_proven_result_or_a_sentence(kind: str, built: Callable[..., Run]) -> None:
    before = {b.key: b.volume for b in built().workpiece.bodies}

    @settings(max_examples=40, deadline=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
    @given(st.fixed_dictionaries({}, optional=WAYS[kind]))
    def check(params: dict[str, Any]) -> None:
        try:
            run = built((kind, params))
        except TectogonError as refused:
            assert refused.sentence
            return
        step = run.steps[-1]
        if step.status == "failed":
            assert step.message and step.code != "internal_error", (params, step.message)
            assert {b.key: b.volume for b in run.workpiece.bodies} == before, "the bodies are as they were"
            return
        assert run.workpiece.bodies
        for body in run.workpiece.bodies:
            assert proof.is_sound(body.shape) and body.volume > 0.0, params

    check()
