"""What the shelf shows of a part: kept with the part when its card on record was computed, and only if it still is the
one on record."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone
from tectogon.errors import TectogonError, UnreadableFile, UnsupportedFile
from tectogon.route.card import card_from
from tectogon.route.keys import key_of

from tectogon_server.computing.results import scope_of
from tectogon_server.parts.models import REFUSED, Part

_NO_DRAWING = frozenset({UnreadableFile.code, UnsupportedFile.code})


def keep_on_shelf(part_id: int, report: dict[str, Any]) -> bool:
    """Keep the figures of a report; whether they are of the card that is on record now."""
    figures = {**report["figures"], "drawing": report.get("drawing")}
    what: dict[str, Any] = {"gauges": report["gauges"], "computed_key": report["keys"]["whole"]}
    refused = _refused(report)
    if refused and Part.objects.filter(pk=part_id, head__number=1, desk=False).exists():
        return _keep(
            part_id, report["keys"]["whole"], figures={**figures, REFUSED: refused}, archived=timezone.now(), **what
        )
    return _keep(part_id, report["keys"]["whole"], figures=figures, **what)


def _refused(report: dict[str, Any]) -> str:
    """Why none of the files that a card brings in can be read, where it does nothing else: it makes no part."""
    steps = report["steps"]
    none_read = all(step["status"] == "failed" and step["code"] in _NO_DRAWING for step in steps)
    return str(steps[0]["message"]) if steps and none_read else ""


def keep_failure(part_id: int, key: str) -> bool:
    """Keep that the card with this key could not be computed; whether it is the one on record now."""
    failed = {"stage": "build", "state": "wrong", "figure": "", "words": "could not be computed"}
    return _keep(part_id, key, gauges=[failed])


def keep_picture(part_id: int, key: str, picture: bytes) -> bool:
    """Keep the picture of the card with this key; whether it is the one on record now."""
    return _keep(part_id, key, picture=picture)


@transaction.atomic(savepoint=False)
def _keep(part_id: int, key: str, **what: Any) -> bool:
    part = Part.objects.select_for_update(of=("self",)).select_related("head").filter(pk=part_id).first()
    if part is None or part.head is None or _key_on_record(part) != key:
        return False
    Part.objects.filter(pk=part_id).update(**what)
    return True


def _key_on_record(part: Part) -> str | None:
    assert part.head is not None
    try:
        return key_of(card_from(part.head.card), scope_of(part.workshop_id))
    except TectogonError:
        return None
