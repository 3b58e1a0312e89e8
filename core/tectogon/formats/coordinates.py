"""Coordinate tables: two or three columns of numbers with whatever stands around them, as curves through the points.

Understood: comma, semicolon, tab or spaces between numbers; decimal comma; comments and titles; an index column;
several curves in one file; foil sections in both common orders (one run round the section, or upper then lower surface
from the nose, with or without a line of counts). Every row that is not taken, and every doubtful one, is said with its
line number.
"""

from __future__ import annotations

import itertools
import math
import re
from collections import Counter, deque
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from tectogon.curves import Curve, CurveTable, Line
from tectogon.curves.affine import FloatArray
from tectogon.curves.fit import closed_spline_through, spline_through, spline_within
from tectogon.curves.table import IntArray
from tectogon.errors import Note, OverLimit, Place, UnreadableFile
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import CurveSet, ReadLimits, ReadResult
from tectogon.formats.signatures import is_number, is_row
from tectogon.linework import Layer, LineType, Linework
from tectogon.tolerances import TINY
from tectogon.units import show_count

_COMMENT = re.compile(r"^\s*(#|!|%|//|\*|;)")
_CORNER = np.radians(40.0)
_SNUG = 1e-9
_MOST_POINTS = 400_000
_MOST_ROWS = 2_000


@dataclass
class _Block:
    """Rows of numbers that belong together, with their line numbers, under the title before them."""

    title: str
    rows: list[list[float]] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)


