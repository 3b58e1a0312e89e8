"""What was pressed stays what is meant: faces, bodies, curves and profiles through changes of what comes before; keys
that never go stale."""

from __future__ import annotations

import dataclasses
import json
import random
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from figures import Figure
from tectogon.linework import identity
from tectogon.operations import OPERATIONS
from tectogon.route import Card, Run, run_card
from tectogon.route.cache import MemoryStore
from tectogon.route.card import card_from
from tectogon.solids import measure
from tectogon.solids.body import Body
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import Operation
from tectogon.workpiece.profile_picks import pick_of

DEMO = Path(__file__).resolve().parents[2] / "demo"
Drawing = Callable[..., Path]
Running = Callable[..., Run]


def profile(run: Run, x: float, y: float) -> dict[str, Any]:
    """The smallest region whose box holds a point, as the pick that pressing it gives."""
    regions = run.workpiece.drawing.regions
    held = [r for r in regions.regions if r.bounds[0] < x < r.bounds[2] and r.bounds[1] < y < r.bounds[3]]
    return pick_of(regions, min(held, key=lambda r: r.area)).model_dump(mode="json")


def face(run: Run, point: tuple[float, float, float]) -> dict[str, Any]:
    """The flat face nearest to a point, as the pick that pressing it there gives."""
    best: tuple[float, Body, int] | None = None
    for body in run.workpiece.bodies:
        for n, each in enumerate(body.faces):
            away = measure.distance_to(each, point)
            if measure.plane_of(each) is not None and (best is None or away < best[0]):
                best = (away, body, n)
    assert best is not None
    _, body, n = best
    plane = measure.plane_of(body.faces[n])
    assert plane is not None
    beside = sorted(body.names[m].key for m in body.neighbours[n])
    return {"name": body.names[n].key, "body": body.key, "beside": beside, "normal": plane[1].tolist(), "point": point}


def laid(run: Run, number: int) -> Any:
    return next(p for p in run.workpiece.planes if p.operation == number)


def two_plates() -> Figure:
    """___ 60 ___      __ 40 __
    |    A    |    |   B   |   50 high, B at x = 100; an emblem (a small circle) far to the right
    """
    return Figure().rectangle(0, 0, 60, 50).rectangle(100, 0, 40, 50).circle(300, 0, 3)


def test_a_plane_laid_on_a_face_follows_it_and_so_does_its_key(drawing: Drawing, on_card: Running) -> None:
    path = drawing(two_plates().draw())
    read = on_card(path)
    block = {"profiles": {"picks": [profile(read, 30, 25)]}, "length": 10}
    emblem = [identity.origin(profile(read, 300, 0)["curves"][0])]
    top = face(on_card(path, ("extrude", block)), (30, 25, 10))
    short = on_card(path, ("extrude", block), ("lay", {"curves": emblem, "face": top}))
    tall = on_card(path, ("extrude", {**block, "length": 25}), ("lay", {"curves": emblem, "face": top}))
    assert (laid(short, 30).frame.origin[2], laid(tall, 30).frame.origin[2]) == pytest.approx((10, 25))
    assert short.keys.placements() != tall.keys.placements()
    assert short.keys.linework() == tall.keys.linework()


def test_of_two_coplanar_faces_the_pressed_one_is_meant(drawing: Drawing, on_card: Running) -> None:
    path = drawing(two_plates().draw())
    read = on_card(path)
    both = {"profiles": {"picks": [profile(read, 30, 25), profile(read, 120, 25)]}, "length": 10}
    emblem = profile(read, 300, 0)["curves"]
    made = on_card(path, ("extrude", both))
    for point, middle in (((31, 20, 10), 30), ((121, 20, 10), 120)):
        run = on_card(path, ("extrude", both), ("lay", {"curves": emblem, "face": face(made, point)}))
        assert laid(run, 30).frame.at(300, 0)[0] == pytest.approx(middle)


