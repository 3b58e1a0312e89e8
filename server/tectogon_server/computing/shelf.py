"""What the shelf shows of a part: kept with the part when its saved card was computed."""

from __future__ import annotations

from typing import Any

from tectogon_server.parts.models import Part


def keep_on_shelf(part: Part, report: dict[str, Any]) -> None:
    Part.objects.filter(pk=part.pk).update(figures={**report["figures"], "drawing": report.get("drawing")}, gauges=report["gauges"], computed_key=report["key"])
