"""Dimensions set round the views: lengths along the sheet in rows above a view, those upwards in columns on its left,
diameters and radii on lines that lead to the right. The nearest row has the shortest length, and what has no room
between its arrows stands outside on the datum's side: so nothing crosses (ISO 129-1)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from tectogon.drafting.dimensions import Dimension, Length, Roundness
from tectogon.drafting.drawn_views import DrawnView
from tectogon.drafting.ink import Arrow, Ink, width_of

_FIRST, _STEP = 9.0, 7.0
"""How far the first row stands off a view, and each further one from the one before (mm of paper)."""
_GAP, _OVER = 1.0, 1.5
"""How far extension lines begin from what they measure, and run past the dimension line."""
_ABOVE = 0.8
_ARROW = 2.5
_MOST_ROWS = 9
"""With more rows lengths run from the datum as numbers at the ends of their extension lines."""
_SPREAD = 5.2
"""How far apart texts stand that one reads one below the other."""
_LEAD, _SHOULDER = 9.0, 3.0
_MARK, _TITLE = 9.0, 3.2
"""The room for the ends of a section's line (mm of paper), and for a title as a multiple of the height of texts."""


@dataclass(frozen=True)
class Placed:
    """A dimension on the paper: its text, its ink, whether it is a running one, and the points that a file keeps of it
    (mm of paper): of a length where it begins, where it ends and a point of its line; of a circle its centre and where
    the arrow meets it; and the middle of its text."""

    dimension: Dimension
    text: str
    ink: Ink
    points: tuple[tuple[float, float], ...]
    middle: tuple[float, float]
    running: bool = False


@dataclass
class Margins:
    """How much room the dimensions of a view take on its four sides (mm of paper)."""

    left: float = 3.0
    right: float = 3.0
    above: float = 3.0
    below: float = 3.0