def test_a_face_that_a_slot_parted_is_told_by_its_neighbours(drawing: Drawing, on_card: Running) -> None:
    path = drawing(Figure().rectangle(0, 0, 100, 50).rectangle(40, -5, 10, 60).circle(300, 0, 3).draw())
    read = on_card(path)
    plate = (
        "extrude",
        {"profiles": {"picks": [profile(read, x, 25) for x in (20, 45, 80)]}, "length": 10, "result": "new"},
    )
    slot = ("cut", {"profiles": {"picks": [profile(read, 45, 25)]}, "depth": "depth", "length": 4, "start": 10})
    made = on_card(path, plate, slot)
    right = face(made, (80, 25, 10))
    assert right["name"] == face(made, (20, 25, 10))["name"]
    for length in (10, 18):
        higher = (plate[0], {**plate[1], "length": length})
        deeper = (slot[0], {**slot[1], "start": length})
        run = on_card(path, higher, deeper, ("lay", {"curves": profile(read, 300, 0)["curves"], "face": right}))
        x, _, z = laid(run, 40).frame.at(300, 0)
        assert (x, z) == pytest.approx((75, length))


def test_bodies_are_named_by_what_made_them_not_by_their_order(drawing: Drawing, on_card: Running) -> None:
    steps = []
    for wide in (60, 20):  # plate A, larger than B at first, then smaller: the order of areas turns round
        path = drawing(
            Figure().rectangle(0, 0, wide, 50).rectangle(100, 0, 40, 50).circle(10, 25, 4).circle(120, 25, 4).draw()
        )
        read = on_card(path)
        steps.append(
            (
                path,
                ("extrude", {"profiles": {"picks": [profile(read, x, 25) for x in (2, 10, 102, 120)]}, "length": 10}),
                profile(read, 10, 25),
            )
        )
    path, both, hole = steps[0]
    wanted = min(on_card(path, both).workpiece.bodies, key=lambda b: measure.bounds(b.shape)[0]).key
    for path, both, hole in steps:
        run = on_card(path, both, ("cut", {"profiles": {"picks": [hole]}, "body": wanted}))
        assert run.failed is None
        drilled = [b for b in run.workpiece.bodies if any(n.operation == 30 for n in b.names)]
        assert [b.key for b in drilled] == [wanted]
        assert measure.bounds(drilled[0].shape)[0] == pytest.approx(0)


def test_a_body_that_was_parted_is_said_to_be(drawing: Drawing, on_card: Running) -> None:
    path = drawing(Figure().rectangle(0, 0, 100, 50).rectangle(40, -5, 10, 60).circle(20, 25, 3).draw())
    read = on_card(path)
    plate = (
        "extrude",
        {
            "profiles": {
                "picks": [profile(read, 45, 25), profile(read, 80, 25), profile(read, 2, 25), profile(read, 20, 25)]
            },
            "result": "new",
        },
    )
    hole = {"profiles": {"picks": [profile(read, 20, 25)]}, "body": "20"}
    assert on_card(path, plate, ("cut", hole)).failed is None
    run = on_card(path, plate, ("cut", {"profiles": {"picks": [profile(read, 45, 25)]}}), ("cut", hole))
    assert "2 bodies" in (run.failed.message if run.failed else "") or "2 pieces" in (
        run.failed.message if run.failed else ""
    )
    keys = {b.key for b in run.workpiece.bodies}
    assert len(keys) == 2
    left = min(run.workpiece.bodies, key=lambda b: measure.bounds(b.shape)[0]).key
    again = on_card(
        path, plate, ("cut", {"profiles": {"picks": [profile(read, 45, 25)]}}), ("cut", {**hole, "body": left})
    )
    assert again.failed is None


def test_a_source_that_is_off_lends_its_ids_to_no_other(drawing: Drawing, tmp_path: Path) -> None:
    a = drawing(Figure().rectangle(0, 0, 10, 10).draw(), name="a.dxf")
    b = drawing(Figure().rectangle(50, 0, 20, 20).draw(), name="b.dxf")
    files = {"a.dxf": a, "b.dxf": b}
    steps: list[dict[str, Any]] = [
        {"number": 10, "kind": "read", "params": {"source": "a.dxf"}},
        {"number": 20, "kind": "read", "params": {"source": "b.dxf"}},
    ]
    whole = run_card(Card.model_validate({"steps": steps, "sources": {"a.dxf": "1", "b.dxf": "2"}}), files)
    ids = [key for key in whole.workpiece.drawing.linework.ids if identity.is_of_source(key, 10)]
    off = [{**steps[0], "on": False}, steps[1], {"number": 30, "kind": "leave_out", "params": {"curves": ids}}]
    run = run_card(Card.model_validate({"steps": off, "sources": {"a.dxf": "1", "b.dxf": "2"}}), files)
    assert run.failed is not None
    assert run.failed.code == "pick_gone"
    assert len(run.workpiece.drawing.regions.regions) == 1


