"""News of computations and parts, through the database's own notification channel."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from tectogon_server.database import notify

CHANNEL = "tectogon_news"
MOST = 7900
"""Bytes that the database's channel takes at once, less a little."""


def tell(workshop_id: int, what: str, **facts: Any) -> None:
    """Tell everyone of a workshop who listens. Sent when the transaction commits."""
    notify(CHANNEL, _payload({"workshop": workshop_id, "what": what, **facts}))


def _payload(news: dict[str, Any]) -> str:
    """News as JSON; the longest texts of those that are longer than the channel takes are cut, at a whole character."""
    while len(text := json.dumps(news)) > MOST:
        name = max((n for n, v in news.items() if isinstance(v, str)), key=lambda n: len(json.dumps(news[n])))
        news = {**news, name: news[name][: len(news[name]) // 2]}
    return text


def signed_out(workshop_id: int, session: str) -> None:
    """Tell the web processes that a session is over, so that its streams end. The session itself is not named, its hash
    is."""
    tell(workshop_id, "signed_out", session=hash_of(session))


def hash_of(session: str) -> str:
    return hashlib.sha256(session.encode()).hexdigest()
