"""The stages' figures: each answers the question its stage asks, and says where to look."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from tectogon.errors import Place, Unfinished
from tectogon.route.run import StepReport
from tectogon.tolerances import EXPLAINED
from tectogon.units import short_unit, show_count, show_small
from tectogon.workpiece.model import FIRST_SHEET, Workpiece
from tectogon.workpiece.sentence import count_of

_NOT_LOOKED = "not looked at yet"
State = Literal["agreed", "attention", "wrong", "none"]


@dataclass(frozen=True)
class Gauge:
    """A stage's figure: its state, the figure, what it counts, and the first place it is about."""

    stage: str
    state: State
    figure: str
    words: str
    place: Place = field(default_factory=Place)
    sheet: str = FIRST_SHEET
    """The sheet that the place is on."""

    def as_json(self) -> dict[str, Any]:
        return {
            "stage": self.stage,
            "state": self.state,
            "figure": self.figure,
            "words": self.words,
            "where": self.place.as_json(),
            "sheet": self.sheet,
        }


def gauges_of(
    workpiece: Workpiece, steps: tuple[StepReport, ...], looked: Sequence[tuple[float, int]] | None = None
) -> list[Gauge]:
    """A figure for each stage. `looked`: how much of each view the part explains, and in how many places both differ,
    where that was looked at (it takes seconds)."""
    return [
        *(_of_worst_sheet(gauge, workpiece) for gauge in (_bring_in, _tidy, _close, _arrange)),
        *checked_gauges(workpiece, steps, looked),
    ]


def checked_gauges(
    workpiece: Workpiece, steps: tuple[StepReport, ...], looked: Sequence[tuple[float, int]] | None
) -> list[Gauge]:
    """The figures of the stages that the check of the views decides: Build, Check, Hand over. They agree where the part
    agrees with the drawing it came from, or there is nothing to hold it against."""
    check = check_gauge(workpiece, looked)
    return [_build(workpiece, steps, check), check, _hand_over(workpiece, steps, check)]


_URGENCY: tuple[State, ...] = ("none", "agreed", "attention", "wrong")


def _of_worst_sheet(gauge: Callable[[Workpiece], Gauge], workpiece: Workpiece) -> Gauge:
    """A gauge of the sheet that wants attention most; the first of them where several do alike."""
    found = [replace(gauge(one), sheet=one.sheet) for one in workpiece.on_each_sheet]
    return max(found, key=lambda g: _URGENCY.index(g.state))


def _bring_in(workpiece: Workpiece) -> Gauge:
    if not workpiece.sources:
        return Gauge("bring_in", "none", "", "no drawing yet")
    source = workpiece.sources[-1]
    sure = source.evidence.sure or source.chosen
    figure, _, unit = short_unit(source.unit).partition(" a unit")
    words = "chosen" if source.chosen else "sure" if sure else "not sure"
    of_what = "" if figure == source.unit and not unit else "a unit, "
    return Gauge("bring_in", "agreed" if sure else "attention", figure, of_what + words)


def _tidy(workpiece: Workpiece) -> Gauge:
    if not len(workpiece.drawing.linework):
        return Gauge("tidy", "none", "", "not yet")
    faults = workpiece.drawing.findings.faults
    if not faults:
        return Gauge("tidy", "agreed", "", "nothing found")
    return Gauge("tidy", "attention", show_count(len(faults)), "found", Place(point=faults[0].point))


def _close(workpiece: Workpiece) -> Gauge:
    if not len(workpiece.drawing.linework):
        return Gauge("close", "none", "", "not yet")
    if workpiece.drawing.too_much:
        return Gauge("close", "wrong", "", "too many crossings")
    closed = len(workpiece.drawing.regions.regions)
    if not closed:
        return Gauge("close", "wrong", "0", "regions closed")
    return Gauge(
        "close",
        "agreed",
        show_count(closed),
        "closed" if closed > 9999 else "region closed" if closed == 1 else "regions closed",
    )


