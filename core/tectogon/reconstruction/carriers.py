"""Carriers: the surfaces that drawn curves sweep, one number for each in all views; and points of a view on the axes of
the part."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tectogon.curves.affine import FloatArray
from tectogon.reconstruction.depths import Seen
from tectogon.views.align import axes_shown


@dataclass(frozen=True)
class Carriers:
    """Surfaces that drawn curves sweep: one number for each, the same in all views; `smooth`: those that
    each passes into without an edge."""

    keys: list[tuple[tuple[Any, ...], tuple[float, ...]]] = field(default_factory=list)
    smooth: dict[int, set[int]] = field(default_factory=dict)

    def number(self, kind: tuple[Any, ...], values: tuple[float, ...], near: float) -> int:
        """The number of a surface: that of one already known of its kind with all values within `near`, or a new
        one."""
        for n, (other, known) in enumerate(self.keys):
            if other == kind and all(abs(a - b) <= near for a, b in zip(known, values, strict=True)):
                return n
        self.keys.append((kind, values))
        return len(self.keys) - 1

    def is_plane(self, n: int) -> bool:
        """Whether a surface is a plane square to an axis."""
        return self.keys[n][0][0] == "plane"

    def join(self, a: int, b: int) -> None:
        """Two surfaces that pass into each other without an edge."""
        self.smooth.setdefault(a, set()).add(b)
        self.smooth.setdefault(b, set()).add(a)


def placed(s: Seen, flat: FloatArray) -> FloatArray:
    """Points (n, 2) of a view's sheet on the two axes it shows, in the part's order."""
    return s.view.frame.place(flat)[:, sorted(axes_shown(s.view.frame))]


def flat_of(s: Seen, points: FloatArray) -> FloatArray:
    """The same the other way."""
    axes = sorted(axes_shown(s.view.frame))
    frame = s.view.frame
    basis = np.array([frame.x_dir, frame.y_dir], float)[:, axes]
    return (points - np.asarray(frame.origin)[axes]) @ np.linalg.inv(basis)