@dataclass
class ViewOnPaper:
    """A view, its dimensions, and where its lower left corner stands on the paper once that is known. `marked`: whether
    the line of a section is drawn over it."""

    view: DrawnView
    dimensions: list[Dimension]
    scale: float
    height: float
    marked: bool = False
    at: tuple[float, float] = (0.0, 0.0)
    margins: Margins = field(default_factory=Margins)

    def __post_init__(self) -> None:
        across, up, rounds = self._sorted()
        least = _MARK if self.marked else 3.0
        title = _TITLE * self.height if self.view.title else 0.0
        self.margins = Margins(
            left=max(least, self._room(up), self._outside(across, low=True)),
            above=max(least, self._room(across), self._outside(up, low=False)) + title,
            right=max(least, 3.0 + self._lead(rounds), self._outside(across, low=False)),
            below=max(least, self._outside(up, low=True), 3.0 + (_SPREAD * len(rounds) - self.size[1]) / 2.0),
        )

    @property
    def size(self) -> tuple[float, float]:
        """How wide and high the view is on the paper, without its dimensions."""
        x0, y0, x1, y1 = self.view.box
        return (x1 - x0) * self.scale, (y1 - y0) * self.scale

    def on_paper(self, point: Sequence[float]) -> tuple[float, float]:
        """A point of the view on the paper."""
        x0, y0, _, _ = self.view.box
        return self.at[0] + (point[0] - x0) * self.scale, self.at[1] + (point[1] - y0) * self.scale

    def placed(self) -> list[Placed]:
        """All dimensions of the view on the paper."""
        across, up, rounds = self._sorted()
        return [*self._rows(across, 0), *self._rows(up, 1), *self._leaders(rounds)]

    def _sorted(self) -> tuple[list[Length], list[Length], list[Roundness]]:
        lengths = [d for d in self.dimensions if isinstance(d, Length)]
        across = [d for d in lengths if self._way(d)[0] == 0]
        up = [d for d in lengths if self._way(d)[0] == 1]
        rounds = [d for d in self.dimensions if isinstance(d, Roundness)]
        return across, up, rounds

    def _way(self, d: Length) -> tuple[int, float]:
        return self.view.along(d.axis) or (0, 1.0)

    def _in_rows(self, some: list[Length]) -> tuple[list[Length], list[Length]]:
        """Those that stand in rows of their own, nearest first, and those that run from the datum in one."""
        from_datum = sorted((d for d in some if not d.between), key=lambda d: d.value)
        others = sorted((d for d in some if d.between), key=lambda d: d.value)
        return (others, from_datum) if len(from_datum) > _MOST_ROWS else ([*from_datum, *others], [])

    def _room(self, some: list[Length]) -> float:
        if not some:
            return 3.0
        rows, running = self._in_rows(some)
        widest = max((width_of(_text(d), self.height) for d in running), default=0.0)
        return _FIRST + (widest + 6.0 if running else 0.0) + _STEP * len(rows) + 2.0

    def _lead(self, rounds: list[Roundness]) -> float:
        return _LEAD + _SHOULDER + max((width_of(_round_text(d), self.height) for d in rounds), default=-_LEAD - 3.0)

    def _outside(self, some: list[Length], *, low: bool) -> float:
        """How far lengths that have no room between their arrows reach past the view on one of its sides: on that of
        their datum."""
        short = (d for d in some if self._is_short(d) and self._from_low(d) == low)
        return max((width_of(_text(d), self.height) + 3.0 + 2.0 * _ARROW for d in short), default=3.0)

    def _from_low(self, d: Length) -> bool:
        """Whether the datum's end of a length is that on the left, or below."""
        k, _ = self._way(d)
        return d.low_at[k] <= d.high_at[k]

    def _is_short(self, d: Length) -> bool:
        return d.value * self.scale < width_of(_text(d), self.height) + 2.0 * _ARROW + 1.0

    def _rows(self, some: list[Length], k: int) -> list[Placed]:
        rows, running = self._in_rows(some)
        out = self._running(running, k) if running else []
        base = self._edge(k)
        away = _FIRST + (max(width_of(_text(d), self.height) for d in running) + 6.0 if running else 0.0)
        for n, d in enumerate(rows):
            out.append(self._row(d, k, base + (away + _STEP * n + d.moved[1]) * (1.0 if k == 0 else -1.0)))
        return out

    def _edge(self, k: int) -> float:
        """Where on the paper the view ends on the side of its rows."""
        return self.at[1] + self.size[1] if k == 0 else self.at[0]

    def _row(self, d: Length, k: int, level: float) -> Placed:
        """A length between arrows. Along the sheet it is laid out as it stands; upwards the same, turned."""
        ends = sorted((self.on_paper(d.low_at), self.on_paper(d.high_at)), key=lambda p: p[k])
        a, b = ends[0][k], ends[1][k]
        ink, text = Ink(), _text(d)
        wide = width_of(text, self.height)
        side = 1.0 if k == 0 else -1.0
        for place in ends:
            self._stroke(ink, k, place[k], place[1 - k] + side * _GAP, place[k], level + side * _OVER)
        short = b - a < 2.0 * _ARROW + 1.0
        outside = b - a < wide + 2.0 * _ARROW + 1.0
        past = 2.0 * _ARROW if short else 0.0
        room = wide + 3.0 if outside else 0.0
        first = self._from_low(d)
        start = a - room - past if first else b + past
        middle = (start + room / 2.0 if outside else (a + b) / 2.0) + d.moved[0]
        low, high = min(a - past, middle - wide / 2.0), max(b + past, middle + wide / 2.0)
        self._stroke(ink, k, low, level, high, level)
        for at, way in ((a, 0.0 if short else math.pi), (b, math.pi if short else 0.0)):
            x, y = (at, level) if k == 0 else (level, at)
            ink.arrows.append(Arrow(x, y, way + (0.0 if k == 0 else math.pi / 2.0), _ARROW))
        x, y = (middle, level + _ABOVE) if k == 0 else (level - _ABOVE, middle)
        angle = 0.0 if k == 0 else math.pi / 2.0
        ink.write(x, y, text, height=self.height, angle=angle, anchor="middle")
        line = (a, level) if k == 0 else (level, a)
        return Placed(d, text, ink, (ends[0], ends[1], line), (x, y))

    def _stroke(self, ink: Ink, k: int, u0: float, v0: float, u1: float, v1: float) -> None:
        ink.line(*((u0, v0, u1, v1) if k == 0 else (v0, u0, v1, u1)))

    def _running(self, some: list[Length], k: int) -> list[Placed]:
        """Lengths from the datum as numbers at the ends of their extension lines, far enough from each other."""
        side = 1.0 if k == 0 else -1.0
        edge = self._edge(k)
        level, foot = edge + side * _FIRST, edge + side * (_FIRST - 5.0)
        places = [self.on_paper(d.high_at) for d in some]
        apart = spread([p[k] for p in places], _SPREAD)
        out = []
        for d, place, at in zip(some, places, apart, strict=True):
            ink, text = Ink(), _text(d)
            self._stroke(ink, k, place[k], place[1 - k] + side * _GAP, place[k], foot)
            self._stroke(ink, k, place[k], foot, at, level)
            if k == 0:
                x, y, angle = at + self.height / 2.0, level + 1.0, math.pi / 2.0
                ink.write(x, y, text, height=self.height, angle=angle)
                middle = (x, y + width_of(text, self.height) / 2.0)
            else:
                x, y = level - 1.0, at - self.height / 2.0
                ink.write(x, y, text, height=self.height, anchor="end")
                middle = (x - width_of(text, self.height) / 2.0, y)
            datum = self.on_paper(d.low_at)
            out.append(Placed(d, text, ink, (datum, place, (at, level) if k == 0 else (level, at)), middle, True))
        return out

    def _leaders(self, rounds: list[Roundness]) -> list[Placed]:
        """Diameters and radii: an arrow on the circle, a line to the right of the view, the text on its shoulder."""
        if not rounds:
            return []
        right = self.at[0] + self.size[0]
        centres = [self.on_paper(d.centre) for d in rounds]
        tips = [
            (x + d.radius * self.scale * math.cos(a), y + d.radius * self.scale * math.sin(a))
            for d, (x, y) in zip(rounds, centres, strict=True)
            for a in (_towards(d, self.view),)
        ]
        order = sorted(range(len(rounds)), key=lambda n: tips[n][1])
        middle = self.at[1] + self.size[1] / 2.0
        wanted = [max(min(tips[n][1] + 4.0, self.at[1] + self.size[1]), self.at[1]) for n in order]
        heights = spread(wanted, _SPREAD, around=middle)
        out = []
        for n, level in zip(order, heights, strict=True):
            d, tip = rounds[n], tips[n]
            ink, text = Ink(), _round_text(d)
            elbow, level = right + _LEAD + d.moved[0], level + d.moved[1]
            angle = math.atan2(tip[1] - level, tip[0] - elbow)
            ink.line(tip[0], tip[1], elbow, level)
            ink.line(elbow, level, elbow + _SHOULDER + width_of(text, self.height), level)
            ink.arrows.append(Arrow(tip[0], tip[1], angle, _ARROW))
            written = ink.write(elbow + _SHOULDER, level + _ABOVE, text, height=self.height)
            centre = centres[n]
            out.append(Placed(d, text, ink, (centre, tip), (written.x + written.width / 2.0, written.y)))
        return out


