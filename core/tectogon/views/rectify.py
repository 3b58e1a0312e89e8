"""Views that do not stand as the others do: turned on the sheet, drawn in another scale, sections, square to an
inclined edge.

Each is told by what it shares with the views that stand already, once it is righted; what fits nothing is none, with
the reason.
"""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from tectogon.curves import CurveTable, affine
from tectogon.curves.table import IntArray
from tectogon.linework import Linework
from tectogon.tolerances import LEAST_SIZE, ROUNDING
from tectogon.views.align import Shown, axes_shown, coordinates, fit, in_line, shown_found
from tectogon.views.auxiliary import auxiliary_frame, inclined_edge, lows_of
from tectogon.views.frame import Frame, frame_of
from tectogon.views.view import Box, FoundView

_SIDES = ("front", "top", "right", "left", "bottom", "rear")
"""In the order in which they are tried."""

STRANGER = "a group that stands in line with no other"
SECTION = "section"
_SECTION = re.compile(r"(?:section|schnitt|coupe)?\s*\b([A-Z])\s*[-\u2013\u2014]\s*\1\b", re.IGNORECASE)
_DETAIL = re.compile(r"\bdetail\b", re.IGNORECASE)
_BLANK = re.compile(
    r"\b(?:flat (?:blank|pattern)|blank (?:size|development)|develop(?:ed|ment)(?: view)?|unfolded|abwicklung|zuschnitt"
    r"|d[ée]velopp[ée]e?)\b",
    re.IGNORECASE,
)
_SCALES = (0.1, 0.2, 0.25, 0.4, 0.5, 2.0, 2.5, 4.0, 5.0, 10.0)
_MATCHED = 0.7
_TURNS = (0.0, -90.0, 90.0, 180.0)


def righting(view: FoundView) -> affine.FloatArray:
    """The map (2, 3) that turns and scales a view about the middle of its box, so that it stands upright and in the
    scale of the others."""
    return _about_middle(view.box, view.turn, view.scale)


def _about_middle(box: Box, turn: float, scale: float) -> affine.FloatArray:
    middle = np.array([box[0] + box[2], box[1] + box[3]]) / 2.0
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    linear = scale * np.round(np.array([[c, -s], [s, c]]), 15)
    return np.column_stack([linear, middle - linear @ middle])


def _fitted(table: CurveTable, view: FoundView, others: list[FoundView]) -> tuple[bool, float, FoundView]:
    """Whether a view, turned and scaled as it says, fits others; the share of its coordinates that they show too; and
    the view in line with them."""
    own = table.take(view.rows).transformed(righting(view))
    joined = CurveTable.join([table, own])
    there = Shown(view.name, np.arange(len(table), len(joined)), frame_of(view.side))
    fixed = [shown_found(o) for o in others if o.turn == 0.0 and o.scale == 1.0 and o.aslant is None]
    frame = in_line(joined, there, fixed)
    axes, share = fit(joined, replace(there, frame=frame), fixed)
    return axes >= 2 or share >= _MATCHED, share, replace(view, origin=on_origin(frame))


def lined_up(table: CurveTable, view: FoundView, others: list[FoundView]) -> FoundView:
    """A view, turned and scaled as it says, in line with others."""
    return _fitted(table, view, others)[2]


def on_origin(frame: Frame) -> tuple[float, float]:
    """The sheet point that a frame puts on the part's origin, as far as it shows it."""
    base = -np.array(frame.origin)
    return (float(base @ frame.x_dir), float(base @ frame.y_dir))


def turned_sides(table: CurveTable, views: list[FoundView]) -> list[FoundView]:
    """Side views that fit the others better when they are turned: turned."""
    out = list(views)
    for n, view in enumerate(out):
        if view.side in ("right", "left"):
            rest = [v for v in out if v is not view]
            if not _fitted(table, view, rest)[0]:
                tries = [
                    found for turn in (-90.0, 90.0) if (found := _fitted(table, replace(view, turn=turn), rest))[0]
                ]
                out[n] = max(tries, key=lambda found: found[1])[2] if tries else view
    return out


def others(
    linework: Linework, views: list[FoundView], loose: list[tuple[IntArray, Box, str]], *, third: bool
) -> tuple[list[FoundView], list[tuple[str, IntArray]]]:
    """Groups that stand in line with no other: sections, views that are turned or drawn in another scale; and what is
    none, with the reason."""
    out, left = list(views), []
    for rows, box, title in loose:
        twin = None if title else next((v for v in views if _alike(linework.table, v.rows, rows)), None)
        found = (
            None
            if twin or _DETAIL.search(title) or _BLANK.search(title)
            else _auxiliary(linework.table, out, rows, box, third=third)
            or _as_view(linework.table, out, rows, box, title, third=third)
        )
        if found is not None:
            out.append(found)
            continue
        if _DETAIL.search(title):
            left.append((f"a detail (“{title[:40]}”)", rows))
        elif _BLANK.search(title):
            left.append((f"the part laid flat (“{title[:40]}”)", rows))
        elif twin is not None:
            left.append((f"the {twin.name} view drawn once more", rows))
        else:
            left.append((STRANGER, rows))
    return out, left