def test_what_is_made_of_a_curve_is_named_by_it(drawing: Drawing, on_card: Running) -> None:
    """A pick of the second of two thickened lines is not the first one when the other is no longer thickened."""
    path = drawing(Figure().line(0, 0, 80, 0).line(0, 50, 30, 50).draw())
    first, second = sorted(on_card(path).workpiece.drawing.linework.ids)
    both = on_card(path, ("thicken", {"curves": [first, second], "thickness": 4}))
    picked = profile(both, 10, 50)
    one = on_card(
        path,
        ("thicken", {"curves": [second], "thickness": 4}),
        ("extrude", {"profiles": {"picks": [picked]}, "length": 1}),
    )
    assert one.workpiece.bodies[0].volume == pytest.approx(30 * 4)
    gone = on_card(
        path,
        ("thicken", {"curves": [first], "thickness": 4}),
        ("extrude", {"profiles": {"picks": [picked]}, "length": 1}),
    )
    assert gone.failed is not None
    assert {identity.origin(key) for key in picked["curves"]} == {second}
    assert {identity.origin(n.curve) for n in one.workpiece.bodies[0].names if n.curve} == {second}


def test_pieces_between_meetings_keep_their_names_when_another_line_crosses() -> None:
    before = Figure().circle(0, 0, 10).line(-20, 3, 20, 3)
    after = Figure().circle(0, 0, 10).line(-20, 3, 20, 3).line(-20, -7, 20, -7)
    upper = min(before.regions().regions, key=lambda r: r.area)
    assert upper.id in after.regions().by_id
    lower = max(before.regions().regions, key=lambda r: r.area)
    assert lower.id not in after.regions().by_id


@pytest.mark.parametrize(
    ("key", "parents"),
    [
        ("s10:2F", ()),
        ("s10:7A/2F|2", ("s10:7A/2F",)),
        ("m40:[s10:2F|2]1|3", ("m40:[s10:2F|2]1", "s10:2F|2", "s10:2F")),
        ("m40:[m30:[s10:2F]2]11~ab", ("m30:[s10:2F]2", "s10:2F")),
        ("m50:3|1", ("m50:3",)),
    ],
)
def test_an_id_tells_where_a_curve_comes_from(key: str, parents: tuple[str, ...]) -> None:
    assert identity.lineage(key)[1:] == parents


def test_handles_may_hold_any_character() -> None:
    handles = ("a|1", "b~2", "[c]", "plain", "näme:3")
    ids = identity.of_source(20, handles)
    assert len(set(ids)) == len(ids)
    assert all(identity.lineage(key) == (key,) and identity.step_of(key) == 20 for key in ids)


# random edits --------------------------------


def picks_of(plates: Iterable[list[dict[str, Any]]]) -> list[dict[str, Any]]:
    return [pick for plate in plates for pick in plate]