def _towards(d: Roundness, view: DrawnView) -> float:
    """The angle at which an arrow meets a circle: up to the right where that is drawn, else where some arc of it is."""
    from tectogon.curves import Arc

    wanted = math.pi / 4.0
    best, least = wanted, math.inf
    for c in (*view.visible, *view.hidden):
        near = 1e-4 * max(d.radius, 1.0)
        if not isinstance(c, Arc) or math.hypot(c.cx - d.centre[0], c.cy - d.centre[1]) > near:
            continue
        if abs(c.radius - d.radius) > near:
            continue
        low = min(c.start_angle, c.start_angle + c.sweep)
        off = (wanted - low) % (2.0 * math.pi)
        inside = min(off, abs(c.sweep)) if off <= abs(c.sweep) else _nearer_end(off, abs(c.sweep))
        away = abs((low + inside - wanted + math.pi) % (2.0 * math.pi) - math.pi)
        if away < least:
            best, least = low + inside, away
    return best


def _nearer_end(off: float, sweep: float) -> float:
    """Of an arc that an angle lies beside the nearer end, a little inside."""
    return 0.05 * sweep if 2.0 * math.pi - off < off - sweep else 0.95 * sweep


def spread(wanted: Sequence[float], step: float, around: float | None = None) -> list[float]:
    """Places in ascending order as near as may be to those wanted, none nearer to the next than a step."""
    out = list(wanted)
    for _ in range(200):
        moved = False
        for n in range(len(out) - 1):
            lack = step - (out[n + 1] - out[n])
            if lack > 1e-9:
                out[n] -= lack / 2.0
                out[n + 1] += lack / 2.0
                moved = True
        if not moved:
            return out
    first = (around if around is not None else sum(wanted) / len(wanted)) - step * (len(out) - 1) / 2.0
    return [first + step * n for n in range(len(out))]


def _text(d: Length) -> str:
    value = number_text(d.value)
    if d.count > 1:
        return f"{d.count}× {number_text(d.value / d.count)} (={value})"
    return f"({value})" if d.extra else value


def _round_text(d: Roundness) -> str:
    mark = "⌀" if d.kind == "diameter" else "R"
    return f"{f'{d.count}× ' if d.count > 1 else ''}{mark}{number_text(d.value)}"


def number_text(value: float) -> str:
    """A size as drawings state it: two decimals, three below 3 mm, no zeros at the end."""
    return f"{value:.{2 if value >= 3.0 else 3}f}".rstrip("0").rstrip(".") or "0"
