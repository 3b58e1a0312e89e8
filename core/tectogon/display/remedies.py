"""Which operation remedies a finding, and with which values: what the list of findings offers to write."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from tectogon.findings.finding import Finding

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