@dataclass
class _Run:
    """Points of one curve (k, 2), the lines they stand on, and whether it is a foil section that starts and ends at its
    trailing edge."""

    name: str
    points: FloatArray
    lines: IntArray
    foil: bool = False
    closed: bool = False
    dropped: int = 0


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The curves of a coordinate table in the table's own unit, which it never says. Raises UnreadableFile or
    OverLimit."""
    notes: list[Note] = []
    blocks, gaps = _blocks(path)
    if not blocks:
        raise UnreadableFile(f"{path.name} holds no rows of two or three numbers.")
    if sum(len(b.rows) for b in blocks) > _MOST_POINTS:
        raise OverLimit(f"{path.name} holds more than {show_count(_MOST_POINTS)} points; split it.")
    if gaps:
        notes.append(
            Note(
                "row_with_gaps",
                f"{len(gaps)} {'row has' if len(gaps) == 1 else 'rows have'} a number missing or too much and"
                f" {'was' if len(gaps) == 1 else 'were'} not taken: {_lines(gaps)}.",
            )
        )
    runs = _runs([_flat(b, notes) for b in blocks])
    curves: list[Curve] = []
    ids: list[str] = []
    layer: list[int] = []
    sets: list[CurveSet] = []
    for number, run in enumerate(runs):
        _clean(run, notes)
        if len(run.points) < 2:
            continue
        made, ending = _through(run, options)
        curves += made
        ids += [f"{number + 1}.{k + 1}" for k in range(len(made))]
        layer += [number] * len(made)
        sets.append(
            CurveSet(
                name=run.name,
                points=len(run.points),
                closed=ending != "open",
                trailing_edge=ending,
                dropped=run.dropped + (len(gaps) if number == 0 else 0),
                chord=_chord(run),
                rows=_rows(run),
            )
        )
    if not curves:
        raise UnreadableFile(f"{path.name} holds no two points that differ; there is nothing to draw a curve through.")
    zero = np.zeros(len(curves), np.int64)
    linework = Linework(
        table=CurveTable.of(curves),
        ids=tuple(ids),
        layer_of=np.array(layer, np.int64),
        linetype_of=zero,
        colour_of=zero,
        layers=tuple(Layer(run.name) for run in runs),
        linetypes=(LineType("CONTINUOUS"),),
        colours=("#000000",),
        entities=(("points", sum(len(b.rows) for b in blocks)),),
        skipped=(("rows with a number missing", len(gaps)),) if gaps else (),
        notes=tuple(notes),
    )
    return ReadResult(
        linework=linework,
        format="coordinates",
        version="",
        declared_unit=None,
        kind_says=_says(sets),
        curve_sets=tuple(sets),
    )


# text to rows ----------------------------------------------------------------


def _blocks(path: Path) -> tuple[list[_Block], list[int]]:
    """Blocks of rows, parted by empty lines and titles, and the lines whose rows have another count of numbers than
    most."""
    data = path.read_bytes()
    if b"\x00" in data:
        raise UnreadableFile(f"{path.name} is not a text file: it holds zero bytes.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    separated = _separator(text)
    blocks: list[_Block] = [_Block("")]
    parted = False
    for number, line in enumerate(text.splitlines(), 1):
        bare = re.split(r"#|//|!", line, maxsplit=1)[0].strip()
        if not bare or _COMMENT.match(line):
            parted = parted or not line.strip()
            continue
        row = separated(bare)
        if row is None:
            blocks.append(_Block(bare.strip("\"' ,;")[:80]))
            parted = False
            continue
        if parted and blocks[-1].rows:
            blocks.append(_Block(""))
        parted = False
        blocks[-1].rows.append(row)
        blocks[-1].lines.append(number)
    blocks = [b for b in blocks if b.rows]
    counts = [len(r) for b in blocks for r in b.rows]
    usual = Counter(counts).most_common(1)[0][0] if counts else 0
    if usual < 2:
        return [], []
    gaps = [n for b in blocks for r, n in zip(b.rows, b.lines, strict=True) if not _whole(r, usual)]
    for block in blocks:
        kept = [(r, n) for r, n in zip(block.rows, block.lines, strict=True) if _whole(r, usual)]
        block.rows, block.lines = [r for r, _ in kept], [n for _, n in kept]
    return [b for b in blocks if b.rows], gaps


def _whole(row: list[float], usual: int) -> bool:
    return len(row) == usual and all(map(math.isfinite, row))


class _separator:
    """Splits a row into numbers; None for a line that is no row. How numbers are parted is decided once, on the whole
    text."""

    def __init__(self, text: str) -> None:
        rows = [
            line.strip()
            for line in text.splitlines()[:2000]
            if re.match(r"^\s*[-+.\d]", line) and not re.search(r"[A-CF-Za-cf-z]", line)
        ]
        self.mark: str | None = None
        self.comma = False
        if sum(";" in r for r in rows) > len(rows) / 2:
            self.mark = ";"
            self.comma = sum(bool(re.search(r"\d,\d", r)) for r in rows) > sum("." in r for r in rows)
        elif rows:
            fields = [r.split() for r in rows]
            decimal = sum(
                len(f) >= 2 and all(re.fullmatch(r"[-+]?\d*,\d+|[-+]?\d+", x) for x in f) and any("," in x for x in f)
                for f in fields
            )
            self.comma = decimal > len(rows) / 2 and not any("." in r for r in rows)
            if not self.comma and sum("," in r for r in rows) > len(rows) / 2:
                self.mark = ","

    def __call__(self, line: str) -> list[float] | None:
        parts = [p.strip() for p in line.split(self.mark)] if self.mark else line.split()
        while parts and not parts[-1]:
            parts.pop()
        out = []
        for part in parts:
            text = part.replace(",", ".") if self.comma else part
            if not text:
                out.append(float("nan"))
                continue
            try:
                out.append(float(re.sub("[dD]", "e", text) if is_number(text) else text))
            except ValueError:
                return None if not out or len(parts) > 4 or not is_row(" ".join(parts[:2])) else [*out, float("nan")]
        out = (
            [v for v in out if np.isfinite(v) and abs(v) < 1e9]
            if not all(np.isfinite(v) and abs(v) < 1e9 for v in out)
            else out
        )
        return out or None


# rows to runs ----------------------------------------------------------------


def _flat(block: _Block, notes: list[Note]) -> _Run:
    """Two columns of a block: without an index column, without the column that does not change."""
    rows = np.array(block.rows, float)
    lines = np.array(block.lines, np.int64)
    if (
        rows.shape[1] >= 3
        and len(rows) > 2
        and np.array_equal(np.diff(rows[:, 0]), np.ones(len(rows) - 1))
        and rows[0, 0] in (0, 1)
    ):
        rows = rows[:, 1:]
    if rows.shape[1] >= 3:
        spread = np.ptp(rows[:, :3], axis=0)
        if spread[2] > _SNUG * spread.max() and spread[1] <= _SNUG * spread.max():
            rows = rows[:, [0, 2]]
        elif spread[2] > _SNUG * spread.max() and spread[0] <= _SNUG * spread.max():
            rows = rows[:, [1, 2]]
        elif spread[2] > _SNUG * spread.max():
            notes.append(
                Note(
                    "not_in_one_plane",
                    f"The third column changes from {rows[:, 2].min():g} to {rows[:, 2].max():g}; the points are seen"
                    " from the top and it is not used.",
                )
            )
    return _Run(block.title, rows[:, :2].copy(), lines)


def _runs(found: list[_Run]) -> list[_Run]:
    """Curves out of blocks: a line of counts taken off, a run that starts again at the nose parted, upper and lower
    surface joined."""
    if len(found) > 1 and len(found[0].points) == 1 and _counts(found[0].points[0], found[1:]):
        title = found[0].name
        found = found[1:]
        found[0].name = found[0].name or title
    elif (
        found
        and len(found[0].points) > 3
        and _counts(found[0].points[0], [_Run("", found[0].points[1:], found[0].lines[1:]), *found[1:]])
    ):
        found[0].points, found[0].lines = found[0].points[1:], found[0].lines[1:]
    runs = deque(part for run in found for part in _parted(run))
    out: list[_Run] = []
    while runs:
        run = runs.popleft()
        if runs and _is_lower(run, runs[0]):
            lower = runs.popleft()
            points = np.concatenate([run.points[::-1], lower.points])
            run = _Run(run.name or lower.name, points, np.concatenate([run.lines[::-1], lower.lines]), foil=True)
        elif _is_around(run.points):
            run.foil = True
        out.append(run)
    for number, run in enumerate(out):
        run.name = run.name or f"curve {number + 1}"
    names = Counter(r.name for r in out)
    for number, run in enumerate(out):
        if names[run.name] > 1:
            run.name = f"{run.name} {number + 1}"
    return out


def _counts(first: FloatArray, rest: list[_Run]) -> bool:
    """Whether a first row of two whole numbers counts the points that follow."""
    a, b = first.tolist()
    total = sum(len(r.points) for r in rest)
    return bool(
        a == int(a)
        and b == int(b)
        and a > 1
        and b > 1
        and (a + b in (total, total + 1) or (len(rest) == 2 and a == len(rest[0].points)))
    )


def _parted(run: _Run) -> list[_Run]:
    """A run whose x climbs from the nose to the tail twice is two surfaces."""
    x = run.points[:, 0]
    reach = np.ptp(x)
    back = np.flatnonzero(np.diff(x) < -0.8 * reach)
    if len(x) < 6 or len(back) != 1 or not 2 <= back[0] + 1 <= len(x) - 2:
        return [run]
    at = int(back[0]) + 1
    return [_Run(run.name, run.points[:at], run.lines[:at]), _Run("", run.points[at:], run.lines[at:])]


def _is_lower(upper: _Run, lower: _Run) -> bool:
    """Whether two runs are the surfaces of one foil: both climb from the same nose to about the same tail."""
    a, b = upper.points, lower.points
    if len(a) < 3 or len(b) < 3:
        return False
    reach = max(np.ptp(a[:, 0]), np.ptp(b[:, 0]))
    climbs = all(p[-1, 0] - p[0, 0] > 0.9 * np.ptp(p[:, 0]) > 0 for p in (a, b))
    return bool(
        climbs and reach > 0 and np.hypot(*(a[0] - b[0])) < 0.03 * reach and np.hypot(*(a[-1] - b[-1])) < 0.05 * reach
    )


def _is_around(p: FloatArray) -> bool:
    """Whether a run goes from the tail round the nose and back: x falls all the way, then rises all the way, and the
    ends nearly meet."""
    if len(p) < 7:
        return False
    x, reach = p[:, 0], np.ptp(p[:, 0])
    nose = int(x.argmin())
    falls, rises = np.diff(x[: nose + 1]), np.diff(x[nose:])
    wrong = np.maximum(falls, 0).sum() + np.maximum(-rises, 0).sum()
    gap = np.hypot(*(p[0] - p[-1]))
    thick = np.ptp(p[:, 1])
    return bool(
        0 < nose < len(p) - 1
        and wrong < 0.05 * reach
        and gap < 0.04 * reach
        and x[0] > x.min() + 0.95 * reach
        and thick < 0.6 * reach
    )


def _clean(run: _Run, notes: list[Note]) -> None:
    """Drop repeated points; say what looks wrong."""
    p = run.points
    size = max(float(np.ptp(p, axis=0).max()), TINY)
    same = np.concatenate([[False], np.hypot(*np.diff(p, axis=0).T) <= _SNUG * size])
    if same.any():
        run.dropped += int(same.sum())
        notes.append(
            Note(
                "repeated_point",
                f"{run.name}: {int(same.sum())} {'point repeats' if same.sum() == 1 else 'points repeat'} the one"
                f" before and {'was' if same.sum() == 1 else 'were'} dropped: {_lines(run.lines[same].tolist())}.",
                Place((), tuple(p[same][0].tolist())),
            )
        )
        run.points, run.lines = p[~same], run.lines[~same]
        p = run.points
    if len(p) > 3 and np.hypot(*(p[0] - p[-1])) <= _SNUG * size:
        run.closed = True
        run.dropped += 1
        notes.append(
            Note(
                "first_point_repeated",
                f"{run.name}: the last point repeats the first (line {run.lines[-1]}): the curve is closed.",
            )
        )
        run.points, run.lines = p[:-1], run.lines[:-1]
        p = run.points
    _say_spikes(run, size, notes)


def _say_spikes(run: _Run, size: float, notes: list[Note]) -> None:
    p, lines = run.points, run.lines
    if len(p) < 5:
        return
    a, b = p[1:-1] - p[:-2], p[2:] - p[1:-1]
    turn = np.abs(np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], np.sum(a * b, axis=1)))
    sharp = turn > np.radians(120.0)
    chord = p[2:] - p[:-2]
    off = np.abs(a[:, 0] * chord[:, 1] - a[:, 1] * chord[:, 0]) / np.maximum(np.hypot(*chord.T), TINY)
    spikes = sharp & (off > 3.0 * np.median(np.hypot(*np.diff(p, axis=0).T)))
    if spikes.any():
        at = np.flatnonzero(spikes) + 1
        notes.append(
            Note(
                "spike",
                f"{run.name}: {len(at)} {'point stands' if len(at) == 1 else 'points stand'} far off the line of the"
                f" neighbours: {_lines(lines[at].tolist())}.",
                Place((), tuple(p[at[0]].tolist())),
            )
        )
    backward = sharp & ~spikes
    if backward.any():
        at = np.flatnonzero(backward) + 1
        notes.append(
            Note(
                "out_of_order",
                f"{run.name}: the points run backwards at {_lines(lines[at].tolist())}; they may be out of order.",
                Place((), tuple(p[at[0]].tolist())),
            )
        )


def _lines(numbers: list[int]) -> str:
    shown = ", ".join(str(n) for n in numbers[:8])
    return f"line{'s' if len(numbers) > 1 else ''} {shown}{' and more' if len(numbers) > 8 else ''}"


def _says(sets: list[CurveSet]) -> str:
    """What the numbers themselves say of their unit."""
    if all(abs(s.chord - 1.0) < 0.02 for s in sets):
        return "The chord is 1: the numbers are shares of a chord that the file does not give"
    if all(abs(s.chord - 100.0) < 2.0 for s in sets) and any(s.closed for s in sets):
        return "The chord is 100: the numbers may be hundredths of a chord"
    return "A table of coordinates never says its unit"


def _rows(run: _Run) -> tuple[tuple[int, float, float], ...]:
    shown = zip(run.lines[:_MOST_ROWS].tolist(), run.points[:_MOST_ROWS].tolist(), strict=True)
    return tuple((line, x, y) for line, (x, y) in shown)


def _chord(run: _Run) -> float:
    """From the nose to the middle of the tail for a foil, else the width."""
    p = run.points
    if not run.foil:
        return float(np.ptp(p[:, 0]))
    tail = (p[0] + p[-1]) / 2.0 if not run.closed else p[0]
    return float(np.hypot(*(p - tail).T).max())


# runs to curves ----------------------------------------------------------------


def _through(run: _Run, options: ReadOptions) -> tuple[list[Curve], str]:
    """Curves through the points of a run, and how it ends: sharp, blunt or open."""
    p = run.points
    gap = float(np.hypot(*(p[0] - p[-1])))
    ending = _ending(run, gap, options.ends)
    around = p
    if ending == "sharp":
        if not run.closed and run.foil and gap > 0:
            meet = (p[0] + p[-1]) / 2.0
            around = np.concatenate([[meet], p[1:-1], [meet]])
        else:
            around = np.concatenate([p, p[:1]])
    around = around[np.concatenate([[True], (np.diff(around, axis=0) != 0).any(axis=1)])]
    if options.curve == "polyline" or len(around) < 4:
        curves: list[Curve] = _polyline(around)
    elif ending == "sharp" and not run.foil and not len(_corners(around, wrap=True)):
        curves = (
            [closed_spline_through(around[:-1])]
            if options.curve == "spline" and len(around) > 4
            else _smooth(around, run.foil, options)
        )
    else:
        curves = _smooth(around, run.foil, options)
    if ending == "blunt":
        curves.append(Line(*p[-1].tolist(), *p[0].tolist()))
    return curves, ending


def _ending(run: _Run, gap: float, asked: str) -> str:
    if asked != "auto":
        return asked
    if run.closed:
        return "sharp"
    p = run.points
    size = float(np.ptp(p, axis=0).max())
    if len(p) < 3:
        return "open"
    if run.foil:
        return "sharp" if gap <= 1e-5 * size else "blunt"
    usual = float(np.median(np.hypot(*np.diff(p, axis=0).T)))
    return "sharp" if gap <= 1.5 * usual and len(p) > 4 else "open"


def _corners(p: FloatArray, *, wrap: bool = False) -> IntArray:
    """Numbers of the points at which the polyline turns sharply."""
    q = np.concatenate([p[-2:-1], p]) if wrap else p
    a, b = q[1:-1] - q[:-2], q[2:] - q[1:-1]
    turn = np.abs(np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], np.sum(a * b, axis=1)))
    return np.asarray(np.flatnonzero(turn > _CORNER) + (0 if wrap else 1))


def _smooth(p: FloatArray, foil: bool, options: ReadOptions) -> list[Curve]:
    """Splines from corner to corner; a foil has corners at its trailing edge alone, however coarse its nose is."""
    cuts = [] if foil else _corners(p).tolist()
    edges = [0, *cuts, len(p) - 1]
    out: list[Curve] = []
    for first, last in itertools.pairwise(edges):
        part = p[first : last + 1]
        try:
            out += _polyline(part) if len(part) < 3 else [_spline(part, options)]
        except ValueError:  # points so close to each other that no curve can be told through them
            out += _polyline(part)
    return out


def _spline(part: FloatArray, options: ReadOptions) -> Curve:
    return spline_through(part) if options.curve == "spline" else spline_within(part, options.deviation_mm)


def _polyline(p: FloatArray) -> list[Curve]:
    return [Line(*p[k].tolist(), *p[k + 1].tolist()) for k in range(len(p) - 1) if np.any(p[k] != p[k + 1])]
