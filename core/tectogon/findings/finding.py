"""What a finding is: a fault of the linework, with its place, its size, the curves it is about, how sure it is, and a
remedy.

Glossary
    gap: two ends that should be one.
    undershoot: an end that stops short of another curve.  overshoot: an end that runs past one.
    double: a curve on top of another, whole or in part.
    certain: a finding whose remedy can do no harm; the others are for people to decide.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

FINDING_KINDS: dict[str, tuple[str, str]] = {
    "gap": ("Gap between two ends", "Pull together"),
    "undershoot": ("End that stops short of a curve", "Extend"),
    "overshoot": ("End that runs past a crossing", "Trim"),
    "double": ("Line on top of a line", "Drop one"),
    "short": ("Piece shorter than the resolution", "Drop"),
    "open_end": ("Open end with nothing near", "Look"),
    "pinch": ("Boundary that touches itself in a point", "Separate"),
    "self_crossing": ("Boundary that crosses itself", "Split"),
    "off_plane": ("Curve out of the sheet's plane", "Look"),
    "closed_flag": ("Spline marked closed that is open", "Close"),
    "open_flag": ("Closed spline not marked as closed", "Look"),
    "sliver": ("Hair-thin region", "Look"),
    "stray": ("Piece far from everything", "Leave out"),
    "run": ("Short pieces that are one curve", "Merge"),
    "crossing": ("Crossing that is not joined", "Split"),
    "touching": ("End on a curve that is not joined", "Split"),
    "nearly_round": ("Arc that is nearly a circle", "Close"),
    "nearly_straight": ("Line that is nearly level or upright", "Straighten"),
    "nearly_equal": ("Radii that are nearly equal", "Make equal"),
}
"""Every kind: what it is, and the word for its remedy."""

OFFERED = {
    "crossing",
    "touching",
    "run",
    "nearly_round",
    "nearly_straight",
    "nearly_equal",
    "sliver",
    "stray",
    "off_plane",
    "closed_flag",
    "open_flag",
}
"""Kinds that are no faults by themselves: shown when asked for, never counted against a drawing."""


@dataclass(frozen=True)
class Finding:
    """One fault. size: distance or length in mm; point on the sheet (mm); rows of the linework; sure: whether its
    remedy can do no harm.

    ends: the curve ends it is about, as 2 × row + side.  at: parameters on the rows, as the kind has it.
    """

    kind: str
    size: float
    point: tuple[float, float]
    rows: tuple[int, ...]
    sure: bool
    words: str
    ends: tuple[int, ...] = ()
    at: tuple[float, ...] = field(default=())

    def key(self, ids: Sequence[str]) -> str:
        """A name that stays as long as its curves do."""
        return f"{self.kind}:{'+'.join(ids[r] for r in sorted(self.rows))}:{','.join(str(e & 1) for e in self.ends)}"

    def on(self, place: Mapping[int, int]) -> Finding:
        """The same on other rows, by where each is now."""
        return replace(
            self, rows=tuple(place[r] for r in self.rows), ends=tuple(2 * place[e >> 1] + (e & 1) for e in self.ends)
        )

    @property
    def is_fault(self) -> bool:
        """Whether it keeps a profile from closing; others are offered for a look."""
        return self.kind not in OFFERED


def counted(findings: Sequence[Finding]) -> dict[str, int]:
    """How many faults of each kind."""
    out: dict[str, int] = {}
    for finding in findings:
        if finding.is_fault:
            out[finding.kind] = out.get(finding.kind, 0) + 1
    return dict(sorted(out.items()))
