"""Which operation remedies a finding or changes a view, and with which values: what lists offer to write."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from tectogon.findings.finding import Finding
from tectogon.views import VIEW_NAMES, View

Values = dict[str, Any]
Remedy = Callable[[Finding, Sequence[str], Sequence[str]], tuple[str, Values]]
"""From a finding, its curves' ids and the ids of all curves to an operation's name and values."""


def _mended(finding: Finding, curves: Sequence[str], ids: Sequence[str]) -> tuple[str, Values]:
    return "mend", {"what": "picked", "picked": [finding.key(ids)]}


def _of_curves(operation: str, **values: Any) -> Remedy:
    return lambda finding, curves, ids: (operation, {"curves": list(curves), **values})


def _parted(finding: Finding, curves: Sequence[str], ids: Sequence[str]) -> tuple[str, Values]:
    return "separate", {"points": [{"at": list(finding.point), "curve": None, "kind": "free"}]}


def _closed(finding: Finding, curves: Sequence[str], ids: Sequence[str]) -> tuple[str, Values]:
    ends = [{"at": list(finding.point), "curve": curves[0], "kind": kind} for kind in ("start", "end")]
    return "bridge", {"by": "smooth", "points": ends}


_REMEDIES: dict[str, Remedy] = {
    **dict.fromkeys(("gap", "undershoot", "overshoot", "double", "short"), _mended),
    **dict.fromkeys(("crossing", "touching", "self_crossing"), _of_curves("split")),
    "pinch": _parted,
    "run": _of_curves("smooth"),
    "stray": _of_curves("leave_out"),
    "nearly_straight": _of_curves("regularise", how="level"),
    "nearly_round": _of_curves("regularise", how="circle"),
    "nearly_equal": _of_curves("regularise", how="radius"),
    "closed_flag": _closed,
}


def remedy_of(finding: Finding, curves: Sequence[str], ids: Sequence[str]) -> dict[str, Any] | None:
    """The step that remedies a finding, as the interface writes it; None where only looking helps."""
    remedy = _REMEDIES.get(finding.kind)
    if remedy is None:
        return None
    operation, values = remedy(finding, curves, ids)
    return {"operation": operation, "values": values}


MEND_CERTAIN = {"operation": "mend", "values": {"what": "certain"}, "distance": "distance"}
"""What mends all that is certain; `distance` names the value that takes the joining distance."""


def offers_of(view: View) -> list[dict[str, Any]]:
    """What can be done with a view, in words, as steps that the interface writes; `on_curves`: its curves go into the
    step."""

    def offer(text: str, operation: str, *, on_curves: bool = False, **values: Any) -> dict[str, Any]:
        return {"words": text, "operation": operation, "values": values, "on_curves": on_curves}

    name = view.name
    names = [offer(f"It is the {to} view", "name_view", view=name, to=to) for to in VIEW_NAMES if to != name]
    return [
        *names,
        offer("It is no view: lay it flat", "name_view", view=name, to="none"),
        offer("Turn it by 90°", "turn_view", view=name, angle=90),
        offer("Line it up by a distance", "line_up", view=name, how="distance"),
        offer("Move it on the sheet", "move", on_curves=True, about="lower_left", x=view.box[0], y=view.box[1]),
    ]
