"""News of computations and parts, through the database's own notification channel."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.db import connection

CHANNEL = "tectogon_news"


def tell(workshop_id: int, what: str, **facts: Any) -> None:
    """Tell everyone of a workshop who listens. Sent when the transaction commits."""
    payload = json.dumps({"workshop": workshop_id, "what": what, **facts})
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, payload[:7900]])


def signed_out(workshop_id: int, session: str) -> None:
    """Tell the web processes that a session is over, so that its streams end. The session itself is not named, its hash
    is."""
    tell(workshop_id, "signed_out", session=hash_of(session))


def hash_of(session: str) -> str:
    return hashlib.sha256(session.encode()).hexdigest()