def _as_view(
    table: CurveTable, views: list[FoundView], rows: IntArray, box: Box, title: str, *, third: bool
) -> FoundView | None:
    """A loose group as the view that it fits best, turned or scaled where it must be; None where nothing fits. Of
    equals the side that its place on the sheet has is taken."""
    section = _SECTION.search(title)
    taken = {v.side for v in views}
    sides = _SIDES if section else tuple(s for s in _SIDES if s not in taken)
    meant = _side_there(views, box, third=third)
    best: tuple[float, FoundView] | None = None
    for side in sides:
        for turn in _TURNS:
            base = FoundView(side, side, rows, box, (0.0, 0.0), turn)
            for scale in (1.0, *_scales(table, views, base)):
                fits, share, view = _fitted(table, replace(base, scale=scale), views)
                rank = share + 0.05 * (side == meant) - 0.02 * (turn != 0.0) - 0.02 * (scale != 1.0)
                if (
                    (fits or (section and share > 0))
                    and (best is None or rank > best[0] + 1e-9)
                    and (section or (turn == 0.0 and scale == 1.0) or _beside(views, box))
                ):
                    best = (rank, view)
    if best is None:
        return None
    name = section_called(title) or best[1].side
    return None if any(v.name == name for v in views) else replace(best[1], name=name)


def _side_there(views: list[FoundView], box: Box, *, third: bool) -> str:
    """The side that a view at this place of the sheet shows, as seen from the front view; "" where there is none."""
    front = next((v.box for v in views if v.side == "front"), None)
    if front is None:
        return ""
    x, y = (box[0] + box[2] - front[0] - front[2]) / 2.0, (box[1] + box[3] - front[1] - front[3]) / 2.0
    if abs(x) > abs(y):
        return "right" if (x > 0) == third else "left"
    return "top" if (y > 0) == third else "bottom"


def _auxiliary(table: CurveTable, views: list[FoundView], rows: IntArray, box: Box, *, third: bool) -> FoundView | None:
    """A loose group as the auxiliary view square to an inclined edge of another view; None where it is drawn square to
    none."""
    stand = [shown_found(v) for v in views if v.turn == 0.0 and v.scale == 1.0 and v.aslant is None]
    found = inclined_edge(table, rows, box, stand)
    if found is None:
        return None
    base, edge = found
    frame = auxiliary_frame(base.frame, edge, box, lows_of(table, stand), table, rows, third=third)
    way = edge[1] - edge[0]
    name = f"auxiliary {float(np.degrees(np.arctan2(way[1], way[0]))) % 180.0:.3g}°"
    return None if any(v.name == name for v in views) else FoundView(name, "", rows, box, (0.0, 0.0), aslant=frame)


def _scales(table: CurveTable, views: list[FoundView], base: FoundView) -> list[float]:
    """Usual scales that make one of the lengths a group shares with the others equal."""
    own = table.take(base.rows).transformed(righting(base)).extents
    out = []
    frame = frame_of(base.side)
    for axis, column in axes_shown(frame).items():
        for v in views:
            other = axes_shown(v.frame).get(axis)
            if other is None or v.turn or v.scale != 1.0:
                continue
            ratio = (v.box[other + 2] - v.box[other]) / max(float(own[column + 2] - own[column]), ROUNDING)
            out += [s for s in _SCALES if abs(ratio / s - 1.0) <= 4e-3]
    return sorted(set(out))


def _beside(views: list[FoundView], box: Box) -> bool:
    """Whether the middle of a box lies above, below or beside one of the views, within its stretch."""
    x, y = (box[0] + box[2]) / 2.0, (box[1] + box[3]) / 2.0
    return any(v.box[0] <= x <= v.box[2] or v.box[1] <= y <= v.box[3] for v in views)


def _alike(table: CurveTable, a: IntArray, b: IntArray) -> bool:
    """Whether two groups are the same figure at two places: as many curves, and the same coordinates from the corner of
    their boxes."""
    if len(a) != len(b):
        return False
    for column in (0, 1):
        p, q = coordinates(table, a, column), coordinates(table, b, column)
        if len(p) != len(q) or not np.allclose(p - p[0], q - q[0], atol=1e-3 * max(float(np.ptp(p)), LEAST_SIZE)):
            return False
    return True


def section_called(title: str) -> str:
    """The name of the view that a title says is a section, such as "section A-A"; "" where it says nothing of one."""
    found = _SECTION.search(title)
    return f"{SECTION} {found.group(1).upper()}-{found.group(1).upper()}" if found else ""


def titles(linework: Linework, boxes: list[Box]) -> list[str]:
    """The title of a section, a detail or a flat blank for each group: written over, under or in it, nearer to it than
    to any other; "" for the rest."""
    out = [""] * len(boxes)
    for text in linework.texts[:2000]:
        if not any(p.search(text.text) for p in (_DETAIL, _BLANK)) and not _SECTION.fullmatch(text.text.strip()):
            continue
        x, y = text.at
        away = [float(np.hypot(max(b[0] - x, 0.0, x - b[2]), max(b[1] - y, 0.0, y - b[3]))) for b in boxes]
        n = int(np.argmin(away))
        if away[n] <= 0.25 * max(boxes[n][2] - boxes[n][0], boxes[n][3] - boxes[n][1]):
            out[n] = out[n] or text.text.strip()
    return out
