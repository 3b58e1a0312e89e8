"""A supplier's drawing of a section becomes a section of the library by itself, in ordinary steps: what is not geometry
is left out, ends are joined, a single line gets its thickness to the side on which the stated sizes hold. What the
drawing does not say is taken as usual and remarked.
"""

from __future__ import annotations

import hashlib
import math
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import shapely

from tectogon.errors import NothingToBuild, UnreadableFile
from tectogon.findings.dimensions import written_sizes
from tectogon.library.section import LibrarySection, SectionFacts, section_from
from tectogon.linework import Linework
from tectogon.operations.material import DENSITIES
from tectogon.profiles import Region, Regions
from tectogon.profiles.shapes import boundary
from tectogon.route.cache import MemoryStore
from tectogon.route.card import Card, Step
from tectogon.route.run import Run, run_card
from tectogon.units import show_length
from tectogon.workpiece.model import Workpiece

_NUMBER = r"(\d+(?:[.,]\d+)?)"
_THICKNESS = (
    re.compile(
        rf"(?:\bsheet|\bthick(?:ness)?|\bthk\.?|\bgauge|\bblech|\bdicke|\b[ts]\s*=)\s*[:=]?\s*{_NUMBER}", re.IGNORECASE
    ),
    re.compile(rf"{_NUMBER}\s*(?:mm)?\s*(?:sheet|thick|thk\b|gauge)", re.IGNORECASE),
)
_PITCH = re.compile(rf"\b(?:pitch|cover(?:ing)?(?: width)?|centres?|module)\s*[:=]?\s*{_NUMBER}", re.IGNORECASE)
_CALLED = re.compile(r"\b([A-Z]{1,5}[-\u2010\u2013 ]?\d{1,5}(?:[-./]\d{1,5})*[A-Z]?)\b")
_NO_NUMBER = re.compile(
    r"(?:sheet|scale|iso|din|en|rev|issue|page|size|mm|thk|no|dwg|ral|pitch|[a-z])[-\u2010\u2013 ]?[\d./]+",
    re.IGNORECASE,
)
_USUAL = 1.0
"""The thickness (mm) that a line gets where the drawing states none."""
_SAME = 0.02
_THIN, _ROOM = 0.08, 1.25
"""A wall is no thicker than this share of half the boundary; in a mitred corner the circle inside is 1.17 times as
wide."""
_CHORD = 1e-4
_FAR = 0.1
"""A stated thickness and the drawn one may differ by so much (share)."""


@dataclass(frozen=True)
class Cleaned:
    """What became of a drawing: the card that makes the profile, the section, and what wants a look."""

    card: Card
    section: LibrarySection
    remarks: tuple[str, ...]


@dataclass(frozen=True)
class Sizes:
    """What a supplier's table states of a section (mm); None for what it does not state."""

    wide_mm: float | None = None
    high_mm: float | None = None
    thickness_mm: float | None = None


def cleaned(path: Path, *, family: str = "", unit: str = "auto", called: str = "", sizes: Sizes = Sizes()) -> Cleaned:
    """A drawing with one section, cleaned; `called`: the file's own name; `sizes`: of a table, held against the
    drawing. Raises NothingToBuild where nothing closes, and what reading raises."""
    work = _Work(path, unit, called or path.name)
    linework = work.run.workpiece.drawing.linework
    texts = [t.text for t in linework.texts]
    aside = sorted({a.kind for a in work.run.workpiece.drawing.proposals} - {"hidden"})
    if aside:
        work.add("leave_out", proposals=aside)
    work.add("mend")
    stated = _first(_THICKNESS, texts)
    profiles = _outer(work.run.workpiece)
    if not profiles:
        profiles = _thickened(work, stated, sizes)
    remarks = work.remarks
    if len(profiles) > 1:
        remarks.append(f"The drawing has {len(profiles)} profiles that lie apart; the largest is taken.")
    drawing = work.run.workpiece.drawing
    region = max(profiles, key=lambda r: r.area)
    thickness = _wall(drawing.regions_of(region), region)
    if stated is not None and thickness is not None and abs(thickness - stated) > _FAR * stated:
        remarks.append(f"The drawing states {show_length(stated)}; its wall is {show_length(thickness)} as drawn.")
    remarks += _against(sizes, region, stated or thickness)
    pitch = _first((_PITCH,), texts)
    number = _number(texts, Path(work.name).stem)
    facts = SectionFacts(
        number=number[:60],
        name=_title(texts, number)[:200],
        family=family[:200],
        material=_material(texts),
        thickness_mm=stated or thickness,
        pitch_mm=pitch,
        insertion_mm=(0.0, 0.0),
        source=work.name[:200],
    )
    x0, y0, x1, _ = region.bounds
    found = section_from(boundary(drawing.regions_of(region), region), facts, tuple(remarks))
    return Cleaned(work.card, found.said(insertion_mm=(x0, y0), pitch_mm=pitch or round(x1 - x0, 6)), tuple(remarks))


