"""Sheets of generated plates: whatever the part, everything is fixed once, no text stands on another, and the files
hold together."""

from __future__ import annotations

import io
import math

import ezdxf
import numpy as np
import pytest
from drawn_parts import texts_amiss, unfixed
from figures import Figure
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tectogon.drafting.as_dxf import dxf_of
from tectogon.drafting.dimensions import Length, stated_twice
from tectogon.drafting.needs import needs_of
from tectogon.drafting.sheet import Wishes, sheet_of
from tectogon.solids import measure
from tectogon.solids.body import Body, NamedShape
from tectogon.solids.combine import combine
from tectogon.solids.placing import placed
from tectogon.solids.prism import prism
from tectogon.views import frame_of


def whole(low: int, high: int) -> st.SearchStrategy[float]:
    """Lengths in half millimetres, as people choose them."""
    return st.integers(2 * low, 2 * high).map(lambda v: v / 2)


@st.composite
def plates(draw: st.DrawFn) -> Body:
    """A plate with holes and a slot on a grid that keeps them apart, a step, and a boss."""
    columns, rows = draw(st.integers(1, 4)), draw(st.integers(1, 3))
    wide, deep, thick = 30.0 * columns + draw(whole(0, 20)), 30.0 * rows + draw(whole(0, 20)), draw(whole(4, 40))
    figure = Figure().rectangle(0, 0, wide, deep)
    for n in range(columns * rows):
        x, y = 15 + 30 * (n % columns) + draw(whole(-3, 3)), 15 + 30 * (n // columns) + draw(whole(-3, 3))
        kind = draw(st.sampled_from(("none", "hole", "slot", "square")))
        r = draw(whole(1, 4))
        if kind == "hole":
            figure.circle(x, y, r)
        elif kind == "square":
            figure.rectangle(x - r, y - r, 2 * r, 2 * r)
        elif kind == "slot":
            figure.line(x - 4, y - r, x + 4, y - r).arc(x + 4, y, r, -90, 180)
            figure.line(x + 4, y + r, x - 4, y + r).arc(x - 4, y, r, 90, 180)
    regions = figure.regions()
    solid: NamedShape = prism(regions, regions.profiles[0], frame_of("top"), 0.0, thick, 10)
    if draw(st.booleans()):
        step = Figure().rectangle(wide - draw(whole(2, 6)), -1, 20, deep + 2).regions()
        tool = prism(step, step.profiles[0], frame_of("top"), thick - draw(whole(1, 3)), thick + 1, 11)
        solid = combine("cut", [solid], [tool])
    return Body.of("10:p", "plate", solid)


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(body=plates(), third=st.booleans(), turn=st.sampled_from((0, 1, 2)))
def test_whatever_the_plate_everything_is_fixed_once_and_stands_free(body: Body, third: bool, turn: int) -> None:
    order = np.roll(np.eye(3), turn, axis=0)
    body = placed(body, np.column_stack([order, [7.0, -3.0, 11.0]]))
    sheet = sheet_of([body], Wishes(projection="third" if third else "first"))
    needs = needs_of([body])
    assert not sheet.open and not sheet.spare and not unfixed(body, sheet)
    assert not stated_twice(needs, [p.dimension for p in sheet.placed])
    assert texts_amiss(sheet) == (0, 0)
    box = measure.bounds(body.shape)
    for axis in range(3):
        longest = max(
            p.dimension.value for p in sheet.placed if isinstance(p.dimension, Length) and p.dimension.axis == axis
        )
        assert longest == pytest.approx(box[axis + 3] - box[axis]), "the whole is stated"
    document = ezdxf.read(io.StringIO(dxf_of(sheet).decode()))
    assert not document.audit().errors
    stated = sorted(d.get_measurement() for d in document.modelspace().query("DIMENSION") if d.dimtype in (0, 3))
    rounds = sorted(p.dimension.value for p in sheet.placed if p.dimension.kind != "radius" and not p.running)
    assert stated == pytest.approx(rounds, abs=1e-6)


@pytest.mark.parametrize("count", [3, 5, 8, 12])
def test_holes_on_a_circle_are_fixed_by_their_coordinates(count: int) -> None:
    figure = Figure().circle(0, 0, 50)
    for n in range(count):
        figure.circle(35 * math.cos(math.tau * n / count), 35 * math.sin(math.tau * n / count), 3)
    regions = figure.regions()
    body = Body.of("10:p", "flange", prism(regions, regions.profiles[0], frame_of("top"), 0.0, 8.0, 10))
    sheet = sheet_of([body], Wishes())
    assert not unfixed(body, sheet) and texts_amiss(sheet) == (0, 0)
    assert {p.text for p in sheet.placed} >= {"⌀100", f"{count}× ⌀6", "8"}
