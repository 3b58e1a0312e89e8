"""What may be meant otherwise than drawn: strays, nearly level or upright lines, nearly closed arcs, nearly equal
radii, runs of short pieces.

Offered, never mended without being asked.
"""

from __future__ import annotations

import numpy as np

from tectogon.curves import CurveTable
from tectogon.curves.shapes import TURN
from tectogon.curves.table import ARC, LINE
from tectogon.findings.finding import Finding
from tectogon.profiles.chains import find_chains
from tectogon.tolerances import LEAST_SIZE, SAME_SHARE
from tectogon.views.groups import find_groups

_NEARLY = np.radians(0.35)
_RUN = 12
_MOST = 2000


def find_strays(table: CurveTable) -> list[Finding]:
    """Groups of a few curves more than ten times as far from everything as the rest is wide."""
    if not 3 < len(table) <= 20_000:
        return []
    b = table.bounds
    middle = (b[:, :2] + b[:, 2:]) / 2.0
    centre, spread = (
        np.median(middle, axis=0),
        np.percentile(np.abs(middle - np.median(middle, axis=0)), 80, axis=0).max(),
    )
    far = np.abs(middle - centre).max(axis=1) > 12.0 * max(float(spread), LEAST_SIZE)
    if not far.any() or far.sum() > 0.1 * len(table):
        return []
    rows = np.flatnonzero(far)
    label = find_groups(table.take(rows), reach=float(spread) * 0.01 + 1e-9)
    out = []
    for group in range(int(label.max()) + 1):
        mine = rows[label == group]
        off = float(np.abs(middle[mine] - centre).max())
        out.append(
            Finding(
                "stray",
                off,
                (float(middle[mine[0], 0]), float(middle[mine[0], 1])),
                tuple(mine.tolist()),
                False,
                f"{off:.4g} mm from everything else",
            )
        )
    return out


def find_nearly(table: CurveTable) -> list[Finding]:
    """Lines a hair off level or upright, arcs a hair off a full circle, radii a hair off a common one."""
    out: list[Finding] = []
    lines = table.rows_of(LINE)
    step = table.data[lines, 2:4] - table.data[lines, 0:2]
    angle = np.mod(np.arctan2(step[:, 1], step[:, 0]) + np.pi / 4, np.pi / 2) - np.pi / 4
    off = np.abs(np.sin(angle)) * np.hypot(*step.T)
    size = table.size or 1.0
    hair = (np.abs(angle) < _NEARLY) & (off > size * 1e-7) & (np.hypot(*step.T) > size * 0.01)
    for n in np.flatnonzero(hair)[:_MOST].tolist():
        row = int(lines[n])
        x, y = ((table.data[row, :2] + table.data[row, 2:4]) / 2.0).tolist()
        out.append(
            Finding(
                "nearly_straight",
                float(off[n]),
                (x, y),
                (row,),
                False,
                f"{np.degrees(abs(angle[n])):.3g}° off level or upright",
            )
        )
    arcs = table.rows_of(ARC)
    missing = TURN - np.abs(table.data[arcs, 4])
    for n in np.flatnonzero((missing > 1e-9) & (missing < 0.1))[:_MOST].tolist():
        row = int(arcs[n])
        x, y = table.ends[row, 0].tolist()
        out.append(
            Finding(
                "nearly_round",
                float(missing[n] * table.data[row, 2]),
                (x, y),
                (row,),
                False,
                f"{np.degrees(missing[n]):.3g}° short of a circle",
            )
        )
    return out + _nearly_equal(table, arcs)


def _nearly_equal(table: CurveTable, arcs: np.ndarray) -> list[Finding]:
    if len(arcs) < 2:
        return []
    radius = table.data[arcs, 2]
    order = np.argsort(radius)
    r = radius[order]
    near = (np.diff(r) > SAME_SHARE * r[1:]) & (np.diff(r) < 2e-3 * r[1:])
    out = []
    for n in np.flatnonzero(near)[:_MOST].tolist():
        rows = (int(arcs[order[n]]), int(arcs[order[n + 1]]))
        x, y = table.data[rows[1], :2].tolist()
        out.append(
            Finding(
                "nearly_equal", float(r[n + 1] - r[n]), (x, y), rows, False, f"radii {r[n]:.6g} and {r[n + 1]:.6g} mm"
            )
        )
    return out


def find_runs(table: CurveTable, *, join_tol: float) -> list[Finding]:
    """Chains of a dozen and more short pieces: what smoothing would make one line, arc or spline."""
    out = []
    size = table.size or 1.0
    for chain in find_chains(table, join_tol=join_tol):
        if len(chain.rows) < _RUN or not (table.kind[chain.rows] == LINE).all():
            continue
        if float(np.median(table.lengths[chain.rows])) < 0.05 * size:
            x, y = table.ends[chain.rows[0], 0].tolist()
            length = float(table.lengths[chain.rows].sum())
            out.append(
                Finding(
                    "run",
                    length,
                    (x, y),
                    tuple(chain.rows.tolist()),
                    False,
                    f"{len(chain.rows)} short pieces in a row, {length:.4g} mm together",
                )
            )
    return out
