"""What speaks for the unit of a file that was read, all of it weighed together."""

from __future__ import annotations

from tectogon.findings.dimensions import sizes_to_weigh
from tectogon.formats.result import ReadResult
from tectogon.linework.evidence import UnitEvidence, weigh_unit


def unit_evidence(result: ReadResult) -> UnitEvidence:
    """The unit of a file by its header, its sizes, true and written, and what is seen on its sheet."""
    return weigh_unit(
        result.linework,
        result.declared_unit,
        result.kind_says,
        certain=result.unit_certain,
        written=sizes_to_weigh(result.linework),
    )
