"""The sheet: linework flattened relative to an origin of its own, with what is known of each curve, and the closed
regions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from tectogon.curves.affine import FloatArray
from tectogon.curves.table import ARC, ELLIPSE, IntArray
from tectogon.display.packing import pack
from tectogon.display.remedies import MEND_CERTAIN, offers_of, remedy_of
from tectogon.display.views import agreements_told, contradictions_told
from tectogon.findings.character import character_of
from tectogon.findings.finding import FINDING_KINDS, Finding
from tectogon.findings.not_geometry import ASIDES
from tectogon.formats import OPTIONS
from tectogon.linework import Linework
from tectogon.operations.arrange import geometry_of
from tectogon.profiles import Region, Regions
from tectogon.profiles.section import section_of
from tectogon.reconstruction.stated_thickness import stated_thicknesses
from tectogon.tolerances import display_chord
from tectogon.views import Plane, View
from tectogon.views.find import sheet_groups
from tectogon.workpiece.model import Drawing, Source, Workpiece

KEPT, GUIDE, HIDDEN, LEFT_OUT = 0, 1, 2, 3
_MOST_TEXTS = 3000
_MOST_OPEN_ENDS = 2000
_MOST_FINDINGS = 1000
_MOST_RUN = 5000
_MOST_GROUPED = 30_000
_MOST_SECTIONS = 200
_MOST_PIECES = 8000
_MOST_CLOSED_OTHERWISE = 20_000
"""So many curves at most are looked at once more for what dashed and centre lines close."""
_MOST_OTHERWISE = 2000


def drawing_figures(workpiece: Workpiece) -> dict[str, Any]:
    """What came in, in figures: formats, unit, curves, extents (mm), closed regions."""
    drawing = workpiece.drawing
    linework = drawing.linework
    return {
        "formats": [s.format for s in workpiece.sources],
        "unit": workpiece.sources[-1].unit if workpiece.sources else None,
        "sure": all(s.evidence.sure or s.chosen for s in workpiece.sources),
        "curves": len(linework),
        "size": [float(v) for v in linework.extents[2:] - linework.extents[:2]] if len(linework) else None,
        "regions": len(drawing.regions) if len(linework) else 0,
    }


def _origin_and_chord(linework: Linework) -> tuple[FloatArray, FloatArray, float]:
    extents = linework.extents if len(linework) else np.zeros(4)
    return extents, np.round((extents[:2] + extents[2:]) / 2.0), display_chord(max(linework.size, 1e-3))


def lines_parcel(workpiece: Workpiece) -> bytes:
    """The linework that the sheet shows, as a parcel: what can be drawn before regions are found. Points are float32
    relative to `facts.origin` (mm)."""
    drawing = workpiece.drawing
    linework = drawing.linework
    extents, origin, chord = _origin_and_chord(linework)
    points, offsets = linework.table.flatten(chord)
    arrays = {
        "points": (points - origin).astype(np.float32),
        "offsets": offsets.astype(np.uint32),
        "kind": linework.table.kind,
        "state": _states(drawing),
        "layer": linework.layer_of.astype(np.uint16),
        "linetype": linework.linetype_of.astype(np.uint16),
        "colour": linework.colour_of.astype(np.uint32),
        "length": linework.table.lengths,
        "radius": np.where(linework.table.kind == ARC, linework.table.data[:, 2], 0.0),
        "sweep": np.where(linework.table.kind == ARC, np.degrees(linework.table.data[:, 4]), 0.0),
        "ends": (linework.table.ends - origin).astype(np.float32),
        "centre": (_centres(linework) - origin).astype(np.float32),
        "block": (linework.block_of + 1).astype(np.uint16),
    }
    for n, picture in enumerate(linework.pictures):
        arrays[f"picture{n}"] = np.frombuffer(picture.data, np.uint8)
    facts = {"origin": origin.tolist(), "extents": extents.tolist(), "ids": list(linework.ids), **_about(workpiece)}
    return pack(facts, arrays)


def placements_parcel(workpiece: Workpiece) -> bytes:
    """The views and planes that the linework lies in, and how well they agree, as a parcel."""
    facts = {
        "views": [{**_plane_told(v), "offers": offers_of(v)} for v in workpiece.views],
        "planes": [_plane_told(p) for p in workpiece.planes],
        "agreements": agreements_told(workpiece),
        "misfits": [a.misfit for a in workpiece.agreements if a.misfit],
    }
    return pack(facts, {"view": _view_numbers(workpiece)})


def _plane_told(plane: View | Plane) -> dict[str, Any]:
    frame = {"origin": plane.frame.origin, "x": plane.frame.x_dir, "y": plane.frame.y_dir}
    return {"name": plane.name, "box": list(plane.box), "operation": plane.operation, **frame}


def regions_parcel(workpiece: Workpiece) -> bytes:
    """What was found in the linework, as a parcel: closed regions, open ends, and what is proposed to be left out."""
    drawing = workpiece.drawing
    _, origin, chord = _origin_and_chord(drawing.linework)
    facts, arrays = _regions(drawing, origin, chord)
    asides = [
        {"kind": a.kind, "words": ASIDES[a.kind], "why": a.why, "curves": len(a.rows)} for a in drawing.proposals[:250]
    ]
    about = {
        "asides": asides,
        "character": character_of(drawing.linework).why if len(drawing.linework) else "",
        "states_thickness": bool(stated_thicknesses(workpiece)),
        "tolerance": drawing.tolerance if len(drawing.linework) else 0.0,
    }
    return pack(
        facts | _findings(drawing) | about,
        arrays | {"aside": _aside_numbers(drawing), "group": _group_numbers(drawing)},
    )


def _centres(linework: Linework) -> FloatArray:
    """Centres of arcs and ellipses (n, 2), NaN for other curves."""
    round_ones = (linework.table.kind == ARC) | (linework.table.kind == ELLIPSE)
    return np.where(round_ones[:, None], linework.table.data[:, :2], np.nan)


def _aside_numbers(drawing: Drawing) -> npt.NDArray[np.uint8]:
    """For each curve: 0, or the number from 1 of what proposes to leave it out."""
    out = np.zeros(len(drawing.linework), np.uint8)
    for number, aside in enumerate(drawing.proposals[:250], 1):
        out[aside.rows] = number
    return out


def _group_numbers(drawing: Drawing) -> npt.NDArray[np.uint16]:
    """For each curve: 0, or the number from 1 of the group of linework that it belongs to on the sheet; none in very
    large drawings."""
    out = np.zeros(len(drawing.linework), np.uint16)
    rows = geometry_of(drawing)
    if 0 < len(rows) <= _MOST_GROUPED:
        out[rows] = np.minimum(sheet_groups(drawing.linework.table.take(rows)) + 1, 65_535)
    return out


def _largest(found: Regions) -> list[Region]:
    """The profiles whose section properties are shown: the largest, as long as they have few enough pieces together."""
    out: list[Region] = []
    pieces = 0
    for region in sorted(found.profiles, key=lambda r: -r.area)[:_MOST_SECTIONS]:
        pieces += len(region.outer.rows) + sum(len(h.rows) for h in region.holes)
        if pieces > _MOST_PIECES:
            break
        out.append(region)
    return out


def _findings(drawing: Drawing) -> dict[str, Any]:
    """Faults, what is offered, and the chart of the joining distance."""
    look = drawing.findings
    ids = drawing.bounding_ids

    def told(finding: Finding) -> dict[str, Any]:
        name, remedy = FINDING_KINDS[finding.kind]
        curves = [ids[r] for r in finding.rows[: _MOST_RUN if finding.kind in ("run", "stray") else 50]]
        step = remedy_of(finding, curves, ids)
        return {
            "key": finding.key(ids),
            "kind": finding.kind,
            "name": name,
            "remedy": {"words": remedy, **step} if step else None,
            "size": finding.size,
            "point": finding.point,
            "curves": curves,
            "sure": bool(finding.sure),
            "words": finding.words,
        }

    joining = look.joining
    shown = np.unique(
        np.concatenate(
            [
                np.arange(min(len(joining.sizes), 1000)),
                np.arange(0, len(joining.sizes), max(1, len(joining.sizes) // 1000)),
            ]
        )
    )
    return {
        "findings": [told(f) for f in look.faults[:_MOST_FINDINGS]],
        "offered": [told(f) for f in look.offered[:_MOST_FINDINGS]],
        "finding_count": len(look.faults),
        "certain_count": len(look.certain),
        "mend_certain": MEND_CERTAIN,
        "joining": {
            "sizes": joining.sizes[shown].tolist(),
            "loops": joining.loops[np.concatenate([[0], shown + 1])].tolist(),
            "proposed": joining.proposed,
            "reason": joining.reason,
            "swallows": joining.swallows if np.isfinite(joining.swallows) else None,
        },
    }


def _states(drawing: Drawing) -> Any:
    linework = drawing.linework
    state = np.full(len(linework), KEPT, np.uint8)
    state[linework.is_hidden] = HIDDEN
    state[drawing.guiding] = GUIDE
    state[~drawing.kept] = LEFT_OUT
    return state


def _view_numbers(workpiece: Workpiece) -> Any:
    """For each curve: 0, or the number from 1 of its view, or of its plane, which are counted on."""
    out = np.zeros(len(workpiece.drawing.linework), np.uint8)
    placed: tuple[View | Plane, ...] = (*workpiece.views, *workpiece.planes)
    for number, view in enumerate(placed, 1):
        rows = [
            workpiece.drawing.linework.row_of[key] for key in view.curves if key in workpiece.drawing.linework.row_of
        ]
        out[rows] = number
    return out


def _about(workpiece: Workpiece) -> dict[str, Any]:
    drawing, linework = workpiece.drawing, workpiece.drawing.linework
    counts = (
        np.bincount(linework.layer_of, minlength=len(linework.layers)).tolist()
        if len(linework)
        else [0] * len(linework.layers)
    )
    kept = (
        np.bincount(linework.layer_of[drawing.kept], minlength=len(linework.layers)).tolist()
        if len(linework)
        else counts
    )
    return {
        "layers": [
            {
                "name": layer.name,
                "linetype": layer.linetype,
                "colour": layer.colour,
                "on": layer.on,
                "curves": n,
                "kept": k,
            }
            for layer, n, k in zip(linework.layers, counts, kept, strict=True)
        ],
        "linetypes": [
            {"name": t.name, "pattern": list(t.pattern), "guide": t.is_guide, "hidden": t.is_hidden}
            for t in linework.linetypes
        ],
        "colours": list(linework.colours),
        "blocks": list(linework.blocks),
        "pictures": [
            {"name": p.name, "matrix": p.matrix.tolist(), "pixels": list(p.pixels)} for p in linework.pictures
        ],
        "texts": [
            {"text": t.text, "at": list(t.at), "height": t.height, "angle": t.angle}
            for t in linework.texts[:_MOST_TEXTS]
        ],
        "stated": [{"text": s.text, "drawn": s.drawn_mm, "stated": s.stated} for s in linework.stated[:_MOST_TEXTS]],
        "entities": dict(linework.entities),
        "skipped": dict(linework.skipped),
        "sources": [
            {
                "name": s.name,
                "format": s.format,
                "version": s.version,
                "unit": s.unit,
                "declared": s.evidence.declared,
                "proposed": s.evidence.proposed,
                "sure": s.evidence.sure,
                "chosen": s.chosen,
                "step": s.step,
                "options": _options_told(s),
                "sets": [asdict(c) for c in s.curve_sets],
                "facts": [{"text": f.text, "rests_on": f.rests_on, "agrees": f.agrees} for f in s.evidence.facts],
            }
            for s in workpiece.sources
        ],
        "contradictions": contradictions_told(linework),
    }


def _options_told(source: Source) -> list[dict[str, Any]]:
    """The options of reading this source; a part to take is one, whichever way it is drawn."""
    told = [OPTIONS[name].as_json() for name in source.options if name != "polygon"]
    for option in told:
        if option["field"] == "page":
            option["label"] = f"page, of {source.pages}"
    return told


def _regions(drawing: Drawing, origin: Any, chord: float) -> tuple[dict[str, Any], dict[str, Any]]:
    found = drawing.regions
    closed = [_Closed("solid", found, found.regions, drawing.bounding), *_closed_otherwise(drawing)]
    facts = {
        "regions": closed[0].told,
        "otherwise": [told for c in closed[1:] for told in c.told],
        "open_ends": found.open_ends[:_MOST_OPEN_ENDS].tolist(),
        "open_count": len(found.open_ends),
        "doubles": len(found.doubles),
        "pinches": found.pinches.tolist()[:200],
    }
    facts["sections"] = {r.id: section_of(found, r).as_json() for r in _largest(found)}
    points, lengths = zip(*(c.ring_points(chord) for c in closed), strict=True)
    sources = [c.rows[c.among.piece_source[r.outer.rows]] for c in closed for r in c.regions]
    arrays = {
        "ring_points": (np.concatenate(points) - origin).astype(np.float32),
        "ring_ends": np.cumsum(np.concatenate([[0], *lengths])).astype(np.uint32),
        "ring_counts": np.array([1 + len(r.holes) for c in closed for r in c.regions], np.uint32),
        "region_curves": np.concatenate([np.zeros(0, np.int64), *sources]).astype(np.uint32),
        "region_curve_ends": np.cumsum([0, *[len(s) for s in sources]]).astype(np.uint32),
    }
    return facts, arrays


@dataclass(frozen=True)
class _Closed:
    """Regions to show: by which lines they are drawn, what they are among, and the row in the linework of each curve
    given to that (n,)."""

    drawn: str
    among: Regions
    regions: Sequence[Region]
    rows: IntArray

    @property
    def told(self) -> list[dict[str, Any]]:
        return [
            {
                "id": r.id,
                "drawn": self.drawn,
                "level": r.level,
                "area": r.area,
                "perimeter": r.perimeter,
                "centroid": r.centroid,
                "bounds": r.bounds,
                "inside": r.inside,
                "holes": len(r.holes),
            }
            for r in self.regions
        ]

    def ring_points(self, chord: float) -> tuple[FloatArray, IntArray]:
        """The rings of all regions flattened, end to end (k, 2), the outer one of each first; how many points each
        ring has."""
        rings = [ring for region in self.regions for ring in (region.outer, *region.holes)]
        if not rings:
            return np.zeros((0, 2)), np.zeros(0, np.int64)
        pieces, against = np.concatenate([r.rows for r in rings]), np.concatenate([r.against for r in rings])
        points, begins = self.among.pieces.flatten(chord)
        counts = np.diff(begins)[pieces] - 1
        before = np.concatenate([[0], np.cumsum(counts)])
        within = np.arange(int(before[-1])) - np.repeat(before[:-1], counts)
        first = np.where(against, begins[pieces + 1] - 1, begins[pieces])
        index = np.repeat(first, counts) + np.repeat(np.where(against, -1, 1), counts) * within
        return points[index], np.diff(before[np.cumsum([0, *[len(r.rows) for r in rings]])])


def _closed_otherwise(drawing: Drawing) -> list[_Closed]:
    """What solid lines alone do not close: with dashed lines (a keyway on the far side), and parted by centre lines
    (the half of a turned part). None of a very large drawing."""
    if drawing.too_much or len(drawing.kept) > _MOST_CLOSED_OTHERWISE:
        return []
    row_of = {key: row for row, key in enumerate(drawing.linework.ids)}
    known = set(drawing.regions.by_id)
    out = []
    hidden = [("hidden", drawing.behind), ("hidden", drawing.together)] if drawing.linework.is_hidden.any() else []
    for drawn, among in [*hidden, *([("centre", drawing.parted)] if drawing.linework.is_guide.any() else [])]:
        regions = [r for r in among.regions if r.id not in known]
        if 0 < len(regions) <= _MOST_OTHERWISE:
            known |= {r.id for r in regions}
            out.append(_Closed(drawn, among, regions, np.array([row_of[key] for key in among.curve_ids], np.int64)))
    return out