def _against(sizes: Sizes, region: Region, thickness: float | None) -> list[str]:
    """Where the drawing is not what the table states."""
    x0, y0, x1, y1 = region.bounds
    both = (("width", sizes.wide_mm, x1 - x0), ("height", sizes.high_mm, y1 - y0))
    out = []
    for what, wanted, drawn in (*both, ("thickness", sizes.thickness_mm, thickness)):
        if wanted is not None and drawn is not None and abs(wanted - drawn) > _SAME:
            out.append(f"The table states a {what} of {show_length(wanted)}; the drawing has {show_length(drawn)}.")
    return out


class _Work:
    """A card that grows step by step."""

    def __init__(self, path: Path, unit: str, name: str) -> None:
        self.path, self.name = path, name
        self.sha = hashlib.sha256(path.read_bytes()).hexdigest()
        self.store = MemoryStore()
        self.steps: list[Step] = []
        self.remarks: list[str] = []
        self._put("read", {"source": name, "unit": unit})
        self.run = self._run()
        failed = self.run.failed
        if failed is not None:
            raise UnreadableFile(failed.message) if failed.exit_status == 3 else NothingToBuild(failed.message)

    @property
    def card(self) -> Card:
        return Card(steps=tuple(self.steps), sources={self.name: self.sha})

    def _put(self, kind: str, params: dict[str, Any]) -> None:
        self.steps.append(Step(number=10 * (len(self.steps) + 1), kind=kind, params=params))

    def _run(self) -> Run:
        return run_card(self.card, {self.name: self.path}, store=self.store)

    def add(self, kind: str, **params: Any) -> bool:
        """One step more, kept where it does something."""
        self._put(kind, params)
        run = self._run()
        if run.failed is not None:
            self.steps.pop()
            return False
        self.run = run
        return True


def _outer(workpiece: Workpiece) -> list[Region]:
    return [r for r in workpiece.drawing.regions.profiles if r.level == 0]


def _thickened(work: _Work, stated: float | None, sizes: Sizes) -> list[Region]:
    """The one open line given its thickness, to the side on which the sizes hold that the drawing states, or a table
    of the supplier."""
    if stated is None:
        work.remarks.append(f"The drawing states no thickness; {show_length(_USUAL)} is taken.")
    thickness = stated or _USUAL
    drawing = work.run.workpiece.drawing
    rows = drawing.bounding[drawing.regions.open_rows]
    if not len(rows):
        raise NothingToBuild(f"{work.name} closes no profile and holds no open line.")
    size = drawing.linework.table.take(rows).extents
    plain = (float(size[2] - size[0]), float(size[3] - size[1]))
    told = (sizes.wide_mm, sizes.high_mm)
    wanted = [*_sizes(drawing.linework), *(v for v in told if v)]
    best: tuple[tuple[float, ...], str] | None = None
    for side in ("left", "right", "both"):
        if not work.add("thicken", thickness=thickness, side=side):
            continue
        made = _outer(work.run.workpiece)
        work.steps.pop()
        if not made:
            continue
        x0, y0, x1, y1 = max(made, key=lambda r: r.area).bounds
        held = sum(any(abs(s - v) <= _SAME for v in (x1 - x0, y1 - y0)) for s in wanted)
        grown = (x1 - x0 - plain[0]) + (y1 - y0 - plain[1])
        rank = (-held, len(made), round(grown, 6))
        if best is None or rank < best[0]:
            best = (rank, side)
    if best is None:
        raise NothingToBuild(f"{work.name}: its lines can't be given {show_length(thickness)}; look at them.")
    if not best[0][0]:
        work.remarks.append("No stated size says on which side of its line the material lies; its outside is kept.")
    work.add("thicken", thickness=thickness, side=best[1])
    return _outer(work.run.workpiece)


