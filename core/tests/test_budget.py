"""Time budgets: they hold in every thread, and what they decide is never kept as a result."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tectogon import budget
from tectogon.budget import Deadline, time_decided, watching, within
from tectogon.errors import OutOfTime
from tectogon.operations import OPERATIONS
from tectogon.route import run_card
from tectogon.route.cache import DiskStore, MemoryStore
from tectogon.route.card import Card, Step
from tectogon.workpiece import model


def busy(seconds: float) -> str:
    """Work that only an exception between two steps of Python ends."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        pass
    return "done"


def in_a_thread(work: Callable[[], None]) -> None:
    """Run in another thread; what fails there fails here."""
    failed: list[BaseException] = []

    def caught() -> None:
        try:
            work()
        except BaseException as problem:
            failed.append(problem)

    thread = threading.Thread(target=caught)
    thread.start()
    thread.join()
    if failed:
        raise failed[0]


WHERE = pytest.mark.parametrize("run", [lambda work: work(), in_a_thread], ids=["main thread", "another thread"])


@WHERE
def test_work_ends_at_its_deadline(run: Callable[[Callable[[], None]], None]) -> None:
    def work() -> None:
        with watching() as clock:
            assert within(20.0, "no", lambda: busy(0.001)) == "done"
            assert not clock.mattered
            with pytest.raises(OutOfTime, match="Too long"):
                within(0.05, "Too long.", lambda: busy(20.0))
            assert clock.mattered

    began = time.monotonic()
    run(work)
    assert time.monotonic() - began < 15.0


@WHERE
def test_of_nested_budgets_the_earlier_counts(run: Callable[[Callable[[], None]], None]) -> None:
    def work() -> None:
        with pytest.raises(OutOfTime, match="outer"):
            within(0.05, "outer", lambda: within(20.0, "inner", lambda: busy(20.0)))
        with pytest.raises(OutOfTime, match="inner"):
            within(20.0, "outer", lambda: within(Deadline.after(0.05), "inner", lambda: busy(20.0)))
        with pytest.raises(OutOfTime, match="passed"):
            within(Deadline.after(-1.0), "passed", lambda: busy(20.0))

    run(work)


def test_who_swallows_it_is_told_again() -> None:
    def stubborn() -> str:
        try:
            return busy(20.0)
        except BaseException:
            return busy(20.0)

    with pytest.raises(OutOfTime):
        within(0.05, "x", stubborn)


def test_nothing_arrives_after_the_work_is_done() -> None:
    for _ in range(300):
        try:
            within(0.0003, "x", lambda: busy(0.0003))
        except OutOfTime:
            continue
    busy(0.05)


def test_all_around_hear_that_time_decided() -> None:
    with watching() as outer:
        with watching() as inner:
            assert budget.outermost() is outer
            time_decided()
        assert inner.mattered
        with watching() as later:
            pass
    assert outer.mattered and not later.mattered and budget.outermost() is None


CARD = Card(
    sources={"a.dxf": ""},
    steps=(
        Step(number=10, kind="read", params={"source": "a.dxf", "unit": "mm"}),
        Step(number=20, kind="extrude", params={"profiles": {"rule": "material"}, "length": 5}),
    ),
)


@pytest.mark.parametrize("store", ["memory", "disk"])
def test_a_time_out_is_not_kept_as_the_truth(
    store: str, drawing: Callable[..., Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = drawing(lambda space, _: space.add_lwpolyline([(0, 0), (20, 0), (20, 10), (0, 10)], close=True))
    kept = MemoryStore() if store == "memory" else DiskStore(tmp_path / "kept")
    with monkeypatch.context() as choked:
        choked.setattr(model, "_SECONDS", 0.0)
        choked.setattr(model, "_SECONDS_A_CURVE", 0.0)
        run = run_card(CARD, {"a.dxf": path}, store=kept)
        assert [s.code for s in run.steps] == ["", "out_of_time"] and not run.settled
        if isinstance(kept, DiskStore):
            kept.flush()
            assert not list(kept.folder.glob("*.drawing"))
    if isinstance(kept, DiskStore):
        kept.memory.clear()
    run = run_card(CARD, {"a.dxf": path}, store=kept)
    assert [s.status for s in run.steps] == ["ok", "ok"] and run.settled
    assert run.workpiece.bodies[0].volume == pytest.approx(1000.0)


def test_what_follows_a_step_that_ran_out_of_time_is_not_kept(
    drawing: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = drawing(lambda space, _: space.add_lwpolyline([(0, 0), (20, 0), (20, 10), (0, 10)], close=True))
    kept = MemoryStore()
    quick = OPERATIONS["extrude"]

    def slow(*args: object) -> object:
        return within(0.05, "This took too long.", lambda: busy(20.0))

    monkeypatch.setitem(OPERATIONS, "extrude", replace(quick, apply=slow))
    card = Card(sources=CARD.sources, steps=(*CARD.steps, CARD.steps[0].model_copy(update={"number": 30})))
    first = run_card(card, {"a.dxf": path}, store=kept)
    assert first.steps[1].message == "This took too long." and not first.settled
    assert first.keys.whole not in kept.kept
    monkeypatch.setitem(OPERATIONS, "extrude", quick)
    assert run_card(card, {"a.dxf": path}, store=kept).workpiece.bodies


def test_a_fault_of_our_own_is_the_failure_of_one_step(
    drawing: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = drawing(lambda space, _: space.add_lwpolyline([(0, 0), (20, 0), (20, 10), (0, 10)], close=True))
    extrude = CARD.steps[1]
    card = Card(
        sources=CARD.sources,
        steps=(*CARD.steps, Step(number=30, kind="cut", params={}), extrude.model_copy(update={"number": 40})),
    )

    def broken(*args: object) -> object:
        raise ZeroDivisionError

    monkeypatch.setitem(OPERATIONS, "cut", replace(OPERATIONS["cut"], apply=broken))
    run = run_card(card, {"a.dxf": path})
    assert [s.status for s in run.steps] == ["ok", "ok", "failed", "ok"]
    assert run.steps[2].code == "internal_error" and "Step 30" in run.steps[2].message
    assert run.workpiece.bodies
