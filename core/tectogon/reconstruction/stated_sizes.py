"""The sizes that a drawing states, each tied to what it measures on the part, and held against it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tectogon.curves import Arc, Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.findings.dimensions import written_sizes
from tectogon.linework.evidence import stated_in_mm
from tectogon.linework.model import StatedSize
from tectogon.solids.body import Body
from tectogon.solids.project import edges_seen
from tectogon.tolerances import LEAST_SIZE
from tectogon.views import View
from tectogon.workpiece.model import Workpiece

_REACH = 0.06
"""What a size measures lies no further from where it is drawn than this share of the view."""
_ROUND_MARKS = ("⌀", "ø", "Ø", "%%c", "%%C", "R", "r")


@dataclass(frozen=True)
class SizeOnPart:
    """A size of the drawing on the part: what is written, what it states (mm), what the part has there (mm; None where
    nothing is found that it could measure), and where it stands on the sheet."""

    text: str
    stated: float
    part: float | None
    within: float
    at: tuple[float, float]

    @property
    def agrees(self) -> bool | None:
        """Whether the part has the stated size, as far as the digits tell; None where it can't be said."""
        return None if self.part is None else abs(self.part - self.stated) <= self.within

    def as_json(self) -> dict[str, Any]:
        """As plain data."""
        return {
            "text": self.text,
            "stated_mm": self.stated,
            "part_mm": self.part,
            "agrees": self.agrees,
            "at": list(self.at),
        }


def sizes_on_part(workpiece: Workpiece, bodies: Sequence[Body]) -> list[SizeOnPart]:
    """Every stated size that stands at a view, held against bodies (mm): true dimensions of the file, and those that
    were taken apart into lines and text."""
    known: dict[str, _Places] = {}
    out = []
    linework = workpiece.drawing.linework
    for size, stated, within in stated_in_mm(linework, written_sizes(linework)):
        if not size.points:
            continue
        points = np.array(size.points, float)
        view = _view_at(workpiece, points)
        if view is None:
            continue
        if view.name not in known:
            known[view.name] = _places_of(view, bodies)
        part = known[view.name].measured(size, points, stated)
        if (size.stated or 0.5) % 1.0 == 0.0:  # a whole number is meant, not rounded to
            within /= 10.0
        x, y = points.mean(axis=0).tolist()
        text = size.text.replace("<>", f"{stated:.6g}")  # a file that writes no text means the measured size
        out.append(SizeOnPart(text, stated, part, within, (x, y)))
    return out


def _view_at(workpiece: Workpiece, points: FloatArray) -> View | None:
    """The view that the points of a size stand at."""
    best, least = None, np.inf
    for view in workpiece.views:
        x0, y0, x1, y1 = view.box
        off = np.maximum(np.maximum([x0, y0] - points, points - [x1, y1]), 0.0)
        away = float(np.sort(np.hypot(*off.T))[: min(2, len(off))].sum())
        if away < least:
            best, least = view, away
    if best is None:
        return None
    x0, y0, x1, y1 = best.box
    return best if least <= _REACH * max(x1 - x0, y1 - y0) else None


