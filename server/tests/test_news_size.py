"""News are whole, however long what they tell of is; and nobody listens without end."""

from __future__ import annotations

import asyncio
import json
import time

import pytest
from django.conf import settings
from django.test import RequestFactory
from tectogon_server.api import events
from tectogon_server.api.events import Listening, _Board
from tectogon_server.news import MOST, _payload


@pytest.mark.parametrize("text", ["x" * 20_000, "⌀" * 9_000, '"\\' * 9_000, "a" * 7_880])
def test_long_news_are_cut_at_a_whole_character(text: str) -> None:
    told = _payload({"workshop": 1, "what": "part", "change": text, "who": "Ines"})
    news = json.loads(told)
    assert len(told.encode()) <= MOST and text.startswith(news["change"]) and news["who"] == "Ines"


@pytest.mark.parametrize("payload", ['{"workshop": 1, "what": "pa', "[]", "null", ""])
def test_news_that_nobody_can_read_end_nothing(payload: str) -> None:
    board = _Board()
    board._hand_out(payload)
    board._hand_out(json.dumps({"workshop": 1, "what": "part"}))


def test_a_session_opens_so_many_streams_and_no_more(monkeypatch: pytest.MonkeyPatch) -> None:
    def looked_up(request: object) -> Listening:
        time.sleep(0.02)
        return Listening(1, 1, "one")

    monkeypatch.setattr(events, "_who_listens", looked_up)
    monkeypatch.setattr(events, "_board", _Board())
    monkeypatch.setattr(events, "_asking", asyncio.Semaphore(4))

    async def opened(count: int, session: str) -> list[int]:
        requests = [RequestFactory().get("/api/events") for _ in range(count)]
        for request in requests:
            request.COOKIES[settings.SESSION_COOKIE_NAME] = session
        return [r.status_code for r in await asyncio.gather(*(events.events(r) for r in requests))]

    async def both() -> tuple[list[int], list[int]]:
        return await asyncio.gather(opened(60, "one"), opened(1, "another"))

    many, another = asyncio.run(both())
    assert many.count(200) == events.MOST_OF_A_SESSION and many.count(429) == 60 - events.MOST_OF_A_SESSION
    assert another == [200]
    assert not events._board.coming
    for listening in [Listening(1, 1, "one") for _ in range(events.MOST_OF_A_SESSION)]:
        events._board.waiting.setdefault(1, set()).add(listening)
    assert asyncio.run(opened(1, "one")) == [429]
    events._board.leave(listening)
    assert asyncio.run(opened(1, "one")) == [200]