def _sizes(linework: Linework) -> list[float]:
    """The sizes that are stated (mm as drawn), by true dimensions or by texts at plain lines."""
    return [s.drawn_mm for s in (*linework.stated, *written_sizes(linework)) if s.drawn_mm]


def _wall(regions: Regions, region: Region) -> float | None:
    """The thickness (mm) of a section of one wall: of a strip the area over half the boundary less its ends, of a tube
    over half the boundary. None where that is not as wide as the largest circle inside: it is no section of one
    wall."""
    half = region.perimeter / 2.0
    rest = half * half - 4.0 * region.area
    thin = region.area / half if region.holes else (half - math.sqrt(rest)) / 2.0 if rest > 0.0 else math.inf
    if thin > _THIN * half:
        return None
    outer, *holes = (regions.ring_points(r, _CHORD * half) for r in (region.outer, *region.holes))
    room = shapely.maximum_inscribed_circle(shapely.Polygon(outer, holes), tolerance=0.02 * thin).length * 2.0
    return round(thin, 6) if thin * 0.95 <= room <= _ROOM * thin else None


def _first(patterns: tuple[re.Pattern[str], ...], texts: list[str]) -> float | None:
    for text in texts:
        for pattern in patterns:
            found = pattern.search(text)
            if found and float(found[1].replace(",", ".")) > 0.0:
                return float(found[1].replace(",", "."))
    return None


def _number(texts: list[str], stem: str) -> str:
    """What the section is called: by its file where that is a number that the drawing has too, or is written as one;
    else by the first number in the drawing, else by its file."""
    whole = re.compile(rf"(?<!\w){re.escape(stem)}(?!\w)", re.IGNORECASE)
    named = next((m[0] for t in texts if (m := whole.search(t))), "") if len(stem) > 2 else ""
    if named or _CALLED.fullmatch(stem.upper()):
        return named or stem
    found = (m[1] for text in texts for m in _CALLED.finditer(text))
    return next((n for n in found if not _NO_NUMBER.fullmatch(n)), stem)


def _title(texts: list[str], number: str) -> str:
    """The text with the number in it, else the longest of plain words."""
    named = [t for t in texts if number in t]
    plain = [t for t in texts if sum(c.isalpha() for c in t) >= 4]
    return (named or sorted(plain, key=len)[-1:] or [""])[0].strip()


def _material(texts: list[str]) -> str:
    """The material that a text names, the longest name that fits."""
    told = " ".join(texts).lower().replace("aluminum", "aluminium")
    found = [n.replace("_", " ") for n in DENSITIES if n.replace("_", " ") in told]
    return max(found, key=len, default="")


class Numbers:
    """Numbers that were given already: one that comes twice gets a mark of its own."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def apart(self, one: Cleaned) -> Cleaned:
        """The section under a number that none before it has, with a remark where that is not its own."""
        own = number = one.section.facts.number
        k = 2
        while number in self._taken:
            number, k = f"{own} ({k})", k + 1
        self._taken.add(number)
        if number == own:
            return one
        told = f"The number {own} comes twice; this one is kept as {number}."
        return Cleaned(one.card, one.section.said(number=number), (*one.remarks, told))
