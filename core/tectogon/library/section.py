"""A section of the library: one closed profile with its number, family, material, thickness, insertion point and
pitch."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from tectogon.curves import CurveTable
from tectogon.errors import NothingToBuild
from tectogon.formats.dxf_out import regions_as_dxf
from tectogon.operations.material import DENSITIES
from tectogon.profiles import Region, Regions, find_regions
from tectogon.profiles.section import section_of

JOIN = 1e-6
"""Ends that lie nearer than this share of a section's size are one."""
Text = Field(default="", max_length=200)


class SectionFacts(BaseModel):
    """What is said of a section, beside its geometry. Lengths in mm, in the section's own coordinates."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    number: str = Field(min_length=1, max_length=60)
    name: str = Text
    family: str = Text
    material: str = Field(default="", max_length=40)
    thickness_mm: float | None = Field(default=None, gt=0.0, le=1e4)
    pitch_mm: float | None = Field(default=None, gt=0.0, le=1e6)
    insertion_mm: tuple[float, float] = (0.0, 0.0)
    issue: int = Field(default=1, ge=1, le=100_000)
    source: str = Text
    source_issue: str = Text
    notes: str = Field(default="", max_length=2000)


@dataclass(frozen=True, eq=False)
class LibrarySection:
    """A section: what is said of it, its one profile with holes, and what the cleaning leaves to be looked at."""

    facts: SectionFacts
    regions: Regions
    region: Region
    remarks: tuple[str, ...] = field(default=())

    def figures(self) -> dict[str, Any]:
        """Its section properties (mm, mm², mm⁴), extents, mass per metre (kg, none where its material is not known)."""
        properties = section_of(self.regions, self.region)
        density = DENSITIES.get(self.facts.material.replace(" ", "_"))
        return {
            **properties.as_json(),
            "bbox_mm": list(self.region.bounds),
            "holes": len(self.region.holes),
            "kg_per_m": None if density is None else properties.area * density / 1000.0,
        }

    def dxf(self) -> bytes:
        """Its profile as a DXF in millimetres."""
        return regions_as_dxf([self.regions], [self.region.id])

    def outline(self, chord: float) -> list[list[list[float]]]:
        """Its rings as polygons within a chord (mm), the outer one first."""
        rings = (self.region.outer, *self.region.holes)
        return [self.regions.ring_points(ring, chord).round(6).tolist() for ring in rings]

    def said(self, **facts: Any) -> LibrarySection:
        """The section with other facts."""
        return replace(self, facts=SectionFacts.model_validate({**self.facts.model_dump(), **facts}))


def section_from(table: CurveTable, facts: SectionFacts, remarks: tuple[str, ...] = ()) -> LibrarySection:
    """The section that curves close (mm). Raises NothingToBuild where they close no profile, or several."""
    ids = tuple(f"c:{n}" for n in range(len(table)))
    regions = find_regions(table, ids, join_tol=JOIN * max(table.size, 1.0))
    profiles = regions.profiles
    if len(profiles) != 1:
        told = "closes no profile" if not profiles else f"has {len(profiles)} profiles that lie apart"
        raise NothingToBuild(f"Section {facts.number} {told}; a section is one profile with its holes.")
    return LibrarySection(facts, regions, profiles[0], remarks)