def _arrange(workpiece: Workpiece) -> Gauge:
    if not workpiece.views:
        return Gauge("arrange", "none", "", "flat on the ground" if len(workpiece.drawing.linework) else "not yet")
    count = len(workpiece.views)
    if not workpiece.agreements:
        return Gauge(
            "arrange",
            "agreed" if count == 1 else "attention",
            str(count),
            "view folded" if count == 1 else "views, none shares an axis",
        )
    worst = max((a for a in workpiece.agreements if not a.holds), key=lambda a: a.off, default=None)
    if worst is None:
        return Gauge("arrange", "agreed", str(count), "views agree")
    box = next(v.box for v in workpiece.views if v.name == worst.pair[1])
    return Gauge(
        "arrange",
        "attention",
        f"{show_small(worst.off)} mm",
        f"{worst.pair[0]} and {worst.pair[1]} differ",
        Place(point=((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)),
    )


def _build(workpiece: Workpiece, steps: tuple[StepReport, ...], check: Gauge) -> Gauge:
    failed = _failed(steps)
    if failed:
        return Gauge(
            "build", "wrong", str(len(failed)), "step failed" if len(failed) == 1 else "steps failed", failed[0].place
        )
    if not workpiece.bodies:
        return Gauge("build", "none", "", "not yet")
    count = len(workpiece.bodies)
    sound = "sound" if all(body.checked_whole for body in workpiece.bodies) else "right in volume"
    state, words = _held(workpiece, check)
    return Gauge("build", state, str(count), f"{'body' if count == 1 else 'bodies'}, {words or sound}", check.place)


def _held(workpiece: Workpiece, check: Gauge) -> tuple[State, str]:
    """Whether a part is what its drawing shows, as far as that was looked at; in words where it is not, or nobody
    knows."""
    if check.state in ("attention", "wrong"):
        return "attention", "differs"
    if check.state == "none" and check.words == _NOT_LOOKED:
        return "none", "not compared"
    if any(note.code.startswith("part_") and not note.good for note in workpiece.notes):
        return "attention", "not certain"
    return "agreed", ""


def check_gauge(workpiece: Workpiece, looked: Sequence[tuple[float, int]] | None) -> Gauge:
    """How much of the lines of the worst view the part explains, rounded down; where something differs, in how many
    places: where all lines are explained, they are edges that the views do not draw. It agrees only where nothing
    differs."""
    if not workpiece.bodies or not any(one.views for one in workpiece.on_each_sheet):
        return Gauge("check", "none", "", "no views to check" if workpiece.bodies else "not yet")
    if looked is None:
        return Gauge("check", "none", "", _NOT_LOOKED)
    if not looked:
        return Gauge("check", "none", "", "no view shows a side")
    least = min(percent for percent, _ in looked)
    differences = sum(count for _, count in looked)
    figure = f"{math.floor(least * 10.0) / 10.0:.1f}".removesuffix(".0") + " %"
    if not differences:
        return Gauge("check", "agreed" if least >= EXPLAINED else "attention", figure, "explained")
    if figure == "100 %":
        edges = "edge not drawn" if differences == 1 else "edges not drawn"
        return Gauge("check", "attention", str(differences), edges)
    return Gauge("check", "attention", str(differences), "place differs" if differences == 1 else "places differ")


def _hand_over(workpiece: Workpiece, steps: tuple[StepReport, ...], check: Gauge) -> Gauge:
    if not workpiece.bodies:
        return Gauge("hand_over", "none", "", "not yet")
    if _failed(steps):
        first = _failed(steps)[0]
        return Gauge("hand_over", "attention", "", f"fix step {first.number} first", first.place)
    state, words = _held(workpiece, check)
    if check.state in ("attention", "wrong"):
        return Gauge("hand_over", state, "", "differs from drawing", check.place)
    return Gauge("hand_over", state, count_of(len(workpiece.bodies), "body", "bodies"), words or "ready", check.place)


def _failed(steps: tuple[StepReport, ...]) -> list[StepReport]:
    """Steps that failed; one that is being written and still wants a pick has not."""
    return [s for s in steps if s.status == "failed" and s.code != Unfinished.code]
