"""Sections as plain data for the page, and as files for the workshop."""

from __future__ import annotations

from typing import Any

from tectogon.errors import NothingToBuild, PickGone
from tectogon.library.cleaning import Cleaned
from tectogon.library.section import LibrarySection, SectionFacts, section_from
from tectogon.profiles.shapes import boundary
from tectogon.workpiece.model import Workpiece

_CHORD = 5e-4


def section_told(section: LibrarySection) -> dict[str, Any]:
    """A section with all that is known of it: facts, figures, its outline as polygons (mm), its drawing, and what wants
    a look."""
    x0, y0, x1, y1 = section.region.bounds
    return {
        "facts": section.facts.model_dump(mode="json"),
        "figures": section.figures(),
        "outline": section.outline(_CHORD * max(x1 - x0, y1 - y0)),
        "dxf": section.dxf().decode(),
        "remarks": list(section.remarks),
    }


def cleaned_told(found: Cleaned) -> dict[str, Any]:
    """A cleaned drawing: the section, and the card that makes it."""
    return {**section_told(found.section), "card": found.card.model_dump(mode="json")}


def section_of_profile(workpiece: Workpiece, profile: str, name: str, source: str) -> LibrarySection:
    """A profile of a part's sheet as a section, its insertion point in the lower left corner. Raises PickGone."""
    regions = workpiece.drawing.regions
    region = regions.with_id(profile)
    if region is None:
        raise PickGone("This profile is gone; pick it again.")
    if not region.is_material:
        raise NothingToBuild("This is a hole; a section is the material round it.")
    x0, y0, x1, _ = region.bounds
    facts = SectionFacts(
        number=name[:60] or "Section", pitch_mm=round(x1 - x0, 6), insertion_mm=(x0, y0), source=source[:200]
    )
    return section_from(boundary(regions, region), facts)
