"""Path data of SVG: every command, to lines, Bézier curves as splines, and true arcs.

Broken data is drawn up to the fault, as SVG 2 asks (section 9.5.4). Arc parameters from the end points after SVG 2,
appendix B.2.4.
Tried first and dropped: a library's path objects, three times as slow on 20,000 curves.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field

import numpy as np

from tectogon.curves import Arc, Curve, EllipticArc, Line, Spline
from tectogon.tolerances import HAIR, ROUNDING

_TOKEN = re.compile(
    r"([MmZzLlHhVvCcSsQqTtAa])|([-+]?(?:\d++(?:\.\d*+)?+|\.\d++)(?:[eE][-+]?\d++)?+)|([\s,]+)|(.)", re.DOTALL
)
_WANTS = {"m": 2, "l": 2, "h": 1, "v": 1, "c": 6, "s": 4, "q": 4, "t": 2, "a": 7, "z": 0}
_FLAGS = re.compile(r"[\s,]*+([01])")


@dataclass
class PathData:
    """Chains of curves, one for each subpath; how many numbers the data held; whether it broke off at a fault."""

    chains: list[list[Curve]] = field(default_factory=list)
    numbers: int = 0
    broken: bool = False


class _Broken(Exception):
    pass


def parse_path(d: str) -> PathData:
    """The curves of a `d` attribute. A subpath that is closed by z ends in a line back to its start, if it is not there
    yet."""
    out = PathData()
    pen = _Pen(out.chains)
    try:
        for command, numbers in _commands(d, out):
            pen.draw(command, numbers)
    except _Broken:
        out.broken = True
    out.chains[:] = [chain for chain in out.chains if chain]
    return out


def _commands(d: str, out: PathData) -> list[tuple[str, list[float]]]:
    """Commands with their numbers; ends at a fault."""
    found: list[tuple[str, list[float]]] = []
    command, numbers = "", []
    for letter, number, _, strange in _TOKEN.findall(_arcs_spaced(d) if "a" in d or "A" in d else d):
        if number:
            numbers.append(float(number))
        elif letter:
            if command:
                found.append((command, numbers))
            elif numbers:
                break
            command, numbers = letter, []
        elif strange:
            out.broken = True
            break
    if command:
        found.append((command, numbers))
    out.numbers = sum(len(n) for _, n in found)
    return found


def _arcs_spaced(d: str) -> str:
    """Arc flags may stand without a space before what follows ("a1 1 0 01.5.5"); give them one."""

    def spaced(match: re.Match[str]) -> str:
        text, at, out = match[2], 0, [match[1]]
        number = re.compile(r"[\s,]*+([-+]?(?:\d++(?:\.\d*+)?+|\.\d++)(?:[eE][-+]?\d++)?+)")
        n = 0
        while at < len(text):
            found = (_FLAGS if n % 7 in (3, 4) else number).match(text, at)
            if not found:
                out.append(text[at:])
                break
            out += [" ", found[1]]
            at = found.end()
            n += 1
        return "".join(out) + " "

    return re.sub(r"([Aa])([^MmZzLlHhVvCcSsQqTtAa]*)", spaced, d)


class _Pen:
    """Draws commands; keeps the current point, the start of the subpath, and the last control point for the smooth
    commands."""

    def __init__(self, chains: list[list[Curve]]) -> None:
        self.chains = chains
        self.x = self.y = self.x0 = self.y0 = 0.0
        self.control: tuple[float, float] | None = None
        self.before = ""
        self.chain: list[Curve] = []
        self.started = False

    def draw(self, letter: str, numbers: list[float]) -> None:
        low = letter.lower()
        wants = _WANTS[low]
        if not self.started and low != "m":
            raise _Broken
        if low == "z":
            self._close()
            if numbers:
                raise _Broken
            return
        if not numbers:
            raise _Broken
        whole = len(numbers) - len(numbers) % wants
        for at in range(0, whole, wants):
            self._one("l" if low == "m" and at else low, letter.islower(), numbers[at : at + wants])
        if whole != len(numbers):
            raise _Broken

    def _one(self, low: str, relative: bool, n: list[float]) -> None:
        ox, oy = (self.x, self.y) if relative else (0.0, 0.0)
        if not all(-1e300 < v < 1e300 for v in n):
            raise _Broken
        if low == "m":
            self.x = self.x0 = ox + n[0]
            self.y = self.y0 = oy + n[1]
            self.chain = []
            self.chains.append(self.chain)
            self.started = True
        elif low == "l":
            self._line(ox + n[0], oy + n[1])
        elif low == "h":
            self._line(ox + n[0], self.y)
        elif low == "v":
            self._line(self.x, oy + n[0])
        elif low in "cs":
            if low == "c":
                x1, y1 = ox + n[0], oy + n[1]
                n = n[2:]
            else:
                x1, y1 = self._mirrored("cs")
            x2, y2, x3, y3 = ox + n[0], oy + n[1], ox + n[2], oy + n[3]
            self._bezier((self.x, self.y), (x1, y1), (x2, y2), (x3, y3))
            self.control, self.x, self.y = (x2, y2), x3, y3
        elif low in "qt":
            if low == "q":
                x1, y1 = ox + n[0], oy + n[1]
                n = n[2:]
            else:
                x1, y1 = self._mirrored("qt")
            x2, y2 = ox + n[0], oy + n[1]
            self._bezier((self.x, self.y), (x1, y1), (x2, y2))
            self.control, self.x, self.y = (x1, y1), x2, y2
        else:
            x, y = ox + n[5], oy + n[6]
            arc = arc_by_ends(self.x, self.y, x, y, n[0], n[1], math.radians(n[2]), n[3] != 0, n[4] != 0)
            if arc is not None:
                self.chain.append(arc)
            self.x, self.y = x, y
        self.before = low

    def _mirrored(self, after: str) -> tuple[float, float]:
        if self.before not in tuple(after) or self.control is None:
            return self.x, self.y
        return 2 * self.x - self.control[0], 2 * self.y - self.control[1]

    def _line(self, x: float, y: float) -> None:
        if x != self.x or y != self.y:
            self.chain.append(Line(self.x, self.y, x, y))
        self.x, self.y = x, y

    def _bezier(self, *poles: tuple[float, float]) -> None:
        (x0, y0), (xn, yn) = poles[0], poles[-1]
        dx, dy = xn - x0, yn - y0
        square = dx * dx + dy * dy
        if square == 0.0:
            if any(p != poles[0] for p in poles):
                self.chain.append(Spline.bezier(np.array(poles)))
            return
        for x, y in poles[1:-1]:
            along, across = (x - x0) * dx + (y - y0) * dy, (x - x0) * dy - (y - y0) * dx
            if abs(across) > HAIR * square or not 0.0 <= along <= square:
                self.chain.append(Spline.bezier(np.array(poles)))
                return
        self.chain.append(Line(x0, y0, xn, yn))

    def _close(self) -> None:
        self._line(self.x0, self.y0)
        self.chain = []
        self.chains.append(self.chain)
        self.before = "z"


def arc_by_ends(
    x0: float, y0: float, x1: float, y1: float, rx: float, ry: float, turn: float, large: bool, positive: bool
) -> Curve | None:
    """The arc between two points on an ellipse with half-axes rx, ry turned by `turn`; a line where a half-axis is 0,
    None without length."""
    if x0 == x1 and y0 == y1:
        return None
    rx, ry = abs(rx), abs(ry)
    if rx == 0 or ry == 0:
        return Line(x0, y0, x1, y1)
    c, s = math.cos(turn), math.sin(turn)
    dx, dy = (x0 - x1) / 2.0, (y0 - y1) / 2.0
    px, py = c * dx + s * dy, c * dy - s * dx
    over = (px / rx) ** 2 + (py / ry) ** 2
    if over > 1.0:
        rx, ry = rx * math.sqrt(over), ry * math.sqrt(over)
    part = (rx * py) ** 2 + (ry * px) ** 2
    root = math.sqrt(max(0.0, ((rx * ry) ** 2 - part) / part)) * (-1.0 if large == positive else 1.0)
    qx, qy = root * rx * py / ry, -root * ry * px / rx
    cx, cy = c * qx - s * qy + (x0 + x1) / 2.0, s * qx + c * qy + (y0 + y1) / 2.0
    start = math.atan2((py - qy) / ry, (px - qx) / rx)
    sweep = math.atan2((-py - qy) / ry, (-px - qx) / rx) - start
    if positive and sweep <= 0:
        sweep += 2 * math.pi
    elif not positive and sweep >= 0:
        sweep -= 2 * math.pi
    return ellipse_by_axes(cx, cy, rx, ry, turn, start, sweep)


def ellipse_by_axes(cx: float, cy: float, rx: float, ry: float, turn: float, start: float, sweep: float) -> Curve:
    """An arc of an ellipse whose first half-axis rx is turned by `turn`; parameters in radians from that axis. A
    circle's arc where rx = ry."""
    if abs(rx - ry) <= ROUNDING * max(rx, ry):
        return Arc(cx, cy, rx, start + turn, sweep)
    if rx >= ry:
        return EllipticArc(cx, cy, rx * math.cos(turn), rx * math.sin(turn), ry / rx, start, sweep)
    return EllipticArc(cx, cy, -ry * math.sin(turn), ry * math.cos(turn), rx / ry, start - math.pi / 2, sweep)