class Job:
    """A made-up card over plates in a row, each with a hole of a radius that only it has, and what every pick of it
    means, by that hole.

    20 scales; 30 moves; 50 and 60 extrude; 70 lays an emblem on one plate's top; 80 drills one plate's body alone; 100
    thickens two loose lines, of which 110 raises one.
    """

    def __init__(self, seed: int, drawing: Drawing) -> None:
        self.chooser = c = random.Random(seed)
        self.store = MemoryStore()
        self.count = c.randrange(3, 6)
        self.boxes = [(80.0 * n, 0.0, c.uniform(30, 60), c.uniform(30, 60)) for n in range(self.count)]
        self.radii = [2.0 + 0.5 * n for n in range(self.count)]
        figure = Figure()
        for (x, y, w, h), r in zip(self.boxes, self.radii, strict=True):
            figure.rectangle(x, y, w, h).circle(x + w / 2, y + h / 2, r).circle(x + 8, y + 8, r / 4)
        figure.circle(900, 0, 1.25).line(0, 200, 50, 200).line(0, 230, 70, 230)
        self.path = drawing(figure.shuffled(seed).draw(), name=f"job{seed}.dxf")
        self.steps: list[dict[str, Any]] = [{"number": 10, "kind": "read", "params": {"source": self.path.name}}]
        read = self.run()
        small = [profile(read, x + 8, y + 8) for x, y, w, h in self.boxes]
        plates = [profile(read, x + 1, y + 1) for x, y, w, h in self.boxes]
        self.add(20, "scale", factor=1.0, about="origin")
        self.add(30, "move", about="origin", x=0, y=0)
        self.plates = [[plate, hole] for plate, hole in zip(plates, small, strict=True)]
        self.add(50, "extrude", profiles={"picks": picks_of(self.plates[:2])}, length=c.choice((5, 8)))
        self.add(60, "extrude", profiles={"picks": picks_of(self.plates[2:])}, length=c.choice((7, 12)))
        made = self.run()
        self.on_top = c.randrange(self.count)
        x, y, w, h = self.boxes[self.on_top]
        top = max(
            measure.bounds(b.shape)[5]
            for b in made.workpiece.bodies
            if measure.bounds(b.shape)[0] == pytest.approx(x, abs=1)
        )
        self.add(70, "lay", curves=profile(read, 900, 0)["curves"], face=face(made, (x + 3, y + 3, top)))
        self.drilled = c.randrange(self.count)
        bx = self.boxes[self.drilled][0]
        body = next(b for b in made.workpiece.bodies if measure.bounds(b.shape)[0] == pytest.approx(bx, abs=1))
        self.add(80, "cut", profiles={"picks": small}, body=body.key)
        loose = [
            key
            for key in read.workpiece.drawing.linework.ids
            if read.workpiece.drawing.linework.table.kind[read.workpiece.drawing.linework.row_of[key]] == 0
        ]
        lengths = read.workpiece.drawing.linework.table.lengths
        self.loose = {
            round(float(lengths[read.workpiece.drawing.linework.row_of[key]])): key
            for key in loose
            if round(float(lengths[read.workpiece.drawing.linework.row_of[key]]), 3) in (50, 70)
        }
        ends = read.workpiece.drawing.linework.table.ends
        self.loose = {
            n: key for n, key in self.loose.items() if ends[read.workpiece.drawing.linework.row_of[key]][0][1] >= 199
        }
        self.add(100, "thicken", curves=[self.loose[50], self.loose[70]], thickness=3)
        self.add(110, "extrude", profiles={"picks": [profile(self.run(), 60, 230)]}, length=4)

    def add(self, number: int, kind: str, **params: Any) -> None:
        self.steps.append({"number": number, "kind": kind, "params": params})

    def run(self) -> Run:
        return run_card(
            Card.model_validate({"steps": self.steps, "sources": {self.path.name: "x"}}),
            {self.path.name: self.path},
            store=self.store,
        )

    def step(self, number: int) -> dict[str, Any]:
        return next(s for s in self.steps if s["number"] == number)

    def edit(self) -> None:
        """One change of an earlier value, as people make them."""
        c = self.chooser
        change = c.choice(("scale", "move", "length", "length", "sides", "off", "off", "fewer", "thickness", "lines"))
        if change == "scale":
            self.step(20)["params"]["factor"] = c.choice((0.5, 0.8, 1.0, 1.3, 2.0))
        elif change == "move":
            self.step(30)["params"].update(x=c.uniform(-200, 200), y=c.uniform(-50, 50))
        elif change == "length":
            self.step(c.choice((50, 60)))["params"]["length"] = c.uniform(3, 30)
        elif change == "sides":
            self.step(c.choice((50, 60)))["params"]["extent"] = c.choice(("one_side", "half_each_side"))
        elif change == "off":
            one = self.step(c.choice((20, 30, 50, 60, 70, 80, 100)))
            one["on"] = not one.get("on", True)
        elif change == "fewer":
            number = c.choice((50, 60))
            all_of = self.plates[:2] if number == 50 else self.plates[2:]
            self.step(number)["params"]["profiles"] = {
                "picks": picks_of(c.sample(all_of, c.randrange(1, len(all_of) + 1)))
            }
        elif change == "thickness":
            self.step(100)["params"]["thickness"] = c.uniform(1, 6)
        else:
            self.step(100)["params"]["curves"] = c.choice(
                ([self.loose[50], self.loose[70]], [self.loose[70]], [self.loose[50]], [self.loose[70], self.loose[50]])
            )

    def wrong(self, run: Run) -> list[str]:
        """What a step did to another thing than the one that was pressed."""
        out = []
        ok = {s.number for s in run.steps if s.status == "ok"}
        scale = self.step(20)["params"]["factor"] if self.step(20).get("on", True) else 1.0
        shift = np.array([self.step(30)["params"][a] for a in "xy"]) if self.step(30).get("on", True) else np.zeros(2)

        def body_at(n: int) -> Body | None:
            x, y, w, h = self.boxes[n]
            middle = scale * np.array([x + w / 2, y + h / 2]) + shift
            held = [
                b
                for b in run.workpiece.bodies
                if np.hypot(*(np.array(measure.bounds(b.shape)).reshape(2, 3).mean(axis=0)[:2] - middle)) < 1e-3
            ]
            return held[0] if held else None

        if 70 in ok:
            view, body = laid(run, 70), body_at(self.on_top)
            x, y, w, h = self.boxes[self.on_top]
            spot = view.frame.place(np.array(scale * np.array([900.0, 0.0]) + shift))
            middle = scale * np.array([x + w / 2, y + h / 2]) + shift
            if (
                body is None
                or np.hypot(*(spot[:2] - middle)) > 1e-3
                or abs(spot[2] - measure.bounds(body.shape)[5]) > 1e-6
            ):
                out.append("the emblem lies on another face")
        if 80 in ok:
            drilled = [b for b in run.workpiece.bodies if any(n.operation == 80 for n in b.names)]
            if [b.key for b in drilled] != [b.key for b in (body_at(self.drilled),) if b]:
                out.append("another plate was drilled")
        if 110 in ok:
            made = [b for b in run.workpiece.bodies if any(n.operation == 110 for n in b.names)]
            length = max(np.ptp(np.array(measure.bounds(b.shape)).reshape(2, 3), axis=0)[0] for b in made)
            if abs(length - 70 * scale) > 1e-6:
                out.append("another line was raised")
        return out