@dataclass(frozen=True, eq=False)
class _Places:
    """What a view shows of a part, on its sheet: the coordinates along its two directions, points, and circles
    (k, 3: centre and radius)."""

    along: tuple[FloatArray, FloatArray]
    circles: FloatArray
    reach: float

    def measured(self, size: StatedSize, points: FloatArray, stated: float) -> float | None:
        """What the part has where a size is drawn (mm)."""
        if size.text.lstrip("(0123456789×xX ").startswith(_ROUND_MARKS):
            found = [self._round(size, points, stated)]
            if _is_diameter(size):
                found.append(self._circle_between(size, points, stated))
            return min((v for v in found if v is not None), key=lambda v: abs(v - stated), default=None)
        return self._length(size, points)

    def _length(self, size: StatedSize, points: FloatArray) -> float | None:
        """The distance of the two edges that the points lie nearest to."""
        if len(points) < 2:
            return None
        pair = _ends(points, size.drawn_mm or 0.0)
        if pair is None:
            return None
        a, b, column = pair
        ends = [_nearest(self.along[column], float(p[column]), self.reach) for p in (a, b)]
        return None if ends[0] is None or ends[1] is None else abs(ends[1] - ends[0])

    def _circle_between(self, size: StatedSize, points: FloatArray, stated: float) -> float | None:
        """The diameter of the circle whose two sides a dimension line runs between; of what is turned and seen
        lengthwise, the distance of its two outlines."""
        pair = _ends(points, size.drawn_mm or 0.0) if len(points) >= 2 else None
        if pair is None:
            return None
        a, b, column = pair
        low, high = sorted((float(a[column]), float(b[column])))
        if len(self.circles):
            middles, radii = self.circles[:, column], self.circles[:, 2]
            off = np.abs(middles - radii - low) + np.abs(middles + radii - high)
            n = int(np.lexsort([np.abs(2.0 * radii - stated), np.round(off / max(self.reach, 1e-9), 1)])[0])
            if off[n] <= self.reach:
                return 2.0 * float(radii[n])
        return self._length(size, points)

    def _round(self, size: StatedSize, points: FloatArray, stated: float) -> float | None:
        """The diameter or radius of the circle whose centre or rim the points lie nearest to."""
        if not len(self.circles):
            return None
        away = np.hypot(*np.moveaxis(points[:, None, :] - self.circles[None, :, :2], -1, 0))
        off = np.minimum(away, np.abs(away - self.circles[:, 2])).sum(axis=0)
        doubled = 1.0 if size.text.lstrip("(0123456789×xX ").lower().startswith("r") else 2.0
        order = np.lexsort([np.abs(doubled * self.circles[:, 2] - stated), np.round(off / max(self.reach, 1e-9), 1)])
        n = int(order[0])
        return doubled * float(self.circles[n, 2]) if off[n] <= self.reach * len(points) else None


def _is_diameter(size: StatedSize) -> bool:
    return not size.text.lstrip("(0123456789×xX ").lower().startswith("r")


def _ends(points: FloatArray, drawn: float) -> tuple[FloatArray, FloatArray, int] | None:
    """The two points that a length is taken between, and the direction of the sheet that it runs along: those whose
    distance is what is drawn."""
    best: tuple[float, FloatArray, FloatArray, int] | None = None
    for i in range(len(points)):
        for j in range(i + 1, len(points)):
            for column in (0, 1):
                off = abs(abs(float(points[i, column] - points[j, column])) - drawn)
                if best is None or off < best[0] - 1e-9:
                    best = (off, points[i], points[j], column)
    if best is None or best[0] > 1e-3 * max(drawn, LEAST_SIZE):
        return None
    return best[1], best[2], best[3]


def _nearest(values: FloatArray, wanted: float, reach: float) -> float | None:
    if not len(values):
        return None
    n = int(np.abs(values - wanted).argmin())
    return float(values[n]) if abs(float(values[n]) - wanted) <= reach else None


def _places_of(view: View, bodies: Sequence[Body]) -> _Places:
    seen = edges_seen([b.shape for b in bodies], view.frame)
    curves: list[Curve] = [*seen.visible, *seen.smooth, *seen.hidden]
    table = CurveTable.of(curves)
    boxes = table.bounds
    lines = np.array([[c.x0, c.y0, c.x1, c.y1] for c in curves if isinstance(c, Line)]).reshape(-1, 2)
    circles = np.array([[c.cx, c.cy, c.radius] for c in curves if isinstance(c, Arc)]).reshape(-1, 3)
    along = [np.unique(np.concatenate([lines[:, k], boxes[:, k], boxes[:, k + 2], circles[:, k]])) for k in (0, 1)]
    return _Places((along[0], along[1]), circles, _REACH * max(table.size, LEAST_SIZE))
