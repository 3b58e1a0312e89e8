"""News of computations and parts, through the database's own notification channel."""

from __future__ import annotations

import json
from typing import Any

from django.db import connection

CHANNEL = "tectogon_news"


def tell(workshop_id: int, what: str, **facts: Any) -> None:
    """Tell everyone of a workshop who listens. Sent when the transaction commits."""
    payload = json.dumps({"workshop": workshop_id, "what": what, **facts})
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, payload[:7900]])