def test_every_pick_means_its_thing_through_random_edits_or_says_that_it_is_gone(drawing: Drawing) -> None:
    """Made-up cards, ten changes of earlier values each; `make bench` runs 300 of them."""
    assert_picks_hold(range(24), drawing)


def assert_picks_hold(seeds: Iterable[int], drawing: Drawing) -> None:
    """None of the picks of these cards means another thing after any of their changes, and most are still met."""
    asked = met = 0
    for seed in seeds:
        job = Job(seed, drawing)
        assert not job.wrong(job.run()), seed
        for n in range(10):
            job.edit()
            run = job.run()
            assert not job.wrong(run), (seed, n)
            met += sum(s.status == "ok" for s in run.steps if s.number in (70, 80, 110))
            asked += 3
    assert met > 0.4 * asked, (met, asked)  # saying "gone" to everything would pass for safe


def test_kinds_declare_what_they_read(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every kind that the demo's cards use looks at no facet that it does not say it reads or writes: keys are made
    from that."""
    facet_of = {"drawing": "linework", "views": "placements", "bodies": "bodies", "material": "bodies"}
    seen: dict[str, set[str]] = {}
    at_work: list[str] = []

    class Watched(Workpiece):
        def __getattribute__(self, name: str) -> Any:
            if (
                name in facet_of and at_work and sys._getframe(1).f_globals["__name__"] != "dataclasses"
            ):  # copying is no looking
                seen.setdefault(at_work[-1], set()).add(facet_of[name])
            return super().__getattribute__(name)

    def watching(kind: Operation) -> Operation:
        def apply(before: Workpiece, params: Any, context: Any) -> Workpiece:
            at_work.append(kind.name)
            try:
                kind.apply(
                    Watched(**{f.name: getattr(before, f.name) for f in dataclasses.fields(before)}), params, context
                )
            finally:
                at_work.pop()
            return kind.apply(before, params, context)

        return dataclasses.replace(kind, apply=apply)

    for name, kind in OPERATIONS.items():
        monkeypatch.setitem(OPERATIONS, name, watching(kind))
    for card in sorted(DEMO.glob("cards/*.json")):
        data = json.loads(card.read_text())
        run_card(card_from(data), {name: DEMO / "files" / name for name in data["sources"]})
    assert len(seen) >= 9
    assert {
        name: facets - OPERATIONS[name].reads - OPERATIONS[name].writes
        for name, facets in seen.items()
        if facets - OPERATIONS[name].reads - OPERATIONS[name].writes
    } == {}
